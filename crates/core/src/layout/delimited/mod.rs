//! Columns set apart by pipes, tabs or semicolons, maybe with a `key=value` tail or an object in the last.
//!
//! No header names the columns. What each of them holds is learnt from many lines of a source ([`Plan`]) and then
//! holds for all of them. Where there are too few, each tells it by its form: a time, a level, a status, a caller
//! with its line, a dotted logger; the first column that is none of these is the message.

mod plan;

use std::ops::Range;

pub(super) use plan::Plan;
use plan::{Cell, Holds, contradicts, is_blank, number_name};

use super::{
    Continues, Dialect, Gist, Head, Layout, Name, Spot, Visit, access, is_other, json, message, pairs, prefix,
    trace,
};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, written::lost};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 19] = [
    "caller", "function", "id", "line", "logger", "method", "path", "remote", "request", "status",
    "took", "message", "protocol", "url", "thread", "program", "tid", "command", "query",
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
        matches!(first, b'[' | b' ') || first.is_ascii_digit() || is_other(first)
    }

    fn begins(&self, line: &[u8]) -> bool {
        line[0] != b' ' || mark_of(line).is_some()
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name)
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        if let Some(plan) = &dialect.columns
            && let Some(head) = quick_head(line, plan)
        {
            return Some(head);
        }
        if let Some(plan) = plan_of(line, dialect) {
            return planned_head(line, plan);
        }
        if line.first() == Some(&b' ') {
            return None;
        }
        let mut head = Head { doubtful: dialect.columns.is_some(), ..Head::default() };
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
        let mut row = Row { entry: Entry::empty(raw), unknown: Vec::new(), status: None, command: None };
        match plan_of(line, dialect) {
            Some(plan) => row.planned(line, plan),
            None => row.by_forms(line)?,
        }
        let guessed = plan_of(line, dialect).is_none();
        row.told_by_status();
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
        // A line that another program wrote into: what it is read as may leave something out.
        if guessed && lost(&entry, &|word| self.owns(word)).is_some() {
            entry.body = Some(String::from_utf8_lossy(raw));
        }
        Some(entry)
    }

    fn values<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<()> {
        let (line, rest) = first_line(raw);
        // What stands below may be a stack trace, and a value with escapes reads otherwise than it is written.
        if !rest.is_empty() || memchr::memchr(b'\\', line).is_some() {
            return None;
        }
        let plan = plan_of(line, dialect)?;
        for cell in plan.cells(line) {
            visit_cell(line, plan, cell, visit)?;
        }
        Some(())
    }

    fn gist<'r>(&self, raw: &'r [u8], dialect: &Dialect) -> Option<Gist<'r>> {
        let line = first_line(raw).0;
        // What has braces may be a template.
        if memchr::memchr2(b'{', b'%', raw).is_some() {
            return None;
        }
        let plan = plan_of(line, dialect)?;
        let (mut logger, mut message) = (None, None);
        for (_, holds, span) in plan.cells(line) {
            let cell = &line[span.clone()];
            match holds {
                _ if is_blank(cell) => {}
                Holds::Time if !plan.has(Holds::Logger) => {
                    let name = program_of(line, &span).filter(|_| time_of(cell).is_some());
                    logger = name.map(|name| String::from_utf8_lossy(&line[name])).or(logger);
                }
                Holds::Logger => logger = Some(String::from_utf8_lossy(cell)),
                Holds::Message => message = Some(String::from_utf8_lossy(cell)),
                // They have parts of their own.
                Holds::Place | Holds::Command | Holds::Object => return None,
                _ => {}
            }
        }
        Gist::of(logger, message?)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// What the columns of a line hold, where its source has said it.
fn plan_of<'d>(line: &[u8], dialect: &'d Dialect) -> Option<&'d Plan> {
    dialect.columns.as_ref().filter(|plan| plan.fits(line))
}

/// What the plan of a source gives for a line that begins with a time, which ends at a place, and goes on with the mark.
/// `None` where it takes more than a look.
pub(super) fn usual(line: &[u8], stamp: Stamp, end: usize, plan: &Plan) -> Option<Head> {
    let mark = plan.mark();
    let behind = match line.get(end..)? {
        [first, ..] if *first == mark => end + 1,
        [b' ', second, ..] if *second == mark => end + 2,
        _ => return None,
    };
    // A mark that is looked for first may stand further on.
    if mark_of(line)? != mark || plan.looked_at().0 != 0 {
        return None;
    }
    walk(line, plan, Columns { line, at: Some(behind), mark }, Some(stamp))
}

