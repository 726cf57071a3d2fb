//! Who speaks in a record and what is said, without reading all of it.

use std::borrow::Cow;

use crate::{
    entry::{kind, roles},
    layout::{
        Gist, Shared,
        json::cursor::{Cursor, decode},
    },
};

/// Who speaks in a record and what its member `says` says. `None` where that is no text, is there twice, or where a
/// template of it may be kept.
pub(super) fn of<'r>(own: &'r [u8], shared: &Shared, says: &[u8]) -> Option<Gist<'r>> {
    let (mut message, mut times) = (None, 0);
    Cursor { bytes: own, at: 0 }.each_member(&mut |name, cursor| {
        if name == says {
            times += 1;
            message = match cursor.peek()? {
                b'"' => Some(cursor.string()?),
                b'{' if says == b"body" => Some(any_text(cursor)?),
                _ => return None,
            };
            return Some(());
        }
        match (name, cursor.peek()?) {
            (b"attributes", b'[') => without_templates(cursor),
            _ if kind::keeps_template(name) || roles::is_bag(name) => None,
            _ => cursor.skip_value(),
        }
    })?;
    let [_, scope] = &shared.0;
    let logger = if scope.is_empty() { None } else { name_of(scope)? };
    let message = message.filter(|_| times == 1)?;
    Gist::of(logger, decode(message))
}

/// `{"stringValue": …}`
fn any_text<'r>(cursor: &mut Cursor<'r>) -> Option<&'r [u8]> {
    let mut text = None;
    cursor.each_member(&mut |kind, inside| {
        if kind != b"stringValue" || text.is_some() {
            return None;
        }
        text = Some(inside.string()?);
        Some(())
    })?;
    text
}

/// Skips attributes. `None` where one may keep a template.
fn without_templates(cursor: &mut Cursor<'_>) -> Option<()> {
    cursor.each_item(&mut |pair| {
        pair.each_member(&mut |name, pair| {
            let text = name == b"key" && pair.peek()? == b'"';
            if !text {
                return pair.skip_value();
            }
            let key = pair.string()?;
            (memchr::memchr(b'\\', key).is_none() && !kind::keeps_template(key)).then_some(())
        })
    })
}

/// The name of a scope, if it has one. `None` where it is no text, or is there twice.
fn name_of(scope: &[u8]) -> Option<Option<Cow<'static, str>>> {
    let mut found = None;
    Cursor { bytes: scope, at: 0 }.each_member(&mut |name, cursor| {
        if name != b"name" {
            return cursor.skip_value();
        }
        if found.is_some() || cursor.peek()? != b'"' {
            return None;
        }
        found = Some(Cow::Owned(decode(cursor.string()?).into_owned()));
        Some(())
    })?;
    Some(found)
}
