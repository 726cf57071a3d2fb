//! The forms that times are written in, read by hand-tuned paths and without allocation.
//!
//! [`Stamp::leading`] reads a time at the start of a text and says how many bytes it took;
//! [`Stamp::read`] takes a whole value. The first bytes decide which form is tried, so that a text
//! without a time costs a look at a few of them.

use std::cell::Cell;

use super::{
    digits::{digit, number, two},
    stamp::{DAY, Missing, Offset, SECOND, Stamp},
    zones::{hours_behind, zone_at, zone_behind, zone_named},
};

impl Stamp {
    /// Reads `2026-03-14T06:41:02.340Z` and its relatives at the start of `bytes`: `T`, `_` or spaces
    /// between, dashes, slashes or dots in the date, a dot, comma or colon before the fraction, `Z`, an
    /// offset, the name of a zone or nothing at the end. Gives the stamp and the number of bytes it took.
    #[must_use]
    pub fn iso(bytes: &[u8]) -> Option<(Self, usize)> {
        if let Some((days, seconds)) = fixed(bytes) {
            return Self::behind(bytes, days, seconds, 19);
        }
        let head = bytes.get(..16)?;
        let dash = head[4];
        if !matches!(dash, b'-' | b'/' | b'.') || head[7] != dash {
            return None;
        }
        let year = two(head, 0)? * 100 + two(head, 2)?;
        let days = days(year, two(head, 5)?, two(head, 8)?)?;
        let mut at = match head[10] {
            b'T' | b't' | b' ' | b'_' | b'-' => 11,
            b',' if head[11] == b' ' => 12,
            _ => return None,
        };
        while at < 14 && matches!(bytes[at], b' ' | b'-') {
            at += 1;
        }
        Self::with_clock(bytes, days, at)
    }

    /// Reads `2026-03-14T06:41:02` with what belongs to a time behind it, or with a space for the `T`:
    /// the form that most logs have, and no other.
    pub(crate) fn fixed_iso(bytes: &[u8]) -> Option<(Self, usize)> {
        let (days, seconds) = fixed(bytes)?;
        Self::behind(bytes, days, seconds, 19)
    }

