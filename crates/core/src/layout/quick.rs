//! The forms that most lines have, told by a few looks.
//!
//! What is told here is what the wrappers and the layouts themselves would tell, asked one after the
//! other; a line that leaves any doubt is left to them. The tests, and every build with debug assertions,
//! hold the two against each other.

use super::{Dialect, Head, LayoutId, access, delimited, dump, json};
use crate::entry::{Level, Severity, Stamp};

/// Looks ahead in many lines for bytes that are rare in most logs, so that a line without them is not
/// searched for them.
pub(crate) struct Ahead<'b> {
    bytes: &'b [u8],
    /// The next place that may hold a mark between columns, and the next that may hold an angle bracket.
    mark: usize,
    angle: usize,
}

impl<'b> Ahead<'b> {
    pub(crate) fn over(bytes: &'b [u8]) -> Self {
        Self { bytes, mark: 0, angle: 0 }
    }

    /// Whether a line at `at` may be set in columns or open a dump.
    fn meets(&mut self, at: usize, line: &[u8]) -> bool {
        let rest = &self.bytes[at..];
        if self.mark < at {
            self.mark = memchr::memchr3(b'|', b'\t', b';', rest).map_or(usize::MAX, |to| at + to);
        }
        if self.angle < at {
            self.angle = memchr::memchr2(b'<', b'>', rest).map_or(usize::MAX, |to| at + to);
        }
        let end = at + line.len();
        self.mark < end && delimited::mark_of(line).is_some()
            || self.angle < end && memchr::memchr2(b'<', b'>', line).is_some()
            || dump::ends_with_protocol(line)
    }
}

/// Where the line that begins `text` ends, and whether several objects may stand on it.
pub(crate) fn end(text: &[u8]) -> (usize, bool) {
    if text.first() != Some(&b'{') {
        return (memchr::memchr(b'\n', text).unwrap_or(text.len()), false);
    }
    // The end of an object is as a rule that of its line: one search finds both.
    let mut at = 0;
    let mut several = false;
    while let Some(to) = memchr::memchr2(b'\n', b'}', &text[at..]) {
        at += to;
        if text[at] == b'\n' {
            return (at, several);
        }
        several |= json::several_at(text, at);
        at += 1;
    }
    (text.len(), several)
}

/// The layout and the head of a line of a usual form, where nothing stands around it. An object must stand
/// alone on it, as [`end`] tells. `at` is where the line stands in what `ahead` looks over.
pub(crate) fn head(line: &[u8], at: usize, ahead: &mut Ahead<'_>) -> Option<(LayoutId, Head)> {
    match line.first()? {
        b'{' => json::usual(line).map(|head| (LayoutId::JSON, head)),
        b'0'..=b'9' if line.get(4) == Some(&b'-') => dated(line, at, ahead),
        b'0'..=b'9' => access::usual(line).map(|head| (LayoutId::ACCESS, head)),
        b't' => pairs(line),
        _ => None,
    }
}

impl Dialect {
    /// Whether lines of usual forms mean in this source what they mean by themselves.
    pub(crate) fn is_plain(&self) -> bool {
        self.forced().is_none()
            && self.own.is_empty()
            && self.header.is_none()
            && self.list.is_none()
            && !self.prefixed
    }
}

/// `2026-03-14 06:41:02.340 INFO …`, `… [INFO] …`, `… | INFO | …`
fn dated(line: &[u8], at: usize, ahead: &mut Ahead<'_>) -> Option<(LayoutId, Head)> {
    let (stamp, taken) = Stamp::fixed_iso(line)?;
    let rest = line.get(taken..)?;
    if rest.starts_with(b" | ") {
        return piped(line, taken).map(|severity| (LayoutId::DELIMITED, timed(stamp, severity)));
    }
    let blanks = match rest {
        [b' ', b' ', ..] => 2,
        [b' ', ..] => 1,
        _ => return None,
    };
    let bracket = usize::from(rest.get(blanks) == Some(&b'['));
    let word = &rest[blanks + bracket..];
    let (severity, length) = level(word)?;
    let ends = if bracket == 1 { b']' } else { b' ' };
    let lone = word.get(length) == Some(&ends);
    (lone && !ahead.meets(at, line)).then(|| (LayoutId::TEXT, timed(stamp, severity)))
}

/// The level in the second of three columns or more.
fn piped(line: &[u8], time_end: usize) -> Option<Severity> {
    let cell = line.get(time_end + 3..)?;
    let length = cell.iter().take(10).position(|b| *b == b' ')?;
    let severity = Severity::from_word(&cell[..length])?;
    cell[length..].starts_with(b" | ").then_some(severity)
}

/// `time=2026-03-14T06:41:02.340Z level=info …`
fn pairs(line: &[u8]) -> Option<(LayoutId, Head)> {
    let rest = line.strip_prefix(b"time=").or_else(|| line.strip_prefix(b"ts="))?;
    let (stamp, taken) = Stamp::fixed_iso(rest)?;
    let word = rest.get(taken..)?.strip_prefix(b" level=")?;
    let (severity, length) = level(word)?;
    let alone = word.get(length) == Some(&b' ')
        && rest[10] == b'T'
        && delimited::mark_of(line).is_none()
        && memchr::memchr(b'[', line).is_none();
    alone.then(|| (LayoutId::PAIRS, timed(stamp, severity)))
}

fn timed(stamp: Stamp, severity: Severity) -> Head {
    Head { stamp: Some(stamp), severity: Some(severity), ..Head::default() }
}

/// A word that is nothing but a level, and its length.
fn level(text: &[u8]) -> Option<(Severity, usize)> {
    let (level, length) = match text {
        [b'I', b'N', b'F', b'O', ..] | [b'i', b'n', b'f', b'o', ..] => (Level::Info, 4),
        [b'W', b'A', b'R', b'N', b'I', b'N', b'G', ..] => (Level::Warn, 7),
        [b'W', b'A', b'R', b'N', ..] | [b'w', b'a', b'r', b'n', ..] => (Level::Warn, 4),
        [b'D', b'E', b'B', b'U', b'G', ..] | [b'd', b'e', b'b', b'u', b'g', ..] => {
            (Level::Debug, 5)
        }
        [b'E', b'R', b'R', b'O', b'R', ..] | [b'e', b'r', b'r', b'o', b'r', ..] => {
            (Level::Error, 5)
        }
        [b'T', b'R', b'A', b'C', b'E', ..] | [b't', b'r', b'a', b'c', b'e', ..] => {
            (Level::Trace, 5)
        }
        _ => return None,
    };
    Some((level.floor(), length))
}
