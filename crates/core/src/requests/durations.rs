//! How long requests took: counts over durations, and percentiles.

use super::{Request, Requests};

/// Where buckets begin, in microseconds: three to a decade, as people read them off.
const BOUNDS: [i64; 28] = [
    0,
    100,
    200,
    500,
    1_000,
    2_000,
    5_000,
    10_000,
    20_000,
    50_000,
    100_000,
    200_000,
    500_000,
    1_000_000,
    2_000_000,
    5_000_000,
    10_000_000,
    20_000_000,
    50_000_000,
    100_000_000,
    200_000_000,
    500_000_000,
    1_000_000_000,
    2_000_000_000,
    5_000_000_000,
    10_000_000_000,
    20_000_000_000,
    50_000_000_000,
];

/// Requests that took about as long.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Bucket {
    /// From so many nanoseconds on.
    pub from: i64,
    /// How many there are.
    pub count: usize,
}

/// The durations of requests.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Durations {
    /// From the first bucket that has requests to the last.
    pub buckets: Vec<Bucket>,
    /// Half of them took no longer, in nanoseconds.
    pub p50: i64,
    /// 95 of 100 took no longer.
    pub p95: i64,
    /// 99 of 100 took no longer.
    pub p99: i64,
}

impl Durations {
    /// The durations of some of the requests. Those of a single entry without a duration of its own are left out:
    /// nothing is known of how long they took. `None` where none is left.
    #[must_use]
    pub fn of(requests: &Requests, rows: &[u32]) -> Option<Self> {
        let took = rows.iter().map(|row| &requests.rows[*row as usize]);
        let told =
            |request: &Request| request.duration().filter(|took| request.entries > 1 || *took > 0);
        Self::from(took.filter_map(told).collect())
    }

    fn from(mut took: Vec<i64>) -> Option<Self> {
        if took.is_empty() {
            return None;
        }
        let mut counts = [0usize; BOUNDS.len()];
        for nanos in &took {
            let bucket = BOUNDS.partition_point(|from| *from * 1_000 <= *nanos);
            counts[bucket.saturating_sub(1)] += 1;
        }
        let first = counts.iter().position(|count| *count > 0).unwrap_or(0);
        let last = counts.iter().rposition(|count| *count > 0).unwrap_or(0);
        let buckets =
            (first..=last).map(|at| Bucket { from: BOUNDS[at] * 1_000, count: counts[at] });
        let mut percentile = |of: usize| percentile(&mut took, of);
        Some(Self {
            buckets: buckets.collect(),
            p50: percentile(50),
            p95: percentile(95),
            p99: percentile(99),
        })
    }
}

/// The value that so many of a hundred do not exceed (the nearest rank). `values` must not be empty.
pub(crate) fn percentile(values: &mut [i64], of: usize) -> i64 {
    let rank = (values.len() * of).div_ceil(100).max(1);
    *values.select_nth_unstable(rank - 1).1
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn durations_fall_into_buckets_that_people_read_off() {
        let millis = |n: i64| n * 1_000_000;
        let took = [3, 3, 4, 12, 15, 900].map(millis).to_vec();
        let durations = Durations::from(took).unwrap();
        let counted: Vec<(i64, usize)> = durations
            .buckets
            .iter()
            .map(|b| (b.from / 1_000_000, b.count))
            .filter(|b| b.1 > 0)
            .collect();
        assert_eq!(counted, [(2, 3), (10, 2), (500, 1)]);
        assert_eq!(
            (durations.p50, durations.p95, durations.p99),
            (millis(4), millis(900), millis(900))
        );
        assert_eq!(Durations::from(Vec::new()), None);
        assert_eq!(percentile(&mut [1, 2, 3, 4], 50), 2);
    }
}