    /// Reads `14/Mar/2026:06:41:02 +0000`, the time of access logs, and its relatives with dashes or
    /// spaces, at the start of `bytes`.
    #[must_use]
    pub fn access(bytes: &[u8]) -> Option<(Self, usize)> {
        if let Some((days, seconds)) = fixed_access(bytes) {
            return Self::behind(bytes, days, seconds, 20);
        }
        let width = if digit(*bytes.get(1)?).is_some() { 2 } else { 1 };
        let day = number(bytes.get(..width)?)?;
        let rest = bytes.get(width..)?;
        let head = rest.get(..10)?;
        if !matches!(head[0], b'/' | b'-' | b' ') || !matches!(head[4], b'/' | b'-' | b' ') {
            return None;
        }
        let month = month(&head[1..4])?;
        let year = two(head, 5)? * 100 + two(head, 7)?;
        let days = days(year, month, day)?;
        if !matches!(head[9], b':' | b' ' | b'T') {
            return None;
        }
        Self::with_clock(bytes, days, width + 10)
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
            if tail.is_empty() {
                return None;
            }
            let mut scale = unit;
            for (at, byte) in tail.iter().enumerate() {
                let Some(value) = digit(*byte) else {
                    // `1.773470462340e9` and the like.
                    return (at > 0 && matches!(byte, b'e' | b'E')).then(|| Self::float(number))?;
                };
                scale /= 10;
                if scale > 0 {
                    nanos = nanos.checked_add(i64::from(value) * scale)?;
                    digits += 1;
                }
            }
        }
        Some(Self { wall: nanos, offset: Offset::Fixed(0), digits, missing: Missing::Nothing })
    }

    /// Reads `1.773470462340e9`, seconds as a library without fixed notation writes them.
    fn float(number: &[u8]) -> Option<Self> {
        let text = std::str::from_utf8(number).ok()?;
        if !text.contains(['e', 'E']) || text.len() > 32 {
            return None;
        }
        let seconds: f64 = text.parse().ok()?;
        if !(1e9..9e9).contains(&seconds) {
            return None;
        }
        #[expect(clippy::cast_possible_truncation, reason = "the range was checked")]
        let micros = (seconds * 1e6).round() as i64;
        Some(Self {
            wall: micros * 1_000,
            offset: Offset::Fixed(0),
            digits: 6,
            missing: Missing::Nothing,
        })
    }

    /// Seconds and nanoseconds since 1970 that a log keeps apart.
    pub(crate) fn of_parts(seconds: i64, nanos: i64) -> Option<Self> {
        if !(0..SECOND).contains(&nanos) || !(0..9_000_000_000).contains(&seconds) {
            return None;
        }
        Some(Self {
            wall: seconds * SECOND + nanos,
            offset: Offset::Fixed(0),
            digits: 9,
            missing: Missing::Nothing,
        })
    }

    /// Reads a time of any form but a bare number at the start of `bytes`. Gives the stamp and the
    /// number of bytes it took, an offset or the name of a zone behind it included.
    #[must_use]
    pub fn leading(bytes: &[u8]) -> Option<(Self, usize)> {
        let first = *bytes.first()?;
        if first.is_ascii_digit() {
            match *bytes.get(2)? {
                b':' => Self::clock_only(bytes),
                b'/' | b'-' | b' ' | b'.' => Self::access(bytes)
                    .or_else(|| Self::day_first(bytes))
                    .or_else(|| Self::yearless(bytes))
                    .or_else(|| Self::short_year(bytes)),
                _ if bytes.get(4).is_some_and(u8::is_ascii_digit) => Self::compact(bytes),
                _ => match *bytes.get(1)? {
                    b':' => Self::clock_only(bytes),
                    b'/' => Self::day_first(bytes),
                    b' ' => Self::access(bytes),
                    _ => Self::iso(bytes),
                },
            }
        } else if first.is_ascii_alphabetic() {
            Self::month_first(bytes)
        } else {
            None
        }
    }

    /// Reads a whole value as a time, in any of the forms above.
    #[must_use]
    pub fn read(value: &[u8]) -> Option<Self> {
        let value = value.trim_ascii();
        let whole = |(stamp, taken): (Self, usize)| (taken == value.len()).then_some(stamp);
        match value.len() {
            0..=6 => None,
            _ if value[4] == b'-' || value[4] == b'/' => Self::iso(value).and_then(whole),
            _ if value[2] == b'/' => {
                Self::access(value).or_else(|| Self::leading(value)).and_then(whole)
            }
            _ => Self::epoch(value)
                .or_else(|| Self::leading(value).and_then(whole))
                .or_else(|| Self::float(value)),
        }
    }

    /// `20260314T064102Z`, `20260314-06:41:02.340`
    fn compact(bytes: &[u8]) -> Option<(Self, usize)> {
        let head = bytes.get(..15)?;
        if !matches!(head[8], b'T' | b'-' | b' ' | b'_') {
            return None;
        }
        let days = days(two(head, 0)? * 100 + two(head, 2)?, two(head, 4)?, two(head, 6)?)?;
        if head[11] == b':' {
            return Self::with_clock(bytes, days, 9);
        }
        let (hour, minute, second) = (two(head, 9)?, two(head, 11)?, two(head, 13)?);
        if (hour > 23 || minute > 59 || second > 60) && !is_midnight(hour, minute, second) {
            return None;
        }
        Self::behind(bytes, days, hour * 3_600 + minute * 60 + second, 15)
    }

    /// `Mar 14 06:41:02`, `Sat Mar 14 06:41:02.340 2026`, `Sat, 14 Mar 2026 06:41:02 GMT`,
    /// `Mar 14, 2026 6:41:02 AM`
    fn month_first(bytes: &[u8]) -> Option<(Self, usize)> {
        let mut at = 0;
        if weekday(bytes.get(..3)?) {
            at = 3 + usize::from(bytes.get(3) == Some(&b','));
            if bytes.get(at) != Some(&b' ') {
                return None;
            }
            at = spaces(bytes, at);
            if bytes.get(at)?.is_ascii_digit() {
                let (stamp, taken) =
                    Self::access(&bytes[at..]).or_else(|| Self::iso(&bytes[at..]))?;
                return Some((stamp, at + taken));
            }
        }
        let month = month(bytes.get(at..at + 3)?)?;
        at += 3;
        if bytes.get(at) != Some(&b' ') {
            return None;
        }
        at = spaces(bytes, at);
        let width = bytes[at..].iter().take(2).take_while(|b| b.is_ascii_digit()).count();
        let day = number(&bytes[at..at + width])?;
        at += width;
        let comma = bytes.get(at) == Some(&b',');
        at += usize::from(comma);
        if bytes.get(at) != Some(&b' ') {
            return None;
        }
        at = spaces(bytes, at);
        let year_at = |at: usize| {
            let digits = bytes.get(at..at + 4)?;
            let ends = !bytes.get(at + 4).is_some_and(u8::is_ascii_digit);
            let year = number(digits)?;
            (ends && (1_970..2_200).contains(&year)).then_some(year)
        };
        if let Some(year) = year_at(at) {
            let days = days(year, month, day)?;
            let next = at + 4 + usize::from(bytes.get(at + 4) == Some(&b','));
            return Self::with_clock(bytes, days, spaces(bytes, next));
        }
        // The year may stand behind the clock; 2000 has every day.
        let (mut stamp, mut end) = Self::with_clock(bytes, days(2_000, month, day)?, at)?;
        if bytes.get(end) == Some(&b' ')
            && let Some(year) = year_at(end + 1)
        {
            let second = stamp.wall.rem_euclid(DAY);
            stamp.wall = days(year, month, day)?.checked_mul(DAY)?.checked_add(second)?;
            end += 5;
        } else {
            stamp.missing = Missing::Year;
        }
        Some((stamp, end))
    }

    /// `03/14/2026, 6:41:02 AM`, `14.03.2026 06:41:02`: month first with slashes unless that can't be.
    fn day_first(bytes: &[u8]) -> Option<(Self, usize)> {
        let one = bytes.iter().take(2).take_while(|b| b.is_ascii_digit()).count();
        let mark = *bytes.get(one)?;
        if !matches!(mark, b'/' | b'.' | b'-') {
            return None;
        }
        let rest = &bytes[one + 1..];
        let two = rest.iter().take(2).take_while(|b| b.is_ascii_digit()).count();
        if rest.get(two) != Some(&mark) {
            return None;
        }
        let (first, second) = (number(&bytes[..one])?, number(&rest[..two])?);
        let year = number(rest.get(two + 1..two + 5)?)?;
        let (month, day) =
            if mark == b'/' && first <= 12 { (first, second) } else { (second, first) };
        let days = days(year, month, day)?;
        let mut at = one + 1 + two + 5;
        at += usize::from(bytes.get(at) == Some(&b','));
        if !matches!(bytes.get(at), Some(b' ' | b'T')) {
            return None;
        }
        Self::with_clock(bytes, days, spaces(bytes, at + usize::from(bytes[at] == b'T')))
    }

    /// `03-14 06:41:02.340`, the form of mobile devices.
    fn yearless(bytes: &[u8]) -> Option<(Self, usize)> {
        let head = bytes.get(..14)?;
        if !matches!(head[2], b'-' | b'/') || head[5] != b' ' {
            return None;
        }
        let days = days(2_000, two(head, 0)?, two(head, 3)?)?;
        let (mut stamp, end) = Self::with_clock(bytes, days, 6)?;
        stamp.missing = Missing::Year;
        Some((stamp, end))
    }

    /// `26/03/14 06:41:02`, or `03/14/26 06:41:02`: a month or a day is no year of these logs.
    fn short_year(bytes: &[u8]) -> Option<(Self, usize)> {
        let head = bytes.get(..14)?;
        if head[2] != b'/' || head[5] != b'/' || head[8] != b' ' {
            return None;
        }
        let (first, second, third) = (two(head, 0)?, two(head, 3)?, two(head, 6)?);
        let years = 13..=69;
        let days = match years.contains(&third) && !years.contains(&first) {
            true => days(2_000 + third, first, second)?,
            false => days(2_000 + first, second, third)?,
        };
        Self::with_clock(bytes, days, 9)
    }

    /// `06:41:02.340`, `6:41AM`
    fn clock_only(bytes: &[u8]) -> Option<(Self, usize)> {
        let (mut stamp, end) = Self::with_clock(bytes, 0, 0)?;
        stamp.missing = Missing::Date;
        // Two numbers alone are too often something else.
        let colons = memchr::memchr_iter(b':', &bytes[..end]).count();
        let half = bytes[..end].last().is_some_and(u8::is_ascii_alphabetic);
        (colons >= 2 || half).then_some((stamp, end))
    }

    /// The clock at `at`, and what belongs to a time behind it.
    fn with_clock(bytes: &[u8], days: i64, at: usize) -> Option<(Self, usize)> {
        let (seconds, at) = clock(bytes, at)?;
        Self::behind(bytes, days, seconds, at)
    }

    /// Fraction, half of the day and zone behind a clock that ends at `at`.
    #[inline]
    fn behind(bytes: &[u8], days: i64, seconds: i64, at: usize) -> Option<(Self, usize)> {
        match usual_end(bytes, at) {
            Some((fraction, digits, offset, end)) if days.abs() < NEAR => {
                let wall = (days * 86_400 + seconds) * SECOND + fraction;
                Some((Self { wall, offset, digits, missing: Missing::Nothing }, end))
            }
            _ => Self::behind_any(bytes, days, seconds, at),
        }
    }

    /// The same for what few logs write.
    fn behind_any(bytes: &[u8], days: i64, mut seconds: i64, at: usize) -> Option<(Self, usize)> {
        let (fraction, digits, mut at) = fraction(bytes, at);
        let mut offset = Offset::Missing;
        if let Some(next) = at_utc(bytes, at) {
            (offset, at) = (Offset::Fixed(0), next);
        } else if goes_on(bytes, at) {
            (seconds, offset, at) = Self::zoned(bytes, seconds, at)?;
            if offset == Offset::Missing
                && let Some((zone, end)) = zone_named(bytes, at)
                && let Some(ahead) = zone.ahead(days * 86_400 + seconds)
            {
                (offset, at) = (Offset::Fixed(ahead), end);
            } else if offset == Offset::Missing
                && digits > 0
                && let Some((ahead, end)) = hours_behind(bytes, at)
            {
                // Databases write a zone without a name so.
                (offset, at) = (Offset::Fixed(ahead), end);
            }
        }
        let wall = (days * 86_400 + seconds).checked_mul(SECOND);
        let wall = wall.and_then(|wall| wall.checked_add(fraction));
        // Room for the largest offset, so that `nanos` can't overflow.
        let fits = |wall: &i64| wall.unsigned_abs() < (i64::MAX - 400_000 * SECOND).unsigned_abs();
        let (wall, missing) = match wall.filter(fits) {
            Some(wall) => (wall, Missing::Nothing),
            None => (if days > 0 { i64::MAX } else { i64::MIN }, Missing::Outside),
        };
        Some((Self { wall, offset, digits, missing }, at))
    }

    /// Half of the day and zone at `at`.
    fn zoned(bytes: &[u8], mut seconds: i64, mut at: usize) -> Option<(i64, Offset, usize)> {
        if let Some((pm, next)) = half_of_day(bytes, at) {
            let hour = seconds / 3_600;
            if hour == 0 || hour > 12 {
                return None;
            }
            seconds = seconds % 43_200 + if pm { 43_200 } else { 0 };
            at = next;
        }
        let mut offset = Offset::Missing;
        if let Some((seconds, next)) = zone_at(bytes, at).or_else(|| zone_behind(bytes, at)) {
            (offset, at) = (Offset::Fixed(seconds), next);
        }
        Some((seconds, offset, at))
    }
}

