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
    /// What the columns of the source hold, where that is known.
    columns: Option<&'b delimited::Plan>,
    /// Lines of text mean what they mean by themselves.
    pub(crate) usual: bool,
}

impl<'b> Ahead<'b> {
    pub(crate) fn over(bytes: &'b [u8], dialect: &'b Dialect) -> Self {
        Self {
            bytes,
            mark: 0,
            angle: 0,
            columns: dialect.columns.as_ref(),
            usual: dialect.habits.is_plain(),
        }
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
        b't' if ahead.usual => pairs(line),
        _ => None,
    }
}

/// Longer lines without a layout are left to the layouts.
const WORDS_BYTES: usize = 512;
/// As many digits in a row may be a time.
const LONG_NUMBER: usize = 8;

/// What a byte may mean in a line of words.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sign {
    /// It means nothing.
    Plain,
    Digit,
    /// A level may be written with it.
    Capital,
    /// Behind a small letter and before a blank it is a sentence's own.
    Colon,
    /// Columns, pairs, brackets, quotes, escapes: some layout may take the line.
    Other,
}

const SIGNS: [Sign; 256] = {
    let mut signs = [Sign::Plain; 256];
    let mut byte = 0;
    while byte < signs.len() {
        signs[byte] = match byte as u8 {
            b'0'..=b'9' => Sign::Digit,
            b'A'..=b'Z' => Sign::Capital,
            b':' => Sign::Colon,
            b'=' | b'|' | b'\t' | b';' | b'[' | b']' | b'{' | b'}' | b'<' | b'>' | b'"' => {
                Sign::Other
            }
            0..=0x1f | 0x7f => Sign::Other,
            _ => Sign::Plain,
        };
        byte += 1;
    }
    signs
};

/// Whether a line is nothing but words, so that no layout can take it: no time, no level, no name before a
/// colon at its beginning, no columns, pairs, brackets or quotes.
///
/// `Listening on: 8080 and waiting for ferries` is one; `ERROR while waiting`, `gate: open` and `at 06:41`
/// are not.
pub(crate) fn is_words(line: &[u8]) -> bool {
    let words = line.len() <= WORDS_BYTES
        && line.first().is_some_and(u8::is_ascii_alphabetic)
        && !line.starts_with(b"ThreadId(")
        && super::request::opens(line) != Some(0)
        && !super::crash::opens(line);
    if !words {
        return false;
    }
    let first = memchr::memchr(b' ', line).unwrap_or(line.len());
    let mut at = 0;
    while let Some(byte) = line.get(at) {
        match SIGNS[usize::from(*byte)] {
            Sign::Plain => {
                at += 1;
                while line[at..].first_chunk().is_some_and(are_small) {
                    at += 8;
                }
            }
            Sign::Digit => {
                let length = line[at..].iter().take_while(|b| b.is_ascii_digit()).count();
                if length >= LONG_NUMBER {
                    return false;
                }
                at += length;
            }
            Sign::Capital => {
                let length = line[at..].iter().take_while(|b| b.is_ascii_uppercase()).count();
                let glued = matches!(line.get(at + length), Some(b'/' | b'('));
                if glued || length > 1 && Severity::from_word(&line[at..at + length]).is_some() {
                    return false;
                }
                at += length;
            }
            Sign::Colon => {
                let ends = line.get(at + 1).is_none_or(|next| *next == b' ');
                if at < first || !ends || !line[at - 1].is_ascii_lowercase() {
                    return false;
                }
                at += 1;
            }
            Sign::Other => return false,
        }
    }
    true
}

/// Whether all of eight bytes are small letters, blanks, commas or full stops, told by arithmetic on all of
/// them at once: a byte's high bit says whether it fits. No byte below 0x80 carries into its neighbour.
fn are_small(bytes: &[u8; 8]) -> bool {
    const fn each(byte: u8) -> u64 {
        u64::from_le_bytes([byte; 8])
    }
    let high = each(0x80);
    let bytes = u64::from_le_bytes(*bytes);
    if bytes & high != 0 {
        return false;
    }
    let letter = (bytes + each(0x80 - b'a')) & !(bytes + each(0x7f - b'z'));
    let blank = high - (bytes ^ each(b' '));
    // The two differ in the second bit alone.
    let stop = high - ((bytes | each(0x02)) ^ each(b'.'));
    (letter | blank | stop) & high == high
}

