//! The values of an object, one by one, without its tree.

use memchr::memmem;

use super::{
    cursor::{Cursor, decode},
    plan::{self, Place, Plan, Written},
};
use crate::{
    entry::{Field, Value},
    layout::{Name, Spot, Visit},
};

/// What a path is given for objects in lists within lists, which no path leads to.
const NOWHERE: &str = "\0";

/// Visits the values of an entry that is an object of a known plan. `None` where it must be read in full: where
/// more than the object's own members would be among the fields, too.
pub(super) fn each<'r>(raw: &'r [u8], visit: &mut Visit<'_, 'r>) -> Option<()> {
    plan::with(raw, |plan| of(plan, raw, visit))
}

/// Visits the values of the entry that a plan has walked.
pub(super) fn of<'r>(plan: &Plan, raw: &'r [u8], visit: &mut Visit<'_, 'r>) -> Option<()> {
    plan.places.iter().try_for_each(|place| at(plan, raw, place, visit))
}

fn at<'r>(plan: &Plan, raw: &'r [u8], place: &Place, visit: &mut Visit<'_, 'r>) -> Option<()> {
    let step = &plan.steps[place.step];
    let name = |slot: usize| {
        let slot = &plan.slots[slot];
        Name { path: &slot.path, own: &slot.name }
    };
    for opened in &step.opens {
        visit(name(opened.slot), None);
    }
    let written = &raw[place.start..place.end];
    match step.written {
        Written::End => {}
        Written::Empty => visit(name(step.slot), None),
        Written::List => {
            visit(name(step.slot), None);
            let mut cursor = Cursor { bytes: raw, at: place.start };
            let list = cursor.value(plan.slots[step.slot].depth)?.value;
            items(raw, list.children(), name(step.slot), visit)?;
        }
        // A message that is an object itself has fields of its own.
        Written::Text if written.first() == Some(&b'{') => return None,
        Written::Text | Written::Bare => {
            let spot = Spot { written, escaped: place.escaped, item: false };
            visit(name(step.slot), Some(spot));
        }
    }
    Some(())
}

/// The items of a list, which go by the name of the list.
fn items<'r>(
    raw: &'r [u8],
    list: &[Field<'_>],
    of: Name<'_>,
    visit: &mut Visit<'_, 'r>,
) -> Option<()> {
    for item in list {
        match &item.value {
            Value::Map(fields) => members(raw, fields, of.path, visit)?,
            Value::List(list) => {
                let nowhere = Name { path: NOWHERE, own: "" };
                items(raw, list, nowhere, visit)?;
            }
            _ => visit(of, Some(Spot { item: true, ..spot(raw, item)? })),
        }
    }
    Some(())
}

fn members<'r>(
    raw: &'r [u8],
    fields: &[Field<'_>],
    above: &str,
    visit: &mut Visit<'_, 'r>,
) -> Option<()> {
    for field in fields {
        let path = format!("{above}.{}", field.name);
        let name = Name { path: &path, own: &field.name };
        match &field.value {
            Value::Map(fields) => {
                visit(name, None);
                members(raw, fields, &path, visit)?;
            }
            Value::List(list) => {
                visit(name, None);
                items(raw, list, name, visit)?;
            }
            _ => visit(name, Some(spot(raw, field)?)),
        }
    }
    Some(())
}

fn spot<'r>(raw: &'r [u8], field: &Field<'_>) -> Option<Spot<'r>> {
    let written = raw.get(field.span.clone())?;
    let text = matches!(field.value, Value::Text(_));
    // What is nested too deep stays as its text, and an object in a text has fields of its own.
    let quoted = field.span.start > 0 && raw[field.span.start - 1] == b'"';
    if text && (!quoted || written.first() == Some(&b'{')) {
        return None;
    }
    Some(Spot { written, escaped: memchr::memchr(b'\\', written).is_some(), item: false })
}

/// The text of a value as it reads.
pub(in crate::layout) fn text(written: &[u8]) -> std::borrow::Cow<'_, str> {
    decode(written)
}

/// Whether no member of this name can have a value that satisfies the judge, told by a look at each place
/// where the name stands. `name` has no dots; `finder` looks for it. No letter of the entry may be written as
/// an escape.
pub(crate) fn refuses(
    raw: &[u8],
    name: &str,
    finder: &memmem::Finder<'_>,
    judge: &mut dyn FnMut(&str, &str) -> bool,
) -> bool {
    for at in finder.find_iter(raw) {
        let end = at + name.len();
        match (at.checked_sub(1).map(|before| raw[before]), raw.get(end)) {
            (Some(b'"'), Some(b'"')) => {}
            // A key of an object that is written as a text.
            (Some(b'"'), Some(b'\\')) => return false,
            _ => continue,
        }
        let mut cursor = Cursor { bytes: raw, at: end + 1 };
        if cursor.next() != Some(b':') {
            continue;
        }
        let text = match cursor.peek() {
            Some(b'{') => continue,
            Some(b'"') => cursor.string().filter(|text| memchr::memchr(b'\\', text).is_none()),
            Some(b'[') | None => None,
            Some(_) => cursor.scalar(),
        };
        match text.map(std::str::from_utf8) {
            Some(Ok(text)) if !judge(name, text) => {}
            _ => return false,
        }
    }
    true
}
