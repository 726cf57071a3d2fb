//! Items in brackets: times, levels, threads, processes, loggers, ids, pairs, or several of them.

use std::ops::Range;

use super::{
    Prefix,
    forms::{
        bracket_level, closing, is_caller, is_code, is_hexadecimal, is_id, is_label, is_name,
        is_numbered_thread, is_path, is_type, is_upper, is_uptime, looks_like_thread, trimmed,
    },
};
use crate::entry::{Severity, Stamp};

impl Prefix {
    /// `[…]`: a time, a level, a thread, a process, a logger, pairs, or several of them.
    pub(super) fn bracket(&mut self, line: &[u8], at: usize) -> Option<usize> {
        if let Some(next) = self.bracketed_time(line, at + 1) {
            return Some(next);
        }
        let close = closing(line, at)?;
        let span = trimmed(line, at + 1..close);
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
        if self.level_and_target(line, &span) || self.piped(line, &span) || self.hashed(line, &span)
        {
            return Some(next);
        }
        // `[unknown]@[unknown] LOG: …`, where a database has no name for user and database.
        if line.get(close + 1) == Some(&b'@') && self.logger.is_none() && self.level.is_none() {
            let length = memchr::memchr(b' ', &line[at..])?;
            self.groups.extend(self.logger.replace(at..at + length));
            return Some(at + length);
        }
        let number = self.brackets;
        self.brackets += 1;
        if self.habits.id == Some(number) && is_hexadecimal(inside) {
            self.named_parts.push(("id", span));
            return Some(next);
        }
        if self.group(line, span.clone()) {
            return Some(next);
        }
        // One more than the source has otherwise is the message's.
        let further = self.habits.brackets.is_some_and(|most| number >= most);
        let known = self.level.is_some() && self.logger.is_some() && !self.early;
        if further && known && !line[next.min(line.len())..].starts_with(b" - ") {
            return None;
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
        } else if self
            .thread
            .as_ref()
            .is_none_or(|t| threadlike && !looks_like_thread(&line[t.clone()]))
        {
            self.groups.extend(self.thread.replace(span));
        } else if self.logger.is_none() && word && is_name(text) {
            self.groups.extend(self.logger.replace(span));
        } else if self.level.is_none() || word {
            self.groups.push(span);
        } else {
            return None;
        }
        Some(next)
    }

    /// A time in brackets, which may hold more behind it: where it ends.
    fn bracketed_time(&mut self, line: &[u8], start: usize) -> Option<usize> {
        if self.stamp.is_some() {
            return None;
        }
        if let Some(next) = self.date_and_clock(line, start) {
            return Some(next);
        }
        let (stamp, taken) = Stamp::leading(line.get(start..)?)?;
        let end = start + taken;
        let next = match line.get(end)? {
            b']' => end + 1,
            b' ' | b'|' => end,
            b':' => end + 1,
            _ => return None,
        };
        self.stamp = Some(stamp);
        self.inside = line[end] != b']';
        Some(next)
    }

    /// `[3/14/2026] [6:41:02 AM]`: a date and a clock in brackets of their own.
    fn date_and_clock(&mut self, line: &[u8], start: usize) -> Option<usize> {
        let rest = line.get(start..line.len().min(start + 60))?;
        let length = memchr::memchr(b']', rest.get(..rest.len().min(12))?)?;
        let between = if rest[length..].starts_with(b"][") { 2 } else { 3 };
        let clock = rest.get(length + between..)?;
        if !rest[length..].starts_with(b"] [") && between == 3 {
            return None;
        }
        let close = memchr::memchr(b']', clock)?;
        let written = [&rest[..length], b" ", &clock[..close]].concat();
        let (stamp, taken) = Stamp::leading(&written)?;
        if taken != written.len() || stamp.missing != crate::entry::Missing::Nothing {
            return None;
        }
        let end = start + length + between + close;
        (self.stamp, self.stamp_at) = (Some(stamp), Some(start..end));
        Some(end + 1)
    }

