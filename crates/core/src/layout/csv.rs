//! Comma-, semicolon- and tab-separated files (RFC 4180 and relatives) with a header or without, quoted
//! newlines and doubled quotes included, and the extended log format of W3C, whose header is a directive
//! (`#Fields: …`) and whose columns are set apart by blanks.

use std::{borrow::Cow, ops::Range};

use super::{
    Continues, Dialect, Gist, Head, Layout, Name, Open, Spot, Visit,
    gist::{Claim, Gathering},
};
use crate::entry::{Entry, Missing, Role, Severity, Stamp, Value, first_line, roles};

pub(super) struct Csv;
pub(super) struct W3c;

/// The columns of a file: their names and which of them the index needs.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Header {
    /// The header line as written; empty where there is none.
    pub(crate) line: Vec<u8>,
    separator: u8,
    names: Vec<String>,
    /// The part that each name claims in the gist.
    claims: Vec<Claim>,
    time: usize,
    /// The column of the date, where it stands apart from the time.
    date: Option<usize>,
    level: Option<usize>,
    status: Option<usize>,
    /// The first cell is a time whose fraction stands behind a comma, and the last takes the rest of the line: lines
    /// of a log with commas, and not a table.
    loose: bool,
}

impl Header {
    /// The byte between two columns.
    pub(super) fn separator(&self) -> u8 {
        self.separator
    }

    /// Takes a line for a header when it has three or more plain names, one of them a time's.
    pub(crate) fn read(line: &[u8]) -> Option<Self> {
        let text = std::str::from_utf8(line).ok()?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        if let Some(fields) = text.strip_prefix("#Fields:") {
            let names = fields.split_ascii_whitespace().map(str::to_owned).collect();
            return Self::of(names, b' ', line);
        }
        let separator = [b'\t', b';', b',']
            .into_iter()
            .find(|mark| memchr::memchr(*mark, text.as_bytes()).is_some())?;
        let names =
            || text.split(char::from(separator)).map(|name| name.trim().trim_matches('"'));
        let plain = |name: &str| {
            name.starts_with(|c: char| c.is_alphabetic() || c == '_' || c == '@')
                && name.len() <= 64
                && !name.contains(['=', '{', '"', ':'])
        };
        if !names().all(plain) || names().count() < 3 {
            return None;
        }
        Self::of(names().map(str::to_owned).collect(), separator, line)
    }

    /// Whether a line is the header of other columns, which hold from there on. Cost: a few bytes for a row.
    pub(crate) fn changes(&self, line: &[u8]) -> bool {
        let may_be = line.starts_with(b"#Fields:")
            || self.separator != b' '
                && line.first().is_some_and(|b| b.is_ascii_alphabetic() || b"_@\"".contains(b));
        may_be && line != self.line && Self::read(line).is_some()
    }

    fn of(names: Vec<String>, separator: u8, line: &[u8]) -> Option<Self> {
        let of_role = |role| names.iter().position(|n| roles::role(n.as_bytes()) == role);
        let named = |name: &str| names.iter().position(|n| n.eq_ignore_ascii_case(name));
        let (mut time, mut date) = (of_role(Role::Time)?, None);
        if let (Some(day), Some(clock)) = (named("date"), named("time")) {
            (time, date) = (clock, Some(day));
        }
        let status = named("sc-status").or_else(|| named("status"));
        let level = of_role(Role::Level);
        let claims = claims_of(&names);
        let line = line.to_vec();
        Some(Self { line, separator, time, date, level, status, names, claims, loose: false })
    }

