//! An entry out of the places that a plan gives, without reading its object as JSON.

use std::borrow::Cow;

use super::{
    cursor::{Cursor, decode},
    plan::{self, Place, Plan, Slot, Written},
    scan, values,
};
use crate::{
    entry::{Entry, Field, Role, Value, roles},
    layout::{
        Gist, Spot, Visit,
        gist::{Claim, Gathering},
    },
};

/// Reads an entry that is one object of a known plan. `None` where it must be read in full.
pub(super) fn read(raw: &[u8]) -> Option<Entry<'_>> {
    plan::with(raw, |plan| {
        let found = found(plan, raw);
        let mut building = Building {
            plan,
            raw,
            entry: super::begun(raw, &found),
            time: found.stamp.map_or(usize::MAX, |(_, at)| at),
            level: found.level.map_or(usize::MAX, |(_, at)| at),
            open: Vec::new(),
        };
        building.entry.fields.reserve_exact(plan.places.len());
        plan.places.iter().try_for_each(|place| building.add(place))?;
        Some(super::finished(building.entry))
    })
}

/// Who speaks in such an entry and what is said. `None` where more than single values tells it.
pub(super) fn gist(raw: &[u8]) -> Option<Gist<'_>> {
    plan::with(raw, |plan| gist_of(plan, raw))
}

/// The same, with its values.
pub(super) fn tell<'r>(raw: &'r [u8], visit: &mut Visit<'_, 'r>) -> Option<Gist<'r>> {
    plan::with(raw, |plan| {
        let gist = gist_of(plan, raw)?;
        values::of(plan, raw, visit)?;
        Some(gist)
    })
}

fn gist_of<'r>(plan: &Plan, raw: &'r [u8]) -> Option<Gist<'r>> {
    let mut gathering = Gathering::default();
    for place in &plan.places {
        let step = &plan.steps[place.step];
        let slot = &plan.slots[step.slot];
        let written = &raw[place.start..place.end];
        match step.written {
            Written::Text => {
                let spot = Spot { written, escaped: place.escaped, item: false };
                gathering.take(slot.claim, spot)?;
            }
            // A shell may be a list, and a journal gives a message that is no text as one of bytes.
            Written::List if slot.speaks && (slot.claim != Claim::Nothing || is_shell(slot)) => {
                return None;
            }
            Written::List if slot.claim == Claim::Unclear => return None,
            _ => {}
        }
    }
    let gist = gathering.gist(true)?;
    // A message that is an object, or a template to be filled.
    (!gist.says.message().contains(['{', '%'])).then_some(gist)
}

fn is_shell(slot: &Slot) -> bool {
    roles::is_shell(slot.name.as_bytes())
}

/// What a walk over the keys finds for the index.
fn found(plan: &Plan, raw: &[u8]) -> scan::Found {
    let mut found = scan::Found::default();
    for place in &plan.places {
        let step = &plan.steps[place.step];
        let slot = &plan.slots[step.slot];
        if let Some(inside) = slot.inside
            && matches!(step.written, Written::Text | Written::Bare)
        {
            found.member(slot.name.as_bytes(), &raw[place.start..place.end], place.start, inside);
            if found.complete() {
                break;
            }
        }
    }
    found.finish(raw);
    found
}

struct Building<'p, 'a> {
    plan: &'p Plan,
    raw: &'a [u8],
    entry: Entry<'a>,
    /// Where the values stand that the index took.
    time: usize,
    level: usize,
    /// The objects within the entry that are not closed yet.
    open: Vec<Field<'a>>,
}

impl<'a> Building<'_, 'a> {
    fn add(&mut self, place: &Place) -> Option<()> {
        let (plan, raw) = (self.plan, self.raw);
        let step = &plan.steps[place.step];
        for end in &step.closes {
            let Some(mut closed) = self.open.pop() else { break };
            closed.span.end = place.from + end;
            self.put(closed);
        }
        for opened in &step.opens {
            let start = place.from + opened.brace;
            let name = self.name(&plan.slots[opened.slot], place.from, &opened.key);
            self.open.push(Field::new(name, Value::Map(Vec::new()), start..start));
        }
        let written = &raw[place.start..place.end];
        let value = match step.written {
            Written::End => return Some(()),
            Written::Empty => Value::Map(Vec::new()),
            Written::Text if place.escaped => Value::Text(decode(written)),
            Written::Text => Value::Text(String::from_utf8_lossy(written)),
            Written::Bare => match written {
                b"null" => Value::Null,
                b"true" => Value::Bool(true),
                b"false" => Value::Bool(false),
                _ => Value::Number(std::str::from_utf8(written).ok()?.into()),
            },
            Written::List => {
                Cursor { bytes: raw, at: place.start }.value(plan.slots[step.slot].depth)?.value
            }
        };
        let slot = &plan.slots[step.slot];
        let name = self.name(slot, place.from, &step.key);
        let mut field = Field::new(name, value, place.start..place.end);
        match &mut field.value {
            Value::List(items) => {
                let speaks = slot.speaks && is_shell(slot);
                let mut places = super::Places { time: self.time, level: self.level };
                super::assign(&mut self.entry, items, &mut places, speaks);
            }
            Value::Map(_) => {}
            _ if field.span.start == self.time => field.role = Role::Time,
            value if field.span.start == self.level => {
                self.entry.level_raw = match value {
                    Value::Text(text) => Some(text.clone()),
                    value => value.text().map(|text| Cow::Owned(text.to_owned())),
                };
                field.role = Role::Level;
            }
            _ => {
                if slot.speaks || matches!(slot.role, Role::Id(_)) {
                    field.role = self.entry.plain_role(&field, slot.role);
                }
            }
        }
        self.put(field);
        Some(())
    }

    /// A field in its place.
    fn put(&mut self, field: Field<'a>) {
        match self.open.last_mut() {
            Some(Field { value: Value::Map(members), .. }) => members.push(field),
            _ => self.entry.fields.push(field),
        }
    }

    /// A name as it stands in the entry.
    fn name(&self, slot: &Slot, from: usize, key: &std::ops::Range<usize>) -> Cow<'a, str> {
        let raw = self.raw;
        match std::str::from_utf8(&raw[from + key.start..from + key.end]) {
            Ok(name) => Cow::Borrowed(name),
            Err(_) => Cow::Owned(slot.name.to_string()),
        }
    }
}
