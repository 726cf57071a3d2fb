//! Templates: literal text with holes, `{name}` or `{name:kind}`; `{{` and `}}` are braces.

use std::fmt::Write as _;

use regex::bytes::Regex;

use super::{Error, Kind, Part, group_name, kind_by_name, regex_message};

/// The forms that times are written in, the one with a date first; in brackets or not.
const TIME: &str = concat!(
    r"\[?(?:[0-9]{4}[-/.][0-9]{2}[-/.][0-9]{2}[T_ ]+[0-9]{1,2}:[0-9]{2}(?::[0-9]{2})?(?:[.,:][0-9]+)?",
    r"(?:Z| ?[+-][0-9]{2}:?[0-9]{2}| (?:UTC|GMT))?",
    r"|[0-9]{1,2}[/. -][A-Za-z0-9]{2,3}[/. -][0-9]{4}[: ,]+[0-9]{1,2}:[0-9:]+(?:[.,][0-9]+)?",
    r"(?: ?[AP]M)?(?: [+-][0-9]{4})?",
    r"|(?:[A-Z][a-z]{2},? )?[A-Z][a-z]{2} +[0-9]{1,2},?(?: [0-9]{4},?)? [0-9]{1,2}:[0-9:]+(?:\.[0-9]+)?",
    r"(?: ?[AP]M)?(?: [0-9]{4})?",
    r"|[0-9]{1,2}:[0-9]{2}(?::[0-9]{2})?(?:[.,][0-9]+)?|\S+?)\]?",
);

/// Makes a template a regular expression over whole lines, and lists its holes.
pub(super) fn compile(
    template: &str,
    time: Option<&str>,
) -> Result<(Regex, Vec<(String, Kind)>), Error> {
    let mut pattern = String::from("(?-u)^");
    let mut holes: Vec<(String, Kind)> = Vec::new();
    let wrong = |at: usize, message: &str| Error::new(Part::Template, at, message);
    let mut rest = template.char_indices().peekable();
    let mut adjacent = None;
    while let Some((at, c)) = rest.next() {
        match c {
            '{' if rest.next_if(|(_, next)| *next == '{').is_some() => literal(&mut pattern, '{'),
            '}' if rest.next_if(|(_, next)| *next == '}').is_some() => literal(&mut pattern, '}'),
            '}' => return Err(wrong(at, "this closes no hole; write `}}` for a brace")),
            '{' => {
                let mut inside = String::new();
                let closed = rest.by_ref().find_map(|(end, c)| {
                    if c == '}' {
                        return Some(end);
                    }
                    inside.push(c);
                    None
                });
                let end = closed.ok_or_else(|| wrong(at, "this hole is not closed; write `}`"))?;
                if adjacent == Some(at) {
                    return Err(wrong(at, "two holes need something between them"));
                }
                let (name, kind) = inside.split_once(':').unwrap_or((&inside, ""));
                if name.is_empty()
                    || !name.chars().all(|c| c.is_alphanumeric() || "_.-".contains(c))
                {
                    let message = "a hole is named with letters, digits, `_`, `.` and `-`";
                    return Err(wrong(at + 1, message));
                }
                if holes.iter().any(|(known, _)| known == name) {
                    return Err(wrong(at + 1, "there is a hole of this name already"));
                }
                let kind = kind_of(name, kind).ok_or_else(|| {
                    let message = "this is no kind; the kinds are text, time, level, id, int, \
                                   number, pairs and json";
                    wrong(at + name.len() + 2, message)
                })?;
                let last = end + 1 == template.len();
                // A time of its own form takes as many words as its format has.
                let words = time.map(|format| {
                    let more = format.split_whitespace().count().saturating_sub(1);
                    format!(r"\S+?(?:[ \t]+\S+?){{{more}}}")
                });
                let _ = write!(
                    pattern,
                    "(?P<{}>{})",
                    group_name(holes.len(), name),
                    match (kind, last) {
                        (Kind::Time, _) => words.as_deref().unwrap_or(TIME),
                        (Kind::Int, _) => "-?[0-9]+",
                        (Kind::Number, _) => r"-?[0-9]+(?:\.[0-9]+)?",
                        (Kind::Id, _) => r"[^\s|,;\]]*",
                        (Kind::Level, _) => r"\s*[A-Za-z0-9]*\s*",
                        (_, true) => ".*",
                        (_, false) => ".*?",
                    }
                );
                holes.push((name.to_owned(), kind));
                adjacent = Some(end + 1);
            }
            ' ' => {
                while rest.next_if(|(_, next)| *next == ' ').is_some() {}
                pattern.push_str(r"[ \t]+");
            }
            c => literal(&mut pattern, c),
        }
    }
    if holes.is_empty() {
        return Err(wrong(0, "this has no hole; write for example {time} {level} {message}"));
    }
    pattern.push('$');
    let regex = regex::bytes::RegexBuilder::new(&pattern)
        .size_limit(1 << 20)
        .build()
        .map_err(|error| wrong(0, &regex_message(&error)))?;
    Ok((regex, holes))
}