fn spaces(bytes: &[u8], mut at: usize) -> usize {
    while bytes.get(at) == Some(&b' ') {
        at += 1;
    }
    at
}

/// `06:41:02`, `6:41:02`, `06:41`: seconds of the day, and where it ends. Second 60 is a leap second; it
/// lands on the next minute.
fn clock(bytes: &[u8], at: usize) -> Option<(i64, usize)> {
    let rest = bytes.get(at..)?;
    let width = if *rest.get(1)? == b':' { 1 } else { 2 };
    let hour = number(rest.get(..width)?)?;
    let tail = rest.get(width..width + 3)?;
    if tail[0] != b':' {
        return None;
    }
    let minute = two(tail, 1)?;
    let end = at + width + 3;
    let whole = rest.get(width + 3..width + 6) == Some(b":00");
    if (hour > 23 || minute > 59) && !(whole && is_midnight(hour, minute, 0)) {
        return None;
    }
    match rest.get(width + 3..width + 6) {
        Some(tail) if tail[0] == b':' => {
            let second = two(tail, 1)?;
            (second < 61).then_some((hour * 3_600 + minute * 60 + second, end + 3))
        }
        // `06:41.02` is minutes and seconds, not hundredths of a minute.
        Some(tail)
            if tail[0] == b'.'
                && two(tail, 1).is_some_and(|second| second < 60)
                && !rest.get(width + 6).is_some_and(|b| b.is_ascii_digit() || *b == b':') =>
        {
            Some((hour * 3_600 + minute * 60 + two(tail, 1)?, end + 3))
        }
        _ => Some((hour * 3_600 + minute * 60, end)),
    }
}

