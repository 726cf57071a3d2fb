//! Secrets in statements: the values for columns with a secret's name, and what is bound to their parameters.

use std::ops::Range;

use super::{
    found::{Found, Number},
    names,
    plausible::{is_harmless, is_parameter},
    text::{quoted_end, trim, word_end},
    value::hide::hide_span,
};

/// Bytes of a statement that are looked at.
const STATEMENT: usize = 16 << 10;
/// Rows of values that are looked at one by one.
const ROWS: usize = 1024;

/// `INSERT INTO table (a, password) VALUES (1, '…'), (2, '…')`.
pub(super) fn statement(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let until = text.len().min(hit.end + STATEMENT);
    let rest = &text[hit.end..until];
    // The table's name, then the columns in brackets.
    let Some(open) = memchr::memchr2(b'(', b'\n', rest.get(..rest.len().min(256)).unwrap_or(rest))
    else {
        return;
    };
    if rest[open] != b'(' {
        return;
    }
    let open = hit.end + open;
    let Some((columns, close)) = items(text, open, until) else { return };
    let secret: Vec<Option<Number>> = columns
        .iter()
        .map(|column| {
            let name = text[column.clone()].trim_ascii();
            names::told(name, found.want.personal, found.rules)
        })
        .collect();
    if secret.iter().all(Option::is_none) {
        return;
    }
    let values = &text[close..until.min(close + 256)];
    let Some(at) = values.windows(6).position(|word| word.eq_ignore_ascii_case(b"values")) else {
        return;
    };
    let mut at = close + at + 6;
    for _ in 0..ROWS {
        at += text[at..until].iter().take_while(|b| b.is_ascii_whitespace() || **b == b',').count();
        if text.get(at) != Some(&b'(') {
            return;
        }
        let Some((row, end)) = items(text, at, until) else { return };
        for (number, span) in row.iter().enumerate() {
            let Some(by) = secret.get(number).copied().flatten() else { continue };
            let span = unquoted(text, span.clone());
            let value = &text[span.clone()];
            if is_parameter(value) {
                bound_to(text, value, number, end, by, found);
            } else if !is_harmless(value) {
                let kept = (found.by, found.class);
                hide_span(text, span, by, found);
                (found.by, found.class) = kept;
            }
        }
        at = end;
    }
}

/// What is bound to the parameter that a name in a statement is compared with or set to.
pub(super) fn bound(text: &[u8], statement: usize, parameter: Range<usize>, found: &mut Found<'_>) {
    let before = &text[statement.saturating_sub(STATEMENT)..parameter.start];
    // Question marks are counted from the beginning of the statement, which stands on the same line.
    let line = memchr::memrchr(b'\n', before).map_or(0, |at| at + 1);
    let number = before[line..].iter().filter(|b| **b == b'?').count();
    let by = found.by;
    if let Some(span) = value_of(text, &text[parameter.clone()], number, parameter.end) {
        hide_span(text, span, by, found);
    }
}

fn bound_to(
    text: &[u8],
    parameter: &[u8],
    number: usize,
    from: usize,
    by: Number,
    found: &mut Found<'_>,
) {
    let kept = (found.by, found.class);
    if let Some(span) = value_of(text, parameter, number, from) {
        hide_span(text, span, by, found);
    }
    (found.by, found.class) = kept;
}

