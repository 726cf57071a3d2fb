//! `key=value` lines, with quoting and backslash escapes.

use std::{borrow::Cow, ops::Range};

use super::{
    Continues, Dialect, Gist, Head, Layout, Name, Spot, Visit,
    gist::{Claim, Gathering},
    is_other,
};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, roles};

pub(super) struct Pairs;

impl Layout for Pairs {
    fn name(&self) -> &'static str {
        "pairs"
    }

    fn about(&self) -> &'static str {
        "`key=value`, quoted and escaped; the kernel's audit"
    }

    fn sample(&self) -> &'static str {
        "time=2026-03-14T06:41:02Z level=info msg=\"berth free\" berth=3"
    }

    fn first(&self, first: u8) -> bool {
        is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        matches!(name, "serial" | "text")
    }

    fn owns(&self, word: &str) -> bool {
        // Around the kernel's stamp.
        matches!(word, "msg" | "audit")
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let mut head = Head::default();
        let mut level_seen = false;
        let mut at = 0;
        let mut count = 0;
        while let Some(pair) = pair(line, at) {
            let value = &line[pair.value.clone()];
            match roles::role(&line[pair.name.clone()]) {
                Role::Time if head.stamp.is_none() => head.stamp = Stamp::read(value),
                Role::Message if head.stamp.is_none() => {
                    head.stamp = audited(value).map(|(stamp, _)| stamp);
                }
                Role::Level if !level_seen => {
                    level_seen = true;
                    head.severity = Severity::read(value);
                }
                _ => {}
            }
            count += 1;
            at = skip_spaces(line, pair.end);
            if level_seen && head.stamp.is_some() {
                return Some(head);
            }
        }
        // Two pairs and nothing else, or a pair that is a time or a level: less is prose.
        let told = head.stamp.is_some() || head.severity.is_some();
        (count >= 2 && (told || at >= line.len())).then_some(head)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut entry = Entry::empty(raw);
        let mut loose = Vec::new();
        each_token(line, &mut |token| match token {
            Token::Pair(pair) => {
                let name = String::from_utf8_lossy(&line[pair.name.clone()]);
                entry.take(name, value(line, &pair), pair.value);
            }
            Token::Audited(stamp, serial) => {
                entry.stamp = entry.stamp.or(Some(stamp));
                entry.take_bytes("serial", serial);
            }
            Token::Word(span) => loose.push(String::from_utf8_lossy(&line[span])),
        });
        // What the kernel's audit tells of has a type instead of a message.
        if entry.message.is_empty()
            && entry.fields.iter().any(|field| field.name == "serial")
            && let Some(kind) = entry.fields.iter().find(|field| field.name == "type")
        {
            entry.message = kind.value.text().unwrap_or_default().to_owned().into();
        }
        if entry.message.is_empty() && loose.is_empty() {
            entry.settle();
        }
        if !loose.is_empty() {
            let loose: std::borrow::Cow<'_, str> = loose.join(" ").into();
            match entry.message.is_empty() {
                true => entry.message = loose,
                false => entry.fields.push(Field::new("text", Value::Text(loose), 0..line.len())),
            }
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
        }
        Some(entry)
    }

    fn values<'r>(&self, raw: &'r [u8], _: &Dialect, visit: &mut Visit<'_, 'r>) -> Option<()> {
        let line = first_line(raw).0;
        // A value with escapes reads otherwise than it is written.
        if memchr::memchr(b'\\', line).is_some() {
            return None;
        }
        let mut loose = false;
        each_token(line, &mut |token| match token {
            Token::Pair(pair) => {
                let name = String::from_utf8_lossy(&line[pair.name]);
                visit(Name::of(&name), Some(Spot::plain(&line[pair.value])));
            }
            Token::Audited(_, serial) => {
                visit(Name::of("serial"), Some(Spot::plain(&line[serial])));
            }
            Token::Word(_) => loose = true,
        });
        // Words among pairs are put together.
        (!loose).then_some(())
    }

    fn gist<'r>(&self, raw: &'r [u8], _: &Dialect) -> Option<Gist<'r>> {
        let line = first_line(raw).0;
        // A value with escapes reads otherwise than it is written, and what has braces may be a template.
        if memchr::memchr3(b'\\', b'{', b'%', line).is_some() {
            return None;
        }
        let mut gathering = Gathering::default();
        let mut at = 0;
        while at < line.len() && !gathering.is_complete() {
            let Some(found) = pair(line, at) else {
                at = skip_spaces(line, memchr::memchr(b' ', &line[at..])? + at);
                continue;
            };
            at = skip_spaces(line, found.end);
            let name = &line[found.name.clone()];
            let claim = Claim::of(name);
            if matches!(claim, Claim::Message | Claim::Logger) {
                // What stands without quotes may be no text, end with a comma, or be the kernel's stamp.
                let value = &line[found.value.clone()];
                let bare = found.end == found.value.end;
                if bare && !is_plain_word(value) || audited(value).is_some() {
                    return None;
                }
                gathering.take(claim, Spot::plain(&line[found.value]))?;
            }
        }
        gathering.gist(false)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// Whether a value without quotes is a text as it stands: a name.