    /// Infers the columns of rows that have no header: the same number in every row, a time and (for so
    /// few cells as prose has as well) a level among them.
    pub(crate) fn infer(rows: &[&[u8]]) -> Option<Self> {
        if let Some(log) = Self::of_log(rows) {
            return Some(log);
        }
        let first = rows.first()?;
        let all_rows = rows;
        let separator = [b'\t', b';', b',']
            .into_iter()
            .find(|mark| memchr::memchr_iter(*mark, first).count() >= 2)?;
        let first: Vec<&[u8]> = Cells::of(first, separator).map(|cell| &first[cell.span]).collect();
        let time = first.iter().position(|cell| Stamp::read(cell).is_some())?;
        // Rows that begin or end within a quoted text are known by the cells before it.
        let whole = |row: &&&[u8]| !Cells::of(row, separator).any(|cell| cell.open);
        let timed = |row: &&[u8]| {
            Cells::of(row, separator)
                .nth(time)
                .is_some_and(|cell| Stamp::read(&row[cell.span]).is_some())
        };
        let rows: Vec<&[u8]> = rows.iter().copied().filter(timed).collect();
        let count = |row: &[u8]| Cells::of(row, separator).count();
        let longest = rows.iter().filter(whole).map(|row| count(row)).max().unwrap_or(first.len());
        let even = rows.iter().filter(whole).all(|row| count(row) == longest);
        let width = longest.max(first.len());
        if width < 3 || !even || rows.len() * 2 < all_rows.len() {
            return None;
        }
        let sample = rows.iter().find(|row| count(row) == width)?;
        let cells: Vec<&[u8]> =
            Cells::of(sample, separator).map(|cell| &sample[cell.span]).collect();
        let all = |at: usize, fits: &dyn Fn(&[u8]) -> bool| {
            rows.iter().all(|row| {
                Cells::of(row, separator).nth(at).is_none_or(|cell| fits(&row[cell.span]))
            })
        };
        let level = (0..width)
            .find(|at| all(*at, &|cell| cell.len() > 1 && Severity::from_word(cell).is_some()));
        if width < 4 && level.is_none() {
            return None;
        }
        let names = names_of(&cells, time, level);
        let (claims, line) = (claims_of(&names), Vec::new());
        Some(Self { line, separator, names, claims, time, date: None, level, status: None, loose: false })
    }

    /// `2026-03-14 06:41:02,340,INFO,fares,message`: the columns of a log with commas.
    fn of_log(rows: &[&[u8]]) -> Option<Self> {
        let timed: Vec<&[u8]> = rows.iter().copied().filter(|row| fraction_end(row).is_some()).collect();
        if timed.len() < 3 || timed.len() * 2 < rows.len() {
            return None;
        }
        let count = |row: &&[u8]| fraction_end(row).map_or(0, |end| Cells::of(&row[end..], b',').count());
        let width = timed.iter().map(count).min()?;
        // The cell before the first comma behind the time is empty.
        let all = |at: usize, fits: &dyn Fn(&[u8]) -> bool| {
            timed.iter().all(|row| {
                let rest = &row[fraction_end(row).unwrap_or(0)..];
                Cells::of(rest, b',').nth(at).is_some_and(|cell| fits(&rest[cell.span]))
            })
        };
        let level = (1..width).find(|at| all(*at, &|cell| Severity::from_word(cell).is_some()))?;
        let name = |cell: &[u8]| super::prefix::is_name(cell);
        let logger = (1..width - 1).find(|at| *at != level && all(*at, &name));
        let names = (0..width).map(|at| match at {
            0 => "time".to_owned(),
            _ if at == level => "level".to_owned(),
            _ if Some(at) == logger => "logger".to_owned(),
            _ if at + 1 == width => "message".to_owned(),
            _ => format!("column{}", at + 1),
        });
        let names: Vec<String> = names.collect();
        (width > 2).then_some(Self {
            line: Vec::new(),
            separator: b',',
            claims: claims_of(&names),
            names,
            time: 0,
            date: None,
            level: Some(level),
            status: None,
            loose: true,
        })
    }

    /// Whether the columns are those of a log, with whose entries lines of any form go on.
    pub(crate) fn is_log(&self) -> bool {
        self.loose
    }

