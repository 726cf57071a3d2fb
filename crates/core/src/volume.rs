//! Entries over time, by level: what the rail and the volume plate show.

use crate::entry::Level;

const SECOND: i64 = 1_000_000_000;

/// Widths of a slice that people can read off, in seconds.
const ROUND: [i64; 26] = [
    1, 2, 3, 5, 10, 15, 20, 30, 60, 120, 180, 300, 600, 900, 1_200, 1_800, 3_600, 7_200, 10_800,
    21_600, 43_200, 86_400, 172_800, 604_800, 2_592_000, 31_536_000,
];

/// Widths that fill a given number of rows better, for axes that carry round labels of their own.
const FINE: [i64; 41] = [
    1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 24, 30, 40, 60, 80, 90, 120, 150, 180, 240, 300, 360, 480,
    600, 720, 900, 1_200, 1_440, 1_800, 2_700, 3_600, 5_400, 7_200, 10_800, 14_400, 21_600, 28_800,
    43_200, 86_400, 172_800,
];

/// The counts of one slice of time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Slice {
    /// Entries without a level.
    pub none: u32,
    /// Entries of each level, in the order of [`Level::ALL`].
    pub levels: [u32; 6],
}

impl Slice {
    /// All entries.
    #[must_use]
    pub fn total(&self) -> u32 {
        self.none + self.levels.iter().sum::<u32>()
    }

    /// The gravest level that occurs.
    #[must_use]
    pub fn worst(&self) -> Option<Level> {
        Level::ALL.into_iter().rev().find(|level| self.levels[level.index()] > 0)
    }

    fn add(&mut self, other: &Self) {
        self.none += other.none;
        for (sum, more) in self.levels.iter_mut().zip(other.levels) {
            *sum += more;
        }
    }
}

/// Counts over slices of equal width.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Volume {
    /// Where the first slice begins, in nanoseconds UTC.
    pub start: i64,
    /// The width of a slice in nanoseconds.
    pub width: i64,
    /// The counts, without gaps.
    pub slices: Vec<Slice>,
}

impl Volume {
    /// Empty slices over a span of time, at most `most` of them, of a width that people can read off
    /// where the span allows.
    #[must_use]
    pub fn over(first: i64, last: i64, most: usize) -> Self {
        Self::with_widths(first, last, most, &ROUND)
    }

    fn with_widths(first: i64, last: i64, most: usize, widths: &[i64]) -> Self {
        let span = last.saturating_sub(first).max(0);
        let most = i64::try_from(most.max(1)).unwrap_or(1);
        let mut width = SECOND / 1_000;
        for finer in [1, 10, 100] {
            width = SECOND / 1_000 * finer;
            if span / width < most {
                break;
            }
        }
        let fits = |width: i64| last.div_euclid(width) - first.div_euclid(width) < most;
        if !fits(width) {
            width = widths
                .iter()
                .chain(&ROUND)
                .map(|seconds| seconds * SECOND)
                .find(|width| fits(*width))
                .unwrap_or_else(|| (span / most + 1).max(ROUND[25] * SECOND));
        }
        let start = first.div_euclid(width) * width;
        let count = (last.saturating_sub(start)) / width + 1;
        Self {
            start,
            width,
            slices: vec![Slice::default(); usize::try_from(count.clamp(1, most + 1)).unwrap_or(1)],
        }
    }

    /// The slice of a time, and where the next one begins.
    pub(crate) fn slice_until(&self, time: i64) -> (usize, i64) {
        let slice = self.slice_of(time);
        let next = i64::try_from(slice + 1).unwrap_or(i64::MAX);
        let end = match slice + 1 >= self.slices.len() {
            true => i64::MAX,
            false => self.start.saturating_add(self.width.saturating_mul(next)),
        };
        (slice, end)
    }

    /// Adds counts to a slice: entries without a level, then those of each level.
    pub(crate) fn add(&mut self, slice: usize, counts: [u32; 7]) {
        let [none, levels @ ..] = counts;
        if let Some(slice) = self.slices.get_mut(slice) {
            slice.add(&Slice { none, levels });
        }
    }

    /// Adds the counts of the same slices.
    pub(crate) fn add_all(&mut self, other: &Self) {
        self.slices.iter_mut().zip(&other.slices).for_each(|(sum, more)| sum.add(more));
    }

