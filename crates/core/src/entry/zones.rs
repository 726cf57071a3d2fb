//! Zones behind a time: offsets, names in common use for one offset, and names of the IANA database.

use super::digits::two;

/// An offset such as `Z`, `+01:00`, `-0530` or `+02` at `at`: its seconds and where it ends.
pub(super) fn zone_at(bytes: &[u8], at: usize) -> Option<(i32, usize)> {
    let sign = match bytes.get(at)? {
        b'Z' | b'z' if !bytes.get(at + 1).is_some_and(u8::is_ascii_alphanumeric) => {
            return Some((0, at + 1));
        }
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
    if hours > 15 || minutes > 59 {
        return None;
    }
    let seconds = i32::try_from(hours * 3_600 + minutes * 60).ok()?;
    Some((sign * seconds, at + 1 + taken))
}

/// A zone behind a space: `+0100`, `+01:00`, or a name that is in common use for one offset.
pub(super) fn zone_behind(bytes: &[u8], at: usize) -> Option<(i32, usize)> {
    if bytes.get(at) != Some(&b' ') {
        return None;
    }
    let at = at + 1;
    let ends = |at: usize| !bytes.get(at).is_some_and(u8::is_ascii_alphanumeric);
    if matches!(bytes.get(at)?, b'+' | b'-') {
        // A bare `-1` or `+02` is more likely something else.
        return zone_at(bytes, at).filter(|(_, end)| end - at >= 5 && ends(*end));
    }
    let length = bytes[at..].iter().take(5).take_while(|b| b.is_ascii_uppercase()).count();
    let minutes = match &bytes[at..at + length] {
        b"UTC" | b"GMT" | b"Z" | b"WET" => 0,
        b"CET" | b"WEST" | b"BST" => 60,
        b"CEST" | b"EET" => 120,
        b"EEST" | b"MSK" => 180,
        b"EST" | b"CDT" => -300,
        b"EDT" => -240,
        b"CST" | b"MDT" => -360,
        b"MST" | b"PDT" => -420,
        b"PST" => -480,
        b"JST" => 540,
        b"AEST" => 600,
        b"AEDT" => 660,
        _ => return None,
    };
    ends(at + length).then_some((minutes * 60, at + length))
}

/// ` -03`, ` +05`: whole hours behind a fraction of a second.
pub(super) fn hours_behind(bytes: &[u8], at: usize) -> Option<(i32, usize)> {
    let [b' ', sign @ (b'+' | b'-'), a @ b'0'..=b'1', b @ b'0'..=b'9', rest @ ..] =
        bytes.get(at..)?
    else {
        return None;
    };
    let hours = i32::from(a - b'0') * 10 + i32::from(b - b'0');
    let ends = matches!(
        rest,
        [] | [b',' | b']' | b'"' | b'\r' | b';' | b'\t' | b'|', ..]
            | [b' ', b'[' | b'(' | b'A'..=b'Z' | b'|' | b'-', ..]
    );
    (ends && hours <= 14).then(|| (if *sign == b'-' { -hours } else { hours } * 3_600, at + 4))
}

/// A zone by the name that the IANA database has for it.
pub(super) struct Zone(jiff::tz::TimeZone);

impl Zone {
    /// Seconds that its clocks are ahead of UTC when they show so many since 1970.
    pub(super) fn ahead(&self, seconds: i64) -> Option<i32> {
        let shown = jiff::Timestamp::from_second(seconds).ok()?;
        let civil = jiff::tz::TimeZone::UTC.to_datetime(shown);
        let instant = self.0.to_ambiguous_timestamp(civil).compatible().ok()?;
        i32::try_from(seconds - instant.as_second()).ok()
    }
}

/// The zone of a name such as `America/Sao_Paulo` behind a blank, and where the name ends.
pub(super) fn zone_named(bytes: &[u8], at: usize) -> Option<(Zone, usize)> {
    const REGIONS: [&[u8]; 11] = [
        b"Africa",
        b"America",
        b"Antarctica",
        b"Arctic",
        b"Asia",
        b"Atlantic",
        b"Australia",
        b"Etc",
        b"Europe",
        b"Indian",
        b"Pacific",
    ];
    let rest = bytes.get(at..)?.strip_prefix(b" ")?;
    let region = rest.iter().take(11).take_while(|b| b.is_ascii_alphabetic()).count();
    if rest.get(region) != Some(&b'/') || !REGIONS.contains(&&rest[..region]) {
        return None;
    }
    let part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'/' | b'_' | b'-' | b'+');
    let length = rest.iter().take(48).take_while(|b| part(b)).count();
    let name = std::str::from_utf8(&rest[..length]).ok()?;
    Some((Zone(jiff::tz::TimeZone::get(name).ok()?), at + 1 + length))
}
