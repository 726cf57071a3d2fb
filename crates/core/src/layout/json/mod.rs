//! JSON: an object a line, several on one, lists of them, or one over many lines.
//!
//! The index walks the keys and stops at time and level ([`scan`]). The tree is built only for an entry
//! that is read in full; what is nested too deep stays as its text.

pub(super) mod cursor;
mod plan;
mod planned;
mod scan;
mod shape;
mod template;
pub(crate) mod values;
mod walk;

use std::{borrow::Cow, ops::Range};

use cursor::Cursor;

use super::{Dialect, Gist, Head, Layout, Member, Open, Visit, trace, Continues};
use crate::entry::{Entry, Field, Role, Value, roles};

/// Names of fields that an object has without saying them.
const MADE_UP: [&str; 6] = [
    "error", "frame", "message", "serial", "text", "type",
];

pub(super) struct Json;

impl Layout for Json {
    fn name(&self) -> &'static str {
        "json"
    }

    fn about(&self) -> &'static str {
        "objects, one a line, several on one, in a list, or over many lines; time, level, message and logger under the names that libraries use, nested ones too; message templates filled in; an object in a string; text behind an object"
    }

    fn sample(&self) -> &'static str {
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"info\",\"msg\":\"berth free\"}"
    }

    fn first(&self, first: u8) -> bool {
        matches!(first, b'{' | b'[')
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let line = line.trim_ascii();
        let first = *line.first()?;
        if first == b'[' {
            return list_head(line);
        }
        if first != b'{' {
            return None;
        }
        // An element of a list, a line each.
        let line = line.strip_suffix(b",").filter(|line| line.ends_with(b"}")).unwrap_or(line);
        if line.last() == Some(&b'}') && !perhaps_several(line) {
            if let Some(head) = shape::head(line) {
                return Some(head);
            }
            let mut cursor = Cursor { bytes: line, at: 0 };
            if let Some(found) = scan::object(&mut cursor, false) {
                let complete = found.stamp.is_some() && found.severity().is_some();
                // A walk that stopped early has not seen the end.
                if cursor.at < line.len() && complete {
                    shape::learn(line);
                    return Some(head_of(&found));
                }
                if cursor.at_end() {
                    return Some(head_of(&found));
                }
            }
        }
        if parts(line).is_some_and(|parts| parts.len() > 1) {
            return Some(Head { many: true, ..Head::default() });
        }
        // Text behind the object.
        let mut cursor = Cursor { bytes: line, at: 0 };
        if let Some(found) = scan::object(&mut cursor, true) {
            let rest = line.get(cursor.at..)?;
            let told = found.stamp.is_some() || found.level.is_some();
            let fits = rest.first().is_some_and(|b| *b == b' ' || *b == b'\t') && told;
            return (rest.is_empty() || fits).then(|| head_of(&found));
        }
        // An object that goes on below.
        let depth = brackets(line)?;
        let goes_on = depth > 0 && matches!(line.last(), Some(b'{' | b',' | b'['));
        let starts = line.len() == 1 || matches!(line[1..].trim_ascii_start().first(), Some(b'"'));
        (goes_on && starts).then(|| Head { open: Open::Object(depth), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let planned = planned::read(raw);
        if cfg!(debug_assertions)
            && let Some(planned) = &planned
        {
            let full = format!("{:?}", whole(raw));
            assert_eq!(format!("{:?}", Some(planned)), full, "by plan as in full");
        }
        planned.or_else(|| whole(raw))
    }

    fn values<'r>(&self, raw: &'r [u8], _: &Dialect, visit: &mut Visit<'_, 'r>) -> Option<()> {
        values::each(raw, visit)
    }

    fn gist<'r>(&self, raw: &'r [u8], _: &Dialect) -> Option<Gist<'r>> {
        planned::gist(raw)
    }

    fn tell<'r>(
        &self,
        raw: &'r [u8],
        _: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<Gist<'r>> {
        planned::tell(raw, visit)
    }

    fn members(&self, line: &[u8]) -> Option<Vec<Member>> {
        let parts = parts(line).filter(|parts| parts.len() > 1)?;
        Some(parts.into_iter().map(|span| Member { span, ..Member::default() }).collect())
    }

    fn member_head(&self, line: &[u8], member: &Member) -> Head {
        let mut cursor = Cursor { bytes: line, at: member.span.start };
        scan::object(&mut cursor, false).map(|found| head_of(&found)).unwrap_or_default()
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// Reads an entry in full.
fn whole(raw: &[u8]) -> Option<Entry<'_>> {
    let blanks = |at: usize| at + raw[at..].len() - raw[at..].trim_ascii_start().len();
    let mut lead = blanks(0);
    if raw.get(lead) == Some(&b',') {
        // An element of a list whose commas come first.
        lead = blanks(lead + 1);
    }
    let mut cursor = Cursor { bytes: raw, at: lead };
    let list = raw.get(lead) == Some(&b'[');
    if list {
        cursor.at += 1;
        cursor.peek()?;
    }
    let entry = entry_at(raw, &mut cursor)?;
    // An element of a list over several lines ends with a comma.
    if raw.get(cursor.at) == Some(&if list { b']' } else { b',' }) {
        cursor.at += 1;
    }
    let rest = raw.get(cursor.at..).unwrap_or_default();
    if rest.trim_ascii().is_empty() {
        return Some(entry);
    }
    with_text(entry, cursor.at)
}

