//! Which rows of a list are in sight.

/// A part of a list that fits the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Scroll {
    /// The first row in sight.
    pub(crate) from: usize,
}

impl Scroll {
    /// The rows around a cursor: the list moves when the cursor would leave it at the lower end.
    pub(crate) fn around(cursor: usize, len: usize, shown: usize) -> Self {
        let from = cursor.saturating_sub(shown.saturating_sub(1));
        Self { from: from.min(len.saturating_sub(shown)) }
    }

    /// `↑ 3 more   ↓ 12 more`: how many rows are out of sight above, and `below`.
    pub(crate) fn told(self, below: usize) -> String {
        match (self.from, below) {
            (0, 0) => String::new(),
            (0, below) => format!("↓ {below} more"),
            (above, 0) => format!("↑ {above} more"),
            (above, below) => format!("↑ {above} more   ↓ {below} more"),
        }
    }
}
