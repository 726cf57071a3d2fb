//! The name that a fragment stands in, and which detector takes it.

use std::ops::Range;

use crate::veil::{
    found::{Found, Number},
    names,
    text::{NAME_BYTES, is_name, skip},
};

/// The name that a fragment stands in: up to what can't be in a name without quotes.
pub(super) fn name_around(text: &[u8], hit: &Range<usize>) -> Range<usize> {
    let least = hit.start.saturating_sub(NAME_BYTES);
    let before = &text[least..hit.start];
    let start = before.iter().rposition(|b| !is_name(*b)).map_or(least, |at| least + at + 1);
    // Some fragments take the sign behind the name in.
    let signed = hit.end - text[hit.clone()].iter().rev().take_while(|b| !is_name(**b)).count();
    let mut end = signed;
    if signed == hit.end {
        let after = &text[hit.end..text.len().min(hit.end + NAME_BYTES)];
        end += after.iter().position(|b| !is_name(*b)).unwrap_or(after.len());
    }
    // A full stop ends a sentence, not a name; dashes before it are a flag's.
    while end > hit.end && matches!(text[end - 1], b'.' | b'-') {
        end -= 1;
    }
    start..end.max(start)
}

/// Which detector takes the name: alone, or with the words beside it.
pub(super) fn judge(
    text: &[u8],
    name: &Range<usize>,
    found: &mut Found<'_>,
) -> Option<(Number, Range<usize>)> {
    let (personal, rules) = (found.want.personal, found.rules);
    let judge =
        |span: Range<usize>| names::told(&text[span.clone()], personal, rules).map(|by| (by, span));
    if let Some(judged) = judge(name.clone()) {
        return Some(judged);
    }
    // `one-time code=`
    if text.get(name.end) == Some(&b' ') {
        let word = text[name.end + 1..].iter().take(16).take_while(|b| is_name(**b)).count();
        let end = name.end + 1 + word;
        if matches!(text.get(end), Some(b'=' | b':' | b'"'))
            && let Some(judged) = judge(name.start..end)
        {
            return Some(judged);
        }
    }
    // `api key`, `one time code`; a quoted name may go on behind a blank as well.
    let mut start = name.start;
    for _ in 0..2 {
        if start < 2 || text[start - 1] != b' ' || !text[start - 2].is_ascii_alphanumeric() {
            break;
        }
        let least = (start - 1).saturating_sub(16);
        let before = &text[least..start - 1];
        start = before.iter().rposition(|b| !is_name(*b)).map_or(least, |at| least + at + 1);
        if let Some(judged) = judge(start..name.end) {
            return Some(judged);
        }
    }
    // What a layout may take for the name is a part of it, or all that stands in quotes.
    let parts = text[name.clone()].split(|b| *b == b'.');
    let in_part = parts.into_iter().any(|part| names::told(part, personal, rules).is_some());
    let quoted = text.get(start.wrapping_sub(1)) == Some(&b'"');
    let goes_on = quoted && text.get(name.end) == Some(&b' ');
    found.open |= in_part && has_a_sign(text, name.end) || goes_on;
    None
}

/// Whether something that may be a sign stands behind a name.
pub(super) fn has_a_sign(text: &[u8], end: usize) -> bool {
    let at = skip(text, end, b"\"'`])} \t");
    matches!(text.get(at), Some(b'=' | b':'))
}
