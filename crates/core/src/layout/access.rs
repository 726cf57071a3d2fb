//! Access logs: the common and the combined log format of web servers and proxies.
//!
//! `host ident user [time] "request" status bytes`, then in the combined form `"referer" "user agent"`,
//! then whatever an administrator added: `key=value` pairs and quoted texts. The level is worked out
//! from the status.

use std::ops::Range;

use super::{Dialect, Head, Layout, pairs};
use crate::entry::{Entry, Severity, Stamp};

pub(super) struct Access;

pub(super) const NAME: &str = "access";

impl Layout for Access {
    fn name(&self) -> &'static str {
        NAME
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        Some(Head {
            stamp: Some(parts.stamp),
            severity: Some(Severity::of_status(parts.code)),
            derived: true,
            open: false,
        })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let line = crate::entry::first_line(raw).0;
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(parts.stamp);
        entry.severity = Some(Severity::of_status(parts.code));
        entry.level_derived = true;
        entry.message_derived = true;
        for (name, span) in
            [("remote", &parts.host), ("ident", &parts.ident), ("user", &parts.user)]
        {
            if line[span.clone()] != *b"-" {
                entry.take_bytes(name, span.clone());
            }
        }
        let request = &line[parts.request.clone()];
        let mut words = request.split(|b| *b == b' ');
        if let (Some(method), Some(path), protocol, None) =
            (words.next(), words.next(), words.next(), words.next())
        {
            let at = parts.request.start;
            let path_at = at + method.len() + 1;
            entry.take_bytes("method", at..at + method.len());
            entry.take_bytes("path", path_at..path_at + path.len());
            if protocol.is_some() {
                entry.take_bytes("protocol", path_at + path.len() + 1..parts.request.end);
            }
            entry.message = format!(
                "{} {} {}",
                String::from_utf8_lossy(method),
                String::from_utf8_lossy(path),
                parts.code
            )
            .into();
        } else {
            entry.take_bytes("request", parts.request.clone());
            entry.message = format!("{} {}", String::from_utf8_lossy(request), parts.code).into();
        }
        entry.take_bytes("status", parts.status.clone());
        if line[parts.bytes.clone()] != *b"-" {
            entry.take_bytes("bytes", parts.bytes.clone());
        }
        extras(line, parts.bytes.end, &mut entry);
        Some(entry)
    }
}

/// Reads what stands behind the byte count.
fn extras<'a>(line: &'a [u8], mut at: usize, entry: &mut Entry<'a>) {
    let mut names = ["referer", "user_agent"].into_iter();
    while at < line.len() {
        if line[at] == b' ' {
            at += 1;
        } else if line[at] == b'"' {
            let end = quote_end(line, at + 1).unwrap_or(line.len());
            let span = at + 1..end;
            at = (end + 1).min(line.len());
            let name = names.next().unwrap_or("extra");
            if line[span.clone()] != *b"-" {
                entry.take_bytes(name, span);
            }
        } else if let Some(pair) = pairs::pair(line, at) {
            at = pair.end;
            entry.take_bytes(String::from_utf8_lossy(&line[pair.name]), pair.value);
        } else {
            let end = memchr::memchr(b' ', &line[at..]).map_or(line.len(), |to| at + to);
            entry.take_bytes("extra", at..end);
            at = end;
        }
    }
}

/// Where the fixed part of a line stands.
struct Parts {
    host: Range<usize>,
    ident: Range<usize>,
    user: Range<usize>,
    stamp: Stamp,
    request: Range<usize>,
    status: Range<usize>,
    code: u16,
    bytes: Range<usize>,
}

impl Parts {
    fn of(line: &[u8]) -> Option<Self> {
        // The bracket comes early; a user name with spaces in it is the longest thing before it.
        let bracket = memchr::memchr(b'[', line.get(..line.len().min(256))?)?;
        let (stamp, taken) = Stamp::access(&line[bracket + 1..])?;
        let front = line[..bracket].strip_suffix(b" ")?;
        let host = memchr::memchr(b' ', front)?;
        let ident = host + 1 + memchr::memchr(b' ', &front[host + 1..])?;
        if host == 0 || ident + 1 >= front.len() {
            return None;
        }
        let at = bracket + 1 + taken;
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
            host: 0..host,
            ident: host + 1..ident,
            user: ident + 1..front.len(),
            stamp,
            request: request..request_end,
            status: status..status + 3,
            code,
            bytes: bytes..bytes_end,
        })
    }
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
