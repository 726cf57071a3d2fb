//! What the index needs of an object: time and level, found by a walk over its keys that skips values by
//! their quotes and brackets and stops as soon as both are known.

use super::cursor::{Cursor, decode};
use crate::entry::{Missing, Role, Severity, Stamp, roles};

/// How deep time and level are looked for in nested objects.
const DEPTH: usize = 3;

/// Time and level of an object, with the places of their values.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Found {
    pub(super) stamp: Option<(Stamp, usize)>,
    pub(super) level: Option<(Option<Severity>, usize)>,
    /// The level was worked out from the status of a request.
    pub(super) derived: bool,
    status: Option<u16>,
    request: bool,
    /// It is of a format in which information has no level.
    event: bool,
    /// The parts of an instant that is kept as seconds and nanoseconds.
    seconds: Option<i64>,
    /// The place of a date without a clock, and the place where a clock without a date ends.
    date: Option<(usize, usize)>,
    clock_end: usize,
    /// The value of the message, should it hold JSON of its own.
    message: Option<(usize, usize)>,
}

/// What an object nested in another stands for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Inside {
    Entry,
    Level,
    Time,
}

impl Inside {
    /// What the members of an object stand for that is itself a member, at a depth from 0; `None` where they
    /// tell nothing of the entry.
    pub(super) fn of_members(self, key: &[u8], depth: usize) -> Option<Self> {
        (depth < DEPTH && roles::is_shell(key)).then(|| match roles::role(key) {
            Role::Level => Self::Level,
            Role::Time => Self::Time,
            _ => self,
        })
    }
}

impl Found {
    pub(super) fn severity(&self) -> Option<Severity> {
        self.level.and_then(|(severity, _)| severity)
    }

    /// Whether nothing more is looked for.
    pub(super) fn complete(&self) -> bool {
        let whole = |(stamp, _): (Stamp, usize)| stamp.missing == Missing::Nothing;
        self.stamp.is_some_and(whole) && self.severity().is_some()
    }

    /// Works out what the members say together.
    pub(super) fn finish(&mut self, bytes: &[u8]) {
        if self.level.is_none()
            && self.request
            && let Some(status) = self.status
        {
            self.level = Some((Some(Severity::of_status(status)), usize::MAX));
            self.derived = true;
        }
        if self.level.is_none() && self.event {
            self.level = Some((Severity::from_word(b"info"), usize::MAX));
            self.derived = true;
        }
        join(bytes, self);
        if !self.complete()
            && let Some((from, to)) = self.message
        {
            within(&bytes[from..to], self);
        }
    }

    /// Looks at one scalar.
    pub(super) fn member(&mut self, key: &[u8], value: &[u8], place: usize, inside: Inside) {
        let found = self;
        found.event |= key == b"@t" && inside == Inside::Entry;
        match roles::role(key) {
            Role::Time if found.stamp.is_none() => {
                found.stamp = Stamp::read(value).map(|stamp| (stamp, place));
                found.clock_end = place + value.len();
                if found.stamp.is_none() && value.len() == 10 && value.get(4) == Some(&b'-') {
                    found.date = Some((place, place + value.len()));
                }
            }
            // A clock alone is told which day it was.
            Role::Time
                if found.date.is_none() && value.len() == 10 && value.get(4) == Some(&b'-') =>
            {
                found.date = Some((place, place + value.len()));
            }
            Role::Level if found.severity().is_none() => level(key, value, place, found),
            Role::Message if found.message.is_none() && value.first() == Some(&b'{') => {
                found.message = Some((place, place + value.len()));
            }
            Role::Plain => plain(key, value, place, inside, found),
            _ => {}
        }
    }
}

/// Walks the object that begins at the cursor. Stops early, with the cursor anywhere, once time and level
/// are known and `whole` isn't asked for. `None` where the text is not JSON.
pub(super) fn object(cursor: &mut Cursor<'_>, whole: bool) -> Option<Found> {
    let mut found = Found::default();
    members(cursor, Inside::Entry, 0, whole, &mut found)?;
    found.finish(cursor.bytes);
    Some(found)
}

