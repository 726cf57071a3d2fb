//! Quantities with units, and times, as people write them.

use jiff::{Timestamp, civil, tz::TimeZone};

use super::{Anchor, Context, Error};
use crate::entry::{Clock, Missing, Stamp, civil as civil_of};

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

const DURATIONS: [(&str, f64); 12] = [
    ("ns", 1e-9),
    ("us", 1e-6),
    ("µs", 1e-6),
    ("ms", 1e-3),
    ("s", 1.0),
    ("sec", 1.0),
    ("m", 60.0),
    ("min", 60.0),
    ("h", 3_600.0),
    ("hour", 3_600.0),
    ("d", 86_400.0),
    ("day", 86_400.0),
];
const SIZES: [(&str, f64); 9] = [
    ("B", 1.0),
    ("kB", 1e3),
    ("KB", 1e3),
    ("MB", 1e6),
    ("GB", 1e9),
    ("KiB", 1_024.0),
    ("MiB", 1_048_576.0),
    ("GiB", 1_073_741_824.0),
    ("TiB", 1_099_511_627_776.0),
];

/// Reads `250`, `1.5s`, `4KiB`: a number and an optional unit without a space.
pub(crate) fn quantity(text: &str) -> Option<Quantity> {
    let digits_end = text
        .char_indices()
        .find(|(at, c)| {
            !(c.is_ascii_digit() || *c == '.' || (*at == 0 && (*c == '-' || *c == '+')))
        })
        .map_or(text.len(), |(at, _)| at);
    let (number, unit) = text.split_at_checked(digits_end)?;
    let number: f64 = number.parse().ok()?;
    let of = |units: &[(&str, f64)]| {
        units.iter().find(|(name, _)| *name == unit).map(|(_, factor)| number * factor)
    };
    if unit.is_empty() {
        Some(Quantity::Number(number))
    } else {
        of(&DURATIONS).map(Quantity::Duration).or_else(|| of(&SIZES).map(Quantity::Size))
    }
}

/// The unit that a field's name ends with, in seconds: `took_ms`, `durationUs`.
fn unit_of_name(name: &str) -> Option<f64> {
    let lower = name.to_ascii_lowercase();
    for (end, factor) in [
        ("_ms", 1e-3),
        ("millis", 1e-3),
        ("_us", 1e-6),
        ("micros", 1e-6),
        ("_ns", 1e-9),
        ("nanos", 1e-9),
        ("_s", 1.0),
        ("_sec", 1.0),
        ("seconds", 1.0),
        ("secs", 1.0),
    ] {
        if lower.ends_with(end) {
            return Some(factor);
        }
    }
    ["Ms", "Us", "Ns"]
        .iter()
        .zip([1e-3, 1e-6, 1e-9])
        .find(|(end, _)| name.ends_with(**end))
        .map(|(_, factor)| factor)
}

/// Names of fields that tell, where a span closes, how long it was at work, and how long it waited.
pub(crate) const BUSY: &str = "time.busy";
pub(crate) const IDLE: &str = "time.idle";

/// What the names of fields begin with that say how long something took.
pub(super) const DURATION_STEMS: [&str; 6] =
    ["took", "duration", "elapsed", "latency", "request_time", "response_time"];

/// Names of the field that says how long something took.
pub(crate) fn is_duration_name(name: &str) -> bool {
    let starts =
        |stem: &&str| name.get(..stem.len()).is_some_and(|front| front.eq_ignore_ascii_case(stem));
    // Most names begin like none of them.
    let first = name.as_bytes().first().map(u8::to_ascii_lowercase);
    if !matches!(first, Some(b't' | b'd' | b'e' | b'l' | b'r'))
        || !DURATION_STEMS.iter().any(starts)
    {
        return false;
    }
    let lower = name.to_ascii_lowercase();
    DURATION_STEMS.iter().any(|stem| {
        lower.strip_prefix(stem).is_some_and(|rest| rest.is_empty() || unit_of_name(name).is_some())
    })
}

