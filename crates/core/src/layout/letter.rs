//! Lines whose first letter is their level.
//!
//! `I0314 06:41:02.340123    1234 lookup.go:12] message` and
//! `I, [2026-03-14T06:41:02.340123 #1234]  INFO -- name: message`

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, prefix, text, trace, is_other, pairs, message};
use crate::entry::{Entry, Field, Severity, Stamp, Value, first_line};

pub(super) struct Letter;

impl Layout for Letter {
    fn name(&self) -> &'static str {
        "letter"
    }

    fn about(&self) -> &'static str {
        "lines that begin with a letter for the level and the date"
    }

    fn sample(&self) -> &'static str {
        "I0314 06:41:02.340000       1 berths.go:42] berth free"
    }

    fn first(&self, first: u8) -> bool {
        first == b'[' || is_other(first)
    }

    fn begins(&self, line: &[u8]) -> bool {
        line[0] != b'[' || line.get(2) == Some(&b' ')
    }

    fn tears(&self) -> bool {
        true
    }

    fn makes_up(&self, name: &str) -> bool {
        text::makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        // The level is said twice.
        word.len() == 1
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head { stamp: Some(parts.stamp), severity: Some(parts.severity), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(parts.stamp);
        entry.stamp_at = Some(parts.stamp_at);
        entry.severity = Some(parts.severity);
        entry.level_raw = Some(String::from_utf8_lossy(&line[parts.level]));
        for (name, span) in [("pid", parts.pid), ("caller", parts.caller)] {
            if let Some(span) = span {
                entry.fields.push(Field::new(name, Value::untyped(&line[span.clone()]), span));
            }
        }
        if let Some(span) = parts.logger {
            entry.logger = Some(String::from_utf8_lossy(&line[span]));
        }
        message::take(&mut entry, parts.message..line.len());
        // `"Berth server started" version="1.2"`
        if let Some(quoted) =
            line.get(parts.message + 1..).filter(|_| line[parts.message..].starts_with(b"\""))
            && let Some(close) = memchr::memchr(b'"', quoted)
            && matches!(quoted.get(close + 1), None | Some(b' '))
            && pairs::covers(line, parts.message + close + 2..line.len())
        {
            entry.message = String::from_utf8_lossy(&quoted[..close]);
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

struct Parts {
    stamp: Stamp,
    stamp_at: Range<usize>,
    severity: Severity,
    level: Range<usize>,
    pid: Option<Range<usize>>,
    caller: Option<Range<usize>>,
    logger: Option<Range<usize>>,
    message: usize,
}

impl Parts {
    fn of(line: &[u8]) -> Option<Self> {
        if line.first() == Some(&b'[') {
            return Self::boxed(line);
        }
        let severity = match line.first()? {
            b'I' | b'W' | b'E' | b'F' | b'D' | b'V' | b'A' => Severity::from_word(&line[..1]),
            _ => None,
        };
        match line.get(1)? {
            b'0'..=b'9' => Self::glued(line, severity?),
            b',' => Self::spelt(line, severity.or_else(|| Severity::from_word(b"info"))?),
            _ => None,
        }
    }

    /// `I0314 06:41:02.340123    1234 lookup.go:12] message`
    fn glued(line: &[u8], severity: Severity) -> Option<Self> {
        let digits = line[1..].iter().take(9).take_while(|b| b.is_ascii_digit()).count();
        if line.get(1 + digits) != Some(&b' ') {
            return None;
        }
        let clock = line.get(2 + digits..)?;
        let length = memchr::memchr(b' ', clock)?;
        let date = &line[1..=digits];
        let mut written = [0u8; 40];
        // The date is put into a form that is read elsewhere: `03-14` or `20260314-`.
        let front: &[u8] = match date {
            [a, b, c, d] => &[*a, *b, b'-', *c, *d, b' '],
            [a, b, c, d, e, f, g, h] => &[*a, *b, *c, *d, *e, *f, *g, *h, b'-'],
            _ => return None,
        };
        let total = front.len() + length;
        written.get_mut(..front.len())?.copy_from_slice(front);
        written.get_mut(front.len()..total)?.copy_from_slice(&clock[..length]);
        let (stamp, taken) = Stamp::leading(&written[..total])?;
        if taken != total {
            return None;
        }
        let at = 2 + digits + length;
        let rest = &line[at..];
        let lead = rest.len() - rest.trim_ascii_start().len();
        let close = memchr::memchr(b']', rest.get(..rest.len().min(160))?)?;
        let mut words = rest[lead..close].split(|b| *b == b' ').filter(|word| !word.is_empty());
        let pid = words.next()?;
        let caller = words.next();
        let place = |word: &[u8]| {
            let start = word.as_ptr() as usize - line.as_ptr() as usize;
            start..start + word.len()
        };
        let numbered = pid.iter().all(u8::is_ascii_digit);
        let from = at + close + 1;
        Some(Self {
            stamp,
            stamp_at: 1..at,
            severity,
            level: 0..1,
            pid: numbered.then(|| place(pid)),
            caller: caller.or((!numbered).then_some(pid)).map(place),
            logger: None,
            message: from + usize::from(line.get(from) == Some(&b' ')),
        })
    }

    /// `[I 260314 06:41:02 web:2591] message`
    fn boxed(line: &[u8]) -> Option<Self> {
        let severity = match line.get(1)? {
            b'I' | b'W' | b'E' | b'F' | b'D' | b'C' => Severity::from_word(&line[1..2])?,
            _ => return None,
        };
        let close = memchr::memchr(b']', line.get(..line.len().min(120))?)?;
        let inside = line.get(3..close).filter(|_| line[2] == b' ')?;
        let date = inside.get(..6).filter(|date| date.iter().all(u8::is_ascii_digit))?;
        let length = memchr::memchr(b' ', inside.get(7..).filter(|_| inside[6] == b' ')?)?;
        let written = [b"20", date, b"-", &inside[7..7 + length]].concat();
        let (stamp, taken) = Stamp::leading(&written)?;
        let caller = 3 + 7 + length + 1..close;
        if taken != written.len() || line[caller.clone()].contains(&b' ') {
            return None;
        }
        Some(Self {
            stamp,
            stamp_at: 3..caller.start - 1,
            severity,
            level: 1..2,
            pid: None,
            caller: Some(caller),
            logger: None,
            message: close + 1 + usize::from(line.get(close + 1) == Some(&b' ')),
        })
    }

    /// `I, [2026-03-14T06:41:02.340123 #1234]  INFO -- name: message`
    fn spelt(line: &[u8], severity: Severity) -> Option<Self> {
        let rest = line.get(4..).filter(|_| line[1..].starts_with(b", ["))?;
        let (stamp, taken) = Stamp::iso(rest)?;
        let close = 4 + memchr::memchr(b']', rest)?;
        let hash = memchr::memchr(b'#', &line[4 + taken..close]).map(|at| 4 + taken + at + 1);
        let word_at = close + 1 + line[close + 1..].iter().take_while(|b| **b == b' ').count();
        let length = memchr::memchr(b' ', &line[word_at..])?;
        let dashes = line[word_at + length..].strip_prefix(b" -- ")?;
        let from = line.len() - dashes.len();
        let (mut logger, mut message) = (None, from);
        if let Some(colon) = memchr::memchr(b':', dashes) {
            let name = &dashes[..colon];
            if name.is_empty() || prefix::is_name(name) && dashes.get(colon + 1) == Some(&b' ') {
                logger = (!name.is_empty()).then(|| from..from + colon);
                message = (from + colon + 2).min(line.len());
            }
        }
        let word = &line[word_at..word_at + length];
        Some(Self {
            stamp,
            stamp_at: 4..4 + taken,
            severity: Severity::from_word(word).unwrap_or(severity),
            level: word_at..word_at + length,
            pid: hash.map(|at| at..close),
            caller: None,
            logger,
            message,
        })
    }
}
