//! What stands before the message of a line of text: time, level, thread, logger, process, place in the
//! code, in any order and any of the usual punctuation.
//!
//! The line is walked item by item, an item being a bracketed group or a word. Each tells what it is by
//! its form and by what has been met before; the first that is nothing known begins the message. So one
//! walk reads the default forms of most logging libraries, and none of them is named here.

mod forms;
mod level;

use std::ops::Range;

use forms::{
    ITEMS, PARTS, bracket_level, class_of, closing, ends_time, is_error_name, is_type, level_ahead,
    pairs_until_level, parted_name, trimmed,
};
pub(super) use forms::{
    is_caller, is_code, is_label, is_name, is_path, is_uptime, level_within, looks_like_thread,
};

use crate::entry::{Severity, Stamp, ids};

/// Names of fields that a text's prefix or its kind of message gives.
const MADE_UP: [&str; 50] = [
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
    "role",
    "scheduler",
    "serial",
    "server",
    "scope",
    "session",
    "severity",
    "span",
    "span_id",
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
    /// Where the message begins.
    pub(super) message: usize,
    /// The level carried its own punctuation: `ERROR: …`, `[error] …`.
    level_marked: bool,
    /// The word behind the level is a logger.
    named: bool,
    /// Items are set apart by colons alone: `LEVEL:TIME:NAME:message`.
    colons: bool,
    /// The logger was met before the time.
    early: bool,
    /// An opening bracket before the time whose end has not come yet.
    inside: bool,
}

impl Prefix {
    /// Walks the line from `at` on.
    /// `named` says that the word behind the level is a logger.
    pub(super) fn of(line: &[u8], at: usize, named: bool) -> Self {
        Self::walk(line, at, named, false).with_level_within(line)
    }

    /// Walks the line and does not look for a level in its message.
    pub(super) fn without_message(line: &[u8], at: usize) -> Self {
        Self::walk(line, at, false, false)
    }

