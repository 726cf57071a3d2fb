//! Measures in words: values with their unit, shares, small histograms, and what groups have in common.

use std::borrow::Cow;

use cribrum_core::{
    source::Source,
    tally::{By, Key, Sketch, Unit},
    veil::Audience,
};

use super::{Clock, count_text, size_text, span_text};

/// Heights of a small histogram; a range without values is blank. The highest leaves some room to the row above.
const HEIGHTS: [char; 7] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇'];

/// A value as people read it: `12 ms`, `4.1 kB`, `1 250`, `0.25`.
pub(crate) fn value_text(value: f64, unit: Unit) -> String {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "conversions that end at the largest number"
    )]
    match unit {
        Unit::Seconds => span_text((value * 1e9).round() as i64),
        Unit::Bytes if value >= 0.0 => size_text(value.round() as u64),
        _ if value.abs() >= 1e15 => format!("{value:.3e}"),
        _ if value.abs() >= 1_000.0 => {
            let sign = if value < 0.0 { "−" } else { "" };
            format!("{sign}{}", count_text(value.abs().round() as usize))
        }
        _ => {
            let digits =
                if value == 0.0 { 0 } else { (2 - value.abs().log10().floor() as i32).clamp(0, 9) };
            let text = format!("{value:.*}", digits as usize);
            let text = if text.contains('.') {
                text.trim_end_matches('0').trim_end_matches('.')
            } else {
                &text
            };
            text.replace('-', "−")
        }
    }
}

/// A share of a whole: `25.6 %`.
pub(crate) fn share_text(part: u64, of: u64) -> String {
    format!("{:.1} %", share(part, of) * 100.0)
}

#[expect(clippy::cast_precision_loss, reason = "a share for people")]
pub(crate) fn share(part: u64, of: u64) -> f64 {
    part as f64 / of.max(1) as f64
}

/// A bar of so many cells at most, in eighths of a cell.
pub(crate) fn bar_text(share: f64, cells: usize) -> String {
    const PARTS: [&str; 8] = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"];
    #[expect(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a share of some cells"
    )]
    let eighths = (share.clamp(0.0, 1.0) * cells as f64 * 8.0).round() as usize;
    // What is there at all is seen.
    let eighths = if share > 0.0 { eighths.max(1) } else { 0 };
    format!("{}{}", "█".repeat(eighths / 8), PARTS[eighths % 8])
}

/// How values lie between two bounds.
pub(crate) fn histogram_text(values: &Sketch, bounds: (f64, f64), cells: usize) -> String {
    heights(&values.histogram_between(bounds, cells))
}

/// Counts over time as heights, several of them in one cell where there are more than cells.
pub(crate) fn curve_text(counts: &[u32], cells: usize) -> String {
    let each = counts.len().div_ceil(cells.max(1)).max(1);
    let sums: Vec<u64> =
        counts.chunks(each).map(|some| some.iter().copied().map(u64::from).sum()).collect();
    heights(&sums)
}

fn heights(counts: &[u64]) -> String {
    let most = counts.iter().copied().max().unwrap_or(0);
    let height = |count: &u64| {
        if *count == 0 {
            return ' ';
        }
        let at = (count * 7).div_ceil(most.max(1)).clamp(1, 7) - 1;
        HEIGHTS[usize::try_from(at).unwrap_or(0)]
    };
    counts.iter().map(height).collect()
}

/// What a group has in common, in one respect; the empty text stands for an empty value.
pub(crate) fn key_text<'k, A: Audience>(
    key: &'k Key<A>,
    by: &By,
    sources: &'k [Source],
    clock: &Clock,
) -> Cow<'k, str> {
    match key {
        Key::None => Cow::Borrowed("–"),
        Key::Text(text) | Key::Cut(text) => text.for_terminal(),
        Key::Level(level) => Cow::Borrowed(level.name()),
        Key::Source(number) => {
            Cow::Borrowed(sources.get(*number).map_or("?", |source| &source.label))
        }
        Key::Layout(name) => Cow::Borrowed(name),
        Key::Time(time) => {
            let short = matches!(by, By::Slice(length) if length % 60_000_000_000 == 0);
            Cow::Owned(clock.format(*time, if short { "%m-%d %H:%M" } else { "%m-%d %H:%M:%S%.f" }))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_have_the_digits_that_matter() {
        for (value, unit, want) in [
            (0.012, Unit::Seconds, "12 ms"),
            (8.214, Unit::Seconds, "8.214 s"),
            (4_096.0, Unit::Bytes, "4.1 kB"),
            (0.0, Unit::Number, "0"),
            (12.0, Unit::Number, "12"),
            (12.345, Unit::Number, "12.3"),
            (0.25, Unit::Number, "0.25"),
            (-0.012_34, Unit::Number, "−0.0123"),
            (1_250.4, Unit::Number, "1\u{2009}250"),
            (-1_250.0, Unit::Number, "−1\u{2009}250"),
            (1e18, Unit::Number, "1.000e18"),
        ] {
            assert_eq!(value_text(value, unit), want, "{value}");
        }
    }

    #[test]
    fn shares_and_bars_show_what_is_there() {
        assert_eq!((share_text(1, 3), share_text(0, 0)), ("33.3 %".into(), "0.0 %".into()));
        for (share, want) in
            [(0.0, ""), (0.001, "▏"), (0.5, "██"), (0.53, "██▏"), (1.0, "████"), (7.0, "████")]
        {
            assert_eq!(bar_text(share, 4), want, "{share}");
        }
        let mut values = Sketch::default();
        [1.0, 1.0, 1.0, 1.0, 150.0].iter().for_each(|value| values.add(*value));
        assert_eq!(histogram_text(&values, (1.0, 150.0), 4), "▇  ▂");
        assert_eq!(histogram_text(&values, (1.0, 10_000.0), 4), "▇ ▂ ");
        assert_eq!(histogram_text(&Sketch::default(), (0.0, 1.0), 4), "    ");
    }
}
