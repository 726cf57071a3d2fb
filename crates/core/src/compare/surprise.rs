//! How surprising a difference is: two tests whose results are on one scale.
//!
//! - Counts: the likelihood ratio statistic G² (T. Dunning, "Accurate Methods for the Statistics of Surprise and
//!   Coincidence", Computational Linguistics 19, 1993). Of entries, `a` of `m` and `b` of `n`: twice the sum of
//!   `observed · ln(observed / expected)` over those that are of the kind and those that are not. Of minutes, the same over
//!   those that are alone: the ratio for the rates of two Poisson processes.
//! - Durations: the rank-sum statistic U (H. B. Mann and D. R. Whitney, "On a Test of Whether one of Two Random Variables is
//!   Stochastically Larger than the Other", Annals of Mathematical Statistics 18, 1947), as the square of its normal
//!   deviate, corrected for ties.
//!
//! Where nothing has changed, both follow the χ² distribution with one degree of freedom: 10.8 is exceeded once in a
//! thousand times.

use crate::tally::Sketch;

/// A difference that is exceeded by chance once in a thousand times: the 99.9 per cent point of χ² with one degree of freedom.
pub const SURPRISING: f64 = 10.828;

/// A count and what it is of: entries, or minutes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Share {
    pub(super) count: f64,
    pub(super) of: f64,
}

fn term(observed: f64, expected: f64) -> f64 {
    if observed > 0.0 && expected > 0.0 { observed * (observed / expected).ln() } else { 0.0 }
}

/// G² of two counts of entries.
pub(super) fn of_entries(one: Share, other: Share) -> f64 {
    let (both, all) = (one.count + other.count, one.of + other.of);
    if all <= 0.0 {
        return 0.0;
    }
    let cells = [one, other].map(|share| {
        let expected = share.of * both / all;
        term(share.count, expected) + term(share.of - share.count, share.of - expected)
    });
    (2.0 * cells.iter().sum::<f64>()).max(0.0)
}

/// G² of two counts in times of unlike length.
pub(super) fn of_minutes(one: Share, other: Share) -> f64 {
    let (both, all) = (one.count + other.count, one.of + other.of);
    if all <= 0.0 {
        return 0.0;
    }
    let cells = [one, other].map(|share| term(share.count, share.of * both / all));
    (2.0 * cells.iter().sum::<f64>()).max(0.0)
}

/// The square of the normal deviate of U, and the share of pairs in which the value of the second is the larger one.
pub(super) fn of_values(one: &Sketch, other: &Sketch) -> (f64, f64) {
    #[expect(clippy::cast_precision_loss, reason = "ranks among many")]
    let number = |count: u64| count as f64;
    let (m, n) = (number(one.count), number(other.count));
    if m == 0.0 || n == 0.0 {
        return (0.0, 0.5);
    }
    // Pairs in which the second is larger, those that are equal by half; and what ties take of the variance.
    let (mut larger, mut ties, mut below) = (0.0, 0.0, 0.0);
    one.beside(other, &mut |first, second| {
        let (first, second) = (number(first), number(second));
        larger += second * (below + first / 2.0);
        below += first;
        let tied = first + second;
        ties += tied * (tied * tied - 1.0);
    });
    let all = m + n;
    let variance = m * n / 12.0 * ((all + 1.0) - ties / (all * (all - 1.0)).max(1.0));
    let deviate = larger - m * n / 2.0;
    let square = if variance > 0.0 { deviate * deviate / variance } else { 0.0 };
    (square, larger / (m * n))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn share(count: u32, of: u32) -> Share {
        Share { count: count.into(), of: of.into() }
    }

    #[test]
    fn counts_are_judged_as_worked_out_by_hand() {
        // 2 · Σ o ln(o/e) over 10, 90, 30, 70 with 20, 80, 20, 80 expected.
        let want = 2.0
            * (10.0 * 0.5_f64.ln()
                + 90.0 * (90.0_f64 / 80.0).ln()
                + 30.0 * 1.5_f64.ln()
                + 70.0 * (70.0_f64 / 80.0).ln());
        assert!((of_entries(share(10, 100), share(30, 100)) - want).abs() < 1e-9);
        assert!(want > SURPRISING);
        assert!(of_entries(share(10, 100), share(20, 200)).abs() < 1e-9);
        // 5 in 10 minutes and 40 in 20: 15 and 30 expected.
        let want = 2.0 * (5.0 * (5.0_f64 / 15.0).ln() + 40.0 * (40.0_f64 / 30.0).ln());
        assert!((of_minutes(share(5, 10), share(40, 20)) - want).abs() < 1e-9);
        assert_eq!(
            (of_entries(share(0, 0), share(0, 0)), of_minutes(share(0, 0), share(3, 0))),
            (0.0, 0.0)
        );
    }

    proptest! {
        /// U is what counting all pairs gives.
        #[test]
        fn pairs_are_counted(one in proptest::collection::vec(1u32..40, 1..30), other in proptest::collection::vec(1u32..40, 1..30)) {
            let sketch = |values: &[u32]| {
                let mut sketch = Sketch::default();
                values.iter().for_each(|value| sketch.add(f64::from(*value)));
                sketch
            };
            let (square, larger) = of_values(&sketch(&one), &sketch(&other));
            let pairs = one.iter().flat_map(|a| other.iter().map(move |b| (a, b)));
            let sum: f64 = pairs.map(|(a, b)| match b.cmp(a) {
                std::cmp::Ordering::Greater => 1.0,
                std::cmp::Ordering::Equal => 0.5,
                std::cmp::Ordering::Less => 0.0,
            }).sum();
            #[expect(clippy::cast_precision_loss, reason = "a few pairs")]
            let all = (one.len() * other.len()) as f64;
            prop_assert!((larger - sum / all).abs() < 1e-9);
            prop_assert!(square >= 0.0);
            // The other way round it is as surprising.
            let (back, smaller) = of_values(&sketch(&other), &sketch(&one));
            prop_assert!((back - square).abs() < 1e-6 && (larger + smaller - 1.0).abs() < 1e-9);
        }
    }
}
