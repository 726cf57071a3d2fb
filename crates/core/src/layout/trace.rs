//! Stack traces: which lines belong to one, and what it says of the error.
//!
//! The shapes are those of the common runtimes: frames that begin with `at`, `File "…", line`, `from`,
//! `#0`, a numbered frame with its place on the next line, goroutines, and the sentences that chain one
//! error to another.

use std::{borrow::Cow, ops::Range, sync::LazyLock};

use memchr::memmem::Finder;

use crate::entry::{Entry, Field, Value, first_line};

/// Names of fields that a stack trace gives.
const MADE_UP: [&str; 5] = ["caller", "error", "frame", "message", "type"];

/// Whether a stack trace may give an entry a field of this name that stands nowhere in it.
pub(super) fn makes_up(name: &str) -> bool {
    MADE_UP.contains(&name)
}

/// Lines that open or chain a stack trace at the margin.
const OPENINGS: [&[u8]; 24] = [
    b"> File \"",
    b"Caused by",
    b"caused by",
    b"Suppressed:",
    b"Traceback (most recent call last)",
    b"During handling of the above",
    b"The above exception was",
    b"... ",
    b"at ",
    b"stack backtrace:",
    b"Stack backtrace:",
    b"goroutine ",
    b"created by ",
    b"Stack trace:",
    b"[stacktrace]",
    b"PHP Stack trace:",
    b"#0 ",
    b"--- End of ",
    b" ---> ",
    b"note: run with `RUST_BACKTRACE",
    b"note: Some details are omitted",
    b"exit status ",
    b"\"}",
    b"Node.js v",
];

/// The bytes that an opening begins with: one look settles it for most lines.
const OPENS: [bool; 256] = {
    let mut opens = [false; 256];
    let mut at = 0;
    while at < OPENINGS.len() {
        opens[OPENINGS[at][0] as usize] = true;
        at += 1;
    }
    opens
};

/// Whether a line can only be the middle of something: it belongs to an entry above even if another
/// program's output stands in between.
pub(crate) fn is_trace(line: &[u8]) -> bool {
    match line.first() {
        None => true,
        Some(b' ' | b'\t' | b'}' | b']' | b')') => true,
        Some(b'#') => is_numbered(line),
        Some(b'/') => {
            memchr::memmem::find(line, b":in `").or(memchr::memmem::find(line, b":in '")).is_some()
        }
        Some(first) => {
            OPENS[usize::from(*first)] && OPENINGS.iter().any(|open| line.starts_with(open))
        }
    }
}

/// Where a line stands that no layout takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Place {
    /// It may be an entry of its own.
    Own,
    /// It belongs to the entry right above it, where there is one.
    Below,
    /// It can only be the middle of something.
    Middle,
}

impl Place {
    pub(crate) fn of(line: &[u8]) -> Self {
        if is_trace(line) {
            Self::Middle
        } else if is_continuation(line) {
            Self::Below
        } else {
            Self::Own
        }
    }
}

/// Whether a line looks like the continuation of the entry right above it: a line of a stack trace, or
/// the type and message of an error.
pub(crate) fn is_continuation(line: &[u8]) -> bool {
    is_trace(line)
        || names_an_error(line)
        || is_go_frame(line)
        || is_function(line)
        || is_boxed(line)
}

/// How far the stack trace of an entry has come, so that the head of another is told from a part of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Progress {
    /// No line of a trace yet.
    #[default]
    Before,
    /// An error has been named; frames may follow.
    Named,
    /// Frames that the error they lead to will follow.
    FramesFirst,
    /// Frames below their error.
    Frames,
    /// The error behind its frames.
    Ended,
    /// A sentence that ties the next error to this one.
    Chained,
}

impl Progress {
    /// Takes in a line that looks like a part of a trace. Says whether another trace begins with it.
    pub(crate) fn next(&mut self, line: &[u8]) -> bool {
        // These name the error they tie on, those have it below.
        const CAUSES: [&[u8]; 3] = [b"Caused by", b"caused by", b"Suppressed:"];
        const CHAINS: [&[u8]; 3] =
            [b"During handling of the above", b"The above exception was", b"--- End of "];
        let over = matches!(self, Self::Named | Self::Frames | Self::Ended);
        let (next, anew) = if line.starts_with(b"Traceback (most recent") {
            (Self::FramesFirst, over || *self == Self::FramesFirst)
        } else if CAUSES.iter().any(|cause| line.starts_with(cause)) {
            (Self::Named, false)
        } else if CHAINS.iter().any(|chain| line.starts_with(chain)) {
            (Self::Chained, false)
        } else if names_an_error(line) || is_raised(line) {
            match self {
                Self::FramesFirst => (Self::Ended, false),
                _ => (Self::Named, over),
            }
        } else if *self != Self::FramesFirst && frame_of(line.trim_ascii_start()).is_some() {
            (Self::Frames, false)
        } else {
            (*self, false)
        };
        *self = next;
        anew
    }
}