/// A field's value in seconds: its own unit, else that of its name, else seconds for a name that stands
/// for a duration.
pub(crate) fn seconds(name: &str, text: &str) -> Option<f64> {
    match quantity(text).or_else(|| spaced(text).filter(|_| is_duration_name(name)))? {
        Quantity::Duration(seconds) => Some(seconds),
        Quantity::Number(number) => match unit_of_name(name) {
            Some(unit) => Some(number * unit),
            None => is_duration_name(name).then_some(number),
        },
        Quantity::Size(_) => None,
    }
}

/// A duration as messages write it: `222 ms`, `3 msecs`, `1.5 seconds`.
fn spaced(text: &str) -> Option<Quantity> {
    let (number, unit) = text.split_once(' ')?;
    let unit = match unit {
        "msec" | "msecs" | "millis" | "milliseconds" => "ms",
        "sec" | "secs" | "second" | "seconds" => "s",
        "minute" | "minutes" => "min",
        "microseconds" | "usec" => "us",
        unit => unit,
    };
    let number: f64 = number.parse().ok()?;
    let (_, factor) = DURATIONS.iter().find(|(name, _)| *name == unit)?;
    Some(Quantity::Duration(number * factor))
}

/// Whether a text is a number, perhaps with the beginning of a unit, for a field that counts time.
pub(super) fn takes_units(path: &super::Path, text: &str) -> bool {
    let unit = text.trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
    let duration = match path {
        super::Path::Took => true,
        super::Path::Field(name) => is_duration_name(name),
        _ => false,
    };
    duration && unit.len() < text.len() && unit.chars().all(char::is_alphabetic)
}

/// What is wrong with a text that begins like a quantity and is none.
pub(super) fn unknown_unit(text: &str) -> Option<String> {
    let digits =
        text.trim_start_matches('-').trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
    let unit = digits.trim_end_matches("..");
    let number = text.len() > digits.len()
        && text.trim_start_matches('-').starts_with(|c: char| c.is_ascii_digit());
    let letters = !unit.is_empty() && unit.len() <= 8 && unit.chars().all(char::is_alphabetic);
    if !number || !letters || quantity(text).is_some() {
        return None;
    }
    let names =
        || DURATIONS.iter().map(|(name, _)| *name).chain(SIZES.iter().map(|(name, _)| *name));
    Some(match super::nearest(unit, names()) {
        Some(near) => format!("`{unit}` is no unit; did you mean {near}?"),
        None => format!(
            "`{unit}` is no unit; durations have ns us ms s min h d, sizes B kB KB MB GB KiB MiB GiB TiB"
        ),
    })
}

/// Reads a time: RFC 3339, a date, a clock time on the data's last day, or `-15min` before its end.
/// Gives nanoseconds UTC, and what they depend on.
pub(super) fn time(text: &str, at: usize, context: &Context) -> Result<(i64, Anchor), Error> {
    if text.starts_with('-')
        && let Some(Quantity::Duration(seconds)) = quantity(text)
    {
        let missing =
            || Error::new(at, "no entry has a time yet, so there is no end to count from");
        let last = context.last.ok_or_else(missing)?;
        #[expect(clippy::cast_possible_truncation, reason = "a clamped number of nanoseconds")]
        let by = (seconds * 1e9).round() as i64;
        return Ok((last.saturating_add(by), Anchor::End(by)));
    }
    let missing =
        |what: &str| Error::new(at, format!("no entry has a time yet, so there is no {what}"));
    if text == "last" {
        return context.last.map(|last| (last, Anchor::End(0))).ok_or_else(|| missing("last one"));
    }
    if text == "first" {
        return context
            .first
            .map(|first| (first, Anchor::Fixed))
            .ok_or_else(|| missing("first one"));
    }
    if text.starts_with('+')
        && let Some(Quantity::Duration(seconds)) = quantity(text)
    {
        let first = context.first.ok_or_else(|| missing("beginning to count from"))?;
        #[expect(clippy::cast_possible_truncation, reason = "a clamped number of nanoseconds")]
        let by = (seconds * 1e9).round() as i64;
        return Ok((first.saturating_add(by), Anchor::Fixed));
    }
    fixed(text, at, context).map(|time| (time, Anchor::Fixed))
}

