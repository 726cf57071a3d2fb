//! Lines that begin with a process, a letter for what it is, and a time, with one sign for the level:
//! `1234:M 14 Mar 2026 06:41:02.340 * message`.

use std::ops::Range;

use super::{Dialect, Head, Layout, text, Continues, is_dated, message};
use crate::entry::{Entry, Field, Severity, Stamp, Value, first_line};

pub(super) struct Marked;

impl Layout for Marked {
    fn name(&self) -> &'static str {
        "marked"
    }

    fn about(&self) -> &'static str {
        "servers with one sign for the level"
    }

    fn sample(&self) -> &'static str {
        "1:M 14 Mar 2026 06:41:02.340 * Ready to accept connections"
    }

    fn first(&self, first: u8) -> bool {
        first.is_ascii_digit()
    }

    fn begins(&self, line: &[u8]) -> bool {
        !is_dated(line)
    }

    fn tears(&self) -> bool {
        true
    }

    fn makes_up(&self, name: &str) -> bool {
        matches!(name, "pid" | "role") || text::makes_up(name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = parts(line)?;
        Some(Head { stamp: Some(parts.stamp), severity: parts.severity, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, _) = first_line(raw);
        let parts = parts(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(parts.stamp);
        entry.severity = parts.severity;
        if parts.severity.is_some() {
            entry.level_raw = Some(String::from_utf8_lossy(&line[parts.mark..=parts.mark]));
        } else {
            entry.stamp_at = Some(parts.role.end + 2..parts.mark);
        }
        let pid = 0..parts.colon;
        entry.fields.push(Field::new("pid", Value::untyped(&line[pid.clone()]), pid));
        let role = parts.role;
        entry.fields.push(Field::new("role", Value::untyped(&line[role.clone()]), role));
        message::take(&mut entry, (parts.mark + 2).min(line.len())..line.len());
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

struct Parts {
    stamp: Stamp,
    severity: Option<Severity>,
    colon: usize,
    role: Range<usize>,
    mark: usize,
}

/// What handles signals has no time but seconds.
const SIGNAL: &[u8] = b"signal-handler (";

fn parts(line: &[u8]) -> Option<Parts> {
    let colon = line.iter().take(9).take_while(|b| b.is_ascii_digit()).count();
    if colon == 0 || line.get(colon) != Some(&b':') {
        return None;
    }
    if let Some(rest) = line[colon + 1..].strip_prefix(SIGNAL) {
        // `1234:signal-handler (1773470462) Received …`
        let from = line.len() - rest.len();
        let close = memchr::memchr(b')', rest.get(..rest.len().min(24))?)?;
        let stamp = Stamp::epoch(&rest[..close])?;
        return Some(Parts { stamp, severity: None, colon, role: colon + 1..from - 2, mark: from + close });
    }
    if line.get(colon + 2) != Some(&b' ') {
        return None;
    }
    if !line[colon + 1].is_ascii_uppercase() {
        return None;
    }
    let start = colon + 3;
    let (stamp, taken) = Stamp::access(line.get(start..)?)?;
    let mark = start + taken + 1;
    let level: &[u8] = match line.get(mark)? {
        b'.' => b"debug",
        b'-' => b"info",
        b'*' => b"notice",
        b'#' => b"warn",
        _ => return None,
    };
    Some(Parts { stamp, severity: Severity::from_word(level), colon, role: colon + 1..colon + 2, mark })
}
