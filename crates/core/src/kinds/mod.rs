//! Kinds: messages grouped by their constant words, the variable parts taken out.
//!
//! What one entry says without its variable parts is told by `entry::kind`; words that vary are found over all of
//! them (`vary`). Kinds are counted in one pass, and depend on the entries alone, not on the order in which they are read.

mod counting;
mod fills;
mod vary;

use crate::{
    EntryId,
    engine::{Of, Pass, Snapshot},
    entry::Level,
    query::{Expr, Path},
    veil::{Audience, Text},
};

pub use counting::SoFar;
pub use fills::{Fill, Fills};
pub(crate) use vary::holes_for_words;

/// Slices of time of a kind's curve.
pub const SLICES: usize = 32;
/// Loggers of a kind that are kept.
pub const LOGGERS: usize = 8;
/// Kinds that are kept one by one; of more the rarest are counted together.
pub const MOST: usize = 200_000;

/// What entries say, without its variable parts.
#[derive(Clone, Debug)]
pub struct Kind<A: Audience> {
    /// Its constant words, with holes for what varies: `{number}`, `{id}`, `{word}`, ….
    pub text: Text<'static, A>,
    /// How many entries are of it.
    pub count: u64,
    /// How many of them are errors.
    pub errors: u64,
    /// The gravest level among them.
    pub level: Option<Level>,
    /// The time of the first and of the last of them.
    pub span: Option<(i64, i64)>,
    /// Entries in each slice of the time of all kinds.
    pub curve: Box<[u32; SLICES]>,
    /// Who says it, the first few of them in the order of their names.
    pub loggers: Vec<Text<'static, A>>,
    /// There are more.
    pub more_loggers: bool,
    /// The first of them.
    pub first: EntryId,
    /// The last of them.
    pub last: EntryId,
}

/// The kinds of some entries.
#[derive(Clone, Debug)]
pub struct Kinds<A: Audience> {
    /// The kinds, those with the most entries first.
    pub kinds: Vec<Kind<A>>,
    /// The time over which the curves go: that of all the entries.
    pub span: Option<(i64, i64)>,
    /// Entries that were looked at.
    pub entries: usize,
    /// Entries that say nothing.
    pub without: u64,
    /// Kinds that were too rare to be kept one by one, and the entries in them.
    pub pooled: (u64, u64),
    /// Entries that could not be read.
    pub unread: usize,
}

/// What kinds are put in order by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// Their entries.
    Count,
    /// The gravest level, and then their errors.
    Level,
    /// The time of their first entry.
    First,
    /// The time of their last entry.
    Last,
    /// Their words.
    Text,
}

/// Which kinds are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Only {
    /// All.
    #[default]
    All,
    /// Those that no entry before this time is of.
    NewSince(i64),
    /// Those that no entry from this time on is of.
    GoneSince(i64),
    /// Those of at most so many entries.
    Rare(u64),
}

impl<A: Audience> Kinds<A> {
    /// The kinds of entries. `None` when the pass was ended. Cost: the bytes of the entries; memory grows with the number of
    /// kinds, up to [`MOST`].
    #[must_use]
    pub fn of(snapshot: &Snapshot, of: Of<'_>, pass: &Pass) -> Option<Self> {
        counting::count(snapshot, of, pass)
    }

    /// Those of the kinds that are wanted, in an order, by their numbers.
    #[must_use]
    pub fn sorted(&self, only: Only, by: Order, descending: bool) -> Vec<u32> {
        let kind = |row: &u32| &self.kinds[*row as usize];
        let mut rows: Vec<u32> = (0u32..).take(self.kinds.len()).collect();
        rows.retain(|row| {
            let kind = kind(row);
            match only {
                Only::All => true,
                Only::NewSince(time) => kind.span.is_some_and(|(first, _)| first >= time),
                Only::GoneSince(time) => kind.span.is_some_and(|(_, last)| last < time),
                Only::Rare(most) => kind.count <= most,
            }
        });
        rows.sort_by(|one, other| {
            let (one, other) = (kind(one), kind(other));
            let order = match by {
                Order::Count => one.count.cmp(&other.count),
                Order::Level => (one.level, one.errors).cmp(&(other.level, other.errors)),
                Order::First => one.span.map(|span| span.0).cmp(&other.span.map(|span| span.0)),
                Order::Last => one.span.map(|span| span.1).cmp(&other.span.map(|span| span.1)),
                Order::Text => one.text.cmp(&other.text),
            };
            if descending { order.reverse() } else { order }
        });
        rows
    }

    /// The condition that the entries of a kind pass, and no others.
    #[must_use]
    pub fn condition(&self, number: usize) -> Option<Expr> {
        let text = self.kinds.get(number)?.text.as_str();
        Some(condition_among(text, self.kinds.iter().map(|kind| kind.text.as_str())))
    }
}

/// The condition that the entries of a kind pass and those of others do not.
pub(crate) fn condition_among<'k>(kind: &str, others: impl Iterator<Item = &'k str>) -> Expr {
    let of = |text: &str| Expr::equals(Path::Kind, text);
    let others = vary::before(kind, others);
    others.into_iter().fold(of(kind), |all, other| all.and(of(other).negated()))
}
