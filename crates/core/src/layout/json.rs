//! JSON lines (RFC 8259 objects, one a line).
//!
//! The index walks the keys of the outermost object and stops at time and level; values in between are
//! skipped by their quotes. The tree is built only for an entry that is read in full. A number keeps its
//! text, a repeated key stays repeated, and what is nested too deep stays as its text.

use std::borrow::Cow;

use super::{Dialect, Head, Layout};
use crate::{
    entry::{Entry, Field, Role, Severity, Stamp, Value, ids},
    limits,
};

pub(super) struct Json;

impl Layout for Json {
    fn name(&self) -> &'static str {
        "json"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let line = line.trim_ascii();
        if line.first() != Some(&b'{') || line.last() != Some(&b'}') {
            return None;
        }
        let mut head = Head::default();
        let mut level_seen = false;
        let mut walk = Cursor { bytes: line, at: 1 };
        if walk.peek()? == b'}' {
            walk.at += 1;
            return walk.at_end().then_some(head);
        }
        loop {
            let key = walk.string()?;
            walk.byte(b':')?;
            let start = walk.start()?;
            walk.skip_value()?;
            let value = unquoted(&line[start..walk.at]);
            match ids::role(key) {
                Role::Time if head.stamp.is_none() => head.stamp = Stamp::read(value),
                Role::Level if !level_seen && is_scalar(line[start]) => {
                    level_seen = true;
                    head.severity = Severity::read(value);
                }
                _ => {}
            }
            if level_seen && head.stamp.is_some() {
                return Some(head);
            }
            match walk.next()? {
                b',' => {}
                b'}' => return walk.at_end().then_some(head),
                _ => return None,
            }
        }
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let mut cursor = Cursor { bytes: raw, at: 0 };
        let Value::Map(fields) = cursor.value(0)?.value else {
            return None;
        };
        if !cursor.at_end() {
            return None;
        }
        let mut entry = Entry::empty(raw);
        for mut field in fields {
            if let Value::List(children) | Value::Map(children) = &mut field.value {
                ids::mark_nested(children);
            }
            entry.take(field.name, field.value, field.span);
        }
        Some(entry)
    }
}

fn is_scalar(first: u8) -> bool {
    first != b'{' && first != b'['
}

fn unquoted(value: &[u8]) -> &[u8] {
    value.strip_prefix(b"\"").and_then(|v| v.strip_suffix(b"\"")).unwrap_or(value)
}

/// A place in JSON text. Every step gives `None` where the text is not JSON.
struct Cursor<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl<'a> Cursor<'a> {
    fn start(&mut self) -> Option<usize> {
        while matches!(self.bytes.get(self.at)?, b' ' | b'\t' | b'\r' | b'\n') {
            self.at += 1;
        }
        Some(self.at)
    }

    fn peek(&mut self) -> Option<u8> {
        let at = self.start()?;
        Some(self.bytes[at])
    }

    fn next(&mut self) -> Option<u8> {
        let byte = self.peek()?;
        self.at += 1;
        Some(byte)
    }

    fn byte(&mut self, want: u8) -> Option<()> {
        (self.next()? == want).then_some(())
    }

    fn at_end(&mut self) -> bool {
        self.start().is_none()
    }

