//! Requests and responses printed over several lines: a line that names the method and the URL or the
//! status, headers, a blank line, a body.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, access, is_other, json};
use crate::entry::{Entry, Field, Role, Value, first_line, roles};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 12] = [
    "body", "headers", "method", "path", "protocol", "query", "request", "response_body", "response_headers", "status",
    "url", "time",
];

/// Whether a request or a response that is printed may have a field of this name that stands nowhere in it.
pub(super) fn makes_up(name: &str) -> bool {
    MADE_UP.contains(&name)
}

/// A dump that stands by itself.
pub(super) struct Dump;

const METHODS: [&[u8]; 9] =
    [b"GET", b"POST", b"PUT", b"DELETE", b"PATCH", b"HEAD", b"OPTIONS", b"CONNECT", b"TRACE"];

impl Layout for Dump {
    fn name(&self) -> &'static str {
        "dump"
    }

    fn about(&self) -> &'static str {
        "requests and responses over several lines"
    }

    fn sample(&self) -> &'static str {
        "GET /crossings HTTP/1.1"
    }

    fn first(&self, first: u8) -> bool {
        first == b'<' || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        makes_up(name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let opening = opening(line)?;
        // Without a version it is a sentence as well as a request.
        opening.sure.then(|| Head { dump: true, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        opening(line)?;
        let mut entry = Entry::empty(raw);
        entry.message = String::from_utf8_lossy(line);
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
        }
        describe_from(&mut entry, 0);
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// What the first line of a dump says, as places in it.
struct Opening {
    method: Option<Range<usize>>,
    url: Option<Range<usize>>,
    status: Option<Range<usize>>,
    sure: bool,
}

/// Marks of direction that stand before every line of some dumps.
fn mark(line: &[u8]) -> usize {
    if matches!(line, b">" | b"<") {
        return 1;
    }
    [&b"--> "[..], b"<-- ", b"> ", b"< ", b">>> ", b"<<< "]
        .iter()
        .find(|mark| line.starts_with(mark))
        .map_or(0, |mark| mark.len())
}

fn opening(line: &[u8]) -> Option<Opening> {
    let at = mark(line);
    let rest = line.get(at..)?;
    let none = Opening { method: None, url: None, status: None, sure: false };
    if rest.starts_with(b"HTTP/") {
        let space = memchr::memchr(b' ', rest)? + 1;
        let digits = rest.get(space..space + 3)?;
        return digits.iter().all(u8::is_ascii_digit).then(|| Opening {
            status: Some(at + space..at + space + 3),
            sure: true,
            ..none
        });
    }
    if at > 0 && rest.len() > 4 && rest[..3].iter().all(u8::is_ascii_digit) && rest[3] == b' ' {
        return Some(Opening { status: Some(at..at + 3), sure: at > 2, ..none });
    }
    let length = memchr::memchr(b' ', rest.get(..rest.len().min(9))?)?;
    if !METHODS.contains(&&rest[..length]) {
        return None;
    }
    let url = length + 1;
    let end = rest[url..].iter().position(|b| *b == b' ').map_or(rest.len(), |to| url + to);
    let target = &rest[url..end];
    let fits = target.first() == Some(&b'/') || memchr::memmem::find(target, b"://").is_some();
    let version = rest.get(end..).unwrap_or_default();
    fits.then(|| Opening {
        method: Some(at..at + length),
        url: Some(at + url..at + end),
        sure: version.to_ascii_lowercase().starts_with(b" http/") || at > 2,
        ..none
    })
}

/// Whether a dump may open on a line: it names a protocol or a direction. A cheap look.
pub(super) fn may_open(line: &[u8]) -> bool {
    ends_with_protocol(line) || memchr::memchr2(b'<', b'>', line).is_some()
}

/// Whether a line ends with the version of a protocol.
pub(super) fn ends_with_protocol(line: &[u8]) -> bool {
    let end = &line[line.len().saturating_sub(9)..];
    end.contains(&b'/') && end.windows(5).any(|part| part.eq_ignore_ascii_case(b"http/"))
}

/// Whether a text opens a dump.
pub(super) fn opens(text: &[u8]) -> bool {
    opening(text).is_some_and(|found| found.sure)
}

/// Whether a line goes on with a dump: a header, a mark alone, the end of it, the answer to a request.
pub(crate) fn belongs_to_dump(line: &[u8]) -> bool {
    let bare = line.trim_ascii_start();
    let at = mark(bare);
    if at > 0 || matches!(bare, b">" | b"<" | b"-->" | b"<--") {
        return opening(bare).is_none_or(|found| found.method.is_none());
    }
    if bare.first() == Some(&b'{') || bare.first() == Some(&b'[') || bare.starts_with(b"* ") {
        return true;
    }
    // The ruler below it.
    if bare.len() > 7 && matches!(bare[0], b'-' | b'=' | b'*' | b'_' | b'#') && bare.iter().all(|b| *b == bare[0]) {
        return true;
    }
    memchr::memmem::find(bare, b": ").or(bare.strip_suffix(b":").map(<[u8]>::len)).is_some_and(
        |colon| super::prefix::is_name(&bare[..colon]) && !bare[..colon].contains(&b':'),
    )
}

/// Reads the dump that an entry's lines hold from `from` on, where they do; the first line of the dump
/// may be the entry's message.
pub(super) fn describe(entry: &mut Entry<'_>, from: usize) {
    let (line, _) = first_line(entry.raw);
    let message = line.len().saturating_sub(entry.message.len());
    if entry.message.as_bytes() == &line[message..] && opening(&line[message..]).is_some() {
        describe_from(entry, message);
        return;
    }
    if let Some(found) = opening(first_line(&entry.raw[from..]).0)
        && found.sure
    {
        describe_from(entry, from);
    }
}

fn describe_from(entry: &mut Entry<'_>, from: usize) {
    let raw = entry.raw;
    let mut at = from;
    let mut headers: Vec<Field<'_>> = Vec::new();
    let (mut begun, mut answer) = (false, false);
    while at < raw.len() {
        let end = memchr::memchr(b'\n', &raw[at..]).map_or(raw.len(), |to| at + to);
        let line = crate::entry::trim_cr(&raw[at..end]);
        let lead = at + line.len() - line.trim_ascii_start().len();
        let lead = lead + mark(&raw[lead..at + line.len()]);
        let text = &raw[lead..at + line.len()];
        if let Some(found) = opening(line.trim_ascii_start())
            && (found.sure || !begun)
        {
            // The response to a request that stands in the same dump.
            if begun && !answer && found.status.is_some() {
                answer = true;
                flush(entry, &mut headers, "headers", from..at);
            }
            begun = true;
            let shift = at + (line.len() - line.trim_ascii_start().len());
            // `/holds?berth=3` is a path with a query, `https://…` an address as a whole.
            let (path, query) = match found.url.clone().filter(|url| line_at(raw, shift, url).first() == Some(&b'/')) {
                Some(url) => {
                    let (path, query) = access::target(&raw[shift..], &url);
                    (Some(path), query)
                }
                None => (None, None),
            };
            let url = found.url.filter(|_| path.is_none());
            for (name, span) in [
                ("method", found.method),
                ("url", url),
                ("path", path),
                ("query", query),
                ("status", found.status),
            ] {
                let Some(span) = span else { continue };
                if !entry.fields.iter().any(|field| field.name == name) {
                    let span = span.start + shift..span.end + shift;
                    entry.fields.push(Field::new(name, Value::untyped(&raw[span.clone()]), span));
                }
            }
        } else if text.is_empty() {
            if begun && !headers.is_empty() {
                let body = (end + 1).min(raw.len())..raw.len();
                if !raw[body.clone()].trim_ascii().is_empty() {
                    // A response may follow the body of its request.
                    let next = next_opening(raw, body.start);
                    let body = body.start..next;
                    let text = without_end(raw[body.clone()].trim_ascii_end());
                    if !text.is_empty() {
                        let span = body.start..body.start + text.len();
                        let object = json::value_at(raw, span.clone()).map(|field| field.value);
                        let object = object.filter(|value| !value.children().is_empty());
                        let value = object.unwrap_or_else(|| Value::Text(String::from_utf8_lossy(text)));
                        let name = if answer { "response_body" } else { "body" };
                        entry.fields.push(Field::new(name, value, span));
                    }
                    at = next;
                    continue;
                }
            }
        } else if let Some(colon) = memchr::memmem::find(text, b": ")
            && super::prefix::is_name(&text[..colon])
        {
            let span = lead + colon + 2..at + line.len();
            let name = String::from_utf8_lossy(&text[..colon]);
            let mut field = Field::new(name, Value::untyped(&raw[span.clone()]), span);
            if let Role::Id(kind) = roles::role(field.name.as_bytes()) {
                field.role = Role::Id(kind);
            }
            headers.push(field);
        }
        at = end + 1;
    }
    if begun {
        let name = if answer { "response_headers" } else { "headers" };
        flush(entry, &mut headers, name, from..raw.len());
    }
}

/// Takes the headers that were gathered, if there are any, under a name.
fn flush<'a>(entry: &mut Entry<'a>, headers: &mut Vec<Field<'a>>, name: &'static str, span: Range<usize>) {
    if !headers.is_empty() {
        entry.fields.push(Field::new(name, Value::Map(std::mem::take(headers)), span));
    }
}

fn line_at<'r>(raw: &'r [u8], shift: usize, span: &Range<usize>) -> &'r [u8] {
    raw.get(span.start + shift..span.end + shift).unwrap_or_default()
}

/// A body without the line that says that it ends, and without marks alone.
fn without_end(body: &[u8]) -> &[u8] {
    let last = memchr::memrchr(b'\n', body).map_or(0, |at| at + 1);
    let line = &body[last..];
    let ends = line.starts_with(b"--> END") || line.starts_with(b"<-- END");
    if ends || matches!(line, b"<" | b">") { body[..last].trim_ascii_end() } else { body }
}

/// Where the next request or response begins, or the end.
fn next_opening(raw: &[u8], from: usize) -> usize {
    let mut at = from;
    while at < raw.len() {
        let end = memchr::memchr(b'\n', &raw[at..]).map_or(raw.len(), |to| at + to);
        if opening(&raw[at..end]).is_some_and(|found| found.sure) {
            return at;
        }
        at = end + 1;
    }
    raw.len()
}
