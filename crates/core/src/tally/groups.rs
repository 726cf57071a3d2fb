//! Groups of entries, with what was counted and measured of each.

use jiff::{Timestamp, tz::TimeZone};

use super::{By, Measure, Sketch, Unit};
use crate::{
    entry::Level,
    store::EntryId,
    veil::{Audience, Text},
};

/// What is asked of the entries.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Question {
    /// What they are grouped by; nothing for all of them as one.
    pub by: Vec<By>,
    /// What is measured of each group.
    pub of: Option<Measure>,
    /// A field whose different values are counted in each group.
    pub different: Option<String>,
    /// A moment at which a slice of time begins, in nanoseconds UTC: a midnight, for days of a zone.
    pub origin: i64,
}

/// A moment at which a day of a zone begins, near a time: what days, hours and minutes of the zone are counted from. Where
/// its clocks are changed later, slices go on as they began.
#[must_use]
pub fn origin_of(zone: Option<&TimeZone>, near: i64) -> i64 {
    const SECOND: i64 = 1_000_000_000;
    let Some(zone) = zone else { return 0 };
    let Ok(near) = Timestamp::from_nanosecond(near.into()) else { return 0 };
    // As far east of Greenwich as the zone is, as much earlier its days begin.
    -i64::from(zone.to_offset(near).seconds()) * SECOND
}