    /// Walks the line until time and level are known: enough for the index where both are there.
    pub(super) fn brief(line: &[u8], at: usize, named: bool) -> Self {
        let found = Self::walk(line, at, named, true);
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

    fn walk(line: &[u8], at: usize, named: bool, brief: bool) -> Self {
        let mut found = Self { message: at, named, ..Self::default() };
        let mut at = at;
        for _ in 0..ITEMS {
            if brief && found.stamp.is_some() && found.level.is_some() {
                return found;
            }
            let (next, parted) = found.separators(line, at);
            at = next;
            found.message = at;
            if at >= line.len() || at > REACH {
                break;
            }
            match found.item(line, at, parted) {
                Some(next) => at = next,
                None => break,
            }
        }
        found.message = found.separators(line, at).0.min(line.len());
        found
    }

    /// Skips blanks and lone marks; says whether a mark was among them.
    fn separators(&mut self, line: &[u8], mut at: usize) -> (usize, bool) {
        let mut parted = false;
        while let Some(byte) = line.get(at) {
            match byte {
                b' ' | b'\t' => at += 1,
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
            b'<' => self.angle(line, at),
            b'{' => {
                let close = at + memchr::memchr(b'}', line.get(at..(at + 80).min(line.len()))?)?;
                self.curly(line, at + 1..close)
            }
            _ => self.word(line, at, parted),
        }
    }

    /// `{…}`: a place in the code, or before the level an id, or nothing.
    fn curly(&mut self, line: &[u8], inside: Range<usize>) -> Option<usize> {
        let text = &line[inside.clone()];
        let next = inside.end + 1;
        if self.caller.is_none() && is_caller(text) {
            self.caller = Some(inside);
            return Some(next);
        }
        let loose = self.stamp.is_some() && self.level.is_none();
        let word = text.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_'));
        if !loose || !word {
            return None;
        }
        if !text.is_empty() {
            self.groups.push(inside);
        }
        Some(next)
    }

    /// `[…]`: a time, a level, a thread, a process, a logger, pairs, or several of them.
    fn bracket(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let start = at + 1;
        if self.stamp.is_none()
            && let Some((stamp, taken)) = Stamp::leading(line.get(start..)?)
        {
            let end = start + taken;
            match line.get(end) {
                Some(b']') => {
                    self.stamp = Some(stamp);
                    return Some(end + 1);
                }
                Some(b' ' | b':' | b'|') => {
                    self.stamp = Some(stamp);
                    self.inside = true;
                    let colon = usize::from(line[end] == b':');
                    return Some(end + colon);
                }
                _ => {}
            }
        }
        let close = closing(line, at)?;
        let span = trimmed(line, start..close);
        let inside = &line[span.clone()];
        // Seconds since 1970 with a fraction, which elsewhere are just a number.
        if self.stamp.is_none() && inside.get(10) == Some(&b'.') {
            self.stamp = Stamp::epoch(inside);
            if self.stamp.is_some() {
                return Some(close + 1 + usize::from(line.get(close + 1) == Some(&b':')));
            }
        }
        let next = close + 1 + usize::from(line.get(close + 1) == Some(&b':'));
        if inside.is_empty() || inside == b"-" {
            return Some(next);
        }
        if self.level.is_none()
            && let Some(severity) = bracket_level(inside)
        {
            self.level = Some((span, severity));
            return Some(next);
        }
        if self.group(line, span.clone()) {
            return Some(next);
        }
        let text = inside;
        let word = !text.contains(&b' ');
        // Behind level and time a bracket of several words is the message's own.
        if !word && (text.len() > 40 || (self.level.is_some() && !looks_like_thread(text))) {
            return None;
        }
        let threadlike = looks_like_thread(text);
        let glued = at > 0 && line[at - 1] == b']' && self.level.is_some();
        let named =
            word && !threadlike && (is_path(text) || is_type(text) || (glued && is_name(text)));
        if named && (self.logger.is_none() || self.early) {
            // A name before the time is the program's; one behind it says more.
            self.groups.extend(self.logger.replace(span));
            self.early = self.stamp.is_none();
        } else if self.thread.is_none() {
            self.thread = Some(span);
        } else if threadlike && self.thread.clone().is_some_and(|t| !looks_like_thread(&line[t])) {
            self.groups.extend(self.thread.replace(span));
        } else if self.logger.is_none() && word && is_name(text) {
            self.logger = Some(span);
        } else if self.level.is_none() || word {
            self.groups.push(span);
        } else {
            return None;
        }
        Some(next)
    }

    /// A bracketed group whose form says what it is.
    fn group(&mut self, line: &[u8], span: Range<usize>) -> bool {
        let inside = &line[span.clone()];
        if inside.iter().all(u8::is_ascii_digit) {
            if self.pid.is_none() {
                self.pid = Some(span);
            } else {
                self.tid = Some(span);
            }
            return true;
        }
        if inside.starts_with(b"client ") {
            self.groups.push(span);
            return true;
        }
        let pairs = inside.contains(&b'=')
            && inside
                .split(|b| matches!(b, b' ' | b','))
                .all(|word| word.is_empty() || word.contains(&b'='));
        if pairs
            || ids::has_id_form(inside)
            || is_code(inside)
            || is_uptime(inside)
            || is_label(inside)
        {
            self.groups.push(span);
            return true;
        }
        // `main:Quorum@123`: a thread, a class and a line.
        if let Some(at) = memchr::memchr(b'@', inside)
            && let Some(colon) = memchr::memrchr(b':', &inside[..at])
            && inside[at + 1..].iter().all(u8::is_ascii_digit)
            && self.logger.is_none()
        {
            self.thread.get_or_insert(span.start..span.start + colon);
            self.logger = Some(span.start + colon + 1..span.start + at);
            self.caller = Some(span.start + colon + 1..span.end);
            return true;
        }
        if let Some(rest) = inside.strip_prefix(b"pid ") {
            let digits = rest.iter().take_while(|b| b.is_ascii_digit()).count();
            let from = span.start + 4;
            self.pid = Some(from..from + digits);
            if let Some(tid) = rest.get(digits..).and_then(|r| r.strip_prefix(b":tid ")) {
                self.tid = Some(span.end - tid.len()..span.end);
            }
            return true;
        }
        // `core:error`: a part of the program and its level.
        if self.level.is_none()
            && let Some(colon) = memchr::memchr(b':', inside)
            && let Some(severity) = Severity::from_word(&inside[colon + 1..])
            && inside.len() - colon > 3
        {
            if colon > 0 {
                self.logger = Some(span.start..span.start + colon);
            }
            self.level = Some((span.start + colon + 1..span.end, severity));
            return true;
        }
        // `server thread/INFO`
        if self.level.is_none()
            && let Some(slash) = memchr::memrchr(b'/', inside)
            && let Some(severity) = Severity::from_word(&inside[slash + 1..])
            && slash > 0
            && inside.len() - slash > 4
            && inside[slash + 1].is_ascii_uppercase()
        {
            self.thread.get_or_insert(span.start..span.start + slash);
            self.level = Some((span.start + slash + 1..span.end, severity));
            return true;
        }
        if self.caller.is_none() && is_caller(inside) {
            self.caller = Some(span);
            return true;
        }
        // `app,trace,span`
        if inside.contains(&b',') && !inside.contains(&b' ') {
            self.groups.push(span);
            return true;
        }
        false
    }

    fn round(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let close = at + memchr::memchr(b')', line.get(at..(at + 80).min(line.len()))?)?;
        let inside = at + 1..close;
        let text = &line[inside.clone()];
        // `gate/312 on quay-1`
        if self.pid.is_none()
            && let Some(on) = memchr::memmem::find(text, b" on ")
            && let Some(slash) = memchr::memchr(b'/', &text[..on])
            && on > slash + 1
            && text[slash + 1..on].iter().all(u8::is_ascii_digit)
        {
            let start = inside.start;
            self.logger.get_or_insert(start..start + slash);
            self.pid = Some(start + slash + 1..start + on);
            self.named_parts.push(("host", start + on + 4..inside.end));
            return Some(close + 1 + usize::from(line.get(close + 1) == Some(&b':')));
        }
        if text.is_empty() || self.message_may_begin(text) {
            return None;
        }
        if text.iter().all(u8::is_ascii_digit) && self.pid.is_none() {
            self.pid = Some(inside);
        } else if self.caller.is_none() && is_caller(text) {
            self.caller = Some(inside);
        } else if self.thread.is_none() && looks_like_thread(text) {
            self.thread = Some(inside);
        } else if self.logger.is_none() && is_path(text) {
            self.logger = Some(inside);
        } else {
            return None;
        }
        Some(close + 1 + usize::from(line.get(close + 1) == Some(&b':')))
    }

    fn message_may_begin(&self, text: &[u8]) -> bool {
        let thread = b"thread";
        let named = text.windows(thread.len()).any(|w| w.eq_ignore_ascii_case(thread));
        self.level.is_some() && text.contains(&b' ') && !named
    }

    fn angle(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let close = at + memchr::memchr(b'>', line.get(at..(at + 60).min(line.len()))?)?;
        let inside = at + 1..close;
        let text = &line[inside.clone()];
        if text.is_empty() || text.contains(&b' ') {
            return None;
        }
        if self.level.is_none()
            && let Some(severity) = bracket_level(text)
        {
            self.level = Some((inside, severity));
        } else if text[0].is_ascii_digit() && self.pid.is_none() {
            self.pid = Some(inside);
        } else {
            return None;
        }
        Some(close + 1)
    }

    /// A word without brackets.
    fn word(&mut self, line: &[u8], at: usize, parted: bool) -> Option<usize> {
        let rest = &line[at..];
        let length = rest
            .iter()
            .position(|b| matches!(b, b' ' | b'\t' | b'[' | b']' | b'|'))
            .unwrap_or(rest.len());
        if let Some(end) = self.shortened(line, at, length) {
            return Some(end);
        }
        let whole = &rest[..length];
        let end = at + length;
        let bare = whole.strip_suffix(b":").unwrap_or(whole);
        let marked = bare.len() < whole.len();
        if bare.is_empty() {
            return None;
        }
        if self.level.is_none()
            && let Some(next) = self.level_word(line, at..at + bare.len(), marked)
        {
            return Some(next);
        }
        if bare.iter().all(|b| b.is_ascii_digit() || *b == b'#')
            && bare[0].is_ascii_digit()
            && self.number(line, at..at + bare.len(), end, marked)
        {
            return Some(end);
        }
        if self.level.is_some()
            && let Some(next) = self.span(line, at)
        {
            return Some(next);
        }
        if self.level.is_none()
            && self.stamp.is_some()
            && super::pairs::pair(line, at)
                .is_some_and(|pair| pair.end <= end && !pair.value.is_empty())
            && pairs_until_level(rest)
        {
            self.groups.push(at..end);
            return Some(end);
        }
        if bare.starts_with(b"ThreadId(") && self.thread.is_none() {
            self.thread = Some(at..at + bare.len());
            return Some(end);
        }
        // `*5`: the number of a connection.
        if bare[0] == b'*' && bare.len() > 1 && bare[1..].iter().all(u8::is_ascii_digit) {
            self.named_parts.push(("connection", at + 1..at + bare.len()));
            return Some(end);
        }
        if self.stamp.is_none() && self.level.is_none() && !parted {
            return None;
        }
        self.names(line, at..at + bare.len(), end, marked)
    }

    /// `o.a.c.C.[.[/].[dispatcher]    : …`: a logger that was made shorter, brackets included.
    fn shortened(&mut self, line: &[u8], at: usize, length: usize) -> Option<usize> {
        let rest = &line[at..];
        if self.level.is_none()
            || self.logger.is_some()
            || rest.get(length) != Some(&b'[')
            || !rest[..length].ends_with(b".")
        {
            return None;
        }
        let end = rest.iter().take(80).position(|b| *b == b' ')?;
        let parted = rest[end..].trim_ascii_start().starts_with(b": ");
        parted.then(|| {
            self.logger = Some(at..at + end);
            at + end
        })
    }

    /// A number is a process or a thread when another item follows it.
    fn number(&mut self, line: &[u8], span: Range<usize>, end: usize, marked: bool) -> bool {
        let text = &line[span.clone()];
        if let Some(hash) = memchr::memchr(b'#', text) {
            if hash == 0 || hash + 1 >= text.len() || self.pid.is_some() {
                return false;
            }
            self.pid = Some(span.start..span.start + hash);
            self.tid = Some(span.start + hash + 1..span.end);
            // What follows is the message, whatever it looks like.
            self.level_marked = marked;
            return true;
        }
        if marked && self.stamp.is_none() {
            return false;
        }
        let behind = line[end..].trim_ascii_start();
        let followed = matches!(behind.first(), Some(b'[' | b'<'))
            || behind.starts_with(b"--- ")
            || behind.starts_with(b"- ")
            || (self.level.is_none() && level_ahead(behind));
        if !followed || text.len() > 10 {
            return false;
        }
        if self.pid.is_none() {
            self.pid = Some(span);
        } else if self.tid.is_none() {
            self.tid = Some(span);
        } else {
            return false;
        }
        true
    }

    /// `request{id=7 method=GET}: `: the spans that an event stands in, with their fields.
    fn span(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let rest = line.get(at..line.len().min(at + REACH))?;
        let open = memchr::memchr(b'{', rest)?;
        if open == 0 || !is_name(&rest[..open]) {
            return None;
        }
        let close = open + memchr::memchr(b'}', &rest[open..])?;
        if rest.get(close + 1) != Some(&b':') {
            return None;
        }
        self.named_parts.push(("span", at..at + open));
        self.groups.push(at + open + 1..at + close);
        Some(at + close + 2)
    }

    /// `app[web.1]: `: a name and a process.
    fn tagged(&mut self, line: &[u8], span: Range<usize>, end: usize) -> Option<usize> {
        let fits =
            self.logger.is_none() && is_name(&line[span.clone()]) && line.get(end) == Some(&b'[');
        let close = fits.then(|| closing(line, end)).flatten()?;
        if line.get(close + 1) != Some(&b':') {
            return None;
        }
        self.logger = Some(span);
        let inside = end + 1..close;
        if line[inside.clone()].iter().all(u8::is_ascii_digit) && self.pid.is_none() {
            self.pid = Some(inside);
        } else {
            self.thread.get_or_insert(inside);
        }
        Some(close + 2)
    }

    /// A word that names a logger, a place in the code or both.
    fn names(
        &mut self,
        line: &[u8],
        span: Range<usize>,
        end: usize,
        marked: bool,
    ) -> Option<usize> {
        let text = &line[span.clone()];
        let behind = &line[end..];
        let parted = [&b" - "[..], b" : ", b" -- ", b" | ", b": ", b" > "]
            .iter()
            .any(|mark| behind.starts_with(mark));
        let padded = behind.trim_ascii_start().starts_with(b": ") && behind.starts_with(b"  ");
        let closes = self.inside && behind.first() == Some(&b']');
        if let Some(next) = self.tagged(line, span.clone(), end) {
            return Some(next);
        }
        let parted = parted || padded || closes;
        let ended = marked || parted;
        if PARTS.contains(&text) {
            return None;
        }
        if self.caller.is_none() && is_caller(text) && (ended || self.level.is_some()) {
            if let Some(class) = class_of(text)
                && self.logger.is_none()
            {
                self.logger = Some(span.start..span.start + class);
            }
            self.caller = Some(span);
            let bracket = usize::from(!self.inside && behind.first() == Some(&b']'));
            return Some(end + bracket);
        }
        if ended && self.caller.is_none() && self.place(line, span.clone()) {
            return Some(end);
        }
        // `ERROR in app: …`
        if text == b"in" && self.level.is_some() && self.logger.is_none() {
            let rest = behind.trim_ascii_start();
            let name = rest.iter().position(|b| *b == b':').unwrap_or(0);
            if name > 0 && is_name(&rest[..name]) {
                let from = line.len() - rest.len();
                self.logger = Some(from..from + name);
                return Some(from + name + 1);
            }
            return None;
        }
        if let Some(logger) = &self.logger {
            // Behind the name of a span comes that of the module.
            let span_only = !is_path(&line[logger.clone()]) && marked;
            if span_only && memchr::memmem::find(text, b"::").is_some() && is_name(text) {
                self.groups.extend(self.logger.replace(span));
                return Some(end);
            }
            return None;
        }
        if ended
            && is_name(text)
            && !is_error_name(text)
            && (is_path(text) || !self.level_marked || parted)
        {
            self.logger = Some(span);
            return Some(end);
        }
        // Between time and level stands whoever wrote the line; behind both, a path with dots.
        if self.level.is_none() && is_name(text) && level_ahead(behind.trim_ascii_start()) {
            self.logger = Some(span);
            return Some(end);
        }
        let dotted = text.contains(&b'.') || memchr::memmem::find(text, b"::").is_some();
        if self.named
            && self.level.is_some()
            && is_name(text)
            && !marked
            && !behind.trim_ascii().is_empty()
        {
            self.logger = Some(span);
            self.level_marked = true;
            return Some(end);
        }
        if self.level.is_some()
            && dotted
            && is_name(text)
            && text.last() != Some(&b'.')
            && parted_name(text)
        {
            self.logger = Some(span);
            return Some(end);
        }
        None
    }

    /// `module:function:12`, `src/main.rs:12:5`
    fn place(&mut self, line: &[u8], span: Range<usize>) -> bool {
        let text = &line[span.clone()];
        let parts: Vec<&[u8]> = text.split(|b| *b == b':').collect();
        if let [module, function, number] = parts.as_slice()
            && is_name(module)
            && !function.is_empty()
            && !number.is_empty()
            && number.iter().all(u8::is_ascii_digit)
        {
            let function_at = span.start + module.len() + 1;
            if function.iter().all(u8::is_ascii_digit) {
                self.caller = Some(span);
            } else {
                self.logger.get_or_insert(span.start..span.start + module.len());
                self.function = Some(function_at..function_at + function.len());
                self.caller = Some(span);
            }
            return true;
        }
        false
    }
}
