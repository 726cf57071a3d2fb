//! The last words of a program: an error that was not caught, as runtimes print it, with its stack trace.

use super::{Continues, Dialect, Head, Join, Layout, trace, is_other};
use crate::entry::{Entry, Level, first_line};

pub(super) struct Crash;

/// How runtimes begin them.
const OPENINGS: [&[u8]; 6] = [
    b"Exception in thread \"",
    b"Unhandled exception. ",
    b"Unhandled Exception: ",
    b"panic: ",
    b"fatal error: ",
    b"Uncaught ",
];

impl Layout for Crash {
    fn name(&self) -> &'static str {
        "crash"
    }

    fn about(&self) -> &'static str {
        "the last words of a program, with their stack trace"
    }

    fn sample(&self) -> &'static str {
        "panic: no berth left"
    }

    fn first(&self, first: u8) -> bool {
        first == b'/' || is_other(first)
    }

    fn makes_up(&self, _: &str) -> bool {
        false
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let thread = panics(line);
        // `/srv/gate.js:12` and the line of code on the next.
        let place =
            line.first() == Some(&b'/') && super::prefix::is_caller(line) && !line.contains(&b' ');
        let opens = place || thread || opens(line);
        let join = if place || thread && line.ends_with(b":") { Join::After } else { Join::No };
        opens.then(|| Head {
            severity: Some(Level::Fatal.floor()),
            derived: true,
            join,
            ..Head::default()
        })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let head = self.head(line, dialect)?;
        let mut entry = Entry::empty(raw);
        entry.message = String::from_utf8_lossy(line);
        entry.severity = head.severity;
        entry.level_derived = true;
        entry.body = (!rest.is_empty()).then(|| String::from_utf8_lossy(rest));
        trace::describe(&mut entry, 0);
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// Whether a line begins as the last words of a program do. A cheap look.
pub(super) fn opens(line: &[u8]) -> bool {
    match line.first() {
        Some(b'E' | b'U' | b'p' | b'f') => OPENINGS.iter().any(|opening| line.starts_with(opening)),
        Some(b't') => panics(line),
        _ => false,
    }
}

/// `thread 'main' panicked at src/main.rs:12:5:`, maybe with a number behind the name, and the message on the next
/// line.
fn panics(line: &[u8]) -> bool {
    let Some(name) = line.strip_prefix(b"thread '") else { return false };
    let at = memchr::memmem::find(name, b" panicked at ");
    at.is_some_and(|at| {
        let named = &name[..at];
        let number = named.strip_suffix(b")").and_then(|text| {
            let open = memchr::memrchr(b'(', text)?;
            text[open + 1..].iter().all(u8::is_ascii_digit).then_some(open)
        });
        number.map_or(named, |open| named[..open].trim_ascii_end()).ends_with(b"'")
    })
}
