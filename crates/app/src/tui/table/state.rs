//! What tables remember.

use cribrum_core::{engine::Snapshot, sieve::Sieve};

/// Where the cursor of a table is, and how its rows are listed.
#[derive(Debug)]
pub(crate) struct State<O> {
    /// What rows are put in order by, and whether the largest comes first.
    pub(crate) order: (O, bool),
    /// The column under the cursor.
    pub(crate) column: usize,
    pub(crate) cursor: usize,
    /// The next list is shown from its first row on.
    pub(crate) from_the_top: bool,
    /// Words that the rows shown have.
    pub(crate) words: String,
    /// Rows that the table shows.
    pub(crate) height: usize,
    pub(crate) width: u16,
}

impl<O> State<O> {
    /// From the first row on, all of them, the largest first.
    pub(crate) fn by(order: O) -> Self {
        Self {
            order: (order, true),
            column: 0,
            cursor: 0,
            from_the_top: false,
            words: String::new(),
            height: 20,
            width: 80,
        }
    }

    /// Puts the cursor into a new list of rows: to where its row is now, if it is still there.
    pub(crate) fn put_cursor(&mut self, place: Option<usize>, len: usize) {
        let place = if self.from_the_top { 0 } else { place.unwrap_or(self.cursor) };
        (self.cursor, self.from_the_top) = (place.min(len.saturating_sub(1)), false);
    }
}

/// Words that a text must have, all of them, in any case.
pub(crate) struct Words(Vec<String>);

impl Words {
    pub(crate) fn of(text: &str) -> Self {
        Self(text.to_lowercase().split_whitespace().map(str::to_owned).collect())
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn are_in(&self, text: &str) -> bool {
        let text = text.to_lowercase();
        self.0.iter().all(|word| text.contains(word))
    }
}

/// What a table was counted of, and whether another answer is on its way.
#[derive(Debug, Default)]
pub(crate) struct Asked {
    on_its_way: bool,
    /// The sieve, and entries in the pan.
    of: Option<(Sieve, usize)>,
}

impl Asked {
    /// Whether something else is to be counted now than last time; it is then on its way. One answer comes after the
    /// other: what grows all the time is never done otherwise.
    pub(crate) fn is_due(&mut self, snapshot: &Snapshot) -> bool {
        let now = (snapshot.sieve.clone(), snapshot.pan.len());
        if self.on_its_way || !snapshot.settled() || self.of.as_ref() == Some(&now) {
            return false;
        }
        (self.on_its_way, self.of) = (true, Some(now));
        true
    }

    pub(crate) fn has_come(&mut self) {
        self.on_its_way = false;
    }
}
