//! What an entry says on one line: its message and its fields, each said once.

use cribrum_core::{
    engine::Shown,
    veil::{CleanField, CleanValue},
};

use crate::present::one_line;

/// The message without the pairs in it, which are fields anyway; all of it where nothing else is in it.
pub(crate) fn brief(shown: &Shown) -> String {
    let mut text = one_line(&shown.message.for_terminal()).into_owned();
    for pair in pairs(shown) {
        text = text.replace(&pair, "");
    }
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if text.is_empty() { shown.message.for_terminal().into_owned() } else { text }
}

/// The message without the pairs that it ends with: they are shown behind it, like all fields.
pub(crate) fn without_tail(shown: &Shown) -> String {
    let mut text = one_line(&shown.message.for_terminal()).into_owned();
    let pairs: Vec<String> = pairs(shown).collect();
    loop {
        let trimmed = text.trim_end();
        let tail = pairs.iter().find_map(|pair| {
            let (name, value) = pair.split_once('=')?;
            trimmed
                .strip_suffix(pair)
                .or_else(|| trimmed.strip_suffix(&format!("{name}=\"{value}\"")))
        });
        match tail {
            Some(rest) if !rest.trim().is_empty() && rest.ends_with(' ') => {
                text = rest.trim_end().to_owned();
            }
            _ => return text,
        }
    }
}

/// The fields and ids of an entry as `name=value`.
pub(crate) fn pairs(shown: &Shown) -> impl Iterator<Item = String> + '_ {
    let ids = shown.ids.iter().map(|(kind, id)| format!("{kind}={}", id.for_terminal()));
    shown.fields.iter().map(pair_text).chain(ids)
}

/// Whether a message holds the value of a field as a word of its own.
pub(crate) fn is_said(message: &str, field: &CleanField) -> bool {
    let (CleanValue::Text(value) | CleanValue::Number(value)) = &field.value else {
        return false;
    };
    let value = value.as_str();
    // A short number is in many a message that says something else.
    if value.len() < 3 {
        return message.contains(&pair_text(field));
    }
    let bounded = |c: Option<char>| !c.is_some_and(char::is_alphanumeric);
    message.match_indices(value).any(|(at, _)| {
        let (before, after) = (message.get(..at), message.get(at + value.len()..));
        bounded(before.and_then(|text| text.chars().next_back()))
            && bounded(after.and_then(|text| text.chars().next()))
    })
}

/// `name=value`, as far as one line tells it.
pub(crate) fn pair_text(field: &CleanField) -> String {
    let name = field.name.for_terminal();
    match &field.value {
        CleanValue::Text(text) | CleanValue::Number(text) => {
            format!("{name}={}", one_line(&text.for_terminal()))
        }
        CleanValue::List(items) => format!("{name}=[{}]", items.len()),
        CleanValue::Map(fields) => format!("{name}={{{}}}", fields.len()),
        word => format!("{name}={}", word.word()),
    }
}
