//! The spans of a trail as a tree, with the time that each spent itself, and the path that took longest.
//!
//! A span stands under its parent, and a log entry under the span that it was written in. What has a parent that is
//! not in the trail stands at the top, and is counted: its parent was lost, or has not arrived yet.

use std::collections::HashMap;

use super::{Step, Trail};
use crate::{entry::IdKey, veil::Audience};

/// A step in the tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Node {
    /// The number of the step.
    pub step: usize,
    /// How many spans it stands in.
    pub depth: usize,
    /// How long it took, for a span, in nanoseconds.
    pub took: Option<i64>,
    /// How much of that no child of it took.
    pub own: Option<i64>,
    /// It is on the path that took longest: from the root to the child that ended last, and so on.
    pub slowest: bool,
    /// Its parent is not in the trail.
    pub orphan: bool,
}

/// The spans of a trail, each before those in it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tree {
    /// The spans, and the log entries that name theirs.
    pub nodes: Vec<Node>,
    /// Spans whose parents are not in the trail.
    pub orphans: usize,
    /// Spans that began before their parents, or ended after them: clocks that disagree, or work that went on.
    pub outside: usize,
}

/// What is known of a step before the tree is made.
struct Known {
    key: Option<IdKey>,
    parent: Option<IdKey>,
    span: Option<(i64, i64)>,
}

impl Tree {
    /// The tree of a trail; `None` where fewer than two of its steps are spans. Cost: its steps.
    #[must_use]
    pub fn of<A: Audience>(trail: &Trail<A>) -> Option<Self> {
        let mut known: Vec<Known> = trail.steps.iter().map(known).collect();
        place_by_time(trail, &mut known);
        let spans = known.iter().filter(|step| step.span.is_some()).count();
        (spans >= 2).then(|| Self::made(&known))
    }

    fn made(known: &[Known]) -> Self {
        let by_key: HashMap<IdKey, usize> = known
            .iter()
            .enumerate()
            .filter(|(_, step)| step.span.is_some())
            .filter_map(|(at, step)| Some((step.key?, at)))
            .collect();
        let parent = |at: usize| known[at].parent.and_then(|key| by_key.get(&key).copied());
        let mut children: Vec<Vec<usize>> = vec![Vec::new(); known.len()];
        let mut roots = Vec::new();
        for (at, step) in known.iter().enumerate() {
            let within = step.span.is_some() || step.parent.is_some();
            match parent(at).filter(|above| *above != at && !is_under(*above, at, &parent)) {
                Some(above) => children[above].push(at),
                None if within => roots.push(at),
                None => {}
            }
        }
        let mut tree = Self::default();
        // The root that ended last begins the path that took longest.
        let end = |at: usize| known[at].span.map_or(i64::MIN, |(_, to)| to);
        let slowest = roots.iter().copied().max_by_key(|at| end(*at));
        let mut open: Vec<(usize, usize, bool)> =
            roots.iter().rev().map(|at| (*at, 0, Some(*at) == slowest)).collect();
        while let Some((at, depth, slow)) = open.pop() {
            let step = &known[at];
            let orphan = depth == 0 && step.parent.is_some();
            let outside = parent(at).filter(|_| depth > 0).and_then(|above| {
                let (outer, inner) = (known[above].span?, step.span?);
                (inner.0 < outer.0 || inner.1 > outer.1).then_some(())
            });
            tree.orphans += usize::from(orphan && step.span.is_some());
            tree.outside += usize::from(outside.is_some());
            let took = step.span.map(|(from, to)| to - from);
            let inner = children[at].iter().filter_map(|child| known[*child].span);
            tree.nodes.push(Node {
                step: at,
                depth,
                took,
                own: step.span.map(|span| own(span, inner.collect())),
                slowest: slow,
                orphan,
            });
            let last = children[at].iter().copied().max_by_key(|child| end(*child));
            let below = children[at].iter().rev();
            open.extend(below.map(|child| {
                (*child, depth + 1, slow && Some(*child) == last && known[*child].span.is_some())
            }));
        }
        tree
    }
}

/// The ids that place a step in the tree: a span's own and its parent's, or that of the span an entry was written in.
fn known<A: Audience>(step: &Step<A>) -> Known {
    let ids = || step.entry.ids.iter().zip(&step.entry.id_keys);
    let of = |kind: &str| ids().find(|((of, _), _)| *of == kind).map(|(_, key)| *key);
    match step.span.filter(|_| step.entry.layout.is_span()) {
        Some(span) => Known { key: of("span_id"), parent: of("parent_span_id"), span: Some(span) },
        None => Known { key: None, parent: of("span_id"), span: None },
    }
}

