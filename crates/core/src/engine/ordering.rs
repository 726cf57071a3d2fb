//! The pan in the order of a value instead of time.
//!
//! ```text
//! entries of the pan ─ a pass reads the value of each ─ Keys ─ first(): the first page at once
//!                                                            └ rows(): all of them
//! ```

use std::{cmp::Ordering, io, sync::Arc};

use super::{
    Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
    sorted_ids,
};
use crate::{
    entry::Severity,
    query,
    store::{EntryId, Rows},
    veil::{Desk, Veiled},
};

/// The value that entries are ordered by.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum By {
    /// The severity.
    Level,
    /// The label of the source.
    Source,
    /// The logger.
    Logger,
    /// The id that names a request best.
    Id,
    /// The message.
    Message,
    /// A field by its dotted path: a duration or a size by what it amounts to, a number by its value, all else as
    /// text. Of a list the first item counts.
    Field(String),
}

/// Which values come first. Entries without the value come last, whatever comes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum First {
    /// The largest number, the last text of the alphabet.
    Largest,
    /// The smallest number, the first text of the alphabet.
    Smallest,
}

/// A value that can be compared.
#[derive(Clone, Debug, PartialEq)]
enum Key {
    Number(f64),
    Text(Box<str>),
}

impl Key {
    fn of(name: &str, text: &str) -> Self {
        // A duration is compared in seconds, whether its unit stands behind the number or in the field's name.
        let amount = query::seconds(name, text).or_else(|| query::amount(text));
        match amount {
            Some(amount) if amount.is_finite() => Self::Number(amount),
            _ => Self::Text(text.into()),
        }
    }

    /// Numbers come before texts, whichever of them come first.
    fn compare(&self, other: &Self, first: First) -> Ordering {
        let order = match (self, other) {
            (Self::Number(one), Self::Number(two)) => one.total_cmp(two),
            (Self::Text(one), Self::Text(two)) => one.cmp(two),
            (Self::Number(_), Self::Text(_)) => return Ordering::Less,
            (Self::Text(_), Self::Number(_)) => return Ordering::Greater,
        };
        match first {
            First::Smallest => order,
            First::Largest => order.reverse(),
        }
    }
}

/// What entries are ordered by, before they are put in order.
#[derive(Debug, Default)]
pub struct Keys {
    keys: Vec<(Key, EntryId)>,
    /// Entries without the value, in the order of time.
    without: Vec<EntryId>,
    /// Entries that could not be read; they are among those without the value.
    pub unread: usize,
}

impl Keys {
    /// Reads the value of each entry of the pan. `None` when the pass was ended. Cost: for the level and the source a
    /// look at the index, else a look at the bytes of every entry of the pan. Memory: 32 bytes an entry, and its
    /// text where the value is one.
    #[must_use]
    pub fn of(snapshot: &Snapshot, by: &By, pass: &Pass) -> Option<Self> {
        let labels: Vec<Arc<str>> =
            snapshot.sources.iter().map(|source| source.label.as_str().into()).collect();
        let fold = ByValue { by, labels };
        let measured = pass::run(snapshot, &Selection::pan(snapshot), &fold, pass)?;
        let mut keys = measured.part;
        // Equal values stay in the order of time.
        keys.sort_unstable_by_key(|(_, id)| snapshot.place_of(*id));
        let mut having = keys.iter().map(|(_, id)| *id).peekable();
        let lacks = |id: &EntryId| having.next_if_eq(id).is_none();
        let without = snapshot.pan.iter_from(0).filter(lacks).collect();
        (!pass.is_cancelled()).then_some(Self { keys, without, unread: measured.unread })
    }

    /// Entries that have the value.
    #[must_use]
    pub fn having(&self) -> usize {
        self.keys.len()
    }

    /// The first entries, before all are in order. Cost: a look at each key.
    #[must_use]
    pub fn first(&self, most: usize, first: First) -> Rows {
        let mut places: Vec<u32> =
            (0..self.keys.len()).filter_map(|at| at.try_into().ok()).collect();
        // Their number is their order in time.
        let compare = |one: &u32, two: &u32| {
            let key = |at: &u32| &self.keys[*at as usize].0;
            key(one).compare(key(two), first).then(one.cmp(two))
        };
        if most < places.len() {
            places.select_nth_unstable_by(most, compare);
            places.truncate(most);
        }
        places.sort_unstable_by(compare);
        let mut ids: Vec<EntryId> = places.iter().map(|at| self.keys[*at as usize].1).collect();
        ids.extend(self.without.iter().take(most.saturating_sub(ids.len())));
        Rows::as_given(&ids)
    }

    /// All entries in their order.
    #[must_use]
    pub fn rows(mut self, first: First) -> Rows {
        // The sort is stable: equal values stay in the order of time.
        self.keys.sort_by(|(one, _), (two, _)| one.compare(two, first));
        let mut ids: Vec<EntryId> = self.keys.into_iter().map(|(_, id)| id).collect();
        ids.append(&mut self.without);
        Rows::as_given(&ids)
    }
}

