//! Comma-separated files with a header (RFC 4180), quoted newlines and doubled quotes included.

use std::{borrow::Cow, ops::Range};

use super::{Dialect, Head, Layout};
use crate::entry::{Entry, Role, Severity, Stamp, Value, ids};

pub(super) struct Csv;

/// The header of a file: the names of its columns and which of them the index needs.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Header {
    /// The header line as written.
    pub(crate) line: Vec<u8>,
    names: Vec<String>,
    time: Option<usize>,
    level: Option<usize>,
}

impl Header {
    /// Takes a line for a header when it has three or more plain names, one of them a time's.
    pub(crate) fn read(line: &[u8]) -> Option<Self> {
        let text = std::str::from_utf8(line).ok()?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let names: Vec<String> =
            text.split(',').map(|name| name.trim().trim_matches('"').to_owned()).collect();
        let plain = |name: &String| {
            name.starts_with(|c: char| c.is_alphabetic() || c == '_' || c == '@')
                && name.len() <= 64
                && !name.contains(['=', '{', '"', ':'])
        };
        if names.len() < 3 || !names.iter().all(plain) {
            return None;
        }
        let of_role = |role| names.iter().position(|n| ids::role(n.as_bytes()) == role);
        let time = of_role(Role::Time)?;
        Some(Self { line: line.to_vec(), time: Some(time), level: of_role(Role::Level), names })
    }
}

impl Layout for Csv {
    fn name(&self) -> &'static str {
        "csv"
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        let header = dialect.header.as_ref()?;
        let mut head = Head::default();
        let mut count = 0;
        for cell in Cells::of(line) {
            head.open |= cell.open;
            let bytes = &line[cell.span];
            if Some(count) == header.time {
                head.stamp = Some(Stamp::read(bytes)?);
            } else if Some(count) == header.level {
                head.severity = Severity::read(bytes);
            }
            count += 1;
        }
        let fits =
            if head.open { count <= header.names.len() } else { count == header.names.len() };
        (fits && head.stamp.is_some()).then_some(head)
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let header = dialect.header.as_ref()?;
        let mut entry = Entry::empty(raw);
        for (number, cell) in Cells::of(raw).enumerate() {
            let name: Cow<'a, str> = match header.names.get(number) {
                Some(name) => Cow::Owned(name.clone()),
                None => Cow::Owned(format!("column{}", number + 1)),
            };
            if cell.span.is_empty() {
                continue;
            }
            let bytes = &raw[cell.span.clone()];
            let value = if !cell.quoted {
                Value::untyped(bytes)
            } else if memchr::memmem::find(bytes, b"\"\"").is_some() {
                Value::Text(Cow::Owned(String::from_utf8_lossy(bytes).replace("\"\"", "\"")))
            } else {
                Value::Text(String::from_utf8_lossy(bytes))
            };
            entry.take(name, value, cell.span);
        }
        Some(entry)
    }
}

/// Finds the end of the entry whose quote is open at the end of `bytes[..from]`, line end left out.
/// `None` when the quote does not close within `lines` lines.
pub(crate) fn closing(bytes: &[u8], from: usize, lines: usize) -> Option<usize> {
    let mut open = true;
    let mut start = from + 1;
    for _ in 0..lines {
        let rest = bytes.get(start..)?;
        let end = memchr::memchr(b'\n', rest).map_or(bytes.len(), |to| start + to);
        let quotes = memchr::memchr_iter(b'"', &bytes[start..end]).count();
        open ^= quotes % 2 == 1;
        if !open {
            return Some(end);
        }
        start = end + 1;
    }
    None
}

struct Cell {
    span: Range<usize>,
    quoted: bool,
    open: bool,
}

/// The cells of a row.
struct Cells<'a> {
    row: &'a [u8],
    at: Option<usize>,
}

impl<'a> Cells<'a> {
    fn of(row: &'a [u8]) -> Self {
        Self { row, at: Some(0) }
    }
}

impl Iterator for Cells<'_> {
    type Item = Cell;

    fn next(&mut self) -> Option<Cell> {
        let start = self.at?;
        let row = self.row;
        if row.get(start) == Some(&b'"') {
            let mut to = start + 1;
            loop {
                let Some(found) = memchr::memchr(b'"', row.get(to..).unwrap_or_default()) else {
                    self.at = None;
                    return Some(Cell { span: start + 1..row.len(), quoted: true, open: true });
                };
                to += found;
                if row.get(to + 1) == Some(&b'"') {
                    to += 2;
                    continue;
                }
                let after = memchr::memchr(b',', &row[to + 1..]).map(|more| to + 1 + more + 1);
                self.at = after;
                return Some(Cell { span: start + 1..to, quoted: true, open: false });
            }
        }
        let end = memchr::memchr(b',', &row[start..]).map(|to| start + to);
        self.at = end.map(|end| end + 1);
        let mut stop = end.unwrap_or(row.len());
        if end.is_none() && row[start..stop].ends_with(b"\r") {
            stop -= 1;
        }
        Some(Cell { span: start..stop, quoted: false, open: false })
    }
}
