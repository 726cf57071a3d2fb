//! Labelled values set apart by tabs (LTSV, ltsv.org): `time:2026-03-14T06:41:02Z`, `level:info`, `msg:berth free`.
//!
//! A label is letters, digits and `_ . -`; a value is all up to the next tab.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, Name, Spot, Visit, is_other, trace};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, roles};

pub(super) struct Labelled;

/// Values that a line must have: fewer are prose with a tab in it.
const FEWEST: usize = 3;

impl Layout for Labelled {
    fn name(&self) -> &'static str {
        "labelled"
    }

    fn about(&self) -> &'static str {
        "`label:value`, set apart by tabs (LTSV)"
    }

    fn sample(&self) -> &'static str {
        "time:2026-03-14T06:41:02Z\tlevel:info\tmsg:berth free\tberth:3"
    }

    fn first(&self, first: u8) -> bool {
        is_other(first)
    }

    fn begins(&self, line: &[u8]) -> bool {
        memchr::memchr2(b':', b'\t', line).is_some_and(|at| at > 0 && line[at] == b':')
    }

    fn makes_up(&self, _: &str) -> bool {
        false
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let mut head = Head::default();
        let mut count = 0;
        let mut asked = Asked::default();
        for (label, value) in values(line) {
            let (label, value) = (&line[label?], &line[value]);
            count += 1;
            asked.look(label, value);
            match roles::role(label) {
                Role::Time if head.stamp.is_none() => head.stamp = stamp(value),
                Role::Level if head.severity.is_none() => {
                    head.severity = Severity::named(label, value);
                }
                _ => {}
            }
        }
        if head.severity.is_none() {
            head.severity = asked.severity();
            head.derived = head.severity.is_some();
        }
        (count >= FEWEST).then_some(head)
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut entry = Entry::empty(raw);
        let mut asked = Asked::default();
        for (label, value) in values(line) {
            let label = label?;
            asked.look(&line[label.clone()], &line[value.clone()]);
            let name = String::from_utf8_lossy(&line[label.clone()]);
            if value.is_empty() {
                entry.fields.push(Field::new(name, Value::Text("".into()), value));
                continue;
            }
            if roles::role(&line[label]) == Role::Time && entry.stamp.is_none() {
                // A server's time may stand in brackets.
                entry.stamp = stamp(&line[value.clone()]);
                let field = Field::new(
                    name,
                    Value::untyped(&line[value.clone()]),
                    value,
                );
                let role = if entry.stamp.is_some() { Role::Time } else { Role::Plain };
                entry.fields.push(Field { role, ..field });
                continue;
            }
            entry.take_bytes(name, value);
        }
        entry.settle();
        if entry.level_raw.is_none() {
            entry.severity = asked.severity();
            entry.level_derived = entry.severity.is_some();
        }
        if entry.message.is_empty()
            && let Some(message) = asked.message()
        {
            (entry.message, entry.message_derived) = (message.into(), true);
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn values<'r>(&self, raw: &'r [u8], _: &Dialect, visit: &mut Visit<'_, 'r>) -> Option<()> {
        let (line, rest) = first_line(raw);
        // A stack trace below may give it more.
        if !rest.is_empty() {
            return None;
        }
        for (label, value) in values(line) {
            let label = label?;
            let name = String::from_utf8_lossy(&line[label]);
            visit(Name::of(&name), Some(Spot::plain(&line[value])));
        }
        Some(())
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// What a server's line says of a request.
#[derive(Default)]
struct Asked<'l> {
    /// Method, path and protocol.
    request: Option<&'l [u8]>,
    method: Option<&'l [u8]>,
    path: Option<&'l [u8]>,
    status: Option<&'l [u8]>,
}

impl<'l> Asked<'l> {
    fn look(&mut self, label: &[u8], value: &'l [u8]) {
        let of = match label {
            b"req" | b"request" => &mut self.request,
            b"method" => &mut self.method,
            b"uri" | b"path" | b"url" => &mut self.path,
            b"status" => &mut self.status,
            _ => return,
        };
        *of = of.or(Some(value).filter(|value| !value.is_empty() && *value != b"-"));
    }

    /// The level of a request's status.
    fn severity(&self) -> Option<Severity> {
        self.request.or(self.path)?;
        let [a @ b'1'..=b'5', b @ b'0'..=b'9', c @ b'0'..=b'9'] = self.status? else { return None };
        let digit = |byte: &u8| u16::from(byte - b'0');
        Some(Severity::of_status(digit(a) * 100 + digit(b) * 10 + digit(c)))
    }

    /// Method, path and status.
    fn message(&self) -> Option<String> {
        let text = String::from_utf8_lossy;
        let asked = match (self.request, self.method, self.path) {
            (Some(request), ..) => {
                let request = text(request);
                request.rsplit_once(" HTTP/").map_or(&*request, |(asked, _)| asked).to_owned()
            }
            (None, Some(method), Some(path)) => format!("{} {}", text(method), text(path)),
            (None, _, path) => text(path?).into_owned(),
        };
        Some(self.status.map_or(asked.clone(), |status| format!("{asked} {}", text(status))))
    }
}

/// The labels and values of a line; no label where one is none.
fn values(line: &[u8]) -> impl Iterator<Item = (Option<Range<usize>>, Range<usize>)> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        let start = at;
        let rest = line.get(start..).filter(|rest| !rest.is_empty())?;
        let end = memchr::memchr(b'\t', rest).map_or(line.len(), |to| start + to);
        at = end + 1;
        let colon = memchr::memchr(b':', &line[start..end]).map_or(end, |to| start + to);
        let is_label = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-');
        let fits = colon > start && colon < end && line[start..colon].iter().all(is_label);
        Some((fits.then_some(start..colon), (colon + 1).min(end)..end))
    })
}

/// A time, maybe in brackets.
fn stamp(value: &[u8]) -> Option<Stamp> {
    let bare = value.strip_prefix(b"[").and_then(|value| value.strip_suffix(b"]")).unwrap_or(value);
    Stamp::read(bare).or_else(|| Some(Stamp::access(bare)?.0))
}
