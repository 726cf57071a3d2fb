//! Reports of a runtime: a line with their kind and time between equals signs, and what happened below.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, message, prefix, trace};
use crate::entry::{Entry, Severity, Stamp, first_line};

pub(super) struct Report;

impl Layout for Report {
    fn name(&self) -> &'static str {
        "report"
    }

    fn about(&self) -> &'static str {
        "a runtime's reports: kind and time between equals signs, and what happened below"
    }

    fn sample(&self) -> &'static str {
        "=ERROR REPORT==== 14-Mar-2026::06:41:02.340123 ==="
    }

    fn first(&self, first: u8) -> bool {
        first == b'='
    }

    fn makes_up(&self, name: &str) -> bool {
        name == "report" || prefix::makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        word == "REPORT"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head { stamp: Some(parts.stamp), severity: parts.severity, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        (entry.stamp, entry.stamp_at) = (Some(parts.stamp), Some(parts.stamp_at));
        entry.severity = parts.severity;
        entry.level_raw = Some(String::from_utf8_lossy(&raw[parts.kind]));
        if !rest.is_empty() {
            let from = raw.len() - rest.len();
            let before = entry.fields.len();
            trace::describe(&mut entry, from);
            if entry.fields.len() == before {
                message::below(&mut entry, from);
            }
            let (first, more) = first_line(rest);
            entry.message = String::from_utf8_lossy(first.trim_ascii());
            entry.body = (!more.is_empty()).then(|| String::from_utf8_lossy(more));
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

struct Parts {
    kind: Range<usize>,
    severity: Option<Severity>,
    stamp: Stamp,
    stamp_at: Range<usize>,
}

impl Parts {
    /// `=ERROR REPORT==== 14-Mar-2026::06:41:02.340123 ===`
    fn of(line: &[u8]) -> Option<Self> {
        const MARK: &[u8] = b" REPORT==== ";
        let kind = line.iter().skip(1).take(24).take_while(|b| b.is_ascii_uppercase()).count();
        let rest = line.get(1 + kind..).filter(|_| kind > 2 && line[0] == b'=')?;
        let at = 1 + kind + MARK.len();
        let time = rest.strip_prefix(MARK)?.strip_suffix(b" ===")?;
        let colons = memchr::memmem::find(time, b"::")?;
        let written = [&time[..colons], b" ", &time[colons + 2..]].concat();
        let (stamp, taken) = Stamp::leading(&written)?;
        let word = &line[1..=kind];
        let severity = match word {
            b"PROGRESS" => Severity::from_word(b"info"),
            b"CRASH" | b"SUPERVISOR" => Severity::from_word(b"error"),
            _ => Severity::from_word(word),
        };
        (taken == written.len()).then_some(Self {
            kind: 1..1 + kind,
            severity,
            stamp,
            stamp_at: at..at + time.len(),
        })
    }
}