fn literal(pattern: &mut String, c: char) {
    let mut bytes = [0; 4];
    for byte in c.encode_utf8(&mut bytes).bytes() {
        let _ = write!(pattern, r"\x{byte:02x}");
    }
}

fn kind_of(name: &str, kind: &str) -> Option<Kind> {
    Some(match kind {
        "" => match name {
            "pairs" => Kind::Pairs,
            "json" => Kind::Json,
            _ => kind_by_name(name),
        },
        "text" => Kind::Text,
        "time" => Kind::Time,
        "level" => Kind::Level,
        "id" => Kind::Id,
        "int" => Kind::Int,
        "number" => Kind::Number,
        "pairs" => Kind::Pairs,
        "json" => Kind::Json,
        _ => return None,
    })
}

/// A first template for a line: its time, its level and what sets columns apart, as far as they can be told.
#[must_use]
pub fn propose(line: &str) -> String {
    use crate::entry::{Severity, Stamp};
    let mut out = String::new();
    let (mut time, mut level, mut column) = (false, false, 0);
    let marks: &[char] = if line.contains('|') { &['|'] } else { &['\t', ';'] };
    let mut rest = line;
    let mut first = true;
    while !rest.is_empty() {
        let end = rest.find(marks).unwrap_or(rest.len());
        let cell = rest.get(..end).unwrap_or(rest);
        let mark = rest.get(end..).and_then(|behind| behind.chars().next());
        let bare = cell.trim();
        let lead = cell.len() - cell.trim_start().len();
        let tail = cell.len() - cell.trim_end().len();
        out.push_str(&" ".repeat(lead.min(1)));
        if bare.is_empty() {
        } else if !time && Stamp::read(bare.as_bytes()).is_some() {
            time = true;
            out.push_str("{time}");
        } else if !level && Severity::from_word(bare.as_bytes()).is_some() {
            level = true;
            out.push_str("{level}");
        } else if first && let Some((_, taken)) = Stamp::leading(bare.as_bytes()) {
            time = true;
            out.push_str("{time}");
            let words = bare.get(taken..).unwrap_or_default();
            out.push_str(&words_of(words, &mut level));
        } else if mark.is_none() {
            out.push_str("{message}");
        } else {
            column += 1;
            let _ = write!(out, "{{column{column}}}");
        }
        out.push_str(&" ".repeat(tail.min(1)));
        let Some(mark) = mark else { break };
        out.push(mark);
        rest = rest.get(end + mark.len_utf8()..).unwrap_or_default();
        first = false;
    }
    if out.contains('{') { out } else { "{message}".into() }
}

/// The words behind a leading time: a level, and the message.
fn words_of(words: &str, level: &mut bool) -> String {
    use crate::entry::Severity;
    let mut out = String::new();
    let trimmed = words.trim_start();
    out.push_str(&" ".repeat((words.len() - trimmed.len()).min(1)));
    let end = trimmed.find(' ').unwrap_or(trimmed.len());
    let word = trimmed.get(..end).unwrap_or_default();
    let bare = word.trim_matches(['[', ']', ':', '(', ')']);
    if !bare.is_empty() && Severity::from_word(bare.as_bytes()).is_some() {
        *level = true;
        out.push_str(&word.replacen(bare, "{level}", 1));
        if end < trimmed.len() {
            out.push_str(" {message}");
        }
    } else if !trimmed.is_empty() {
        out.push_str("{message}");
    }
    out
}
