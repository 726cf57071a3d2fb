//! Times as logs write them, read by hand-tuned paths and without allocation.
//!
//! A [`Stamp`] keeps what was written: the instant or, where no zone was written, the wall-clock
//! time, and the number of fraction digits, so that it can be given back with the log's own
//! precision.

use jiff::{Timestamp, civil, tz::TimeZone};

const SECOND: i64 = 1_000_000_000;

/// What a written time says about its zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Offset {
    /// An offset from UTC in seconds was written, or the form implies UTC.
    Fixed(i32),
    /// No zone was written; the source's zone decides.
    Missing,
}

/// A time read from a log.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stamp {
    /// Nanoseconds since 1970-01-01T00:00:00 of the wall clock as written, before any offset.
    wall: i64,
    /// The offset as written.
    pub offset: Offset,
    /// Digits of the fraction of a second as written, 0–9.
    pub digits: u8,
}

impl Stamp {
    /// Nanoseconds UTC, with `zone` for stamps that name none (`None` stands for UTC).
    #[must_use]
    pub fn nanos(&self, zone: Option<&TimeZone>) -> i64 {
        match (self.offset, zone) {
            (Offset::Fixed(seconds), _) => self.wall - i64::from(seconds) * SECOND,
            (Offset::Missing, None) => self.wall,
            (Offset::Missing, Some(zone)) => {
                let Ok(wall) = Timestamp::from_nanosecond(i128::from(self.wall)) else {
                    return self.wall;
                };
                let civil = TimeZone::UTC.to_datetime(wall);
                zone.to_ambiguous_timestamp(civil)
                    .compatible()
                    .ok()
                    .and_then(|instant| i64::try_from(instant.as_nanosecond()).ok())
                    .unwrap_or(self.wall)
            }
        }
    }

    /// Reads `2026-03-14T06:41:02.340Z` and its relatives at the start of `bytes`: `T` or a space,
    /// dashes or slashes, a dot or comma before the fraction, `Z`, an offset or nothing at the end.
    /// Gives the stamp and the number of bytes it took.
    #[must_use]
    pub fn iso(bytes: &[u8]) -> Option<(Self, usize)> {
        let head = bytes.get(..19)?;
        let dash = head[4];
        if (dash != b'-' && dash != b'/')
            || head[7] != dash
            || (head[10] != b'T' && head[10] != b' ' && head[10] != b't')
            || head[13] != b':'
            || head[16] != b':'
        {
            return None;
        }
        let year = two(head, 0)? * 100 + two(head, 2)?;
        let days = days(year, two(head, 5)?, two(head, 8)?)?;
        let seconds = clock(head, 11)?;
        let (fraction, digits, mut at) = fraction(bytes, 19);
        let mut offset = Offset::Missing;
        if let Some((seconds, next)) = zone_at(bytes, at) {
            (offset, at) = (Offset::Fixed(seconds), next);
        }
        Some((Self::assemble(days, seconds, fraction, offset, digits)?, at))
    }

    /// Reads `14/Mar/2026:06:41:02 +0000`, the time of access logs, at the start of `bytes`.
    #[must_use]
    pub fn access(bytes: &[u8]) -> Option<(Self, usize)> {
        let head = bytes.get(..20)?;
        if head[2] != b'/' || head[6] != b'/' || head[11] != b':' {
            return None;
        }
        let month = month(&head[3..6])?;
        let year = two(head, 7)? * 100 + two(head, 9)?;
        let days = days(year, month, two(head, 0)?)?;
        let seconds = clock(head, 12)?;
        let (fraction, digits, mut at) = fraction(bytes, 20);
        let mut offset = Offset::Missing;
        if bytes.get(at) == Some(&b' ')
            && let Some((seconds, next)) = zone_at(bytes, at + 1)
        {
            (offset, at) = (Offset::Fixed(seconds), next);
        }
        Some((Self::assemble(days, seconds, fraction, offset, digits)?, at))
    }

    /// Reads a number as seconds, milli-, micro- or nanoseconds since 1970, told apart by size:
    /// times from 2001 on are taken.
    #[must_use]
    pub fn epoch(number: &[u8]) -> Option<Self> {
        let dot = memchr::memchr(b'.', number);
        let whole = &number[..dot.unwrap_or(number.len())];
        if whole.len() < 10 || whole.len() > 19 {
            return None;
        }
        let mut value: i64 = 0;
        for byte in whole {
            value = value.checked_mul(10)?.checked_add(i64::from(digit(*byte)?))?;
        }
        let (unit, unit_digits) = match whole.len() {
            10 => (SECOND, 0),
            13 => (1_000_000, 3),
            16 => (1_000, 6),
            19 => (1, 9),
            _ => return None,
        };
        let (mut nanos, mut digits) = (value.checked_mul(unit)?, unit_digits);
        if let Some(dot) = dot {
            let tail = &number[dot + 1..];
            if tail.is_empty() || tail.iter().any(|b| !b.is_ascii_digit()) {
                return None;
            }
            let mut scale = unit;
            for byte in tail {
                scale /= 10;
                if scale == 0 {
                    break;
                }
                nanos = nanos.checked_add(i64::from(digit(*byte)?) * scale)?;
                digits += 1;
            }
        }
        Some(Self { wall: nanos, offset: Offset::Fixed(0), digits })
    }

