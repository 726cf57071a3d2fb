//! Numbers with units, as fields, messages, conditions and people write them.
//!
//! ```text
//! 250  -1.5  1.5e-3                             a number, of no known unit
//! 250ms  1.5 s  3 msecs  250 milliseconds       a duration
//! 7m54s  1h2m3s  1 min 2 s  PT1.5S              a duration of several parts, or of ISO 8601
//! 0:00:01.5                                     a duration, where a name or words say that it is one
//! 512B  500 kB  4KiB                            a size
//! ```

/// A number and what it counts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Quantity {
    /// A plain number.
    Number(f64),
    /// Seconds.
    Duration(f64),
    /// Bytes.
    Size(f64),
}

impl Quantity {
    /// The number, in seconds or bytes where it counts those.
    pub(super) fn amount(self) -> f64 {
        let (Self::Number(amount) | Self::Duration(amount) | Self::Size(amount)) = self;
        amount
    }
}

/// Units of time in seconds: the one that is suggested first, then its other names. `µ` is U+00B5, `μ` U+03BC.
const DURATIONS: [(&[&str], f64); 7] = [
    (&["ns", "nanos", "nanosecond", "nanoseconds", "nsec", "nsecs"], 1e-9),
    (&["us", "µs", "μs", "micros", "microsecond", "microseconds", "usec", "usecs"], 1e-6),
    (&["ms", "millis", "millisecond", "milliseconds", "msec", "msecs"], 1e-3),
    (&["s", "sec", "secs", "second", "seconds"], 1.0),
    (&["min", "m", "mins", "minute", "minutes"], 60.0),
    (&["h", "hr", "hrs", "hour", "hours"], 3_600.0),
    (&["d", "day", "days"], 86_400.0),
];
const SIZES: [(&[&str], f64); 9] = [
    (&["B", "byte", "bytes"], 1.0),
    (&["kB", "KB"], 1e3),
    (&["MB"], 1e6),
    (&["GB"], 1e9),
    (&["TB"], 1e12),
    (&["KiB"], 1_024.0),
    (&["MiB"], 1_048_576.0),
    (&["GiB"], 1_073_741_824.0),
    (&["TiB"], 1_099_511_627_776.0),
];

/// The names of units that are suggested.
pub(super) fn unit_names() -> impl Iterator<Item = &'static str> {
    DURATIONS.iter().chain(&SIZES).filter_map(|(names, _)| names.first().copied())
}

fn factor(units: &[(&[&str], f64)], name: &str) -> Option<f64> {
    units.iter().find(|(names, _)| names.contains(&name)).map(|(_, factor)| *factor)
}

/// Reads a quantity that is the whole of a text.
pub(crate) fn quantity(text: &str) -> Option<Quantity> {
    let (quantity, length) = leading(text)?;
    (length == text.len()).then_some(quantity)
}

/// The same where a name or words say that it is a duration: it may be written as a clock counts.
pub(super) fn duration_or_number(text: &str) -> Option<Quantity> {
    let (quantity, length) = leading_duration(text)?;
    (length == text.len()).then_some(quantity)
}

/// Reads the duration or else the quantity that a text begins with, and gives its length.
pub(super) fn leading_duration(text: &str) -> Option<(Quantity, usize)> {
    clock(text)
        .map(|(seconds, length)| (Quantity::Duration(seconds), length))
        .or_else(|| leading(text))
}

/// Reads the quantity that a text begins with, and gives its length.
fn leading(text: &str) -> Option<(Quantity, usize)> {
    if let Some((seconds, length)) = iso(text) {
        return Some((Quantity::Duration(seconds), length));
    }
    let end = number_end(text);
    let number: f64 = text.get(..end)?.parse().ok()?;
    let Some((unit, until)) = unit_at(text, end) else {
        return Some((Quantity::Number(number), end));
    };
    if let Some(size) = factor(&SIZES, unit) {
        return Some((Quantity::Size(number * size), until));
    }
    let Some(first) = factor(&DURATIONS, unit) else {
        return Some((Quantity::Number(number), end));
    };
    let sign = if text.starts_with('-') { -1.0 } else { 1.0 };
    let (mut seconds, mut smallest, mut at) = (number * first, first, until);
    // 1h2m3s: each part is of a smaller unit than the one before.
    while let Some((more, next, end)) = part(text, at).filter(|(_, next, _)| *next < smallest) {
        seconds += sign * more * next;
        (smallest, at) = (next, end);
    }
    Some((Quantity::Duration(seconds), at))
}

