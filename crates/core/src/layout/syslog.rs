//! Syslog: RFC 5424 with structured data, RFC 3164 with and without its priority, and the latter with an
//! RFC 3339 time as system loggers write it to files.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, is_other, text, message};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 7] = [
    "app", "data", "host", "msgid", "pid", "priority", "program",
];

pub(super) struct Syslog;

impl Layout for Syslog {
    fn name(&self) -> &'static str {
        "syslog"
    }

    fn about(&self) -> &'static str {
        "RFC 5424 with structured data, RFC 3164 with and without its priority, and with an RFC 3339 time"
    }

    fn sample(&self) -> &'static str {
        "<34>1 2026-03-14T06:41:02.340Z pier-1.ferries.example.test deck 4417 - - berth free"
    }

    fn first(&self, first: u8) -> bool {
        first == b'<' || first.is_ascii_digit() || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name) || text::makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        // The version of the format.
        word == "1"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head { stamp: parts.stamp, severity: parts.severity(line), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        parts.fill(line, &mut entry);
        message::take(&mut entry, parts.message.clone());
        entry.severity = parts.severity(line);
        if entry.level_raw.is_none()
            && let Some((span, _)) = super::prefix::level_within(line, parts.message.start)
        {
            entry.level_raw = Some(String::from_utf8_lossy(&line[span]));
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            super::trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// Where the parts of a line stand.
#[derive(Debug, Default)]
pub(super) struct Parts {
    pub(super) stamp: Option<Stamp>,
    priority: Option<(u8, Range<usize>)>,
    host: Option<Range<usize>>,
    app: Option<Range<usize>>,
    pid: Option<Range<usize>>,
    msgid: Option<Range<usize>>,
    tid: Option<Range<usize>>,
    /// The level in front of the message.
    level: Option<(Range<usize>, Severity)>,
    /// Structured data, brackets included.
    data: Option<Range<usize>>,
    pub(super) message: Range<usize>,
}

impl Parts {
    pub(super) fn of(line: &[u8]) -> Option<Self> {
        let mut found = Self::default();
        let mut at = 0;
        if line.first()? == &b'<' {
            let close = memchr::memchr(b'>', line.get(..line.len().min(5))?)?;
            let digits = std::str::from_utf8(&line[1..close]).ok()?;
            let number: u8 = digits.parse().ok().filter(|number| *number < 192)?;
            found.priority = Some((number, 1..close));
            at = close + 1;
            if line.get(at..at + 2) == Some(b"1 ") {
                return found.rfc5424(line, at + 2);
            }
        }
        found.rfc3164(line, at)
    }

    /// `TIME HOST APP PID MSGID [DATA] MESSAGE`, a dash for what is missing.
    fn rfc5424(mut self, line: &[u8], mut at: usize) -> Option<Self> {
        let word = |at: &mut usize| {
            let length = memchr::memchr(b' ', line.get(*at..)?)?;
            let span = *at..*at + length;
            *at = span.end + 1;
            Some((line[span.clone()] != *b"-" && length > 0).then_some(span))
        };
        let time = word(&mut at)?;
        self.stamp = match time {
            Some(span) => Some(Stamp::read(&line[span])?),
            None => None,
        };
        self.host = word(&mut at)?;
        self.app = word(&mut at)?;
        self.pid = word(&mut at)?;
        self.msgid = word(&mut at)?;
        match line.get(at)? {
            b'-' => at += 1,
            b'[' => {
                let end = data_end(line, at)?;
                self.data = Some(at..end);
                at = end;
            }
            _ => return None,
        }
        at += usize::from(line.get(at) == Some(&b' '));
        if line.get(at..at + 3) == Some(b"\xef\xbb\xbf") {
            at += 3;
        }
        at += usize::from(line.get(at) == Some(&b' '));
        self.message = at.min(line.len())..line.len();
        Some(self)
    }

    /// `TIME HOST TAG[PID]: MESSAGE`
    fn rfc3164(mut self, line: &[u8], at: usize) -> Option<Self> {
        let rest = line.get(at..)?;
        let first = *rest.first()?;
        let iso = first.is_ascii_digit();
        if iso && rest.get(10) != Some(&b'T') || !iso && !first.is_ascii_uppercase() {
            return None;
        }
        // `Mar 14 06:41:02`: the zone and the year that other month-first forms have are missing.
        let (stamp, taken) = if iso { Stamp::iso(rest)? } else { Stamp::leading(rest)? };
        // `Sat 2026-03-14 06:41:02 UTC`, as the journal is printed.
        let printed = !iso && rest.get(3) == Some(&b' ') && rest.get(4).is_some_and(u8::is_ascii_digit);
        if !iso && !printed && stamp.missing != crate::entry::Missing::Year {
            return None;
        }
        self.stamp = Some(stamp);
        let host = at + taken + 1;
        if line.get(host - 1) != Some(&b' ') {
            return None;
        }
        let length = memchr::memchr(b' ', line.get(host..)?)?;
        let name = &line[host..host + length];
        let tag = host + length + 1;
        let plain = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'-' | b'_');
        if name.is_empty() {
            return None;
        }
        if !iso && let Some(served) = self.served(line, host) {
            return Some(served);
        }
        // Without a host the tag comes first.
        if !iso && let Some(message) = self.tag(line, host, false) {
            self.message = message;
            return Some(self.with_tag(line, host));
        }
        // A host, or an address of IPv6, whose parts colons set apart.
        let address = || {
            let digits = |b: &u8| b.is_ascii_hexdigit() || matches!(b, b':' | b'.');
            name.iter().filter(|b| **b == b':').count() > 1 && name.iter().all(digits)
        };
        if Severity::from_word(name).is_some() || !name.iter().all(plain) && !address() {
            return None;
        }
        match self.tag(line, tag, true) {
            Some(message) => {
                self.host = Some(host..host + length);
                self.message = message;
                Some(self.with_tag(line, tag))
            }
            // A message without a tag, as kernels and `-- MARK --` have it.
            None if self.priority.is_some() || (!iso && line.get(tag) == Some(&b'-')) => {
                self.host = Some(host..host + length);
                self.message = tag.min(line.len())..line.len();
                Some(self)
            }
            None if !iso && line[tag.min(line.len())..].starts_with(b"last message ") => {
                self.host = Some(host..host + length);
                self.message = tag..line.len();
                Some(self)
            }
            None => None,
        }
    }

    /// `unbound[28234:0] notice: …`: a program with its process and thread, and a level, without a host.
    fn served(&self, line: &[u8], at: usize) -> Option<Self> {
        let rest = line.get(at..)?;
        let open = memchr::memchr(b'[', rest.get(..rest.len().min(64))?)?;
        let close = open + memchr::memchr(b']', rest.get(open..rest.len().min(open + 24))?)?;
        let colon = open + memchr::memchr(b':', &rest[open..close])?;
        let digits = |span: Range<usize>| !span.is_empty() && rest[span].iter().all(u8::is_ascii_digit);
        let word = rest[close + 1..].strip_prefix(b" ")?;
        let length = memchr::memchr(b':', word.get(..word.len().min(12))?)?;
        let level = Severity::from_word(&word[..length]);
        let fits = digits(open + 1..colon) && digits(colon + 1..close) && super::prefix::is_name(&rest[..open]);
        let level = level.filter(|_| fits)?;
        let from = at + close + 2;
        let message = from + length + 1;
        let blank = usize::from(line.get(message) == Some(&b' '));
        Some(Self {
            stamp: self.stamp,
            app: Some(at..at + open),
            pid: Some(at + open + 1..at + colon),
            tid: Some(at + colon + 1..at + close),
            level: Some((from..from + length, level)),
            message: message + blank..line.len(),
            ..Self::default()
        })
    }

    /// Where the message begins behind the tag at `at`.
    fn tag(&self, line: &[u8], at: usize, hosted: bool) -> Option<Range<usize>> {
        let rest = line.get(at..)?;
        let name = rest.iter().take(64).position(|b| {
            !(b.is_ascii_alphanumeric()
                || matches!(b, b'.' | b'-' | b'_' | b'/' | b'@' | b'(' | b')'))
        })?;
        if name == 0 {
            return None;
        }
        let mut end = at + name;
        if line.get(end) == Some(&b'[') {
            let close = memchr::memchr(b']', line.get(end..(end + 24).min(line.len()))?)?;
            end += close + 1;
        }
        // Some write no colon behind the number of the process.
        let numbered = end > at + name && line[at + name + 1..end - 1].iter().all(u8::is_ascii_digit);
        if line.get(end) != Some(&b':') && !(numbered && hosted && line.get(end) == Some(&b' ')) {
            return None;
        }
        end += 1;
        end += usize::from(line.get(end) == Some(&b' '));
        Some(end..line.len())
    }

    fn with_tag(mut self, line: &[u8], at: usize) -> Self {
        let tag = &line[at..self.message.start];
        let open = memchr::memchr(b'[', tag);
        let colon = memchr::memrchr(b':', tag).unwrap_or(tag.trim_ascii_end().len());
        self.app = Some(at..at + open.unwrap_or(colon));
        self.pid = open.and_then(|open| {
            let close = memchr::memchr(b']', tag)?;
            Some(at + open + 1..at + close)
        });
        self
    }

    /// The bytes that tell the program and the process apart from others.
    pub(super) fn program<'l>(&self, line: &'l [u8]) -> &'l [u8] {
        match (&self.app, &self.pid) {
            (Some(app), Some(pid)) => &line[app.start.min(pid.end)..pid.end.max(app.end)],
            (Some(app), None) => &line[app.clone()],
            _ => &[],
        }
    }

    pub(super) fn severity(&self, line: &[u8]) -> Option<Severity> {
        if let Some((_, level)) = &self.level {
            return Some(*level);
        }
        match &self.priority {
            Some((number, _)) => Severity::of_syslog(number & 7),
            None => super::prefix::level_within(line, self.message.start).map(|(_, level)| level),
        }
    }

    /// Puts all but the message into an entry.
    pub(super) fn fill<'a>(&self, line: &'a [u8], entry: &mut Entry<'a>) {
        entry.stamp = self.stamp;
        if let Some((number, span)) = &self.priority {
            const NAMES: [&str; 8] =
                ["emerg", "alert", "crit", "err", "warning", "notice", "info", "debug"];
            entry.level_raw = Some(NAMES[usize::from(number & 7)].into());
            let text = String::from_utf8_lossy(&line[span.clone()]);
            entry.fields.push(Field::new("priority", Value::Number(text), span.clone()));
        }
        if let Some((span, _)) = &self.level {
            entry.level_raw = Some(String::from_utf8_lossy(&line[span.clone()]));
        }
        if let Some(app) = &self.app {
            entry.logger = Some(String::from_utf8_lossy(&line[app.clone()]));
        }
        let named =
            [("host", &self.host), ("pid", &self.pid), ("tid", &self.tid), ("msgid", &self.msgid)];
        for (name, span) in named {
            if let Some(span) = span {
                let value = Value::untyped(&line[span.clone()]);
                entry.fields.push(Field::new(name, value, span.clone()));
            }
        }
        if let Some(span) = &self.data {
            data(line, span.clone(), entry);
        }
    }
}

