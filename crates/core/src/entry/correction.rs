//! What sets a source's clock right.

use std::{fmt, str::FromStr};

use jiff::{
    SignedDuration,
    tz::{Offset, TimeZone},
};

/// The zone of times that name none, and a duration that is added to all of a source's times.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Correction {
    /// The zone; nothing leaves it as it is.
    pub zone: Option<TimeZone>,
    /// Nanoseconds.
    pub shift: i64,
}

impl Correction {
    /// Whether nothing is corrected.
    #[must_use]
    pub fn is_none(&self) -> bool {
        *self == Self::default()
    }
}

/// The zone of a name: `UTC`, `local`, `Europe/Rome`, `+01:00`.
///
/// ```
/// use cribrum_core::entry::zone;
///
/// assert!(zone("Europe/Rome").is_some() && zone("-05:30").is_some());
/// assert!(zone("Nowhere/Land").is_none() && zone("+25:00").is_none());
/// ```
#[must_use]
pub fn zone(name: &str) -> Option<TimeZone> {
    if name == "local" {
        return Some(TimeZone::system());
    }
    let Some(sign) =
        name.strip_prefix(['+', '-']).map(|_| if name.starts_with('-') { -1 } else { 1 })
    else {
        return TimeZone::get(name).ok();
    };
    let (hours, minutes) = name.get(1..)?.split_once(':')?;
    let number = |text: &str| text.parse().ok().filter(|_| text.len() == 2);
    let (hours, minutes): (i32, i32) = (number(hours)?, number(minutes)?);
    if hours > 15 || minutes > 59 {
        return None;
    }
    Offset::from_seconds(sign * (hours * 3_600 + minutes * 60)).ok().map(TimeZone::fixed)
}

/// The name of a zone, as [`zone`] takes it.
#[must_use]
pub fn zone_name(zone: &TimeZone) -> String {
    match (zone.iana_name(), zone.to_fixed_offset()) {
        (Some(name), _) => name.to_owned(),
        (None, Ok(offset)) => {
            let minutes = offset.seconds() / 60;
            let sign = if minutes < 0 { '-' } else { '+' };
            format!("{sign}{:02}:{:02}", minutes.abs() / 60, minutes.abs() % 60)
        }
        _ => "local".to_owned(),
    }
}

impl FromStr for Correction {
    type Err = String;

    /// Reads a zone, a duration, or both: `Europe/Rome`, `-1.5s`, `+01:00 2min`.
    fn from_str(text: &str) -> Result<Self, String> {
        let text = text.trim();
        let duration = |text: &str| {
            let duration: SignedDuration = text.trim().parse().ok()?;
            i64::try_from(duration.as_nanos()).ok()
        };
        if let Some(zone) = zone(text) {
            return Ok(Self { zone: Some(zone), shift: 0 });
        }
        if let Some(shift) = duration(text) {
            return Ok(Self { zone: None, shift });
        }
        let both = text.split_once([' ', ',']).and_then(|(first, rest)| {
            Some(Self { zone: Some(zone(first)?), shift: duration(rest)? })
        });
        both.ok_or_else(|| {
            format!(
                "`{text}` is neither a zone nor a duration; write Europe/Rome, +01:00, -1.5s, or a \
                 zone and a duration"
            )
        })
    }
}

impl fmt::Display for Correction {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let space = if self.zone.is_some() && self.shift != 0 { " " } else { "" };
        if let Some(zone) = &self.zone {
            write!(out, "{}{space}", zone_name(zone))?;
        }
        if self.shift != 0 {
            let sign = if self.shift > 0 { "+" } else { "-" };
            let size = SignedDuration::from_nanos(self.shift).abs();
            write!(out, "{sign}{size:#}")?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_what_is_read() {
        for (text, zone, shift, again) in [
            ("-1.5s", None, -1_500_000_000, "-1s 500ms"),
            ("+1h 2ms", None, 3_600_002_000_000, "+1h 2ms"),
            (" 2min ", None, 120_000_000_000, "+2m"),
            ("Europe/Rome", Some("Europe/Rome"), 0, "Europe/Rome"),
            ("+01:00", Some("+01:00"), 0, "+01:00"),
            ("-05:30 -1.5s", Some("-05:30"), -1_500_000_000, "-05:30 -1s 500ms"),
            ("UTC,3s", Some("UTC"), 3_000_000_000, "UTC +3s"),
        ] {
            let read: Correction = text.parse().unwrap();
            let name = read.zone.as_ref().map(zone_name);
            assert_eq!((name.as_deref(), read.shift), (zone, shift), "{text}");
            assert_eq!(read.to_string(), again);
            assert_eq!(again.parse(), Ok(read), "{again}");
        }
        for wrong in ["", "soon", "5", "Nowhere/Land", "Europe/Rome soon", "-1.5s Europe/Rome"] {
            assert!(wrong.parse::<Correction>().is_err_and(|e| e.contains("-1.5s")), "{wrong}");
        }
    }
}