/// A further part of a duration: its number, its unit, and where it ends.
fn part(text: &str, at: usize) -> Option<(f64, f64, usize)> {
    let rest = text.get(at..)?;
    let from = at + rest.len() - rest.trim_start_matches([' ', ',']).len();
    let behind = text.get(from..).filter(|rest| rest.starts_with(|c: char| c.is_ascii_digit()))?;
    let end = from + number_end(behind);
    let number: f64 = text.get(from..end)?.parse().ok()?;
    let (unit, until) = unit_at(text, end)?;
    Some((number, factor(&DURATIONS, unit)?, until))
}

/// Where the number that a text begins with ends: `-1.5e-3` has seven bytes.
fn number_end(text: &str) -> usize {
    let bytes = text.as_bytes();
    let digits = |from: usize| bytes[from..].iter().take_while(|b| b.is_ascii_digit()).count();
    let mut end = usize::from(matches!(bytes.first(), Some(b'-' | b'+')));
    end += digits(end);
    if bytes.get(end) == Some(&b'.') && (end > 0 || digits(1) > 0) {
        end += 1 + digits(end + 1);
    }
    if let Some(b'e' | b'E') = bytes.get(end) {
        let sign = usize::from(matches!(bytes.get(end + 1), Some(b'-' | b'+')));
        let exponent = digits((end + 1 + sign).min(bytes.len()));
        end += if exponent > 0 { 1 + sign + exponent } else { 0 };
    }
    end
}

/// The letters behind a number, a blank apart at most, and where they end.
fn unit_at(text: &str, at: usize) -> Option<(&str, usize)> {
    let rest = text.get(at..)?;
    let from = at + usize::from(rest.starts_with(' '));
    let letters = text.get(from..)?.chars().take_while(|c| c.is_alphabetic());
    let until = from + letters.map(char::len_utf8).sum::<usize>();
    // A name goes on with other signs: `3 s_max` counts no seconds.
    let ends = !text.get(until..)?.starts_with(['_', '/']);
    (until > from && ends).then(|| text.get(from..until).map(|unit| (unit, until)))?
}

/// A duration of ISO 8601, `PT1H2M3.5S`, in seconds, and its length.
fn iso(text: &str) -> Option<(f64, usize)> {
    let (sign, start) = match text.strip_prefix('-') {
        Some(_) => (-1.0, 1),
        None => (1.0, 0),
    };
    text.get(start..)?.strip_prefix('P')?;
    let (mut at, mut seconds, mut parts, mut timed) = (start + 1, 0.0, 0, false);
    loop {
        let rest = text.get(at..).unwrap_or_default();
        if !timed && rest.starts_with('T') {
            (timed, at) = (true, at + 1);
            continue;
        }
        let end = number_end(rest);
        let unit = match (timed, rest.get(end..).and_then(|rest| rest.chars().next())) {
            (false, Some('D')) => 86_400.0,
            (true, Some('H')) => 3_600.0,
            (true, Some('M')) => 60.0,
            (true, Some('S')) => 1.0,
            _ => break,
        };
        let number: f64 = rest.get(..end)?.parse().ok()?;
        seconds += number * unit;
        parts += 1;
        at += end + 1;
    }
    let ends = !text.get(at..)?.starts_with(char::is_alphanumeric);
    (parts > 0 && ends).then_some((sign * seconds, at))
}

/// Hours, minutes and seconds as a clock counts them, `0:00:01.5`, in seconds, and its length.
fn clock(text: &str) -> Option<(f64, usize)> {
    let bytes = text.as_bytes();
    let digits = |from: usize| {
        bytes.get(from..).map_or(0, |rest| rest.iter().take_while(|b| b.is_ascii_digit()).count())
    };
    let hours = digits(0);
    let two = |at: usize| bytes.get(at) == Some(&b':') && digits(at + 1) == 2;
    if !(1..=4).contains(&hours) || !two(hours) || !two(hours + 3) {
        return None;
    }
    let mut end = hours + 6;
    if bytes.get(end) == Some(&b'.') && digits(end + 1) > 0 {
        end += 1 + digits(end + 1);
    }
    let number = |from: usize, to: usize| text.get(from..to)?.parse::<f64>().ok();
    let (minutes, seconds) = (number(hours + 1, hours + 3)?, number(hours + 4, end)?);
    let fits = minutes < 60.0 && seconds < 60.0;
    fits.then_some((number(0, hours)? * 3_600.0 + minutes * 60.0 + seconds, end))
}

