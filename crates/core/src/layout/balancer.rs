//! What load balancers write of a request: a client with its port, a time, the parts of the way, counts and
//! durations, and the request in quotes near the end. Two orders are in common use: the time in brackets
//! behind the client, with the durations in one word set apart by slashes, and the time second, with the
//! durations in words of their own.

use std::ops::Range;

use super::{Dialect, Head, Layout, Continues, is_dated};
use crate::entry::{Entry, Level, Severity, Stamp, first_line};

/// Names of fields that a line has without saying them.
const MADE_UP: [&str; 45] = [
    "balancer", "backend", "bytes", "bytes_received", "captured", "cipher", "client", "client_port", "connection",
    "connections", "cookie_sent", "cookie_set", "domain", "duration_ms", "extra", "flags", "frontend", "host", "id",
    "method", "path", "protocol", "query", "queues", "referer", "remote", "request", "request_time", "response_time",
    "scheme", "server", "session", "state", "status", "target", "target_group", "target_status", "target_time",
    "timer", "timers", "tls", "trace_id", "url", "user_agent", "upstream",
];

pub(super) struct Balancer;

impl Layout for Balancer {
    fn name(&self) -> &'static str {
        "balancer"
    }

    fn about(&self) -> &'static str {
        "what load balancers write of a request, durations and the way it took"
    }

    fn sample(&self) -> &'static str {
        "https 2026-03-14T06:41:02.340000Z app/saltmarsh/50dc6c495c0c9188 10.7.0.12:2817 10.7.1.3:80 0.086 0.048 0.037 200 200 0 57 \"GET https://ferries.example.test:443/ HTTP/1.1\" \"kiosk/1.9\" - -"
    }

    fn first(&self, first: u8) -> bool {
        first.is_ascii_digit() || matches!(first, b'g' | b'h' | b'w')
    }

    fn begins(&self, line: &[u8]) -> bool {
        !is_dated(line)
    }

    fn tears(&self) -> bool {
        true
    }

    fn makes_up(&self, name: &str) -> bool {
        MADE_UP.contains(&name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let parts = Parts::of(line)?;
        let severity = parts.severity(line);
        Some(Head { stamp: Some(parts.stamp), severity, derived: true, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, _) = first_line(raw);
        let parts = Parts::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(parts.stamp);
        entry.severity = parts.severity(line);
        (entry.level_derived, entry.message_derived) = (true, true);
        for (name, span) in parts.named {
            if !matches!(&line[span.clone()], b"-" | b"" | b"----") {
                entry.take_bytes(name, span);
            }
        }
        let shown = |text| String::from_utf8_lossy(text);
        if parts.request.is_empty() {
            let told = |name: &str| entry.fields.iter().find(|f| f.name == name)?.value.text();
            let told: Vec<&str> =
                ["frontend", "backend", "server", "flags"].into_iter().filter_map(told).collect();
            entry.message = told.join(" ").into();
            return Some(entry);
        }
        let status = code(line, &parts.status);
        entry.take_bytes("status", parts.status);
        let request = &line[parts.request.clone()];
        let mut words = request.split(|b| *b == b' ');
        let (method, path) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
        let at = parts.request.start;
        let path_at = (at + method.len() + 1).min(parts.request.end);
        entry.take_bytes("method", at..at + method.len());
        let (target, query) = super::access::target(line, &(path_at..path_at + path.len()));
        entry.take_bytes("path", target);
        if let Some(query) = query {
            entry.take_bytes("query", query);
        }
        if words.next().is_some() {
            entry.take_bytes("protocol", path_at + path.len() + 1..parts.request.end);
        }
        entry.message = format!("{} {} {status}", shown(method), shown(path)).into();
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// Whether a line may be a balancer's.
pub(super) fn begins(line: &[u8]) -> bool {
    Parts::of(line).is_some()
}

/// Where the parts of a line stand.
struct Parts {
    stamp: Stamp,
    status: Range<usize>,
    request: Range<usize>,
    named: Vec<(&'static str, Range<usize>)>,
}

/// The words behind the time, in the order with brackets.
const BEHIND: [&str; 8] =
    ["frontend", "backend", "", "", "bytes", "cookie_sent", "cookie_set", "flags"];
/// The words behind the name of the balancer, in the other.
const COUNTED: [&str; 8] = [
    "target",
    "request_time",
    "target_time",
    "response_time",
    "",
    "target_status",
    "bytes_received",
    "bytes",
];

impl Parts {
    /// That of the status; of a connection, whether it ended as it should.
    fn severity(&self, line: &[u8]) -> Option<Severity> {
        if !self.request.is_empty() {
            return Some(Severity::of_status(code(line, &self.status)));
        }
        let (_, flags) = self.named.iter().find(|(name, _)| *name == "flags")?;
        let level = if line[flags.clone()] == *b"--" { Level::Info } else { Level::Warn };
        Some(level.floor())
    }

    fn of(line: &[u8]) -> Option<Self> {
        let first = memchr::memchr(b' ', line.get(..line.len().min(64))?)?;
        if line.get(first + 1) == Some(&b'[') && address(&line[..first]) {
            Self::bracketed(line, first)
        } else if matches!(&line[..first], b"http" | b"https" | b"h2" | b"grpcs" | b"ws" | b"wss") {
            Self::timed(line, first)
        } else {
            None
        }
    }

    /// `10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0/1/30/31 200 1240 - - ---- 1/1/0/0/0
    /// 0/0 "GET / HTTP/1.1"`
    fn bracketed(line: &[u8], first: usize) -> Option<Self> {
        let (stamp, taken) = Stamp::access(&line[first + 2..])?;
        let rest = first + 2 + taken;
        if line.get(rest..rest + 2)? != b"] " {
            return None;
        }
        if let Some(parts) = Self::connection(line, first, (stamp, rest + 2)) {
            return Some(parts);
        }
        let words = words(line, rest + 2, BEHIND.len())?;
        let timers = &line[words[2].clone()];
        let counted = |text: &[u8]| {
            text.iter().filter(|b| **b == b'/').count() == 4
                && text.iter().all(|b| b.is_ascii_digit() || matches!(b, b'/' | b'-' | b'+'))
        };
        if !is_status(&line[words[3].clone()]) || !counted(timers) {
            return None;
        }
        let request = quoted(line, words[7].end)?;
        let port = memchr::memrchr(b':', &line[..first])?;
        let mut named = vec![("remote", 0..port)];
        let port = ("client_port", port + 1..first);
        named.extend(BEHIND.into_iter().zip(words.clone()).filter(|(name, _)| !name.is_empty()));
        if let Some(slash) = memchr::memchr(b'/', &line[words[1].clone()]) {
            let backend = words[1].clone();
            named[2].1 = backend.start..backend.start + slash;
            named.push(("server", backend.start + slash + 1..backend.end));
        }
        let last = memchr::memrchr(b'/', timers)? + 1;
        let behind = words[7].end + 1;
        let mut names = ["connections", "queues"].into_iter();
        for span in words_between(line, behind..request.start.saturating_sub(1)) {
            named.push((names.next().unwrap_or("captured"), span));
        }
        named.push(("timers", words[2].clone()));
        named.push(("duration_ms", words[2].start + last..words[2].end));
        named.push(port);
        Some(Self { stamp, status: words[3].clone(), request, named })
    }

    /// `10.7.2.10:51234 [14/Mar/2026:06:41:02.340] front back/gate-1 0/0/5007 212 -- 0/0/0/0/3 0/0`: a connection that
    /// carried no request.
    fn connection(line: &[u8], first: usize, (stamp, at): (Stamp, usize)) -> Option<Self> {
        const NAMES: [&str; 7] = ["frontend", "", "timers", "bytes", "flags", "connections", "queues"];
        let mut words = words_between(line, at..line.len());
        let found: Vec<Range<usize>> = words.by_ref().take(NAMES.len()).collect();
        let of = |text: &[u8], parts: usize| {
            text.split(|b| *b == b'/').count() == parts
                && text.iter().all(|b| b.is_ascii_digit() || matches!(b, b'/' | b'-' | b'+'))
        };
        let fits = found.len() == NAMES.len()
            && words.next().is_none()
            && of(&line[found[2].clone()], 3)
            && of(&line[found[5].clone()], 5)
            && of(&line[found[6].clone()], 2);
        let port = memchr::memrchr(b':', &line[..first]).filter(|_| fits)?;
        let mut named = vec![("remote", 0..port), ("client_port", port + 1..first)];
        named.extend(NAMES.into_iter().zip(found.clone()).filter(|(name, _)| !name.is_empty()));
        let slash = memchr::memchr(b'/', &line[found[1].clone()])?;
        named.push(("backend", found[1].start..found[1].start + slash));
        named.push(("server", found[1].start + slash + 1..found[1].end));
        let last = memchr::memrchr(b'/', &line[found[2].clone()])? + 1;
        named.push(("duration_ms", found[2].start + last..found[2].end));
        Some(Self { stamp, status: 0..0, request: 0..0, named })
    }

    /// `https 2026-03-14T06:41:02.340123Z gate-lb 10.7.2.10:51234 10.0.0.5:80 0.001 0.012 0.000 200 200 34
    /// 366 "GET https://… HTTP/1.1" "agent"`
    fn timed(line: &[u8], first: usize) -> Option<Self> {
        let (stamp, taken) = Stamp::iso(line.get(first + 1..)?)?;
        let rest = first + 1 + taken;
        if line.get(rest) != Some(&b' ') {
            return None;
        }
        let front = words(line, rest + 1, 2)?;
        let words = words(line, front[1].end + 1, COUNTED.len())?;
        let client = &line[front[1].clone()];
        if !is_status(&line[words[4].clone()]) || !address(client) {
            return None;
        }
        let request = quoted(line, words[7].end)?;
        let port = front[1].start + memchr::memrchr(b':', client)?;
        let mut named = vec![
            ("scheme", 0..first),
            ("balancer", front[0].clone()),
            ("remote", front[1].start..port),
            ("client_port", port + 1..front[1].end),
        ];
        named.extend(COUNTED.into_iter().zip(words.clone()).filter(|(name, _)| !name.is_empty()));
        let mut at = request.end + 1;
        if let Some(agent) = quoted(line, at) {
            at = agent.end + 1;
            named.push(("user_agent", agent));
        }
        let mut names = ["cipher", "tls", "target_group", "trace_id", "domain"].into_iter();
        for span in words_between(line, at..line.len()) {
            let name = names.next().unwrap_or("extra");
            // `Root=1-…`: the id is behind the sign.
            let sign = memchr::memchr(b'=', &line[span.clone()]).filter(|_| name == "trace_id");
            let from = sign.map_or(span.start, |sign| span.start + sign + 1);
            named.push((name, from..span.end));
        }
        Some(Self { stamp, status: words[4].clone(), request, named })
    }
}

/// So many words from `at` on, a blank between them.
fn words(line: &[u8], mut at: usize, count: usize) -> Option<Vec<Range<usize>>> {
    let mut found = Vec::with_capacity(count);
    for _ in 0..count {
        let rest = line.get(at..)?;
        let length = memchr::memchr(b' ', rest)?;
        if length == 0 || rest[0] == b'"' {
            return None;
        }
        found.push(at..at + length);
        at += length + 1;
    }
    Some(found)
}

/// The words in a range, quotes around them left out.
fn words_between(line: &[u8], span: Range<usize>) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = span.start;
    std::iter::from_fn(move || {
        while line[..span.end].get(at) == Some(&b' ') {
            at += 1;
        }
        let rest = line.get(at..span.end).filter(|rest| !rest.is_empty())?;
        let (start, end) = match rest[0] {
            b'"' => (at + 1, memchr::memchr(b'"', &rest[1..]).map_or(span.end, |to| at + 1 + to)),
            _ => (at, memchr::memchr(b' ', rest).map_or(span.end, |to| at + to)),
        };
        at = end + 1;
        Some(start..end)
    })
}

/// What stands in the next quotes.
fn quoted(line: &[u8], at: usize) -> Option<Range<usize>> {
    let start = at + memchr::memchr(b'"', line.get(at..)?)? + 1;
    let end = start + memchr::memchr(b'"', line.get(start..)?)?;
    Some(start..end)
}

/// An address with its port.
fn address(text: &[u8]) -> bool {
    memchr::memrchr(b':', text).is_some_and(|colon| {
        let port = &text[colon + 1..];
        super::access::is_address(text.get(..colon).unwrap_or_default())
            && !port.is_empty()
            && port.iter().all(u8::is_ascii_digit)
    })
}

fn is_status(text: &[u8]) -> bool {
    matches!(text, [b'1'..=b'5', b'0'..=b'9', b'0'..=b'9'])
}

fn code(line: &[u8], status: &Range<usize>) -> u16 {
    line[status.clone()].iter().fold(0, |sum, digit| sum * 10 + u16::from(digit - b'0'))
}
