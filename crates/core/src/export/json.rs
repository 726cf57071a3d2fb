//! One entry as a JSON object, in the shape that programs may rely on.

use std::{borrow::Cow, fmt::Write as _};

use super::time_text;
use crate::{
    engine::Placed,
    entry::{Entry, Severity},
    veil::{CleanField, CleanValue, Veiled, is_harmful},
};

/// Writes the entry: `time`, `level`, `severity`, `level_raw`, `source`, `file`, `line`, `lines`, `part`,
/// `layout`, `logger`, `message`, `ids`, `fields`, `derived`. What the entry does not have is null.
pub(super) fn entry(
    out: &mut Vec<u8>,
    entry: &Entry<'_>,
    veiled: &Veiled<'_, '_>,
    placed: &Placed<'_>,
    source: &str,
) {
    let block = placed.block;
    let index = placed.index;
    let severity = block.severity(index);
    let time = block.time(index);
    let mut text = String::with_capacity(256);
    text.push_str("{\"time\":");
    if time == crate::store::NO_TIME {
        text.push_str("null");
    } else {
        let digits = entry.stamp.map(|stamp| stamp.digits);
        let _ = write!(text, "\"{}\"", time_text(time, digits));
    }
    text.push_str(",\"level\":");
    optional(&mut text, severity.map(|s| s.level().name()));
    text.push_str(",\"severity\":");
    match severity.map(Severity::number) {
        Some(number) => {
            let _ = write!(text, "{number}");
        }
        None => text.push_str("null"),
    }
    text.push_str(",\"level_raw\":");
    optional(&mut text, veiled.level_raw().as_ref().map(crate::veil::Clean::as_str));
    for (name, value) in [("source", source), ("file", block.file.as_deref().unwrap_or(source))] {
        let _ = write!(text, ",\"{name}\":");
        string(&mut text, value);
    }
    // Nobody knows the number of a line whose file was read from its end.
    match placed.line {
        0 => text.push_str(",\"line\":null"),
        line => drop(write!(text, ",\"line\":{line}")),
    }
    let _ = write!(
        text,
        ",\"lines\":{},\"part\":{},\"layout\":\"{}\",\"logger\":",
        placed.lines,
        placed.part + 1,
        block.layout(index).name()
    );
    optional(&mut text, veiled.logger().as_ref().map(crate::veil::Clean::as_str));
    text.push_str(",\"message\":");
    let message = veiled.message();
    match veiled.body() {
        Some(body) => string(&mut text, &format!("{message}\n{body}")),
        None => string(&mut text, message.as_str()),
    }
    text.push_str(",\"ids\":{");
    let mut seen: Vec<&str> = Vec::new();
    for (kind, id) in veiled.ids() {
        if seen.contains(&kind) {
            continue;
        }
        if !seen.is_empty() {
            text.push(',');
        }
        seen.push(kind);
        string(&mut text, kind);
        text.push(':');
        string(&mut text, id.as_str());
    }
    text.push_str("},\"fields\":");
    map(&mut text, &veiled.fields(false));
    text.push_str(",\"derived\":[");
    let derived = [
        ("time", block.time_derived(index) && time != crate::store::NO_TIME),
        ("level", entry.level_derived),
        ("message", entry.message_derived),
    ];
    let names: Vec<String> =
        derived.iter().filter(|(_, is)| *is).map(|(name, _)| format!("\"{name}\"")).collect();
    text.push_str(&names.join(","));
    text.push_str("]}");
    out.extend_from_slice(text.as_bytes());
}

/// Writes a field as `name=value`, nested values as JSON.
pub(super) fn pair(out: &mut String, field: &CleanField) {
    let _ = write!(out, "{}=", field.name);
    match &field.value {
        CleanValue::Text(text)
            if text.as_str().contains([' ', '"', '\n']) || text.as_str().is_empty() =>
        {
            string(out, text.as_str());
        }
        CleanValue::Text(text) | CleanValue::Number(text) => out.push_str(text.as_str()),
        other => value(out, other),
    }
}

fn map(out: &mut String, fields: &[CleanField]) {
    out.push('{');
    for (at, field) in fields.iter().enumerate() {
        if at > 0 {
            out.push(',');
        }
        string(out, field.name.as_str());
        out.push(':');
        value(out, &field.value);
    }
    out.push('}');
}

/// Writes a value as JSON.
pub(crate) fn value(out: &mut String, value_: &CleanValue) {
    match value_ {
        CleanValue::Null => out.push_str("null"),
        CleanValue::Bool(is) => out.push_str(if *is { "true" } else { "false" }),
        CleanValue::Number(number) => out.push_str(number.as_str()),
        CleanValue::Text(text) => string(out, text.as_str()),
        CleanValue::Map(fields) => map(out, fields),
        CleanValue::List(items) => {
            out.push('[');
            for (at, item) in items.iter().enumerate() {
                if at > 0 {
                    out.push(',');
                }
                value(out, &item.value);
            }
            out.push(']');
        }
    }
}

fn optional(out: &mut String, text: Option<&str>) {
    match text {
        Some(text) => string(out, text),
        None => out.push_str("null"),
    }
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

fn string(out: &mut String, text: &str) {
    match serde_json::to_string(text) {
        Ok(written) => out.push_str(&escaped(&written)),
        Err(error) => unreachable!("a text is always JSON: {error}"),
    }
}
