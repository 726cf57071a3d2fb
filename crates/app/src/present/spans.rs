//! Spans of time in words: how long something took, and how long after the entry above another one came.

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

#[cfg(test)]
mod tests {
    use super::*;

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
}
