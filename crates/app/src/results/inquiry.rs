//! What is asked of the pan, and how the rows of the answer are listed: the same for screens, commands and extracts.

use cribrum_core::{
    engine::{Pass, Snapshot},
    veil::Audience,
};

use super::{cell::Reader, table::Findings};

/// A question to the pan whose answer is a table.
pub(crate) trait Inquiry: Clone + PartialEq + Send + Sync + 'static {
    type Order: Copy + PartialEq + Send + Sync + 'static;
    /// Which rows are listed, beside words.
    type Only: Clone + PartialEq + Default + Send + Sync + 'static;
    type Found<A: Audience>: Findings<Audience = A, Order = Self::Order> + Clone;
    /// What has been counted, so that only what has come is counted when entries arrive.
    type SoFar<A: Audience>: Send + 'static;
    /// What is told of all rows that are listed.
    type Summary: Send + 'static;
    /// Entries that are not in the pan count as well, and their ids must be known.
    const OF_ALL: bool = false;

    /// Nothing has been counted yet.
    fn begin<A: Audience>(&self) -> Self::SoFar<A>;

    /// Takes from the entries there are what it needs to know of them, and where it was left open what is asked, decides
    /// that. `None` when the pass was ended.
    fn settle(&mut self, _open: bool, _snapshot: &Snapshot, _pass: &Pass) -> Option<()> {
        Some(())
    }

    /// Finds the answer. `None` when the pass was ended.
    fn find<A: Audience>(
        &self,
        so_far: &mut Self::SoFar<A>,
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Self::Found<A>>;

    /// The rows in an order, those that are wanted. `None` when the pass was ended.
    fn rows<A: Audience>(
        found: &Self::Found<A>,
        order: (Self::Order, bool),
        only: &Self::Only,
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Vec<u32>>;

    fn summary<A: Audience>(found: &Self::Found<A>, rows: &[u32]) -> Self::Summary;
}

/// How rows are listed.
pub(crate) struct Listing<I: Inquiry> {
    /// What they are put in order by, and whether the largest comes first.
    pub(crate) order: (I::Order, bool),
    pub(crate) only: I::Only,
    /// Words that those listed have, all of them, in any case.
    pub(crate) words: String,
}

impl<I: Inquiry> Clone for Listing<I> {
    fn clone(&self) -> Self {
        Self { order: self.order, only: self.only.clone(), words: self.words.clone() }
    }
}

impl<I: Inquiry> PartialEq for Listing<I> {
    fn eq(&self, other: &Self) -> bool {
        (self.order, &self.only, &self.words) == (other.order, &other.only, &other.words)
    }
}

impl<I: Inquiry> Listing<I> {
    /// The numbers of the rows, in their order. `None` when the pass was ended.
    pub(crate) fn rows<A: Audience>(
        &self,
        found: &I::Found<A>,
        reader: &Reader<'_>,
        pass: &Pass,
    ) -> Option<Vec<u32>> {
        let mut rows = I::rows(found, self.order, &self.only, reader.snapshot, pass)?;
        let words = Words::of(&self.words);
        if words.is_empty() {
            return Some(rows);
        }
        let mut kept = Vec::new();
        for some in rows.chunks(AT_A_TIME) {
            let mut read = None;
            let found = match I::Found::<A>::READS {
                true => {
                    let found = read.insert(found.clone());
                    found.read(some, reader.snapshot, pass)?;
                    &*found
                }
                false => found,
            };
            let has = |row: &&u32| words.are_in(&found.text(found.row(**row), reader));
            kept.extend(some.iter().filter(has).copied());
        }
        rows = kept;
        Some(rows)
    }
}

/// Rows whose texts are read at a time.
pub(super) const AT_A_TIME: usize = 4_096;

/// Words that a text must have, all of them, in any case.
struct Words(Vec<String>);

impl Words {
    fn of(text: &str) -> Self {
        Self(text.to_lowercase().split_whitespace().map(str::to_owned).collect())
    }

    fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    fn are_in(&self, text: &str) -> bool {
        let text = text.to_lowercase();
        self.0.iter().all(|word| text.contains(word))
    }
}
