//! Differences between two selections in words: rates, durations, how many times as much.

use cribrum_core::{
    compare::{Comparison, Difference, Per},
    tally::Unit,
    veil::Audience,
};

use super::{count_text, value_text};

/// The counts of both sides with their rates: `83 · 2.6 %`, `83 · 8.3/min`.
pub(crate) fn rate_pair<A: Audience>(
    compared: &Comparison<A>,
    difference: &Difference<A>,
) -> [String; 2] {
    [0, 1].map(|side| {
        let count = difference.counts[side];
        if count == 0 {
            return "–".to_owned();
        }
        let rate = compared.rate(side, count);
        let rate = match compared.per {
            Per::Entry if rate >= 0.1 => format!("{rate:.1} %"),
            Per::Entry => format!("{rate:.2} %"),
            Per::Minute => format!("{}/min", value_text(rate, Unit::Number)),
        };
        format!("{} · {rate}", count_text(usize::try_from(count).unwrap_or(usize::MAX)))
    })
}

/// The median and the 95th percentile of how long both sides took; none where that is not what differs.
pub(crate) fn took_pair<A: Audience>(difference: &Difference<A>) -> Option<[String; 2]> {
    let took = difference.took.as_ref()?;
    Some([0, 1].map(|side| {
        let value = |share| {
            took[side]
                .quantile(share)
                .map_or_else(|| "–".to_owned(), |v| value_text(v, Unit::Seconds))
        };
        format!("{} · p95 {}", value(0.5), value(0.95))
    }))
}

/// How many times as much the second side has, or as long it takes.
pub(crate) fn times_text<A: Audience>(
    compared: &Comparison<A>,
    difference: &Difference<A>,
) -> String {
    let figure = |side: usize| match &difference.took {
        Some(took) => took[side].quantile(0.5).unwrap_or_default(),
        None => compared.rate(side, difference.counts[side]),
    };
    let (first, second) = (figure(0), figure(1));
    if first <= 0.0 || second <= 0.0 {
        return "–".to_owned();
    }
    let times = second / first;
    match times {
        100.0.. => format!("{times:.0} ×"),
        0.1.. => format!("{times:.1} ×"),
        _ => format!("{times:.2} ×"),
    }
}
