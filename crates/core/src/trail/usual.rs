//! What is usual for trails that begin alike, and what of one trail is not.
//!
//! Steps are of one kind where they come from one source and say the same but for their variable parts. The wait
//! before a step is held against the waits before steps of its kind; where its kind is rare among the others, against
//! the waits behind steps of the kind before it. Medians are compared, since the trails alike may well share the trouble.

use std::collections::HashMap;

use super::Trail;
use crate::{
    engine::Shown,
    requests::percentile,
    veil::{Audience, CleanValue, Text},
};

/// Trails that must be alike for anything to be usual.
const FEWEST: usize = 5;
/// Of a hundred trails alike, those that have a step that is usual.
const USUAL: usize = 20;
/// Of a hundred trails alike, those that have a step that is missed where it is not there.
const MISSED: usize = 70;
/// A shorter wait is never unusual, in nanoseconds.
const SHORT: i64 = 10_000_000;

/// A kind of step: its source, and its constant words.
type Kind = (usize, u64);

/// What is usual of a step.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StepUsual {
    /// Of a hundred trails alike, how many have such a step.
    pub share: usize,
    /// The usual wait before it (median and 95th percentile), in nanoseconds; `None` where nothing is known.
    pub wait: Option<(i64, i64)>,
    /// How much longer than usual the wait was, where that is out of the ordinary; else 0.
    pub excess: i64,
    /// It comes again, more often than is usual: which time this is, from 2.
    pub again: Option<usize>,
    /// It comes before steps that it usually follows.
    pub early: bool,
}

/// A step that most trails alike have, and this one does not.
#[derive(Clone, Debug)]
pub struct Missing<A: Audience> {
    /// What it says in one of the others.
    pub message: Text<'static, A>,
    /// The number of its source.
    pub source: usize,
    /// Of a hundred trails alike, how many have it.
    pub share: usize,
}

/// What is usual for trails that begin as one does.
#[derive(Clone, Debug)]
pub struct Usual<A: Audience> {
    /// How many were compared.
    pub alike: usize,
    /// How many requests were looked at for them.
    pub looked: usize,
    /// The median and the 95th percentile of their durations, in nanoseconds.
    pub duration: (i64, i64),
    /// What is usual of each step.
    pub steps: Vec<StepUsual>,
    /// Steps that are missed, in their usual order.
    pub missing: Vec<Missing<A>>,
    /// How much longer than usual was waited in each lane, the longest first: the lane's number and nanoseconds.
    pub lost: Vec<(usize, i64)>,
    /// How often something was tried, as a step says, where it is more than once.
    pub tries: Option<u32>,
}

impl<A: Audience> Usual<A> {
    /// Compares a trail with those alike; `None` where they are too few. Cost: their steps.
    #[must_use]
    pub fn of(trail: &Trail<A>, alike: &[Trail<A>], looked: usize) -> Option<Self> {
        if alike.len() < FEWEST {
            return None;
        }
        let waits = Waits::of(alike);
        let mut durations: Vec<i64> = alike.iter().map(|other| other.duration).collect();
        let duration = (percentile(&mut durations, 50), percentile(&mut durations, 95));
        let mut seen: HashMap<Kind, usize> = HashMap::new();
        let mut steps = Vec::new();
        for (at, step) in trail.steps.iter().enumerate() {
            let kind = kind_of(&step.entry);
            let before = at.checked_sub(1).map(|before| kind_of(&trail.steps[before].entry));
            let times = seen.entry(kind).or_default();
            *times += 1;
            let wait = before.and_then(|before| waits.usual(kind, before));
            steps.push(StepUsual {
                share: waits.share(kind),
                wait,
                // What comes after the answer was not waited for.
                excess: match wait.filter(|_| step.at <= trail.duration) {
                    Some((p50, _)) => excess(step.gap, p50, duration.0.max(trail.duration / 5)),
                    None => 0,
                },
                again: (*times > waits.often(kind)).then_some(*times).filter(|times| *times > 1),
                early: false,
            });
        }
        let mut usual = Self {
            alike: alike.len(),
            looked,
            duration,
            steps,
            missing: missing(alike, &waits, &seen),
            lost: Vec::new(),
            tries: tries(trail),
        };
        usual.mark_early(trail, alike);
        usual.lost = lost(trail, &usual.steps);
        Some(usual)
    }

    /// Marks steps that come before others which they follow in nearly all trails alike.
    fn mark_early(&mut self, trail: &Trail<A>, alike: &[Trail<A>]) {
        let firsts = |trail: &Trail<A>| {
            let mut firsts: HashMap<Kind, usize> = HashMap::new();
            for (at, step) in trail.steps.iter().enumerate() {
                firsts.entry(kind_of(&step.entry)).or_insert(at);
            }
            firsts
        };
        let others: Vec<HashMap<Kind, usize>> = alike.iter().map(&firsts).collect();
        let own = firsts(trail);
        for (kind, at) in &own {
            // The next kind behind it.
            let next = own.iter().filter(|(_, other)| *other > at).min_by_key(|(_, other)| **other);
            let Some((next, _)) = next else { continue };
            let pairs =
                others.iter().filter_map(|firsts| Some((firsts.get(kind)?, firsts.get(next)?)));
            let (mut after, mut both) = (0, 0);
            for (this, that) in pairs {
                both += 1;
                after += usize::from(this > that);
            }
            self.steps[*at].early = both >= FEWEST && after * 10 >= both * 9;
        }
    }

    /// Whether anything is out of the ordinary.
    #[must_use]
    pub fn is_unusual(&self) -> bool {
        !self.lost.is_empty()
            || !self.missing.is_empty()
            || self.steps.iter().any(|step| step.again.is_some() || step.early)
    }
}

