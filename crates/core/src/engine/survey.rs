//! Which fields entries have, and which values: looked up in a sample spread over all of them.

use std::collections::HashMap;

use super::Snapshot;
use crate::{
    entry::Level,
    query::Path,
    store::{EntryId, Rows},
    veil::{Clean, CleanField, CleanValue},
};

/// Entries that are looked at.
const LOOKED_AT: usize = 4_000;

/// What was found in a sample, the most frequent first.
#[derive(Clone, Debug, Default)]
pub struct Survey {
    /// Names or values, and how many entries have them.
    pub found: Vec<(Clean<'static>, usize)>,
    /// Entries that were looked at.
    pub looked: usize,
    /// Entries there are.
    pub of: usize,
}

impl Survey {
    /// The dotted names of the fields that entries of the pan have; of all entries where the pan is empty.
    /// Cost: a few thousand entries are read.
    #[must_use]
    pub fn names(snapshot: &Snapshot) -> Self {
        Self::of(snapshot, |snapshot, id, found| {
            let Ok(shown) = snapshot.row(id) else { return };
            for (kind, _) in &shown.ids {
                found.push(snapshot.own_text(kind));
            }
            each(&shown.fields, "", &mut |path, _| found.push(snapshot.own_text(path)));
        })
    }

    /// The values of a field. Those of level, source and layout are counted over everything poured in.
    /// Cost: as [`Survey::names`].
    #[must_use]
    pub fn values(snapshot: &Snapshot, path: &Path) -> Self {
        match path {
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
            Path::Time | Path::Message | Path::Line | Path::Took => Self::default(),
            Path::Logger => Self::of(snapshot, |snapshot, id, found| {
                found.extend(snapshot.row(id).ok().and_then(|shown| shown.logger));
            }),
            Path::Id => Self::of(snapshot, |snapshot, id, found| {
                let ids = snapshot.row(id).map(|shown| shown.ids).unwrap_or_default();
                found.extend(ids.into_iter().map(|(_, value)| value));
            }),
            Path::Field(name) | Path::Literal(name) => Self::of(snapshot, |snapshot, id, found| {
                let Ok(shown) = snapshot.row(id) else { return };
                let ids = shown.ids.iter().filter(|(kind, _)| kind == name);
                found.extend(ids.map(|(_, value)| value.clone()));
                each(&shown.fields, "", &mut |path, field| {
                    if path == name {
                        found.extend(text(&field.value));
                    }
                });
            }),
        }
    }

    fn of(
        snapshot: &Snapshot,
        look: impl Fn(&Snapshot, EntryId, &mut Vec<Clean<'static>>),
    ) -> Self {
        let rows: &Rows = if snapshot.pan.is_empty() { &snapshot.order } else { &snapshot.pan };
        let step = rows.len().div_ceil(LOOKED_AT).max(1);
        let mut counts: HashMap<String, (Clean<'static>, usize)> = HashMap::new();
        let mut looked = 0;
        let mut here = Vec::new();
        for row in (0..rows.len()).step_by(step) {
            let Some(id) = rows.get(row) else { break };
            looked += 1;
            look(snapshot, id, &mut here);
            // An entry counts once, however often it says the same.
            here.sort_unstable_by(|a, b| a.as_str().cmp(b.as_str()));
            here.dedup_by(|a, b| a.as_str() == b.as_str());
            for value in here.drain(..) {
                counts.entry(value.as_str().to_owned()).or_insert((value, 0)).1 += 1;
            }
        }
        Self { looked, of: rows.len(), ..Self::sorted(counts.into_values().collect()) }
    }

    fn known(
        snapshot: &Snapshot,
        counts: impl Fn(&super::SourceStatus) -> Vec<(String, usize)>,
    ) -> Self {
        Self::counted(snapshot, snapshot.status.iter().flat_map(counts))
    }

    fn counted(snapshot: &Snapshot, counts: impl Iterator<Item = (String, usize)>) -> Self {
        let mut found: Vec<(Clean<'static>, usize)> = Vec::new();
        for (name, count) in counts.filter(|(_, count)| *count > 0) {
            match found.iter_mut().find(|(known, _)| known.as_str() == name) {
                Some((_, sum)) => *sum += count,
                None => found.push((snapshot.own_text(&name), count)),
            }
        }
        let all = snapshot.order.len();
        Self { looked: all, of: all, ..Self::sorted(found) }
    }

    fn sorted(mut found: Vec<(Clean<'static>, usize)>) -> Self {
        found.sort_unstable_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.as_str().cmp(b.0.as_str())));
        Self { found, ..Self::default() }
    }

    /// Whether every entry was looked at, so that the counts are exact.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        self.looked == self.of
    }
}

/// Calls `visit` with every field that has a value, and its dotted path.
fn each(fields: &[CleanField], above: &str, visit: &mut dyn FnMut(&str, &CleanField)) {
    for field in fields {
        let name = field.name.as_str();
        let path = match (above, name) {
            ("", name) => name.to_owned(),
            // The items of a list go by the list's own name.
            (above, "") => above.to_owned(),
            (above, name) => format!("{above}.{name}"),
        };
        match &field.value {
            CleanValue::Map(inner) | CleanValue::List(inner) => each(inner, &path, visit),
            _ => visit(&path, field),
        }
    }
}

fn text(value: &CleanValue) -> Option<Clean<'static>> {
    match value {
        CleanValue::Text(text) | CleanValue::Number(text) => Some(text.clone()),
        CleanValue::List(_) | CleanValue::Map(_) => None,
        word => Some(word.word()),
    }
}
