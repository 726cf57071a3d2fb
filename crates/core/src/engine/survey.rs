//! Which fields entries have, and which values: looked up in a sample spread over all of them.

use std::{collections::HashMap, io};

use super::{
    Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
};
use crate::{
    entry::{Level, ids, shaped},
    query::Path,
    store::{EntryId, Rows},
    veil::{Audience, Desk, Fields, PartValue, Text, Veiled},
};

/// Entries that are looked at.
const LOOKED_AT: usize = 4_000;

/// What was found in a sample, the most frequent first.
#[derive(Clone, Debug)]
pub struct Survey<A: Audience = Desk> {
    /// Names or values, and how many entries have them.
    pub found: Vec<(Text<'static, A>, usize)>,
    /// Entries that were looked at.
    pub looked: usize,
    /// Entries there are.
    pub of: usize,
}

impl<A: Audience> Default for Survey<A> {
    fn default() -> Self {
        Self { found: Vec::new(), looked: 0, of: 0 }
    }
}

impl<A: Audience> Survey<A> {
    /// The dotted names of the fields that entries of the pan have; of all entries where the pan is empty.
    /// `None` when the pass was ended. Cost: a few thousand entries are read.
    #[must_use]
    pub fn names(snapshot: &Snapshot, pass: &Pass) -> Option<Self> {
        Self::of(snapshot, pass, &|entries, found| {
            entries.each(&mut |id, entry, veiled: &Veiled<'_, '_, A>| {
                for (kind, _) in entry.ids() {
                    found.add(id, &snapshot.veil.typed(kind));
                }
                names_of(veiled.parts(false), "", &mut |path| {
                    found.add(id, &snapshot.veil.typed(path));
                });
            })
        })
    }

    /// The values of a field. Those of level, source and layout are counted over everything poured in.
    /// Cost: as [`Survey::names`].
    #[must_use]
    pub fn values(snapshot: &Snapshot, path: &Path, pass: &Pass) -> Option<Self> {
        Some(match path {
            Path::Level => Self::known(snapshot, |status| {
                Level::ALL
                    .map(|level| (level.name().to_owned(), status.levels[level.index()]))
                    .into()
            }),
            Path::Layout => Self::known(snapshot, |status| {
                status.layouts.iter().map(|(id, count)| (id.name().to_owned(), *count)).collect()
            }),
            Path::Source => {
                let counts = snapshot.status.iter().map(super::SourceStatus::entries);
                let labels = snapshot.sources.iter().map(|source| source.label.clone());
                Self::counted(snapshot, labels.zip(counts))
            }
            Path::Run => {
                let counted = snapshot.runs().iter().map(|run| (run.number.to_string(), 1));
                Self::counted(snapshot, counted)
            }
            Path::Time | Path::Message | Path::Line | Path::Took | Path::After { .. } => {
                Self::default()
            }
            Path::Kind => Self::of(snapshot, pass, &|entries, found| {
                entries.each(&mut |id, _, veiled: &Veiled<'_, '_, A>| {
                    found.add(id, &veiled.kind());
                })
            })?,
            Path::Logger => Self::of(snapshot, pass, &|entries, found| {
                entries.each(&mut |id, _, veiled: &Veiled<'_, '_, A>| {
                    veiled.logger().iter().for_each(|logger| found.add(id, logger));
                })
            })?,
            Path::Id => Self::ids(snapshot, pass, |_| true)?,
            Path::Field(name) if ids::KINDS.contains(&name.as_str()) => {
                Self::ids(snapshot, pass, |kind| kind == name)?
            }
            Path::Shaped { path, shape } => Self::of(snapshot, pass, &|entries, found| {
                entries.each_value(path, &mut |id, value| {
                    let short = shaped(*shape, value.as_str()).into_owned();
                    found.add(id, &value.made_into(short));
                })
            })?,
            Path::Field(name) | Path::Literal(name) => {
                Self::of(snapshot, pass, &|entries, found| {
                    entries.each_value(name, &mut |id, value| found.add(id, &value))
                })?
            }
        })
    }

