//! Ids that stand together in entries: what a trail can be widened and narrowed to.

use crate::{
    engine::{Id, Snapshot, id_kinds},
    entry::IdKey,
    veil::Audience,
};

/// Ids of one kind beyond these are not listed.
const MOST: usize = 200;

/// An id that stands beside those of a trail.
#[derive(Clone, Debug)]
pub struct Link<A: Audience> {
    /// The id.
    pub id: Id<A>,
    /// How many entries have it.
    pub entries: usize,
}

/// How much a kind of id takes in: a user more than a session, a session more than a request, a request more than
/// a span. Ids of no known kind take in least.
#[must_use]
pub fn width(kind: &str) -> u8 {
    match kind {
        "user_id" => 7,
        "connection_id" => 6,
        "session" => 5,
        "order_id" | "job_id" => 4,
        "trace_id" | "correlation_id" => 3,
        "request_id" => 2,
        "span_id" | "parent_span_id" => 1,
        _ => 0,
    }
}

/// An id with those that it takes in: a session with its requests, since not each of their entries tells of the
/// session. Cost: a search in each block.
#[must_use]
pub fn within(snapshot: &Snapshot, key: IdKey, kind: &str) -> Vec<IdKey> {
    let mut keys = vec![key];
    if width(kind) >= 4 {
        let beside = snapshot.ids_beside(&[key]);
        let less = beside.iter().filter(|(of, _, _)| (2..4).contains(&width(of)));
        keys.extend(less.map(|(_, key, _)| *key).take(MOST));
        keys.dedup();
    }
    keys
}

/// The ids that stand beside some, those that take in most first, each with how many entries have it. Ids that
/// can't be read are left out. Cost: a search in each block for each of them, and one entry of each is read.
#[must_use]
pub fn links<A: Audience>(snapshot: &Snapshot, keys: &[IdKey]) -> Vec<Link<A>> {
    let mut found: Vec<Link<A>> = Vec::new();
    let beside = snapshot.ids_beside(keys);
    for kind in id_kinds() {
        let of_kind = beside.iter().copied().filter(|(of, _, _)| of == kind);
        for (_, key, entry) in of_kind.take(MOST) {
            if found.iter().any(|link| link.id.key == key) {
                continue;
            }
            let ids = snapshot.ids_of::<A>(entry).unwrap_or_default();
            if let Some(id) = ids.into_iter().find(|id| id.key == key) {
                let entries = match width(kind) {
                    4.. => snapshot.entries_with(&within(snapshot, key, kind)).len(),
                    _ => snapshot.count_with(key),
                };
                found.push(Link { id, entries });
            }
        }
    }
    found.sort_by_key(|link| {
        (std::cmp::Reverse(width(link.id.kind)), std::cmp::Reverse(link.entries))
    });
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_of_id_has_a_width() {
        for kind in id_kinds().iter().filter(|kind| **kind != "id") {
            assert!(width(kind) > 0, "{kind}");
        }
        assert!(width("session") > width("request_id") && width("request_id") > width("span_id"));
    }
}