/// What a fraction of so many digits is multiplied with to be nanoseconds.
const SCALES: [i64; 10] =
    [SECOND, 100_000_000, 10_000_000, 1_000_000, 100_000, 10_000, 1_000, 100, 10, 1];

/// Days within which nanoseconds can't overflow.
const NEAR: i64 = 100_000;

/// What most logs write behind a clock: milliseconds or nothing, and `Z`, `+0000` or no zone. Nanoseconds,
/// digits, offset and end.
#[inline]
fn usual_end(bytes: &[u8], at: usize) -> Option<(i64, u8, Offset, usize)> {
    let (fraction, digits, at) = match bytes.get(at..at + 5) {
        Some(&[b'.' | b',', a @ b'0'..=b'9', b @ b'0'..=b'9', c @ b'0'..=b'9', next])
            if !next.is_ascii_digit() && next != b'.' =>
        {
            let value = |digit: u8| i64::from(digit - b'0');
            ((value(a) * 100 + value(b) * 10 + value(c)) * 1_000_000, 3, at + 4)
        }
        _ if matches!(bytes.get(at), None | Some(b'.' | b',' | b':')) => return None,
        _ => (0, 0, at),
    };
    match at_utc(bytes, at) {
        Some(end) => Some((fraction, digits, Offset::Fixed(0), end)),
        None if goes_on(bytes, at) => None,
        None => Some((fraction, digits, Offset::Missing, at)),
    }
}