fn is_plain_word(value: &[u8]) -> bool {
    value.first().is_some_and(u8::is_ascii_alphabetic)
        && value.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'-' | b':'))
        && matches!(Value::untyped(value), Value::Text(_))
}

/// What a line of pairs is made of.
enum Token {
    Pair(Pair),
    /// The stamp of the kernel's audit, and the place of the number of the event.
    Audited(Stamp, Range<usize>),
    /// What is no pair.
    Word(Range<usize>),
}

fn each_token(line: &[u8], visit: &mut dyn FnMut(Token)) {
    let mut at = 0;
    while at < line.len() {
        let Some(mut pair) = pair(line, at) else {
            let end = memchr::memchr(b' ', &line[at..]).map_or(line.len(), |to| at + to);
            visit(Token::Word(at..end));
            at = skip_spaces(line, end);
            continue;
        };
        at = skip_spaces(line, pair.end);
        // A comma sets pairs apart and is no part of a value.
        if pair.end == pair.value.end
            && pair.end < line.len()
            && line[pair.value.clone()].ends_with(b",")
        {
            pair.value.end -= 1;
            pair.end -= 1;
        }
        let start = pair.value.start;
        visit(match audited(&line[pair.value.clone()]) {
            Some((stamp, serial)) => {
                Token::Audited(stamp, start + serial.start..start + serial.end)
            }
            None => Token::Pair(pair),
        });
    }
}

/// Values that are looked at before a text is read in full.
const LOOKS: usize = 16;

/// Whether a text can hold no pair of this name, which `finder` finds, for whose value `judge` holds, wherever
/// pairs are read out of it. Says no where that takes more than a look.
pub(crate) fn refuses(
    text: &[u8],
    name: &str,
    finder: &memchr::memmem::Finder<'_>,
    judge: &mut dyn FnMut(&str) -> bool,
) -> bool {
    let is_name = |at: usize| text.get(at).is_some_and(|b| NAME[usize::from(*b)]);
    let mut looks = 0;
    for at in finder.find_iter(text) {
        let end = at + name.len();
        // It is a part of another name.
        if at > 0 && is_name(at - 1) || is_name(end) {
            continue;
        }
        match text.get(end) {
            Some(b'=') => {}
            // It may be a member of an object, or a header.
            Some(b'"' | b'\'' | b':' | b'\\') => return false,
            _ => continue,
        }
        let value = &text[end + 1..];
        let length = memchr::memchr2(b' ', b'\n', value).unwrap_or(value.len());
        let value = &value[..length];
        if matches!(value.first(), None | Some(b'"' | b'\'' | b'[' | b'{')) {
            return false;
        }
        // What closes or parts something may be a part of the value, or stand behind it.
        let parts = |b: &u8| !b.is_ascii_alphanumeric() && !matches!(b, b'-' | b'_');
        let ends = value.iter().enumerate().skip(1).filter(|(_, b)| parts(b)).map(|(at, _)| at);
        for end in ends.chain([length]) {
            looks += 1;
            if looks > LOOKS || judge(&String::from_utf8_lossy(&value[..end])) {
                return false;
            }
        }
    }
    true
}

