//! What the items of a prefix look like.

use std::ops::Range;

use crate::entry::{Severity, ids};

/// Items before the message.
pub(super) const ITEMS: usize = 12;

/// What a database writes behind an error in place of a level.
pub(super) const PARTS: [&[u8]; 6] =
    [b"DETAIL", b"HINT", b"STATEMENT", b"CONTEXT", b"QUERY", b"LOCATION"];

/// Whether nothing but pairs stands before a level.
pub(super) fn pairs_until_level(text: &[u8]) -> bool {
    for word in text.split(|b| *b == b' ').take(ITEMS) {
        if !word.contains(&b'=') {
            let word = word.strip_suffix(b":").unwrap_or(word);
            if let Some(word) = word.strip_prefix(b"[").and_then(|word| word.strip_suffix(b"]")) {
                return word.len() > 1 && Severity::from_word(word).is_some();
            }
            return is_upper(word) && Severity::from_word(word).is_some();
        }
    }
    false
}

/// `MY-010931`: the code of a message.
pub(in crate::layout) fn is_code(text: &[u8]) -> bool {
    let letters = text.iter().take_while(|b| b.is_ascii_uppercase()).count();
    letters >= 2
        && text.get(letters) == Some(&b'-')
        && text.len() > letters + 3
        && text[letters + 1..].iter().all(u8::is_ascii_digit)
}

/// Eight and more hexadecimal digits.
pub(in crate::layout) fn is_hexadecimal(text: &[u8]) -> bool {
    (8..=64).contains(&text.len()) && text.iter().all(u8::is_ascii_hexdigit)
}

/// The same with letters and digits, which may stand alone; an id of the usual forms; `req-5d1a`.
pub(in crate::layout) fn is_id(text: &[u8]) -> bool {
    let mixed = || text.iter().any(u8::is_ascii_digit) && text.iter().any(u8::is_ascii_alphabetic);
    ids::has_id_form(text) || is_hexadecimal(text) && mixed() || is_trace(text) || is_request(text)
}

/// `4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7`: the ids of a trace and of a span.
pub(in crate::layout) fn is_trace(text: &[u8]) -> bool {
    text.len() == 49
        && text[32] == b'-'
        && text.iter().enumerate().all(|(at, b)| at == 32 || b.is_ascii_hexdigit())
}

/// `req-5d1a`
pub(in crate::layout) fn is_request(text: &[u8]) -> bool {
    text.strip_prefix(b"req-").or_else(|| text.strip_prefix(b"req_")).is_some_and(|id| {
        id.len() >= 4
            && id.iter().any(u8::is_ascii_digit)
            && id.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_'))
    })
}

/// `Thread:0`, `worker:12`
pub(super) fn is_numbered_thread(text: &[u8]) -> bool {
    let Some(colon) = memchr::memchr(b':', text) else { return false };
    let (name, number) = (&text[..colon], &text[colon + 1..]);
    let known = [&b"thread"[..], b"worker", b"pool", b"task", b"fiber"];
    known.iter().any(|known| name.eq_ignore_ascii_case(known))
        && !number.is_empty()
        && number.iter().all(u8::is_ascii_digit)
}

/// `0.123s`: seconds since the start.
pub(in crate::layout) fn is_uptime(text: &[u8]) -> bool {
    text.strip_suffix(b"s").is_some_and(|number| {
        memchr::memchr(b'.', number).is_some()
            && number.iter().all(|b| b.is_ascii_digit() || *b == b'.')
    })
}

/// `myid:1`: a small pair with a colon.
pub(in crate::layout) fn is_label(text: &[u8]) -> bool {
    memchr::memchr(b':', text).is_some_and(|colon| {
        colon > 0
            && text[..colon].iter().all(u8::is_ascii_lowercase)
            && colon + 1 < text.len()
            && text[colon + 1..].iter().all(u8::is_ascii_digit)
    })
}

/// A type's name without a path.
pub(super) fn is_type(text: &[u8]) -> bool {
    text.len() > 2
        && text[0].is_ascii_uppercase()
        && text.iter().all(u8::is_ascii_alphanumeric)
        && text.iter().any(u8::is_ascii_lowercase)
}

/// The class in `booking.Application:88`, where it is no file.
pub(super) fn class_of(text: &[u8]) -> Option<usize> {
    let colon = memchr::memrchr(b':', text)?;
    let last = text[..colon].rsplit(|b| *b == b'.').next()?;
    (last.len() < colon && last.first()?.is_ascii_uppercase()).then_some(colon)
}

