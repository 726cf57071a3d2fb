//! What a message of text holds: pairs, objects, requests, names and values at its end, and what the lines below it
//! say.

use std::{ops::Range, sync::LazyLock};

use memchr::memmem::Finder;

use super::{json, pairs, prefix, request};
use crate::entry::{Entry, Field, Value};

/// What begins the tail of a server's error.
pub(super) static CLIENT: LazyLock<Finder<'_>> = LazyLock::new(|| Finder::new(", client: "));

/// The message, and the fields in it: pairs, a JSON object at its end, and `, name: value` at the end of
/// a server's error.
pub(super) fn take(entry: &mut Entry<'_>, span: Range<usize>) {
    let line = &entry.raw[..span.end];
    let text = &line[span.clone()];
    let mut end = span.end;
    if let Some(client) = CLIENT.find(text) {
        let tail = span.start + client..span.end;
        if let Some(named) = named_tail(line, tail.clone()) {
            end = tail.start;
            for (name, place) in named {
                entry.take_bytes(String::from_utf8_lossy(&entry.raw[name]), place);
            }
        }
    }
    if entry.logger.is_none()
        && let Some(open) = logger_behind(&line[span.start..end])
    {
        entry.logger = Some(String::from_utf8_lossy(&entry.raw[span.start + open + 2..end - 1]));
        end = span.start + open;
    }
    entry.message = String::from_utf8_lossy(&entry.raw[span.start..end]);
    let objects = json_tails(text);
    let until = objects.first().map_or(end, |object| span.start + object.start);
    pairs::in_text(entry, span.start..until);
    request::each_in_message(line, span.start..end, &mut |name, span| {
        // A pair of the same name says it already.
        if !entry.fields.iter().any(|field| field.name == name) {
            entry.take_bytes(name, span);
        }
    });
    for (name, place) in named_parts(line, span.start..until) {
        let name = String::from_utf8_lossy(&entry.raw[name]);
        entry.fields.push(Field::new(name, Value::untyped(&entry.raw[place.clone()]), place));
    }
    for object in objects {
        take_object(entry, span.start + object.start..span.start + object.end);
    }
}

/// Takes the values in a text that is the message of columns: pairs, and the objects that it ends with.
pub(super) fn values(entry: &mut Entry<'_>, span: Range<usize>) {
    let objects = json_tails(&entry.raw[span.clone()]);
    let until = objects.first().map_or(span.end, |object| span.start + object.start);
    pairs::in_text(entry, span.start..until);
    for object in objects {
        take_object(entry, span.start + object.start..span.start + object.end);
    }
}

/// Takes the members of an object in a text: those of `body={"seats":2}` go by the name before it.
fn take_object(entry: &mut Entry<'_>, span: Range<usize>) {
    let raw = entry.raw;
    let front = raw[..span.start]
        .strip_suffix(b"=")
        .or(raw[..span.start].strip_suffix(b": "))
        .unwrap_or_default();
    let length = front
        .iter()
        .rev()
        .take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-'))
        .count();
    let name = &front[front.len() - length..];
    let named = BODIES.iter().any(|body| name.eq_ignore_ascii_case(body))
        || raw[span.start - 1] == b'=' && length > 0;
    match json::value_at(raw, span.clone()).filter(|_| named) {
        Some(value) => entry.take(String::from_utf8_lossy(name), value.value, span),
        None => json::members_of(entry, span),
    }
}

/// What a body is called where it stands in a message, folded.
const BODIES: [&[u8]; 8] = [
    b"body",
    b"payload",
    b"requestbody",
    b"responsebody",
    b"request_body",
    b"response_body",
    b"content",
    b"entity",
];

/// ` (harbour.server.Berths)` at the end of a message: where it begins.
pub(super) fn logger_behind(text: &[u8]) -> Option<usize> {
    let inside = text.strip_suffix(b")")?;
    let open = memchr::memmem::rfind(inside, b" (")?;
    let name = &inside[open + 2..];
    let parts = name.split(|b| *b == b'.').count();
    let plain = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$');
    let fits = parts >= 2 && name.iter().all(plain) && name.iter().any(u8::is_ascii_uppercase);
    (fits
        && name.split(|b| *b == b'.').all(|part| part.first().is_some_and(u8::is_ascii_alphabetic)))
    .then_some(open)
}

