//! Entries that a program draws a box around: the frame comes off, and what stands in it is read line by line: a time,
//! a level or the sign of one, a place in the code, and the message.

use std::ops::Range;

use super::{Below, Continues, Dialect, Head, Layout, prefix, trace};
use crate::entry::{Entry, Severity, Stamp, first_line, trim_cr};

pub(super) struct Boxed;

impl Layout for Boxed {
    fn name(&self) -> &'static str {
        "boxed"
    }

    fn about(&self) -> &'static str {
        "entries in drawn boxes"
    }

    fn sample(&self) -> &'static str {
        "┌────────────\n│ 06:41:02.340 INFO\n├────────────\n│ berth free\n└────────────\n┌────────────"
    }

    fn first(&self, first: u8) -> bool {
        first == 0xe2
    }

    fn begins(&self, line: &[u8]) -> bool {
        opens(line)
    }

    fn makes_up(&self, name: &str) -> bool {
        matches!(name, "icon" | "caller" | "frame") || prefix::makes_up(name)
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        opens(line).then(|| Head { gathers: true, ..Head::default() })
    }

    fn below(&self, line: &[u8]) -> Below {
        if edge(line) == Some(Edge::Last) {
            return Below::Last(None, None);
        }
        let Some(from) = inside(line) else {
            return match edge(line) {
                Some(Edge::Rule) => Below::Within(None, None),
                _ => Below::Over,
            };
        };
        let part = Part::of(line, from);
        Below::Within(part.stamp.map(|(stamp, _)| stamp), part.level.map(|(_, level)| level))
    }

    fn read<'a>(&self, raw: &'a [u8], _: &Dialect) -> Option<Entry<'a>> {
        opens(first_line(raw).0).then_some(())?;
        let mut entry = Entry::empty(raw);
        let mut at = 0;
        let mut told: Vec<Range<usize>> = Vec::new();
        for line in raw.split(|b| *b == b'\n') {
            let start = at;
            at += line.len() + 1;
            let line = trim_cr(line);
            let Some(from) = inside(line) else { continue };
            let moved = |span: &Range<usize>| start + span.start..start + span.end;
            let part = Part::of(line, from);
            if let Some((stamp, span)) = part.stamp.filter(|_| entry.stamp.is_none()) {
                (entry.stamp, entry.stamp_at) = (Some(stamp), Some(moved(&span)));
            }
            if let Some((span, level)) = part.level.filter(|_| entry.level_raw.is_none()) {
                entry.severity = Some(level);
                entry.level_raw = Some(String::from_utf8_lossy(&raw[moved(&span)]));
            }
            for (name, span) in &part.named {
                entry.take_bytes(*name, moved(span));
            }
            if !part.rest.is_empty() {
                told.push(moved(&part.rest));
            }
        }
        let mut told = told.into_iter();
        if let Some(span) = told.next() {
            entry.message = String::from_utf8_lossy(&raw[span]);
        }
        let more: Vec<_> = told.map(|span| String::from_utf8_lossy(&raw[span])).collect();
        if !more.is_empty() {
            entry.body = Some(more.join("\n").into());
            trace::describe(&mut entry, 0);
        }
        Some(entry)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// A line that is a part of the frame.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Edge {
    First,
    Rule,
    Last,
}

/// Which part of the frame a line is: it begins with a corner, and a line is drawn from there.
fn edge(line: &[u8]) -> Option<Edge> {
    let mut signs = std::str::from_utf8(line).ok()?.chars();
    let edge = match signs.next()? {
        '┌' | '╔' | '╭' | '┏' => Edge::First,
        '├' | '╠' | '┣' | '╟' => Edge::Rule,
        '└' | '╚' | '╰' | '┗' => Edge::Last,
        _ => return None,
    };
    signs.next().is_some_and(is_drawn).then_some(edge)
}

fn is_drawn(sign: char) -> bool {
    ('\u{2500}'..='\u{257f}').contains(&sign)
}

/// Whether a box begins, with no title in its frame and no columns below it, which a table has.
fn opens(line: &[u8]) -> bool {
    let plain = |sign: char| is_drawn(sign) && !matches!(sign, '┬' | '╦' | '┳' | '╤');
    edge(line) == Some(Edge::First)
        && std::str::from_utf8(line).is_ok_and(|line| line.trim_end().chars().all(plain))
}

/// Where the text begins in a line between the sides of a box.
fn inside(line: &[u8]) -> Option<usize> {
    ["│", "║", "┃"].iter().find(|side| line.starts_with(side.as_bytes())).map(|side| side.len())
}

/// What a line in a box says.
#[derive(Debug, Default)]
struct Part {
    stamp: Option<(Stamp, Range<usize>)>,
    level: Option<(Range<usize>, Severity)>,
    named: Vec<(&'static str, Range<usize>)>,
    /// What is left of it, which is a part of the message.
    rest: Range<usize>,
}

impl Part {
    fn of(line: &[u8], from: usize) -> Self {
        let mut found = Self::default();
        let text = &line[from..];
        // The side at the end of the line.
        let text = ["│", "║", "┃"].iter().find_map(|side| text.strip_suffix(side.as_bytes())).unwrap_or(text);
        let end = from + text.trim_ascii_end().len();
        let mut at = from + text.len() - text.trim_ascii_start().len();
        if at >= end {
            return found;
        }
        let line = &line[..end];
        // `#0   Berths.free (package:harbour/berths.dart:14:5)`: where it was written.
        if line[at] == b'#' && line.get(at + 1).is_some_and(u8::is_ascii_digit) {
            found.named.push(("frame", at..end));
            return found;
        }
        if let Some((stamp, taken)) = Stamp::leading(&line[at..]) {
            found.stamp = Some((stamp, at..at + taken));
            at = skip(line, at + taken);
            // `06:41:02.340 (+0:00:00.012)`: how long the program runs.
            if line[at..].starts_with(b"(+") && line.last() == Some(&b')') {
                found.named.push(("uptime", at + 2..end - 1));
                return found;
            }
        }
        if let Some((span, level)) = sign(line, at) {
            at = skip(line, span.end);
            found.named.push(("icon", span.clone()));
            found.level = Some((span, level));
        }
        let word = line[at..].iter().take_while(|b| b.is_ascii_alphabetic()).count();
        let upper = line[at..at + word].iter().all(u8::is_ascii_uppercase);
        let ends = line.get(at + word).is_none_or(|b| matches!(b, b' ' | b':' | b'|'));
        if upper && ends && word > 2 && let Some(level) = Severity::from_word(&line[at..at + word]) {
            found.level = Some((at..at + word, level));
            at = skip(line, at + word);
            at = skip(line, at + usize::from(line.get(at) == Some(&b':')));
        }
        if prefix::is_caller(&line[at..]) {
            found.named.push(("caller", at..end));
        } else {
            found.rest = at..end;
        }
        found
    }
}

fn skip(line: &[u8], at: usize) -> usize {
    at + line[at..].iter().take_while(|b| **b == b' ').count()
}

/// A sign that stands for a level.
fn sign(line: &[u8], at: usize) -> Option<(Range<usize>, Severity)> {
    let length = line[at..].iter().take(16).position(|b| *b == b' ')?;
    let sign = std::str::from_utf8(&line[at..at + length]).ok()?;
    Some((at..at + length, prefix::level_of_sign(sign)?))
}
