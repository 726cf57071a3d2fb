//! Access logs: the common and the combined log format of web servers and proxies.
//!
//! `host ident user [time] "request" status bytes`, then in the combined form `"referer" "user agent"`,
//! then whatever an administrator added: `key=value` pairs, quoted texts, durations, ids. A virtual host
//! may stand before all of it, and proxies begin with the time: `[time] "request" status …`. The level is
//! worked out from the status.

use std::{borrow::Cow, ops::Range};

use super::{Dialect, Gist, Head, Layout, Name, Spot, Visit, gist::{Claim, Says}, pairs, Continues, is_dated, is_other};
use crate::entry::{Entry, Severity, Stamp, ids};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 28] = [
    "bytes", "bytes_received", "duration_ms", "extra", "flags", "forwarded_for", "host", "id",
    "client_port", "ident", "method", "path", "protocol", "proxies", "query", "referer", "remote", "request", "request_id",
    "request_time", "status", "took", "upstream", "upstream_ms", "upstream_time", "user",
    "user_agent", "vhost",
];

pub(super) struct Access;

pub(super) const NAME: &str = "access";

/// Takes the name and the place of a value.
pub(super) type Take<'v, 'l> = dyn FnMut(Cow<'l, str>, Range<usize>) + 'v;

impl Layout for Access {
    fn name(&self) -> &'static str {
        NAME
    }

    fn about(&self) -> &'static str {
        "the common and the combined log format, with a virtual host, durations, ids and pairs; a proxy's lines that begin with the time"
    }

    fn sample(&self) -> &'static str {
        "10.7.0.12 - - [14/Mar/2026:06:41:02 +0000] \"GET /crossings HTTP/1.1\" 200 512"
    }

    fn first(&self, first: u8) -> bool {
        first == b'[' || first.is_ascii_digit() || is_other(first)
    }

    fn begins(&self, line: &[u8]) -> bool {
        !is_dated(line)
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head {
            stamp: Some(parts.stamp),
            severity: Some(Severity::of_status(parts.code)),
            derived: true,
            ..Head::default()
        })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let line = crate::entry::first_line(raw).0;
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(parts.stamp);
        // `[` stands before the time, and `] "` behind it.
        let end = parts.request.start - 3;
        entry.stamp_at = memchr::memrchr(b'[', &line[..end]).map(|open| open + 1..end);
        entry.severity = Some(Severity::of_status(parts.code));
        entry.level_derived = true;
        entry.message_derived = true;
        let (method, path) = match parts.asked(line) {
            Some([method, path, _]) => (Some(method), path),
            None => (None, parts.request.clone()),
        };
        let text = |span: Range<usize>| String::from_utf8_lossy(&line[span]);
        entry.message = match method {
            Some(method) => format!("{} {} {}", text(method), text(path), parts.code).into(),
            None => format!("{} {}", text(path), parts.code).into(),
        };
        parts.each_value(line, &mut |name, span| entry.take_bytes(name, span));
        Some(entry)
    }

    fn values<'r>(&self, raw: &'r [u8], _: &Dialect, visit: &mut Visit<'_, 'r>) -> Option<()> {
        let line = crate::entry::first_line(raw).0;
        Parts::of(line)?.each_value(line, &mut |name, span| {
            visit(Name::of(&name), Some(Spot::plain(&line[span])));
        });
        Some(())
    }

    fn gist<'r>(&self, raw: &'r [u8], _: &Dialect) -> Option<Gist<'r>> {
        let line = crate::entry::first_line(raw).0;
        let parts = Parts::of(line)?;
        // A pair behind the request may keep a template, or name a logger.
        let behind = &line[parts.request.end..];
        if memchr::memchr2(b'{', b'%', behind).is_some() || names_a_logger(behind) {
            return None;
        }
        let [method, asked, _] = parts.asked(line)?;
        let text = |span: Range<usize>| String::from_utf8_lossy(&line[span]);
        let (path, _) = target(line, &asked);
        let (method, target, path) = (text(method), text(asked), text(path));
        let says = Says::Request { method, target, path, status: parts.code };
        Some(Gist { logger: None, says })
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

