//! Counts and measures of entries, by what they have in common; and how counts are written.

mod by;
mod collected;
mod condition;
mod grouping;
mod groups;
mod measure;
mod sketch;

pub use crate::entry::Shape;
pub use crate::query::Unit;
pub use by::By;
pub use collected::{MOST_BY, MOST_GROUPS};
pub(crate) use condition::condition as condition_of;
pub use grouping::SoFar;
pub use groups::{Group, Key, Order, Question, Tally, origin_of};
pub use measure::Measure;
pub use sketch::{Sketch, bound_of, range_of};

/// Thin space, between the thousands of a figure.
const THIN: char = '\u{2009}';

/// A count with thin spaces between its thousands.
#[must_use]
pub fn count_text(count: usize) -> String {
    let digits = count.to_string();
    let mut out = String::with_capacity(digits.len() + 4);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(THIN);
        }
        out.push(digit);
    }
    out
}

#[cfg(test)]
mod tests {
    #[test]
    fn counts_are_grouped() {
        for (count, want) in [
            (0, "0"),
            (210, "210"),
            (48_210, "48\u{2009}210"),
            (1_234_567, "1\u{2009}234\u{2009}567"),
        ] {
            assert_eq!(super::count_text(count), want);
        }
    }
}