/// What [`planned_head`] gives for a line whose time stands where the plan has it, in one walk over its first columns.
/// `None` where the line does not fit, or where a message that may hold the mark stands before its time.
fn quick_head(line: &[u8], plan: &Plan) -> Option<Head> {
    if mark_of(line)? != plan.mark() {
        return None;
    }
    walk(line, plan, Columns::of(line)?, None)
}

/// Walks over the columns up to the last that the index looks at: all of them, or those behind a time in the first.
fn walk(line: &[u8], plan: &Plan, columns: Columns<'_>, first: Option<Stamp>) -> Option<Head> {
    let (time, last, message) = plan.looked_at();
    if message.is_some_and(|message| message < last) {
        return None;
    }
    let mut head = Head { stamp: first, ..Head::default() };
    let mut status = None;
    let from = usize::from(first.is_some());
    for (number, span) in (from..=last).zip(columns) {
        let cell = &line[span];
        let holds = plan.holds(number);
        let found = match holds {
            Holds::Time => {
                let stamp = time_of(cell);
                if number == time {
                    // Without it the line is of another program, or repeats a time.
                    stamp.as_ref()?;
                }
                head.stamp = stamp;
                head.stamp.is_some()
            }
            Holds::Level => {
                head.severity = level_of(cell);
                head.severity.is_some()
            }
            Holds::Status => {
                status = status_of(cell);
                status.is_some()
            }
            _ => !contradicts(holds, cell),
        };
        head.doubtful |= !found && !is_blank(cell);
    }
    head.stamp.as_ref()?;
    if head.severity.is_none() {
        head.severity = status.map(Severity::of_status);
        head.derived = status.is_some();
    }
    debug_assert!(plan.fits(line));
    debug_assert_eq!(Some(&head), planned_head(line, plan).as_ref());
    Some(head)
}

fn planned_head(line: &[u8], plan: &Plan) -> Option<Head> {
    let mut head = Head::default();
    let mut status = None;
    for (_, holds, span) in plan.first_cells(line) {
        let cell = &line[span];
        match holds {
            Holds::Time => head.stamp = time_of(cell),
            Holds::Level => head.severity = level_of(cell),
            Holds::Status => status = status_of(cell),
            _ => {}
        }
        head.doubtful |= contradicts(holds, cell);
    }
    if head.severity.is_none() {
        head.severity = status.map(Severity::of_status);
        head.derived = status.is_some();
    }
    Some(head)
}

/// Visits the values of a column as [`Row::planned`] takes them.
fn visit_cell<'r>(
    line: &'r [u8],
    plan: &Plan,
    (number, holds, span): Cell,
    visit: &mut Visit<'_, 'r>,
) -> Option<()> {
    let cell = &line[span.clone()];
    let mut give = |name: &str, span: Range<usize>| {
        visit(Name::of(name), Some(Spot::plain(&line[span])));
    };
    if is_blank(cell) {
        return Some(());
    }
    if contradicts(holds, cell) {
        give(&number_name(number), span);
        return Some(());
    }
    match holds {
        Holds::Time => {
            if let Some(name) = program_of(line, &span).filter(|_| plan.has(Holds::Logger)) {
                give("program", name);
            }
        }
        Holds::Level | Holds::Logger => {}
        Holds::Id => give("id", span),
        Holds::Status => give("status", span),
        Holds::Took => give("took", span),
        Holds::Remote => give("remote", span),
        Holds::Caller => give("caller", span),
        Holds::Thread => give("thread", span),
        Holds::Other => give(&number_name(number), span),
        Holds::Message | Holds::Pairs => {
            let mut take = |pair: &pairs::Pair| {
                let name = String::from_utf8_lossy(&line[pair.name.clone()]);
                visit(Name::of(&name), Some(Spot::plain(&line[pair.value.clone()])));
            };
            if holds == Holds::Message && cell.last() == Some(&b'}') {
                return None;
            }
            if holds == Holds::Message {
                pairs::each_in_text(line, span, &mut take);
            } else if !pairs::each_covering(line, span.clone(), &mut take) {
                visit(Name::of(&number_name(number)), Some(Spot::plain(&line[span])));
            }
        }
        // They are rare, and have parts of their own.
        Holds::Request | Holds::Object | Holds::Place | Holds::Command => return None,
    }
    Some(())
}

/// A row on its way to becoming an entry.
struct Row<'a> {
    entry: Entry<'a>,
    /// Columns whose form says nothing, with their numbers.
    unknown: Vec<(usize, Range<usize>)>,
    status: Option<u16>,
    /// Where the name of a command stands.
    command: Option<Range<usize>>,
}

