//! Columns set apart by pipes, tabs or semicolons, maybe with a `key=value` tail or an object in the last.
//!
//! No header names the columns, so each tells its role by its form: a time, a level, a status, a caller
//! with its line, a dotted logger. The first column that is none of these is the message.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, access, json, pairs, prefix, trace, is_other};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, ids};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 14] = [
    "caller", "function", "id", "line", "logger", "method", "path", "remote", "request", "status",
    "took", "message", "protocol", "url",
];

pub(super) struct Delimited;

/// Columns among which a time must be for the line to be of this layout.
const TIME_WITHIN: usize = 3;
const MARKS: [u8; 3] = [b'|', b'\t', b';'];

impl Layout for Delimited {
    fn name(&self) -> &'static str {
        "delimited"
    }

    fn about(&self) -> &'static str {
        "columns set apart by pipes, tabs or semicolons, each known by its form, maybe with pairs or an object in the last"
    }

    fn sample(&self) -> &'static str {
        "2026-03-14 06:41:02.340 | I | fares.lookup | fare told | rid=c3ddec563a9a9b37"
    }

    fn first(&self, first: u8) -> bool {
        first == b'[' || first.is_ascii_digit() || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let mut head = Head::default();
        let mut columns = 0;
        let mut status = None;
        for column in Columns::of(line)? {
            let cell = &line[column];
            let time = head.stamp.is_none().then(|| time_of(cell)).flatten();
            if time.is_some() {
                head.stamp = time;
            } else if head.stamp.is_none() && columns + 1 >= TIME_WITHIN {
                return None;
            } else if head.severity.is_none() {
                head.severity = level_of(cell);
                status = status.or_else(|| status_of(cell));
            }
            columns += 1;
            if columns >= 3 && head.severity.is_some() && head.stamp.is_some() {
                break;
            }
        }
        if head.severity.is_none() {
            head.severity = status.map(Severity::of_status);
            head.derived = status.is_some();
        }
        (columns >= 3 && head.stamp.is_some()).then_some(head)
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut row = Row { entry: Entry::empty(raw), unknown: Vec::new(), status: None };
        let columns: Vec<_> = Columns::of(line)?.collect();
        for (number, column) in columns.iter().enumerate() {
            if row.placed(column, line.len()) {
                break;
            }
            row.column(line, number, column.clone());
        }
        row.name_unknown(line, dialect);
        let mut entry = row.entry;
        if entry.level_raw.is_none()
            && let Some(status) = row.status
        {
            entry.severity = Some(Severity::of_status(status));
            entry.level_derived = true;
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// A row on its way to becoming an entry.
struct Row<'a> {
    entry: Entry<'a>,
    /// Columns whose form says nothing, with their numbers.
    unknown: Vec<(usize, Range<usize>)>,
    status: Option<u16>,
}

impl<'a> Row<'a> {
    /// Takes a column for what its form says.
    fn column(&mut self, line: &'a [u8], number: usize, column: Range<usize>) {
        let cell = &line[column.clone()];
        let entry = &mut self.entry;
        if cell.is_empty() || cell == b"-" {
        } else if entry.stamp.is_none() && time_of(cell).is_some() {
            entry.stamp = time_of(cell);
        } else if entry.level_raw.is_none() && level_of(cell).is_some() {
            entry.severity = level_of(cell);
            entry.level_raw = Some(String::from_utf8_lossy(cell));
        } else if is_tail(line, &column) {
            pairs::in_text(entry, column);
        } else if cell[0] == b'{' && json::is_object(cell) {
            json::members_of(entry, column);
        } else if ids::has_id_form(cell) {
            let field = Field::new("id", Value::untyped(cell), column);
            entry.fields.push(Field { role: Role::Id("id"), ..field });
        } else if self.status.is_none() && self.unknown.is_empty() && status_of(cell).is_some() {
            self.status = status_of(cell);
            entry.take_bytes("status", column);
        } else if self.status.is_some() && is_request(cell) {
            request(entry, column);
        } else if self.status.is_some() && access::is_duration(cell) {
            entry.take_bytes("took", column);
        } else if self.status.is_some() && access::is_address(cell) {
            entry.take_bytes("remote", column);
        } else if prefix::is_caller(cell) {
            entry.take_bytes("caller", column);
        } else {
            self.unknown.push((number, column));
        }
    }

    /// Finds logger and message among the columns whose form says nothing: the first name that is not
    /// the last of them, and the first of the others.
    fn name_unknown(&mut self, line: &'a [u8], dialect: &Dialect) {
        let entry = &mut self.entry;
        let mut unknown = std::mem::take(&mut self.unknown);
        if unknown.len() > 1 && is_logger(&line[unknown[0].1.clone()]) {
            let (_, span) = unknown.remove(0);
            entry.logger = Some(String::from_utf8_lossy(&line[span]));
        }
        if !unknown.is_empty() {
            let (number, mut span) = unknown.remove(0);
            // Where the number of columns varies, the message holds the mark as well.
            if dialect.ragged {
                let mut last = number;
                while unknown.first().is_some_and(|(next, _)| *next == last + 1) {
                    let (next, more) = unknown.remove(0);
                    (last, span.end) = (next, more.end);
                }
            }
            entry.message = String::from_utf8_lossy(&line[span.clone()]);
            pairs::in_text(entry, span);
        }
        for (number, span) in unknown {
            entry.take_bytes(format!("column{}", number + 1), span);
        }
        if entry.message.is_empty() && self.status.is_some() {
            let text = |name: &str| {
                let field = entry.fields.iter().find(|field| field.name == name)?;
                field.value.text().map(str::to_owned)
            };
            let parts: Vec<String> =
                ["method", "path", "status"].into_iter().filter_map(text).collect();
            entry.message = parts.join(" ").into();
            entry.message_derived = true;
        }
    }

    /// `module:function:12 - message`: takes the place, and all behind the dash as message.
    fn placed(&mut self, column: &Range<usize>, end: usize) -> bool {
        let entry = &mut self.entry;
        let raw = entry.raw;
        let cell = &raw[column.clone()];
        let Some(dash) = memchr::memmem::find(cell, b" - ") else { return false };
        let place = &cell[..dash];
        let parts: Vec<&[u8]> = place.split(|b| *b == b':').collect();
        let [module, function, number] = parts.as_slice() else { return false };
        if !prefix::is_name(module) || number.is_empty() || !number.iter().all(u8::is_ascii_digit) {
            return false;
        }
        let start = column.start;
        entry.logger = Some(String::from_utf8_lossy(module));
        let from = start + module.len() + 1;
        entry.take_bytes("function", from..from + function.len());
        entry.take_bytes("line", start + dash - number.len()..start + dash);
        let message = start + dash + 3..end;
        entry.message = String::from_utf8_lossy(&raw[message.clone()]);
        pairs::in_text(entry, message);
        true
    }
}

/// The mark that sets the columns of a line apart: the first that it holds near its beginning.
pub(super) fn mark_of(line: &[u8]) -> Option<u8> {
    let front = &line[..line.len().min(120)];
    let [first, second, third] = MARKS;
    // Most lines have none: one search says so.
    memchr::memchr3(first, second, third, front)?;
    MARKS.into_iter().find(|mark| memchr::memchr(*mark, front).is_some())
}

/// How many columns a line has.
pub(super) fn width(line: &[u8]) -> usize {
    mark_of(line).map_or(0, |mark| memchr::memchr_iter(mark, line).count() + 1)
}

/// The columns of a line, spaces around them left out.
struct Columns<'a> {
    line: &'a [u8],
    at: Option<usize>,
    mark: u8,
}

