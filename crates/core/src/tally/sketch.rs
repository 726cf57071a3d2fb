//! Quantiles of any number of values in bounded memory.
//!
//! Values are counted in buckets whose bounds grow by a fixed factor, so that what stands for a bucket is never further
//! than half a per cent from a value in it (the logarithmic buckets of C. Masson, J. Rim and H. Lee, "DDSketch", VLDB
//! 2019). Two sketches are put together by adding the counts of their buckets, in any order.

/// The factor between the bounds of a bucket.
const FACTOR: f64 = 1.01;
/// Smaller than this, a value counts as none.
const SMALLEST: f64 = 1e-12;
/// Added to the number of a bucket, so that those of all values above [`SMALLEST`] are positive.
const ABOVE: i32 = 2_800;

/// Counts of values, by their size.
#[derive(Clone, Debug, PartialEq)]
pub struct Sketch {
    /// How many values there are.
    pub count: u64,
    /// What they come to; infinite where that is beyond the greatest number.
    pub sum: f64,
    /// Their mean, kept beside the sum since that may go beyond all numbers.
    running: f64,
    /// The smallest.
    pub min: f64,
    /// The largest.
    pub max: f64,
    /// Buckets in their order, and how many values fell in each; the numbers of those of values below zero are negative.
    buckets: Vec<(i32, u32)>,
}

impl Default for Sketch {
    fn default() -> Self {
        Self {
            count: 0,
            sum: 0.0,
            running: 0.0,
            min: f64::INFINITY,
            max: f64::NEG_INFINITY,
            buckets: Vec::new(),
        }
    }
}

impl Sketch {
    /// Takes a value in; one that is no number, or infinite, is not taken.
    pub fn add(&mut self, value: f64) {
        if !value.is_finite() {
            return;
        }
        self.count += 1;
        self.sum += value;
        self.running = together((self.running, self.count - 1), (value, 1));
        self.min = self.min.min(value);
        self.max = self.max.max(value);
        self.add_to(bucket_of(value), 1);
    }

    /// Takes in what another has counted.
    pub fn merge(&mut self, other: &Self) {
        self.running = together((self.running, self.count), (other.running, other.count));
        self.count += other.count;
        self.sum += other.sum;
        self.min = self.min.min(other.min);
        self.max = self.max.max(other.max);
        if self.buckets.is_empty() {
            self.buckets.clone_from(&other.buckets);
        } else {
            other.buckets.iter().for_each(|(bucket, count)| self.add_to(*bucket, *count));
        }
    }

    /// The mean; `None` where there is no value.
    #[must_use]
    pub fn mean(&self) -> Option<f64> {
        #[expect(clippy::cast_precision_loss, reason = "a mean needs no more than 15 digits")]
        let count = self.count as f64;
        let mean = if self.sum.is_finite() { self.sum / count } else { self.running };
        (self.count > 0).then_some(mean)
    }

    /// What the values come to; `None` where there are none, or where that is beyond the greatest number.
    #[must_use]
    pub fn total(&self) -> Option<f64> {
        (self.count > 0 && self.sum.is_finite()).then_some(self.sum)
    }

    /// At most about so many ranges from the smallest value to the largest, and how many values lie in each: from its lower
    /// bound to its upper one. Their bounds are bounds of buckets, so that each value lies where it is counted.
    #[must_use]
    pub fn bins(&self, most: usize) -> Vec<(f64, f64, u64)> {
        let (Some((first, _)), Some((last, _))) = (self.buckets.first(), self.buckets.last())
        else {
            return Vec::new();
        };
        let most = i32::try_from(most.max(1)).unwrap_or(i32::MAX);
        let step = ((last - first) / most + 1).max(1);
        let count = (last - first) / step + 1;
        let mut bins: Vec<(f64, f64, u64)> = (0..count)
            .map(|bin| {
                let from = first + bin * step;
                let to = (from + step - 1).min(*last);
                (bounds_of(from).0.max(self.min), bounds_of(to).1.min(self.max), 0)
            })
            .collect();
        for (bucket, values) in &self.buckets {
            let bin = usize::try_from((bucket - first) / step).unwrap_or(0);
            bins[bin].2 += u64::from(*values);
        }
        bins
    }

