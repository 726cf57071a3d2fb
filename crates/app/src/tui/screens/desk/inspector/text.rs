//! The text of an entry as lines to read: message, stack trace, JSON, the value under the cursor.

use cribrum_core::{code::Place, engine::Shown, veil::Clean, veil::harmless};
use serde::de::IgnoredAny;

use crate::present::{cells, wrapped};

/// How a line is to be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// The message.
    Message,
    /// A line of the text, or a frame of the program itself.
    Own,
    /// A frame of a language or of a package of others.
    Foreign,
    /// What a line is about.
    Title,
}

/// A line of the text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TextLine {
    pub(crate) text: String,
    pub(crate) kind: Kind,
    /// The place in code that it names.
    pub(crate) place: Option<Place>,
}

impl TextLine {
    fn new(text: impl Into<String>, kind: Kind) -> Self {
        Self { text: text.into(), kind, place: None }
    }
}

/// The lines of an entry; `part` is the path and the value of what is under the cursor, where it is to be read here.
pub(super) fn lines(
    entry: &Shown,
    part: Option<(&str, &Clean<'_>)>,
    width: usize,
    levels: usize,
    own: &[String],
) -> Vec<TextLine> {
    let mut lines = Vec::new();
    if let Some((path, text)) = part {
        lines.push(TextLine::new(harmless(path), Kind::Title));
        value(text, width, levels, Kind::Own, &mut lines);
        lines.push(TextLine::new("", Kind::Own));
    }
    value(&entry.message, width, levels, Kind::Message, &mut lines);
    let body = entry.body.as_ref().map(Clean::as_str).unwrap_or_default();
    if is_json(body) {
        pretty(&harmless(body), levels, width, Kind::Own, &mut lines);
        return lines;
    }
    for line in body.lines() {
        let place = Place::of_frame(line);
        let foreign = place.as_ref().is_some_and(|place| !place.is_own(own));
        let kind = if foreign { Kind::Foreign } else { Kind::Own };
        let clean = harmless(line).replace('\t', "    ");
        let indent = clean.len() - clean.trim_start().len();
        for (at, part) in wrapped(&clean, width).into_iter().enumerate() {
            // What a long line goes on with stands under its beginning.
            let text = match at {
                0 => part,
                _ => format!("{}{part}", " ".repeat(indent.min(width / 3))),
            };
            let place = place.clone().filter(|_| at == 0);
            lines.push(TextLine { text, kind, place });
        }
    }
    lines
}

/// The entry as it stands in its source.
pub(super) fn written(raw: &Clean<'_>, width: usize) -> Vec<TextLine> {
    let text = raw.for_terminal();
    let wrap = |line: &str| wrapped(&line.replace('\t', "    "), width);
    text.lines().flat_map(wrap).map(|line| TextLine::new(line, Kind::Own)).collect()
}

fn value(text: &Clean<'_>, width: usize, levels: usize, kind: Kind, lines: &mut Vec<TextLine>) {
    let clean = text.for_terminal();
    if is_json(&clean) {
        return pretty(&clean, levels, width, kind, lines);
    }
    for line in clean.lines() {
        lines.extend(wrapped(line, width).into_iter().map(|part| TextLine::new(part, kind)));
    }
}

/// Whether a text is an object or a list of JSON with something in it.
pub(super) fn is_json(text: &str) -> bool {
    let text = text.trim();
    text.len() > 2
        && text.starts_with(['{', '['])
        && text.ends_with(['}', ']'])
        && serde_json::from_str::<IgnoredAny>(text).is_ok()
}

/// Writes JSON with a line for each value, deeper levels than `levels` each in one line. Order and numbers stay as
/// they are written.
fn pretty(text: &str, levels: usize, width: usize, kind: Kind, lines: &mut Vec<TextLine>) {
    let mut out: Vec<(usize, String)> = vec![(0, String::new())];
    let mut depth = 0;
    let mut folded = 0_usize;
    let mut chars = text.trim().chars().peekable();
    let (mut quoted, mut escaped) = (false, false);
    while let Some(c) = chars.next() {
        let Some((_, line)) = out.last_mut() else { return };
        if quoted {
            line.push(c);
            quoted = escaped || c != '"';
            escaped = !escaped && c == '\\';
            continue;
        }
        match c {
            '"' => {
                quoted = true;
                line.push(c);
            }
            _ if c.is_whitespace() => {}
            '{' | '[' => {
                line.push(c);
                while chars.next_if(|c| c.is_whitespace()).is_some() {}
                let close = if c == '{' { '}' } else { ']' };
                if chars.next_if_eq(&close).is_some() {
                    line.push(close);
                } else if folded > 0 || depth >= levels {
                    folded += 1;
                } else {
                    depth += 1;
                    out.push((depth, String::new()));
                }
            }
            '}' | ']' => {
                if folded > 0 {
                    folded -= 1;
                    line.push(c);
                } else {
                    depth -= 1;
                    out.push((depth, c.to_string()));
                }
            }
            ',' if folded > 0 => line.push_str(", "),
            ',' => {
                line.push(c);
                out.push((depth, String::new()));
            }
            ':' => line.push_str(": "),
            _ => line.push(c),
        }
    }
    for (depth, line) in out {
        let indent = (depth * 2).min(width / 2);
        for (at, part) in wrapped(&line, width.saturating_sub(indent).max(1)).iter().enumerate() {
            let more = if at > 0 { 2 } else { 0 };
            let room = width.saturating_sub(cells(part));
            let text = format!("{}{part}", " ".repeat((indent + more).min(room)));
            lines.push(TextLine::new(text, kind));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(text: &str, levels: usize) -> Vec<String> {
        let mut lines = Vec::new();
        pretty(text, levels, 40, Kind::Own, &mut lines);
        lines.into_iter().map(|line| line.text).collect()
    }

    #[test]
    fn json_has_a_line_for_each_value_and_folds_by_level() {
        let text =
            r#"{"seat": {"row":12, "tags":["a, b", "c\"}"], "none":{}},"price":48.00, "z":[]}"#;
        assert_eq!(
            shown(text, 9),
            [
                "{",
                "  \"seat\": {",
                "    \"row\": 12,",
                "    \"tags\": [",
                "      \"a, b\",",
                "      \"c\\\"}\"",
                "    ],",
                "    \"none\": {}",
                "  },",
                "  \"price\": 48.00,",
                "  \"z\": []",
                "}",
            ]
        );
        let folded = shown(text, 1);
        assert_eq!(folded.len(), 6, "{folded:?}");
        assert!(folded[1].starts_with("  \"seat\": {\"row\": 12, \"tags\": ["), "{folded:?}");
        assert!(shown(text, 0).concat().starts_with("{\"seat\": {\"row\""));
        assert!(shown(text, 9).iter().all(|line| cells(line) <= 40));
    }

    #[test]
    fn only_json_is_taken_for_json() {
        for (text, want) in [
            ("{\"a\":1}", true),
            (" [1, 2] ", true),
            ("{}", false),
            ("[INFO]", false),
            ("{a:1}", false),
            ("text {\"a\":1}", false),
        ] {
            assert_eq!(is_json(text), want, "{text}");
        }
    }
}