impl<'a> Row<'a> {
    /// Takes a column for what its form says.
    fn column(&mut self, line: &'a [u8], number: usize, column: Range<usize>) {
        let cell = &line[column.clone()];
        let entry = &mut self.entry;
        if cell.is_empty() || cell == b"-" {
        } else if entry.stamp.is_none() && time_of(cell).is_some() {
            entry.stamp = time_of(cell);
            if let Some(name) = program_of(line, &column) {
                entry.logger = Some(String::from_utf8_lossy(&line[name]));
            }
        } else if entry.level_raw.is_none() && level_of(cell).is_some() {
            entry.severity = level_of(cell);
            entry.level_raw = Some(String::from_utf8_lossy(cell));
        } else if is_tail(line, &column) && pairs::covers(line, column.clone()) {
            pairs::in_text(entry, column);
        } else if cell[0] == b'{' && json::is_object(cell) {
            json::members_of(entry, column);
        } else if let Some(command) = command_of(cell) {
            self.command(line, &column, command);
        } else if prefix::is_id(cell) {
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

    /// Takes the columns for what they hold in all lines of the source. What contradicts is kept as a field.
    fn planned(&mut self, line: &'a [u8], plan: &Plan) {
        for (number, holds, span) in plan.cells(line) {
            let cell = &line[span.clone()];
            let entry = &mut self.entry;
            if is_blank(cell) {
                continue;
            }
            if contradicts(holds, cell) {
                entry.take_bytes(number_name(number), span);
                continue;
            }
            match holds {
                Holds::Time => {
                    entry.stamp = time_of(cell);
                    match program_of(line, &span) {
                        Some(name) if plan.has(Holds::Logger) => entry.take_bytes("program", name),
                        Some(name) => entry.logger = Some(String::from_utf8_lossy(&line[name])),
                        None => {}
                    }
                }
                Holds::Level => {
                    entry.severity = level_of(cell);
                    entry.level_raw = Some(String::from_utf8_lossy(cell));
                }
                Holds::Logger => entry.logger = Some(String::from_utf8_lossy(cell)),
                Holds::Id => {
                    let field = Field::new("id", Value::untyped(cell), span);
                    entry.fields.push(Field { role: Role::Id("id"), ..field });
                }
                Holds::Command => match command_of(cell) {
                    Some(command) => self.command(line, &span, command),
                    None => entry.take_bytes(number_name(number), span),
                },
                Holds::Status => {
                    self.status = status_of(cell);
                    entry.take_bytes("status", span);
                }
                Holds::Request => request(entry, span),
                Holds::Took => entry.take_bytes("took", span),
                Holds::Remote => entry.take_bytes("remote", span),
                Holds::Caller => entry.take_bytes("caller", span),
                Holds::Thread => entry.take_bytes("thread", span),
                Holds::Message => {
                    entry.message = String::from_utf8_lossy(cell);
                    message::values(entry, span);
                }
                Holds::Pairs => {
                    pairs::in_text(entry, span.clone());
                    if !pairs::covers(line, span.clone()) {
                        entry.take_bytes(number_name(number), span);
                    }
                }
                Holds::Object => match json::is_object(cell) {
                    true => json::members_of(entry, span),
                    false => entry.take_bytes(number_name(number), span),
                },
                Holds::Place => {
                    if self.placed(&span, line.len()) {
                        return;
                    }
                    self.entry.take_bytes(number_name(number), span);
                }
                Holds::Other => entry.take_bytes(number_name(number), span),
            }
        }
    }

    /// Takes the columns one by one for what their form says.
    fn by_forms(&mut self, line: &'a [u8]) -> Option<()> {
        for (number, column) in Columns::of(line)?.enumerate() {
            if self.placed(&column, line.len()) {
                break;
            }
            self.column(line, number, column);
        }
        self.name_unknown(line);
        Some(())
    }

    /// Finds logger and message among the columns whose form says nothing: the first name that is not
    /// the last of them, and the first of the others.
    fn name_unknown(&mut self, line: &'a [u8]) {
        let entry = &mut self.entry;
        let mut unknown = std::mem::take(&mut self.unknown);
        let free = entry.logger.is_none();
        let untold = entry.message.is_empty();
        if free && unknown.len() > 1 && is_logger(&line[unknown[0].1.clone()]) {
            let (_, span) = unknown.remove(0);
            entry.logger = Some(String::from_utf8_lossy(&line[span]));
        }
        if untold && !unknown.is_empty() {
            let (_, span) = unknown.remove(0);
            entry.message = String::from_utf8_lossy(&line[span.clone()]);
            message::values(entry, span);
        }
        for (number, span) in unknown {
            entry.take_bytes(number_name(number), span.clone());
            pairs::in_text(entry, span);
        }
    }

    /// Takes the thread and the name of a command that a database was given.
    fn command(&mut self, line: &'a [u8], column: &Range<usize>, name: usize) {
        let name = column.start + name..column.end;
        let number = column.start..column.start + line[column.clone()].iter().take_while(|b| b.is_ascii_digit()).count();
        self.entry.take_bytes("tid", number);
        self.entry.take_bytes("command", name.clone());
        self.command = Some(name);
    }

    /// A request without a message is told by its method, path and status.
    fn told_by_status(&mut self) {
        let entry = &mut self.entry;
        if let Some(command) = self.command.clone().filter(|_| entry.message.is_empty()) {
            entry.message = String::from_utf8_lossy(&entry.raw[command]);
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
        // What was taken before must not be lost.
        let free = entry.logger.is_none() && entry.message.is_empty();
        let Some(place) = place_of(&raw[column.clone()]).filter(|_| free) else { return false };
        let start = column.start;
        let part = |span: &Range<usize>| start + span.start..start + span.end;
        entry.logger = Some(String::from_utf8_lossy(&raw[part(&place.module)]));
        entry.take_bytes("function", part(&place.function));
        entry.take_bytes("line", part(&place.number));
        let message = start + place.message..end;
        entry.message = String::from_utf8_lossy(&raw[message.clone()]);
        message::values(entry, message);
        true
    }
}

/// `module:function:12 - message`, as places in the text.
struct Place {
    module: Range<usize>,
    function: Range<usize>,
    number: Range<usize>,
    message: usize,
}

fn place_of(cell: &[u8]) -> Option<Place> {
    let dash = memchr::memmem::find(cell, b" - ")?;
    let mut colons = memchr::memchr_iter(b':', &cell[..dash]);
    let (first, second) = (colons.next()?, colons.next()?);
    let digits = &cell[second + 1..dash];
    let fits = colons.next().is_none()
        && prefix::is_name(&cell[..first])
        && !digits.is_empty()
        && digits.iter().all(u8::is_ascii_digit);
    fits.then_some(Place {
        module: 0..first,
        function: first + 1..second,
        number: second + 1..dash,
        message: dash + 3,
    })
}

/// The mark that sets the columns of a line apart: the first that it holds near its beginning.
pub(super) fn mark_of(line: &[u8]) -> Option<u8> {
    let front = &line[..line.len().min(120)];
    let [first, second, third] = MARKS;
    // Most lines have none, or the one that is looked for first: one search says so.
    let at = memchr::memchr3(first, second, third, front)?;
    if line[at] == first {
        return Some(first);
    }
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

/// The name of a program in brackets before the time of a column.
fn program_of(line: &[u8], span: &Range<usize>) -> Option<Range<usize>> {
    let cell = &line[span.clone()];
    let close = cell.strip_prefix(b"[").and_then(|_| memchr::memchr(b']', cell))?;
    let behind = !cell[close + 1..].trim_ascii().is_empty();
    behind.then(|| span.start + 1..span.start + close)
}

/// `7 Query`: where the name of a command begins that a database's protocol knows, behind the number of a thread.
fn command_of(cell: &[u8]) -> Option<usize> {
    const COMMANDS: [&[u8]; 22] = [
        b"Query", b"Connect", b"Quit", b"Init DB", b"Prepare", b"Execute", b"Close stmt", b"Reset stmt", b"Fetch",
        b"Ping", b"Statistics", b"Field List", b"Change user", b"Processlist", b"Kill", b"Refresh", b"Shutdown",
        b"Binlog Dump", b"Create DB", b"Drop DB", b"Debug", b"Long Data",
    ];
    let digits = cell.iter().take(20).take_while(|b| b.is_ascii_digit()).count();
    let blanks = cell[digits..].iter().take_while(|b| **b == b' ').count();
    let at = digits + blanks;
    (digits > 0 && blanks > 0 && COMMANDS.contains(&&cell[at..])).then_some(at)
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
    let (path, query) =
        access::target(entry.raw, &(column.start + quote + 1..column.end - 1));
    entry.take_bytes("path", path);
    if let Some(query) = query {
        entry.take_bytes("query", query);
    }
}

/// `fares.lookup`, `http::server`, `main`: a name without spaces.
fn is_logger(cell: &[u8]) -> bool {
    prefix::is_name(cell) && !prefix::is_caller(cell)
}
