//! A database's logs of queries: of slow ones, with comments that say who asked and how long it took before the
//! query, and of all, with columns for the time (blank where it repeats), the connection and the command.

use std::ops::Range;

use super::{Continues, Dialect, Head, Join, Layout};
use crate::entry::{Entry, Field, Stamp, Value, first_line};

pub(super) struct Slow;

impl Layout for Slow {
    fn name(&self) -> &'static str {
        "slow"
    }

    fn about(&self) -> &'static str {
        "a database's logs of queries: of slow ones, and of all"
    }

    fn sample(&self) -> &'static str {
        "# Time: 2026-03-14T06:41:02.340000Z"
    }

    fn first(&self, first: u8) -> bool {
        first == b'#' || first == b'\t' || first.is_ascii_digit()
    }

    fn begins(&self, line: &[u8]) -> bool {
        match line[0] {
            b'#' => true,
            b'\t' => line.starts_with(BLANK),
            _ => line.len() > 15 && line[6] == b' ' && line[..6].iter().all(u8::is_ascii_digit),
        }
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn owns(&self, word: &str) -> bool {
        matches!(word, "Time" | "SET" | "use" | "timestamp")
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        if let Some(command) = Command::of(line) {
            return Some(Head { stamp: command.stamp, ..Head::default() });
        }
        if let Some(time) = line.strip_prefix(b"# Time: ") {
            // Who asked stands on the next line.
            return Some(Head { stamp: Some(stamp(time)?), join: Join::After, ..Head::default() });
        }
        line.starts_with(b"# User@Host: ").then(Head::default)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let mut entry = Entry::empty(raw);
        if let Some(command) = Command::of(first_line(raw).0) {
            entry.stamp = command.stamp;
            entry.stamp_at = command.stamp.map(|_| 0..command.stamp_end);
            entry.take_bytes("tid", command.number);
            let asked = command.text..raw.len();
            let told = if asked.is_empty() { command.name.clone() } else { asked };
            entry.take_bytes("command", command.name);
            entry.message = String::from_utf8_lossy(&raw[told]);
            return Some(entry);
        }
        let mut at = 0;
        let mut query: Option<usize> = None;
        while at < raw.len() {
            let end = memchr::memchr(b'\n', &raw[at..]).map_or(raw.len(), |to| at + to);
            let line = &raw[at..end];
            if let Some(time) = line.strip_prefix(b"# Time: ") {
                (entry.stamp, entry.stamp_at) = (stamp(time), Some(end - time.len()..end));
            } else if line.starts_with(b"# ") && query.is_none() {
                pairs(&mut entry, at + 2..end);
            } else if let Some((name, value)) = statement(line) {
                entry.take_bytes(name, end - value.len() - 1..end - 1);
            } else if query.is_none() {
                query = Some(at);
            }
            at = end + 1;
        }
        if let Some(query) = query {
            let text = raw[query..].trim_ascii_end();
            entry.message = String::from_utf8_lossy(text);
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// What stands before a command where the time is that of the one above.
const BLANK: &[u8] = b"\t\t";

/// `260314  6:41:02\t     3 Query\tselect 1`, as places.
struct Command {
    stamp: Option<Stamp>,
    stamp_end: usize,
    number: Range<usize>,
    name: Range<usize>,
    text: usize,
}

impl Command {
    fn of(line: &[u8]) -> Option<Self> {
        let (stamp, stamp_end, from) = match line.strip_prefix(BLANK) {
            Some(_) => (None, 0, BLANK.len()),
            None => {
                let tab = memchr::memchr(b'\t', line.get(..line.len().min(24))?)?;
                (Some(stamp(&line[..tab])?), tab, tab + 1)
            }
        };
        let blanks = line[from..].iter().take_while(|b| **b == b' ').count();
        let number = from + blanks;
        let digits = line[number..].iter().take_while(|b| b.is_ascii_digit()).count();
        let name = number + digits + 1;
        let end = name + memchr::memchr(b'\t', line.get(name..)?)?;
        let plain = |b: &u8| b.is_ascii_alphabetic() || *b == b' ';
        let fits = blanks > 0
            && digits > 0
            && line[name - 1] == b' '
            && end > name
            && line[name..end].iter().all(plain);
        fits.then_some(Self { stamp, stamp_end, number: number..name - 1, name: name..end, text: end + 1 })
    }
}

/// `2026-03-14T06:41:02.340123Z`, or `260314  6:41:02` in the older form.
fn stamp(time: &[u8]) -> Option<Stamp> {
    let time = time.trim_ascii();
    Stamp::read(time).or_else(|| {
        let (date, clock) = (time.get(..6)?, time.get(6..)?.trim_ascii_start());
        let mut written = *b"20YYMMDD-HH:MM:SS";
        written[2..8].copy_from_slice(date);
        let late = written.len() - clock.len().min(8);
        written[9] = b'0';
        written[late..].copy_from_slice(clock.get(..clock.len().min(8))?);
        Stamp::read(&written)
    })
}

/// `SET timestamp=1773470462;`, `use ferries;`: what the server adds before a query.
fn statement(line: &[u8]) -> Option<(&'static str, &[u8])> {
    let value = |rest: &'static [u8]| line.strip_prefix(rest)?.strip_suffix(b";");
    let timestamp = value(b"SET timestamp=").map(|value| ("set_timestamp", value));
    timestamp.or_else(|| Some(("database", value(b"use ")?)))
}

/// `Query_time: 0.010237  Lock_time: 0.000000`
fn pairs(entry: &mut Entry<'_>, span: Range<usize>) {
    let raw = entry.raw;
    let mut at = span.start;
    while at < span.end {
        let rest = &raw[at..span.end];
        let Some(colon) = memchr::memmem::find(rest, b": ") else {
            return entry.take_bytes("text", at..span.end);
        };
        let name = String::from_utf8_lossy(&rest[..colon]);
        let start = at + colon + 2;
        let value = &raw[start..span.end];
        let length = memchr::memmem::find(value, b"  ").unwrap_or(value.len());
        let bytes = &value[..length];
        entry.fields.push(Field::new(name, Value::untyped(bytes), start..start + length));
        at = start + length;
        at += raw[at..span.end].iter().take_while(|b| **b == b' ').count();
    }
}