    fn ids(snapshot: &Snapshot, pass: &Pass, wanted: impl Fn(&str) -> bool + Sync) -> Option<Self> {
        Self::of(snapshot, pass, &|entries, found| {
            entries.each(&mut |id, _, veiled: &Veiled<'_, '_, A>| {
                for (_, value) in veiled.ids().iter().filter(|(kind, _)| wanted(kind)) {
                    found.add(id, value);
                }
            })
        })
    }

    fn of(snapshot: &Snapshot, pass: &Pass, look: &Look<'_, A>) -> Option<Self> {
        let rows: &Rows = if snapshot.pan.is_empty() { &snapshot.order } else { &snapshot.pan };
        let step = rows.len().div_ceil(LOOKED_AT).max(1);
        let sample = (0..rows.len()).step_by(step).filter_map(|row| rows.get(row));
        let sample = Selection::of(snapshot, sample);
        let measured = pass::run(snapshot, &sample, &Looking(look), pass)?;
        let found = measured.part.counts.into_iter().map(|(value, (count, _))| (value, count));
        let looked = measured.of - measured.unread;
        Some(Self { looked, of: rows.len(), ..Self::sorted(found.collect()) })
    }

    fn known(
        snapshot: &Snapshot,
        counts: impl Fn(&super::SourceStatus) -> Vec<(String, usize)>,
    ) -> Self {
        Self::counted(snapshot, snapshot.status.iter().flat_map(counts))
    }

    fn counted(snapshot: &Snapshot, counts: impl Iterator<Item = (String, usize)>) -> Self {
        let mut found: Vec<(Text<'static, A>, usize)> = Vec::new();
        for (name, count) in counts.filter(|(_, count)| *count > 0) {
            match found.iter_mut().find(|(known, _)| known.as_str() == name) {
                Some((_, sum)) => *sum += count,
                None => found.push((snapshot.veil.typed(&name), count)),
            }
        }
        let all = snapshot.order.len();
        Self { looked: all, of: all, ..Self::sorted(found) }
    }

    fn sorted(mut found: Vec<(Text<'static, A>, usize)>) -> Self {
        found.sort_unstable_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.as_str().cmp(b.0.as_str())));
        Self { found, ..Self::default() }
    }

    /// Whether every entry was looked at, so that the counts are exact.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        self.looked == self.of
    }
}

/// What is taken from the entries of a block.
type Look<'l, A> = dyn Fn(&mut Entries<'_>, &mut Found<A>) -> io::Result<()> + Sync + 'l;

struct Looking<'l, A: Audience>(&'l Look<'l, A>);

/// Names or values, how many entries have them, and the last of these: an entry counts once, however often it
/// says the same.
struct Found<A: Audience> {
    counts: HashMap<Text<'static, A>, (usize, Option<EntryId>)>,
}

impl<A: Audience> Default for Found<A> {
    fn default() -> Self {
        Self { counts: HashMap::new() }
    }
}

impl<A: Audience> Found<A> {
    fn add(&mut self, id: EntryId, value: &Text<'_, A>) {
        let (count, last) = self.counts.entry(value.clone().into_owned()).or_default();
        *count += usize::from(*last != Some(id));
        *last = Some(id);
    }
}

impl<A: Audience> Fold for Looking<'_, A> {
    type Part = Found<A>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Found<A>) -> io::Result<()> {
        (self.0)(entries, part)
    }

    fn merge(&self, whole: &mut Found<A>, part: Found<A>) {
        for (value, (count, _)) in part.counts {
            whole.counts.entry(value).or_default().0 += count;
        }
    }
}

/// Calls `visit` with the dotted path of every field that has a value. The items of a list go by its own name.
fn names_of<A: Audience>(fields: Fields<'_, '_, A>, above: &str, visit: &mut dyn FnMut(&str)) {
    for field in fields {
        let path = match (above, field.name.as_str()) {
            ("", name) => name.to_owned(),
            (above, "") => above.to_owned(),
            (above, name) => format!("{above}.{name}"),
        };
        match field.value {
            PartValue::Map(inner) | PartValue::List(inner) => names_of(inner, &path, visit),
            _ => visit(&path),
        }
    }
}
