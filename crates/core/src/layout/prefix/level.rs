//! Levels among the items: as a word, and with what may be glued to it.

use std::ops::Range;

use super::{
    Prefix,
    forms::{closing, is_name, is_upper, looks_like_thread, name_ahead},
};
use crate::entry::{Severity, Stamp};

impl Prefix {
    /// A level as a word, with what may be glued to it: `INFO`, `INFO:`, `INFO/MainProcess`, `INFO[0003]`,
    /// `WARNING:root:`, `production.ERROR:`, `E/Tag:`.
    pub(super) fn level_word(
        &mut self,
        line: &[u8],
        span: Range<usize>,
        marked: bool,
    ) -> Option<usize> {
        let text = &line[span.clone()];
        let end = span.end + usize::from(marked);
        if let Some(severity) = Severity::from_word(text)
            && self.trusted(line, &span, marked)
        {
            self.level = Some((span.clone(), severity));
            self.level_marked = marked;
            // `INFO[0003]`: seconds since the start.
            if line.get(span.end) == Some(&b'[') {
                let close = closing(line, span.end)?;
                if line[span.end + 1..close].iter().all(u8::is_ascii_digit) {
                    self.named_parts.push(("uptime", span.end + 1..close));
                    return Some(close + 1);
                }
            }
            return Some(end);
        }
        if let Some(next) = self.level_behind_name(line, span.clone(), marked) {
            return Some(next);
        }
        let split = text.iter().position(|b| matches!(b, b':' | b'/' | b'.' | b'(' | b'-'))?;
        let (front, mark, back) = (&text[..split], text[split], &text[split + 1..]);
        let level_of =
            |word: &[u8]| Severity::from_word(word).filter(|_| is_upper(word) && word != b"HTTP");
        match mark {
            b':' | b'/' | b'-' if level_of(front).is_some() && !back.is_empty() => {
                // A lone letter is a level before a name only: `E/Tag: …`.
                if (front.len() < 2 && mark != b'/')
                    || (mark == b'-' && !back[0].is_ascii_uppercase())
                {
                    return None;
                }
                let severity = level_of(front)?;
                let name = span.start + split + 1..span.end;
                if mark == b':' && Stamp::leading(&line[name.start..]).is_some() {
                    self.level = Some((span.start..span.start + split, severity));
                    self.colons = true;
                    return Some(name.start);
                }
                let digits = back.iter().all(u8::is_ascii_digit);
                if mark == b'/'
                    && (looks_like_thread(back) || self.stamp.is_some() || !is_name(back))
                {
                    self.groups.extend(self.thread.replace(name));
                } else if digits {
                    self.groups.extend(self.pid.replace(name));
                } else if mark == b':' {
                    // `WARNING:root:message` has no blank behind the names.
                    let colon = memchr::memchr(b':', back);
                    let logger = name.start..colon.map_or(name.end, |at| name.start + at);
                    if !is_name(&line[logger.clone()]) || (colon.is_none() && !marked) {
                        return None;
                    }
                    self.level = Some((span.start..span.start + split, severity));
                    let after = logger.end + 1;
                    self.groups.extend(self.logger.replace(logger));
                    self.message = after;
                    // What follows is the message, whatever it looks like.
                    self.level_marked = true;
                    return Some(after);
                } else {
                    self.groups.extend(self.logger.replace(name));
                }
                self.level = Some((span.start..span.start + split, severity));
                self.level_marked = true;
                Some(end)
            }
            b'(' if level_of(front).is_some() && text.ends_with(b")") => {
                self.level = Some((span.start..span.start + split, level_of(front)?));
                let inside = span.start + split + 1..span.end - 1;
                match line[inside.clone()].iter().all(u8::is_ascii_digit) {
                    true => self.groups.extend(self.pid.replace(inside)),
                    false => self.groups.extend(self.caller.replace(inside)),
                }
                Some(end)
            }
            _ => None,
        }
    }

    /// `fares.gate/INFO > …`, `mail-out.WARNING: …`: a name and a level.
    fn level_behind_name(
        &mut self,
        line: &[u8],
        span: Range<usize>,
        marked: bool,
    ) -> Option<usize> {
        let text = &line[span.clone()];
        let end = span.end + usize::from(marked);
        // `fares.gate/INFO > …`
        if self.stamp.is_some()
            && let Some(slash) = memchr::memrchr(b'/', text).filter(|slash| *slash > 0)
            && is_upper(&text[slash + 1..])
            && text.len() - slash > 4
            && let Some(severity) = Severity::from_word(&text[slash + 1..])
            && is_name(&text[..slash])
        {
            self.level = Some((span.start + slash + 1..span.end, severity));
            self.groups.extend(self.logger.replace(span.start..span.start + slash));
            self.level_marked = marked;
            return Some(end);
        }
        // `mail-out.WARNING: …`
        if marked
            && let Some(dot) = memchr::memrchr(b'.', text).filter(|dot| *dot > 0)
            && is_upper(&text[dot + 1..])
            && let Some(severity) = Severity::from_word(&text[dot + 1..])
            && is_name(&text[..dot])
        {
            self.level = Some((span.start + dot + 1..span.end, severity));
            self.groups.extend(self.logger.replace(span.start..span.start + dot));
            self.level_marked = true;
            return Some(end);
        }
        None
    }

    /// Whether a word that may be a level is one: prose has such words too.
    fn trusted(&self, line: &[u8], span: &Range<usize>, marked: bool) -> bool {
        let text = &line[span.clone()];
        let behind = line.get(span.end + usize::from(marked)..).unwrap_or_default();
        let alone = behind.is_empty()
            || behind.starts_with(b"  ")
            || behind.starts_with(b"\t")
            || behind.starts_with(b" -")
            || behind.starts_with(b" :")
            || behind.starts_with(b" [")
            || behind.starts_with(b" (")
            || behind.starts_with(b" |")
            || matches!(behind.first(), Some(b'|' | b']'));
        if text.len() == 1 {
            // A letter stands alone, or stands between other items.
            return text[0].is_ascii_uppercase()
                && self.stamp.is_some()
                && (self.habits.letter
                    || marked
                    || alone
                    || self.pid.is_some()
                    || name_ahead(behind));
        }
        if self.inside {
            return true;
        }
        // What is a word of sentences as well needs a mark of its own.
        if matches!(
            text,
            b"HTTP"
                | b"MARK"
                | b"ALL"
                | b"NOTE"
                | b"SYSTEM"
                | b"DEFAULT"
                | b"OK"
                | b"FAIL"
                | b"FAILED"
        ) {
            return marked || alone && !behind.trim_ascii().is_empty();
        }
        if is_upper(text) {
            return true;
        }
        let timed = self.stamp.is_some();
        let capital = text[0].is_ascii_uppercase();
        let plain = matches!(
            text.to_ascii_lowercase().as_slice(),
            b"trace"
                | b"debug"
                | b"info"
                | b"warn"
                | b"warning"
                | b"error"
                | b"fatal"
                | b"critical"
        );
        if timed {
            return marked || alone || plain;
        }
        // Without a time: `info: …`, `fail: …`, but not the `Error: …` of a stack trace.
        marked && !capital
    }
}