/// Levels in the first words of a message: in upper case, in brackets, or as the value of a pair.
pub(in crate::layout) fn level_within(line: &[u8], at: usize) -> Option<(Range<usize>, Severity)> {
    const FAR: usize = 96;
    let mut end = line.len().min(at + FAR);
    // Not half a word.
    while end < line.len() && line[end].is_ascii_alphanumeric() {
        end += 1;
    }
    let text = line.get(at..end)?;
    let mut from = 0;
    while from < text.len() {
        let skip = text[from..].iter().position(u8::is_ascii_alphabetic)?;
        from += skip;
        let length = text[from..]
            .iter()
            .position(|b| !(b.is_ascii_alphanumeric() || *b == b'_'))
            .unwrap_or(text.len() - from);
        let word = &text[from..from + length];
        let before = from.checked_sub(1).map(|b| text[b]);
        let behind = text.get(from + length).copied();
        let span = at + from..at + from + length;
        if (3..=9).contains(&word.len())
            && matches!(
                word,
                b"TRACE"
                    | b"DEBUG"
                    | b"INFO"
                    | b"NOTICE"
                    | b"WARN"
                    | b"WARNING"
                    | b"ERROR"
                    | b"FATAL"
                    | b"CRITICAL"
                    | b"SEVERE"
            )
            && match behind {
                // A word between blanks is one of a sentence.
                None | Some(b' ' | b',') => from == 0,
                Some(b':') => {
                    before.is_none_or(|b| matches!(b, b'[' | b'(' | b'|' | b'\t' | b':' | b'.'))
                }
                Some(b']' | b')' | b'>' | b'|' | b'\t') => before.is_none_or(|b| {
                    matches!(b, b' ' | b'[' | b'(' | b'<' | b'|' | b'\t' | b':' | b'.')
                }),
                Some(_) => false,
            }
        {
            return Some((span, Severity::from_word(word)?));
        }
        if before == Some(b'[')
            && behind == Some(b']')
            && word.len() > 2
            && let Some(severity) = Severity::from_word(word)
        {
            return Some((span, severity));
        }
        if behind == Some(b'=') && matches!(word, b"level" | b"lvl" | b"severity") {
            let start = from + length + 1;
            let quoted = usize::from(text.get(start) == Some(&b'"'));
            let value = text.get(start + quoted..)?;
            let end = value.iter().position(|b| !b.is_ascii_alphanumeric()).unwrap_or(value.len());
            let severity = Severity::read(&value[..end])?;
            let start = at + start + quoted;
            return Some((start..start + end, severity));
        }
        // `PHP Warning:  …`
        if word == b"PHP"
            && let Some(colon) = memchr::memchr(b':', &text[from..])
        {
            let kind = &text[from + 4..from + colon.max(4)];
            let severity = match kind.rsplit(|b| *b == b' ').next()? {
                b"Warning" => Severity::from_word(b"warn"),
                b"Notice" | b"Deprecated" => Severity::from_word(b"notice"),
                b"error" => Severity::from_word(if kind.starts_with(b"Fatal") {
                    b"fatal"
                } else {
                    b"error"
                }),
                _ => None,
            };
            return severity.map(|severity| (at + from + 4..at + from + colon, severity));
        }
        from += length;
    }
    None
}

/// Whether a time may end here.
pub(super) fn ends_time(line: &[u8], at: usize) -> bool {
    matches!(line.get(at), None | Some(b' ' | b'\t' | b':' | b']' | b'|' | b')'))
}

pub(super) fn trimmed(line: &[u8], span: Range<usize>) -> Range<usize> {
    let text = &line[span.clone()];
    let lead = text.len() - text.trim_ascii_start().len();
    span.start + lead..span.start + lead + text.trim_ascii().len()
}

/// The bracket that closes the one at `at`, brackets within counted.
pub(super) fn closing(line: &[u8], at: usize) -> Option<usize> {
    let mut depth = 0;
    for (offset, byte) in line[at..].iter().enumerate().take(160) {
        match byte {
            b'[' => depth += 1,
            b']' => {
                depth -= 1;
                if depth == 0 {
                    return Some(at + offset);
                }
            }
            _ => {}
        }
    }
    None
}

/// A level in brackets: alone, or with padding and a mark.
pub(super) fn bracket_level(text: &[u8]) -> Option<Severity> {
    let text = text.trim_ascii();
    if text.len() == 1 && !text[0].is_ascii_uppercase() {
        return None;
    }
    Severity::from_word(text)
}

/// Whether a level stands next: a word in upper case or a bracketed one.
pub(in crate::layout) fn level_ahead(text: &[u8]) -> bool {
    let marks = text.iter().take_while(|b| matches!(b, b'[' | b'-' | b' ' | b'<' | b'|')).count();
    let text = &text[marks..];
    let length = text.iter().take(12).take_while(|b| b.is_ascii_alphabetic()).count();
    let word = &text[..length];
    if word == b"HTTP" {
        return false;
    }
    let ends =
        text.get(length).is_none_or(|b| matches!(b, b' ' | b']' | b':' | b'>' | b'|' | b'/'));
    ends && (is_upper(word) || marks > 0 && word.len() > 1) && Severity::from_word(word).is_some()
}