    /// Reads a whole value as a time, in any of the forms above.
    #[must_use]
    pub fn read(value: &[u8]) -> Option<Self> {
        let whole = |(stamp, taken): (Self, usize)| (taken == value.len()).then_some(stamp);
        match value.len() {
            0..=9 => None,
            _ if value[4] == b'-' || value[4] == b'/' => Self::iso(value).and_then(whole),
            _ if value[2] == b'/' => Self::access(value).and_then(whole),
            _ => Self::epoch(value),
        }
    }

    fn assemble(
        days: i64,
        seconds: i64,
        fraction: i64,
        offset: Offset,
        digits: u8,
    ) -> Option<Self> {
        let wall = (days * 86_400 + seconds).checked_mul(SECOND)?.checked_add(fraction)?;
        // Room for the largest offset, so that `nanos` can't overflow.
        (wall.unsigned_abs() < (i64::MAX - 200_000 * SECOND).unsigned_abs()).then_some(Self {
            wall,
            offset,
            digits,
        })
    }
}

fn digit(byte: u8) -> Option<u8> {
    let value = byte.wrapping_sub(b'0');
    (value < 10).then_some(value)
}

fn two(bytes: &[u8], at: usize) -> Option<i64> {
    let (tens, ones) = (digit(bytes[at])?, digit(bytes[at + 1])?);
    Some(i64::from(tens * 10 + ones))
}

fn clock(bytes: &[u8], at: usize) -> Option<i64> {
    let (hour, minute, second) = (two(bytes, at)?, two(bytes, at + 3)?, two(bytes, at + 6)?);
    let colons = bytes[at + 2] == b':' && bytes[at + 5] == b':';
    // Second 60 is a leap second; it lands on the next minute.
    (colons && hour < 24 && minute < 60 && second < 61)
        .then_some(hour * 3_600 + minute * 60 + second)
}

fn fraction(bytes: &[u8], mut at: usize) -> (i64, u8, usize) {
    if !matches!(bytes.get(at), Some(b'.' | b','))
        || !bytes.get(at + 1).is_some_and(u8::is_ascii_digit)
    {
        return (0, 0, at);
    }
    at += 1;
    let (mut nanos, mut scale, mut digits) = (0, SECOND, 0);
    while let Some(value) = bytes.get(at).and_then(|b| digit(*b)) {
        scale /= 10;
        nanos += i64::from(value) * scale;
        if scale > 0 {
            digits += 1;
        }
        at += 1;
    }
    (nanos, digits, at)
}

/// An offset such as `Z`, `+01:00`, `-0530` or `+02` at `at`: its seconds and where it ends.
fn zone_at(bytes: &[u8], at: usize) -> Option<(i32, usize)> {
    let sign = match bytes.get(at)? {
        b'Z' | b'z' => return Some((0, at + 1)),
        b'+' => 1,
        b'-' => -1,
        _ => return None,
    };
    let rest = &bytes[at + 1..];
    let hours = two(rest.get(..2)?, 0)?;
    let (minutes, taken) = match rest.get(2..) {
        Some([b':', a, b, ..]) if a.is_ascii_digit() && b.is_ascii_digit() => {
            (two(&[*a, *b], 0)?, 5)
        }
        Some([a, b, ..]) if a.is_ascii_digit() && b.is_ascii_digit() => (two(&[*a, *b], 0)?, 4),
        _ => (0, 2),
    };
    if hours > 23 || minutes > 59 {
        return None;
    }
    let seconds = i32::try_from(hours * 3_600 + minutes * 60).ok()?;
    Some((sign * seconds, at + 1 + taken))
}

fn month(name: &[u8]) -> Option<i64> {
    const NAMES: [&[u8; 3]; 12] = [
        b"jan", b"feb", b"mar", b"apr", b"may", b"jun", b"jul", b"aug", b"sep", b"oct", b"nov",
        b"dec",
    ];
    let at = NAMES.iter().position(|n| name.eq_ignore_ascii_case(*n))?;
    i64::try_from(at + 1).ok()
}