    /// `WARN harbour::berths`: a level and the part of the program.
    fn level_and_target(&mut self, line: &[u8], span: &Range<usize>) -> bool {
        let inside = &line[span.clone()];
        let Some(blank) = memchr::memchr(b' ', inside).filter(|_| self.level.is_none()) else {
            return false;
        };
        let word = &inside[..blank];
        let target = trimmed(line, span.start + blank..span.end);
        let fits = is_upper(word) && word.len() > 2 && is_name(&line[target.clone()]);
        let Some(severity) = Severity::from_word(word).filter(|_| fits) else { return false };
        self.level = Some((span.start..span.start + blank, severity));
        self.groups.extend(self.logger.replace(target));
        self.ended = true;
        true
    }

    /// `INFO|fares|L28`: a level and what else bars part.
    fn piped(&mut self, line: &[u8], span: &Range<usize>) -> bool {
        let inside = &line[span.clone()];
        let Some(bar) = memchr::memchr(b'|', inside).filter(|_| self.level.is_none()) else {
            return false;
        };
        let word = &inside[..bar];
        let Some(severity) = Severity::from_word(word).filter(|_| is_upper(word)) else {
            return false;
        };
        self.level = Some((span.start..span.start + bar, severity));
        let mut at = span.start + bar + 1;
        for part in line[at..span.end].split(|b| *b == b'|') {
            let place = trimmed(line, at..at + part.len());
            at += part.len() + 1;
            if self.logger.is_none() && is_name(&line[place.clone()]) {
                self.groups.extend(self.logger.replace(place));
            } else if !place.is_empty() {
                self.groups.push(place);
            }
        }
        true
    }

    /// `harbour.Berths#info`: a logger and the level of the line.
    fn hashed(&mut self, line: &[u8], span: &Range<usize>) -> bool {
        let inside = &line[span.clone()];
        let Some(hash) = memchr::memrchr(b'#', inside).filter(|_| self.level.is_none()) else {
            return false;
        };
        let word = &inside[hash + 1..];
        let Some(severity) = Severity::from_word(word).filter(|_| word.len() > 2) else {
            return false;
        };
        if !is_name(&inside[..hash]) {
            return false;
        }
        self.level = Some((span.start + hash + 1..span.end, severity));
        self.groups.extend(self.logger.replace(span.start..span.start + hash));
        true
    }

    /// `pid 312:tid 8440`, `pid 312`.
    fn process(&mut self, inside: &[u8], span: Range<usize>) {
        let rest = &inside[4..];
        let digits = rest.iter().take_while(|b| b.is_ascii_digit()).count();
        let pid = span.start + 4..span.start + 4 + digits;
        match (&rest[digits..], rest[digits..].strip_prefix(b":tid ")) {
            (_, Some(tid)) => {
                self.groups.extend(self.pid.replace(pid));
                self.groups.extend(self.tid.replace(span.end - tid.len()..span.end));
            }
            (b"", None) => self.groups.extend(self.pid.replace(pid)),
            // It was torn, or says more.
            _ => self.groups.push(span),
        }
    }

