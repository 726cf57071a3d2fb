//! What a web framework prints of a request while one develops: `Started GET "/fares" for 127.0.0.1 at
//! 2026-03-14 06:41:02 +0000`, then who handles it and what it asks the database, and `Completed 200 OK in
//! 12ms` at the end. All of it is one entry.

use super::{Continues, Dialect, Head, Layout};
use crate::entry::{Entry, Stamp, first_line};

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
        first == b'S'
    }

    fn begins(&self, line: &[u8]) -> bool {
        line.starts_with(b"Started ")
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let (stamp, _) = parts(line)?;
        Some(Head { stamp: Some(stamp), ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let (stamp, [method, path, remote]) = parts(line)?;
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(stamp);
        entry.message = String::from_utf8_lossy(line);
        for (name, span) in [("method", method), ("path", path), ("remote", remote)] {
            entry.take_bytes(name, span);
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

/// The time, and where method, path and address stand.
fn parts(line: &[u8]) -> Option<(Stamp, [std::ops::Range<usize>; 3])> {
    let rest = line.strip_prefix(FRONT)?;
    let method = rest.iter().take(8).take_while(|b| b.is_ascii_uppercase()).count();
    let path = FRONT.len() + method + 2;
    if method < 3 || line.get(path - 2..path) != Some(b" \"") {
        return None;
    }
    let end = path + memchr::memmem::find(&line[path..], FOR)?;
    let address = end + FOR.len();
    let address_end = address + memchr::memmem::find(&line[address..], AT)?;
    let (stamp, _) = Stamp::iso(line.get(address_end + AT.len()..)?)?;
    Some((stamp, [FRONT.len()..FRONT.len() + method, path..end, address..address_end]))
}
