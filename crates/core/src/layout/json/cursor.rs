//! JSON text (RFC 8259), walked and read without a library: a number keeps its text, a repeated key stays
//! repeated, and every value keeps its place.

use std::borrow::Cow;

use crate::{
    entry::{Field, Value},
    limits,
};

/// A place in JSON text. Every step gives `None` where the text is not JSON.
pub(in crate::layout) struct Cursor<'a> {
    pub(in crate::layout) bytes: &'a [u8],
    pub(in crate::layout) at: usize,
}

impl<'a> Cursor<'a> {
    pub(in crate::layout) fn start(&mut self) -> Option<usize> {
        while matches!(self.bytes.get(self.at)?, b' ' | b'\t' | b'\r' | b'\n') {
            self.at += 1;
        }
        Some(self.at)
    }

    pub(in crate::layout) fn peek(&mut self) -> Option<u8> {
        let at = self.start()?;
        Some(self.bytes[at])
    }

    pub(in crate::layout) fn next(&mut self) -> Option<u8> {
        let byte = self.peek()?;
        self.at += 1;
        Some(byte)
    }

    pub(in crate::layout) fn byte(&mut self, want: u8) -> Option<()> {
        (self.next()? == want).then_some(())
    }

    pub(in crate::layout) fn at_end(&mut self) -> bool {
        self.start().is_none()
    }

    /// The bytes between the quotes of the string that starts here.
    pub(in crate::layout) fn string(&mut self) -> Option<&'a [u8]> {
        self.byte(b'"')?;
        let start = self.at;
        loop {
            self.at = quote_or_escape(self.bytes, self.at)?;
            if self.bytes[self.at] == b'"' {
                self.at += 1;
                return Some(&self.bytes[start..self.at - 1]);
            }
            self.at += 2;
        }
    }

    pub(in crate::layout) fn skip_value(&mut self) -> Option<()> {
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

    /// Visits each member of the object that starts here; the visit takes its value.
    pub(in crate::layout) fn each_member(
        &mut self,
        visit: &mut dyn FnMut(&'a [u8], &mut Self) -> Option<()>,
    ) -> Option<()> {
        self.byte(b'{')?;
        if self.peek()? == b'}' {
            self.at += 1;
            return Some(());
        }
        loop {
            let name = self.string()?;
            self.byte(b':')?;
            visit(name, self)?;
            match self.next()? {
                b',' => {}
                b'}' => return Some(()),
                _ => return None,
            }
        }
    }

    /// Visits each item of the list that starts here.
    pub(in crate::layout) fn each_item(
        &mut self,
        visit: &mut dyn FnMut(&mut Self) -> Option<()>,
    ) -> Option<()> {
        self.byte(b'[')?;
        if self.peek()? == b']' {
            self.at += 1;
            return Some(());
        }
        loop {
            visit(self)?;
            match self.next()? {
                b',' => {}
                b']' => return Some(()),
                _ => return None,
            }
        }
    }

    /// Skips a value and gives its place.
    pub(in crate::layout) fn place(&mut self) -> Option<std::ops::Range<usize>> {
        let start = self.start()?;
        self.skip_value()?;
        Some(start..self.at)
    }

    /// A number, `true`, `false` or `null`.
    pub(in crate::layout) fn scalar(&mut self) -> Option<&'a [u8]> {
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
    pub(in crate::layout) fn value(&mut self, depth: usize) -> Option<Field<'a>> {
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
                        Value::Number(Cow::Borrowed(text))
                    }
                    _ => return None,
                };
                (value, start..self.at)
            }
        };
        Some(Field::new("", value, span))
    }

    fn members(&mut self, depth: usize) -> Option<Vec<Field<'a>>> {
        let mut members = Vec::new();
        self.each_member(&mut |name, cursor| {
            let name = decode(name);
            let value = cursor.value(depth + 1)?;
            members.push(Field { name, ..value });
            Some(())
        })?;
        Some(members)
    }

    fn items(&mut self, depth: usize) -> Option<Vec<Field<'a>>> {
        let mut items = Vec::new();
        self.each_item(&mut |cursor| {
            items.push(cursor.value(depth + 1)?);
            Some(())
        })?;
        Some(items)
    }
}

/// The first place from `at` on where a quote or a backslash stands. Most strings are shorter than a search is worth its
/// call: eight bytes at a time, for the first few.
fn quote_or_escape(bytes: &[u8], at: usize) -> Option<usize> {
    const ONES: u64 = u64::from_ne_bytes([0x01; 8]);
    const HIGH: u64 = u64::from_ne_bytes([0x80; 8]);
    // The lowest bit of it is that of the first byte that is zero.
    let zero = |word: u64| word.wrapping_sub(ONES) & !word & HIGH;
    let rest = bytes.get(at..)?;
    let (words, _) = rest.as_chunks::<8>();
    for (number, word) in words.iter().take(5).enumerate() {
        let word = u64::from_le_bytes(*word);
        let found = zero(word ^ (ONES * u64::from(b'"'))) | zero(word ^ (ONES * u64::from(b'\\')));
        if found != 0 {
            return Some(at + number * 8 + found.trailing_zeros() as usize / 8);
        }
    }
    let looked = words.len().min(5) * 8;
    let found = memchr::memchr2(b'"', b'\\', rest.get(looked..)?)?;
    Some(at + looked + found)
}

/// The text of a string with its escapes resolved. Lone surrogates and bytes that are no UTF-8 become
/// the replacement character; an unknown escape stays as written.
pub(in crate::layout) fn decode(inside: &[u8]) -> Cow<'_, str> {
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
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn the_end_of_a_string_is_where_it_is(
            text in proptest::collection::vec(prop::sample::select(b"\"\\a\x00\x80\xff!#]".to_vec()), 0..90),
            plain in 0..90_usize,
            at in 0..100_usize,
        ) {
            let bytes = [&b"x".repeat(plain)[..], &text].concat();
            let want = bytes
                .get(at..)
                .and_then(|rest| rest.iter().position(|b| matches!(b, b'"' | b'\\')))
                .map(|found| at + found);
            prop_assert_eq!(quote_or_escape(&bytes, at), want);
        }
    }
}