impl Parts {
    /// Method, path and protocol of a request that has the form of one; the protocol may be missing.
    fn asked(&self, line: &[u8]) -> Option<[Range<usize>; 3]> {
        let request = &line[self.request.clone()];
        let mut words = request.split(|b| *b == b' ');
        let (method, path) = (words.next()?, words.next()?);
        let protocol = words.next();
        if words.next().is_some() {
            return None;
        }
        let at = self.request.start;
        let path_at = at + method.len() + 1;
        let path_end = path_at + path.len();
        let end = self.request.end;
        let protocol = protocol.map_or(end..end, |_| path_end + 1..end);
        Some([at..at + method.len(), path_at..path_end, protocol])
    }

    /// Visits the values of a line with their names.
    fn each_value<'l>(&self, line: &'l [u8], visit: &mut Take<'_, 'l>) {
        let mut given = |name: &'static str, span: &Range<usize>| {
            if !span.is_empty() && line[span.clone()] != *b"-" {
                visit(name.into(), span.clone());
            }
        };
        given("vhost", &self.front.vhost);
        let host = &line[self.front.host.clone()];
        let colon = memchr::memrchr(b':', host).filter(|colon| {
            is_address(&host[..*colon]) && !host[..*colon].contains(&b':') && colon + 1 < host.len()
        });
        match colon.map(|colon| self.front.host.start + colon) {
            Some(colon) => {
                given("remote", &(self.front.host.start..colon));
                given("client_port", &(colon + 1..self.front.host.end));
            }
            None => given("remote", &self.front.host),
        }
        given("proxies", &self.front.chain);
        given("ident", &self.front.ident);
        given("user", &self.front.user);
        match self.asked(line) {
            Some([method, path, protocol]) => {
                visit("method".into(), method);
                let (target, query) = target(line, &path);
                visit("path".into(), target);
                if let Some(query) = query {
                    visit("query".into(), query);
                }
                // There may be one of no letters.
                if path.end < self.request.end {
                    visit("protocol".into(), protocol);
                }
            }
            None => visit("request".into(), self.request.clone()),
        }
        visit("status".into(), self.status.clone());
        if self.proxied {
            return proxied(line, self.status.end, visit);
        }
        if !self.bytes.is_empty() && line[self.bytes.clone()] != *b"-" {
            visit("bytes".into(), self.bytes.clone());
        }
        extras(line, self.bytes.end, visit);
    }
}

/// The head of a line of the common form, told by a few looks.
pub(super) fn usual(line: &[u8]) -> Option<Head> {
    // Host, ident and user; what else may stand before the bracket is left to the whole reading.
    let bracket = memchr::memchr(b'[', line.get(..line.len().min(96))?)?;
    let front = line[..bracket].strip_suffix(b" ")?;
    let host = front.iter().position(|b| *b == b' ').filter(|at| *at > 0)?;
    let ident = front[host + 1..].iter().position(|b| *b == b' ')?;
    if front[host - 1] == b',' || host + ident + 2 >= front.len() {
        return None;
    }
    let (stamp, taken) = Stamp::access(line.get(bracket + 1..)?)?;
    let rest = line.get(bracket + 1 + taken..)?.strip_prefix(b"] \"")?;
    let end = memchr::memchr2(b'"', b'\\', rest)?;
    let &[b'"', b' ', a @ b'0'..=b'9', b @ b'0'..=b'9', c @ b'0'..=b'9', b' ', ..] = &rest[end..]
    else {
        return None;
    };
    let code = [a, b, c].iter().fold(0u16, |sum, digit| sum * 10 + u16::from(digit - b'0'));
    let severity = Some(Severity::of_status(code));
    Some(Head { stamp: Some(stamp), severity, derived: true, ..Head::default() })
}

/// Whether a pair may stand in a text whose name is a logger's.
fn names_a_logger(text: &[u8]) -> bool {
    memchr::memchr_iter(b'=', text).any(|sign| {
        let length = text[..sign].iter().rev().take_while(|b| !b" \"|".contains(b)).count();
        Claim::of(&text[sign - length..sign]) == Claim::Logger
    })
}