/// The value of a parameter behind a statement: `$2 = '…'`, or the one at its place in a list that is announced by
/// a word such as `parameters`.
fn value_of(text: &[u8], parameter: &[u8], number: usize, from: usize) -> Option<Range<usize>> {
    let until = text.len().min(from + STATEMENT);
    let rest = text.get(from..until)?;
    let bare = parameter
        .strip_prefix(b"%(")
        .and_then(|rest| rest.strip_suffix(b")s"))
        .unwrap_or(parameter);
    let bare = bare.strip_prefix(b":").unwrap_or(bare);
    if bare != b"?" && bare != b"%s" {
        // By its name or number, with its value behind a sign.
        for at in memchr::memmem::find_iter(rest, bare).take(64) {
            let mut end = from + at + bare.len();
            let inside =
                |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
            if inside(text.get(end)) || at > 0 && inside(rest.get(at - 1)) {
                continue;
            }
            end += text[end..until].iter().take_while(|b| matches!(b, b'"' | b'\'' | b' ')).count();
            if matches!(text.get(end), Some(b'=' | b':')) {
                let start =
                    end + 1 + text[end + 1..until].iter().take_while(|b| **b == b' ').count();
                return Some(one(text, start, until));
            }
        }
    }
    let number = match parameter {
        [b'$', digits @ ..] => {
            std::str::from_utf8(digits).ok()?.parse::<usize>().ok()?.checked_sub(1)?
        }
        _ => number,
    };
    let lower = rest.to_ascii_lowercase();
    let word = ["param", "bind", "args", "values:", "values="]
        .iter()
        .filter_map(|word| memchr::memmem::find(&lower, word.as_bytes()))
        .min()?;
    let sign =
        lower[word..].iter().take(32).position(|b| matches!(b, b'=' | b':' | b'[' | b'('))?;
    let mut at = from + word + sign;
    at += text[at..until].iter().take_while(|b| b" =:".contains(b)).count();
    let list = if matches!(text.get(at), Some(b'[' | b'(' | b'{')) {
        items(text, at, until)?.0
    } else {
        let line = memchr::memchr(b'\n', &text[at..until]).map_or(until, |to| at + to);
        split(text, at, line)
    };
    list.get(number).map(|span| {
        let span = unquoted(text, span.clone());
        // `hunter2(String)`
        let value = &text[span.clone()];
        let typed = value.strip_suffix(b")").and_then(|rest| memchr::memrchr(b'(', rest));
        span.start..typed.map_or(span.end, |at| span.start + at)
    })
}

/// The items between brackets, and where these close.
fn items(text: &[u8], open: usize, until: usize) -> Option<(Vec<Range<usize>>, usize)> {
    let (mut depth, mut at) = (0usize, open);
    while at < until {
        match text[at] {
            b'(' | b'[' | b'{' => depth += 1,
            b')' | b']' | b'}' => {
                depth = depth.saturating_sub(1);
                if depth == 0 {
                    return Some((split(text, open + 1, at), at + 1));
                }
            }
            quote @ (b'\'' | b'"' | b'`') => at = quoted_end(text, at + 1, quote).min(until),
            _ => {}
        }
        at += 1;
    }
    None
}

/// Items between commas, those in quotes and brackets left whole.
fn split(text: &[u8], from: usize, until: usize) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let (mut start, mut at, mut depth) = (from, from, 0usize);
    while at < until {
        match text[at] {
            b',' if depth == 0 => {
                found.push(trim(text, start..at));
                start = at + 1;
            }
            b'(' | b'[' | b'{' => depth += 1,
            b')' | b']' | b'}' => depth = depth.saturating_sub(1),
            quote @ (b'\'' | b'"' | b'`') => at = quoted_end(text, at + 1, quote).min(until),
            _ => {}
        }
        at += 1;
    }
    found.push(trim(text, start..until));
    found
}

fn unquoted(text: &[u8], span: Range<usize>) -> Range<usize> {
    let start = span.start
        + usize::from(
            text.get(span.start) == Some(&b'N') && text.get(span.start + 1) == Some(&b'\''),
        );
    match text.get(start) {
        Some(quote @ (b'\'' | b'"' | b'`')) => {
            start + 1..quoted_end(text, start + 1, *quote).min(span.end)
        }
        _ => span,
    }
}

/// One value, in quotes or not.
fn one(text: &[u8], at: usize, until: usize) -> Range<usize> {
    match text.get(at) {
        Some(quote @ (b'\'' | b'"')) => at + 1..quoted_end(text, at + 1, *quote).min(until),
        _ => at..word_end(text, at, false).min(until),
    }
}