    /// The value that a share of them, 0 to 1, does not exceed (the nearest rank), within half a per cent. `None` where
    /// there is no value.
    #[must_use]
    pub fn quantile(&self, share: f64) -> Option<f64> {
        #[expect(
            clippy::cast_precision_loss,
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a rank among so many values that a few more or less are the same one"
        )]
        let rank = ((self.count as f64 * share).ceil() as u64).clamp(1, self.count.max(1));
        let mut before = 0;
        let found = self.buckets.iter().find(|(_, count)| {
            before += u64::from(*count);
            before >= rank
        });
        // The ends are known as they are.
        match rank {
            _ if self.count == 0 => None,
            1 => Some(self.min),
            _ if rank == self.count => Some(self.max),
            _ => found.map(|(bucket, _)| value_of(*bucket).clamp(self.min, self.max)),
        }
    }

    /// How many values lie in each of so many ranges between the smallest and the largest, see [`range_of`].
    #[must_use]
    pub fn histogram(&self, ranges: usize) -> Vec<u64> {
        self.histogram_between((self.min, self.max), ranges)
    }

    /// The same between two bounds.
    #[must_use]
    pub fn histogram_between(&self, bounds: (f64, f64), ranges: usize) -> Vec<u64> {
        let mut counts = vec![0; ranges];
        for (bucket, count) in self.buckets.iter().filter(|_| ranges > 0) {
            let value = value_of(*bucket).clamp(self.min, self.max);
            counts[range_of(value, bounds, ranges)] += u64::from(*count);
        }
        counts
    }

    /// The same in ranges that are equally wide.
    #[must_use]
    pub fn histogram_evenly(&self, (from, to): (f64, f64), ranges: usize) -> Vec<u64> {
        let mut counts = vec![0; ranges];
        // What is added takes the bounds off the scale that multiplies.
        let shift = |value: f64| value / 2.0 - from / 2.0;
        for (bucket, count) in self.buckets.iter().filter(|_| ranges > 0) {
            let value = value_of(*bucket).clamp(self.min, self.max);
            counts[range_of(shift(value), (0.0, shift(to)), ranges)] += u64::from(*count);
        }
        counts
    }

    /// Hands over how many values of this and of another fall in each bucket, from the smallest to the largest.
    pub(crate) fn beside(&self, other: &Self, hand: &mut dyn FnMut(u64, u64)) {
        let (mut mine, mut theirs) =
            (self.buckets.iter().peekable(), other.buckets.iter().peekable());
        loop {
            let (one, two) = (mine.peek().map(|b| b.0), theirs.peek().map(|b| b.0));
            let Some(at) = one.into_iter().chain(two).min() else { return };
            let take = |from: &mut std::iter::Peekable<std::slice::Iter<'_, (i32, u32)>>| {
                from.next_if(|bucket| bucket.0 == at).map_or(0, |bucket| u64::from(bucket.1))
            };
            let first = take(&mut mine);
            hand(first, take(&mut theirs));
        }
    }

    fn add_to(&mut self, bucket: i32, times: u32) {
        match self.buckets.binary_search_by_key(&bucket, |(known, _)| *known) {
            Ok(at) => self.buckets[at].1 = self.buckets[at].1.saturating_add(times),
            Err(at) => self.buckets.insert(at, (bucket, times)),
        }
    }
}

/// In which of so many ranges between two bounds a value lies: each is so many times as wide as the one before; where
/// the lower bound is not above zero, all are equally wide.
#[must_use]
pub fn range_of(value: f64, (from, to): (f64, f64), ranges: usize) -> usize {
    // Half of a value, since the difference of two may be beyond all numbers.
    let scale = |value: f64| if from > 0.0 { value.ln() } else { value / 2.0 };
    let (low, high) = (scale(from), scale(to));
    let share = if high > low { (scale(value) - low) / (high - low) } else { 0.0 };
    #[expect(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "the number of a range"
    )]
    let range = (share.max(0.0) * ranges as f64) as usize;
    range.min(ranges.saturating_sub(1))
}

/// Where a range begins.
#[must_use]
pub fn bound_of(range: usize, (from, to): (f64, f64), ranges: usize) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "the number of a range")]
    let share = range as f64 / ranges.max(1) as f64;
    if range == 0 || range >= ranges {
        // As they are, whatever a logarithm makes of them.
        return if range == 0 { from } else { to };
    }
    match from > 0.0 {
        true => (from.ln() + (to.ln() - from.ln()) * share).exp().clamp(from, to.max(from)),
        false => from * (1.0 - share) + to * share,
    }
}

/// The bucket of a value: 0 for none, the others by their size.
fn bucket_of(value: f64) -> i32 {
    let size = value.abs();
    if size < SMALLEST {
        return 0;
    }
    #[expect(
        clippy::cast_possible_truncation,
        reason = "the logarithms of all finite values lie within some 75 000"
    )]
    let number = (size.ln() / FACTOR.ln()).ceil() as i32 + ABOVE;
    if value < 0.0 { -number.max(1) } else { number.max(1) }
}

/// The mean of two lots of values, by the mean and the number of each.
fn together((one, few): (f64, u64), (other, more): (f64, u64)) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "a share")]
    let share = more as f64 / (few + more).max(1) as f64;
    one * (1.0 - share) + other * share
}

/// Between which two values those of a bucket lie.
fn bounds_of(bucket: i32) -> (f64, f64) {
    if bucket == 0 {
        return (-SMALLEST, SMALLEST);
    }
    let bound = |number: i32| (f64::from(number) * FACTOR.ln()).exp();
    let (lower, upper) = (bound(bucket.abs() - ABOVE - 1), bound(bucket.abs() - ABOVE));
    if bucket < 0 { (-upper, -lower) } else { (lower, upper) }
}