/// The JSON objects that a text ends with, one or two, empty lists among them left out: `… {context} {extra}`,
/// `… {context} []`.
pub(super) fn json_tails(text: &[u8]) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let mut rest = text.trim_ascii_end();
    for _ in 0..2 {
        if let Some(front) = rest.strip_suffix(b" []") {
            rest = front.trim_ascii_end();
        } else if let Some(at) = json_tail(rest) {
            found.push(at..rest.len());
            rest = rest[..at].trim_ascii_end();
        } else {
            break;
        }
    }
    found.reverse();
    found
}

/// Where a JSON object begins that takes the rest of the text. Of those that it ends with, the last that may.
fn json_tail(text: &[u8]) -> Option<usize> {
    if text.last() != Some(&b'}') {
        return None;
    }
    memchr::memchr_iter(b'{', text).take(8).find(|at| {
        matches!(text.get(at + 1), Some(b'"' | b' ' | b'}')) && json::is_object(&text[*at..])
    })
}

/// `, client: 10.0.0.1, server: ferries, request: "GET / HTTP/1.1"`: the places of names and values. `None` where
/// anything else is among them.
fn named_tail(raw: &[u8], span: Range<usize>) -> Option<Vec<(Range<usize>, Range<usize>)>> {
    let mut found = Vec::new();
    let mut at = span.start;
    while at < span.end {
        let rest = raw[at..span.end].strip_prefix(b", ")?;
        let colon = memchr::memmem::find(rest, b": ")?;
        let name = at + 2..at + 2 + colon;
        let start = name.end + 2;
        let value = &raw[start..span.end];
        let place = if value.first() == Some(&b'"') {
            let close = memchr::memchr(b'"', &value[1..])?;
            at = start + close + 2;
            start + 1..start + 1 + close
        } else {
            let length = memchr::memmem::find(value, b", ").unwrap_or(value.len());
            at = start + length;
            start..at
        };
        found.push((name, place));
    }
    Some(found)
}

/// Takes what the lines below a message say that are no stack trace: `name: value` where all are indented alike, a
/// value over deeper lines as well; and pairs or an object behind the last.
pub(super) fn below(entry: &mut Entry<'_>, from: usize) {
    let raw = entry.raw;
    let mut at = from;
    let mut named: Vec<(Range<usize>, Range<usize>)> = Vec::new();
    let (mut all, mut margin) = (true, None);
    let mut last = from..raw.len();
    for line in raw[from..].split(|b| *b == b'\n') {
        let (start, end) = (at, at + crate::entry::trim_cr(line).len());
        at += line.len() + 1;
        if line.trim_ascii().is_empty() {
            continue;
        }
        last = start..end;
        let lead = line.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        let margin = *margin.get_or_insert(lead);
        let text = &line[lead..];
        // What is deeper, or closes what was opened, goes on with the value above.
        if let Some((_, value)) = named.last_mut()
            && (lead > margin || lead == margin && matches!(text[0], b'}' | b']'))
        {
            value.end = end;
            continue;
        }
        let colon = memchr::memmem::find(text, b": ").or(text.strip_suffix(b":").map(<[u8]>::len));
        match colon.filter(|colon| lead > 1 && lead == margin && prefix::is_name(&text[..*colon])) {
            Some(colon) if named.len() < 64 => {
                let colon = start + lead + colon;
                let value =
                    (colon + 1 + raw[colon + 1..end].iter().take_while(|b| **b == b' ').count())
                        .min(end);
                named.push((start + lead..colon, value..end));
            }
            _ => all = false,
        }
    }
    if all {
        for (name, value) in named {
            let name = String::from_utf8_lossy(&raw[name]);
            let field = match json::value_at(raw, value.clone()) {
                Some(field) => Field { name, span: value, ..field },
                None => Field::new(name, Value::untyped(raw[value.clone()].trim_ascii()), value),
            };
            entry.fields.push(field);
        }
        return;
    }
    let objects = json_tails(&raw[last.clone()]);
    let until = objects.first().map_or(last.end, |object| last.start + object.start);
    pairs::in_text(entry, last.start..until);
    for object in objects {
        take_object(entry, last.start + object.start..last.start + object.end);
    }
}

/// `…, berth: 4, vessel: Avocet`, `url: … |action: open`: names and values that a message ends with, two or more.
pub(super) fn named_parts(line: &[u8], span: Range<usize>) -> Vec<(Range<usize>, Range<usize>)> {
    let mut found = each_named_part(line, span);
    for (_, value) in &mut found {
        let text = &line[value.clone()];
        if text.len() > 1
            && text[0] == b'"'
            && text.last() == Some(&b'"')
            && !text[1..text.len() - 1].contains(&b'"')
        {
            *value = value.start + 1..value.end - 1;
        }
    }
    found
}