/// What a group has in common, in one respect.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Key<A: Audience> {
    /// The entries have no such value.
    None,
    /// A value.
    Text(Text<'static, A>),
    /// The beginning of a value that is too long to be kept.
    Cut(Text<'static, A>),
    /// A level.
    Level(Level),
    /// A source, by its number.
    Source(usize),
    /// A layout.
    Layout(&'static str),
    /// A slice of time, by its beginning.
    Time(i64),
}

impl<A: Audience> Key<A> {
    /// The order of two keys: numbers by their size and before words.
    fn cmp_by_size(&self, other: &Self) -> std::cmp::Ordering {
        match (self.number(), other.number()) {
            (Some(one), Some(two)) => one.total_cmp(&two).then_with(|| self.cmp(other)),
            (Some(_), None) => std::cmp::Ordering::Less,
            (None, Some(_)) => std::cmp::Ordering::Greater,
            (None, None) => self.cmp(other),
        }
    }

    /// The number that a value is.
    fn number(&self) -> Option<f64> {
        match self {
            Self::Text(text) => {
                text.as_str().parse().ok().filter(|number: &f64| number.is_finite())
            }
            _ => None,
        }
    }
}

/// A group of entries.
#[derive(Clone, Debug)]
pub struct Group<A: Audience> {
    /// What they have in common, in the order of what they are grouped by.
    pub keys: Vec<Key<A>>,
    /// How many there are.
    pub count: u64,
    /// How many of them are errors.
    pub errors: u64,
    /// The time of the first, and of the last.
    pub span: Option<(i64, i64)>,
    /// What is measured of them.
    pub values: Sketch,
    /// How many different values the field has of which that is asked.
    pub different: u64,
    /// The one with the largest value; where nothing is measured, one of them.
    pub largest: EntryId,
}

/// Groups of entries.
#[derive(Clone, Debug)]
pub struct Tally<A: Audience> {
    /// What was asked.
    pub question: Question,
    /// The groups, the largest first.
    pub groups: Vec<Group<A>>,
    /// All entries that belong to one, as one.
    pub all: Option<Group<A>>,
    /// Groups that were too small to be kept one by one, and the entries in them.
    pub pooled: (u64, u64),
    /// Entries that have nothing of what is grouped by.
    pub without: u64,
    /// What the values measured count.
    pub unit: Unit,
    /// Values that could not be measured, or count something else than most, and one of them.
    pub left_out: (u64, Option<Text<'static, A>>),
    /// There were too many different values to count them all.
    pub different_cut: bool,
    /// Entries that were looked at.
    pub entries: usize,
    /// Entries that could not be read.
    pub unread: usize,
}

/// What groups are put in order by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// Their entries.
    Count,
    /// Their errors.
    Errors,
    /// The share of errors among their entries.
    ErrorShare,
    /// The time of their first entry.
    First,
    /// The time of their last entry.
    Last,
    /// The mean of what is measured.
    Mean,
    /// The value that a share of 1000 does not exceed.
    Quantile(u16),
    /// The smallest value.
    Min,
    /// The largest value.
    Max,
    /// What the values come to.
    Sum,
    /// How many different values there are.
    Different,
    /// One of the things that they have in common.
    Key(usize),
}

impl<A: Audience> Tally<A> {
    /// The groups in an order, by their numbers. Those that have nothing to be ordered by come last.
    #[must_use]
    pub fn sorted(&self, by: Order, descending: bool) -> Vec<u32> {
        let mut rows: Vec<u32> = (0u32..).take(self.groups.len()).collect();
        let group = |row: &u32| &self.groups[*row as usize];
        let direct = |order: std::cmp::Ordering| if descending { order.reverse() } else { order };
        match by {
            Order::Key(at) => {
                // Numbers before words, by their size.
                let numbers: Vec<Option<f64>> =
                    self.groups.iter().map(|group| group.keys.get(at)?.number()).collect();
                let key = |row: &u32| group(row).keys.get(at);
                let number = |row: &u32| numbers[*row as usize];
                let words = |one: &u32, other: &u32| match (number(one), number(other)) {
                    (Some(a), Some(b)) => a.total_cmp(&b).then_with(|| key(one).cmp(&key(other))),
                    (Some(_), None) => std::cmp::Ordering::Less,
                    (None, Some(_)) => std::cmp::Ordering::Greater,
                    (None, None) => key(one).cmp(&key(other)),
                };
                // Groups that are alike there go by what else they have in common, from the first on.
                let others = |one: &u32, other: &u32| {
                    let keys = group(one).keys.iter().zip(&group(other).keys);
                    keys.map(|(one, other)| one.cmp_by_size(other))
                        .find(|order| order.is_ne())
                        .unwrap_or(std::cmp::Ordering::Equal)
                };
                rows.sort_by(|one, other| {
                    let first = match (key(one), key(other)) {
                        (Some(Key::None), Some(Key::None)) => std::cmp::Ordering::Equal,
                        (Some(Key::None), _) => std::cmp::Ordering::Greater,
                        (_, Some(Key::None)) => std::cmp::Ordering::Less,
                        _ => direct(words(one, other)),
                    };
                    first.then_with(|| direct(others(one, other)))
                });
            }
            _ => {
                let figures: Vec<Option<f64>> =
                    self.groups.iter().map(|group| group.figure(by)).collect();
                let figure = |row: &u32| figures[*row as usize];
                rows.sort_by(|one, other| match (figure(one), figure(other)) {
                    (Some(one), Some(other)) => direct(one.total_cmp(&other)),
                    (one, other) => other.is_some().cmp(&one.is_some()),
                });
            }
        }
        rows
    }
}

impl<A: Audience> Group<A> {
    /// Several groups as one; how many different values they have together is not known. `None` where there are none.
    #[must_use]
    pub fn together(groups: &[&Self]) -> Option<Self> {
        let (first, rest) = groups.split_first()?;
        let mut whole = Self { keys: Vec::new(), different: 0, ..(*first).clone() };
        for group in rest {
            whole.count += group.count;
            whole.errors += group.errors;
            whole.span = match (whole.span, group.span) {
                (Some((first, last)), Some((from, to))) => Some((first.min(from), last.max(to))),
                (one, other) => one.or(other),
            };
            whole.values.merge(&group.values);
        }
        Some(whole)
    }

    /// The figure that groups are put in order by.
    #[must_use]
    pub fn figure(&self, by: Order) -> Option<f64> {
        #[expect(clippy::cast_precision_loss, reason = "figures to compare by")]
        let number = |count: u64| count as f64;
        #[expect(clippy::cast_precision_loss, reason = "moments to compare by")]
        let moment = |time: i64| time as f64;
        let measured = |value: f64| (self.values.count > 0).then_some(value);
        match by {
            Order::Count | Order::Key(_) => Some(number(self.count)),
            Order::Errors => Some(number(self.errors)),
            Order::ErrorShare => Some(number(self.errors) / number(self.count.max(1))),
            Order::First => self.span.map(|(first, _)| moment(first)),
            Order::Last => self.span.map(|(_, last)| moment(last)),
            Order::Mean => self.values.mean(),
            Order::Quantile(thousandth) => self.values.quantile(f64::from(thousandth) / 1_000.0),
            Order::Min => measured(self.values.min),
            Order::Max => measured(self.values.max),
            Order::Sum => self.values.total(),
            Order::Different => Some(number(self.different)),
        }
    }
}