/// Where the structured data that begins at `at` ends.
fn data_end(line: &[u8], mut at: usize) -> Option<usize> {
    while line.get(at) == Some(&b'[') {
        let mut quoted = false;
        loop {
            at += 1;
            match line.get(at)? {
                b'\\' if quoted => at += 1,
                b'"' => quoted = !quoted,
                b']' if !quoted => break,
                _ => {}
            }
        }
        at += 1;
    }
    matches!(line.get(at), None | Some(b' ')).then_some(at)
}

/// `[id name="value" …][…]`: a map for each element; what has another form stays whole.
fn data<'a>(line: &'a [u8], span: Range<usize>, entry: &mut Entry<'a>) {
    match elements(line, span.clone()) {
        Some(elements) => entry.fields.extend(elements),
        None => entry.take_bytes("data", span),
    }
}

fn elements(line: &[u8], span: Range<usize>) -> Option<Vec<Field<'_>>> {
    let mut elements = Vec::new();
    let mut at = span.start;
    while at < span.end {
        let start = at + 1;
        let id_end = start
            + line[start..span.end].iter().position(|b| matches!(b, b' ' | b']')).unwrap_or(0);
        let mut members = Vec::new();
        at = id_end;
        while line.get(at) == Some(&b' ') {
            let name_at = at + 1;
            let rest = line.get(name_at..span.end).unwrap_or_default();
            let equals = memchr::memmem::find(rest, b"=\"")?;
            let name = &rest[..equals];
            if name.iter().any(|b| matches!(b, b' ' | b'"' | b']')) {
                return None;
            }
            let value_at = name_at + equals + 2;
            let mut end = value_at;
            while end < span.end && line[end] != b'"' {
                end += 1 + usize::from(line[end] == b'\\');
            }
            let end = end.min(span.end);
            let name = String::from_utf8_lossy(name);
            let written = &line[value_at.min(end)..end];
            let value = if written.contains(&b'\\') {
                let text = String::from_utf8_lossy(written);
                let text = text.replace("\\\"", "\"").replace("\\]", "]").replace("\\\\", "\\");
                Value::Text(text.into())
            } else {
                Value::untyped(written)
            };
            let mut field = Field::new(name, value, value_at.min(end)..end);
            if let Role::Id(kind) = crate::entry::roles::role(field.name.as_bytes()) {
                field.role = Role::Id(kind);
            }
            members.push(field);
            at = end + 1;
        }
        if line.get(at) != Some(&b']') || at >= span.end {
            return None;
        }
        let id = String::from_utf8_lossy(&line[start..id_end]);
        elements.push(Field::new(id, Value::Map(members), start..at));
        at += 1;
    }
    Some(elements)
}
