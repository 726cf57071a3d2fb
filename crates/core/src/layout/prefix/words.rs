//! Items without brackets: levels, numbers, names of programs, threads, loggers and places in the code.

use std::ops::Range;

use super::{
    Prefix, REACH,
    forms::{
        PARTS, class_of, closing, is_caller, is_error_name, is_id, is_name, is_parted, is_path,
        level_ahead, looks_like_thread, pairs_until_level, parted_name,
    },
};
use crate::{
    entry::{Missing, Severity, Stamp},
    layout::pairs,
};

/// The level that a sign stands for where no word says it.
pub(in crate::layout) fn level_of_sign(sign: &str) -> Option<Severity> {
    let word: &[u8] = match sign.trim_end_matches('\u{fe0f}') {
        "\u{2139}" | "\u{2714}" | "\u{2705}" | "\u{1f4a1}" => b"info",
        "\u{26a0}" => b"warn",
        "\u{2716}" | "\u{274c}" | "\u{26d4}" => b"error",
        "\u{2699}" | "\u{1f41b}" => b"debug",
        "\u{1f47e}" => b"fatal",
        _ => return None,
    };
    Severity::from_word(word)
}

impl Prefix {
    /// A word without brackets.
    pub(super) fn word(&mut self, line: &[u8], at: usize, parted: bool) -> Option<usize> {
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
            && pairs::pair(line, at).is_some_and(|pair| {
                pair.end <= end && !pair.value.is_empty() && line[pair.value.start] != b'='
            })
            && pairs_until_level(rest)
        {
            self.groups.push(at..end);
            return Some(end);
        }
        if bare.starts_with(b"ThreadId(") {
            let known = if self.thread.is_none() { &mut self.thread } else { &mut self.tid };
            if known.is_none() {
                *known = Some(at..at + bare.len());
                return Some(end);
            }
        }
        // `main ThreadId(01)`: a thread by its name and its number.
        if self.level.is_some() && self.thread.is_none() && line[end..].starts_with(b" ThreadId(") {
            self.groups.extend(self.thread.replace(at..end));
            return Some(end);
        }
        // `*5`: the number of a connection.
        if bare[0] == b'*' && bare.len() > 1 && bare[1..].iter().all(u8::is_ascii_digit) {
            self.named_parts.push(("connection", at + 1..at + bare.len()));
            return Some(end);
        }
        if self.stamp.is_none() && self.level.is_none() && !parted {
            return self.front(line, at..end);
        }
        self.names(line, at..at + bare.len(), end, marked)
    }

    /// `✔ INFO`, `✔ message`: a sign before the level, or in place of it.
    pub(super) fn icon(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let rest = &line[at..];
        let length = rest.iter().take(17).position(|b| *b == b' ')?;
        let sign = std::str::from_utf8(&rest[..length]).ok()?;
        // The side of a box.
        if matches!(rest, [0xe2, 0x94 | 0x95, ..]) {
            return None;
        }
        let behind = rest[length..].trim_ascii_start();
        if let Some(level) = level_of_sign(sign).filter(|_| !level_ahead(behind)) {
            let word = behind.iter().take_while(|b| b.is_ascii_alphabetic()).count();
            if Severity::from_word(&behind[..word]).is_none() || word < 3 {
                self.level = Some((at..at + length, level));
                self.ended = true;
                return Some(at + length);
            }
        }
        let word = behind.iter().take_while(|b| b.is_ascii_alphabetic()).count();
        let level =
            level_ahead(behind) || Severity::from_word(&behind[..word]).is_some() && word > 2;
        (level && !sign.contains(char::is_alphanumeric)).then(|| {
            self.named_parts.push(("icon", at..at + length));
            at + length
        })
    }

