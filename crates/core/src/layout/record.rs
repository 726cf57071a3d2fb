//! Records of `NAME=value` lines that blank lines set apart, among them the export format of the journal
//! (systemd, "Journal Export Formats"), in which a value with line ends stands behind its name and its length:
//! eight bytes, the least significant first.

use std::ops::Range;

use super::{Below, Continues, Dialect, Head, Layout};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, roles, trim_cr};

pub(super) struct Record;

/// The name that every record of the journal begins with.
const JOURNAL: &[u8] = b"__CURSOR";
/// Bytes of a length.
pub(crate) const LENGTH: usize = 8;
/// Records from which on a source is one of records.
const ENOUGH: usize = 2;

impl Layout for Record {
    fn name(&self) -> &'static str {
        "record"
    }

    fn about(&self) -> &'static str {
        "records of `NAME=value` lines with blank lines between them; the journal's export format"
    }

    fn sample(&self) -> &'static str {
        "__CURSOR=s=7a;i=1\n__REALTIME_TIMESTAMP=1773470462340000\nPRIORITY=6\nMESSAGE=berth free\n\n__CURSOR=s=7a;i=2"
    }

    fn first(&self, first: u8) -> bool {
        first.is_ascii_alphabetic() || first == b'_'
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        let first = dialect.record.as_deref()?;
        let (name, _) = named(line)?;
        (name == first).then(|| {
            let (stamp, severity) = told(line);
            Head { stamp, severity, gathers: true, ..Head::default() }
        })
    }

    fn below(&self, line: &[u8]) -> Below {
        if named(line).is_none() && !is_name_alone(line) {
            return Below::Over;
        }
        let (stamp, severity) = told(line);
        Below::Within(stamp, severity)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let mut entry = Entry::empty(raw);
        each(raw, &mut |name, value| {
            let name = String::from_utf8_lossy(&raw[name]);
            let bytes = &raw[value.clone()];
            if role_of(name.as_bytes()) != Role::Time {
                return entry.take(name, Value::untyped(bytes), value);
            }
            let mut field = Field::new(name, Value::untyped(bytes), value);
            if entry.stamp.is_none()
                && let Some(stamp) = Stamp::read(bytes)
            {
                (entry.stamp, field.role) = (Some(stamp), Role::Time);
            }
            entry.fields.push(field);
        });
        entry.settle();
        Some(entry)
    }

    fn owns(&self, word: &str) -> bool {
        // Bytes of a length.
        word.len() <= 2
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// The part that a name plays: the journal's own time is one as well.
fn role_of(name: &[u8]) -> Role {
    if name == b"__REALTIME_TIMESTAMP" { Role::Time } else { roles::role(name) }
}

/// What a line says of time and level.
fn told(line: &[u8]) -> (Option<Stamp>, Option<Severity>) {
    let Some((name, value)) = named(line) else { return (None, None) };
    match role_of(name) {
        Role::Time => (Stamp::read(value), None),
        Role::Level => (None, Severity::named(name, value)),
        _ => (None, None),
    }
}

/// The name and the value of a line.
fn named(line: &[u8]) -> Option<(&[u8], &[u8])> {
    let sign = memchr::memchr(b'=', line.get(..line.len().min(80))?)?;
    let name = &line[..sign];
    let plain = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-');
    let begins = name.first().is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
    (begins && name.iter().all(plain)).then(|| (name, &line[sign + 1..]))
}

/// Whether a line is a name alone, with the length of its value behind the line end.
pub(crate) fn is_name_alone(line: &[u8]) -> bool {
    !line.is_empty()
        && line.len() <= 64
        && line.iter().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || *b == b'_')
        && !line[0].is_ascii_digit()
}

/// Where the value ends whose name stands alone on the line that ends at `end`: behind its length and so many
/// bytes. `None` where the line is no such name or the length is not there.
fn value_end(line: &[u8], bytes: &[u8], end: usize) -> Option<usize> {
    if !is_name_alone(line) {
        return None;
    }
    let length = length_of(bytes.get(end + 1..end + 1 + LENGTH)?)?;
    (end + 1 + LENGTH).checked_add(length)
}

/// The length in its bytes, which stand behind the line of a name.
pub(crate) fn length_of(bytes: &[u8]) -> Option<usize> {
    let bytes = bytes.get(..LENGTH)?.try_into().ok()?;
    usize::try_from(u64::from_le_bytes(bytes)).ok()
}

/// Visits the names and the values of a record.
fn each(raw: &[u8], visit: &mut dyn FnMut(Range<usize>, Range<usize>)) {
    let mut at = 0;
    while at < raw.len() {
        let end = memchr::memchr(b'\n', &raw[at..]).map_or(raw.len(), |to| at + to);
        let line = trim_cr(&raw[at..end]);
        if let Some(close) = value_end(line, raw, end) {
            let close = close.min(raw.len());
            visit(at..at + line.len(), end + 1 + LENGTH..close);
            at = close + 1;
            continue;
        }
        if let Some((name, value)) = named(line) {
            visit(at..at + name.len(), at + name.len() + 1..at + name.len() + 1 + value.len());
        } else if !line.is_empty() {
            visit(at..at, at..at + line.len());
        }
        at = end + 1;
    }
}

/// The name that the records of a source begin with, where it is one of records.
pub(super) fn learn(beginning: &[u8]) -> Option<Box<[u8]>> {
    let mut first = None;
    let mut records = 0;
    let mut lines = 0;
    // The last line may be torn.
    let whole = memchr::memrchr(b'\n', beginning).map_or(beginning, |end| &beginning[..end]);
    for line in whole.split(|b| *b == b'\n').map(trim_cr) {
        if line.is_empty() {
            if lines == 1 {
                return None;
            }
            lines = 0;
            continue;
        }
        let (name, _) = named(line)?;
        if lines == 0 {
            records += 1;
            if *first.get_or_insert(name) != name {
                return None;
            }
            if name == JOURNAL {
                break;
            }
        }
        lines += 1;
    }
    first.filter(|name| records >= ENOUGH || *name == JOURNAL).map(Into::into)
}
