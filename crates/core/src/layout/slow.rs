//! A database's log of slow queries: comments with who asked and how long it took, then the query.

use std::ops::Range;

use super::{Continues, Dialect, Head, Join, Layout};
use crate::entry::{Entry, Field, Stamp, Value};

pub(super) struct Slow;

impl Layout for Slow {
    fn name(&self) -> &'static str {
        "slow"
    }

    fn about(&self) -> &'static str {
        "a database's log of slow queries"
    }

    fn sample(&self) -> &'static str {
        "# Time: 2026-03-14T06:41:02.340000Z"
    }

    fn first(&self, first: u8) -> bool {
        first == b'#'
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn owns(&self, word: &str) -> bool {
        matches!(word, "Time" | "SET" | "use" | "timestamp")
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        if let Some(time) = line.strip_prefix(b"# Time: ") {
            // Who asked stands on the next line.
            return Some(Head { stamp: Some(stamp(time)?), join: Join::After, ..Head::default() });
        }
        line.starts_with(b"# User@Host: ").then(Head::default)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let mut entry = Entry::empty(raw);
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
