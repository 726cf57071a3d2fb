//! Lines of text that begin with a time: level, thread, logger and message after it, and a stack trace
//! or the rest of the message on the lines that follow.

use super::{Continues, Dialect, Head, Layout, pairs};
use crate::entry::{Entry, Severity, Stamp, first_line};

pub(super) struct Text;

/// Words before the message that may be a level, a thread, a process or a logger.
const PREFIX_WORDS: usize = 7;

impl Layout for Text {
    fn name(&self) -> &'static str {
        "text"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let (stamp, at) = leading_time(line)?;
        let prefix = Prefix::of(line, at);
        Some(Head {
            stamp: Some(stamp),
            severity: prefix.level.and_then(|(_, severity)| severity),
            ..Head::default()
        })
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let (stamp, at) = leading_time(line)?;
        let prefix = Prefix::of(line, at);
        let mut entry = Entry::empty(raw);
        entry.stamp = Some(stamp);
        if let Some(((from, to), severity)) = prefix.level {
            entry.severity = severity;
            entry.level_raw = Some(String::from_utf8_lossy(&line[from..to]));
        }
        if let Some((from, to)) = prefix.thread {
            entry.take_bytes("thread", from..to);
        }
        if let Some((from, to)) = prefix.logger {
            entry.logger = Some(String::from_utf8_lossy(&line[from..to]));
        }
        for (from, to) in prefix.brackets {
            pairs::in_text(&mut entry, from..to);
        }
        entry.message = String::from_utf8_lossy(&line[prefix.message..]);
        pairs::in_text(&mut entry, prefix.message..line.len());
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// The time that a line begins with, in brackets or not, and where it ends.
fn leading_time(line: &[u8]) -> Option<(Stamp, usize)> {
    let bracket = usize::from(line.first() == Some(&b'['));
    let (stamp, taken) =
        Stamp::iso(line.get(bracket..)?).or_else(|| Stamp::access(&line[bracket..]))?;
    let mut at = bracket + taken;
    match line.get(at) {
        Some(b']') if bracket == 1 => at += 1,
        Some(b' ' | b'\t' | b':') | None => {}
        Some(_) => return None,
    }
    Some((stamp, at))
}

type Place = (usize, usize);

/// What stands between the time and the message.
#[derive(Default)]
struct Prefix {
    level: Option<(Place, Option<Severity>)>,
    thread: Option<Place>,
    brackets: Vec<Place>,
    logger: Option<Place>,
    message: usize,
}

impl Prefix {
    fn of(line: &[u8], at: usize) -> Self {
        let mut found = Self::default();
        let mut at = skip_separators(line, at);
        for _ in 0..PREFIX_WORDS {
            let Some((from, to, next)) = word(line, at) else {
                break;
            };
            let bytes = &line[from..to];
            let bare = bytes.strip_suffix(b":").unwrap_or(bytes);
            let end = from + bare.len();
            if found.level.is_none()
                && bare.len() > 1
                && let Some(severity) = Severity::from_word(bare)
            {
                found.level = Some(((from, end), Some(severity)));
            } else if from > at {
                // In brackets: pairs, or the name of a thread.
                if bytes.contains(&b'=') {
                    found.brackets.push((from, to));
                } else if found.thread.is_none() {
                    found.thread = Some((from, to));
                } else {
                    break;
                }
            } else if found.logger.is_none() && is_name(bare) && ends_logger(line, bytes, next) {
                found.logger = Some((from, end));
                at = skip_separators(line, next);
                break;
            } else {
                break;
            }
            at = skip_separators(line, next);
        }
        found.message = at;
        found
    }
}

/// The word at `at`, its brackets left out: from, to, and where the next begins.
fn word(line: &[u8], at: usize) -> Option<(usize, usize, usize)> {
    let rest = line.get(at..)?;
    if rest.is_empty() {
        return None;
    }
    if rest[0] == b'[' {
        let close = memchr::memchr(b']', rest.get(..rest.len().min(120))?)?;
        return Some((at + 1, at + close, at + close + 1));
    }
    let length = memchr::memchr2(b' ', b'\t', rest).unwrap_or(rest.len());
    Some((at, at + length, at + length))
}

fn is_name(word: &[u8]) -> bool {
    !word.is_empty()
        && word.len() <= 100
        && (word[0].is_ascii_alphabetic() || word[0] == b'_')
        && word.iter().all(|b| {
            b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'$' | b':' | b'-' | b'/')
        })
}

/// A logger ends with a colon, or a lone dash or colon stands behind it.
fn ends_logger(line: &[u8], word: &[u8], next: usize) -> bool {
    let behind = &line[next.min(line.len())..];
    word.ends_with(b":")
        || [&b" - "[..], b" : ", b" -- "].iter().any(|mark| behind.starts_with(mark))
}

/// Skips spaces and lone separators such as `-`, `|` and `:`.
fn skip_separators(line: &[u8], mut at: usize) -> usize {
    loop {
        at = pairs::skip_spaces(line, at);
        let rest = &line[at.min(line.len())..];
        let mark = rest.iter().take_while(|b| matches!(b, b'-' | b':' | b'|')).count();
        if mark == 0 || mark > 3 || !matches!(rest.get(mark), Some(b' ')) {
            return at.min(line.len());
        }
        at += mark;
    }
}
