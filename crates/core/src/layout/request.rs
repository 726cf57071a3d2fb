//! Requests that stand in other orders than those of access logs: a proxy's own lines, short lines of development
//! servers, and requests within the message of an entry. Their parts have the same names everywhere.

use std::ops::Range;

use super::{
    Continues, Dialect, Head, Layout, access, exchange, methods::{method, status}, trace,
};
use crate::entry::{Entry, Severity, Stamp, first_line};

/// Names of fields that a line has without saying them.
const NAMES: [&str; 24] = [
    "pid",
    "tag",
    "url",
    "bytes", "cache", "client_port", "content_type", "duration_ms", "extra", "handling", "id", "method", "path",
    "protocol", "query", "referer", "remote", "request", "request_id", "status", "took", "upstream", "user",
    "user_agent",
];

/// What an application server begins its line of a request with.
const GENERATED: &[u8] = b"[pid: ";
/// Words before the time or the request.
const FRONT: usize = 6;
/// Bytes within which a request begins.
const REACH: usize = 256;

pub(super) struct Request;

impl Layout for Request {
    fn name(&self) -> &'static str {
        "request"
    }

    fn about(&self) -> &'static str {
        "requests in other orders: a proxy's own lines, an address and a time without brackets, the short lines of development servers"
    }

    fn sample(&self) -> &'static str {
        "1773470462.340    123 10.7.0.12 TCP_MISS/200 1234 GET http://fares.example.test/ - DIRECT/10.7.0.20 text/html"
    }

    fn first(&self, first: u8) -> bool {
        first.is_ascii_hexdigit() || first.is_ascii_uppercase() || matches!(first, b':' | b' ' | b'[')
    }

    fn begins(&self, line: &[u8]) -> bool {
        let front = &line[..line.len().min(64)];
        match line.first() {
            Some(b' ') => arrow(line).is_some(),
            Some(b'[') => line.starts_with(GENERATED),
            // An address, or seconds since 1970: a date, whose time has a fraction as a rule, is neither.
            Some(b'0'..=b'9') if opens_with_date(line) => false,
            Some(b'0'..=b'9') if front.contains(&b'.') => true,
            // An address of IPv6.
            Some(b'0'..=b'9' | b'a'..=b'f' | b':') => {
                front.iter().take_while(|b| **b != b' ').filter(|b| **b == b':').count() > 1
            }
            _ => method(line).is_some(),
        }
    }

    fn tears(&self) -> bool {
        true
    }

    fn makes_up(&self, name: &str) -> bool {
        makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        matches!(word, "ms" | "in" | "xxx" | "pid" | "generated" | "bytes")
            // The bytes and their unit.
            || word.strip_suffix('b').is_some_and(|n| n.bytes().all(|b| b.is_ascii_digit()))
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let asked = Asked::of(line)?;
        let severity = asked.code(line).map(Severity::of_status);
        let stamp = asked.stamp.map(|(stamp, _)| stamp);
        Some(Head { stamp, severity, derived: severity.is_some(), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let asked = Asked::of(line)?;
        let mut entry = Entry::empty(raw);
        entry.severity = asked.code(line).map(Severity::of_status);
        entry.level_derived = entry.severity.is_some();
        if let Some((stamp, span)) = &asked.stamp {
            (entry.stamp, entry.stamp_at) = (Some(*stamp), Some(span.clone()));
        }
        for (name, span) in &asked.parts {
            entry.take_bytes(*name, span.clone());
        }
        let told = ["method", "path", "status"].into_iter().filter_map(|name| {
            let (_, span) = asked.parts.iter().find(|(known, _)| *known == name)?;
            Some(String::from_utf8_lossy(&line[span.clone()]))
        });
        let told: Vec<_> = told.collect();
        (entry.message, entry.message_derived) = match asked.note {
            Some(note) => (String::from_utf8_lossy(&line[note]), false),
            None => (told.join(" ").into(), true),
        };
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// `2026-03-14`: no address and no number of seconds.
fn opens_with_date(line: &[u8]) -> bool {
    line.get(4) == Some(&b'-')
        && line.get(7) == Some(&b'-')
        && [0, 1, 2, 3, 5, 6].iter().all(|at| line[*at].is_ascii_digit())
}

/// Whether an entry with a request in its message may have a field of this name that stands nowhere in it.
pub(super) fn makes_up(name: &str) -> bool {
    NAMES.contains(&name)
}

/// What a line says of a request: names and places in the order of the line.
#[derive(Debug, Default)]
struct Asked {
    stamp: Option<(Stamp, Range<usize>)>,
    parts: Vec<(&'static str, Range<usize>)>,
    /// The message, where there is one.
    note: Option<Range<usize>>,
}

impl Asked {
    fn of(line: &[u8]) -> Option<Self> {
        match line.first()? {
            b'0'..=b'9' | b'a'..=b'f' | b':' => {
                Self::cached(line)
                    .or_else(|| Self::timed(line))
                    .or_else(|| Self::bare(line))
                    .or_else(|| Self::noted(line))
            }
            b'[' => Self::generated(line),
            b' ' => {
                let at = arrow(line)?;
                let mut asked = Self::default();
                let whole = at..line.len();
                let end = short(line, whole.clone(), &mut |name, span| asked.parts.push((name, span)));
                if let Some(end) = end {
                    asked.parts.extend(words(line, end..line.len()).map(|span| ("extra", span)));
                } else {
                    // What comes in has a method and a path.
                    let length = method(&line[at..])?;
                    let mut words = words(line, at + length..line.len());
                    let path = words.next().filter(|_| words.next().is_none())?;
                    target(line, at, length, path.end, &mut |name, span| asked.parts.push((name, span)));
                }
                Some(asked)
            }
            _ => {
                let mut asked = Self::default();
                let end =
                    short(line, 0..line.len(), &mut |name, span| asked.parts.push((name, span)))?;
                asked.parts.extend(words(line, end..line.len()).map(|span| ("extra", span)));
                Some(asked)
            }
        }
    }

    fn code(&self, line: &[u8]) -> Option<u16> {
        let (_, span) = self.parts.iter().find(|(name, _)| *name == "status")?;
        status(&line[span.clone()])
    }

    /// `EPOCH MILLISECONDS ADDRESS CODE/STATUS BYTES METHOD URL USER PEER TYPE`
    fn cached(line: &[u8]) -> Option<Self> {
        let mut words = words(line, 0..line.len());
        let time = words.next()?;
        let stamp = Stamp::epoch(&line[time.clone()])?;
        let digits = |span: &Range<usize>| line[span.clone()].iter().all(u8::is_ascii_digit);
        let took = words.next().filter(digits)?;
        let remote = words.next().filter(|span| access::is_address(&line[span.clone()]))?;
        let code = words.next()?;
        let slash = code.start + memchr::memchr(b'/', &line[code.clone()])?;
        status(&line[slash + 1..code.end]).or_else(|| (line[slash + 1..code.end] == *b"000").then_some(0))?;
        let mut parts = vec![
            ("duration_ms", took),
            ("remote", remote),
            ("cache", code.start..slash),
            ("status", slash + 1..code.end),
            ("bytes", words.next().filter(digits)?),
            ("method", words.next()?),
        ];
        let (path, query) = access::target(line, &words.next()?);
        parts.push(("path", path));
        parts.extend(query.map(|query| ("query", query)));
        let mut names = ["user", "upstream", "content_type"].into_iter();
        for span in words.filter(|span| line[span.clone()] != *b"-" || !span.is_empty()) {
            let name = names.next().unwrap_or("extra");
            if line[span.clone()] != *b"-" {
                parts.push((name, span));
            }
        }
        Some(Self { stamp: Some((stamp, time)), parts, note: None })
    }

    /// `ADDRESS - - [TIME] code 404, message …`: what a server notes beside its requests.
    fn noted(line: &[u8]) -> Option<Self> {
        let mut words = words(line, 0..line.len());
        let remote = words.next().filter(|span| access::is_address(&line[span.clone()]))?;
        for _ in 0..2 {
            words.next().filter(|span| line[span.clone()] == *b"-")?;
        }
        let open = words.next()?.start;
        let (stamp, taken) = Stamp::access(line.get(open + 1..).filter(|_| line[open] == b'[')?)?;
        let time = open + 1..open + 1 + taken;
        let text = line.get(time.end..)?.strip_prefix(b"] ")?;
        let from = line.len() - text.len();
        let code = text.strip_prefix(b"code ")?.get(..3)?;
        status(code)?;
        let mut asked = Self { stamp: Some((stamp, time)), ..Self::default() };
        asked.parts.extend([("remote", remote), ("status", from + 5..from + 8)]);
        asked.note = Some(from..line.len());
        Some(asked)
    }

    /// `[pid: 7|app: 0|req: 1/3] ADDRESS () {…} [TIME] METHOD PATH => generated 2 bytes in 0 msecs (PROTOCOL STATUS) …`
    fn generated(line: &[u8]) -> Option<Self> {
        let close = memchr::memchr(b']', line.get(..line.len().min(80))?)?;
        let front = line.get(GENERATED.len()..close)?;
        let pid = front.iter().take_while(|b| b.is_ascii_digit()).count();
        let mut parts = vec![("pid", GENERATED.len()..GENERATED.len() + pid)];
        parts.push(("extra", GENERATED.len() + pid..close));
        let mut words_behind = words(line, close + 1..line.len());
        let remote = words_behind.next().filter(|span| access::is_address(&line[span.clone()]))?;
        let open = remote.end + memchr::memchr(b'[', &line[remote.end..])?;
        parts.push(("extra", remote.end..open));
        parts.push(("remote", remote));
        let (stamp, taken) = Stamp::leading(line.get(open + 1..)?)?;
        let time = open + 1..open + 1 + taken;
        let start = time.end + 2;
        let length = method(line.get(start..)?)?;
        if !line.get(time.end..)?.starts_with(b"] ") {
            return None;
        }
        let arrow = start + memchr::memmem::find(&line[start..], b" => generated ")?;
        target(line, start, length, arrow, &mut |name, span| parts.push((name, span)));
        let bytes = arrow + 14;
        let digits = line[bytes..].iter().take_while(|b| b.is_ascii_digit()).count();
        parts.push(("bytes", bytes..bytes + digits));
        let mut rest = bytes + digits;
        if let Some(in_time) = line[rest..].strip_prefix(b" bytes in ") {
            let from = line.len() - in_time.len();
            let end = from + memchr::memmem::find(in_time, b" (")?;
            parts.push(("took", from..end));
            rest = end + 2;
            let close = rest + memchr::memchr(b')', &line[rest..])?;
            let blank = rest + memchr::memchr(b' ', &line[rest..close])?;
            parts.push(("protocol", rest..blank));
            parts.push(("status", blank + 1..close));
            status(&line[blank + 1..close])?;
            rest = close + 1;
        }
        parts.push(("extra", rest..line.len()));
        parts.retain(|(_, span)| line[span.clone()].iter().any(u8::is_ascii_alphanumeric));
        Some(Self { stamp: Some((stamp, time)), parts, note: None })
    }

    /// `ADDRESS - USER METHOD PATH PROTOCOL STATUS BYTES - 3.716 ms`, a request without quotes.
    fn bare(line: &[u8]) -> Option<Self> {
        let mut words = words(line, 0..line.len());
        let remote = words.next().filter(|span| access::is_address(&line[span.clone()]))?;
        let mut asked = Self { parts: vec![("remote", remote)], ..Self::default() };
        let user = words.next()?;
        if line[user.clone()] != *b"-" {
            asked.parts.push(("user", user.clone()));
        }
        let at = words.next()?.start;
        let end = short(line, at..line.len(), &mut |name, span| asked.parts.push((name, span)))?;
        line[end..].trim_ascii().is_empty().then_some(asked)
    }

    /// `ADDRESS … TIME "METHOD PATH PROTOCOL" STATUS BYTES …`, with a time that has no brackets.
    fn timed(line: &[u8]) -> Option<Self> {
        let first = words(line, 0..line.len()).next()?;
        if !access::is_address(&line[first.clone()]) {
            return None;
        }
        let mut asked = Self { parts: vec![("remote", first.clone())], ..Self::default() };
        let mut names = ["cache", "handling"].into_iter();
        let mut at = first.end;
        for _ in 0..FRONT {
            at += line[at..].iter().take_while(|b| **b == b' ').count();
            let rest = line.get(at..)?;
            if rest.first()? == &b'"' {
                break;
            }
            let time = Stamp::access(rest).or_else(|| Stamp::iso(rest));
            if let Some((stamp, taken)) = time.filter(|_| asked.stamp.is_none()) {
                asked.stamp = Some((stamp, at..at + taken));
                at += taken;
                continue;
            }
            let length = memchr::memchr(b' ', rest)?;
            if rest[..length] != *b"-" {
                asked.parts.push((names.next().unwrap_or("extra"), at..at + length));
            }
            at += length;
        }
        asked.stamp.as_ref()?;
        let end = quoted(line, at, &mut |name, span| asked.parts.push((name, span)))?;
        access::extras(line, end, &mut |name, span| {
            let known = NAMES.iter().find(|known| **known == name);
            asked.parts.push((known.unwrap_or(&"extra"), span));
        });
        Some(asked)
    }
}

/// Takes the name and the place of a part.
type Take<'v> = dyn FnMut(&'static str, Range<usize>) + 'v;

/// Visits the parts of a request that a message tells of, in one of the forms of servers.
///
/// `10.7.0.12:5000 - "GET /fares HTTP/1.1" 200 OK`, `"GET /fares HTTP/1.1" 200 12`, `GET /fares 200 2.339 ms - 3`,
/// or an address and all that stands behind it in an access log.
pub(super) fn each_in_message(line: &[u8], span: Range<usize>, visit: &mut Take<'_>) {
    let line = &line[..span.end];
    let text = &line[span.clone()];
    if let Some(found) = answered(line, span.clone()) {
        return found.into_iter().for_each(|(name, span)| visit(name, span));
    }
    if method(text).is_some() {
        let mut found = Vec::new();
        if short(line, span.clone(), &mut |name, span| found.push((name, span))).is_none() {
            found = exchange::of(line, span);
        }
        return found.into_iter().for_each(|(name, span)| visit(name, span));
    }
    let Some(quote) = opens(text).map(|at| span.start + at) else {
        return exchange::of(line, span).into_iter().for_each(|(name, span)| visit(name, span));
    };
    let mut found = Vec::new();
    if quoted(line, quote, &mut |name, span| found.push((name, span))).is_none() {
        return;
    }
    // Nothing but an address and dashes stands before it, or a bracketed time.
    let mut remote = Vec::new();
    let bracket = memchr::memchr(b'[', &line[span.start..quote]).map(|at| span.start + at);
    for word in words(line, span.start..bracket.unwrap_or(quote)) {
        let text = &line[word.clone()];
        let (host, port) = match memchr::memrchr(b':', text).filter(|colon| is_port(&text[colon + 1..])) {
            Some(colon) => (word.start..word.start + colon, Some(word.start + colon + 1..word.end)),
            None => (word.clone(), None),
        };
        if remote.is_empty() && access::is_address(&line[host.clone()]) {
            remote.push(("remote", host));
            remote.extend(port.map(|port| ("client_port", port)));
        } else if text != b"-" {
            if remote.len() != 1 || bracket.is_none() {
                return;
            }
            remote.push(("user", word));
        }
    }
    let end = found.iter().map(|(_, span)| span.end).max().unwrap_or(line.len());
    remote.into_iter().chain(found).for_each(|(name, span)| visit(name, span));
    // `… - "referer" "agent"`
    let rest = &line[end..];
    let dash = if rest.starts_with(b" -") { 2 } else { 0 };
    if rest[dash..].starts_with(b" \"") {
        access::extras(line, end + dash, &mut |name, span| {
            let known = NAMES.iter().find(|known| **known == name);
            visit(known.unwrap_or(&"extra"), span);
        });
    }
}

/// What an answer tells whose status comes first: `200 GET /fares (10.7.0.12) 1.03ms`,
/// `10.7.0.12:5000 [404]: GET /fares`.
fn answered(line: &[u8], span: Range<usize>) -> Option<Vec<(&'static str, Range<usize>)>> {
    let mut words = words(line, span);
    let first = words.next()?;
    let mut found = Vec::new();
    let code = if status(&line[first.clone()]).is_some() {
        first
    } else {
        let colon = first.start + memchr::memrchr(b':', &line[first.clone()])?;
        let host = first.start..colon;
        let fits = is_port(&line[colon + 1..first.end]) && access::is_address(&line[host.clone()]);
        let code = words.next().filter(|_| fits)?;
        let inside = line[code.clone()].strip_prefix(b"[")?.strip_suffix(b"]:")?;
        found.extend([("remote", host), ("client_port", colon + 1..first.end)]);
        code.start + 1..code.start + 1 + inside.len()
    };
    status(&line[code.clone()])?;
    found.push(("status", code));
    let asked = words.next()?;
    let path = words.next()?;
    let length = method(&line[asked.start..path.end]).filter(|length| *length == asked.len())?;
    target(line, asked.start, length, path.end, &mut |name, span| found.push((name, span)));
    if let Some(remote) = words.next()
        && line[remote.clone()].first() == Some(&b'(')
        && line[remote.clone()].last() == Some(&b')')
    {
        found.push(("remote", remote.start + 1..remote.end - 1));
        found.extend(words.next().filter(|span| access::is_duration(&line[span.clone()])).map(|span| ("took", span)));
    }
    Some(found)
}

/// Where a request may begin in a message: at its beginning, or in quotes.
pub(super) fn opens(text: &[u8]) -> Option<usize> {
    if method(text).is_some() {
        return Some(0);
    }
    // A status, or an address and a status, may stand before it.
    let front = &text[..text.len().min(80)];
    if matches!(front.first(), Some(b'0'..=b'9' | b'a'..=b'f' | b':' | b'['))
        && let Some(at) = memchr::memchr_iter(b' ', front).take(2).find(|at| method(&text[at + 1..]).is_some())
        && answered(text, 0..text.len()).is_some()
    {
        return Some(at + 1);
    }
    let front = &text[..text.len().min(REACH)];
    memchr::memchr_iter(b'"', front).find(|at| method(&text[at + 1..]).is_some())
}

/// Where the request begins behind the sign of its direction: `  --> GET /fares 200 3ms 2b`.
fn arrow(line: &[u8]) -> Option<usize> {
    let rest = line.strip_prefix(b"  ")?;
    let known = [&b"<-- "[..], b"--> ", b"xxx "].iter().any(|sign| rest.starts_with(sign));
    (known && method(&rest[4..]).is_some()).then_some(6)
}

fn is_port(text: &[u8]) -> bool {
    (1..=5).contains(&text.len()) && text.iter().all(u8::is_ascii_digit)
}

/// The request in the quotes that open at `at`, with status and bytes behind it; where it ends.
fn quoted(line: &[u8], at: usize, visit: &mut Take<'_>) -> Option<usize> {
    let start = at + 1;
    let length = method(line.get(start..)?).filter(|_| line[at] == b'"')?;
    let close = start + memchr::memchr(b'"', &line[start..])?;
    let code = close + 2;
    let digits = line.get(code..code + 3).filter(|_| line[close + 1] == b' ')?;
    status(digits)?;
    if line.get(code + 3).is_some_and(|b| !matches!(b, b' ' | b',')) {
        return None;
    }
    target(line, start, length, close, visit);
    visit("status", code..code + 3);
    let from = (code + 4).min(line.len());
    let bytes = line[from..].iter().take_while(|b| b.is_ascii_digit()).count();
    let ends = matches!(line.get(from + bytes), None | Some(b' ' | b','));
    if bytes > 0 && ends {
        visit("bytes", from..from + bytes);
        return Some(from + bytes);
    }
    // A dash for no bytes.
    let dash = usize::from(line.get(from) == Some(&b'-'));
    Some(from + dash)
}

/// Method, path, query and protocol of a request that ends at `end`.
fn target(line: &[u8], start: usize, method: usize, end: usize, visit: &mut Take<'_>) {
    visit("method", start..start + method);
    let from = start + method + 1;
    let to = memchr::memchr(b' ', &line[from..end]).map_or(end, |at| from + at);
    let (path, query) = access::target(line, &(from..to));
    visit("path", path);
    if let Some(query) = query {
        visit("query", query);
    }
    if to < end {
        visit("protocol", to + 1..end);
    }
}

/// `GET /fares 200 2.339 ms - 3`, `GET /fares 200 in 12ms`: where it ends.
fn short(line: &[u8], span: Range<usize>, visit: &mut Take<'_>) -> Option<usize> {
    let length = method(&line[span.clone()])?;
    let mut words = words(line, span.start + length..span.end);
    let mut path = words.next()?;
    let mut code = words.next()?;
    if line[code.clone()].starts_with(b"HTTP/") {
        path.end = code.end;
        code = words.next()?;
    }
    status(&line[code.clone()])?;
    let mut next = words.next()?;
    let digits = |span: &Range<usize>| line[span.clone()].iter().all(u8::is_ascii_digit);
    // `200 2 - 3.716 ms`
    let mut rest = words.clone();
    if let (Some(dash), Some(took), Some(unit), None) = (rest.next(), rest.next(), rest.next(), rest.next())
        && (digits(&next) || line[next.clone()] == *b"-")
        && line[dash] == *b"-"
        && line[unit.clone()] == *b"ms"
    {
        target(line, span.start, length, path.end, visit);
        visit("status", code);
        if digits(&next) {
            visit("bytes", next);
        }
        visit("took", took.start..unit.end);
        return Some(unit.end);
    }
    if line[next.clone()] == *b"in" {
        next = words.next()?;
    }
    let text = &line[next.clone()];
    let number = |text: &[u8]| {
        text.first().is_some_and(u8::is_ascii_digit)
            && text.iter().all(|b| b.is_ascii_digit() || *b == b'.')
    };
    let took = if number(text) {
        let unit = words.next()?;
        matches!(&line[unit.clone()], b"ms" | b"s").then_some(next.start..unit.end)?
    } else if access::is_duration(text) {
        next
    } else {
        return None;
    };
    target(line, span.start, length, path.end, visit);
    visit("status", code);
    let end = took.end;
    visit("took", took);
    match (words.next(), words.next()) {
        // `3ms 2b`
        (Some(bytes), None)
            if line[bytes.clone()].strip_suffix(b"b").is_some_and(|number| {
                !number.is_empty() && number.iter().all(u8::is_ascii_digit)
            }) =>
        {
            visit("bytes", bytes.start..bytes.end - 1);
            Some(bytes.end)
        }
        (Some(dash), Some(bytes))
            if line[dash.clone()] == *b"-" && line[bytes.clone()].iter().all(u8::is_ascii_digit) =>
        {
            visit("bytes", bytes.clone());
            Some(bytes.end)
        }
        _ => Some(end),
    }
}

/// The words in a range, blanks between them.
fn words(line: &[u8], span: Range<usize>) -> impl Iterator<Item = Range<usize>> + Clone + '_ {
    let mut at = span.start;
    std::iter::from_fn(move || {
        let rest = line.get(at..span.end)?;
        let start = at + rest.iter().position(|b| *b != b' ')?;
        let length = line[start..span.end].iter().position(|b| *b == b' ');
        at = length.map_or(span.end, |length| start + length);
        Some(start..at)
    })
}
