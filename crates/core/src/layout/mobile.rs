//! The lines of mobile devices: `03-14 06:41:02.340  312  340 W tag: message` and their short forms
//! `W/tag(  312): message` and `03-14 06:41:02.340 W/tag(  312): message`.

use std::ops::Range;

use super::{Dialect, Head, Layout, text, Continues, is_other, message};
use crate::entry::{Entry, Field, Severity, Stamp, Value, first_line};

pub(super) struct Mobile;

impl Layout for Mobile {
    fn name(&self) -> &'static str {
        "mobile"
    }

    fn about(&self) -> &'static str {
        "mobile devices"
    }

    fn sample(&self) -> &'static str {
        "03-14 06:41:02.340  1234  1250 I Kiosk: berth free"
    }

    fn first(&self, first: u8) -> bool {
        first.is_ascii_digit() || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        text::makes_up(name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head { stamp: parts.stamp, severity: Some(parts.severity), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, _) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = parts.stamp;
        entry.severity = Some(parts.severity);
        entry.level_raw = Some(String::from_utf8_lossy(&line[parts.level]));
        entry.logger = Some(String::from_utf8_lossy(&line[parts.tag]));
        for (name, span) in [("uid", parts.uid), ("pid", parts.pid), ("tid", parts.tid)] {
            if let Some(span) = span {
                entry.fields.push(Field::new(name, Value::untyped(&line[span.clone()]), span));
            }
        }
        message::take(&mut entry, parts.message..line.len());
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

struct Parts {
    stamp: Option<Stamp>,
    severity: Severity,
    level: Range<usize>,
    tag: Range<usize>,
    /// The number of a user.
    uid: Option<Range<usize>>,
    pid: Option<Range<usize>>,
    tid: Option<Range<usize>>,
    message: usize,
}

impl Parts {
    fn of(line: &[u8]) -> Option<Self> {
        let mut at = 0;
        let mut stamp = None;
        if line.first()?.is_ascii_digit() {
            // Without the year, or with it: then blanks and a number follow the milliseconds.
            let short = line.get(2) == Some(&b'-');
            let long = line.get(4) == Some(&b'-')
                && line.get(19) == Some(&b'.')
                && line.get(23) == Some(&b' ')
                && line.get(24).is_some_and(|b| *b == b' ' || b.is_ascii_digit());
            let (read, taken) = if short || long { Stamp::leading(line)? } else { return None };
            stamp = Some(read);
            at = skip(line, taken);
        }
        // A user's number may stand before those of process and thread.
        let mut numbers = [None, None];
        let mut uid = None;
        for _ in 0..3 {
            let length = line.get(at..)?.iter().take_while(|b| b.is_ascii_digit()).count();
            if length > 0 && line.get(at + length) == Some(&b' ') {
                if numbers[0].is_some() && numbers[1].is_some() {
                    let [first, second] = &mut numbers;
                    uid = std::mem::replace(first, second.take());
                }
                let slot = usize::from(numbers[0].is_some());
                numbers[slot] = Some(at..at + length);
                at = skip(line, at + length);
            }
        }
        let letter = *line.get(at)?;
        if !matches!(letter, b'V' | b'D' | b'I' | b'W' | b'E' | b'F' | b'A') {
            return None;
        }
        let severity = Severity::from_word(&line[at..=at])
            .or_else(|| Severity::from_word(b"fatal").filter(|_| letter == b'A'))?;
        let level = at..at + 1;
        let [mut pid, tid] = numbers;
        let short = line.get(at + 1) == Some(&b'/');
        if !short && (line.get(at + 1) != Some(&b' ') || stamp.is_none() || tid.is_none()) {
            return None;
        }
        let start = at + 2;
        let colon = start + memchr::memmem::find(line.get(start..)?, b":")?;
        let mut tag = start..colon;
        if short {
            let open = start + memchr::memrchr(b'(', &line[start..colon])?;
            let inside = line[open + 1..colon].strip_suffix(b")")?;
            let digits = inside.trim_ascii();
            if digits.is_empty() || !digits.iter().all(u8::is_ascii_digit) {
                return None;
            }
            let from = open + 1 + (inside.len() - inside.trim_ascii_start().len());
            pid = Some(from..from + digits.len());
            tag = start..open;
        }
        tag.end = tag.start + line[tag.clone()].trim_ascii_end().len();
        let message = colon + 1 + usize::from(line.get(colon + 1) == Some(&b' '));
        Some(Self { stamp, severity, level, tag, uid, pid, tid, message })
    }
}

fn skip(line: &[u8], mut at: usize) -> usize {
    while line.get(at) == Some(&b' ') {
        at += 1;
    }
    at
}
