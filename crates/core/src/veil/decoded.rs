//! A text with its escapes resolved, and where each part of it stands in the text as it is written.
//!
//! Secrets are written in many ways: in JSON within a string, in the query of a URL, in markup, and in one within
//! another. Each is undone in turn, and what is found then is hidden where it is written.

use std::ops::Range;

/// A text without one layer of escapes.
pub(super) struct Decoded {
    pub(super) text: Vec<u8>,
    /// Where the distance between the two texts changes, ascending.
    turns: Vec<Turn>,
}

#[derive(Clone, Copy)]
struct Turn {
    /// In the decoded text.
    at: usize,
    /// In the text as it is written.
    from: usize,
    /// Bytes that are written for the one or few from here on; 0 where each byte is written as itself.
    written: usize,
}

/// The text without one layer of escapes: those of JSON and its relatives (RFC 8259), of URLs (RFC 3986), of markup.
/// `None` where it has none.
pub(super) fn decode(text: &[u8]) -> Option<Decoded> {
    let mut out = Decoded { text: Vec::new(), turns: Vec::new() };
    let mut kept = 0;
    let mut at = 0;
    while let Some(to) = memchr::memchr3(b'\\', b'%', b'&', &text[at..]) {
        at += to;
        let Some((bytes, length, written)) = escape(&text[at..]) else {
            at += 1;
            continue;
        };
        out.plain(&text[kept..at], kept);
        out.turns.push(Turn { at: out.text.len(), from: at, written });
        out.text.extend_from_slice(&bytes[..length]);
        at += written;
        kept = at;
    }
    if out.turns.is_empty() {
        return None;
    }
    out.plain(&text[kept..], kept);
    Some(out)
}

/// The text without any escapes, however many layers it has.
pub(super) fn plain(text: &[u8]) -> std::borrow::Cow<'_, [u8]> {
    let mut plain = std::borrow::Cow::Borrowed(text);
    for _ in 0..LAYERS + 1 {
        match decode(&plain) {
            Some(decoded) => plain = decoded.text.into(),
            None => break,
        }
    }
    plain
}

/// Layers of escapes that are undone.
pub(super) const LAYERS: usize = 5;

impl Decoded {
    fn plain(&mut self, text: &[u8], from: usize) {
        if !text.is_empty() {
            self.turns.push(Turn { at: self.text.len(), from, written: 0 });
            self.text.extend_from_slice(text);
        }
    }

    /// Where a part of it is written.
    pub(super) fn written(&self, span: &Range<usize>) -> Range<usize> {
        if span.is_empty() {
            let at = self.place(span.start).0;
            return at..at;
        }
        self.place(span.start).0..self.place(span.end - 1).1
    }

    /// Where the writing of a byte begins and ends.
    fn place(&self, at: usize) -> (usize, usize) {
        let next = self.turns.partition_point(|turn| turn.at <= at);
        let Some(turn) = next.checked_sub(1).and_then(|turn| self.turns.get(turn)) else {
            return (at, at + 1);
        };
        match turn.written {
            0 => (turn.from + at - turn.at, turn.from + at - turn.at + 1),
            written => (turn.from, turn.from + written),
        }
    }
}