/// The measure.
struct ByValue<'b> {
    by: &'b By,
    labels: Vec<Arc<str>>,
}

impl Fold for ByValue<'_> {
    type Part = Vec<(Key, EntryId)>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        match self.by {
            By::Level => {
                let number = |severity: Severity| Key::Number(f64::from(severity.number()));
                part.extend(
                    entries.facts().filter_map(|(id, _, severity)| Some((number(severity?), id))),
                );
                Ok(())
            }
            By::Source => {
                let label = &self.labels[entries.source()];
                part.extend(entries.facts().map(|(id, ..)| (Key::Text((&**label).into()), id)));
                Ok(())
            }
            By::Logger => entries.each(&mut |id, _, veiled: &Veiled<'_, '_, Desk>| {
                part.extend(veiled.logger().map(|logger| (Key::Text(logger.as_str().into()), id)));
            }),
            By::Message => entries.each(&mut |id, _, veiled: &Veiled<'_, '_, Desk>| {
                part.push((Key::Text(veiled.message().as_str().into()), id));
            }),
            By::Id => {
                entries.each(&mut |id, entry, veiled: &Veiled<'_, '_, Desk>| {
                    let best = sorted_ids(entry).into_iter().next();
                    part.extend(best.map(|(_, value)| {
                        (Key::Text(veiled.text(value.into()).as_str().into()), id)
                    }));
                })
            }
            By::Field(path) => entries.each_value::<Desk>(path, &mut |id, value| {
                if part.last().is_none_or(|(_, last)| *last != id) {
                    part.push((Key::of(path, value.as_str()), id));
                }
            }),
        }
    }

    fn merge(&self, whole: &mut Self::Part, mut part: Self::Part) {
        whole.append(&mut part);
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;
    use crate::{
        engine::{Engine, Options},
        ingest,
        veil::Veil,
    };

    const LINES: [&str; 7] = [
        "{\"time\":\"2026-03-14T06:41:01Z\",\"level\":\"info\",\"msg\":\"a\",\"took\":\"209ms\",\"n\":\"x\"}\n",
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"warn\",\"msg\":\"b\",\"took\":\"1.5s\",\"n\":3}\n",
        "time=2026-03-14T06:41:03Z level=error msg=c took=35ms n=20\n",
        "{\"time\":\"2026-03-14T06:41:04Z\",\"level\":\"info\",\"msg\":\"d\",\"n\":3}\n",
        "{\"time\":\"2026-03-14T06:41:05Z\",\"level\":\"info\",\"msg\":\"e\",\"took\":\"2min\",\"n\":\"a\"}\n",
        "{\"time\":\"2026-03-14T06:41:06Z\",\"msg\":\"f\",\"took\":\"35ms\",\"n\":-1}\n",
        "{\"time\":\"2026-03-14T06:41:07Z\",\"level\":\"info\",\"password\":\"hush-hush\",\"took\":\"0s\"}\n",
    ];

    fn snapshot(lines: &[&str]) -> (Arc<Snapshot>, Engine) {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(lines.concat().as_bytes()).unwrap();
        let found = ingest::discover(&[file.path().to_owned()]);
        let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {}).unwrap();
        (engine.wait(Snapshot::settled), engine)
    }

    #[test]
    fn values_order_the_pan_and_missing_ones_come_last() {
        let (snapshot, _engine) = snapshot(&LINES);
        let told = |rows: &Rows| -> String {
            rows.iter_from(0)
                .map(|id| (b'1' + u8::try_from(snapshot.row_of(id)).unwrap()) as char)
                .collect()
        };
        for (by, first, want) in [
            (By::Field("took".into()), First::Largest, "5213674"),
            (By::Field("took".into()), First::Smallest, "7361254"),
            // Numbers come before texts, and texts before nothing.
            (By::Field("n".into()), First::Largest, "3246157"),
            (By::Field("n".into()), First::Smallest, "6243517"),
            (By::Field("nothing".into()), First::Largest, "1234567"),
            (By::Level, First::Largest, "3214576"),
            (By::Message, First::Smallest, "7123456"),
            (By::Source, First::Largest, "1234567"),
        ] {
            let keys = || Keys::of(&snapshot, &by, &Pass::default()).unwrap();
            let all = keys().rows(first);
            assert_eq!(told(&all), want, "{by:?} {first:?}");
            for most in [0, 1, 3, 6, 9] {
                let page = told(&keys().first(most, first));
                let start: String = want.chars().take(most).collect();
                assert_eq!(page, start, "the first {most} by {by:?} {first:?}");
            }
        }
    }

    #[test]
    fn an_order_that_nobody_waits_for_gives_nothing() {
        let (snapshot, _engine) = snapshot(&LINES);
        let pass = Pass::default();
        pass.cancel();
        assert!(Keys::of(&snapshot, &By::Level, &pass).is_none());
    }
}