    /// `gate> 2026-03-14 …`, `gate: 2026-03-14 …`: a name before the date.
    fn front(&mut self, line: &[u8], span: Range<usize>) -> Option<usize> {
        let word = &line[span.clone()];
        let marked = word.strip_suffix(b">").or_else(|| word.strip_suffix(b":"));
        let name = marked.unwrap_or(word);
        let behind = line[span.end..].trim_ascii_start();
        let stamp = behind.first().is_some_and(u8::is_ascii_digit).then(|| Stamp::leading(behind));
        let (stamp, taken) = stamp.flatten()?;
        let dated = stamp.missing == Missing::Nothing
            && (marked.is_some()
                || behind[taken..].starts_with(b": ")
                || level_ahead(behind[taken..].trim_ascii_start()));
        (dated && is_name(name) && self.logger.is_none()).then(|| {
            self.groups.extend(self.logger.replace(span.start..span.start + name.len()));
            self.early = true;
            span.end
        })
    }

    /// `:: tides :: `: a logger between double colons.
    pub(super) fn between_colons(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let rest = line[at..].strip_prefix(b":: ")?;
        let length = rest.iter().take(80).position(|b| *b == b' ')?;
        let ends = rest[length..].starts_with(b" :: ");
        (ends && self.logger.is_none() && self.level.is_some() && is_name(&rest[..length])).then(
            || {
                self.groups.extend(self.logger.replace(at + 3..at + 3 + length));
                self.ended = true;
                at + 3 + length + 4
            },
        )
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
            self.groups.extend(self.logger.replace(at..at + end));
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
            self.groups.extend(self.pid.replace(span.start..span.start + hash));
            self.groups.extend(self.tid.replace(span.start + hash + 1..span.end));
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
            self.groups.extend(self.pid.replace(span));
        } else if self.tid.is_none() {
            self.groups.extend(self.tid.replace(span));
        } else {
            return false;
        }
        true
    }

    /// `request{id=7 method=GET}: `: the spans that an event stands in, with their fields.
    fn span(&mut self, line: &[u8], at: usize) -> Option<usize> {
        let rest = line.get(at..line.len().min(at + REACH))?;
        // Behind another one, a name alone is a span without fields.
        let behind = self.spans.as_ref().is_some_and(|spans| spans.end + 1 == at);
        let bare = rest
            .iter()
            .position(|b| matches!(b, b':' | b'{' | b' '))
            .filter(|end| behind && rest[*end] == b':' && rest.get(end + 1) != Some(&b':'));
        let open = match bare {
            Some(end) => end,
            None => memchr::memchr(b'{', rest)?,
        };
        if open == 0 || !is_name(&rest[..open]) {
            return None;
        }
        let close = match bare {
            Some(end) => end - 1,
            None => open + memchr::memchr(b'}', &rest[open..])?,
        };
        if rest.get(close + 1) != Some(&b':') {
            return None;
        }
        let inner = self.spans.take().map(|spans| spans.start..at + close + 1);
        match inner {
            // The names of all spans, with the innermost last.
            Some(all) => {
                self.named_parts.retain(|(name, _)| !matches!(*name, "span" | "spans"));
                self.named_parts.push(("span", at..at + open));
                self.named_parts.push(("spans", all.clone()));
                self.spans = Some(all);
            }
            None => {
                self.named_parts.push(("span", at..at + open));
                self.spans = Some(at..at + close + 1);
            }
        }
        if open < close {
            self.groups.push(at + open + 1..at + close);
        }
        Some(at + close + 2)
    }

    /// `app[web.1]: `: a name and a process.
    fn tagged(&mut self, line: &[u8], span: Range<usize>, end: usize) -> Option<usize> {
        let fits = self.logger.is_none() && is_name(&line[span.clone()]);
        // A padded name may stand apart from its process.
        let blanks = line[end..].iter().take_while(|b| **b == b' ').count();
        let apart = blanks > 0 && self.level.is_none() && self.stamp.is_some();
        let end = if apart { end + blanks } else { end };
        let fits = fits && line.get(end) == Some(&b'[');
        let close = fits.then(|| closing(line, end)).flatten()?;
        let dashed = line[close + 1..].starts_with(b" - ");
        if line.get(close + 1) != Some(&b':') && !dashed {
            return None;
        }
        let inside = end + 1..close;
        let text = &line[inside.clone()];
        let numbered = text.iter().all(u8::is_ascii_digit) && line.get(close + 1) == Some(&b':');
        if apart && !(numbered && level_ahead(line[close + 2..].trim_ascii_start())) {
            return None;
        }
        if text.iter().all(u8::is_ascii_digit) && self.pid.is_none() {
            self.groups.extend(self.pid.replace(inside));
        } else if is_id(text) {
            self.groups.push(inside);
        } else if self.thread.is_none() {
            self.groups.extend(self.thread.replace(inside));
        } else {
            return None;
        }
        // Among items that dashes part, the logger may come later.
        match dashed {
            true => self.named_parts.push(("process", span)),
            false => self.logger = Some(span),
        }
        self.ended = !dashed && self.stamp.is_some() && self.level.is_some();
        Some(close + 1 + usize::from(!dashed))
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
        let mark = behind.trim_ascii_start();
        let padded =
            behind.starts_with(b"  ") && (mark.starts_with(b": ") || mark.starts_with(b"> "));
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
                self.groups.extend(self.logger.replace(span.start..span.start + class));
            }
            self.groups.extend(self.caller.replace(span));
            let bracket = usize::from(!self.inside && behind.first() == Some(&b']'));
            return Some(end + bracket);
        }
        if ended && self.caller.is_none() && self.place(line, span.clone()) {
            return Some(end);
        }
        if let Some(next) = self.function(line, span.start, parted) {
            return Some(next);
        }
        if text == b"in" && self.level.is_some() && self.logger.is_none() {
            return self.name_behind_in(line, behind);
        }
        let dashed = behind.starts_with(b" - ") && self.level.is_none();
        if dashed && self.thread.is_none() && looks_like_thread(text) && is_name(text) {
            self.groups.extend(self.thread.replace(span));
            return Some(end);
        }
        if let Some(logger) = &self.logger {
            // Behind the name of a span comes that of the module.
            let span_only = !is_path(&line[logger.clone()]) && marked;
            let module = self.habits.spanned || memchr::memmem::find(text, b"::").is_some();
            if span_only && module && is_name(text) {
                let before = self.logger.replace(span);
                if !self.habits.spanned {
                    self.groups.extend(before);
                } else if let Some(before) = before {
                    self.named_parts.push(("span", before));
                    self.ended = self.stamp.is_some();
                }
                return Some(end);
            }
            return None;
        }
        // A word before a colon is a logger only where the source has it as such.
        let tag = if marked && !is_path(text) { self.habits.tags.holds(text) } else { None };
        if ended
            && is_name(text)
            && !is_error_name(text)
            && tag.unwrap_or(is_path(text) || !self.level_marked || parted)
        {
            // A place in the code may stand between it and the message.
            let next = behind.trim_ascii_start();
            let next = &next[..next.iter().position(|b| *b == b' ').unwrap_or(next.len())];
            let place = next.strip_suffix(b":").is_some_and(is_caller);
            self.ended = marked
                && !place
                && !self.habits.spanned
                && self.stamp.is_some()
                && self.level.is_some();
            self.groups.extend(self.logger.replace(span));
            return Some(end);
        }
        self.names_alone(line, span, end, marked)
    }

    /// `ERROR in app: …`
    fn name_behind_in(&mut self, line: &[u8], behind: &[u8]) -> Option<usize> {
        let rest = behind.trim_ascii_start();
        let name = rest.iter().position(|b| *b == b':').unwrap_or(0);
        if name == 0 || !is_name(&rest[..name]) {
            return None;
        }
        let from = line.len() - rest.len();
        self.groups.extend(self.logger.replace(from..from + name));
        Some(from + name + 1)
    }

    /// A logger without a mark behind it.
    fn names_alone(
        &mut self,
        line: &[u8],
        span: Range<usize>,
        end: usize,
        marked: bool,
    ) -> Option<usize> {
        let (text, behind) = (&line[span.clone()], &line[end..]);
        // `tides main.py:12 - `: the place in the code stands behind the name.
        let place = behind.strip_prefix(b" ").unwrap_or_default();
        let place = &place[..place.iter().position(|b| *b == b' ').unwrap_or(0)];
        let place = place.strip_suffix(b":").unwrap_or(place);
        if self.level.is_some()
            && is_name(text)
            && !marked
            && self.caller.is_none()
            && is_caller(place)
            && [&b" - "[..], b" : ", b": ", b" -- ", b" | "]
                .iter()
                .any(|mark| behind[1 + place.len()..].starts_with(mark))
        {
            self.groups.extend(self.logger.replace(span));
            return Some(end);
        }
        // `fares 4411 140124403493760 …`: a module, its process and its thread.
        if self.level.is_some()
            && self.stamp.is_some()
            && self.pid.is_none()
            && is_name(text)
            && !marked
        {
            let digits = |at: usize| {
                let rest = line.get(at..).unwrap_or_default();
                rest.iter().take(20).take_while(|b| b.is_ascii_digit()).count()
            };
            let pid = end + 1..end + 1 + digits(end + 1);
            let tid = pid.end + 1..pid.end + 1 + digits(pid.end + 1);
            let blanks = [end, pid.end, tid.end].iter().all(|at| line.get(*at) == Some(&b' '));
            if blanks && !pid.is_empty() && tid.len() > 8 {
                self.groups.extend(self.logger.replace(span));
                (self.pid, self.tid) = (Some(pid), Some(tid.clone()));
                self.ended = true;
                return Some(tid.end);
            }
        }
        if self.habits.parted && self.stamp.is_some() && self.level.is_none() && is_parted(text) {
            self.groups.extend(self.logger.replace(span));
            self.ended = true;
            return Some(end);
        }
        // Between time and level stands the logger; behind both, a path with dots.
        if self.level.is_none() && is_name(text) && level_ahead(behind.trim_ascii_start()) {
            self.groups.extend(self.logger.replace(span));
            return Some(end);
        }
        let dotted = text.contains(&b'.') || memchr::memmem::find(text, b"::").is_some();
        if self.habits.named
            && self.level.is_some()
            && is_name(text)
            && !marked
            && !behind.trim_ascii().is_empty()
        {
            self.groups.extend(self.logger.replace(span));
            self.level_marked = true;
            return Some(end);
        }
        if self.level.is_some()
            && dotted
            && is_name(text)
            && text.last() != Some(&b'.')
            && parted_name(text)
        {
            self.groups.extend(self.logger.replace(span));
            return Some(end);
        }
        None
    }

    /// `main(Berths.java:21)`, `<module>()`: a function, maybe with its place in the code, before a mark.
    fn function(&mut self, line: &[u8], at: usize, parted: bool) -> Option<usize> {
        let rest = line.get(at..line.len().min(at + 120))?;
        let open = memchr::memchr(b'(', rest)?;
        let close = open + memchr::memchr(b')', &rest[open..])?;
        let name = &rest[..open];
        let inner = name.strip_prefix(b"<").and_then(|name| name.strip_suffix(b">"));
        let place = &rest[open + 1..close];
        let behind = line.get(at + close + 1..)?;
        let fits = parted || behind.starts_with(b" - ");
        let known = self.level.is_some() && self.function.is_none() && fits;
        if !known || !is_name(inner.unwrap_or(name)) || !(place.is_empty() || is_caller(place)) {
            return None;
        }
        if !place.is_empty() {
            if self.caller.is_some() {
                return None;
            }
            self.groups.extend(self.caller.replace(at + open + 1..at + close));
        }
        self.groups.extend(self.function.replace(at..at + open));
        Some(at + close + 1)
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
                self.groups.extend(self.caller.replace(span));
            } else {
                self.logger.get_or_insert(span.start..span.start + module.len());
                self.groups
                    .extend(self.function.replace(function_at..function_at + function.len()));
                self.groups.extend(self.caller.replace(span));
            }
            return true;
        }
        false
    }
}
