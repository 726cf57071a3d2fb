//! The kernel's ring buffer: `[   12.345678] message`, seconds since the start of the machine, maybe with
//! a priority before it. When the machine was started is not said, so these entries have no time.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, text, message};
use crate::entry::{Entry, Field, Severity, Value, first_line};

pub(super) struct Kernel;

impl Layout for Kernel {
    fn name(&self) -> &'static str {
        "kernel"
    }

    fn about(&self) -> &'static str {
        "the kernel's ring buffer"
    }

    fn sample(&self) -> &'static str {
        "[   12.345678] usb 1-1: new device"
    }

    fn first(&self, first: u8) -> bool {
        matches!(first, b'[' | b'<')
    }

    fn makes_up(&self, name: &str) -> bool {
        name == "uptime" || text::makes_up(name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head { severity: parts.severity(line), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.severity = parts.severity(line);
        if let Some(span) = &parts.level {
            entry.level_raw = Some(String::from_utf8_lossy(&line[span.clone()]));
        }
        entry.fields.push(Field::new(
            "uptime",
            Value::untyped(&line[parts.uptime.clone()]),
            parts.uptime.clone(),
        ));
        message::take(&mut entry, parts.message..line.len());
        entry.body = (!rest.is_empty()).then(|| String::from_utf8_lossy(rest));
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

struct Parts {
    level: Option<Range<usize>>,
    uptime: Range<usize>,
    message: usize,
}

impl Parts {
    fn of(line: &[u8]) -> Option<Self> {
        let mut at = 0;
        let mut level = None;
        if line.first() == Some(&b'<') {
            let close = memchr::memchr(b'>', line.get(..line.len().min(5))?)?;
            if close < 2 || !line[1..close].iter().all(u8::is_ascii_digit) {
                return None;
            }
            level = Some(1..close);
            at = close + 1;
        }
        let rest = line.get(at..)?.strip_prefix(b"[")?;
        let lead = rest.len() - rest.trim_ascii_start().len();
        let length =
            rest[lead..].iter().take(20).position(|b| !(b.is_ascii_digit() || *b == b'.'))?;
        let number = &rest[lead..lead + length];
        let dot = memchr::memchr(b'.', number)?;
        if dot == 0 || number.len() - dot < 4 || rest.get(lead + length) != Some(&b']') {
            return None;
        }
        let start = at + 1 + lead;
        let end = start + length + 1;
        Some(Self {
            level,
            uptime: start..start + length,
            message: end + usize::from(line.get(end) == Some(&b' ')),
        })
    }

    fn severity(&self, line: &[u8]) -> Option<Severity> {
        let number: u8 = std::str::from_utf8(&line[self.level.clone()?]).ok()?.parse().ok()?;
        Severity::of_syslog(number & 7)
    }
}