/// ``/srv/app.rb:3:in `hold': no such berth (KeyError)``: the innermost frame and its error.
fn is_raised(line: &[u8]) -> bool {
    line.first() == Some(&b'/')
        && line.last() == Some(&b')')
        && memchr::memmem::find(line, b":in ").is_some()
        && memchr::memmem::find(line, b"': ").is_some()
}

/// `#12 /srv/app.php(30): call()`
fn is_numbered(line: &[u8]) -> bool {
    let digits = line[1..].iter().take(4).take_while(|b| b.is_ascii_digit()).count();
    digits > 0 && line.get(1 + digits) == Some(&b' ')
}

/// A line of a drawn box that isn't its first: box-drawing characters are U+2500 to U+257F.
fn is_boxed(line: &[u8]) -> bool {
    const FIRST: [&[u8]; 4] = ["┌".as_bytes(), "╔".as_bytes(), "╭".as_bytes(), "┏".as_bytes()];
    matches!(line, [0xe2, 0x94 | 0x95, ..]) && !FIRST.iter().any(|first| line.starts_with(first))
}

/// `main.hold(0xc000, 0x1)`: a function with its arguments and nothing else.
fn is_go_frame(line: &[u8]) -> bool {
    line.last() == Some(&b')')
        && memchr::memchr(b'(', line).is_some_and(|open| {
            let name = &line[..open];
            name.contains(&b'.') && !name.contains(&b' ') && name[0].is_ascii_alphabetic()
        })
}

/// `ferries/fares.Lookup`: a function with its path and nothing else.
fn is_function(line: &[u8]) -> bool {
    let plain = |b: &u8| {
        b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'/' | b'-' | b'(' | b'*' | b')')
    };
    if !line[0].is_ascii_lowercase() || !line.iter().all(plain) {
        return false;
    }
    let name = line.rsplit(|b| *b == b'/').next().unwrap_or(line);
    memchr::memchr(b'.', name).is_some_and(|dot| dot > 0 && dot + 1 < name.len())
        && !name.ends_with(b".")
}

/// `java.lang.IllegalStateException: …`, `ValueError: …`: a type's name in mixed case, maybe with its
/// path, and nothing before it.
pub(crate) fn names_an_error(line: &[u8]) -> bool {
    let Some(end) = error_name(line) else { return false };
    let name = &line[..end];
    let last = name.rsplit(|b| matches!(b, b'.' | b':' | b'$' | b'\\')).next().unwrap_or(name);
    last.first().is_some_and(u8::is_ascii_uppercase)
        && last.iter().any(u8::is_ascii_lowercase)
        && (last.iter().filter(|b| b.is_ascii_uppercase()).count() >= 2 || ends_as_error(last))
}

fn ends_as_error(name: &[u8]) -> bool {
    [&b"Error"[..], b"Exception", b"Interrupt", b"Exit", b"Fault", b"Failure", b"Panic"]
        .iter()
        .any(|end| name.ends_with(end))
}

/// Where the name ends that a line begins with, a colon or the end of the line behind it.
fn error_name(line: &[u8]) -> Option<usize> {
    let end = line
        .iter()
        .position(|b| {
            !(b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$' | b':' | b'\\'))
        })
        .unwrap_or(line.len());
    let path = &line[..end];
    let name = path.strip_suffix(b":").unwrap_or(path);
    if name.is_empty() || (name.len() == path.len() && end < line.len()) {
        return None;
    }
    // `Error: E: …` has the name before its first lone colon.
    Some(name.len())
}

/// What a stack trace says.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Fault {
    pub(super) kind: Option<Range<usize>>,
    pub(super) message: Option<Range<usize>>,
    pub(super) frame: Option<Range<usize>>,
}