/// Places the spans that texts tell of, which have names and no ids: each stands in the shortest one that lasted around
/// it, whose names are its own without the last; an entry stands in that of all of its names.
fn place_by_time<A: Audience>(trail: &Trail<A>, known: &mut [Known]) {
    let names: Vec<Vec<String>> = trail.steps.iter().map(|step| step.entry.spans()).collect();
    let closes = |at: usize| trail.steps[at].entry.closes_span() && known[at].key.is_none();
    let spans: Vec<(usize, (i64, i64))> = (0..known.len())
        .filter(|at| closes(*at))
        .filter_map(|at| Some((at, trail.steps[at].span?)))
        .collect();
    let key = |at: usize| IdKey(at as u64 + 1);
    for (at, step) in trail.steps.iter().enumerate().filter(|(at, _)| !names[*at].is_empty()) {
        let own = spans.iter().find(|(span, _)| *span == at).map(|(_, span)| *span);
        if known[at].key.is_some() || known[at].parent.is_some() {
            continue;
        }
        let (around, (from, to)) = match own {
            Some(span) => (&names[at][..names[at].len() - 1], span),
            None => (&names[at][..], (step.at, step.at)),
        };
        let outer = spans.iter().filter(|(other, (start, end))| {
            let same = step.entry.source == trail.steps[*other].entry.source;
            // Times are told in whole microseconds, durations in three digits.
            let slack = (end - start) / 100 + 1_000;
            *other != at
                && same
                && names[*other] == around
                && *start - slack <= from
                && to <= *end + slack
        });
        let outer = outer.min_by_key(|(_, (start, end))| end - start);
        known[at].parent = outer.map(|(other, _)| key(*other));
        if own.is_some() {
            (known[at].key, known[at].span) = (Some(key(at)), own);
        }
    }
}

/// Whether a step is under another one, so that it can't be above it: a cycle among parents is cut.
fn is_under(at: usize, above: usize, parent: &impl Fn(usize) -> Option<usize>) -> bool {
    let (mut at, mut steps) = (at, 0);
    while let Some(next) = parent(at) {
        if next == above {
            return true;
        }
        steps += 1;
        // A cycle further up leads nowhere.
        if steps > 10_000 {
            return true;
        }
        at = next;
    }
    false
}

/// The part of a span that none of those in it covers, in nanoseconds.
fn own((from, to): (i64, i64), mut inner: Vec<(i64, i64)>) -> i64 {
    inner.sort_unstable();
    let (mut covered, mut until) = (0, from);
    for (start, end) in inner {
        let (start, end) = (start.max(until), end.min(to));
        if end > start {
            covered += end - start;
            until = end;
        }
    }
    to - from - covered
}

#[cfg(test)]
mod tests {
    use super::*;

    fn span(key: u64, parent: Option<u64>, from: i64, to: i64) -> Known {
        Known { key: Some(IdKey(key)), parent: parent.map(IdKey), span: Some((from, to)) }
    }

    fn told(known: &[Known]) -> String {
        let tree = Tree::made(known);
        let nodes = tree.nodes.iter().map(|node| {
            let slow = if node.slowest { "*" } else { "" };
            let orphan = if node.orphan { "?" } else { "" };
            format!(
                "{}{}{slow}{orphan} {:?}",
                "-".repeat(node.depth),
                node.step,
                node.own.unwrap_or(-1)
            )
        });
        let nodes: Vec<String> = nodes.collect();
        format!("{} | {} {}", nodes.join(", "), tree.orphans, tree.outside)
    }

    #[test]
    fn spans_stand_in_their_parents_with_their_own_time() {
        let all = [
            span(1, None, 0, 100),
            span(2, Some(1), 10, 30),
            span(3, Some(1), 20, 90),
            span(4, Some(3), 25, 60),
            // An entry that was written in the third.
            Known { key: None, parent: Some(IdKey(3)), span: None },
        ];
        assert_eq!(told(&all), "0* 20, -1 20, -2* 35, --3* 35, --4 -1 | 0 0");
    }

    #[test]
    fn parents_that_are_missing_and_cycles_lose_nothing() {
        assert_eq!(
            told(&[span(1, Some(9), 0, 10), span(2, Some(1), 5, 20)]),
            "0*? 5, -1* 15 | 1 1"
        );
        // Each is said to be the parent of the other: both stay.
        let cycle = [span(1, Some(2), 0, 10), span(2, Some(1), 2, 8), span(3, Some(3), 3, 4)];
        let told = told(&cycle);
        for step in 0..3 {
            assert!(told.contains(&format!("{step}")), "{told}");
        }
        assert_eq!(Tree::made(&cycle).nodes.len(), 3);
    }
}
