//! Records of markup over several lines: what a platform's own logger writes to files, `<record>…</record>`, and the
//! `<…event …>` of its relatives.

use std::ops::Range;

use super::{Below, Continues, Dialect, Head, Layout, trace};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, roles};

pub(super) struct Markup;

impl Layout for Markup {
    fn name(&self) -> &'static str {
        "markup"
    }

    fn about(&self) -> &'static str {
        "records of markup over several lines: `<record>`, `<…event …>`"
    }

    fn sample(&self) -> &'static str {
        "<record>\n  <date>2026-03-14T06:41:02Z</date>\n  <level>INFO</level>\n  <message>berth free</message>\n</record>\n<record>"
    }

    fn first(&self, first: u8) -> bool {
        first == b'<'
    }

    fn begins(&self, line: &[u8]) -> bool {
        opens(line).is_some()
    }

    fn tears(&self) -> bool {
        true
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        opens(line)?;
        let (stamp, severity) = told(line);
        Some(Head { stamp, severity, gathers: !closes(line), ..Head::default() })
    }

    fn below(&self, line: &[u8]) -> Below {
        let (stamp, severity) = told(line);
        match closes(line) {
            true => Below::Last(stamp, severity),
            false => Below::Within(stamp, severity),
        }
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        opens(line)?;
        let mut entry = Entry::empty(raw);
        each(raw, &mut |name, value| {
            let name = String::from_utf8_lossy(&raw[name]);
            let bytes = &raw[value.clone()];
            let text = match memchr::memchr(b'&', bytes) {
                Some(_) => Value::Text(unescaped(&String::from_utf8_lossy(bytes)).into()),
                None => Value::untyped(bytes),
            };
            match roles::role(name.as_bytes()) {
                Role::Time if entry.stamp.is_some() => entry.fields.push(Field::new(name, text, value)),
                _ => entry.take(name, text, value),
            }
        });
        entry.settle();
        // All that is written stays below, as it is written.
        if !rest.is_empty() {
            let told = if line == b"<record>" { rest } else { raw };
            entry.body = Some(String::from_utf8_lossy(told));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn owns(&self, word: &str) -> bool {
        matches!(word, "record" | "event" | "log4j")
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// Where the name of the element ends that a record begins with.
fn opens(line: &[u8]) -> Option<usize> {
    let rest = line.strip_prefix(b"<")?;
    let length = rest.iter().take(24).position(|b| matches!(b, b' ' | b'>'))?;
    let name = rest[..length].rsplit(|b| *b == b':').next()?;
    let plain = name == b"record" && rest[length] == b'>';
    (plain || name.eq_ignore_ascii_case(b"event") && rest[length] == b' ').then_some(length + 1)
}

fn closes(line: &[u8]) -> bool {
    let Some(at) = memchr::memmem::rfind(line, b"</") else { return false };
    let name = line[at + 2..].strip_suffix(b">").unwrap_or_default();
    let name = name.rsplit(|b| *b == b':').next().unwrap_or_default();
    name == b"record" || name.eq_ignore_ascii_case(b"event")
}

/// What a line says of time and level.
fn told(line: &[u8]) -> (Option<Stamp>, Option<Severity>) {
    let (mut stamp, mut severity) = (None, None);
    each(line, &mut |name, value| {
        let (name, value) = (&line[name], &line[value]);
        match roles::role(name) {
            Role::Time => stamp = stamp.or_else(|| Stamp::read(value)),
            Role::Level => severity = severity.or_else(|| Severity::named(name, value)),
            _ => {}
        }
    });
    (stamp, severity)
}

/// Visits the attributes of elements and the texts of those that hold nothing else, with their names.
fn each(raw: &[u8], visit: &mut dyn FnMut(Range<usize>, Range<usize>)) {
    const CDATA: &[u8] = b"<![CDATA[";
    let mut at = 0;
    while let Some(open) = memchr::memchr(b'<', &raw[at..]) {
        let start = at + open + 1;
        let Some(close) = memchr::memchr(b'>', &raw[start..]).map(|to| start + to) else { return };
        at = close + 1;
        let inside = &raw[start..close];
        let length = inside.iter().position(u8::is_ascii_whitespace).unwrap_or(inside.len());
        if inside.starts_with(b"/") || inside.starts_with(b"!") || inside.starts_with(b"?") {
            continue;
        }
        attributes(raw, start + length..close, visit);
        let name = &inside[..length];
        let own = name.rsplit(|b| *b == b':').next().unwrap_or(name);
        let name = start + length - own.len()..start + length;
        let (from, end) = if raw[at..].starts_with(CDATA) {
            let from = at + CDATA.len();
            (from, memchr::memmem::find(&raw[from..], b"]]>").map(|to| from + to))
        } else {
            let end = memchr::memchr(b'<', &raw[at..]).map(|to| at + to);
            (at, end.filter(|end| raw[*end..].starts_with(b"</")))
        };
        if let Some(end) = end.filter(|end| *end > from) {
            visit(name, from..end);
            at = end;
        }
    }
}

/// `name="value"`, as often as it stands there.
fn attributes(raw: &[u8], span: Range<usize>, visit: &mut dyn FnMut(Range<usize>, Range<usize>)) {
    let mut at = span.start;
    while let Some(sign) = memchr::memmem::find(&raw[at..span.end], b"=\"") {
        let sign = at + sign;
        let name = raw[at..sign].iter().rev().take_while(|b| !b.is_ascii_whitespace()).count();
        let value = sign + 2;
        let Some(length) = memchr::memchr(b'"', &raw[value..span.end]) else { return };
        visit(sign - name..sign, value..value + length);
        at = value + length + 1;
    }
}

fn unescaped(text: &str) -> String {
    text.replace("&lt;", "<")
        .replace("&gt;", ">")
        .replace("&quot;", "\"")
        .replace("&apos;", "'")
        .replace("&amp;", "&")
}
