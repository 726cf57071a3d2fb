//! What stands in an entry as it is written: its timestamps, and tokens that no part of it has.

use std::ops::Range;

use super::{Entry, Role, Stamp};

/// Bytes at the beginning of an entry within which its timestamp begins.
const REACH: usize = 320;
/// Lines of an entry in a wrapper, each with a time of its own, that are looked at for it.
const LINES: usize = 64;

/// Where the timestamps of an entry stand: its own, and those of a wrapper at the beginning of its lines.
pub(crate) fn stamps_of(entry: &Entry<'_>) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    entry.leaves(&mut |_, field| {
        if field.role == Role::Time && field.span.len() < entry.raw.len() {
            found.push(field.span.clone());
        }
    });
    found.extend(entry.stamp_at.clone());
    let Some(own) = entry.stamp else { return found };
    let raw = entry.raw;
    let mut at = 0;
    while at < raw.len().min(REACH) {
        // A letter for the level may stand right before it.
        let begins = at < 2 || !raw[at - 1].is_ascii_alphanumeric();
        match leading(&raw[at..]).filter(|(stamp, _)| begins && *stamp == own) {
            Some((_, taken)) => {
                found.push(at..at + taken);
                break;
            }
            None => at += 1,
        }
    }
    let mut start = 0;
    for line in raw.split(|b| *b == b'\n').take(LINES) {
        if let Some((_, taken)) = Stamp::leading(line) {
            found.push(start..start + taken);
        }
        start += line.len() + 1;
    }
    found
}

/// A token of an entry that lands in none of its parts, if there is one: runs of letters and digits, each as often in
/// the parts as in the bytes, but for timestamps, what stands beside a backslash, and what a layout owns.
///
/// Builds with debug assertions ask this of every reading; a layout asks it where torn lines may leave something out.
pub(crate) fn lost(entry: &Entry<'_>, owns: &dyn Fn(&str) -> bool) -> Option<String> {
    use std::collections::HashMap;

    use super::Field;

    fn tokens<'t>(text: &'t str, visit: &mut dyn FnMut(&'t str, usize)) {
        for part in text.split(|c: char| !c.is_alphanumeric()).filter(|part| !part.is_empty()) {
            visit(part, part.as_ptr() as usize - text.as_ptr() as usize);
        }
    }
    fn all<'e>(fields: &'e [Field<'_>], visit: &mut dyn FnMut(&'e str)) {
        for field in fields {
            visit(&field.name);
            if let Some(text) = field.value.text() {
                visit(text);
            }
            all(field.value.children(), visit);
        }
    }
    let mut parts: HashMap<String, usize> = HashMap::new();
    let mut count = |text: &str| {
        tokens(text, &mut |token, _| *parts.entry(token.to_lowercase()).or_default() += 1);
    };
    for text in [&entry.level_raw, &entry.logger, &entry.body].into_iter().flatten() {
        count(text);
    }
    count(&entry.message);
    all(&entry.fields, &mut count);
    let stamps = stamps_of(entry);
    let mut lost = None;
    let raw = std::str::from_utf8(entry.raw).unwrap_or_default();
    tokens(raw, &mut |token, at| {
        // A letter for the level may stand right before a date.
        let from = stamps.iter().map(|stamp| stamp.start).find(|start| *start > at);
        let token = token.get(..from.map_or(token.len(), |from| from - at)).unwrap_or(token);
        let timed = stamps.iter().any(|stamp| stamp.start <= at && at < stamp.end);
        let end = at + token.len();
        let bytes = raw.as_bytes();
        let escaped = bytes[..at].ends_with(b"\\") || bytes[end..].starts_with(b"\\");
        if timed || owns(token) || escaped {
            return;
        }
        match parts.get_mut(&token.to_lowercase()).filter(|left| **left > 0) {
            Some(left) => *left -= 1,
            None => lost = lost.take().or(Some(token.to_owned())),
        }
    });
    lost
}

/// A time at the beginning of a text, seconds since 1970 with a fraction as well, and its length.
fn leading(text: &[u8]) -> Option<(Stamp, usize)> {
    Stamp::leading(text).or_else(|| {
        let digits = text.iter().take(24).take_while(|b| b.is_ascii_digit() || **b == b'.').count();
        Some((Stamp::epoch(text.get(..digits)?)?, digits))
    })
}
