//! One entry as a JSON object, in the shape that programs may rely on.

use std::{borrow::Cow, fmt::Write as _};

use super::time::write_time;
use crate::{
    engine::{Placed, Side, Snapshot},
    entry::{Entry, Severity},
    store::EntryId,
    veil::{Anyone, CleanValue, Fields, PartValue, Shareable, Veiled, is_harmful},
};

/// Writes the entry: `time`, `level`, `severity`, `level_raw`, `source`, `file`, `line`, `lines`, `part`,
/// `layout`, `logger`, `message`, `ids`, `fields`, `derived`. What the entry does not have is null. What is known of it
/// beside others follows, where that was asked for ([`beside`]).
pub(super) fn entry(
    out: &mut Vec<u8>,
    entry: &Entry<'_>,
    veiled: &Veiled<'_, '_, Anyone>,
    placed: &Placed<'_>,
    source: &str,
) {
    let block = placed.block;
    let index = placed.index;
    let severity = block.severity(index);
    let time = block.time(index);
    let timed = time != crate::store::NO_TIME;
    if timed {
        push(out, "{\"time\":\"");
        write_time(out, time, entry.stamp.map(|stamp| stamp.digits));
        push(out, "\",\"level\":");
    } else {
        push(out, "{\"time\":null,\"level\":");
    }
    optional(out, severity.map(|s| s.level().name()));
    push(out, ",\"severity\":");
    match severity.map(Severity::number) {
        Some(severity) => number(out, severity.into()),
        None => push(out, "null"),
    }
    push(out, ",\"level_raw\":");
    optional(out, veiled.level_raw().as_ref().map(Shareable::as_str));
    push(out, ",\"source\":");
    string(out, source);
    push(out, ",\"file\":");
    string(out, block.file.as_deref().unwrap_or(source));
    // The number of a line is unknown while its file is read from the end.
    match placed.line {
        0 => push(out, ",\"line\":null,\"lines\":"),
        line => {
            push(out, ",\"line\":");
            number(out, line);
            push(out, ",\"lines\":");
        }
    }
    number(out, placed.lines);
    push(out, ",\"part\":");
    number(out, placed.part as u64 + 1);
    push(out, ",\"layout\":");
    string(out, block.layout(index).name());
    push(out, ",\"logger\":");
    optional(out, veiled.logger().as_ref().map(Shareable::as_str));
    push(out, ",\"message\":");
    let message = veiled.message();
    match veiled.body() {
        Some(body) => string(out, &format!("{message}\n{body}")),
        None => string(out, message.as_str()),
    }
    push(out, ",\"ids\":{");
    let ids = veiled.ids();
    for (at, (kind, id)) in ids.iter().enumerate() {
        if ids[..at].iter().any(|(other, _)| other == kind) {
            continue;
        }
        push(out, if at > 0 { ",\"" } else { "\"" });
        push(out, kind);
        push(out, "\":");
        string(out, id.as_str());
    }
    push(out, "},\"fields\":");
    map(out, veiled.parts(false));
    push(out, ",\"derived\":[");
    let derived = [
        ("\"time\"", block.time_derived(index) && timed),
        ("\"level\"", entry.level_derived),
        ("\"message\"", entry.message_derived),
    ];
    for (at, (name, _)) in derived.iter().filter(|(_, is)| *is).enumerate() {
        push(out, if at > 0 { "," } else { "" });
        push(out, name);
    }
    push(out, "]}");
}

/// Adds to the object what is known of the entry beside others: `run`, the number of its run, where its source has several,
/// and `exchange`, where the
/// other half of it stands (`half`, `source`, `line`), and what either half tells.
pub(super) fn beside(out: &mut Vec<u8>, snapshot: &Snapshot, id: EntryId, entry: &Entry<'_>) {
    if let Some(run) = snapshot.run_number(id, entry) {
        out.pop();
        push(out, ",\"run\":");
        number(out, run as u64);
        push(out, "}");
    }
    let Ok(Some(exchange)) = snapshot.exchange_of::<Anyone>(id) else { return };
    out.pop();
    push(out, ",\"exchange\":{\"half\":");
    push(out, if exchange.side == Side::Response { "\"response\"" } else { "\"request\"" });
    push(out, ",\"source\":");
    string(out, &snapshot.sources[snapshot.source_of(exchange.other)].name);
    push(out, ",\"line\":");
    match snapshot.line(exchange.other) {
        Ok(line) if line > 0 => number(out, line),
        _ => push(out, "null"),
    }
    for field in &exchange.told {
        push(out, ",");
        string(out, field.name.as_str());
        push(out, ":");
        match &field.value {
            CleanValue::Number(text) => push(out, text.as_str()),
            CleanValue::Text(text) => string(out, text.as_str()),
            _ => push(out, "null"),
        }
    }
    push(out, "}}");
}

