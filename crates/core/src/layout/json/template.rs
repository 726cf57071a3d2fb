//! Messages whose values are kept apart from them: `seat {Seat} held`, `seat %s held`.

use std::borrow::Cow;

use crate::entry::{Entry, Field, Role, Value};

/// Fills the entry's message where it is a template and its values are at hand.
pub(super) fn fill(entry: &mut Entry<'_>) {
    let filled = if entry.message.contains('{') {
        named(entry)
    } else if entry.message.contains('%') {
        positional(entry)
    } else {
        None
    };
    if let Some(filled) = filled {
        entry.message = Cow::Owned(filled);
        entry.message_derived = true;
        // The template itself says what is one kind of message.
        for field in &mut entry.fields {
            if field.role == Role::Message {
                field.role = Role::Plain;
            }
        }
    }
}

/// `{Name}`, `{Name:format}`, `{Name,width}`, `{@Name}`, `{$Name}`; braces that are doubled stand for themselves. A
/// hole with a format is filled by what the program has rendered, where it kept that.
fn named(entry: &Entry<'_>) -> Option<String> {
    let template = entry.message.as_ref();
    let mut rendered = renderings(entry).into_iter();
    let mut out = String::with_capacity(template.len() + 32);
    let (mut rest, mut any) = (template, false);
    while let Some(at) = rest.find(['{', '}']) {
        let (before, from) = rest.split_at(at);
        out.push_str(before);
        if let Some(after) = from.strip_prefix("{{").or_else(|| from.strip_prefix("}}")) {
            out.extend(from.chars().next());
            rest = after;
            continue;
        }
        let hole = from.strip_prefix('{').and_then(|hole| hole.split_once('}'));
        let Some((inside, after)) = hole else {
            out.extend(from.chars().next());
            rest = from.get(1..).unwrap_or_default();
            continue;
        };
        let (front, format) = match inside.split_once(':') {
            Some((front, _)) => (front, true),
            None => (inside, false),
        };
        let (name, width) = front.split_once(',').unwrap_or((front, ""));
        let name = name.trim_start_matches(['@', '$']);
        match value_of(&entry.fields, name) {
            Some(value) if !name.is_empty() => {
                let rendering = if format { rendered.next() } else { None };
                out.push_str(&aligned(rendering.unwrap_or(value), width));
                any = true;
            }
            _ => {
                out.push('{');
                out.push_str(inside);
                out.push('}');
            }
        }
        rest = after;
    }
    out.push_str(rest);
    any.then_some(out)
}

/// What the program has rendered of the holes with a format, in their order.
fn renderings(entry: &Entry<'_>) -> Vec<String> {
    let kept = entry.fields.iter().find(|field| field.name == "@r" || field.name == "Renderings");
    match kept.map(|field| &field.value) {
        Some(Value::List(items)) => items.iter().map(|item| text_of(&item.value)).collect(),
        _ => Vec::new(),
    }
}

/// A value in a hole of so many characters: to the right, or to the left where the number is negative.
fn aligned(value: String, width: &str) -> String {
    const WIDEST: i64 = 200;
    match width.trim().parse::<i64>() {
        Ok(width @ 1..=WIDEST) => format!("{value:>width$}", width = usize::try_from(width).unwrap_or(0)),
        Ok(width @ ..=-1) if width >= -WIDEST => {
            format!("{value:<width$}", width = usize::try_from(-width).unwrap_or(0))
        }
        _ => value,
    }
}

fn value_of(fields: &[Field<'_>], name: &str) -> Option<String> {
    if let Some(field) = fields.iter().find(|field| field.name == name) {
        return Some(text_of(&field.value));
    }
    const SHELLS: [&str; 6] = ["Properties", "properties", "State", "state", "Scope", "fields"];
    let mut shells = fields.iter().filter(|field| SHELLS.contains(&field.name.as_ref()));
    shells.find_map(|shell| value_of(shell.value.children(), name))
}

fn text_of(value: &Value<'_>) -> String {
    match value {
        Value::List(items) => {
            let parts: Vec<String> = items.iter().map(|item| text_of(&item.value)).collect();
            format!("[{}]", parts.join(", "))
        }
        Value::Map(fields) => {
            let parts: Vec<String> = fields
                .iter()
                .map(|field| format!("{}: {}", field.name, text_of(&field.value)))
                .collect();
            format!("{{{}}}", parts.join(", "))
        }
        other => other.text().unwrap_or_default().to_owned(),
    }
}

/// `%s`, `%d` and the like, with the values in a list called `args`.
fn positional(entry: &Entry<'_>) -> Option<String> {
    let args = entry.fields.iter().find(|field| field.name == "args")?;
    let Value::List(items) = &args.value else { return None };
    let mut values = items.iter();
    let mut out = String::new();
    let mut rest = entry.message.as_ref();
    let mut any = false;
    while let Some((before, hole)) = rest.split_once('%') {
        out.push_str(before);
        if let Some(after) = hole.strip_prefix('%') {
            out.push('%');
            rest = after;
            continue;
        }
        let end = hole.find(|c: char| c.is_ascii_alphabetic()).map(|at| at + 1);
        match (end.and_then(|end| hole.split_at_checked(end)), values.clone().next()) {
            (Some((_, after)), Some(value)) => {
                values.next();
                out.push_str(&text_of(&value.value));
                any = true;
                rest = after;
            }
            _ => {
                out.push('%');
                rest = hole;
            }
        }
    }
    out.push_str(rest);
    any.then_some(out)
}
