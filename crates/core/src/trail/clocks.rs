//! Clocks that disagree: what a program does for a request lies within the time that the one took that was asked first.
//! Where it lies outside of it in most requests, and by a shift that would set all of them right, the clocks differ.

use std::collections::HashMap;

use super::{Trail, alike::read_trails};
use crate::{
    engine::{Pass, Snapshot},
    entry::IdKey,
    requests::Requests,
    veil::Desk,
};

/// Requests that are read, spread evenly over all of them.
const READ: usize = 240;
/// Requests below which nothing is said.
const FEWEST: usize = 3;
/// Nanoseconds below which clocks agree.
const AGREE: i64 = 2_000_000;

/// A source whose clock disagrees with that of another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ClockOff {
    /// The number of the source.
    pub source: usize,
    /// The source that it was held against: what it did lies within what that one took.
    pub beside: usize,
    /// What is to be added to its times, in nanoseconds.
    pub shift: i64,
    /// Requests in which it lies outside.
    pub outside: usize,
    /// Requests that both tell of.
    pub of: usize,
}

/// From the first to the last that a source tells of a request, in nanoseconds.
type Span = (i64, i64);

/// The sources whose clocks disagree with that of the source which requests come in at, as far as a sample of them
/// tells. `None` when the pass was ended. Cost: reads the entries of 240 requests, of 20 000 steps at most.
#[must_use]
pub fn clocks_off(snapshot: &Snapshot, requests: &Requests, pass: &Pass) -> Option<Vec<ClockOff>> {
    let several = || requests.rows.iter().filter(|request| request.sources() > 1);
    let step = several().count().div_ceil(READ).max(1);
    let keys = several().step_by(step).map(|request| request.key).enumerate();
    let keys: HashMap<IdKey, usize> = keys.map(|(at, key)| (key, at)).collect();
    let trails = read_trails::<Desk>(snapshot, &keys, pass)?;
    Some(off(&trails.iter().map(spans).collect::<Vec<_>>()))
}

/// What each source tells of a request: from when to when.
fn spans(trail: &Trail<Desk>) -> HashMap<usize, Span> {
    let mut spans: HashMap<usize, Span> = HashMap::new();
    for step in trail.steps.iter().filter(|step| step.entry.time.is_some()) {
        let (from, to) = step.span.unwrap_or((step.at, step.at));
        let span = spans.entry(step.entry.source).or_insert((from, to));
        *span = (span.0.min(from).min(step.at), span.1.max(to).max(step.at));
    }
    spans
}

/// The sources that lie outside of the one that takes longest.
fn off(requests: &[HashMap<usize, Span>]) -> Vec<ClockOff> {
    let mut longest: HashMap<usize, usize> = HashMap::new();
    for spans in requests.iter().filter(|spans| spans.len() > 1) {
        let around = spans
            .iter()
            .max_by_key(|(source, (from, to))| (to - from, std::cmp::Reverse(**source)));
        if let Some((source, _)) = around {
            *longest.entry(*source).or_default() += 1;
        }
    }
    let around =
        longest.into_iter().max_by_key(|(source, count)| (*count, std::cmp::Reverse(*source)));
    let Some((around, _)) = around else { return Vec::new() };
    let mut sources: Vec<usize> = requests.iter().flat_map(HashMap::keys).copied().collect();
    sources.sort_unstable();
    sources.dedup();
    let others = sources.into_iter().filter(|source| *source != around);
    let mut compared = 0;
    let found = others.filter_map(|source| {
        // What may be added so that it lies within: not less, and not more.
        let bounds = requests.iter().filter_map(|spans| {
            let (outer, inner) = (spans.get(&around)?, spans.get(&source)?);
            Some((outer.0 - inner.0, outer.1 - inner.1)).filter(|(least, most)| least <= most)
        });
        let bounds: Vec<Span> = bounds.collect();
        compared += usize::from(bounds.len() >= FEWEST);
        let outside = |(least, most): &&Span| *least > AGREE || *most < -AGREE;
        let count = bounds.iter().filter(outside).count();
        let (shift, fits) = shift(&bounds)?;
        // One shift sets nearly all of them right, which what is done later does not let.
        let tells =
            count * 2 > bounds.len() && fits * 10 >= bounds.len() * 9 && shift.abs() > AGREE;
        (bounds.len() >= FEWEST && tells).then_some(ClockOff {
            source,
            beside: around,
            shift,
            outside: count,
            of: bounds.len(),
        })
    });
    let found: Vec<ClockOff> = found.collect();
    // Where all others are off by the same, it is the one that they were held against.
    match found.as_slice() {
        [first, _, ..]
            if found.len() == compared
                && found.iter().all(|other| (other.shift - first.shift).abs() <= AGREE * 50) =>
        {
            let (source, beside) = (first.beside, first.source);
            vec![ClockOff { source, beside, shift: -first.shift, ..*first }]
        }
        _ => found,
    }
}

