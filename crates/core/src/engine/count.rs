//! How often each value of a field occurs.

use std::{collections::HashMap, io};

use super::{
    LensView, Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
};
use crate::veil::Clean;

/// Different values that are counted one by one.
const MOST: usize = 100_000;

/// How often each value of a field occurs.
#[derive(Clone, Debug, Default)]
pub struct Counts {
    counts: HashMap<String, (Clean<'static>, u64)>,
    /// Values that occur beside those that are counted one by one, since there are too many different ones.
    pub others: u64,
    /// Entries that were looked at.
    pub entries: usize,
    /// Entries that could not be read.
    pub unread: usize,
}

/// Which entries are counted.
#[derive(Clone, Copy, Debug)]
pub enum Of<'l> {
    /// All there are.
    All,
    /// Those that the sieve lets through.
    Pan,
    /// Those that a lens has found.
    Lens(&'l LensView),
}

impl Counts {
    /// Counts the values of the field that a dotted path names, the items of a list one by one. `None` when the
    /// pass was ended. Cost: a look at the bytes of every entry; memory grows with the number of different
    /// values up to 100 000.
    #[must_use]
    pub fn by(snapshot: &Snapshot, of: Of<'_>, path: &str, pass: &Pass) -> Option<Self> {
        let fold = CountBy { path: path.to_owned() };
        let measured = pass::run(snapshot, &of.selection(snapshot), &fold, pass)?;
        Some(Self { entries: measured.of, unread: measured.unread, ..measured.part })
    }

    /// The values, the most frequent first, those that occur equally often in the order of the alphabet.
    #[must_use]
    pub fn sorted(&self) -> Vec<(Clean<'static>, u64)> {
        let mut sorted: Vec<_> = self.counts.values().cloned().collect();
        sorted.sort_unstable_by(|(a, more), (b, less)| less.cmp(more).then_with(|| a.cmp(b)));
        sorted
    }

    fn add(&mut self, value: &Clean<'_>, times: u64) {
        if let Some((_, count)) = self.counts.get_mut(value.as_str()) {
            *count += times;
        } else if self.counts.len() < MOST {
            let owned = value.clone().into_owned();
            self.counts.insert(value.as_str().to_owned(), (owned, times));
        } else {
            self.others += times;
        }
    }
}

impl Of<'_> {
    pub(crate) fn selection(self, snapshot: &Snapshot) -> Selection {
        match self {
            Self::All => Selection::all(snapshot),
            Self::Pan => Selection::pan(snapshot),
            Self::Lens(lens) => Selection::lens(lens),
        }
    }
}

/// The measure.
struct CountBy {
    path: String,
}

impl Fold for CountBy {
    type Part = Counts;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Counts) -> io::Result<()> {
        entries.each_value(&self.path, &mut |_, value| part.add(&value, 1))
    }

    fn merge(&self, whole: &mut Counts, part: Counts) {
        whole.others += part.others;
        part.counts.values().for_each(|(value, count)| whole.add(value, *count));
    }
}