/// `audit(1773470462.340:123):`, the stamp of the kernel's audit: the time, and the place of the number of the
/// event.
fn audited(value: &[u8]) -> Option<(Stamp, Range<usize>)> {
    let rest = value.strip_prefix(b"audit(")?;
    let colon = memchr::memchr(b':', rest)?;
    let close = colon + memchr::memchr(b')', &rest[colon..])?;
    Some((Stamp::epoch(&rest[..colon])?, 6 + colon + 1..6 + close))
}

/// Bytes that a name may have.
static NAME: [bool; 256] = {
    let mut is = [false; 256];
    let mut byte = 0u8;
    while byte < 128 {
        is[byte as usize] =
            byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'.' | b'-' | b'@' | b'/');
        byte += 1;
    }
    is
};

/// A pair and where it ends, closing quote included.
pub(super) struct Pair {
    pub(super) name: Range<usize>,
    pub(super) value: Range<usize>,
    pub(super) end: usize,
}

/// The pair that starts at `at`: a name of letters, digits and `_ . - @ /`, an equals sign without
/// spaces around it, and a value up to the next space or, quoted, up to its closing quote.
pub(super) fn pair(line: &[u8], at: usize) -> Option<Pair> {
    let rest = line.get(at..)?;
    if !rest.first().is_some_and(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b'@')) {
        return None;
    }
    let length = rest.iter().take(65).position(|b| !NAME[usize::from(*b)])?;
    if rest[length] != b'=' {
        return None;
    }
    let start = at + length + 1;
    let name = at..at + length;
    if line.get(start) == Some(&b'"') {
        let mut to = start + 1;
        while let Some(found) = memchr::memchr2(b'"', b'\\', line.get(to..)?) {
            to += found;
            if line[to] == b'"' {
                return Some(Pair { name, value: start + 1..to, end: to + 1 });
            }
            to += 2;
        }
        // Never closed: the quote is part of the value.
    }
    if line.get(start) == Some(&b'\'')
        && let Some(length) = memchr::memchr(b'\'', &line[start + 1..])
        && matches!(line.get(start + length + 2), None | Some(b' ' | b',' | b'>' | b')' | b']'))
    {
        return Some(Pair { name, value: start + 1..start + 1 + length, end: start + length + 2 });
    }
    if let Some(end) = bracketed(line, start) {
        return Some(Pair { name, value: start..end, end });
    }
    let end = memchr::memchr(b' ', &line[start..]).map_or(line.len(), |to| start + to);
    Some(Pair { name, value: start..end, end })
}

/// Bytes within which a list or an object as a value ends.
const LISTED: usize = 4_096;

/// Where a value ends that is a list or an object with blanks in it: `[1, 2]`, `{'a': 1}`.
fn bracketed(line: &[u8], start: usize) -> Option<usize> {
    if !matches!(line.get(start)?, b'[' | b'{') {
        return None;
    }
    let text = &line[start..line.len().min(start + LISTED)];
    let mut depth = 0;
    let mut quote = None;
    for (at, byte) in text.iter().enumerate() {
        match (quote, byte) {
            (Some(open), byte) if open == *byte && text[at - 1] != b'\\' => quote = None,
            (Some(_), _) => {}
            (None, b'"' | b'\'') => quote = Some(*byte),
            (None, b'[' | b'{') => depth += 1,
            (None, b']' | b'}') => {
                depth -= 1;
                if depth == 0 {
                    let end = start + at + 1;
                    return matches!(line.get(end), None | Some(b' ' | b',' | b';')).then_some(end);
                }
            }
            _ => {}
        }
    }
    None
}

