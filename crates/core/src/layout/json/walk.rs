//! A walk over the keys of an object on one line, as programs write it: no blanks between its parts, time
//! and level at its top. It gives what [`super::scan`] gives, or nothing where there is any doubt.

use std::cell::RefCell;

use super::cursor::Cursor;
use crate::{
    entry::{Missing, Role, Severity, Stamp, roles},
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
const SLOTS: usize = 256;
/// Bytes of the longest key that is remembered.
const LONGEST: usize = 22;

#[derive(Clone, Copy)]
struct Slot {
    len: usize,
    /// Its first eight bytes, or all and zeros behind them.
    front: u64,
    key: [u8; LONGEST],
    kind: Kind,
}

thread_local! {
    static KEYS: RefCell<[Slot; SLOTS]> =
        const { RefCell::new([Slot { len: 0, front: 0, key: [0; LONGEST], kind: NOTHING }; SLOTS]) };
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
            Means::Time if head.stamp.is_none() => {
                head.stamp = Stamp::read(value);
                // What is missing may stand apart.
                if head.stamp.is_some_and(|stamp| stamp.missing != Missing::Nothing) {
                    return None;
                }
            }
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
    let end = quote(rest)?;
    (rest[end] == b'"').then(|| &rest[..end])
}

/// The first quote or backslash. Most texts are short, for which a search has its price: they are looked at
/// eight bytes at a time.
pub(super) fn quote(text: &[u8]) -> Option<usize> {
    const ONES: u64 = 0x0101_0101_0101_0101;
    /// Sets the highest bit of the first byte that is zero, and of none before it.
    fn zero(word: u64) -> u64 {
        word.wrapping_sub(ONES) & !word & (ONES << 7)
    }
    for (at, eight) in text.chunks_exact(8).take(4).enumerate() {
        let word = u64::from_le_bytes(eight.try_into().ok()?);
        let found = zero(word ^ (ONES * 0x22)) | zero(word ^ (ONES * 0x5c));
        if found != 0 {
            return Some(at * 8 + found.trailing_zeros() as usize / 8);
        }
    }
    let from = text.len().min(32) / 8 * 8;
    Some(from + memchr::memchr2(b'"', b'\\', &text[from..])?)
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
    if key.len() > LONGEST {
        return kind_of(key);
    }
    let front = front(key);
    let place = (front ^ key.len() as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 56;
    let slot = &mut keys[usize::try_from(place).unwrap_or(0) % SLOTS];
    let known = slot.front == front && slot.len == key.len();
    if !known || key.len() > 8 && slot.key[..key.len()] != *key {
        (slot.len, slot.front) = (key.len(), front);
        slot.key[..key.len()].copy_from_slice(key);
        slot.kind = kind_of(key);
    }
    slot.kind
}

/// The first eight bytes of a key, zeros behind a shorter one.
fn front(key: &[u8]) -> u64 {
    if let Some(eight) = key.first_chunk() {
        return u64::from_le_bytes(*eight);
    }
    key.iter().rev().fold(0, |word, byte| word << 8 | u64::from(*byte))
}

fn kind_of(key: &[u8]) -> Kind {
    let means = match roles::role(key) {
        Role::Time => Means::Time,
        Role::Level => Means::Level,
        _ if key.ends_with(b"REALTIME_TIMESTAMP") => Means::Doubt,
        _ => Means::Nothing,
    };
    Kind { means, shell: roles::is_shell(key) }
}
