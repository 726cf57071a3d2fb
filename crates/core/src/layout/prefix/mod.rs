//! What stands before the message of a line of text: time, level, thread, logger, process, place in the
//! code, in any order and any of the usual punctuation.
//!
//! The line is walked item by item, an item being a bracketed group or a word. Each tells what it is by
//! its form and by what has been met before; the first that is nothing known begins the message. So one
//! walk reads the default forms of most logging libraries, and none of them is named here.

mod brackets;
mod forms;
mod habits;
mod lead;
mod level;
mod seen;
mod words;

use std::ops::Range;

use forms::{ITEMS, ends_time};
pub(super) use forms::{
    is_caller, is_code, is_hexadecimal, is_id, is_label, is_name, is_path, is_request, is_trace,
    is_uptime, level_ahead, level_within, looks_like_thread,
};
pub(super) use habits::{Habits, Lead, Tags};
pub(super) use seen::Seen;
pub(super) use words::level_of_sign;

use crate::entry::{Severity, Stamp};

/// Names of fields that a text's prefix or its kind of message gives.
const MADE_UP: [&str; 53] = [
    "agent",
    "app",
    "caller",
    "client",
    "code",
    "connection",
    "context",
    "database",
    "detail",
    "event_id",
    "exception",
    "exec",
    "extra",
    "function",
    "hint",
    "host",
    "icon",
    "id",
    "internal",
    "kernel",
    "line",
    "location",
    "msgid",
    "note",
    "pid",
    "position",
    "priority",
    "process",
    "query",
    "request_id",
    "role",
    "scheduler",
    "serial",
    "server",
    "scope",
    "session",
    "severity",
    "span",
    "span_id",
    "spans",
    "state",
    "statement",
    "target",
    "text",
    "thread",
    "tid",
    "timer",
    "trace",
    "trace_id",
    "uid",
    "uptime",
    "user",
    "user_agent",
];

/// Whether an entry of text may have a field of this name that stands nowhere in it.
pub(in crate::layout) fn makes_up(name: &str) -> bool {
    MADE_UP.contains(&name)
}

/// Bytes within which a prefix ends.
pub(super) const REACH: usize = 320;

/// The items found, as places in the line.
#[derive(Debug, Default)]
pub(super) struct Prefix {
    pub(super) stamp: Option<Stamp>,
    /// Where it stands, if in two places.
    pub(super) stamp_at: Option<Range<usize>>,
    pub(super) level: Option<(Range<usize>, Severity)>,
    pub(super) logger: Option<Range<usize>>,
    pub(super) thread: Option<Range<usize>>,
    pub(super) caller: Option<Range<usize>>,
    pub(super) function: Option<Range<usize>>,
    pub(super) pid: Option<Range<usize>>,
    pub(super) tid: Option<Range<usize>>,
    /// Groups that hold pairs, ids, or words without a name of their own.
    pub(super) groups: Vec<Range<usize>>,
    /// What has a name of its own and is rare.
    pub(super) named_parts: Vec<(&'static str, Range<usize>)>,
    /// The spans that the entry stands in.
    spans: Option<Range<usize>>,
    /// Where the message begins.
    pub(super) message: usize,
    /// The level carried its own punctuation: `ERROR: …`, `[error] …`.
    level_marked: bool,
    habits: Habits,
    /// Brackets met.
    brackets: u8,
    /// What follows is the message, as it stands.
    ended: bool,
    /// Items are set apart by colons alone: `LEVEL:TIME:NAME:message`.
    colons: bool,
    /// The logger was met before the time.
    early: bool,
    /// An opening bracket before the time whose end has not come yet.
    inside: bool,
}

impl Prefix {
    /// Walks the line from `at` on.
    pub(super) fn of(line: &[u8], at: usize, habits: Habits) -> Self {
        Self::walk(line, at, habits, false).with_level_within(line).with_logger(line)
    }

    /// Takes a bracket for the logger that was taken for a thread, where there is no other logger and no thread has
    /// such a name.
    fn with_logger(mut self, line: &[u8]) -> Self {
        let named = |span: &Range<usize>| {
            let text = &line[span.clone()];
            is_name(text) && !looks_like_thread(text)
        };
        let bracketed = |span: &Range<usize>| span.start > 0 && line[span.start - 1] == b'[';
        let beside = self.level.as_ref().is_some_and(|(level, _)| level.start < self.message);
        if self.logger.is_none()
            && beside
            && self.thread.as_ref().is_some_and(|t| named(t) && bracketed(t))
        {
            self.logger = self.thread.take();
        }
        self
    }

    /// Walks the line and does not look for a level in its message.
    pub(super) fn without_message(line: &[u8], at: usize, habits: Habits) -> Self {
        Self::walk(line, at, habits, false).with_logger(line)
    }

    /// Walks the line until time and level are known: enough for the index where both are there.
    pub(super) fn brief(line: &[u8], at: usize, habits: Habits) -> Self {
        let found = Self::walk(line, at, habits, true);
        // Who only wants time and level has no use for a level without a time.
        match found.stamp {
            Some(_) => found.with_level_within(line),
            None => found,
        }
    }

    /// Takes a level from the beginning of the message where none stands before it.
    fn with_level_within(mut self, line: &[u8]) -> Self {
        if self.level.is_none() {
            self.level = level_within(line, self.message);
        }
        self
    }