fn kind_of<A: Audience>(entry: &Shown<A>) -> Kind {
    (entry.source, entry.template)
}

/// How much longer than usual a wait was, where that is out of the ordinary.
fn excess(gap: i64, usual: i64, duration: i64) -> i64 {
    let more = gap - usual;
    if more >= SHORT.max(duration / 20) && gap >= usual.saturating_mul(3) { more } else { 0 }
}

/// The waits of trails alike.
struct Waits {
    before: HashMap<Kind, (i64, i64)>,
    behind: HashMap<Kind, (i64, i64)>,
    /// How many trails have such a step, and how often nine of ten have it at most.
    there: HashMap<Kind, (usize, usize)>,
    trails: usize,
}

impl Waits {
    fn of<A: Audience>(alike: &[Trail<A>]) -> Self {
        let mut before: HashMap<Kind, Vec<i64>> = HashMap::new();
        let mut behind: HashMap<Kind, Vec<i64>> = HashMap::new();
        let mut counts: HashMap<Kind, Vec<i64>> = HashMap::new();
        for trail in alike {
            let mut often: HashMap<Kind, i64> = HashMap::new();
            let mut last: Option<Kind> = None;
            for step in &trail.steps {
                let kind = kind_of(&step.entry);
                *often.entry(kind).or_default() += 1;
                if let Some(last) = last {
                    before.entry(kind).or_default().push(step.gap);
                    behind.entry(last).or_default().push(step.gap);
                }
                last = Some(kind);
            }
            often.into_iter().for_each(|(kind, n)| counts.entry(kind).or_default().push(n));
        }
        let told = |waits: HashMap<Kind, Vec<i64>>| -> HashMap<Kind, (i64, i64)> {
            let told = waits.into_iter().map(|(kind, mut waits)| {
                (kind, (percentile(&mut waits, 50), percentile(&mut waits, 95)))
            });
            told.collect()
        };
        let there = counts.into_iter().map(|(kind, mut counts)| {
            let often = percentile(&mut counts, 90);
            (kind, (counts.len(), usize::try_from(often).unwrap_or(1)))
        });
        Self {
            there: there.collect(),
            before: told(before),
            behind: told(behind),
            trails: alike.len(),
        }
    }

    /// Of a hundred trails, how many have such a step.
    fn share(&self, kind: Kind) -> usize {
        self.there.get(&kind).map_or(0, |(trails, _)| trails * 100 / self.trails.max(1))
    }

    /// How often a trail has it at most, as a rule.
    fn often(&self, kind: Kind) -> usize {
        match self.there.get(&kind) {
            Some((_, often)) if self.share(kind) >= USUAL => *often,
            _ => 1,
        }
    }

    fn usual(&self, kind: Kind, before: Kind) -> Option<(i64, i64)> {
        match (self.share(kind) >= USUAL, self.share(before) >= USUAL) {
            (true, _) => self.before.get(&kind).copied(),
            (false, true) => self.behind.get(&before).copied(),
            // Both are unusual: the wait between them is usually not there.
            (false, false) => Some((0, 0)),
        }
    }
}

/// The steps that most trails have and one does not.
fn missing<A: Audience>(
    alike: &[Trail<A>],
    waits: &Waits,
    there: &HashMap<Kind, usize>,
) -> Vec<Missing<A>> {
    let mut found: Vec<(Kind, Missing<A>)> = Vec::new();
    for trail in alike {
        for step in &trail.steps {
            let kind = kind_of(&step.entry);
            let share = waits.share(kind);
            let known = there.contains_key(&kind) || found.iter().any(|(known, _)| *known == kind);
            if share >= MISSED && !known {
                let message = step.entry.message.clone();
                found.push((kind, Missing { message, source: step.entry.source, share }));
            }
        }
    }
    found.into_iter().map(|(_, missing)| missing).collect()
}

/// How much longer than usual was waited in each lane.
fn lost<A: Audience>(trail: &Trail<A>, steps: &[StepUsual]) -> Vec<(usize, i64)> {
    let mut lost: Vec<(usize, i64)> = Vec::new();
    for (step, usual) in trail.steps.iter().zip(steps).filter(|(_, usual)| usual.excess > 0) {
        match lost.iter_mut().find(|(lane, _)| *lane == step.lane) {
            Some((_, sum)) => *sum += usual.excess,
            None => lost.push((step.lane, usual.excess)),
        }
    }
    lost.sort_by_key(|(_, nanos)| std::cmp::Reverse(*nanos));
    lost
}

/// The largest number of a try that a step tells.
fn tries<A: Audience>(trail: &Trail<A>) -> Option<u32> {
    const NAMES: [&str; 7] =
        ["attempt", "attempts", "try", "tries", "retry", "retries", "attempt_number"];
    let fields = trail.steps.iter().flat_map(|step| &step.entry.fields);
    let tries = fields.filter_map(|field| match &field.value {
        CleanValue::Number(text) | CleanValue::Text(text)
            if NAMES.contains(&field.name.as_str()) =>
        {
            text.as_str().parse().ok()
        }
        _ => None,
    });
    tries.max().filter(|tries| (2..1_000).contains(tries))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wait_is_unusual_where_it_is_long_and_much_longer() {
        let ms = |n: i64| n * 1_000_000;
        for (gap, usual, duration, want) in [
            (ms(1_509), ms(35), ms(240), ms(1_474)),
            (ms(50), ms(35), ms(240), 0),
            (ms(9), ms(1), ms(240), 0),
            (ms(15), ms(1), ms(2_000), 0),
            (ms(15), ms(1), ms(100), ms(14)),
            (ms(1_500), 0, ms(240), ms(1_500)),
        ] {
            assert_eq!(excess(gap, usual, duration), want, "{gap} {usual} {duration}");
        }
    }
}
