//! Quantities with units, and times, as people write them.

use std::cell::Cell;

use jiff::{Timestamp, civil, tz::TimeZone};

use super::{
    Anchor, Context, Error, Quantity,
    quantity::{duration_or_number, quantity, unit_names, unit_of_name},
};
use crate::entry::{Clock, Missing, Stamp, civil as civil_of};

/// Names of fields that tell, where a span closes, how long it was at work, and how long it waited.
pub(crate) const BUSY: &str = "time.busy";
pub(crate) const IDLE: &str = "time.idle";

/// What the names of fields begin with that say how long something took.
pub(super) const DURATION_STEMS: [&str; 6] =
    ["took", "duration", "elapsed", "latency", "request_time", "response_time"];

/// Names of the field that says how long something took.
pub(crate) fn is_duration_name(name: &str) -> bool {
    // Most names begin like none of them.
    let first = name.as_bytes().first().map(u8::to_ascii_lowercase);
    if !matches!(first, Some(b't' | b'd' | b'e' | b'l' | b'r')) {
        return false;
    }
    DURATION_STEMS.iter().any(|stem| {
        let Some(rest) = rest_behind(name, stem) else { return false };
        rest.is_empty() || unit_of_name(name).is_some()
    })
}

/// What stands in a name behind a stem, whose words may be written together: `responseTimeMs` begins with `response_time`.
fn rest_behind<'n>(name: &'n str, stem: &str) -> Option<&'n str> {
    let mut at = 0;
    for byte in stem.bytes() {
        match name.as_bytes().get(at) {
            Some(found) if found.eq_ignore_ascii_case(&byte) => at += 1,
            _ if byte == b'_' => {}
            _ => return None,
        }
    }
    name.get(at..)
}

/// A field's value in seconds: by its own unit, or by that of its name. A number without either is of no known unit, and
/// gives none.
pub(crate) fn seconds(name: &str, text: &str) -> Option<f64> {
    let timed = is_duration_name(name);
    match if timed { duration_or_number(text) } else { quantity(text) }? {
        Quantity::Duration(seconds) => Some(seconds),
        Quantity::Number(number) => match unit_of_name(name) {
            Some(unit) => Some(number * unit),
            None => is_standard(name, text).then_some(number),
        },
        Quantity::Size(_) => None,
    }
}

/// Whether a value is a request's time as web servers document it: seconds with three decimals, `request_time=0.231`.
fn is_standard(name: &str, text: &str) -> bool {
    matches!(name, "request_time" | "upstream_time" | "upstream_response_time")
        && text.split_once('.').is_some_and(|(whole, decimals)| {
            decimals.len() == 3 && whole.bytes().chain(decimals.bytes()).all(|b| b.is_ascii_digit())
        })
}

/// Whether a value tells how long something took, but not in which unit: `"duration":133`.
pub(crate) fn is_without_unit(name: &str, text: &str) -> bool {
    is_duration_name(name)
        && seconds(name, text).is_none()
        && matches!(quantity(text), Some(Quantity::Number(_)))
}

thread_local! {
    /// A number of no known unit was to be compared with a duration.
    static UNITLESS: Cell<bool> = const { Cell::new(false) };
}

/// Whether, since the last call, a number of no known unit was to be compared with a duration: `"duration":133` with `1s`.
pub(super) fn met_unitless() -> bool {
    UNITLESS.replace(false)
}

/// Says that a number of no known unit was to be compared with a duration.
pub(super) fn meet_unitless() {
    UNITLESS.set(true);
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
    Some(match super::nearest(unit, unit_names()) {
        Some(near) => format!("`{unit}` is no unit; did you mean {near}?"),
        None => format!(
            "`{unit}` is no unit; durations have ns us ms s min h d, sizes B kB KB MB GB TB KiB MiB GiB TiB"
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
    fn durations_know_their_unit_by_name() {
        for (name, text, want) in [
            ("took", "209ms", Some(0.209)),
            ("took", "209 ms", Some(0.209)),
            ("took", "3 msecs", Some(0.003)),
            ("took", "3 berths", None),
            ("berth", "3 ms", Some(0.003)),
            ("took", "0.231", None),
            ("duration", "133", None),
            ("duration", "0:00:01.5", Some(1.5)),
            ("clock", "0:00:01.5", None),
            ("request_time", "0.231", Some(0.231)),
            ("request_time", "231", None),
            ("elapsedMilliseconds", "133", Some(0.133)),
            ("responseTimeMillis", "133", Some(0.133)),
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
            ("elapsedMilliseconds", true),
            ("responseTimeMs", true),
            ("tookover", false),
            ("status", false),
        ] {
            assert_eq!(is_duration_name(name), want, "{name}");
        }
    }
}
