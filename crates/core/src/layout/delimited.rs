//! Columns set apart by pipes, with a `key=value` tail in the last.
//!
//! No header names the columns, so each tells its role by its form: a time, a level, a caller with its
//! line, a dotted logger. The first column that is none of these is the message.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, pairs};
use crate::entry::{Entry, Severity, Stamp, Value, first_line, ids};

pub(super) struct Delimited;

const SEPARATOR: u8 = b'|';
/// Columns among which a time must be for the line to be of this layout.
const TIME_WITHIN: usize = 3;

impl Layout for Delimited {
    fn name(&self) -> &'static str {
        "delimited"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let mut head = Head::default();
        let mut columns = 0;
        for column in Columns::of(line) {
            let cell = &line[column];
            if head.stamp.is_none() {
                head.stamp = Stamp::read(cell);
                if head.stamp.is_none() && columns + 1 == TIME_WITHIN {
                    return None;
                }
            } else if head.severity.is_none() {
                head.severity = Severity::from_word(cell);
            }
            columns += 1;
            if columns >= 3 && head.severity.is_some() && head.stamp.is_some() {
                break;
            }
        }
        (columns >= 3 && head.stamp.is_some()).then_some(head)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut entry = Entry::empty(raw);
        let mut message: Option<Range<usize>> = None;
        let columns: Vec<_> = Columns::of(line).collect();
        for (number, column) in columns.iter().enumerate() {
            let cell = &line[column.clone()];
            let text = || String::from_utf8_lossy(cell);
            if cell.is_empty() || cell == b"-" {
                continue;
            } else if entry.stamp.is_none() && Stamp::read(cell).is_some() {
                entry.stamp = Stamp::read(cell);
            } else if entry.level_raw.is_none() && Severity::from_word(cell).is_some() {
                entry.severity = Severity::from_word(cell);
                entry.level_raw = Some(text());
            } else if is_tail(line, column) {
                pairs::in_text(&mut entry, column.clone());
            } else if ids::has_id_form(cell) {
                entry.take_bytes("id", column.clone());
            } else if entry.logger.is_none() && message.is_none() && is_logger(cell) {
                entry.logger = Some(text());
            } else if is_caller(cell) && number + 1 < columns.len() {
                entry.take_bytes("caller", column.clone());
            } else if message.is_none() {
                message = Some(column.clone());
            } else {
                entry.take_bytes(format!("column{}", number + 1), column.clone());
            }
        }
        if let Some(span) = message {
            entry.message = String::from_utf8_lossy(&line[span.clone()]);
            pairs::in_text(&mut entry, span);
        } else if let Some(logger) = entry.logger.take() {
            entry.message = logger;
        }
        for field in &mut entry.fields {
            if field.name == "id" && matches!(field.value, Value::Text(_)) {
                field.role = crate::entry::Role::Id("id");
            }
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// The columns of a line, spaces around them left out.
struct Columns<'a> {
    line: &'a [u8],
    at: Option<usize>,
}

impl<'a> Columns<'a> {
    fn of(line: &'a [u8]) -> Self {
        Self { line, at: Some(0) }
    }
}

impl Iterator for Columns<'_> {
    type Item = Range<usize>;

    fn next(&mut self) -> Option<Range<usize>> {
        let start = self.at?;
        let rest = &self.line[start..];
        let end = memchr::memchr(SEPARATOR, rest).map(|to| start + to);
        self.at = end.map(|end| end + 1);
        let cell = &self.line[start..end.unwrap_or(self.line.len())];
        let lead = cell.len() - cell.trim_ascii_start().len();
        Some(start + lead..start + lead + cell.trim_ascii().len())
    }
}

/// Whether a column begins with a pair: the tail.
fn is_tail(line: &[u8], column: &Range<usize>) -> bool {
    pairs::pair(&line[..column.end], column.start).is_some()
}

/// `fares.lookup`, `http::server`: a name of several parts, no spaces.
fn is_logger(cell: &[u8]) -> bool {
    cell.iter().any(|b| matches!(b, b'.' | b':' | b'/'))
        && !cell.contains(&b' ')
        && cell[0].is_ascii_alphabetic()
        && !is_caller(cell)
}

/// `FareLookup:118`, `src/main.rs:7`: a place in code.
fn is_caller(cell: &[u8]) -> bool {
    memchr::memrchr(b':', cell).is_some_and(|colon| {
        colon > 0
            && colon + 1 < cell.len()
            && cell[colon + 1..].iter().all(u8::is_ascii_digit)
            && !cell.contains(&b' ')
    })
}