/// Takes the spans of an event that stand below it: `in harbour::request with method: "GET", path: "/fares"`.
pub(super) fn spans_below(entry: &mut Entry<'_>, from: usize) {
    let raw = entry.raw;
    let mut at = from;
    for line in raw[from..].split(|b| *b == b'\n') {
        let start = at;
        at += line.len() + 1;
        let lead = line.len() - line.trim_ascii_start().len();
        let Some(rest) = line[lead..].strip_prefix(b"in ").filter(|_| lead > 1) else { continue };
        let name = memchr::memmem::find(rest, b" with ").unwrap_or(rest.trim_ascii_end().len());
        if !prefix::is_name(&rest[..name]) {
            continue;
        }
        let begins = start + lead + 3;
        entry.take_bytes("span", begins..begins + name);
        let mut part_at = begins + name + 6;
        for part in raw.get(part_at..start + line.len()).unwrap_or_default().split(|b| *b == b',') {
            let from = part_at + part.len() - part.trim_ascii_start().len();
            part_at += part.len() + 1;
            let text = part.trim_ascii();
            let Some(colon) = memchr::memmem::find(text, b": ") else { continue };
            if prefix::is_name(&text[..colon]) {
                let value = text[colon + 2..].trim_ascii();
                let bare =
                    value.strip_prefix(b"\"").and_then(|v| v.strip_suffix(b"\"")).unwrap_or(value);
                let shift = from + text.len() - value.len() + usize::from(bare.len() < value.len());
                entry.take_bytes(
                    String::from_utf8_lossy(&raw[from..from + colon]),
                    shift..shift + bare.len(),
                );
            }
        }
    }
}

fn each_named_part(line: &[u8], span: Range<usize>) -> Vec<(Range<usize>, Range<usize>)> {
    let text = &line[span.clone()];
    let split = |mark: &[u8], first: bool| {
        let mut found = Vec::new();
        let mut at = 0;
        let mut number = 0;
        while at <= text.len() {
            let end = memchr::memmem::find(&text[at..], mark).map_or(text.len(), |to| at + to);
            let part = &text[at..end];
            let lead = part.len() - part.trim_ascii_start().len();
            let colon = memchr::memmem::find(part, b": ").filter(|colon| {
                *colon > lead
                    && *colon + 2 < part.trim_ascii_end().len()
                    && part[lead].is_ascii_alphabetic()
                    && prefix::is_name(&part[lead..*colon])
            });
            match colon {
                Some(colon) if number > 0 || first => found.push((
                    span.start + at + lead..span.start + at + colon,
                    span.start + at + colon + 2..span.start + at + part.trim_ascii_end().len(),
                )),
                _ if number > 0 || first => found.clear(),
                _ => {}
            }
            number += 1;
            at = end + mark.len();
        }
        if found.len() >= 2 { found } else { Vec::new() }
    };
    if memchr::memchr(b'|', text).is_some() {
        return split(b"|", true);
    }
    if memchr::memmem::find(text, b", ").is_some() {
        return split(b", ", false);
    }
    Vec::new()
}

/// `=> RequestId:0HM RequestPath:/holds => Harbour.Berths`: the scopes of an entry, as pairs or as they stand.
pub(super) fn scopes(entry: &mut Entry<'_>, from: usize) {
    let raw = entry.raw;
    let mut at = from;
    for line in raw[from..].split(|b| *b == b'\n') {
        let start = at;
        at += line.len() + 1;
        let lead = line.len() - line.trim_ascii_start().len();
        if !line[lead..].starts_with(b"=> ") {
            continue;
        }
        let mut word_at = start + lead;
        for word in line[lead..].trim_ascii_end().split(|b| *b == b' ') {
            let span = word_at..word_at + word.len();
            word_at = span.end + 1;
            match memchr::memchr(b':', word)
                .filter(|colon| *colon > 0 && prefix::is_name(&word[..*colon]))
            {
                _ if word.is_empty() || word == b"=>" => {}
                Some(colon) => {
                    let name = String::from_utf8_lossy(&word[..colon]);
                    entry.take_bytes(name, span.start + colon + 1..span.end);
                }
                None => entry.take_bytes("scope", span),
            }
        }
    }
}