    /// A bracketed group whose form says what it is.
    fn group(&mut self, line: &[u8], span: Range<usize>) -> bool {
        let inside = &line[span.clone()];
        if inside.iter().all(u8::is_ascii_digit) {
            // Behind level and logger stands the number of an event.
            if self.pid.is_none() && self.level.is_some() && self.logger.is_some() && !self.early {
                self.named_parts.push(("event_id", span));
            } else if self.pid.is_none() {
                self.groups.extend(self.pid.replace(span));
            } else if self.tid.is_none() {
                self.groups.extend(self.tid.replace(span));
            } else {
                self.groups.push(span);
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
        // `Thread:0`
        if self.thread.is_none() && is_numbered_thread(inside) {
            self.groups.extend(self.thread.replace(span));
            return true;
        }
        if pairs || is_id(inside) || is_code(inside) || is_uptime(inside) || is_label(inside) {
            self.groups.push(span);
            return true;
        }
        // `main:Quorum@123`: a thread, a class and a line.
        if let Some(at) = memchr::memchr(b'@', inside)
            && let Some(colon) = memchr::memrchr(b':', &inside[..at])
            && inside[at + 1..].iter().all(u8::is_ascii_digit)
            && self.logger.is_none()
        {
            self.set_thread(span.start..span.start + colon);
            self.groups.extend(self.logger.replace(span.start + colon + 1..span.start + at));
            self.groups.extend(self.caller.replace(span.start + colon + 1..span.end));
            return true;
        }
        if inside.starts_with(b"pid ") {
            self.process(inside, span);
            return true;
        }
        // `core:error`: a part of the program and its level.
        if self.level.is_none()
            && let Some(colon) = memchr::memchr(b':', inside)
            && let Some(severity) = Severity::from_word(&inside[colon + 1..])
            && inside.len() - colon > 3
        {
            if colon > 0 {
                self.groups.extend(self.logger.replace(span.start..span.start + colon));
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
            self.set_thread(span.start..span.start + slash);
            self.level = Some((span.start + slash + 1..span.end, severity));
            return true;
        }
        if self.caller.is_none() && is_caller(inside) {
            self.groups.extend(self.caller.replace(span));
            return true;
        }
        // `app,trace,span`
        if inside.contains(&b',') && !inside.contains(&b' ') {
            self.groups.push(span);
            return true;
        }
        false
    }

    /// `{…}`: a place in the code, or before the level an id, or nothing.
    pub(super) fn curly(&mut self, line: &[u8], inside: Range<usize>) -> Option<usize> {
        let text = &line[inside.clone()];
        let next = inside.end + 1;
        if self.caller.is_none() && is_caller(text) {
            self.groups.extend(self.caller.replace(inside));
            return Some(next);
        }
        // `{id=9f3a2b1c, gate=bow}`, and the message behind a dash.
        let pairs = !text.is_empty()
            && text.split(|b| *b == b',').all(|pair| {
                memchr::memchr(b'=', pair).is_some_and(|at| is_name(pair[..at].trim_ascii()))
            });
        let parted = memchr::memmem::find(line.get(next..).unwrap_or_default(), b" - ").is_some();
        if self.level.is_some() && self.logger.is_some() && parted && (pairs || text.is_empty()) {
            if pairs {
                self.groups.push(inside);
            }
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

    pub(super) fn round(&mut self, line: &[u8], at: usize) -> Option<usize> {
        if self.stamp.is_none()
            && let Some((stamp, taken)) = Stamp::leading(line.get(at + 1..)?)
            && line.get(at + 1 + taken) == Some(&b')')
        {
            self.stamp = Some(stamp);
            return Some(at + taken + 2);
        }
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
            match self.logger {
                None => self.logger = Some(start..start + slash),
                Some(_) => self.groups.push(start..start + slash),
            }
            self.groups.extend(self.pid.replace(start + slash + 1..start + on));
            self.named_parts.push(("host", start + on + 4..inside.end));
            return Some(close + 1 + usize::from(line.get(close + 1) == Some(&b':')));
        }
        // `fares/24589`
        if self.pid.is_none()
            && self.logger.is_none()
            && let Some(slash) = memchr::memrchr(b'/', text)
            && is_name(&text[..slash])
            && slash + 1 < text.len()
            && text[slash + 1..].iter().all(u8::is_ascii_digit)
        {
            self.groups.extend(self.logger.replace(inside.start..inside.start + slash));
            self.groups.extend(self.pid.replace(inside.start + slash + 1..inside.end));
            return Some(close + 1 + usize::from(line.get(close + 1) == Some(&b':')));
        }
        if text.is_empty() || self.message_may_begin(text) {
            return None;
        }
        if text.iter().all(u8::is_ascii_digit) && self.pid.is_none() {
            self.groups.extend(self.pid.replace(inside));
        } else if self.caller.is_none() && is_caller(text) {
            self.groups.extend(self.caller.replace(inside));
        } else if self.thread.is_none() && looks_like_thread(text) {
            self.groups.extend(self.thread.replace(inside));
        } else if self.logger.is_none() && (is_path(text) || self.habits.round && is_name(text)) {
            self.groups.extend(self.logger.replace(inside));
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

    pub(super) fn angle(&mut self, line: &[u8], at: usize) -> Option<usize> {
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
            self.groups.extend(self.pid.replace(inside));
        } else {
            return None;
        }
        Some(close + 1)
    }
}