/// Days since 1970-01-01 in the proleptic Gregorian calendar; `None` for dates that don't exist.
///
/// The formula counts years from March, so that the leap day is the last of its year.
fn days(year: i64, month: i64, day: i64) -> Option<i64> {
    let leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    let last = match month {
        1 | 3 | 5 | 7 | 8 | 10 | 12 => 31,
        4 | 6 | 9 | 11 => 30,
        2 => 28 + i64::from(leap),
        _ => return None,
    };
    if day < 1 || day > last {
        return None;
    }
    let (year, month) = if month > 2 { (year, month - 3) } else { (year - 1, month + 9) };
    let era = year.div_euclid(400);
    let of_era = year.rem_euclid(400);
    let of_year = (153 * month + 2) / 5 + day - 1;
    Some(era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468)
}

/// Writes nanoseconds UTC as RFC 3339 with `digits` digits of fraction.
#[must_use]
pub fn rfc3339(nanos: i64, digits: u8) -> String {
    let time = Timestamp::from_nanosecond(i128::from(nanos)).unwrap_or(Timestamp::UNIX_EPOCH);
    let digits = usize::from(digits.min(9));
    format!("{time:.digits$}")
}

/// The wall-clock time of `nanos` in `zone`.
#[must_use]
pub fn civil(nanos: i64, zone: &TimeZone) -> civil::DateTime {
    zone.to_datetime(Timestamp::from_nanosecond(i128::from(nanos)).unwrap_or(Timestamp::UNIX_EPOCH))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn usual_forms_give_the_same_instant() {
        for written in [
            "2026-03-14T06:41:02.340Z",
            "2026-03-14 06:41:02,340",
            "2026/03/14 06:41:02.340",
            "2026-03-14T07:41:02.340+01:00",
            "2026-03-14T01:11:02.340-0530",
            "14/Mar/2026:06:41:02.340 +0000",
            "1773470462.340",
            "1773470462340",
            "1773470462340000",
        ] {
            let stamp = Stamp::read(written.as_bytes()).unwrap_or_else(|| panic!("{written}"));
            assert_eq!(rfc3339(stamp.nanos(None), 3), "2026-03-14T06:41:02.340Z", "{written}");
        }
    }

    #[test]
    fn what_is_no_time_is_refused() {
        for written in [
            "2026-02-29T06:41:02Z",
            "2026-13-01T06:41:02Z",
            "2026-03-14T24:00:00Z",
            "0000-00-00T00:00:00Z",
            "9999-12-31T23:59:59Z",
            "2026-03-14",
            "14/Foo/2026:06:41:02 +0000",
            "173470462",
            "1773470462.",
            "99999999999999999999",
        ] {
            assert_eq!(Stamp::read(written.as_bytes()), None, "{written}");
        }
    }

    #[test]
    fn offsets_end_where_they_end() {
        for (written, offset, taken) in [
            ("2026-03-14T06:41:02Z rest", Offset::Fixed(0), 20),
            ("2026-03-14T06:41:02+01:00", Offset::Fixed(3_600), 25),
            ("2026-03-14T06:41:02-0530x", Offset::Fixed(-19_800), 24),
            ("2026-03-14T06:41:02+02", Offset::Fixed(7_200), 22),
            ("2026-03-14T06:41:02+02:x", Offset::Fixed(7_200), 22),
            ("2026-03-14T06:41:02+99:00", Offset::Missing, 19),
            ("2026-03-14 06:41:02 -- x", Offset::Missing, 19),
            ("2026-03-14 06:41:02.123456789012Z", Offset::Fixed(0), 33),
            ("2026-03-14 06:41:02. x", Offset::Missing, 19),
            ("2016-12-31T23:59:60Z", Offset::Fixed(0), 20),
        ] {
            let (stamp, end) =
                Stamp::iso(written.as_bytes()).unwrap_or_else(|| panic!("{written}"));
            assert_eq!((stamp.offset, end), (offset, taken), "{written}");
        }
        let (stamp, _) = Stamp::iso(b"2026-03-14 06:41:02.123456789012Z").unwrap();
        assert_eq!((stamp.digits, stamp.nanos(None) % 1_000_000_000), (9, 123_456_789));
    }

    #[test]
    fn a_named_zone_serves_stamps_without_one() {
        let zone = TimeZone::get("Europe/Rome").unwrap();
        let (stamp, _) = Stamp::iso(b"2026-07-01 12:00:00").unwrap();
        assert_eq!(rfc3339(stamp.nanos(Some(&zone)), 0), "2026-07-01T10:00:00Z");
    }

    proptest! {
        #[test]
        fn agrees_with_a_calendar(seconds in 0i64..7_000_000_000, nanos in 0i64..1_000_000_000) {
            let instant = seconds * SECOND + nanos;
            let written = rfc3339(instant, 9);
            prop_assert_eq!(Stamp::read(written.as_bytes()).map(|s| s.nanos(None)), Some(instant));
        }

        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..40)) {
            let _ = (Stamp::iso(&bytes), Stamp::access(&bytes), Stamp::epoch(&bytes), Stamp::read(&bytes));
        }
    }
}