/// Whether an object may be a container's, which holds a line of its own.
pub(super) fn may_be_a_container(line: &[u8]) -> bool {
    line.starts_with(b"{\"log\":\"") || line.starts_with(b"{\"stream\":\"")
}

/// The head of an object on a line, by its shape or by a walk over its keys, where it is no container's. The line must be no more than one object,
/// as far as [`several_at`] can tell.
pub(super) fn usual(line: &[u8]) -> Option<Head> {
    // A shape tells of the first values; the others must be those of the same object.
    if line.last() != Some(&b'}') || may_be_a_container(line) {
        return None;
    }
    shape::head(line).or_else(|| {
        let head = walk::head(line)?;
        shape::learn(line);
        Some(head)
    })
}

fn head_of(found: &scan::Found) -> Head {
    Head {
        stamp: found.stamp.map(|(stamp, _)| stamp),
        severity: found.severity(),
        derived: found.derived,
        ..Head::default()
    }
}

fn list_head(line: &[u8]) -> Option<Head> {
    if !line[1..].trim_ascii_start().starts_with(b"{") {
        return None;
    }
    let parts = parts(line)?;
    match parts.as_slice() {
        // A list of one is an object with something around it.
        [only] => {
            let mut cursor = Cursor { bytes: line, at: only.start };
            scan::object(&mut cursor, true).map(|found| head_of(&found))
        }
        _ => Some(Head { many: true, ..Head::default() }),
    }
}

/// Whether several objects may stand on the line: a closing brace meets an opening one.
fn perhaps_several(line: &[u8]) -> bool {
    memchr::memchr_iter(b'}', line).any(|at| several_at(line, at))
}

/// Whether the closing brace at `at` meets an opening one.
pub(crate) fn several_at(text: &[u8], at: usize) -> bool {
    match text.get(at + 1) {
        Some(b'{') => true,
        Some(b' ') => text.get(at + 2) == Some(&b'{'),
        _ => false,
    }
}

/// The places of the objects that a line consists of, one after the other or in a list. Where a line was torn
/// between two of a list, the list has no beginning.
fn parts(line: &[u8]) -> Option<Vec<Range<usize>>> {
    let mut cursor = Cursor { bytes: line, at: 0 };
    let list = cursor.peek()? == b'[';
    cursor.at += usize::from(list);
    let mut found = Vec::new();
    while !cursor.at_end() {
        match cursor.peek()? {
            b'{' => {
                let start = cursor.at;
                scan::object(&mut cursor, true)?;
                found.push(start..cursor.at);
            }
            b',' => cursor.at += 1,
            b']' => {
                cursor.at += 1;
                return (cursor.at_end() && !found.is_empty()).then_some(found);
            }
            _ => return None,
        }
    }
    (!list && !found.is_empty()).then_some(found)
}