impl Dialect {
    /// Whether a line may be set in the columns that were learnt of the source.
    pub(crate) fn may_be_columns(&self, line: &[u8]) -> bool {
        self.columns.is_some() && delimited::mark_of(line).is_some()
    }

    /// Whether lines of usual forms mean in this source what they mean by themselves.
    pub(crate) fn is_plain(&self) -> bool {
        self.forced().is_none()
            && self.own.is_empty()
            && self.header.is_none()
            && self.list.is_none()
            && self.record.is_none()
            && !self.prefixed
    }
}

/// `2026-03-14 06:41:02.340 INFO …`, `… [INFO] …`, `… | INFO | …`
fn dated(line: &[u8], at: usize, ahead: &mut Ahead<'_>) -> Option<(LayoutId, Head)> {
    let (stamp, taken) = Stamp::fixed_iso(line)?;
    let rest = line.get(taken..)?;
    if let Some(plan) = ahead.columns
        && let Some(head) = delimited::usual(line, stamp, taken, plan)
    {
        return Some((LayoutId::DELIMITED, head));
    }
    if rest.starts_with(b" | ") {
        if ahead.columns.is_some() {
            return None;
        }
        return piped(line, taken).map(|severity| (LayoutId::DELIMITED, timed(stamp, severity)));
    }
    if !ahead.usual {
        return None;
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::layout::wrap;

    #[test]
    fn lines_of_words_are_told_from_those_that_a_layout_may_take() {
        for line in [
            "the ferry leaves at noon",
            "Listening on: 8080 and waiting for ferries",
            "Crossing 7 has 12 of 340 seats (KLM is fine, so is a/b)",
        ] {
            assert!(is_words(line.as_bytes()), "{line}");
        }
        for line in [
            "",
            "ERROR while waiting",
            "gate: open",
            "at 06:41",
            "seats=4 of them",
            "panic: lost",
            "thread 'main' panicked at src",
            "on 20260314 it sank",
            "GET / HTTP/1.1",
            "12 seats",
            "  deep",
            "he said \"stay\"",
            "E/Gate stays",
        ] {
            assert!(!is_words(line.as_bytes()), "{line}");
        }
    }

    #[test]
    fn eight_bytes_are_told_as_one() {
        for place in 0..8 {
            for byte in 0..=u8::MAX {
                let mut bytes = *b"a z,.mno";
                bytes[place] = byte;
                let small = byte.is_ascii_lowercase() || b" ,.".contains(&byte);
                assert_eq!(are_small(&bytes), small, "{byte:#x} at {place}");
            }
        }
    }

    proptest! {
        #[test]
        fn no_layout_takes_a_line_of_words(parts in proptest::collection::vec(prop::sample::select(vec![
            "INFO", "info", "error", "Error", "W", "E", "ERROR", "gate", "Mar", "14", "06", "41", "2026", "03", "GET",
            "HTTP", "/", "/a", "(", ")", ":", ": ", " ", " ", " ", "-", " - ", ".", "a.b.C", "Caused by", "at", "#", "*",
            "thread '", "main", "' panicked at ", "Uncaught ", "1.1", "T", "Z", "Started", "panic", "host", "PHP", "note", "ThreadId", "level", "'", "@",
            ",", "`", "in", "P", "sshd", "kernel", "ms", "200", "%", "é", "1773470462", "!", "http", "to", "started",
        ]), 1..12)) {
            let line = parts.concat();
            if is_words(line.as_bytes()) {
                let dialect = Dialect::default();
                prop_assert!(wrap::peel(line.as_bytes(), &dialect).is_none(), "{}", line);
                prop_assert_eq!(dialect.detect(line.as_bytes()), None, "{}", line);
            }
        }
    }
}