/// Reads what stands behind the byte count.
pub(super) fn extras<'l>(line: &'l [u8], mut at: usize, visit: &mut Take<'_, 'l>) {
    let mut numbered = false;
    let mut names = ["referer", "user_agent"].into_iter();
    let mut times = ["request_time", "upstream_time"].into_iter();
    while at < line.len() {
        if matches!(line[at], b' ' | b'|') {
            at += 1;
        } else if line[at] == b'"' {
            let end = quote_end(line, at + 1).unwrap_or(line.len());
            let span = at + 1..end;
            at = (end + 1).min(line.len());
            let name = names.next().unwrap_or("extra");
            if line[span.clone()] != *b"-" {
                let name = loose(line, &mut numbered, name, &span, &mut times);
                visit(name.into(), span);
            }
        } else if let Some(pair) = pairs::pair(line, at) {
            at = pair.end;
            let name = String::from_utf8_lossy(&line[pair.name]);
            numbered |= name == "request_id";
            visit(name, pair.value);
        } else {
            let end = memchr::memchr(b' ', &line[at..]).map_or(line.len(), |to| at + to);
            let span = at..end;
            if line[span.clone()] != *b"-" {
                let name = loose(line, &mut numbered, "extra", &span, &mut times);
                visit(name.into(), span);
            }
            at = end;
        }
    }
}

/// The name that the form of an extra value suggests, else `name`. `numbered` says that the request has an id.
fn loose(
    line: &[u8],
    numbered: &mut bool,
    name: &'static str,
    span: &Range<usize>,
    times: &mut impl Iterator<Item = &'static str>,
) -> &'static str {
    let text = &line[span.clone()];
    if ids::has_id_form(text) {
        if std::mem::replace(numbered, true) { "id" } else { "request_id" }
    } else if name == "extra" && is_seconds(text) {
        times.next().unwrap_or(name)
    } else if name == "extra" && is_duration(text) {
        "took"
    } else {
        name
    }
}

/// `0.231`: seconds as servers log them.
fn is_seconds(text: &[u8]) -> bool {
    let dot = memchr::memchr(b'.', text);
    dot.is_some_and(|dot| dot > 0 && text.len() - dot >= 3)
        && text.iter().all(|b| b.is_ascii_digit() || *b == b'.')
        && memchr::memchr_iter(b'.', text).count() == 1
}

/// `231ms`, `1.2s`
pub(super) fn is_duration(text: &[u8]) -> bool {
    let digits = text.iter().take_while(|b| b.is_ascii_digit() || **b == b'.').count();
    digits > 0 && matches!(&text[digits..], b"ms" | b"s" | b"us" | b"\xc2\xb5s" | b"ns" | b"m")
}

/// What a proxy writes behind the status: flags, bytes received and sent, durations in milliseconds, then
/// quoted texts.
fn proxied<'l>(line: &'l [u8], mut at: usize, visit: &mut Take<'_, 'l>) {
    let mut plain = ["flags", "bytes_received", "bytes", "duration_ms", "upstream_ms"].into_iter();
    let mut quoted = ["forwarded_for", "user_agent", "request_id", "host", "upstream"].into_iter();
    while at < line.len() {
        if line[at] == b' ' {
            at += 1;
            continue;
        }
        let (span, name) = if line[at] == b'"' {
            let end = quote_end(line, at + 1).unwrap_or(line.len());
            (at + 1..end, quoted.next())
        } else {
            let end = memchr::memchr(b' ', &line[at..]).map_or(line.len(), |to| at + to);
            (at..end, plain.next())
        };
        at = (span.end + 1).min(line.len());
        if !span.is_empty() && line[span.clone()] != *b"-" {
            visit(name.unwrap_or("extra").into(), span);
        }
    }
}

/// What stands before the time, as places; empty where it is missing.
#[derive(Clone, Debug, Default)]
struct Front {
    vhost: Range<usize>,
    host: Range<usize>,
    /// The proxies behind the client.
    chain: Range<usize>,
    ident: Range<usize>,
    user: Range<usize>,
}

/// Where the fixed part of a line stands.
struct Parts {
    front: Front,
    stamp: Stamp,
    request: Range<usize>,
    status: Range<usize>,
    code: u16,
    bytes: Range<usize>,
    proxied: bool,
}