/// The object that a text begins with, without what stands behind it. `listed` says that this can only be what
/// stands between two of a list, or what ends it: then it costs nothing to tell.
pub(crate) fn first_of(text: &[u8], listed: bool) -> &[u8] {
    if listed {
        let between = |b: &u8| b.is_ascii_whitespace() || matches!(b, b',' | b']');
        let end = text.iter().rposition(|b| !between(b)).map_or(0, |at| at + 1);
        return &text[..end];
    }
    let mut cursor = Cursor { bytes: text, at: 0 };
    match cursor.skip_value() {
        Some(()) => &text[..cursor.at],
        None => text,
    }
}

/// How many brackets a line leaves open; `None` where a string is.
pub(crate) fn brackets(line: &[u8]) -> Option<i32> {
    let mut depth = 0;
    let mut at = 0;
    while at < line.len() {
        match line[at] {
            b'"' => {
                let mut cursor = Cursor { bytes: line, at };
                cursor.string()?;
                at = cursor.at;
                continue;
            }
            b'{' | b'[' => depth += 1,
            b'}' | b']' => depth -= 1,
            _ => {}
        }
        at += 1;
    }
    Some(depth)
}

/// Whether a text is one object and nothing else.
pub(super) fn is_object(text: &[u8]) -> bool {
    let mut cursor = Cursor { bytes: text, at: 0 };
    text.first() == Some(&b'{') && cursor.value(0).is_some() && cursor.at_end()
}

/// Takes the members of an object within an entry's text as its fields.
pub(super) fn members_of(entry: &mut Entry<'_>, span: Range<usize>) {
    let mut cursor = Cursor { bytes: &entry.raw[..span.end], at: span.start };
    let Some(Field { value: Value::Map(mut fields), .. }) = cursor.value(0) else { return };
    roles::mark_nested(&mut fields);
    entry.fields.append(&mut fields);
}

/// The quoted text, the object or the list that fills a span.
pub(super) fn value_at(raw: &[u8], span: Range<usize>) -> Option<Field<'_>> {
    if !matches!(raw.get(span.start)?, b'"' | b'{' | b'[') {
        return None;
    }
    let mut cursor = Cursor { bytes: &raw[..span.end], at: span.start };
    let mut field = cursor.value(0)?;
    if !raw[cursor.at..span.end].trim_ascii().is_empty() {
        return None;
    }
    if let Value::Map(fields) = &mut field.value {
        roles::mark_nested(fields);
    }
    Some(field)
}

/// The entry that the object at the cursor is.
fn entry_at<'a>(raw: &'a [u8], cursor: &mut Cursor<'a>) -> Option<Entry<'a>> {
    let start = cursor.at;
    let Value::Map(fields) = cursor.value(0)?.value else { return None };
    let mut again = Cursor { bytes: raw.get(..cursor.at)?, at: start };
    let found = scan::object(&mut again, false).unwrap_or_default();
    let mut entry = begun(raw, &found);
    let mut places = Places {
        time: found.stamp.map_or(usize::MAX, |(_, at)| at),
        level: found.level.map_or(usize::MAX, |(_, at)| at),
    };
    let mut fields = fields;
    assign(&mut entry, &mut fields, &mut places, true);
    entry.fields = fields;
    Some(finished(entry))
}

/// An entry of which only time and level are known.
fn begun<'a>(raw: &'a [u8], found: &scan::Found) -> Entry<'a> {
    let mut entry = Entry::empty(raw);
    entry.stamp = found.stamp.map(|(stamp, _)| stamp);
    entry.severity = found.severity();
    entry.level_derived = found.derived;
    entry
}