    /// The bytes between the quotes of the string that starts here.
    fn string(&mut self) -> Option<&'a [u8]> {
        self.byte(b'"')?;
        let start = self.at;
        loop {
            let found = memchr::memchr2(b'"', b'\\', self.bytes.get(self.at..)?)?;
            self.at += found;
            if self.bytes[self.at] == b'"' {
                self.at += 1;
                return Some(&self.bytes[start..self.at - 1]);
            }
            self.at += 2;
        }
    }

    fn skip_value(&mut self) -> Option<()> {
        match self.peek()? {
            b'"' => self.string().map(drop),
            b'{' | b'[' => self.skip_nested(),
            _ => self.scalar().map(drop),
        }
    }

    /// Skips an object or a list by its brackets, without recursion.
    fn skip_nested(&mut self) -> Option<()> {
        let mut depth = 0usize;
        loop {
            match self.peek()? {
                b'"' => {
                    self.string()?;
                    continue;
                }
                b'{' | b'[' => depth += 1,
                b'}' | b']' => depth -= 1,
                _ => {}
            }
            self.at += 1;
            if depth == 0 {
                return Some(());
            }
        }
    }

    /// A number, `true`, `false` or `null`.
    fn scalar(&mut self) -> Option<&'a [u8]> {
        let start = self.at;
        while self
            .bytes
            .get(self.at)
            .is_some_and(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'+' | b'.'))
        {
            self.at += 1;
        }
        (self.at > start).then(|| &self.bytes[start..self.at])
    }

    /// The value that starts here, with its place.
    fn value(&mut self, depth: usize) -> Option<Field<'a>> {
        let first = self.peek()?;
        let start = self.at;
        let (value, span) = match first {
            b'"' => {
                let inside = self.string()?;
                (Value::Text(decode(inside)), start + 1..self.at - 1)
            }
            b'{' | b'[' if depth >= limits::NESTING => {
                self.skip_nested()?;
                let text = String::from_utf8_lossy(&self.bytes[start..self.at]);
                (Value::Text(text), start..self.at)
            }
            b'{' => (Value::Map(self.members(depth)?), start..self.at),
            b'[' => (Value::List(self.items(depth)?), start..self.at),
            _ => {
                let text = std::str::from_utf8(self.scalar()?).ok()?;
                let value = match text {
                    "null" => Value::Null,
                    "true" => Value::Bool(true),
                    "false" => Value::Bool(false),
                    _ if serde_json::from_str::<serde_json::Number>(text).is_ok() => {
                        Value::Number(text)
                    }
                    _ => return None,
                };
                (value, start..self.at)
            }
        };
        Some(Field::new("", value, span))
    }

    fn members(&mut self, depth: usize) -> Option<Vec<Field<'a>>> {
        self.byte(b'{')?;
        let mut members = Vec::new();
        if self.peek()? == b'}' {
            self.at += 1;
            return Some(members);
        }
        loop {
            let name = decode(self.string()?);
            self.byte(b':')?;
            let mut field = self.value(depth + 1)?;
            field.name = name;
            members.push(field);
            match self.next()? {
                b',' => {}
                b'}' => return Some(members),
                _ => return None,
            }
        }
    }

    fn items(&mut self, depth: usize) -> Option<Vec<Field<'a>>> {
        self.byte(b'[')?;
        let mut items = Vec::new();
        if self.peek()? == b']' {
            self.at += 1;
            return Some(items);
        }
        loop {
            items.push(self.value(depth + 1)?);
            match self.next()? {
                b',' => {}
                b']' => return Some(items),
                _ => return None,
            }
        }
    }
}

/// The text of a string with its escapes resolved. Lone surrogates and bytes that are no UTF-8 become
/// the replacement character; an unknown escape stays as written.
fn decode(inside: &[u8]) -> Cow<'_, str> {
    let text = String::from_utf8_lossy(inside);
    if !text.contains('\\') {
        return text;
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text.chars();
    while let Some(c) = rest.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match rest.next() {
            Some('n') => out.push('\n'),
            Some('t') => out.push('\t'),
            Some('r') => out.push('\r'),
            Some('b') => out.push('\u{8}'),
            Some('f') => out.push('\u{c}'),
            Some('u') => {
                let (decoded, after) = unicode(rest.as_str());
                out.push(decoded);
                rest = after.chars();
            }
            Some(other) => {
                if !matches!(other, '"' | '\\' | '/') {
                    out.push('\\');
                }
                out.push(other);
            }
            None => out.push('\\'),
        }
    }
    Cow::Owned(out)
}