/// A zone that is zero, as most logs write it: where it ends.
#[inline]
fn at_utc(bytes: &[u8], at: usize) -> Option<usize> {
    let end = match bytes.get(at)? {
        b'Z' => at + 1,
        b' ' if bytes.get(at + 1..at + 6) == Some(b"+0000") => at + 6,
        _ => return None,
    };
    (!bytes.get(end).is_some_and(u8::is_ascii_alphanumeric)).then_some(end)
}

/// Whether half of the day or a zone may stand at `at`.
#[inline]
fn goes_on(bytes: &[u8], at: usize) -> bool {
    match bytes.get(at) {
        // The first letters of the zones that have a name here, and of the halves of a day.
        Some(b' ') => {
            matches!(
                bytes.get(at + 1),
                Some(
                    b'+' | b'-'
                        | b'A'
                        | b'a'
                        | b'P'
                        | b'p'
                        | b'U'
                        | b'G'
                        | b'Z'
                        | b'W'
                        | b'C'
                        | b'B'
                        | b'E'
                        | b'M'
                        | b'J'
                )
            ) || bytes.get(at + 1..at + 8) == Some(b"Indian/")
        }
        Some(b'Z' | b'z' | b'+' | b'-' | b'A' | b'a' | b'P' | b'p') => true,
        _ => false,
    }
}

thread_local! {
    /// The last date that was read, as written, and its day: one log has few of them.
    static DAY_READ: Cell<([u8; 10], i64)> = const { Cell::new(([0; 10], 0)) };
    /// The same for the dates of access logs.
    static DAY_OF_ACCESS: Cell<([u8; 12], i64)> = const { Cell::new(([0; 12], 0)) };
}

/// `24:00:00`, the end of a day (ISO 8601): the same as the beginning of the next.
fn is_midnight(hour: i64, minute: i64, second: i64) -> bool {
    (hour, minute, second) == (24, 0, 0)
}