    /// The slice of a time; what lies outside goes to the nearest.
    fn slice_of(&self, time: i64) -> usize {
        let at = time.saturating_sub(self.start) / self.width.max(1);
        usize::try_from(at).unwrap_or(0).min(self.slices.len().saturating_sub(1))
    }

    /// Counts one entry.
    pub fn count(&mut self, time: i64, level: Option<Level>) {
        let at = self.slice_of(time);
        if let Some(slice) = self.slices.get_mut(at) {
            match level {
                Some(level) => slice.levels[level.index()] += 1,
                None => slice.none += 1,
            }
        }
    }

    /// The same counts in at most `most` wider slices.
    #[must_use]
    pub fn coarser(&self, most: usize) -> Self {
        let end = self.end();
        if self.slices.len() <= most || self.slices.is_empty() {
            return self.clone();
        }
        let mut out = Self::with_widths(self.start, end - 1, most, &FINE);
        for (at, slice) in self.slices.iter().enumerate() {
            let time = self.start + self.width * i64::try_from(at).unwrap_or(0);
            let to = usize::try_from((time - out.start) / out.width).unwrap_or(0);
            let last = out.slices.len() - 1;
            out.slices[to.min(last)].add(slice);
        }
        out
    }

    /// Where the last slice ends.
    #[must_use]
    pub fn end(&self) -> i64 {
        self.start + self.width * i64::try_from(self.slices.len()).unwrap_or(0)
    }

    /// The largest total of a slice.
    #[must_use]
    pub fn peak(&self) -> u32 {
        self.slices.iter().map(Slice::total).max().unwrap_or(0)
    }

    /// All entries.
    #[must_use]
    pub fn total(&self) -> u64 {
        self.slices.iter().map(|slice| u64::from(slice.total())).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn widths_are_round() {
        for (span_seconds, most, want) in
            [(7_200, 40, 300), (7_200, 42, 180), (7_200, 600, 15), (59, 60, 1), (86_400, 24, 7_200)]
        {
            let volume = Volume::over(0, span_seconds * SECOND, most);
            assert_eq!(volume.width / SECOND, want, "{span_seconds} s in {most}");
            assert!(volume.slices.len() <= most);
        }
    }

    #[test]
    fn a_slice_knows_its_gravest_level() {
        let mut volume = Volume::over(0, 9 * SECOND, 10);
        let entries = [
            (0, None),
            (1, Some(Level::Info)),
            (SECOND, Some(Level::Error)),
            (SECOND + 1, Some(Level::Debug)),
            (99 * SECOND, Some(Level::Fatal)),
            (-5, Some(Level::Trace)),
        ];
        for (time, level) in entries {
            volume.count(time, level);
        }
        assert_eq!(volume.slice_until(SECOND + 1), (1, 2 * SECOND));
        assert_eq!(volume.slice_until(99 * SECOND), (9, i64::MAX), "the last slice has no end");
        let worst: Vec<_> = volume.slices.iter().map(Slice::worst).collect();
        assert_eq!(worst[..3], [Some(Level::Info), Some(Level::Error), None]);
        assert_eq!(worst[9], Some(Level::Fatal), "what lies outside goes to the nearest slice");
        assert_eq!((volume.total(), volume.peak(), volume.end()), (6, 3, 10 * SECOND));
        let coarse = volume.coarser(2);
        assert_eq!((coarse.width / SECOND, coarse.slices[0].worst()), (5, Some(Level::Error)));
        assert_eq!(volume.coarser(10), volume);
    }

    proptest! {
        #[test]
        fn nothing_is_lost(times in proptest::collection::vec(0i64..10_000_000_000_000, 1..60), most in 1usize..80) {
            let first = *times.iter().min().unwrap();
            let last = *times.iter().max().unwrap();
            let mut volume = Volume::over(first, last, 600);
            for time in &times {
                volume.count(*time, None);
            }
            let coarse = volume.coarser(most);
            prop_assert_eq!(volume.total(), times.len() as u64);
            prop_assert_eq!(coarse.total(), times.len() as u64);
            prop_assert!(coarse.slices.len() <= most.max(1) + 1);
            prop_assert!(volume.start <= first && last < volume.end());
        }
    }
}