/// Works out what the fields of an entry say together.
fn finished(mut entry: Entry<'_>) -> Entry<'_> {
    entry.settle();
    bytes_as_text(&mut entry);
    request(&mut entry);
    template::fill(&mut entry);
    inner(&mut entry);
    trace::describe_field(&mut entry);
    entry
}

struct Places {
    time: usize,
    level: usize,
}

/// Gives the fields of an object their roles; those in shells included.
fn assign<'a>(entry: &mut Entry<'a>, fields: &mut [Field<'a>], places: &mut Places, speaks: bool) {
    for field in fields {
        if let Value::Map(children) | Value::List(children) = &mut field.value {
            let speaks = speaks && roles::is_shell(field.name.as_bytes());
            assign(entry, children, places, speaks);
            continue;
        }
        if field.span.start == places.time {
            field.role = Role::Time;
        } else if field.span.start == places.level {
            field.role = Role::Level;
            entry.level_raw = field.value.text().map(|text| Cow::Owned(text.to_owned()));
        } else {
            let claim = roles::role(field.name.as_bytes());
            if speaks || matches!(claim, Role::Id(_)) {
                let role = entry.plain_role(field, claim);
                // What became message or logger inside a nested object stays visible there.
                field.role = role;
            }
        }
    }
}

/// The message of a request that a server logged without one: method, path and status.
fn request(entry: &mut Entry<'_>) {
    if !entry.message.is_empty() || !entry.level_derived {
        return;
    }
    let text = |names: &[&str]| {
        let field = entry.fields.iter().find(|field| names.contains(&field.name.as_ref()))?;
        field.value.text().map(str::to_owned)
    };
    let method = text(&["request_method", "method", "verb"]);
    let path = text(&["request_uri", "uri", "path", "url"]);
    let request = match (method, path) {
        (Some(method), Some(path)) => Some(format!("{method} {path}")),
        (_, path) => text(&["request"])
            .map(|line| {
                line.rsplit_once(" HTTP/").map_or(line.clone(), |(front, _)| front.to_owned())
            })
            .or(path),
    };
    let status = text(&["status", "status_code", "statusCode", "code", "response_code"]);
    if let (Some(request), Some(status)) = (request, status) {
        entry.message = format!("{request} {status}").into();
        entry.message_derived = true;
    }
}

/// A message given as a list of bytes, as the system journal does for those that are no text.
fn bytes_as_text(entry: &mut Entry<'_>) {
    if !entry.message.is_empty() {
        return;
    }
    let Some(field) = entry.fields.iter_mut().find(|field| field.name == "MESSAGE") else { return };
    let Value::List(items) = &field.value else { return };
    let bytes: Option<Vec<u8>> =
        items.iter().map(|item| item.value.text().and_then(|text| text.parse().ok())).collect();
    if let Some(bytes) = bytes {
        entry.message = String::from_utf8_lossy(&bytes).into_owned().into();
        field.role = Role::Message;
    }
}

/// A message that is an object itself says more of the entry than the one around it.
fn inner(entry: &mut Entry<'_>) {
    if !entry.message.starts_with('{') || !is_object(entry.message.as_bytes()) {
        return;
    }
    let text = entry.message.clone().into_owned();
    let raw = entry.raw;
    let Some(inner) = entry_at(text.as_bytes(), &mut Cursor { bytes: text.as_bytes(), at: 0 })
    else {
        return;
    };
    let inner = inner.rebased(raw);
    if inner.message.is_empty() {
        return;
    }
    entry.message = inner.message;
    entry.message_derived = true;
    if entry.level_raw.is_none() {
        entry.level_raw = inner.level_raw;
    }
    if entry.logger.is_none() {
        entry.logger = inner.logger;
    }
    entry.fields.extend(inner.fields);
}

/// An object with text behind it, which is the message where the object has none.
fn with_text<'a>(mut entry: Entry<'a>, at: usize) -> Option<Entry<'a>> {
    let raw = entry.raw;
    let lead = raw[at..].len() - raw[at..].trim_ascii_start().len();
    if lead == 0 {
        return None;
    }
    let text = String::from_utf8_lossy(raw[at + lead..].trim_ascii_end());
    if entry.message.is_empty() {
        entry.message = text;
    } else {
        let end = raw.trim_ascii_end().len();
        entry.fields.push(Field::new("text", Value::Text(text), at + lead..end));
    }
    Some(entry)
}

#[cfg(test)]
mod tests;