impl<'a> Columns<'a> {
    fn of(line: &'a [u8]) -> Option<Self> {
        Some(Self { line, at: Some(0), mark: mark_of(line)? })
    }
}

impl Iterator for Columns<'_> {
    type Item = Range<usize>;

    fn next(&mut self) -> Option<Range<usize>> {
        let start = self.at?;
        let rest = &self.line[start..];
        let end = memchr::memchr(self.mark, rest).map(|to| start + to);
        self.at = end.map(|end| end + 1);
        let cell = &self.line[start..end.unwrap_or(self.line.len())];
        let lead = cell.len() - cell.trim_ascii_start().len();
        Some(start + lead..start + lead + cell.trim_ascii().len())
    }
}

/// A time, maybe with the name of a program in brackets before it.
fn time_of(cell: &[u8]) -> Option<Stamp> {
    if cell.first() == Some(&b'[') {
        let close = memchr::memchr(b']', cell)?;
        let inside = &cell[1..close];
        return match cell[close + 1..].trim_ascii() {
            [] => Stamp::read(inside),
            rest => Stamp::read(rest),
        };
    }
    Stamp::read(cell)
}

fn level_of(cell: &[u8]) -> Option<Severity> {
    let bare = cell.strip_prefix(b"[").and_then(|c| c.strip_suffix(b"]")).unwrap_or(cell);
    Severity::from_word(bare.trim_ascii())
}

fn status_of(cell: &[u8]) -> Option<u16> {
    match cell {
        [a @ b'1'..=b'5', b @ b'0'..=b'9', c @ b'0'..=b'9'] => {
            let digit = |byte: &u8| u16::from(byte - b'0');
            Some(digit(a) * 100 + digit(b) * 10 + digit(c))
        }
        _ => None,
    }
}

/// Whether a column begins with a pair: the tail.
fn is_tail(line: &[u8], column: &Range<usize>) -> bool {
    pairs::pair(&line[..column.end], column.start).is_some()
}

/// `GET      "/crossings/112"`
fn is_request(cell: &[u8]) -> bool {
    let method = cell.iter().take_while(|b| b.is_ascii_uppercase()).count();
    (3..=7).contains(&method)
        && cell[method..].trim_ascii_start().starts_with(b"\"/")
        && cell.last() == Some(&b'"')
}

fn request(entry: &mut Entry<'_>, column: Range<usize>) {
    let cell = &entry.raw[column.clone()];
    let method = cell.iter().take_while(|b| b.is_ascii_uppercase()).count();
    let quote = memchr::memchr(b'"', cell).unwrap_or(method);
    entry.take_bytes("method", column.start..column.start + method);
    entry.take_bytes("path", column.start + quote + 1..column.end - 1);
}

/// `fares.lookup`, `http::server`, `main`: a name without spaces.
fn is_logger(cell: &[u8]) -> bool {
    prefix::is_name(cell) && !prefix::is_caller(cell)
}
