//! What a web framework prints of a request while one develops: `Started GET "/fares" for 127.0.0.1 at
//! 2026-03-14 06:41:02 +0000`, then who handles it and what it asks the database, and `Completed 200 OK in
//! 12ms` at the end. All of it is one entry, unless its lines are tagged with an id: then those of other requests stand
//! between them, and each is an entry of its own.

use std::ops::Range;

use super::{Continues, Dialect, Head, Layout, exchange, methods, prefix};
use crate::entry::{Entry, Severity, Stamp, first_line, ids};

pub(super) struct Started;

/// How the line begins, and what stands behind the path and behind the address.
const FRONT: &[u8] = b"Started ";
const FOR: &[u8] = b"\" for ";
const AT: &[u8] = b" at ";

impl Layout for Started {
    fn name(&self) -> &'static str {
        "started"
    }

    fn about(&self) -> &'static str {
        "what a web framework prints of a request"
    }

    fn sample(&self) -> &'static str {
        "Started GET \"/crossings\" for 10.7.0.12 at 2026-03-14 06:41:02 +0000"
    }

    fn first(&self, first: u8) -> bool {
        matches!(first, b'S' | b'[')
    }

    fn begins(&self, line: &[u8]) -> bool {
        let end = tags_end(line);
        let text = &line[end..];
        text.starts_with(FRONT) || end > 9 && says_more(text) || end > 18 && is_sentence(text)
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        if let Some((stamp, _)) = parts(line) {
            return Some(Head { stamp: Some(stamp), ..Head::default() });
        }
        let status = tagged(line)?.1;
        let severity = status.map(Severity::of_status);
        Some(Head { severity, derived: severity.is_some(), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut entry = Entry::empty(raw);
        let start = tags_end(line);
        entry.message = String::from_utf8_lossy(&line[start..]);
        for span in tags(line) {
            let name = if prefix::is_id(&line[span.clone()]) { "request_id" } else { "tag" };
            entry.take_bytes(name, span);
        }
        let Some((stamp, [method, path, remote])) = parts(line) else {
            let (told, status) = tagged(line)?;
            entry.severity = status.map(Severity::of_status);
            entry.level_derived = entry.severity.is_some();
            told.into_iter().for_each(|(name, span)| entry.take_bytes(name, span));
            if !rest.is_empty() {
                entry.body = Some(String::from_utf8_lossy(rest));
            }
            return Some(entry);
        };
        entry.stamp = Some(stamp);
        let (path, query) = super::access::target(line, &path);
        let named = [("method", Some(method)), ("path", Some(path)), ("query", query), ("remote", Some(remote))];
        for (name, span) in named {
            if let Some(span) = span {
                entry.take_bytes(name, span);
            }
        }
        if let Some(done) = memchr::memmem::rfind(raw, b"\nCompleted ") {
            completed(&mut entry, done + 11);
        }
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            super::trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// What a line says behind its tags, and the status in it; `None` where no tag is an id, or the line is none of those
/// that follow a request that was started.
fn tagged(line: &[u8]) -> Option<(exchange::Parts, Option<u16>)> {
    let start = tags_end(line);
    let text = &line[start..];
    // Words of any kind where the id is one beyond doubt.
    let fits = |tag: Range<usize>| match says_more(text) {
        true => prefix::is_id(&line[tag]),
        false => ids::has_id_form(&line[tag]) && is_sentence(text),
    };
    if !tags(line).any(fits) {
        return None;
    }
    let mut told = exchange::of(line, start..line.len());
    told.retain(|(name, _)| *name != "tag");
    let status = told.iter().find(|(name, _)| *name == "status");
    let status = status.and_then(|(_, span)| methods::status(&line[span.clone()]));
    Some((told, status))
}

/// Whether a text begins with a word that is neither a level nor a time.
fn is_sentence(text: &[u8]) -> bool {
    let length = text.iter().position(|b| matches!(b, b' ' | b':')).unwrap_or(text.len());
    text.first().is_some_and(u8::is_ascii_alphabetic)
        && Severity::from_word(&text[..length]).is_none()
        && Stamp::leading(text).is_none()
}

/// Whether a line goes on with a request that was started.
fn says_more(text: &[u8]) -> bool {
    const WORDS: [&[u8]; 9] = [
        b"Completed ", b"Processing by ", b"Redirected to ", b"Rendering ", b"Rendered ", b"Filter chain ", b"Sent file ",
        b"Sent data ", b"  ",
    ];
    WORDS.iter().any(|word| text.starts_with(word))
}

/// Takes `200 OK in 12ms` for status and duration.
fn completed(entry: &mut Entry<'_>, at: usize) {
    let (line, _) = first_line(&entry.raw[at..]);
    if !matches!(line, [b'1'..=b'5', b'0'..=b'9', b'0'..=b'9', b' ', ..]) {
        return;
    }
    entry.take_bytes("status", at..at + 3);
    if let Some(from) = memchr::memmem::find(line, b" in ").map(|found| found + 4) {
        let length = line[from..].iter().position(|b| *b == b' ').unwrap_or(line.len() - from);
        entry.take_bytes("took", at + from..at + from + length);
    }
}

/// The words in brackets before it: the id of the request, or whatever else it is tagged with.
fn tags(line: &[u8]) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        let inside = line.get(at..)?.strip_prefix(b"[")?;
        let close = memchr::memchr(b']', &inside[..inside.len().min(80)])?;
        let behind = inside.get(close + 1) == Some(&b' ');
        let span = at + 1..at + 1 + close;
        at = span.end + 2;
        behind.then_some(span)
    })
}

fn tags_end(line: &[u8]) -> usize {
    tags(line).last().map_or(0, |span| span.end + 2)
}

/// The time, and where method, path and address stand.
fn parts(line: &[u8]) -> Option<(Stamp, [Range<usize>; 3])> {
    let start = tags_end(line);
    let front = start + FRONT.len();
    let rest = line[start..].strip_prefix(FRONT)?;
    let method = rest.iter().take(8).take_while(|b| b.is_ascii_uppercase()).count();
    let path = front + method + 2;
    if method < 3 || line.get(path - 2..path) != Some(b" \"") {
        return None;
    }
    let end = path + memchr::memmem::find(&line[path..], FOR)?;
    let address = end + FOR.len();
    let address_end = address + memchr::memmem::find(&line[address..], AT)?;
    let (stamp, _) = Stamp::iso(line.get(address_end + AT.len()..)?)?;
    Some((stamp, [front..front + method, path..end, address..address_end]))
}