/// The character that an escape stands for, its length, and how many bytes are written for it.
fn escape(text: &[u8]) -> Option<([u8; 4], usize, usize)> {
    let one = |byte: u8, written| Some(([byte, 0, 0, 0], 1, written));
    let next = *text.get(1)?;
    match text[0] {
        b'%' => one(hex(text.get(1..3)?).and_then(|byte| u8::try_from(byte).ok())?, 3),
        b'&' => {
            for (name, byte) in [
                (&b"&quot;"[..], b'"'),
                (b"&amp;", b'&'),
                (b"&lt;", b'<'),
                (b"&gt;", b'>'),
                (b"&apos;", b'\''),
            ] {
                if text.starts_with(name) {
                    return one(byte, name.len());
                }
            }
            numbered(text)
        }
        _ => match next {
            b'"' | b'\'' | b'/' | b'\\' => one(next, 2),
            b'n' => one(b'\n', 2),
            b'r' => one(b'\r', 2),
            b't' => one(b'\t', 2),
            b'x' => one(hex(text.get(2..4)?).and_then(|byte| u8::try_from(byte).ok())?, 4),
            b'u' => {
                let unit = hex(text.get(2..6)?)?;
                let low = || {
                    let rest = text.get(6..12)?.strip_prefix(b"\\u")?;
                    hex(rest).filter(|low| (0xdc00..0xe000).contains(low))
                };
                let (code, written) = match low() {
                    Some(low) if (0xd800..0xdc00).contains(&unit) => {
                        (0x1_0000 + ((unit - 0xd800) << 10) + (low - 0xdc00), 12)
                    }
                    _ => (unit, 6),
                };
                let mut bytes = [0; 4];
                let length = char::from_u32(code)?.encode_utf8(&mut bytes).len();
                Some((bytes, length, written))
            }
            _ => None,
        },
    }
}

/// A character of markup by its number: `&#47;`, `&#x2F;`.
fn numbered(text: &[u8]) -> Option<([u8; 4], usize, usize)> {
    let digits = text.strip_prefix(b"&#")?;
    let length = memchr::memchr(b';', digits.get(..8).unwrap_or(digits))?;
    let number = std::str::from_utf8(&digits[..length]).ok()?;
    let code = match number.strip_prefix(['x', 'X']) {
        Some(hex) => u32::from_str_radix(hex, 16),
        None => number.parse(),
    };
    let mut bytes = [0; 4];
    let written = char::from_u32(code.ok()?)?.encode_utf8(&mut bytes).len();
    Some((bytes, written, length + 3))
}

fn hex(digits: &[u8]) -> Option<u32> {
    let digit = |b: &u8| char::from(*b).to_digit(16);
    digits.iter().try_fold(0, |sum, b| Some(sum * 16 + digit(b)?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn escapes_are_undone_layer_by_layer() {
        for (text, want) in [
            (r#"{\"a\":\"b\"}"#, r#"{"a":"b"}"#),
            (r"tok\u0065n", "token"),
            (r"\ud83d\ude00", "😀"),
            ("a%3Db%26c", "a=b&c"),
            ("&lt;pin&gt;4&amp;amp;", "<pin>4&"),
            (r#"\\\"pin\\\":\\u0034"#, "\"pin\":4"),
            (r"C:\harbour 50% &c", r"C:\harbour 50% &c"),
            (r"%257B%2522", "{\""),
            ("a&#47;b&#x2F;c&#x1F600;&#39;", "a/b/c😀'"),
            (
                "&#; &#x; &#xyz; &#99999999; &#-1; &#x110000; &#47",
                "&#; &#x; &#xyz; &#99999999; &#-1; &#x110000; &#47",
            ),
        ] {
            assert_eq!(String::from_utf8_lossy(&plain(text.as_bytes())), want, "{text}");
        }
    }

    proptest! {
        #[test]
        fn each_part_is_where_it_is_written(text in r#"([a-c]|\\"|\\\\|\\u0061|%61|&lt;|\\n|%|\\){0,30}"#, from in 0usize..20, len in 1usize..6) {
            if let Some(decoded) = decode(text.as_bytes()) {
                let end = (from + len).min(decoded.text.len());
                if from < end {
                    let written = decoded.written(&(from..end));
                    let again = decode(&text.as_bytes()[written.clone()]);
                    let again = again.map_or_else(|| text.as_bytes()[written].to_vec(), |a| a.text);
                    prop_assert_eq!(&decoded.text[from..end], again.as_slice());
                }
            } else {
                prop_assert_eq!(plain(text.as_bytes()), text.as_bytes());
            }
        }
    }
}
