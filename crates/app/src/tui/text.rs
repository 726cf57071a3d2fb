//! Figures and texts as the screens write them.

use std::borrow::Cow;

pub(crate) use cribrum_core::tally::count_text;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// A span of nanoseconds with the unit that leaves three or four figures: `209 ms`, `8.214 s`,
/// `1 min 31 s`.
pub(crate) fn span_text(nanos: i64) -> String {
    let sign = if nanos < 0 { "−" } else { "" };
    let nanos = nanos.unsigned_abs();
    let (micros, millis, seconds) = (nanos / 1_000, nanos / 1_000_000, nanos / 1_000_000_000);
    let text = match seconds {
        0 if nanos == 0 => "0 ms".to_owned(),
        0 if micros == 0 => format!("{nanos} ns"),
        0 if millis == 0 => format!("{micros} µs"),
        0 => format!("{millis} ms"),
        1..60 => format!("{seconds}.{:03} s", millis % 1_000),
        60..3_600 => two_units(seconds, (60, "min"), (1, "s")),
        3_600..86_400 => two_units(seconds, (3_600, "h"), (60, "min")),
        _ => two_units(seconds, (86_400, "d"), (3_600, "h")),
    };
    format!("{sign}{text}")
}

/// `1 min 31 s`, and `2 min` where nothing is left over.
fn two_units(seconds: u64, (large, name): (u64, &str), (small, rest): (u64, &str)) -> String {
    match seconds % large / small {
        0 => format!("{} {name}", seconds / large),
        left => format!("{} {name} {left} {rest}", seconds / large),
    }
}

/// A gap between two rows, in at most nine cells: `+13 ms`, `+1.5 s`, `+91 s`.
pub(crate) fn gap_text(nanos: i64) -> String {
    let millis = nanos / 1_000_000;
    match millis {
        i64::MIN..0 => String::new(),
        0 if nanos >= 1_000 => format!("+{} µs", nanos / 1_000),
        0 => String::new(),
        1..1_000 => format!("+{millis} ms"),
        1_000..60_000 => format!("+{}.{} s", millis / 1_000, millis / 100 % 10),
        60_000..3_600_000 => format!("+{} min", millis / 60_000),
        3_600_000..86_400_000 => format!("+{} h", millis / 3_600_000),
        _ => format!("+{} d", millis / 86_400_000),
    }
}

/// Text on one line: line ends and tabs become spaces.
pub(crate) fn one_line(text: &str) -> Cow<'_, str> {
    if text.contains(['\n', '\t', '\r']) {
        Cow::Owned(text.replace(['\n', '\t', '\r'], " "))
    } else {
        Cow::Borrowed(text)
    }
}

/// Text in at most `width` cells; an ellipsis says that it goes on.
pub(crate) fn fit(text: &str, width: usize) -> String {
    let text = one_line(text);
    if text.width() <= width {
        return text.into_owned();
    }
    let mut out = String::new();
    let mut used = 0;
    for c in text.chars() {
        let cells = c.width().unwrap_or(0);
        if used + cells + 1 > width {
            break;
        }
        used += cells;
        out.push(c);
    }
    if width > 0 {
        out.push('…');
    }
    out
}

/// Cells that a text takes.
pub(crate) fn cells(text: &str) -> usize {
    text.width()
}

/// A rate in the unit that gives it a number to read.
pub(crate) fn rate_text(each_second: f64) -> String {
    let (number, unit) = match each_second {
        rate if rate >= 1.0 => (rate, "a second"),
        rate if rate * 60.0 >= 1.0 => (rate * 60.0, "a minute"),
        rate if rate * 3_600.0 >= 1.0 => (rate * 3_600.0, "an hour"),
        rate => (rate * 86_400.0, "a day"),
    };
    if number >= 100.0 {
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a rate")]
        return format!("{} {unit}", count_text(number.round() as usize));
    }
    format!("{number:.1} {unit}")
}

/// A size in the unit that gives it a number to read.
pub(crate) fn size_text(bytes: u64) -> String {
    #[expect(clippy::cast_precision_loss, reason = "a size for people")]
    let size = bytes as f64;
    match bytes {
        0..1_000 => format!("{bytes} bytes"),
        1_000..1_000_000 => format!("{:.1} kB", size / 1e3),
        1_000_000..1_000_000_000 => format!("{:.1} MB", size / 1e6),
        _ => format!("{:.2} GB", size / 1e9),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rates_and_sizes_have_the_unit_that_reads_best() {
        for (each_second, want) in [
            (734.4, "734 a second"),
            (52.93, "52.9 a second"),
            (0.5, "30.0 a minute"),
            (0.01, "36.0 an hour"),
            (0.000_1, "8.6 a day"),
        ] {
            assert_eq!(rate_text(each_second), want);
        }
        for (bytes, want) in [
            (999, "999 bytes"),
            (1_500, "1.5 kB"),
            (73_320_025, "73.3 MB"),
            (4_020_000_000, "4.02 GB"),
        ] {
            assert_eq!(size_text(bytes), want);
        }
    }

    #[test]
    fn spans_and_gaps_keep_their_width() {
        for (nanos, span, gap) in [
            (0, "0 ms", ""),
            (13_000_000, "13 ms", "+13 ms"),
            (1_509_000_000, "1.509 s", "+1.5 s"),
            (91_000_000_000, "1 min 31 s", "+1 min"),
            (120_000_000_000, "2 min", "+2 min"),
            (7_322_000_000_000, "2 h 2 min", "+2 h"),
            (-5_000_000, "−5 ms", ""),
        ] {
            assert_eq!((span_text(nanos).as_str(), gap_text(nanos).as_str()), (span, gap));
        }
    }

    #[test]
    fn what_does_not_fit_is_shortened() {
        for (text, width, want) in [
            ("seat hold", 9, "seat hold"),
            ("seat hold", 5, "seat…"),
            ("座席の予約", 6, "座席…"),
            ("a\tb\nc", 9, "a b c"),
            ("ab", 0, ""),
        ] {
            assert_eq!(fit(text, width), want);
        }
    }
}