/// Reads the lines of a text that holds a stack trace. `None` where it has no frame.
pub(super) fn fault(text: &[u8]) -> Option<Fault> {
    let mut found = Fault::default();
    let mut frames: Vec<Range<usize>> = Vec::new();
    let (mut at, mut chained) = (0, false);
    // Runtimes that print the innermost frame last also print the error behind its frames.
    let mut inner_last = false;
    while at <= text.len() {
        let end = memchr::memchr(b'\n', &text[at..]).map_or(text.len(), |to| at + to);
        let line = crate::entry::trim_cr(&text[at..end]);
        let lead = line.len() - line.trim_ascii_start().len();
        let bare = &line[lead..];
        let place = |span: Range<usize>| at + lead + span.start..at + lead + span.end;
        if bare.starts_with(b"Traceback (most recent") {
            inner_last = true;
            frames.clear();
        } else if let Some(frame) = frame_of(bare) {
            if !chained || inner_last {
                frames.push(place(frame));
            }
        } else if bare.starts_with(b"Caused by") || bare.starts_with(b"caused by") {
            chained = true;
        } else if lead == 0 || found.kind.is_none() {
            let skip = thread_of(bare);
            let rest = &bare[skip..];
            if names_an_error(rest) && !chained && (found.kind.is_none() || inner_last) {
                let name = error_name(rest).unwrap_or(0);
                found.kind = Some(place(skip..skip + name));
                let from = (skip + name + 1).min(bare.len());
                let blank = usize::from(bare.get(from) == Some(&b' '));
                let message = from + blank..bare.len();
                found.message = (message.start < message.end).then(|| place(message));
            } else if bare.starts_with(b"thread '") && bare.ends_with(b":") {
                let next = first_line(text.get(end + 1..).unwrap_or_default()).0;
                found.kind = memchr::memmem::find(bare, b"panicked").map(|p| place(p..p + 8));
                found.message = Some(end + 1..end + 1 + next.len());
            } else if let Some(panic) = bare.strip_prefix(b"panic: ") {
                found.kind = Some(place(0..5));
                found.message = Some(place(bare.len() - panic.len()..bare.len()));
            }
        }
        if end == text.len() {
            break;
        }
        at = end + 1;
    }
    if frames.is_empty() {
        return None;
    }
    if inner_last {
        frames.reverse();
    }
    let own = frames.iter().find(|frame| is_own(&text[(*frame).clone()])).or(frames.first());
    found.frame = own.cloned();
    Some(found)
}

/// `Exception in thread "main" `: how much of a line stands before the error's name.
fn thread_of(line: &[u8]) -> usize {
    if line.starts_with(b"Exception in thread \"")
        && let Some(close) = memchr::memmem::find(line, b"\" ")
    {
        return close + 2;
    }
    for front in [&b"Unhandled exception. "[..], b"Uncaught ", b"PHP Fatal error:  Uncaught "] {
        if line.starts_with(front) {
            return front.len();
        }
    }
    0
}

/// The place that a frame names, within its trimmed line.
fn frame_of(line: &[u8]) -> Option<Range<usize>> {
    if let Some(rest) = line.strip_prefix(b"at ") {
        return (!rest.is_empty()).then_some(3..line.len());
    }
    let marked = if line.starts_with(b"> ") { 2 } else { 0 };
    if line[marked..].starts_with(b"File \"") && memchr::memmem::find(line, b", line ").is_some() {
        return Some(marked..line.len());
    }
    if let Some(rest) = line.strip_prefix(b"from ")
        && memchr::memchr(b':', rest).is_some()
    {
        return Some(5..line.len());
    }
    if line.first() == Some(&b'#') && is_numbered(line) {
        let start = memchr::memchr(b' ', line)? + 1;
        return Some(start..line.len());
    }
    // `12: crate::module::function`, `/srv/app/main.go:12 +0x1d`
    let digits = line.iter().take(4).take_while(|b| b.is_ascii_digit()).count();
    if digits > 0
        && line[digits..].starts_with(b": ")
        && memchr::memmem::find(line, b"::").is_some()
    {
        return Some(digits + 2..line.len());
    }
    if line.first() == Some(&b'/') {
        let place = line.split(|b| *b == b' ').next()?;
        let colon = memchr::memchr(b':', place)?;
        if place.get(colon + 1).is_some_and(u8::is_ascii_digit) {
            let digits = place[colon + 1..].iter().take_while(|b| b.is_ascii_digit()).count();
            return Some(0..colon + 1 + digits);
        }
    }
    None
}

