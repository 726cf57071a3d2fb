//! Entries without an id that stand between two steps of the same thread, connection or process: perhaps they belong to
//! the same request, which nothing in them says.

use std::collections::HashMap;

use super::Trail;
use crate::{
    engine::{
        Pass, Shown, Snapshot,
        pass::{Selection, read_entries},
    },
    entry::roles,
    store::EntryId,
    veil::{Audience, CleanValue},
};

/// Entries that are looked at between two steps; more lie too far apart.
const BETWEEN: usize = 5_000;
/// Entries that are looked at for a trail.
const LOOKED_AT: usize = 40_000;
/// Neighbours that a trail shows.
const MOST: usize = 1_000;

/// An entry that may belong to a trail.
#[derive(Clone, Debug)]
pub struct Neighbour<A: Audience> {
    /// The step that comes after it.
    pub before: usize,
    /// Nanoseconds since the first step.
    pub at: i64,
    /// The entry.
    pub entry: Shown<A>,
}

/// The neighbours of a trail's steps, in the order of time, 1 000 at most. `None` when the pass was ended. Cost: reads
/// what stands between steps of the same thread, 40 000 entries at most.
#[must_use]
pub fn neighbours<A: Audience>(
    snapshot: &Snapshot,
    trail: &Trail<A>,
    pass: &Pass,
) -> Option<Vec<Neighbour<A>>> {
    let mut latest: HashMap<(usize, String), EntryId> = HashMap::new();
    let mut between: Vec<EntryId> = Vec::new();
    let mut workers: HashMap<EntryId, String> = HashMap::new();
    for step in &trail.steps {
        let Some(worker) = worker_of(&step.entry) else { continue };
        let before = latest.insert((step.entry.source, worker.clone()), step.entry.id);
        let Some(before) = before else { continue };
        for id in snapshot.between(before, step.entry.id, BETWEEN) {
            if between.len() < LOOKED_AT {
                workers.insert(id, worker.clone());
                between.push(id);
            }
        }
    }
    let read =
        read_entries::<A>(snapshot, &Selection::of(snapshot, between.iter().copied()), pass)?;
    let own: Vec<EntryId> = trail.steps.iter().map(|step| step.entry.id).collect();
    between.sort_by_cached_key(|id| snapshot.place_of(*id));
    between.dedup();
    let found = between.iter().filter_map(|id| {
        let entry = read.get(id)?;
        let same = worker_of(entry).as_ref() == workers.get(id);
        // What has the id of a request belongs to that one.
        let asked = entry.ids.iter().any(|(kind, _)| (1..4).contains(&super::width(kind)));
        (same && !asked && !own.contains(id)).then_some(entry)
    });
    let found = found.take(MOST).map(|entry| {
        let at = entry.time.map_or(0, |time| time - trail.start);
        let before = trail.steps.partition_point(|step| step.at <= at);
        Neighbour { before, at, entry: entry.clone() }
    });
    Some(found.collect())
}

/// What an entry names as the one that worked on it: its thread, else its connection, else its process.
fn worker_of<A: Audience>(entry: &Shown<A>) -> Option<String> {
    const NAMES: [&[&[u8]]; 3] = [
        &[b"thread", b"threadname", b"tid", b"threadid", b"worker", b"goroutine", b"tag"],
        &[b"connection", b"conn", b"connectionid", b"connid"],
        &[b"pid", b"processid", b"processpid"],
    ];
    NAMES.iter().find_map(|names| {
        entry.own_fields().iter().find_map(|field| {
            let named = names.contains(&&*roles::folded(field.name.as_str().as_bytes()));
            match &field.value {
                CleanValue::Text(text) | CleanValue::Number(text) if named => {
                    Some(text.as_str().to_owned())
                }
                _ => None,
            }
        })
    })
}
