//! Trails that begin as one does, to tell what is usual.

use std::{
    collections::{HashMap, HashSet},
    io,
};

use super::Trail;
use crate::{
    engine::{
        Pass, Snapshot,
        pass::{self, Entries, Fold, Selection, read_entries},
    },
    entry::IdKey,
    requests::Requests,
    store::EntryId,
    veil::Audience,
};

/// Requests whose first step is looked at, spread evenly over all of them.
pub const LOOKED_AT: usize = 4_000;
/// Trails that are read.
pub const ALIKE: usize = 400;
/// Steps of a trail that is read beside others.
const LONGEST: usize = 1_000;

/// The first entries of requests: their sources, and what they say without their variable parts.
#[derive(Default)]
struct Beginnings;

impl Fold for Beginnings {
    type Part = HashMap<EntryId, (usize, u64)>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        entries.each_template(&mut |id, source, template| {
            part.insert(id, (source, template));
        })
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        whole.extend(part);
    }
}

/// Trails of the same kind of id that begin with the same kind of first step in the same source, at most
/// [`ALIKE`], and how many requests were looked at for them. The trail itself is none of them. `None` when the pass
/// was ended. Cost: reads the first entry of [`LOOKED_AT`] requests, and all entries of the trails.
#[must_use]
pub fn alike<A: Audience>(
    snapshot: &Snapshot,
    trail: &Trail<A>,
    requests: &Requests,
    pass: &Pass,
) -> Option<(Vec<Trail<A>>, usize)> {
    let Some(beginning) = trail.beginning() else { return Some((Vec::new(), 0)) };
    let own: HashSet<IdKey> = trail.ids.iter().map(|id| id.key).collect();
    let step = requests.rows.len().div_ceil(LOOKED_AT).max(1);
    let looked = || {
        let spread = requests.rows.iter().step_by(step);
        spread.filter(|request| request.entries > 1 && !own.contains(&request.key))
    };
    let first = Selection::of(snapshot, looked().map(|request| request.first));
    let beginnings = pass::run(snapshot, &first, &Beginnings, pass)?.part;
    let alike = looked().filter(|request| beginnings.get(&request.first) == Some(&beginning));
    let keys: Vec<IdKey> = alike.map(|request| request.key).collect();
    let spread = keys.len().div_ceil(ALIKE).max(1);
    let keys: HashMap<IdKey, usize> =
        keys.into_iter().step_by(spread).enumerate().map(|(at, key)| (key, at)).collect();
    Some((read_trails(snapshot, &keys, pass)?, looked().count()))
}

/// The trails of ids, without lanes, except those that are longer than [`LONGEST`] and what is more than
/// [`super::MOST_STEPS`] in all: each step that is read takes some kilobytes. `None` when the pass was ended.
pub(super) fn read_trails<A: Audience>(
    snapshot: &Snapshot,
    keys: &HashMap<IdKey, usize>,
    pass: &Pass,
) -> Option<Vec<Trail<A>>> {
    let mut left = super::MOST_STEPS;
    let mut entries = snapshot.entries_with_each(keys);
    entries.retain(|ids| {
        let fits = !ids.is_empty() && ids.len() <= LONGEST.min(left);
        left -= if fits { ids.len() } else { 0 };
        fits
    });
    let all = Selection::of(snapshot, entries.iter().flatten().copied());
    let read = read_entries::<A>(snapshot, &all, pass)?;
    let trails = entries.into_iter().map(|mut ids| {
        ids.sort_by_cached_key(|id| snapshot.place_of(*id));
        Trail::timed(ids.iter().filter_map(|id| read.get(id).cloned()).collect())
    });
    Some(trails.collect())
}
