//! The fields of a span one by one, without reading all of it.

use std::borrow::Cow;

use super::{gist, kind_of, took_between};
use crate::{
    entry::{Role, roles},
    layout::{
        Gist, Shared,
        json::cursor::{Cursor, decode},
    },
};

/// Takes the dotted path and the text of a field.
type Hand<'h> = dyn FnMut(&str, &str) + 'h;

/// Hands over the fields of a span that are no ids, as reading it in full has them, and gives its gist. `None` where only
/// reading tells: where attributes nest, or where it has events or links.
pub(super) fn of_span<'r>(own: &'r [u8], shared: &Shared, hand: &mut Hand<'_>) -> Option<Gist<'r>> {
    let gist = gist::of(own, shared, b"name")?;
    let (mut start, mut end) = (None, None);
    Cursor { bytes: own, at: 0 }.each_member(&mut |name, cursor| {
        let name = plain(name)?;
        match (name, cursor.peek()?) {
            ("attributes", b'[') => each_attribute(cursor, "attributes", hand),
            ("attributes", _) => None,
            ("events" | "links", _) => {
                cursor.byte(b'[')?;
                cursor.byte(b']')
            }
            ("status", b'{') => cursor.each_member(&mut |name, inside| {
                let text = scalar(inside)?;
                hand(&format!("status.{}", plain(name)?), &text);
                Some(())
            }),
            (_, b'{' | b'[') => None,
            (name, _) => {
                let text = scalar(cursor)?;
                match name {
                    "name" => {}
                    "startTimeUnixNano" => {
                        start.get_or_insert_with(|| text.into_owned());
                    }
                    "kind" => hand(name, kind_of(&text).unwrap_or(&text)),
                    _ => {
                        let is_id = matches!(roles::role(name.as_bytes()), Role::Id(_));
                        if !is_id || text.is_empty() {
                            hand(name, &text);
                        }
                        if name == "endTimeUnixNano" {
                            end.get_or_insert_with(|| text.into_owned());
                        }
                    }
                }
                Some(())
            }
        }
    })?;
    if let Some(took) = took_between(start.as_deref(), end.as_deref()) {
        hand("duration", &took);
    }
    let [resource, _] = &shared.0;
    if !resource.is_empty() {
        Cursor { bytes: resource, at: 0 }.each_member(&mut |name, cursor| match name {
            b"attributes" => each_attribute(cursor, "resource", hand),
            _ => cursor.skip_value(),
        })?;
    }
    Some(gist)
}

/// Hands over attributes that have one value each and are no ids.
fn each_attribute(cursor: &mut Cursor<'_>, of: &str, hand: &mut Hand<'_>) -> Option<()> {
    cursor.each_item(&mut |pair| {
        let (mut key, mut value) = (None, None);
        pair.each_member(&mut |name, pair| {
            match name {
                b"key" if key.is_none() => key = Some(plain(pair.string()?)?),
                b"value" if value.is_none() => value = Some(one_value(pair)?),
                _ => return None,
            }
            Some(())
        })?;
        let (key, value) = (key?, value?);
        if !matches!(roles::role(key.as_bytes()), Role::Id(_)) {
            hand(&format!("{of}.{key}"), &value);
        }
        Some(())
    })
}

/// `{"stringValue": …}` and its relatives, but lists and objects.
fn one_value<'r>(cursor: &mut Cursor<'r>) -> Option<Cow<'r, str>> {
    let mut value = None;
    cursor.each_member(&mut |kind, inside| {
        if value.is_some() || matches!(kind, b"arrayValue" | b"kvlistValue") {
            return None;
        }
        value = Some(scalar(inside)?);
        Some(())
    })?;
    value
}

/// The text of a value that is no object or list, and nothing that reading would refuse.
fn scalar<'r>(cursor: &mut Cursor<'r>) -> Option<Cow<'r, str>> {
    match cursor.peek()? {
        b'"' => Some(decode(cursor.string()?)),
        b'{' | b'[' => None,
        _ => {
            let text = cursor.scalar()?;
            let known = matches!(text, b"null" | b"true" | b"false");
            (known || crate::entry::value::is_number(text)).then(|| String::from_utf8_lossy(text))
        }
    }
}

/// A name as it is written; `None` where it reads otherwise, or is none.
fn plain(name: &[u8]) -> Option<&str> {
    std::str::from_utf8(name).ok().filter(|name| !name.is_empty() && !name.contains('\\'))
}