impl Parts {
    fn of(line: &[u8]) -> Option<Self> {
        // A date is no host.
        if line.get(4) == Some(&b'-') && line.get(7) == Some(&b'-') {
            return None;
        }
        // The bracket comes early; a user name with spaces in it is the longest thing before it.
        let bracket = memchr::memchr(b'[', line.get(..line.len().min(256))?)?;
        let proxied = bracket == 0;
        let (stamp, taken) = if proxied {
            // A server of a framework leaves out who asked.
            if let Some((stamp, taken)) = Stamp::access(&line[1..]) {
                return Self::behind(line, stamp, 1 + taken, Front::default(), false);
            }
            Stamp::iso(&line[1..])?
        } else {
            Stamp::access(&line[bracket + 1..]).or_else(|| Stamp::iso(&line[bracket + 1..]))?
        };
        let front = if proxied {
            Front::default()
        } else {
            Self::front(line, line[..bracket].strip_suffix(b" ")?)?
        };
        Self::behind(line, stamp, bracket + 1 + taken, front, proxied)
    }

    /// What stands behind the time, which ends at `at`.
    fn behind(
        line: &[u8],
        stamp: Stamp,
        at: usize,
        front: Front,
        proxied: bool,
    ) -> Option<Self> {
        let rest = line.get(at..)?.strip_prefix(b"] \"")?;
        let request = line.len() - rest.len();
        let request_end = quote_end(line, request)?;
        let status = request_end + 2;
        let digits = line.get(status..status + 3)?;
        if line[request_end + 1] != b' ' || !digits.iter().all(u8::is_ascii_digit) {
            return None;
        }
        let code = digits.iter().fold(0u16, |sum, digit| sum * 10 + u16::from(digit - b'0'));
        let bytes = match line.get(status + 3) {
            Some(b' ') => status + 4,
            None => line.len(),
            Some(_) => return None,
        };
        let bytes_end = memchr::memchr(b' ', &line[bytes..]).map_or(line.len(), |to| bytes + to);
        Some(Self {
            front,
            stamp,
            request: request..request_end,
            status: status..status + 3,
            code,
            bytes: bytes..bytes_end,
            proxied,
        })
    }

    /// Virtual host, host, ident and user before the bracket.
    fn front(line: &[u8], front: &[u8]) -> Option<Front> {
        let word = |at: usize| memchr::memchr(b' ', &front[at..]).map(|to| at + to);
        let first = word(0).filter(|end| *end > 0)?;
        let second = word(first + 1)?;
        if second + 1 >= front.len() {
            return None;
        }
        // A chain of proxies: the client first.
        if line[..first].ends_with(b",") {
            let last = front.windows(2).rposition(|pair| pair == b", ")? + 2;
            let host = word(last)?;
            let ident = word(host + 1)?;
            return Some(Front {
                host: 0..first - 1,
                chain: first + 1..host,
                ident: host + 1..ident,
                user: ident + 1..front.len(),
                ..Front::default()
            });
        }
        // Three words and a dash among the last two: the first is the virtual host.
        if let Some(third) = word(second + 1)
            && third + 1 < front.len()
            && line[second + 1..third] == *b"-"
            && line[first + 1..second] != *b"-"
            && is_address(&line[first + 1..second])
        {
            return Some(Front {
                vhost: 0..first,
                host: first + 1..second,
                ident: second + 1..third,
                user: third + 1..front.len(),
                ..Front::default()
            });
        }
        Some(Front {
            host: 0..first,
            ident: first + 1..second,
            user: second + 1..front.len(),
            ..Front::default()
        })
    }
}

/// The path and the query of what was asked for; the question mark is in neither.
pub(super) fn target(line: &[u8], span: &Range<usize>) -> (Range<usize>, Option<Range<usize>>) {
    match memchr::memchr(b'?', &line[span.clone()]).map(|at| span.start + at) {
        Some(at) => (span.start..at, (at + 1 < span.end).then(|| at + 1..span.end)),
        None => (span.clone(), None),
    }
}

pub(super) fn is_address(text: &[u8]) -> bool {
    text.iter().any(|b| matches!(b, b'.' | b':'))
        && text.iter().all(|b| b.is_ascii_hexdigit() || matches!(b, b'.' | b':'))
}

/// Where the quote that was opened before `at` closes; a backslash escapes.
fn quote_end(line: &[u8], mut at: usize) -> Option<usize> {
    loop {
        at += memchr::memchr2(b'"', b'\\', line.get(at..)?)?;
        if line[at] == b'"' {
            return Some(at);
        }
        at += 2;
    }
}