    /// The cells of a row, in the order of the names.
    fn cells<'r>(&self, row: &'r [u8]) -> impl Iterator<Item = Cell> + 'r + use<'r> {
        let (loose, width) = (self.loose, self.names.len());
        let from = if loose { fraction_end(row).unwrap_or(0) } else { 0 };
        let first = loose.then_some(Cell { span: 0..from, quoted: false, open: false });
        let skip = usize::from(loose);
        let rest = Cells { row, at: Some(from), separator: self.separator }.skip(skip);
        first.into_iter().chain(rest.take(if loose { width - 1 } else { usize::MAX })).enumerate().map(
            move |(number, cell)| match loose && number + 1 == width {
                true => Cell { span: cell.span.start..row.len(), quoted: false, open: false },
                false => cell,
            },
        )
    }

    /// The time of a row out of its cells.
    fn stamp(&self, line: &[u8], cells: impl Fn(usize) -> Option<Range<usize>>) -> Option<Stamp> {
        let written = &line[cells(self.time)?];
        let Some(date) = self.date else { return Stamp::read(written) };
        let mut joined = [0u8; 48];
        let date = &line[cells(date)?];
        let total = date.len() + 1 + written.len();
        let slot = joined.get_mut(..total)?;
        slot[..date.len()].copy_from_slice(date);
        slot[date.len()] = b' ';
        slot[date.len() + 1..].copy_from_slice(written);
        let stamp = Stamp::read(slot).filter(|stamp| stamp.missing == Missing::Nothing)?;
        Some(stamp)
    }

    fn head(&self, line: &[u8]) -> Option<Head> {
        let mut head = Head::default();
        let mut count = 0;
        let mut wanted = [None, None];
        let mut status = None;
        let mut open = false;
        for cell in self.cells(line) {
            open |= cell.open;
            if count == self.time {
                wanted[0] = Some(cell.span.clone());
            } else if Some(count) == self.date {
                wanted[1] = Some(cell.span.clone());
            } else if Some(count) == self.level {
                head.severity = Severity::read(&line[cell.span.clone()]);
            }
            if Some(count) == self.status {
                status = status_of(&line[cell.span]);
            }
            count += 1;
        }
        if self.level.is_none() {
            head.severity = status.map(Severity::of_status);
            head.derived = status.is_some();
        }
        let fits = if open { count <= self.names.len() } else { count == self.names.len() };
        if !fits {
            return None;
        }
        if open {
            head.open = Open::Quote;
        }
        let blank = wanted[0].as_ref().is_some_and(|cell| line[cell.clone()].trim_ascii().is_empty());
        // A time that is left blank is that of the row above.
        if blank && count > 2 && !line.iter().all(|b| *b == self.separator || *b == b' ') {
            return Some(head);
        }
        head.stamp =
            Some(self.stamp(line, |column| wanted[usize::from(column != self.time)].clone())?);
        Some(head)
    }

    /// Visits the cells of a row that have something in them; `None` where a quote in one is written twice.
    fn each_value<'r>(&self, raw: &'r [u8], visit: &mut Visit<'_, 'r>) -> Option<()> {
        if self.loose && memchr::memchr(b'\n', raw).is_some() {
            return None;
        }
        for (number, cell) in self.cells(raw).enumerate() {
            let bytes = &raw[cell.span.clone()];
            if bytes.is_empty() || (bytes == b"-" && self.separator == b' ') {
                continue;
            }
            if cell.quoted && memchr::memmem::find(bytes, b"\"\"").is_some() {
                return None;
            }
            let spot = Some(Spot::plain(bytes));
            match self.names.get(number) {
                Some(name) => visit(Name::of(name), spot),
                None => visit(Name::of(&format!("column{}", number + 1)), spot),
            }
        }
        Some(())
    }

    /// Who speaks in a row, and what is said.
    fn gist<'r>(&self, raw: &'r [u8]) -> Option<Gist<'r>> {
        if self.loose && memchr::memchr(b'\n', raw).is_some() {
            return None;
        }
        let mut gathering = Gathering::default();
        for (number, cell) in self.cells(raw).enumerate() {
            let bytes = &raw[cell.span.clone()];
            let own = number == self.time || Some(number) == self.date;
            if own || bytes.is_empty() || bytes == b"-" && self.separator == b' ' {
                continue;
            }
            let claim = self.claims.get(number).copied().unwrap_or_default();
            let is_text = || cell.quoted || matches!(Value::untyped(bytes), Value::Text(_));
            if claim != Claim::Nothing && is_text() {
                // A quote that is written twice reads as one.
                if cell.quoted && memchr::memmem::find(bytes, b"\"\"").is_some() {
                    return None;
                }
                gathering.take(claim, Spot::plain(bytes))?;
            }
        }
        gathering.gist(true)
    }

    fn entry<'a>(&self, raw: &'a [u8]) -> Entry<'a> {
        let mut entry = Entry::empty(raw);
        let (line, rest) = match self.loose {
            true => first_line(raw),
            false => (raw, &b""[..]),
        };
        let cells: Vec<Cell> = self.cells(line).collect();
        entry.stamp = self.stamp(raw, |column| cells.get(column).map(|cell| cell.span.clone()));
        let mut status = None;
        for (number, cell) in cells.into_iter().enumerate() {
            let name: Cow<'a, str> = match self.names.get(number) {
                Some(name) => Cow::Owned(name.clone()),
                None => Cow::Owned(format!("column{}", number + 1)),
            };
            let bytes = &raw[cell.span.clone()];
            if bytes.is_empty() || (bytes == b"-" && self.separator == b' ') {
                continue;
            }
            if Some(number) == self.status {
                status = status_of(bytes);
            }
            let doubled = cell.quoted && memchr::memmem::find(bytes, b"\"\"").is_some();
            let value = if doubled {
                Value::Text(Cow::Owned(String::from_utf8_lossy(bytes).replace("\"\"", "\"")))
            } else if cell.quoted {
                Value::Text(String::from_utf8_lossy(bytes))
            } else {
                Value::untyped(bytes)
            };
            if number == self.time || Some(number) == self.date {
                let field = crate::entry::Field::new(name, value, cell.span);
                entry.fields.push(crate::entry::Field { role: Role::Time, ..field });
            } else {
                entry.take(name, value, cell.span);
            }
        }
        if self.level.is_none()
            && let Some(status) = status
        {
            entry.severity = Some(Severity::of_status(status));
            entry.level_derived = true;
        }
        entry.settle();
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            super::trace::describe(&mut entry, raw.len() - rest.len());
        }
        if self.separator == b' ' && entry.message.is_empty() {
            request(&mut entry);
        }
        entry
    }
}