/// What stands for the values of a bucket: as far, in proportion, from its lower bound as from the upper one.
fn value_of(bucket: i32) -> f64 {
    if bucket == 0 {
        return 0.0;
    }
    let upper = (f64::from(bucket.abs() - ABOVE) * FACTOR.ln()).exp();
    let middle = 2.0 * upper / (FACTOR + 1.0);
    if bucket < 0 { -middle } else { middle }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// Quantiles lie within one per cent of those of the values themselves, however these were put together.
        #[test]
        fn quantiles_are_near_the_true_ones(
            values in proptest::collection::vec(prop_oneof![1e-9f64..1e9, -1e3f64..1e3, Just(0.0), 0.001f64..0.002], 1..300),
            split in 0usize..300,
        ) {
            let (left, right) = values.split_at(split.min(values.len()));
            let of = |values: &[f64]| {
                let mut sketch = Sketch::default();
                values.iter().for_each(|value| sketch.add(*value));
                sketch
            };
            let (mut one, two) = (of(left), of(right));
            one.merge(&two);
            let mut sorted = values.clone();
            sorted.sort_unstable_by(f64::total_cmp);
            for share in [0.0, 0.01, 0.5, 0.95, 0.99, 1.0] {
                let rank = ((values.len() as f64 * share).ceil() as usize).clamp(1, values.len());
                let (want, got) = (sorted[rank - 1], one.quantile(share).unwrap());
                prop_assert!((got - want).abs() <= 0.01 * want.abs() + 1e-12, "{share}: {got} for {want}");
            }
            prop_assert_eq!((one.count, one.min, one.max), (values.len() as u64, sorted[0], sorted[values.len() - 1]));
            let sum: f64 = values.iter().sum();
            prop_assert!((one.sum - sum).abs() <= 1e-9 * values.iter().map(|value| value.abs()).sum::<f64>());
            prop_assert_eq!(one.histogram(8).iter().sum::<u64>(), one.count);
        }
    }

    #[test]
    fn the_greatest_numbers_have_a_mean_and_ranges() {
        let mut sketch = Sketch::default();
        [1.7e308, -1.7e308, 1.7e308, 1.7e308].iter().for_each(|value| sketch.add(*value));
        let mean = sketch.mean().unwrap();
        assert!((mean / 8.5e307 - 1.0).abs() < 1e-9, "{mean}");
        assert_eq!((sketch.total(), sketch.quantile(0.5)), (None, Some(1.7e308)));
        assert_eq!(sketch.histogram(4), [1, 0, 0, 3]);
        assert_eq!(sketch.histogram_evenly((-1.7e308, 1.7e308), 4), [1, 0, 0, 3]);
        let bounds = (-1.7e308, 1.7e308);
        assert!((0..=4).all(|at| bound_of(at, bounds, 4).is_finite()));
        assert_eq!(
            (bound_of(0, (1e-300, 1e300), 4), bound_of(4, (1e-300, 1e300), 4)),
            (1e-300, 1e300)
        );
    }

    proptest! {
        /// Each value lies in the range that it is counted in.
        #[test]
        fn values_lie_in_their_bins(
            values in proptest::collection::vec(prop_oneof![1e-9f64..1e9, -1e3f64..1e3, Just(0.0)], 1..100),
            most in 1usize..100,
        ) {
            let mut sketch = Sketch::default();
            values.iter().for_each(|value| sketch.add(*value));
            let bins = sketch.bins(most);
            prop_assert!(bins.len() <= most);
            prop_assert_eq!(bins.iter().map(|bin| bin.2).sum::<u64>(), values.len() as u64);
            let mut left: Vec<u64> = bins.iter().map(|bin| bin.2).collect();
            let mut sorted = values.clone();
            sorted.sort_unstable_by(f64::total_cmp);
            for value in sorted {
                let at = left.iter().position(|count| *count > 0).unwrap();
                left[at] -= 1;
                let (from, to, _) = bins[at];
                prop_assert!(from - from.abs() * 1e-9 <= value && value <= to + to.abs() * 1e-9, "{value} in {from}..{to}");
            }
        }
    }

    #[test]
    fn what_is_no_number_is_not_taken() {
        let mut sketch = Sketch::default();
        [f64::NAN, f64::INFINITY, f64::NEG_INFINITY].iter().for_each(|value| sketch.add(*value));
        assert_eq!((sketch.count, sketch.quantile(0.5), sketch.mean()), (0, None, None));
        assert_eq!(sketch.histogram(4), [0; 4]);
        sketch.add(2.5);
        assert_eq!((sketch.quantile(0.5), sketch.mean()), (Some(2.5), Some(2.5)));
        assert_eq!(sketch.histogram(4), [1, 0, 0, 0]);
    }
}