    fn walk(line: &[u8], at: usize, habits: Habits, brief: bool) -> Self {
        let mut found = Self { message: at, habits, ..Self::default() };
        let mut at = at;
        for _ in 0..ITEMS {
            if brief && found.stamp.is_some() && found.level.is_some() {
                return found;
            }
            let blanks =
                line.get(at..).unwrap_or_default().iter().take_while(|b| **b == b' ').count();
            if let Some(next) = found.between_colons(line, at + blanks) {
                found.message = next;
                return found;
            }
            let from = at;
            let (next, parted) = found.separators(line, at);
            at = next;
            if found.is_over(line, from..at) {
                found.message = at.min(line.len());
                return found;
            }
            found.message = at;
            if at >= line.len() || at > REACH {
                break;
            }
            match found.item(line, at, parted) {
                Some(next) => at = next,
                None => break,
            }
            if found.ended {
                // A mark that the message begins with is its own.
                let blanks = line.get(at..).unwrap_or_default().iter().take_while(|b| **b == b' ');
                found.message = (at + blanks.count()).min(line.len());
                return found;
            }
        }
        found.message = found.separators(line, at).0.min(line.len());
        found
    }

    /// Whether a mark that stands between blanks ends the prefix: level and logger are known, or the place in
    /// the code is, and no further place in the code or thread with a mark of its own follows.
    fn is_over(&self, line: &[u8], marks: Range<usize>) -> bool {
        let known = self.level.is_some() && (self.logger.is_some() || self.caller.is_some());
        // `---` stands between a process and its thread.
        let parts = |at: usize| {
            at > 0
                && matches!(line[at - 1], b' ' | b']')
                && matches!(line[at], b'-' | b':' | b'>')
                && !line[at..].starts_with(b"---")
        };
        if !known
            || self.inside
            || !marks.clone().any(parts)
            || line[marks.clone()].contains(&b'\t')
        {
            return false;
        }
        let rest = &line[marks.end.min(line.len())..];
        let end = [&b" - "[..], b" : ", b": "]
            .iter()
            .filter_map(|mark| memchr::memmem::find(rest, mark))
            .min();
        let word = &rest[..end.unwrap_or(0)];
        let word = word.strip_prefix(b"[").and_then(|word| word.strip_suffix(b"]")).unwrap_or(word);
        let further = !word.contains(&b' ') && (is_caller(word) || looks_like_thread(word));
        !further
    }

    /// Makes something the thread; what was taken for it before stays as it is.
    fn set_thread(&mut self, span: Range<usize>) {
        self.groups.extend(self.thread.replace(span));
    }

    /// Skips blanks and lone marks; says whether a mark was among them.
    fn separators(&mut self, line: &[u8], mut at: usize) -> (usize, bool) {
        let mut parted = false;
        while let Some(byte) = line.get(at) {
            match byte {
                b' ' | b'\t' => at += 1,
                0xe2 if self.stamp.is_some() && line[at..].starts_with("› ".as_bytes()) => {
                    at += 4;
                }
                b']' if self.inside => {
                    self.inside = false;
                    at += 1;
                    parted = true;
                    if line.get(at) == Some(&b':') {
                        at += 1;
                    }
                }
                b'-' | b':' | b'|' | b'>' | b',' => {
                    let run = line[at..].iter().take_while(|b| *b == byte).count();
                    let ends = line.get(at + run).is_none_or(|b| matches!(b, b' ' | b'\t' | b'['));
                    // Only between items: a message may begin with a dash of its own.
                    let known = self.stamp.is_some() || self.level.is_some() || self.pid.is_some();
                    if run > 3 || !ends || !known {
                        break;
                    }
                    at += run;
                    parted = true;
                }
                _ => break,
            }
        }
        (at, parted)
    }

    /// Takes the item at `at`; gives where it ends.
    fn item(&mut self, line: &[u8], at: usize, parted: bool) -> Option<usize> {
        let first = line[at];
        if self.stamp.is_none()
            && (first.is_ascii_digit() || first.is_ascii_alphabetic())
            && let Some((stamp, taken)) = Stamp::leading(&line[at..])
            && ends_time(line, at + taken)
        {
            self.stamp = Some(stamp);
            let colon = self.colons && line.get(at + taken) == Some(&b':');
            return Some(at + taken + usize::from(colon));
        }
        // `raft2026/03/14 06:41:02`: a name glued to the date.
        let letters = line[at..].iter().take(24).take_while(|b| b.is_ascii_alphabetic()).count();
        if self.stamp.is_none()
            && self.logger.is_none()
            && letters > 1
            && line.get(at + letters + 4) == Some(&b'/')
            && let Some((stamp, taken)) = Stamp::leading(&line[at + letters..])
            && ends_time(line, at + letters + taken)
        {
            self.stamp = Some(stamp);
            self.stamp_at = Some(at + letters..at + letters + taken);
            self.logger = Some(at..at + letters);
            self.early = true;
            return Some(at + letters + taken);
        }
        if self.colons && self.stamp.is_some() && self.logger.is_none() {
            let colon = memchr::memchr(b':', &line[at..])?;
            if !is_name(&line[at..at + colon]) {
                return None;
            }
            self.logger = Some(at..at + colon);
            self.level_marked = true;
            return Some(at + colon + 1);
        }
        match first {
            b'[' => self.bracket(line, at),
            b'(' => self.round(line, at),
            b'<' => self.angle(line, at).or_else(|| self.word(line, at, parted)),
            b'{' => {
                let close = at + memchr::memchr(b'}', line.get(at..(at + 80).min(line.len()))?)?;
                self.curly(line, at + 1..close)
            }
            0x80.. if self.level.is_none() => {
                self.icon(line, at).or_else(|| self.word(line, at, parted))
            }
            _ => self.word(line, at, parted),
        }
    }
}