/// The value of a pair, escapes resolved where it was quoted.
pub(super) fn value<'a>(line: &'a [u8], pair: &Pair) -> Value<'a> {
    let bytes = &line[pair.value.clone()];
    if pair.end == pair.value.end {
        return Value::untyped(bytes);
    }
    let text = String::from_utf8_lossy(bytes);
    if !text.contains('\\') {
        return Value::Text(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text.chars();
    while let Some(c) = rest.next() {
        match (c, c == '\\') {
            (c, false) => out.push(c),
            (_, true) => match rest.next() {
                Some('n') => out.push('\n'),
                Some('t') => out.push('\t'),
                Some(other) => out.push(other),
                None => out.push('\\'),
            },
        }
    }
    Value::Text(Cow::Owned(out))
}

/// Takes the pairs that stand in a free text as fields of the entry.
pub(super) fn in_text<'a>(entry: &mut Entry<'a>, span: Range<usize>) {
    let line = &entry.raw[..span.end];
    each_in_text(line, span, &mut |pair| {
        let name = String::from_utf8_lossy(&line[pair.name.clone()]);
        entry.take_pair(name, value(line, pair), pair.value.clone());
    });
}

/// Whether nothing but pairs, and what parts them, stands in a text.
pub(super) fn covers(line: &[u8], span: Range<usize>) -> bool {
    each_covering(line, span, &mut |_| {})
}

/// Visits the pairs that stand in a text, and says whether nothing but them, and what parts them, stands there.
pub(super) fn each_covering(
    line: &[u8],
    span: Range<usize>,
    visit: &mut dyn FnMut(&Pair),
) -> bool {
    let word = |range: Range<usize>| {
        line[range].iter().any(|b| b.is_ascii_alphanumeric() || !b.is_ascii())
    };
    let mut at = span.start;
    let mut covered = true;
    each_in_text(line, span.clone(), &mut |pair| {
        covered &= !word(at..pair.name.start);
        at = pair.end;
        visit(pair);
    });
    covered && !word(at..span.end)
}

/// Visits the pairs that stand in a free text, up to its end.
pub(super) fn each_in_text(line: &[u8], span: Range<usize>, visit: &mut dyn FnMut(&Pair)) {
    let line = &line[..span.end];
    let (mut from, mut at) = (span.start, span.start);
    while let Some(sign) = memchr::memchr(b'=', &line[at..]) {
        let sign = at + sign;
        let name = line[from..sign].iter().rev().take_while(|b| NAME[usize::from(**b)]).count();
        let start = sign - name;
        // A pair begins where a word begins; brackets around it are not part of it.
        let begins =
            start == from || matches!(line[start - 1], b' ' | b'[' | b'(' | b'{' | b',' | b';');
        // `a==b` compares.
        let compares = line.get(sign + 1) == Some(&b'=');
        let found = (begins && !compares).then(|| pair(line, start)).flatten();
        at = sign + 1;
        if let Some(mut pair) = found.filter(|pair| !pair.value.is_empty()) {
            if pair.end == pair.value.end {
                let opened = memchr::memchr2(b'(', b'[', &line[pair.value.clone()]).is_some();
                let object = line[pair.value.start] == b'{';
                let loose = |b: u8| {
                    matches!(b, b',' | b';' | b':' | b'.' | b'\'')
                        || b == b'}' && !object
                        || !opened && matches!(b, b')' | b']')
                };
                while pair.value.len() > 1 && loose(line[pair.value.end - 1]) {
                    pair.value.end -= 1;
                }
                pair.end = pair.value.end;
            }
            (from, at) = (pair.end, pair.end);
            visit(&pair);
        }
    }
}

impl<'a> Entry<'a> {
    /// A pair out of a message: an id or a plain field, never the entry's own time or level.
    fn take_pair(&mut self, name: Cow<'a, str>, value: Value<'a>, span: Range<usize>) {
        match roles::role(name.as_bytes()) {
            Role::Id(_) => self.take(name, value, span),
            _ => self.fields.push(crate::entry::Field::new(name, value, span)),
        }
    }
}

pub(super) fn skip_spaces(line: &[u8], mut at: usize) -> usize {
    while line.get(at).is_some_and(|b| *b == b' ' || *b == b'\t') {
        at += 1;
    }
    at
}
