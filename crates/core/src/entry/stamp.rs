//! Times as logs write them.
//!
//! A [`Stamp`] keeps what was written: the instant or, where no zone was written, the wall-clock time,
//! what is missing of the date, and the number of fraction digits, so that it can be given back with the
//! log's own precision. How the forms are read is in [`super::times`].

use jiff::{Timestamp, civil, tz::TimeZone};

pub(super) const SECOND: i64 = 1_000_000_000;
pub(super) const DAY: i64 = 86_400 * SECOND;

/// What a written time says about its zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Offset {
    /// An offset from UTC in seconds was written, or the form implies UTC.
    Fixed(i32),
    /// No zone was written; the source's zone decides.
    Missing,
}

/// What a written time leaves out of its date.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Missing {
    /// Nothing.
    Nothing,
    /// The year: it is the last in which the time does not lie after the source's own date.
    Year,
    /// The whole date.
    Date,
    /// Nothing, but it lies outside of what 64 bits of nanoseconds hold, 1678 to 2261: such an entry is ordered by
    /// its neighbours.
    Outside,
}

/// A time read from a log.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stamp {
    /// Nanoseconds since 1970-01-01T00:00:00 of the wall clock as written, before any offset.
    pub(super) wall: i64,
    /// The offset as written.
    pub offset: Offset,
    /// Digits of the fraction of a second as written, 0–9.
    pub digits: u8,
    /// What the date lacks.
    pub missing: Missing,
}

/// What a source knows that its times leave out.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Clock {
    /// The zone of times that name none; `None` is UTC.
    pub zone: Option<TimeZone>,
    /// Nanoseconds UTC that the source's times don't lie after: its own date, or that of its file.
    pub date: Option<i64>,
    /// Nanoseconds to be added, where the source's clock is known to be off.
    pub shift: i64,
}

/// Times may lie this far behind the date of their source, which may stem from another clock.
const SLACK: i64 = SECOND * 3_600;

impl Stamp {
    /// Nanoseconds UTC.
    #[must_use]
    #[inline]
    pub fn nanos(&self, clock: &Clock) -> i64 {
        match self.missing {
            Missing::Nothing => self.instant(clock.zone.as_ref()).saturating_add(clock.shift),
            Missing::Outside => self.wall,
            _ => self.completed(clock),
        }
    }

    /// The same, where it can be ordered by.
    #[must_use]
    #[inline]
    pub fn order(&self, clock: &Clock) -> Option<i64> {
        (self.missing != Missing::Outside).then(|| self.nanos(clock))
    }

    /// Nanoseconds UTC of a time that lacks its date, or a part of it.
    fn completed(&self, clock: &Clock) -> i64 {
        let slack = if self.missing == Missing::Year { DAY } else { SLACK };
        let latest = clock.date.unwrap_or(0).saturating_add(slack);
        let mut stamp = *self;
        stamp.missing = Missing::Nothing;
        match self.missing {
            Missing::Date => {
                stamp.wall = self.wall.rem_euclid(DAY) + latest.div_euclid(DAY) * DAY + DAY;
                while stamp.instant(clock.zone.as_ref()) > latest {
                    stamp.wall -= DAY;
                }
            }
            _ => {
                let zone = TimeZone::UTC;
                let year = civil(latest, &zone).year() + 1;
                let written = civil(self.wall, &zone);
                // A leap day goes back to the last leap year.
                for year in (year - 9..=year).rev() {
                    let Ok(date) = written.with().year(year).build() else {
                        continue;
                    };
                    let wall = date.to_zoned(zone.clone()).map(|z| z.timestamp().as_nanosecond());
                    stamp.wall =
                        wall.ok().and_then(|w| i64::try_from(w).ok()).unwrap_or(stamp.wall);
                    if stamp.instant(clock.zone.as_ref()) <= latest {
                        break;
                    }
                }
            }
        }
        stamp.instant(clock.zone.as_ref()).saturating_add(clock.shift)
    }

    /// The same time with the offset that the clock's zone has then.
    pub(crate) fn at_offset(&self, clock: &Clock) -> Self {
        let offset = (self.wall - self.nanos(clock)) / SECOND;
        Self { offset: Offset::Fixed(i32::try_from(offset).unwrap_or(0)), ..*self }
    }

    #[inline]
    fn instant(&self, zone: Option<&TimeZone>) -> i64 {
        match (self.offset, zone) {
            (Offset::Fixed(seconds), _) => self.wall - i64::from(seconds) * SECOND,
            (Offset::Missing, None) => self.wall,
            (Offset::Missing, Some(zone)) => self.in_zone(zone),
        }
    }

    /// Nanoseconds UTC of a wall-clock time in a zone.
    fn in_zone(&self, zone: &TimeZone) -> i64 {
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
            assert_eq!(
                rfc3339(stamp.nanos(&Clock::default()), 3),
                "2026-03-14T06:41:02.340Z",
                "{written}"
            );
        }
    }

    #[test]
    fn what_is_no_time_is_refused() {
        for written in [
            "2026-02-29T06:41:02Z",
            "2026-13-01T06:41:02Z",
            "2026-03-14T24:00:01Z",
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
        assert_eq!(
            (stamp.digits, stamp.nanos(&Clock::default()) % 1_000_000_000),
            (9, 123_456_789)
        );
    }

    #[test]
    fn a_named_zone_serves_stamps_without_one() {
        let zone = TimeZone::get("Europe/Rome").unwrap();
        let (stamp, _) = Stamp::iso(b"2026-07-01 12:00:00").unwrap();
        assert_eq!(
            rfc3339(stamp.nanos(&Clock { zone: Some(zone), ..Clock::default() }), 0),
            "2026-07-01T10:00:00Z"
        );
    }

    proptest! {
        #[test]
        fn agrees_with_a_calendar(seconds in 0i64..7_000_000_000, nanos in 0i64..1_000_000_000) {
            let instant = seconds * SECOND + nanos;
            let written = rfc3339(instant, 9);
            prop_assert_eq!(Stamp::read(written.as_bytes()).map(|s| s.nanos(&Clock::default())), Some(instant));
        }

        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..40)) {
            let _ = (Stamp::iso(&bytes), Stamp::access(&bytes), Stamp::epoch(&bytes), Stamp::read(&bytes));
        }
    }
}
