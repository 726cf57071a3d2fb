//! What an entry says without its variable parts: its kind.
//!
//! ```text
//! hold h-5512 placed, 2 seats        hold h-{number} placed, {number} seats
//! GET /crossings/112/seats 504       GET /crossings/{n}/seats {number}
//! no seat for "A. Fennimore"         no seat for {text}
//! ```
//!
//! A kind is told from one entry alone, whatever others say. Words that vary are only known over many entries: see
//! [`crate::kinds`].

mod form;
mod path;
mod pattern;
mod words;

use std::borrow::Cow;

pub(crate) use form::Form;
pub(crate) use path::template as path_template;
pub(crate) use pattern::{Dressed, Pattern, joined_hole, split_hole};

use super::{Entry, Role, roles};

/// The kind of an entry: the template of its message where the log keeps it, the method and the path of a request, else
/// the constant words of its message. Empty where it says nothing.
pub(crate) fn of(entry: &Entry<'_>) -> String {
    let mut made = String::new();
    push(entry, &mut made);
    made
}

/// Adds the kind of an entry to a text.
pub(crate) fn push(entry: &Entry<'_>, out: &mut String) {
    if let Some(template) = kept_template(entry) {
        push_kept(template, out);
        return;
    }
    let field = |name: &str| entry.fields.iter().find(|field| field.name == name)?.value.text();
    if (entry.message_derived || entry.message.is_empty())
        && let (Some(method), Some(path)) = (field("method"), field("path"))
    {
        push_request(method, path, out);
        return;
    }
    push_message(&entry.message, out);
    if out.is_empty()
        && let Some(line) =
            entry.body.as_deref().and_then(|body| body.lines().find(|line| !line.trim().is_empty()))
    {
        push_message(line, out);
    }
}

/// Adds the kind of a request: its method, and the template of its path.
pub(crate) fn push_request(method: &str, path: &str, out: &mut String) {
    out.push_str(method);
    out.push(' ');
    out.push_str(&path_template(path));
}

/// Adds the constant words of a message: of its first line.
pub(crate) fn push_message(message: &str, out: &mut String) {
    let trimmed = message.trim_start();
    words::push(trimmed.lines().next().unwrap_or_default(), out);
}

/// The template that the log keeps beside the message that was made of it.
fn kept_template<'e>(entry: &'e Entry<'_>) -> Option<&'e str> {
    let named = |name: &str, derived: bool| {
        is_template_name(name.as_bytes())
            || derived && (roles::role(name.as_bytes()) == Role::Message || name == "@mt")
    };
    let derived = entry.message_derived;
    let of = |fields: &'e [super::Field<'_>]| {
        fields.iter().filter(|field| named(&field.name, derived)).find_map(|field| {
            field.value.text().filter(|text| text.contains(['{', '%']) && *text != entry.message)
        })
    };
    of(&entry.fields).or_else(|| {
        let within = entry
            .fields
            .iter()
            .filter(|field| roles::is_bag(field.name.as_bytes()) || field.name == "State");
        within.into_iter().find_map(|field| of(field.value.children()))
    })
}

/// Whether a field of this name may keep the template of a message.
pub(crate) fn keeps_template(name: &[u8]) -> bool {
    name == b"@mt" || is_template_name(name)
}

fn is_template_name(name: &[u8]) -> bool {
    // Most names are shorter, or end otherwise.
    const SHORTEST: usize = "msgtemplate".len();
    name.len() >= SHORTEST
        && matches!(
            &roles::folded(name)[..],
            b"messagetemplate"
                | b"msgtemplate"
                | b"originalformat"
                | b"messageformat"
                | b"formatstring"
        )
}

fn push_kept(template: &str, out: &mut String) {
    const LONGEST: usize = 300;
    for (at, word) in template.split_ascii_whitespace().enumerate() {
        if out.len() > LONGEST {
            out.push(' ');
            out.push_str(words::CUT);
            return;
        }
        if at > 0 {
            out.push(' ');
        }
        out.push_str(word);
    }
}

/// A kind with what is hidden in its entry taken out: stand-ins of the veil become holes.
pub(crate) fn without_stand_ins(kind: &str) -> Cow<'_, str> {
    if !kind.contains('«') {
        return Cow::Borrowed(kind);
    }
    let mut made = String::with_capacity(kind.len());
    let mut rest = kind;
    while let Some((before, from)) = rest.split_once('«') {
        made.push_str(before);
        match from.split_once('»') {
            Some((_, after)) => {
                made.push_str(Form::Hidden.hole());
                rest = after;
            }
            None => {
                made.push('«');
                rest = from;
            }
        }
    }
    made.push_str(rest);
    // What stands behind a name that tells a secret is hidden though a hole stands there already.
    Cow::Owned(made.replace("{{hidden}}", Form::Hidden.hole()))
}

#[cfg(test)]
mod tests;