fn claims_of(names: &[String]) -> Vec<Claim> {
    names.iter().map(|name| Claim::of(name.as_bytes())).collect()
}

/// The message of a server's row: method, path and status.
fn request(entry: &mut Entry<'_>) {
    let text = |name: &str| {
        let field = entry.fields.iter().find(|field| field.name.eq_ignore_ascii_case(name))?;
        field.value.text().map(str::to_owned)
    };
    let parts: Vec<String> =
        ["cs-method", "cs-uri-stem", "sc-status"].into_iter().filter_map(text).collect();
    if parts.len() > 1 {
        entry.message = parts.join(" ").into();
        entry.message_derived = true;
    }
}

/// Where the time ends that a line begins with, the fraction behind a comma included.
fn fraction_end(row: &[u8]) -> Option<usize> {
    let (stamp, end) = Stamp::leading(row)?;
    let comma = memchr::memchr(b',', row.get(..end)?)?;
    (stamp.digits == 3 && end - comma == 4 && row.get(end) == Some(&b',')).then_some(end)
}

fn status_of(cell: &[u8]) -> Option<u16> {
    std::str::from_utf8(cell).ok()?.parse().ok().filter(|status| (100..600).contains(status))
}

/// The names of columns without a header. A database's log has a known order; of others only time, level
/// and the longest text are named.
fn names_of(cells: &[&[u8]], time: usize, level: Option<usize>) -> Vec<String> {
    // The order is the database's documented one; versions differ in how many of the last they have.
    const DATABASE: [&str; 26] = [
        "log_time",
        "user_name",
        "database_name",
        "process_id",
        "connection_from",
        "session_id",
        "session_line_num",
        "command_tag",
        "session_start_time",
        "virtual_transaction_id",
        "transaction_id",
        "error_severity",
        "sql_state_code",
        "message",
        "detail",
        "hint",
        "internal_query",
        "internal_query_pos",
        "context",
        "query",
        "query_pos",
        "location",
        "application_name",
        "backend_type",
        "leader_pid",
        "query_id",
    ];
    if time == 0 && (22..=26).contains(&cells.len()) && level.is_none_or(|at| at == 11) {
        return DATABASE[..cells.len()].iter().map(|name| (*name).to_owned()).collect();
    }
    let longest = (0..cells.len())
        .filter(|at| *at != time && Some(*at) != level && cells[*at].contains(&b' '))
        .max_by_key(|at| cells[*at].len())
        .or_else(|| (0..cells.len()).rev().find(|at| *at != time && Some(*at) != level));
    (0..cells.len())
        .map(|at| match at {
            _ if at == time => "time".to_owned(),
            _ if Some(at) == level => "level".to_owned(),
            _ if Some(at) == longest => "message".to_owned(),
            _ => format!("column{}", at + 1),
        })
        .collect()
}