/// Joins a date and a clock that stand apart.
fn join(bytes: &[u8], found: &mut Found) {
    if let Some((stamp, at)) = found.stamp
        && stamp.missing == Missing::Date
        && let Some((from, to)) = found.date
        && let Some(clock) = bytes.get(at..found.clock_end)
    {
        let joined = [&bytes[from..to], b" ", clock].concat();
        found.stamp = Stamp::read(&joined).or(Some(stamp)).map(|stamp| (stamp, at));
    }
}

/// Time and level of an object that stands in a string.
fn within(inside: &[u8], found: &mut Found) {
    let text = decode(inside);
    let mut cursor = Cursor { bytes: text.as_bytes(), at: 0 };
    let mut inner = Found::default();
    if members(&mut cursor, Inside::Entry, 0, true, &mut inner).is_some() && cursor.at_end() {
        if found.severity().is_none() && inner.level.is_some() {
            found.level = inner.level.map(|(severity, _)| (severity, usize::MAX));
        }
        if found.stamp.is_none() {
            found.stamp = inner.stamp.map(|(stamp, _)| (stamp, usize::MAX));
        }
    }
}

fn members(
    cursor: &mut Cursor<'_>,
    inside: Inside,
    depth: usize,
    whole: bool,
    found: &mut Found,
) -> Option<()> {
    cursor.byte(b'{')?;
    if cursor.peek()? == b'}' {
        cursor.at += 1;
        return Some(());
    }
    loop {
        let key = cursor.string()?;
        cursor.byte(b':')?;
        let start = cursor.start()?;
        let first = cursor.bytes[start];
        let inner = if first == b'{' { inside.of_members(key, depth) } else { None };
        if let Some(inner) = inner {
            members(cursor, inner, depth + 1, whole, found)?;
        } else {
            cursor.skip_value()?;
            let quoted = first == b'"';
            let place = start + usize::from(quoted);
            let end = cursor.at - usize::from(quoted);
            if first != b'{' && first != b'[' {
                found.member(key, &cursor.bytes[place..end], place, inside);
            }
        }
        if !whole && found.complete() {
            return Some(());
        }
        match cursor.next()? {
            b',' => {}
            b'}' => return Some(()),
            _ => return None,
        }
    }
}

fn level(key: &[u8], value: &[u8], place: usize, found: &mut Found) {
    // A lone letter as key is a level's where the value is a word.
    if key.len() <= 2 && !value.first().is_some_and(u8::is_ascii_alphabetic) {
        return;
    }
    let severity = Severity::named(key, value);
    if severity.is_some() || found.level.is_none() {
        found.level = Some((severity, place));
    }
}

fn plain(key: &[u8], value: &[u8], place: usize, inside: Inside, found: &mut Found) {
    match (inside, key) {
        (Inside::Level, b"name" | b"text" | b"label") if found.severity().is_none() => {
            found.level = Some((Severity::read(value), place));
        }
        (Inside::Time, b"epochSecond") => {
            found.seconds = std::str::from_utf8(value).ok().and_then(|text| text.parse().ok());
        }
        (Inside::Time, b"nanoOfSecond") if found.stamp.is_none() => {
            let nanos = std::str::from_utf8(value).ok().and_then(|text| text.parse().ok());
            if let (Some(seconds), Some(nanos)) = (found.seconds, nanos) {
                found.stamp = Stamp::of_parts(seconds, nanos).map(|stamp| (stamp, place));
            }
        }
        (Inside::Entry, b"__REALTIME_TIMESTAMP" | b"_SOURCE_REALTIME_TIMESTAMP")
            if found.stamp.is_none() =>
        {
            found.stamp = Stamp::epoch(value).map(|stamp| (stamp, place));
        }
        (
            Inside::Entry,
            b"status" | b"status_code" | b"statusCode" | b"code" | b"response_code",
        ) => {
            if let [a @ b'1'..=b'5', b @ b'0'..=b'9', c @ b'0'..=b'9'] = value {
                let digit = |byte: u8| u16::from(byte - b'0');
                found.status = Some(digit(*a) * 100 + digit(*b) * 10 + digit(*c));
            }
        }
        (
            Inside::Entry,
            b"request" | b"request_method" | b"method" | b"uri" | b"request_uri" | b"path" | b"url"
            | b"verb",
        ) => found.request = true,
        _ => {}
    }
}