fn fixed(text: &str, at: usize, context: &Context) -> Result<i64, Error> {
    let zone = context.zone.clone().unwrap_or(TimeZone::UTC);
    let instant = |time: civil::DateTime| {
        zone.to_ambiguous_timestamp(time)
            .compatible()
            .ok()
            .and_then(|t: Timestamp| i64::try_from(t.as_nanosecond()).ok())
    };
    let unknown = || {
        Error::new(
            at,
            format!(
                "`{text}` is no time; write 06:38, 06:38:30, 2026-03-14T06:38:00Z, \
                 \"2026-03-14 06:38\", -15min, +15min, first or last"
            ),
        )
    };
    if let Some(stamp) = Stamp::read(text.as_bytes())
        .filter(|s| matches!(s.missing, Missing::Nothing | Missing::Outside))
    {
        return Ok(stamp.nanos(&Clock { zone: context.zone.clone(), ..Clock::default() }));
    }
    let missing = || Error::new(at, "no entry has a time yet, so give the date as well");
    let spelled = text.replace(' ', "T");
    if let Ok(date) = spelled.parse::<civil::Date>()
        && spelled.len() == 10
    {
        return instant(date.at(0, 0, 0, 0)).ok_or_else(unknown);
    }
    if spelled.len() > 10
        && let Ok(time) = spelled.parse::<civil::DateTime>()
    {
        return instant(time).ok_or_else(unknown);
    }
    let clock: civil::Time =
        text.contains(':').then(|| text.parse().ok()).flatten().ok_or_else(unknown)?;
    let day = civil_of(context.last.ok_or_else(missing)?, &zone).date();
    instant(day.to_datetime(clock)).ok_or_else(unknown)
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
            ("250ms", Some(Duration(0.25))),
            ("2min", Some(Duration(120.0))),
            ("1.5h", Some(Duration(5_400.0))),
            ("4KiB", Some(Size(4_096.0))),
            ("1kB", Some(Size(1_000.0))),
            ("4 KiB", None),
            ("ms", None),
            ("1.2.3", None),
            ("12parsecs", None),
            ("", None),
        ] {
            assert_eq!(quantity(text), want, "{text}");
        }
    }

    #[test]
    fn durations_know_their_unit_by_name() {
        for (name, text, want) in [
            ("took", "209ms", Some(0.209)),
            ("took", "209 ms", Some(0.209)),
            ("took", "3 msecs", Some(0.003)),
            ("took", "3 berths", None),
            ("berth", "3 ms", None),
            ("took", "0.231", Some(0.231)),
            ("took_ms", "250", Some(0.25)),
            ("durationMs", "250", Some(0.25)),
            ("elapsed_us", "1000", Some(0.001)),
            ("wait_ns", "1000000", Some(0.001)),
            ("duration_seconds", "2", Some(2.0)),
            ("attempt", "2", None),
            ("took", "4KiB", None),
            ("took", "long", None),
        ] {
            let got = seconds(name, text);
            let close = match (got, want) {
                (Some(got), Some(want)) => (got - want).abs() < 1e-12,
                (got, want) => got == want,
            };
            assert!(close, "{name}={text}: {got:?}");
        }
        for (name, want) in [
            ("took", true),
            ("duration_ms", true),
            ("latency", true),
            ("tookover", false),
            ("status", false),
        ] {
            assert_eq!(is_duration_name(name), want, "{name}");
        }
    }
}