/// Whether a name with a mark behind it stands next: `tag: …`, `tag - …`.
pub(super) fn name_ahead(text: &[u8]) -> bool {
    let text = text.trim_ascii_start();
    let length = text.iter().take(80).position(|b| matches!(b, b' ' | b':' | b'|')).unwrap_or(0);
    length > 0
        && (text[length] != b' '
            || text[length..].starts_with(b" - ")
            || text[length..].starts_with(b" : "))
}

/// A level as a word, in the shorter forms of installers and shells as well.
pub(super) fn word_of_level(word: &[u8]) -> Option<Severity> {
    match word {
        b"ERR!" => Severity::from_word(b"error"),
        b"verb" => Severity::from_word(b"verbose"),
        b"sill" => Severity::from_word(b"trace"),
        _ => Severity::from_word(word),
    }
}

pub(super) fn is_upper(word: &[u8]) -> bool {
    !word.is_empty() && word.iter().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit())
}

/// A name as loggers, classes and programs have it.
pub(in crate::layout) fn is_name(word: &[u8]) -> bool {
    !word.is_empty()
        && word.len() <= 120
        && (word[0].is_ascii_alphabetic() || matches!(word[0], b'_' | b'@'))
        && word.iter().all(|b| {
            b.is_ascii_alphanumeric()
                || matches!(b, b'_' | b'.' | b'$' | b':' | b'-' | b'/' | b'@' | b'#' | b'+')
        })
}

/// A name of several parts, or a type's.
pub(in crate::layout) fn is_path(word: &[u8]) -> bool {
    is_name(word)
        && (word.iter().any(|b| matches!(b, b'.' | b'/' | b'$'))
            || memchr::memmem::find(word, b"::").is_some())
}

/// A dotted name that can't be the end of a sentence or a file's name.
pub(super) fn parted_name(word: &[u8]) -> bool {
    word.split(|b| *b == b'.' || *b == b':').filter(|part| !part.is_empty()).count() >= 2
        && !word.contains(&b'/')
}

/// `harbour:fares`: a name in parts that colons set apart.
pub(super) fn is_parted(word: &[u8]) -> bool {
    is_name(word) && word.last() != Some(&b':') && word.contains(&b':') && !is_caller(word)
}

pub(super) fn is_error_name(word: &[u8]) -> bool {
    [&b"Exception"[..], b"Error", b"exception", b"error", b"panic"]
        .iter()
        .any(|end| word.ends_with(end))
}

/// Threads are numbered, or have names of their own kind.
pub(in crate::layout) fn looks_like_thread(text: &[u8]) -> bool {
    const PARTS: [&[u8]; 9] = [
        b"thread",
        b"main",
        b"pool",
        b"exec",
        b"worker",
        b"process",
        b"nio",
        b"scheduler",
        b"timer",
    ];
    let has = |part: &&[u8]| text.windows(part.len()).any(|w| w.eq_ignore_ascii_case(part));
    let numbered = text.last().is_some_and(u8::is_ascii_digit)
        && text.contains(&b'-')
        && !text.contains(&b'.');
    numbered || PARTS.iter().any(has)
}

/// `FareLookup:118`, `src/main.rs:7`, `lookup.py:12`: a place in code.
pub(in crate::layout) fn is_caller(text: &[u8]) -> bool {
    let Some(colon) = memchr::memrchr(b':', text) else { return false };
    let (file, line) = (&text[..colon], &text[colon + 1..]);
    !line.is_empty()
        && line.len() <= 6
        && line.iter().all(u8::is_ascii_digit)
        && !file.is_empty()
        && !file.contains(&b' ')
        && file.iter().any(u8::is_ascii_alphabetic)
        && !file.contains(&b'@')
        && (file.contains(&b'.')
            || file.contains(&b'/')
            || file[0].is_ascii_uppercase()
            || file[0] == b'<')
        && !is_host(file)
}

/// `db.example.test`, `10.0.0.7`: what stands before a port.
pub(super) fn is_host(file: &[u8]) -> bool {
    let last = file.rsplit(|b| *b == b'.').next().unwrap_or(file);
    file.iter().all(|b| b.is_ascii_digit() || *b == b'.')
        || (file.iter().filter(|b| **b == b'.').count() >= 2
            && !file.contains(&b'/')
            && last.len() > 4)
        || matches!(
            last,
            b"test" | b"com" | b"org" | b"net" | b"local" | b"internal" | b"localhost"
        )
}
