//! Shortened ids: some programs write only the beginning or the end of an id. Where only one whole id fits, their entries
//! belong to its trail.

use std::{
    collections::{HashMap, HashSet},
    io,
};

use crate::{
    engine::{
        Id, Pass, Snapshot, id_kinds,
        pass::{self, Entries, Fold, Selection},
    },
    entry::IdKey,
    veil::Audience,
};

/// Characters of the shortest part of an id that stands for it, and of the longest.
const PARTS: std::ops::RangeInclusive<usize> = 4..=13;
/// Kinds of ids that are written for each other.
const REQUESTS: [&str; 4] = ["request_id", "correlation_id", "trace_id", "id"];
/// Other ids that are counted.
const MOST: usize = 1_000;

/// A part of an id that stands as an id of its own in some entries.
#[derive(Clone, Debug)]
pub struct Shortened<A: Audience> {
    /// The part.
    pub id: Id<A>,
    /// Entries that have it.
    pub entries: usize,
    /// Other ids that it may stand for.
    pub others: usize,
}

/// The parts of an id, its beginning or its end, that stand for it or for others in some entries. `None` when the pass
/// was ended. Cost: a few searches in each block; where there is one, a look at all bytes.
#[must_use]
pub fn shortened<A: Audience>(
    snapshot: &Snapshot,
    key: IdKey,
    kind: &str,
    pass: &Pass,
) -> Option<Vec<Shortened<A>>> {
    let first = snapshot.entries_with(&[key]).into_iter().next();
    let texts = first.and_then(|entry| snapshot.written_ids(entry).ok()).unwrap_or_default();
    let whole = texts.into_iter().find(|(kind, text)| IdKey::of(kind, text) == key);
    let Some((_, whole)) = whole.filter(|(_, text)| text.len() > *PARTS.end()) else {
        return Some(Vec::new());
    };
    let kinds: Vec<&'static str> = match REQUESTS.contains(&kind) {
        true => REQUESTS.into(),
        false => id_kinds().iter().filter(|known| **known == kind).copied().collect(),
    };
    let ends = PARTS.flat_map(|length| [whole.get(..length), whole.get(whole.len() - length..)]);
    let mut found: Vec<(Id<A>, usize, String)> = Vec::new();
    let mut looked = HashSet::new();
    for (part, kind) in ends.flatten().flat_map(|part| kinds.iter().map(move |kind| (part, *kind)))
    {
        let key = IdKey::of(kind, part);
        let entries = if looked.insert(key) { snapshot.entries_with(&[key]) } else { Vec::new() };
        let Some(entry) = entries.first() else { continue };
        let ids = snapshot.ids_of::<A>(*entry).unwrap_or_default();
        if let Some(id) = ids.into_iter().find(|id| id.key == key) {
            found.push((id, entries.len(), part.to_owned()));
        }
    }
    if found.is_empty() {
        return Some(Vec::new());
    }
    let parts: Vec<String> = found.iter().map(|(_, _, part)| part.clone()).collect();
    let fold = Whole { parts, kinds, own: whole };
    let others = pass::run(snapshot, &Selection::all(snapshot), &fold, pass)?.part;
    let told = found.into_iter().map(|(id, entries, part)| {
        let others = others.get(&part).map_or(0, HashSet::len);
        Shortened { id, entries, others }
    });
    Some(told.collect())
}

/// Looks for whole ids that begin or end with some parts.
struct Whole {
    parts: Vec<String>,
    kinds: Vec<&'static str>,
    /// The one that they are parts of.
    own: String,
}

impl Fold for Whole {
    /// The others, by the part that fits them.
    type Part = HashMap<String, HashSet<String>>;

    fn measure(&self, entries: &mut Entries<'_>, found: &mut Self::Part) -> io::Result<()> {
        for part in &self.parts {
            entries.each_holding(part.as_bytes(), &mut |entry| {
                for (kind, id) in entry.ids() {
                    let fits = id.len() > *PARTS.end()
                        && (id.starts_with(&**part) || id.ends_with(&**part));
                    if fits && self.kinds.contains(&kind) && *id != *self.own {
                        let of_part = found.entry(part.clone()).or_default();
                        if of_part.len() < MOST {
                            of_part.insert(id.into_owned());
                        }
                    }
                }
            })?;
        }
        Ok(())
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        for (key, more) in part {
            whole.entry(key).or_default().extend(more);
        }
    }
}