/// Writes fields as `name=value`, two blanks before each, nested values as JSON.
pub(super) fn pairs(out: &mut Vec<u8>, fields: Fields<'_, '_, Anyone>) {
    for field in fields {
        push(out, "  ");
        push(out, field.name.as_str());
        push(out, "=");
        match field.value {
            PartValue::Text(text)
                if text.as_str().contains([' ', '"', '\n']) || text.as_str().is_empty() =>
            {
                string(out, text.as_str());
            }
            PartValue::Text(text) | PartValue::Number(text) => push(out, text.as_str()),
            other => value(out, other),
        }
    }
}

/// Writes fields as an object. Values of one name become a list: a reader of JSON keeps but one of several members of a name
/// (RFC 8259, section 4).
fn map(out: &mut Vec<u8>, fields: Fields<'_, '_, Anyone>) {
    if fields.repeat() {
        return map_of_lists(out, fields);
    }
    push(out, "{");
    for (at, field) in fields.enumerate() {
        push(out, if at > 0 { "," } else { "" });
        string(out, field.name.as_str());
        push(out, ":");
        value(out, field.value);
    }
    push(out, "}");
}

/// The same where names repeat.
fn map_of_lists(out: &mut Vec<u8>, fields: Fields<'_, '_, Anyone>) {
    let mut parts: Vec<(Shareable<'_>, Vec<PartValue<'_, '_, Anyone>>)> = Vec::new();
    let mut places: crate::hash::Map<String, usize> = crate::hash::Map::default();
    for field in fields {
        let place = *places.entry(field.name.as_str().to_owned()).or_insert(parts.len());
        match parts.get_mut(place) {
            Some((_, values)) => values.push(field.value),
            None => parts.push((field.name, vec![field.value])),
        }
    }
    push(out, "{");
    for (at, (name, values)) in parts.into_iter().enumerate() {
        push(out, if at > 0 { "," } else { "" });
        string(out, name.as_str());
        let several = values.len() > 1;
        push(out, if several { ":[" } else { ":" });
        for (at, one) in values.into_iter().enumerate() {
            push(out, if at > 0 { "," } else { "" });
            value(out, one);
        }
        push(out, if several { "]" } else { "" });
    }
    push(out, "}");
}

/// Writes a value as JSON.
fn value(out: &mut Vec<u8>, of: PartValue<'_, '_, Anyone>) {
    match of {
        PartValue::Null => push(out, "null"),
        PartValue::Bool(is) => push(out, if is { "true" } else { "false" }),
        PartValue::Number(number) => push(out, number.as_str()),
        PartValue::Text(text) => string(out, text.as_str()),
        PartValue::Map(fields) => map(out, fields),
        PartValue::List(items) => {
            push(out, "[");
            for (at, item) in items.enumerate() {
                push(out, if at > 0 { "," } else { "" });
                value(out, item.value);
            }
            push(out, "]");
        }
    }
}

fn optional(out: &mut Vec<u8>, text: Option<&str>) {
    match text {
        Some(text) => string(out, text),
        None => push(out, "null"),
    }
}

fn push(out: &mut Vec<u8>, text: &str) {
    out.extend_from_slice(text.as_bytes());
}

fn number(out: &mut Vec<u8>, number: u64) {
    push(out, itoa::Buffer::new().format(number));
}

/// JSON text with all that a terminal would obey written as `\\u` escapes: DEL, the second row of control
/// characters, and what reorders or hides text. Standard escaping covers the first row alone.
#[must_use]
pub fn escaped(json: &str) -> Cow<'_, str> {
    if !json.chars().any(|c| c > '~' && is_harmful(c)) {
        return Cow::Borrowed(json);
    }
    let mut out = String::with_capacity(json.len() + 16);
    for c in json.chars() {
        if c > '~' && is_harmful(c) {
            for unit in c.encode_utf16(&mut [0; 2]) {
                let _ = write!(out, "\\u{unit:04x}");
            }
        } else {
            out.push(c);
        }
    }
    Cow::Owned(out)
}

/// Writes a text as JSON. One pass without a branch settles it for most texts.
fn string(out: &mut Vec<u8>, text: &str) {
    let plain = |b: u8| (b' '..0x7f).contains(&b) & (b != b'"') & (b != b'\\');
    if text.bytes().fold(true, |all, b| all & plain(b)) {
        out.push(b'"');
        out.extend_from_slice(text.as_bytes());
        out.push(b'"');
        return;
    }
    match serde_json::to_string(text) {
        Ok(written) => push(out, &escaped(&written)),
        Err(error) => unreachable!("a text is always JSON: {error}"),
    }
}
