//! Hides the values in brackets.

use super::hide::{hide, set};
use crate::veil::{
    found::{Found, Number},
    names,
    text::{begins_a_pair, is_maker, is_name, quoted, skip, trim},
};

/// Bytes of one object or list whose values are hidden one by one; what follows is hidden whole.
const WALKED_BYTES: usize = 64 << 10;

/// Hides the values in brackets, names and what is said beside the secrets left alone. What is too long to be walked
/// is hidden whole.
pub(super) fn walk(text: &[u8], open: usize, found: &mut Found<'_>) {
    if open < found.walked {
        found.judged = true;
        return;
    }
    let until = text.len().min(open + WALKED_BYTES);
    let mut depth = 0usize;
    let mut at = open;
    let mut skip_value = false;
    let by = found.by;
    while at < until {
        match text[at] {
            b'{' | b'[' | b'(' => {
                depth += 1;
                skip_value = false;
                at += 1;
            }
            b'}' | b']' | b')' => {
                depth = depth.saturating_sub(1);
                at += 1;
                if depth == 0 {
                    break;
                }
            }
            b'"' | b'\'' => {
                let inner = quoted(text, at);
                let inner = inner.start.min(until)..inner.end.min(until);
                let closed = inner.end + (inner.start - at);
                let next = skip(text, closed.min(text.len()), b" \t");
                if matches!(text.get(next), Some(b':' | b'=')) {
                    skip_value = key(&text[inner], by, found);
                    at = next + 1;
                } else {
                    if !skip_value {
                        hide(text, inner, found);
                    }
                    skip_value = false;
                    at = closed.max(at + 1);
                }
            }
            b'\n' if depth == 0 => break,
            b',' => {
                skip_value = false;
                at += 1;
            }
            b if b.is_ascii_whitespace() || matches!(b, b':' | b'=' | b'>' | b'\\') => at += 1,
            _ => {
                let end = piece_end(text, at, until);
                let sign = text.get(end).is_some_and(|b| matches!(b, b':' | b'='));
                if sign {
                    skip_value = key(&text[at..end], by, found);
                    at = end + 1;
                } else if matches!(text.get(end), Some(b'(' | b'[' | b'{'))
                    && is_maker(&text[at..end])
                {
                    at = end;
                } else {
                    if !skip_value {
                        hide(text, trim(text, at..end), found);
                    }
                    at = end.max(at + 1);
                }
            }
        }
    }
    set(found, by);
    // What does not close is no object: a layout may take it for a text.
    let ends = text.get(at).is_none_or(|b| !b.is_ascii_alphanumeric());
    found.judged = depth == 0 && ends;
    found.walked = at;
    if at == until && until < text.len() && depth > 0 {
        found.hide(until..text.len());
    }
}

/// Takes a name inside brackets in: its value is hidden by its own detector, or by that of what it stands in. Gives
/// whether the value is no secret.
fn key(name: &[u8], by: Number, found: &mut Found<'_>) -> bool {
    let own = names::told(name, found.want.personal, found.rules);
    set(found, own.unwrap_or(by));
    own.is_none() && names::is_beside(name)
}

/// Where a piece of what stands in brackets ends: at a comma, a bracket, or the sign behind a name.
fn piece_end(text: &[u8], from: usize, until: usize) -> usize {
    let mut at = from;
    while at < until {
        let after = text.get(at + 1).copied();
        match text[at] {
            b',' if after.is_none_or(|b| b.is_ascii_whitespace())
                || begins_a_pair(text, at + 1) =>
            {
                break;
            }
            b'}' | b']' | b')' if after.is_none_or(|b| !b.is_ascii_alphanumeric()) => break,
            b'(' | b'[' | b'{' if is_maker(&text[from..at]) => break,
            b'\n' => break,
            b'=' | b':'
                if text[from..at].iter().all(|b| is_name(*b))
                    && after != Some(b'=')
                    && at - from < 32 =>
            {
                break;
            }
            _ => at += 1,
        }
    }
    at
}
