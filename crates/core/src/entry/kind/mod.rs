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
    push_of(entry, &|text| Cow::Borrowed(text), out);
}

/// The kind of an entry that has something to hide: `hide` puts stand-ins in the place of what must be hidden in a text of
/// the entry. Words that hold a part of it are made of the text with stand-ins, so that nothing of a secret is taken for a
/// constant word: `password: Gertrude1987` is of the kind `password: {hidden}`. All other words are those of the entry as it
/// stands, since conditions judge that.
pub(crate) fn hiding(entry: &Entry<'_>, hide: &dyn Fn(&str) -> Cow<'_, str>) -> String {
    let (plain, mut veiled) = (of(entry), String::new());
    push_of(entry, &|text| Cow::Owned(hide(text).into_owned()), &mut veiled);
    let veiled = without_stand_ins(&veiled);
    let words = |kind: &str| kind.split(' ').count();
    if words(&plain) != words(&veiled) {
        return veiled.into_owned();
    }
    let pairs = plain.split(' ').zip(veiled.split(' '));
    let kept = pairs.map(|(plain, veiled)| if is_within(plain, veiled) { plain } else { veiled });
    kept.collect::<Vec<_>>().join(" ")
}

/// Whether what stands in a word beside its holes stands beside the holes of another word too.
fn is_within(plain: &str, veiled: &str) -> bool {
    let (mut rest, mut within) = (plain, veiled.replace(Form::Hidden.hole(), "\0"));
    loop {
        let (constant, after) = match split_hole(rest) {
            Some((before, _, after)) => (before, Some(after)),
            None => (rest, None),
        };
        let Some(at) = within.find(constant) else { return false };
        within.drain(..at + constant.len());
        match after {
            Some(after) => rest = after,
            None => return true,
        }
    }
}

fn push_of(entry: &Entry<'_>, shown: &dyn Fn(&str) -> Cow<'_, str>, out: &mut String) {
    if let Some(template) = kept_template(entry) {
        push_kept(&shown(template), out);
        return;
    }
    let field = |name: &str| entry.fields.iter().find(|field| field.name == name)?.value.text();
    if (entry.message_derived || entry.message.is_empty())
        && let (Some(method), Some(path)) = (field("method"), field("path"))
    {
        push_request(&shown(method), &shown(path), out);
        return;
    }
    push_message(&shown(&entry.message), out);
    if out.is_empty()
        && let Some(body) = entry.body.as_deref()
        && let Some(line) = shown(body).lines().find(|line| !line.trim().is_empty())
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
