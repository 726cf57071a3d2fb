//! A walk over the keys of an object on one line, as programs write it: no blanks between its parts, time
//! and level at its top. It gives what [`super::scan`] gives, or nothing where there is any doubt.

use std::cell::RefCell;

use super::cursor::Cursor;
use crate::{
    entry::{Role, Severity, Stamp, ids},
    layout::Head,
};

/// What a key means for the index.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Kind {
    means: Means,
    /// An object under it may stand for the entry itself.
    shell: bool,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Means {
    Nothing,
    Time,
    Level,
    /// Something that only the whole walk understands.
    Doubt,
}

const NOTHING: Kind = Kind { means: Means::Nothing, shell: false };

/// Keys whose meaning is remembered: programs have few.
const SLOTS: usize = 64;
/// Bytes of the longest key that is remembered.
const LONGEST: usize = 22;

#[derive(Clone, Copy)]
struct Slot {
    len: u8,
    key: [u8; LONGEST],
    kind: Kind,
}

thread_local! {
    static KEYS: RefCell<[Slot; SLOTS]> =
        const { RefCell::new([Slot { len: 0, key: [0; LONGEST], kind: NOTHING }; SLOTS]) };
}

/// Time and level of an object that begins a line.
pub(super) fn head(line: &[u8]) -> Option<Head> {
    KEYS.with_borrow_mut(|keys| members(line, keys))
}

fn members(line: &[u8], keys: &mut [Slot; SLOTS]) -> Option<Head> {
    let mut head = Head::default();
    let mut at = 1;
    loop {
        let key = text(line, at)?;
        at += key.len() + 2;
        if line.get(at) != Some(&b':') {
            return None;
        }
        let kind = kind(key, keys);
        if kind.means == Means::Doubt {
            return None;
        }
        at += 1;
        let (value, end) = match *line.get(at)? {
            b'"' => match text(line, at) {
                Some(value) => (value, at + value.len() + 2),
                // It holds an escape, and is no time and no level.
                None if kind.means == Means::Nothing => (&[][..], skip(line, at)?),
                None => return None,
            },
            b'{' if kind.shell => return None,
            b'{' | b'[' => (&[][..], skip(line, at)?),
            _ => {
                let value = bare(line, at)?;
                (value, at + value.len())
            }
        };
        match kind.means {
            Means::Time if head.stamp.is_none() => head.stamp = Stamp::read(value),
            Means::Level if head.severity.is_none() && !value.is_empty() => {
                // A lone letter as key may be something else.
                let severity = Severity::named(key, value).filter(|_| key.len() > 2)?;
                head.severity = Some(severity);
            }
            _ => {}
        }
        if head.stamp.is_some() && head.severity.is_some() {
            return Some(head);
        }
        if line.get(end) != Some(&b',') {
            return None;
        }
        at = end + 1;
    }
}

/// The text in the quotes that open at `at`; `None` where there are none, or where an escape stands in it.
fn text(line: &[u8], at: usize) -> Option<&[u8]> {
    if line.get(at) != Some(&b'"') {
        return None;
    }
    let rest = &line[at + 1..];
    // Most texts are short: a search has its price.
    let near = rest.iter().take(16).position(|b| matches!(b, b'"' | b'\\'));
    let end = match near {
        Some(end) => end,
        None => 16 + memchr::memchr2(b'"', b'\\', rest.get(16..)?)?,
    };
    (rest[end] == b'"').then(|| &rest[..end])
}

/// The number, or the word without quotes, at `at`.
fn bare(line: &[u8], at: usize) -> Option<&[u8]> {
    let rest = &line[at..];
    let inside = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.');
    let length = rest.iter().position(|b| !inside(b))?;
    (length > 0).then(|| &rest[..length])
}

/// Where the value at `at` ends.
fn skip(line: &[u8], at: usize) -> Option<usize> {
    let mut cursor = Cursor { bytes: line, at };
    cursor.skip_value()?;
    Some(cursor.at)
}

fn kind(key: &[u8], keys: &mut [Slot; SLOTS]) -> Kind {
    let (Some(first), Some(last)) = (key.first(), key.last()) else { return NOTHING };
    let Some(len) = u8::try_from(key.len()).ok().filter(|_| key.len() <= LONGEST) else {
        return kind_of(key);
    };
    let place = usize::from(first.wrapping_mul(31) ^ last.wrapping_mul(7) ^ len) % SLOTS;
    let slot = &mut keys[place];
    if slot.len != len || slot.key[..key.len()] != *key {
        slot.len = len;
        slot.key[..key.len()].copy_from_slice(key);
        slot.kind = kind_of(key);
    }
    slot.kind
}

fn kind_of(key: &[u8]) -> Kind {
    let means = match ids::role(key) {
        Role::Time => Means::Time,
        Role::Level => Means::Level,
        _ if key.ends_with(b"REALTIME_TIMESTAMP") => Means::Doubt,
        _ => Means::Nothing,
    };
    Kind { means, shell: ids::is_shell(key) }
}