/// The shift that fits most bounds, and how many: the middle of where most of them overlap.
fn shift(bounds: &[Span]) -> Option<(i64, usize)> {
    let mut ends: Vec<(i64, i32)> =
        bounds.iter().flat_map(|(least, most)| [(*least, -1), (*most, 1)]).collect();
    // Where one begins and another ends they overlap.
    ends.sort_unstable();
    let (mut open, mut best): (i32, Option<(i32, Span)>) = (0, None);
    for (at, (place, sign)) in ends.iter().enumerate() {
        open -= sign;
        let next = ends.get(at + 1).map_or(*place, |(next, _)| *next);
        if best.is_none_or(|(most, _)| open > most) {
            best = Some((open, (*place, next)));
        }
    }
    let (count, (from, to)) = best?;
    let middle = from + (to - from) / 2;
    // A round number is likelier than another.
    let round = [3_600_000_000_000, 60_000_000_000, 1_000_000_000, 100_000_000, 1_000_000]
        .into_iter()
        .find_map(|unit| {
            let nearest = (middle + middle.signum() * unit / 2) / unit * unit;
            (nearest != 0 && (from..=to).contains(&nearest)).then_some(nearest)
        });
    Some((round.unwrap_or(middle), usize::try_from(count).ok()?))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const MS: i64 = 1_000_000;

    fn requests(of: impl Iterator<Item = (Span, Span)>) -> Vec<HashMap<usize, Span>> {
        of.map(|(gate, booking)| {
            let ms = |(from, to): Span| (from * MS, to * MS);
            HashMap::from([(0, ms(gate)), (1, ms(booking))])
        })
        .collect()
    }

    proptest! {
        /// A clock that is off by whatever is found, and set right by what is proposed.
        #[test]
        fn a_clock_that_is_off_is_found(
            inner in proptest::collection::vec((0i64..200, 1i64..100, 1i64..200), 5..30),
            off in prop_oneof![-900_000i64..-2_000, 2_000i64..900_000],
        ) {
            let made = inner.iter().map(|(before, took, after)| {
                ((0, before + took + after), (before - off, before + took - off))
            });
            let requests = requests(made);
            let found = super::off(&requests);
            prop_assert_eq!(found.len(), 1);
            prop_assert_eq!((found[0].source, found[0].beside, found[0].of), (1, 0, inner.len()));
            for spans in &requests {
                let (outer, inner) = (spans[&0], spans[&1]);
                prop_assert!(inner.0 + found[0].shift >= outer.0 && inner.1 + found[0].shift <= outer.1);
            }
        }
    }

    #[test]
    fn clocks_that_agree_and_work_that_is_done_later_are_left_alone() {
        let within = requests((0..20).map(|n| ((0, 100 + n), (3 + n % 7, 90))));
        assert_eq!(off(&within), []);
        // A mail is sent some time after the answer.
        let later =
            requests((0..20).map(|n| ((0, 100), (200 + n * n * 31 % 977, 210 + n * n * 31 % 977))));
        assert_eq!(off(&later), []);
        let few = requests((0..2).map(|_| ((0, 100), (5_003, 5_090))));
        assert_eq!(off(&few), []);
        assert_eq!(off(&[]), []);
    }

    #[test]
    fn where_all_others_are_off_by_the_same_it_is_the_one_around_them() {
        let three = |n: i64| {
            let ms = |(from, to): Span| (from * MS, to * MS);
            HashMap::from([
                (0, ms((0, 200))),
                (1, ms((5_010 + n, 5_100))),
                (2, ms((5_020 + n, 5_090))),
            ])
        };
        let found = off(&(0..9).map(three).collect::<Vec<_>>());
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].source, found[0].beside, found[0].shift), (0, 1, 5_000 * MS));
    }

    #[test]
    fn round_shifts_are_preferred() {
        let off_by = requests((0..9).map(|n| ((0, 120), (5_003 + n, 5_090 + n))));
        assert_eq!(off(&off_by)[0].shift, -5_000 * MS);
        let zone = requests((0..9).map(|n| ((0, 120), (3_600_003 + n, 3_600_090 + n))));
        assert_eq!(off(&zone)[0].shift, -3_600_000 * MS);
    }
}