/// The character of four hexadecimal digits, or of a pair of surrogates, and the text behind it.
fn unicode(text: &str) -> (char, &str) {
    let four = |text: &str| {
        let digits = text.get(..4)?;
        u32::from_str_radix(digits, 16).ok()
    };
    let Some(first) = four(text) else {
        return (char::REPLACEMENT_CHARACTER, text);
    };
    let after = text.get(4..).unwrap_or_default();
    if (0xd800..0xdc00).contains(&first)
        && let Some(rest) = after.strip_prefix("\\u")
        && let Some(second @ 0xdc00..0xe000) = four(rest)
    {
        let code = 0x10000 + ((first - 0xd800) << 10) + (second - 0xdc00);
        let character = char::from_u32(code).unwrap_or(char::REPLACEMENT_CHARACTER);
        return (character, rest.get(4..).unwrap_or_default());
    }
    (char::from_u32(first).unwrap_or(char::REPLACEMENT_CHARACTER), after)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn half_an_object_is_refused() {
        for line in [
            "{",
            "{}}",
            r#"{"time":"2026-03-14T06:41:02Z""#,
            r#"{"a":1,}"#,
            r#"{"a" 1}"#,
            r#"{"a":"}"#,
            "{a: 1}",
        ] {
            assert_eq!(Json.head(line.as_bytes(), &Dialect::default()), None, "{line}");
        }
    }

    #[test]
    fn escapes_are_resolved() {
        for (inside, want) in [
            (r"plain", "plain"),
            (r#"a \"b\" \\ \/ c"#, r#"a "b" \ / c"#),
            (r"\n\t\r\b\f", "\n\t\r\u{8}\u{c}"),
            (r"\u00e9\u5ea7", "é座"),
            (r"\ud83d\ude00", "😀"),
            (r"\ud83d alone", "\u{fffd} alone"),
            (r"\ud83d\u0041", "\u{fffd}A"),
            (r"\uZZZZ", "\u{fffd}ZZZZ"),
            (r"\u12", "\u{fffd}12"),
            (r"\x41 \q", r"\x41 \q"),
            ("ends with \\", "ends with \\"),
        ] {
            assert_eq!(decode(inside.as_bytes()), want, "{inside}");
        }
        assert_eq!(decode(b"caf\xe9"), "caf\u{fffd}");
    }

    #[test]
    fn values_keep_their_type_and_place() {
        let line = r#"{"a": 1.50, "b":"x", "c":[true,null,{"d":-2e3}], "a":2}"#;
        let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
        let mut seen = Vec::new();
        entry.leaves(&mut |path, field| {
            let written = line.get(field.span.clone()).unwrap();
            assert_eq!(field.value.text(), Some(written), "{path}");
            seen.push(format!("{path}={written}"));
        });
        assert_eq!(seen, ["a=1.50", "b=x", "c.0=true", "c.1=null", "c.2.d=-2e3", "a=2"]);
        for line in
            [r#"{"a":01}"#, r#"{"a":nope}"#, r#"{"a":+1}"#, r#"{"a":1} x"#, r#"{"a":"b" "c":1}"#]
        {
            assert!(Json.read(line.as_bytes(), &Dialect::default()).is_none(), "{line}");
        }
    }

    #[test]
    fn deep_nesting_is_survived() {
        let line = format!("{{\"a\":{}1{}}}", "[".repeat(100_000), "]".repeat(100_000));
        assert!(Json.head(line.as_bytes(), &Dialect::default()).is_some());
        let entry = Json.read(line.as_bytes(), &Dialect::default()).unwrap();
        let mut deepest = 0;
        entry.leaves(&mut |path, _| deepest = path.split('.').count());
        assert_eq!(deepest, limits::NESTING);
    }

    proptest! {
        #[test]
        fn strings_decode_as_a_json_library_decodes_them(text in "\\PC*") {
            let written = serde_json::to_string(&text).unwrap();
            prop_assert_eq!(decode(&written.as_bytes()[1..written.len() - 1]), text);
        }

        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
            let mut line = b"{".to_vec();
            line.extend(&bytes);
            line.push(b'}');
            let _ = Json.head(&line, &Dialect::default());
            let _ = Json.read(&line, &Dialect::default());
        }
    }
}