/// The unit that the last word of a name is, in seconds: `took_ms`, `durationUs`, `elapsedMilliseconds`. Names that end
/// with `m` or `d` are left alone: `request_d` is no number of days.
pub(super) fn unit_of_name(name: &str) -> Option<f64> {
    let letters = name.trim_end_matches(|c: char| !c.is_ascii_alphanumeric());
    let bytes = letters.as_bytes();
    // From behind: a word begins behind a sign, or with a capital behind a small letter.
    let begins = |at: usize| {
        at == 0
            || !bytes[at - 1].is_ascii_alphanumeric()
            || bytes[at].is_ascii_uppercase() && !bytes[at - 1].is_ascii_uppercase()
    };
    let last = (0..bytes.len()).rev().find(|at| begins(*at))?;
    let word = letters.get(last..)?.to_ascii_lowercase();
    let known = if word.len() == 1 { word == "s" } else { true };
    let whole =
        known.then(|| factor(&DURATIONS, &word)).flatten().filter(|_| last > 0 || word.len() > 3);
    // `tookms`, `durationmillis`, `elapsedseconds`: written together.
    whole.or_else(|| {
        [
            "millis",
            "micros",
            "nanos",
            "seconds",
            "secs",
            "milliseconds",
            "microseconds",
            "nanoseconds",
        ]
        .iter()
        .filter(|unit| word.len() > unit.len() && word.ends_with(**unit))
        .max_by_key(|unit| unit.len())
        .and_then(|unit| factor(&DURATIONS, unit))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quantities_have_units() {
        use Quantity::{Duration, Number, Size};
        for (text, want) in [
            ("250", Some(Number(250.0))),
            ("-1.5", Some(Number(-1.5))),
            ("1.5e-3", Some(Number(0.0015))),
            ("250ms", Some(Duration(0.25))),
            ("504 ms", Some(Duration(0.504))),
            ("250 milliseconds", Some(Duration(0.25))),
            ("3 msecs", Some(Duration(0.003))),
            ("2min", Some(Duration(120.0))),
            ("1.5h", Some(Duration(5_400.0))),
            ("12µs", Some(Duration(12e-6))),
            ("12μs", Some(Duration(12e-6))),
            ("7m54s", Some(Duration(474.0))),
            ("1h2m3s", Some(Duration(3_723.0))),
            ("1 min 2 s", Some(Duration(62.0))),
            ("-1m30s", Some(Duration(-90.0))),
            ("PT1.5S", Some(Duration(1.5))),
            ("P1DT2H", Some(Duration(93_600.0))),
            ("4KiB", Some(Size(4_096.0))),
            ("4 KiB", Some(Size(4_096.0))),
            ("500 kB", Some(Size(500_000.0))),
            ("1kB", Some(Size(1_000.0))),
            ("12 bytes", Some(Size(12.0))),
            ("0:00:01.5", None),
            ("1s2m", None),
            ("3 s_max", None),
            ("PT", None),
            ("Pears", None),
            ("ms", None),
            ("1.2.3", None),
            ("12parsecs", None),
            ("3 berths", None),
            ("-", None),
            (".", None),
            ("", None),
        ] {
            let close = match (quantity(text), want) {
                (Some(got), Some(want)) => {
                    std::mem::discriminant(&got) == std::mem::discriminant(&want)
                        && (got.amount() - want.amount()).abs() < 1e-9
                }
                (got, want) => got == want,
            };
            assert!(close, "{text}: {:?}", quantity(text));
        }
        assert_eq!(duration_or_number("0:00:01.5"), Some(Duration(1.5)));
        assert_eq!(duration_or_number("12:34:56"), Some(Duration(45_296.0)));
        assert_eq!(duration_or_number("0:61:00"), None);
        assert_eq!(leading_duration("7m54s, then"), Some((Duration(474.0), 5)));
        assert_eq!(leading_duration("250 of 300"), Some((Number(250.0), 3)));
    }

    #[test]
    fn names_tell_units() {
        for (name, want) in [
            ("took_ms", Some(1e-3)),
            ("durationMs", Some(1e-3)),
            ("elapsedMilliseconds", Some(1e-3)),
            ("ElapsedMilliseconds", Some(1e-3)),
            ("responseTimeMillis", Some(1e-3)),
            ("response_time_ms", Some(1e-3)),
            ("latency-us", Some(1e-6)),
            ("latencyMicros", Some(1e-6)),
            ("wait_ns", Some(1e-9)),
            ("took_s", Some(1.0)),
            ("duration_seconds", Some(1.0)),
            ("durationseconds", Some(1.0)),
            ("elapsedmillis", Some(1e-3)),
            ("uptime_min", Some(60.0)),
            ("duration", None),
            ("took", None),
            ("status", None),
            ("ms", None),
            ("terms", None),
            ("class_d", None),
            ("min", None),
        ] {
            assert_eq!(unit_of_name(name), want, "{name}");
        }
    }
}
