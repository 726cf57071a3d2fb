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

/// `{Name}`, `{Name:format}`, `{Name,width}`, `{@Name}`, `{$Name}`
fn named(entry: &Entry<'_>) -> Option<String> {
    let template = entry.message.as_ref();
    let mut out = String::with_capacity(template.len() + 32);
    let (mut rest, mut any) = (template, false);
    while let Some((before, hole)) = rest.split_once('{') {
        out.push_str(before);
        if let Some(after) = hole.strip_prefix('{') {
            out.push('{');
            rest = after;
            continue;
        }
        let Some((inside, after)) = hole.split_once('}') else {
            out.push('{');
            rest = hole;
            continue;
        };
        let name = inside.split([':', ',']).next().unwrap_or(inside).trim_start_matches(['@', '$']);
        match value_of(&entry.fields, name) {
            Some(value) if !name.is_empty() => {
                out.push_str(&value);
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
