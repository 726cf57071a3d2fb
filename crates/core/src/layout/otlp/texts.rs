//! Single members of a record, for the index, and of one that was read.

use std::borrow::Cow;

use super::{child, named};
use crate::{
    entry::{Field, Value},
    layout::json::cursor::{Cursor, decode},
};

/// The text of a member of a record, by its name.
pub(super) type Told<'t, 'r> = dyn Fn(&str) -> Option<&'t str> + 'r;

/// What the index takes from a log record, and from a span.
pub(super) const LOG_HEAD: [&str; 4] =
    ["timeUnixNano", "observedTimeUnixNano", "severityNumber", "severityText"];
pub(super) const SPAN_HEAD: [&str; 2] = ["startTimeUnixNano", "status"];

/// The texts of some members of the object that stands at a place, those that are the first of their name; of an
/// object its `code`. Cost: the bytes of the object, and none of it is kept.
pub(super) fn texts_at<'a, const N: usize>(
    text: &'a [u8],
    at: usize,
    names: [&str; N],
) -> Option<[Option<Cow<'a, str>>; N]> {
    let mut found = [const { None }; N];
    let mut seen = [false; N];
    let scalar = |cursor: &mut Cursor<'a>| match cursor.peek()? {
        b'"' => Some(Some(decode(cursor.string()?))),
        b'{' | b'[' => cursor.skip_value().map(|()| None),
        _ => Some(Some(String::from_utf8_lossy(cursor.scalar()?))),
    };
    Cursor { bytes: text, at }.each_member(&mut |name, cursor| {
        let place = names.iter().position(|wanted| wanted.as_bytes() == name);
        let Some(place) = place.filter(|place| !std::mem::replace(&mut seen[*place], true)) else {
            return cursor.skip_value();
        };
        if cursor.peek()? != b'{' {
            found[place] = scalar(cursor)?;
            return Some(());
        }
        let mut code = None;
        cursor.each_member(&mut |name, cursor| {
            if name != b"code" || code.is_some() {
                return cursor.skip_value();
            }
            code = Some(scalar(cursor)?);
            Some(())
        })?;
        found[place] = code.flatten();
        Some(())
    })?;
    Some(found)
}

pub(super) fn text_named<'t, const N: usize>(
    texts: &'t [Option<Cow<'_, str>>; N],
    names: &[&str; N],
    name: &str,
) -> Option<&'t str> {
    texts.get(names.iter().position(|known| *known == name)?)?.as_deref()
}

/// The same of a record that was read; of an object its `code`.
pub(super) fn text_in<'f>(fields: &'f [Field<'_>], name: &str) -> Option<&'f str> {
    let field = named(fields, name)?;
    let value = if let Value::Map(_) = field.value { &child(field, "code")?.value } else { &field.value };
    value.text()
}
