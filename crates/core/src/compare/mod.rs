//! Two selections of entries beside each other: what is new, gone, more, less, slower and faster.
//!
//! Both are read in one pass (`counting`); each kind, each value of a field that has not too many, and how long each kind
//! took is a difference, judged by how surprising it is (`surprise`).

mod counting;
mod judging;
mod sides;
mod surprise;
mod tallied;

use std::collections::HashMap;

use crate::{
    EntryId,
    engine::Snapshot,
    entry::Level,
    kinds::condition_among,
    query::Expr,
    tally::{By, Key, Sketch},
    veil::{Audience, Text},
};

pub use counting::SoFar;
pub use sides::Side;
pub use surprise::SURPRISING;

/// Values of a field beyond which it is not compared.
pub const MOST_VALUES: usize = 400;

/// Entries of differences that are told one by one, though they have the same counts.
const FEW: u64 = 5;

/// What counts are of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Per {
    /// The entries of their side.
    #[default]
    Entry,
    /// The time of their side.
    Minute,
}

/// What is compared.
#[derive(Clone, Debug)]
pub enum What<A: Audience> {
    /// What is said.
    Kind(Text<'static, A>),
    /// A value.
    Value(By, Key<A>),
    /// How long the entries of a kind took.
    Took(Text<'static, A>),
}

/// What became of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Change {
    /// Only the second side has it.
    New,
    /// Only the first side has it.
    Gone,
    /// The second side has more of it.
    More,
    /// The second side has less of it.
    Less,
    /// It takes longer on the second side.
    Slower,
    /// It takes less long on the second side.
    Faster,
}

impl Change {
    /// All of them.
    pub const ALL: [Self; 6] =
        [Self::New, Self::Gone, Self::More, Self::Less, Self::Slower, Self::Faster];

    /// Its name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Gone => "gone",
            Self::More => "more",
            Self::Less => "less",
            Self::Slower => "slower",
            Self::Faster => "faster",
        }
    }
}

/// All entries of a side.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Whole {
    /// How many there are.
    pub entries: u64,
    /// The time of the first and of the last.
    pub span: Option<(i64, i64)>,
}

impl Whole {
    /// The time from the first to the last, in minutes; a second at least.
    #[must_use]
    #[expect(clippy::cast_precision_loss, reason = "a length to divide by")]
    pub fn minutes(&self) -> f64 {
        self.span
            .map_or(0.0, |(first, last)| (last.saturating_sub(first) as f64 / 60e9).max(1.0 / 60.0))
    }
}

/// A difference.
#[derive(Clone, Debug)]
pub struct Difference<A: Audience> {
    /// What differs.
    pub what: What<A>,
    /// What became of it.
    pub change: Change,
    /// Entries on both sides.
    pub counts: [u64; 2],
    /// How long they took, where that is what differs.
    pub took: Option<Box<[Sketch; 2]>>,
    /// The level of most of its entries.
    pub level: Option<Level>,
    /// The value of the test, see [`SURPRISING`].
    pub surprise: f64,
    /// One of its entries: of the second side where that has some.
    pub entry: EntryId,
}

/// Two selections beside each other.
#[derive(Clone, Debug)]
pub struct Comparison<A: Audience> {
    /// What differs, errors first and then the most surprising; what is not surprising comes last.
    pub differences: Vec<Difference<A>>,
    /// All entries of both sides.
    pub wholes: [Whole; 2],
    /// What counts are of.
    pub per: Per,
    /// Fields with too many values to be compared.
    pub left_out: Vec<Text<'static, A>>,
    /// Entries that could not be read.
    pub unread: usize,
}

impl<A: Audience> Difference<A> {
    /// Whether it is worth telling: it is there on one side only, or chance alone hardly makes so much of a difference.
    #[must_use]
    pub fn is_surprising(&self) -> bool {
        match (&self.what, self.change) {
            (What::Kind(_), Change::New | Change::Gone) => true,
            _ => self.surprise >= SURPRISING,
        }
    }

    /// Whether most of its entries are errors.
    #[must_use]
    pub fn is_error(&self) -> bool {
        self.level >= Some(Level::Error)
    }
}

/// A difference, and those that are of the same entries as far as counts tell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Told {
    /// The number of the difference.
    pub number: usize,
    /// The numbers of those that it stands for.
    pub alike: Vec<usize>,
}

impl<A: Audience> Comparison<A> {
    /// What differs, in its order; differences that have the same counts on both sides are told as one: a kind, where
    /// one is among them. `all` tells of what is alike on both sides as well.
    #[must_use]
    pub fn told(&self, all: bool) -> Vec<Told> {
        let mut told: Vec<Told> = Vec::new();
        let mut by_counts: HashMap<[u64; 2], usize> = HashMap::new();
        for (number, difference) in self.differences.iter().enumerate() {
            if !all && !difference.is_surprising() {
                continue;
            }
            let alone = difference.took.is_some() || difference.counts.iter().sum::<u64>() < FEW;
            match by_counts.get(&difference.counts).filter(|_| !alone) {
                Some(at) => {
                    let first = &mut told[*at];
                    let is_kind =
                        |number: usize| matches!(self.differences[number].what, What::Kind(_));
                    first.alike.push(number);
                    if is_kind(number) && !is_kind(first.number) {
                        let last = first.alike.len() - 1;
                        std::mem::swap(&mut first.alike[last], &mut first.number);
                    }
                }
                None => {
                    if !alone {
                        by_counts.insert(difference.counts, told.len());
                    }
                    told.push(Told { number, alike: Vec::new() });
                }
            }
        }
        told
    }

    /// The condition that the entries of a difference pass, on both sides.
    #[must_use]
    pub fn condition(&self, number: usize, snapshot: &Snapshot) -> Option<Expr> {
        let kinds = self.differences.iter().filter_map(|difference| match &difference.what {
            What::Kind(kind) => Some(kind.as_str()),
            _ => None,
        });
        match &self.differences.get(number)?.what {
            What::Kind(kind) | What::Took(kind) => Some(condition_among(kind.as_str(), kinds)),
            What::Value(by, key) => crate::tally::condition_of(by, key, snapshot),
        }
    }

    /// A count as a rate: of a hundred entries, or a minute.
    #[must_use]
    pub fn rate(&self, side: usize, count: u64) -> f64 {
        let whole = &self.wholes[side.min(1)];
        #[expect(clippy::cast_precision_loss, reason = "a rate")]
        let (count, entries) = (count as f64, whole.entries.max(1) as f64);
        match self.per {
            Per::Entry => count * 100.0 / entries,
            Per::Minute => count / whole.minutes().max(1e-9),
        }
    }
}