impl Layout for Csv {
    fn name(&self) -> &'static str {
        "csv"
    }

    fn about(&self) -> &'static str {
        "commas, semicolons or tabs, with a header (which may come again) or without; quoted line ends"
    }

    fn sample(&self) -> &'static str {
        "time,level,message\n2026-03-14T06:41:02Z,info,berth free"
    }

    fn first(&self, _: u8) -> bool {
        true
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        dialect.header.as_ref().filter(|header| header.separator != b' ')?.head(line)
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        Some(dialect.header.as_ref()?.entry(raw))
    }

    fn values<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<()> {
        dialect.header.as_ref()?.each_value(raw, visit)
    }

    fn gist<'r>(&self, raw: &'r [u8], dialect: &Dialect) -> Option<Gist<'r>> {
        dialect.header.as_ref()?.gist(raw)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

impl Layout for W3c {
    fn name(&self) -> &'static str {
        "w3c"
    }

    fn about(&self) -> &'static str {
        "the extended log format, whose `#Fields:` name the columns"
    }

    fn sample(&self) -> &'static str {
        "#Fields: date time cs-method cs-uri-stem sc-status\n2026-03-14 06:41:02 GET /crossings 200"
    }

    fn first(&self, _: u8) -> bool {
        true
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        dialect.header.as_ref().filter(|header| header.separator == b' ')?.head(line)
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        Csv.read(raw, dialect)
    }

    fn values<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<()> {
        Csv.values(raw, dialect, visit)
    }

    fn continues(&self) -> Continues {
        Continues::Never
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
    separator: u8,
}

impl<'a> Cells<'a> {
    fn of(row: &'a [u8], separator: u8) -> Self {
        Self { row, at: Some(0), separator }
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
                let after = memchr::memchr(self.separator, &row[to + 1..]);
                self.at = after.map(|more| to + 1 + more + 1);
                let end = after.map_or(row.len(), |more| to + 1 + more);
                // What stands behind the closing quote makes it no quote.
                return Some(match row[to + 1..end].trim_ascii().is_empty() {
                    true => Cell { span: start + 1..to, quoted: true, open: false },
                    false => Cell { span: start..end, quoted: false, open: false },
                });
            }
        }
        let end = memchr::memchr(self.separator, &row[start..]).map(|to| start + to);
        self.at = end.map(|end| end + 1);
        let mut stop = end.unwrap_or(row.len());
        if end.is_none() && row[start..stop].ends_with(b"\r") {
            stop -= 1;
        }
        Some(Cell { span: start..stop, quoted: false, open: false })
    }
}