/// `06:41:02`, eight bytes at a time: the seconds of the day.
#[inline]
fn clock_of(clock: [u8; 8]) -> Option<i64> {
    // The digits become 0 to 9 and the colons 0; anything else sets the highest bit of its byte.
    let digits = u64::from_le_bytes(clock) ^ u64::from_le_bytes(*b"00:00:00");
    let over =
        digits.wrapping_add(u64::from_le_bytes([0x76, 0x76, 0x7f, 0x76, 0x76, 0x7f, 0x76, 0x76]));
    if (digits | over) & 0x8080_8080_8080_8080 != 0 {
        return None;
    }
    let at = |byte: u32| i64::from((digits >> (8 * byte)) as u8);
    let (hour, minute, second) = (at(0) * 10 + at(1), at(3) * 10 + at(4), at(6) * 10 + at(7));
    let fits = hour < 24 && minute < 60 && second < 61;
    (fits || is_midnight(hour, minute, second)).then_some(hour * 3_600 + minute * 60 + second)
}

/// The fixed form `14/Mar/2026:06:41:02`: its day and the seconds in it. `None` where it has another form or
/// does not exist.
#[inline]
fn fixed_access(bytes: &[u8]) -> Option<(i64, i64)> {
    let date: &[u8; 12] = bytes.first_chunk()?;
    let seconds = clock_of(bytes.get(12..20)?.try_into().ok()?)?;
    let (known, day) = DAY_OF_ACCESS.get();
    if known == *date {
        return Some((day, seconds));
    }
    if [date[2], date[6], date[11]] != *b"//:" {
        return None;
    }
    let year = two(date, 7)? * 100 + two(date, 9)?;
    let day = days(year, month(&date[3..6])?, two(date, 0)?)?;
    DAY_OF_ACCESS.set((*date, day));
    Some((day, seconds))
}

/// The fixed form `2026-03-14T06:41:02`, eight bytes at a time: its day and the seconds in it. `None` where
/// it has another form or does not exist.
#[inline]
fn fixed(bytes: &[u8]) -> Option<(i64, i64)> {
    let date: &[u8; 10] = bytes.first_chunk()?;
    let clock: [u8; 8] = bytes.get(11..19)?.try_into().ok()?;
    if !matches!(bytes[10], b'T' | b' ') {
        return None;
    }
    let seconds = clock_of(clock)?;
    let (known, day) = DAY_READ.get();
    let day = if known == *date {
        day
    } else {
        if date[4] != b'-' || date[7] != b'-' {
            return None;
        }
        let day = days(two(date, 0)? * 100 + two(date, 2)?, two(date, 5)?, two(date, 8)?)?;
        DAY_READ.set((*date, day));
        day
    };
    Some((day, seconds))
}

fn fraction(bytes: &[u8], mut at: usize) -> (i64, u8, usize) {
    let mark = bytes.get(at);
    let digits = bytes.get(at + 1..).unwrap_or_default();
    let begins = match mark {
        Some(b'.' | b',') => digits.first().is_some_and(u8::is_ascii_digit),
        // A colon before a fraction has three digits or six behind it, and nothing that reads on.
        Some(b':') => {
            let count = digits.iter().take(7).take_while(|b| b.is_ascii_digit()).count();
            (count == 3 || count == 6) && !matches!(digits.get(count), Some(b':' | b'.'))
        }
        _ => false,
    };
    if !begins {
        return (0, 0, at);
    }
    at += 1;
    let (mut nanos, mut digits) = (0i64, 0u8);
    while let Some(value) = bytes.get(at).and_then(|b| digit(*b)) {
        if digits < 9 {
            nanos = nanos * 10 + i64::from(value);
            digits += 1;
        }
        at += 1;
    }
    nanos *= SCALES[usize::from(digits)];
    // `06:41:02,340.340`: a fraction that is written twice.
    if mark == Some(&b',')
        && bytes.get(at) == Some(&b'.')
        && bytes.get(at + 1..at + 4).is_some_and(|more| more.iter().all(u8::is_ascii_digit))
    {
        at += 4;
    }
    (nanos, digits, at)
}

/// `AM` or `PM` behind a clock: whether it is the second half, and where it ends.
fn half_of_day(bytes: &[u8], at: usize) -> Option<(bool, usize)> {
    let at = at + usize::from(bytes.get(at) == Some(&b' '));
    let ends = !bytes.get(at + 2).is_some_and(u8::is_ascii_alphanumeric);
    match bytes.get(at..at + 2)? {
        b"AM" | b"am" if ends => Some((false, at + 2)),
        b"PM" | b"pm" if ends => Some((true, at + 2)),
        _ => None,
    }
}