/// Whether a frame is the program's own and not a library's or the runtime's.
fn is_own(frame: &[u8]) -> bool {
    const OTHERS: [&[u8]; 30] = [
        b"java.",
        b"javax.",
        b"jdk.",
        b"sun.",
        b"jakarta.",
        b"kotlin.",
        b"scala.",
        b"org.springframework",
        b"org.apache",
        b"io.netty",
        b"org.eclipse",
        b"org.hibernate",
        b"java.base/",
        b"site-packages",
        b"/lib/python",
        b"<frozen ",
        b"node:",
        b"node_modules",
        b"internal/",
        b"System.",
        b"Microsoft.",
        b"/usr/local/go/src",
        b"/rustc/",
        b"std::",
        b"core::",
        b"/gems/",
        b"/lib/ruby",
        b"/vendor/",
        b"/.cargo/",
        b"/usr/lib/go",
    ];
    !OTHERS.iter().any(|other| {
        if other.ends_with(b".")
            || other.ends_with(b"::")
            || other.starts_with(b"org")
            || other.starts_with(b"io.")
        {
            frame.starts_with(other)
        } else {
            memchr::memmem::find(frame, other).is_some()
        }
    })
}

/// Adds what the stack trace in an entry's lines from `from` on says of the error.
pub(super) fn describe(entry: &mut Entry<'_>, from: usize) {
    let raw = entry.raw;
    let Some(mut fault) = fault(&raw[from..]) else { return };
    let mut shift = from;
    let lines = memchr::memchr_iter(b'\n', &raw[from..]).count();
    if fault.kind.is_none()
        && lines < 3
        && let Some(frame) = &fault.frame
        && super::prefix::is_caller(&raw[frame.start + from..frame.end + from])
    {
        // Where the line was written, not where something went wrong.
        entry.take_bytes("caller", frame.start + from..frame.end + from);
        return;
    }
    if fault.kind.is_none() {
        // The error's name may stand in the message itself.
        let (line, _) = crate::entry::first_line(raw);
        let start = line.len().saturating_sub(entry.message.len());
        if entry.message.as_bytes() == &line[start..]
            && let Some(name) = error_in(&line[start..])
        {
            let rest = (name.end + 2).min(line.len() - start);
            let frame = fault.frame.take().map(|span| span.start + from..span.end + from);
            let moved = |span: Range<usize>| start + span.start..start + span.end;
            fault = Fault {
                kind: Some(moved(name)),
                message: (rest < line.len() - start).then(|| moved(rest..line.len() - start)),
                frame,
            };
            shift = 0;
        }
    }
    let mut members = Vec::new();
    for (name, span) in [("type", fault.kind), ("message", fault.message), ("frame", fault.frame)] {
        if let Some(span) = span {
            let span = span.start + shift..span.end + shift;
            let text = String::from_utf8_lossy(&raw[span.clone()]);
            members.push(Field::new(name, Value::Text(text), span));
        }
    }
    add(entry, members, from..raw.len());
}

/// Adds what a stack trace in a field's text says of the error, where the log doesn't say it itself.
pub(super) fn describe_field(entry: &mut Entry<'_>) {
    // A text of several lines is written with an escape, unless it was taken out of another text.
    static ESCAPED: LazyLock<Finder<'_>> = LazyLock::new(|| Finder::new("\\n"));
    if ESCAPED.find(entry.raw).is_none() {
        return;
    }
    if entry.fields.iter().any(|field| field.name == "error" || field.name.starts_with("error.")) {
        return;
    }
    let mut found = None;
    entry.leaves(&mut |_, field| {
        if found.is_none()
            && let Value::Text(text) = &field.value
            && text.contains('\n')
            && let Some(fault) = fault(text.as_bytes())
        {
            found = Some((fault, text.clone().into_owned(), field.span.clone()));
        }
    });
    let Some((fault, text, span)) = found else { return };
    let mut members = Vec::new();
    for (name, place) in [("type", fault.kind), ("message", fault.message), ("frame", fault.frame)]
    {
        if let Some(part) = place.and_then(|place| text.get(place)) {
            members.push(Field::new(name, Value::Text(Cow::Owned(part.to_owned())), span.clone()));
        }
    }
    add(entry, members, span);
}

fn add<'a>(entry: &mut Entry<'a>, members: Vec<Field<'a>>, span: Range<usize>) {
    if !members.is_empty() && !entry.fields.iter().any(|field| field.name == "error") {
        entry.fields.push(Field::new("error", Value::Map(members), span));
    }
}

/// The name of an error within a message: a word that ends as one and has a colon behind it.
fn error_in(message: &[u8]) -> Option<Range<usize>> {
    let mut at = 0;
    for word in message.split(|b| *b == b' ').take(24) {
        let bare = word.strip_suffix(b":").unwrap_or(word);
        let ends = bare.len() < word.len() || at + word.len() == message.len();
        if ends && names_an_error(word) {
            return Some(at..at + bare.len());
        }
        at += word.len() + 1;
    }
    None
}