fn weekday(name: &[u8]) -> bool {
    [b"Mon", b"Tue", b"Wed", b"Thu", b"Fri", b"Sat", b"Sun"].iter().any(|day| name == *day)
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
    // What databases write for no date.
    if (year, month, day) == (0, 0, 0) {
        return days(0, 1, 1);
    }
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::{
        super::stamp::{Clock, rfc3339},
        *,
    };

    fn read(written: &str, clock: &Clock) -> Option<String> {
        let (stamp, taken) = Stamp::leading(written.as_bytes())?;
        assert_eq!(taken, written.len(), "{written}");
        Some(rfc3339(stamp.nanos(clock), stamp.digits))
    }

    #[test]
    fn written_forms() {
        let clock = Clock {
            date: Stamp::read(b"2026-03-14T12:00:00Z").map(|s| s.nanos(&Clock::default())),
            ..Clock::default()
        };
        for (written, want) in [
            ("2026-03-14T06:41:02.340Z", "2026-03-14T06:41:02.340Z"),
            ("2026-03-14 06:41:02,340", "2026-03-14T06:41:02.340Z"),
            ("2026-03-14 06:41:02:340", "2026-03-14T06:41:02.340Z"),
            ("2026-03-14 06:41:02.340 UTC", "2026-03-14T06:41:02.340Z"),
            ("2026-03-14 07:41:02 CET", "2026-03-14T06:41:02Z"),
            ("2026-03-14 06:41:02.340 +00:00", "2026-03-14T06:41:02.340Z"),
            ("2026-03-14  6:41:02", "2026-03-14T06:41:02Z"),
            ("2026-03-14 06:41", "2026-03-14T06:41:00Z"),
            ("2026/03/14 - 06:41:02", "2026-03-14T06:41:02Z"),
            ("2026.03.14 06:41:02", "2026-03-14T06:41:02Z"),
            ("20260314T064102Z", "2026-03-14T06:41:02Z"),
            ("26/03/14 06:41:02", "2026-03-14T06:41:02Z"),
            ("2026-03-14, 06:41:02 UTC", "2026-03-14T06:41:02Z"),
            ("20260314-06:41:02.340", "2026-03-14T06:41:02.340Z"),
            ("14/Mar/2026:06:41:02 +0000", "2026-03-14T06:41:02Z"),
            ("14/Mar/2026 06:41:02", "2026-03-14T06:41:02Z"),
            ("14-Mar-2026 06:41:02 UTC", "2026-03-14T06:41:02Z"),
            ("14 Mar 2026 06:41:02.340", "2026-03-14T06:41:02.340Z"),
            ("Sat, 14 Mar 2026 06:41:02 GMT", "2026-03-14T06:41:02Z"),
            ("Sat Mar 14 06:41:02.340123 2026", "2026-03-14T06:41:02.340123Z"),
            ("Sat Mar 14 06:41:02 UTC 2026", "2026-03-14T06:41:02Z"),
            ("Mar 14, 2026 6:41:02 AM", "2026-03-14T06:41:02Z"),
            ("Mar 14, 2026, 12:41:02 AM", "2026-03-14T00:41:02Z"),
            ("03/14/2026, 6:41:02 PM", "2026-03-14T18:41:02Z"),
            ("14/03/2026 06:41:02", "2026-03-14T06:41:02Z"),
            ("14.03.2026 06:41:02", "2026-03-14T06:41:02Z"),
            ("03-14 06:41:02.340", "2026-03-14T06:41:02.340Z"),
            ("Mar 14 06:41:02", "2026-03-14T06:41:02Z"),
            ("Mar  4 06:41:02", "2026-03-04T06:41:02Z"),
            // Up to a day behind the date of the source, which may stem from another clock or zone.
            ("Mar 15 06:41:02", "2026-03-15T06:41:02Z"),
            ("Mar 17 06:41:02", "2025-03-17T06:41:02Z"),
            ("Sat 2026-03-14 06:41:02 UTC", "2026-03-14T06:41:02Z"),
            ("2026-03-14 03:41:02.340 -03", "2026-03-14T06:41:02.340Z"),
            ("14-Mar-2026 03:41:02 America/Sao_Paulo", "2026-03-14T06:41:02Z"),
            ("2026-07-14 08:41:02 Europe/Rome", "2026-07-14T06:41:02Z"),
            ("Feb 29 06:41:02", "2024-02-29T06:41:02Z"),
            ("06:41:02.340", "2026-03-14T06:41:02.340Z"),
            ("23:41:02", "2026-03-13T23:41:02Z"),
            ("6:41AM", "2026-03-14T06:41:00Z"),
        ] {
            assert_eq!(read(written, &clock).as_deref(), Some(want), "{written}");
        }
    }

    #[test]
    fn whole_values_are_times() {
        for (written, want) in [
            ("1773470462", Some("2026-03-14T06:41:02Z")),
            ("1773470462.34", Some("2026-03-14T06:41:02.34Z")),
            ("1773470462340", Some("2026-03-14T06:41:02.340Z")),
            ("1773470462340123", Some("2026-03-14T06:41:02.340123Z")),
            ("1773470462340123456", Some("2026-03-14T06:41:02.340123456Z")),
            ("1.773470462340123e9", Some("2026-03-14T06:41:02.340123Z")),
            ("1.77347046234E+09", Some("2026-03-14T06:41:02.340000Z")),
            (" 2026-03-14T06:41:02Z ", Some("2026-03-14T06:41:02Z")),
            ("2026-03-14T06:41:02.1234567890Z", Some("2026-03-14T06:41:02.123456789Z")),
            ("14/Mar/2026:06:41:02 +0000", Some("2026-03-14T06:41:02Z")),
            ("Sat, 14 Mar 2026 06:41:02 GMT", Some("2026-03-14T06:41:02Z")),
            ("2026-03-14T06:41:02Z and more", None),
            ("177347046", None),
            ("17734704623", None),
            ("1.5e3", None),
            ("9999-12-31T23:59:59Z", Some("2262-04-11T23:47:16Z")),
            ("2026-02-30T06:41:02Z", None),
            ("2024-02-29T06:41:02Z", Some("2024-02-29T06:41:02Z")),
            ("2100-02-29T06:41:02Z", None),
            ("2026-03-14T24:00:00Z", Some("2026-03-15T00:00:00Z")),
            ("2026-03-14T24:00:01Z", None),
            ("2026-03-14T06:60:00Z", None),
            ("", None),
            ("soon", None),
        ] {
            let read = Stamp::read(written.as_bytes());
            let told = read.map(|s| rfc3339(s.nanos(&Clock::default()), s.digits));
            assert_eq!(told.as_deref(), want, "{written}");
        }
    }

    #[test]
    fn a_clock_that_is_off_is_set_right() {
        let clock = Clock { shift: -1_500_000_000, ..Clock::default() };
        assert_eq!(
            read("2026-03-14 06:41:02.000", &clock).as_deref(),
            Some("2026-03-14T06:41:00.500Z")
        );
        let rome = Clock { zone: jiff::tz::TimeZone::get("Europe/Rome").ok(), ..clock };
        assert_eq!(
            read("2026-07-14 06:41:02.000", &rome).as_deref(),
            Some("2026-07-14T04:41:00.500Z")
        );
        // A zone that is written wins over the one that is set.
        assert_eq!(
            read("2026-07-14T06:41:02.000Z", &rome).as_deref(),
            Some("2026-07-14T06:41:00.500Z")
        );
    }

    #[test]
    fn what_only_looks_like_a_time_is_none() {
        for written in [
            "10.7.0.12 - -",
            "14:30 trains",
            "03/14 done",
            "1234",
            "Mar",
            "May be",
            "Sat down",
            "2026-3-14",
            "06:61:02",
            "13:00PM x",
        ] {
            assert_eq!(Stamp::leading(written.as_bytes()), None, "{written}");
        }
    }

    proptest! {
        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(prop_oneof![
            any::<u8>(), b'0'..=b'9', Just(b':'), Just(b'-'), Just(b' '), Just(b'/'), Just(b'.')
        ], 0..40), front in prop_oneof![Just(""), Just("Mar "), Just("Sat "), Just("2026-03-14 ")]) {
            let bytes = [front.as_bytes(), &bytes].concat();
            for (stamp, taken) in [Stamp::iso(&bytes), Stamp::access(&bytes), Stamp::leading(&bytes)].into_iter().flatten() {
                prop_assert!(taken <= bytes.len());
                let _ = stamp.nanos(&Clock { date: Some(0), ..Clock::default() });
            }
            let _ = (Stamp::epoch(&bytes), Stamp::read(&bytes));
        }
    }
}
