//! Credentials of HTTP: bearer, basic and digest (RFC 6750, 7617, 7616), and JSON Web Tokens (RFC 7519).

use std::ops::Range;

use crate::veil::{
    found::Found,
    text::{begins_a_word, line_around},
};

/// The token behind `Bearer`.
pub(in crate::veil) fn bearer(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let Some(token) = behind(text, hit.end) else { return };
    let length = token.len();
    let digit = text[token.clone()].iter().any(u8::is_ascii_digit);
    if length >= 8 && (digit || length >= 20) {
        found.hide_value(token);
    } else {
        found.nearly(token, "a plain word behind a scheme");
    }
}

/// User and password behind `Basic`.
pub(in crate::veil) fn basic(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let Some(token) = behind(text, hit.end) else { return };
    // Another such word within it makes it hard to say where the credentials begin: all of it goes.
    let value = &text[token.clone()];
    if is_basic(value) || value.to_ascii_lowercase().windows(5).any(|w| w == b"basic") {
        found.hide(token);
    } else {
        found.nearly(token, "no base64 of a text with a colon in it");
    }
}

/// The word behind a scheme, where one to three blanks or signs stand between.
fn behind(text: &[u8], at: usize) -> Option<Range<usize>> {
    let rest = &text[at..];
    let gap = rest.iter().take_while(|b| matches!(b, b' ' | b':' | b'+' | b'=')).count();
    if gap == 0 || gap > 3 {
        return None;
    }
    let start = at + gap;
    let is_token = |b: &u8| b.is_ascii_alphanumeric() || b"-._~+/=\\|".contains(b);
    let mut end = start + text[start..].iter().take_while(|b| is_token(b)).count();
    // A name and its value are no token.
    let inside =
        |at: &usize| text[*at] == b'=' && text.get(at + 1).is_some_and(u8::is_ascii_alphanumeric);
    if (start..end).any(|at| inside(&at)) {
        return None;
    }
    while end > start && matches!(text[end - 1], b'.' | b'\\') {
        end -= 1;
    }
    (end > start).then_some(start..end)
}

/// Whether a token is base64 of text with a colon in it, as RFC 7617 has it.
fn is_basic(token: &[u8]) -> bool {
    let mut buffer = 0u32;
    let mut bits = 0;
    let mut colon = false;
    let mut count = 0;
    for byte in token.iter().filter(|b| **b != b'=' && **b != b'\\') {
        let value = match byte {
            b'A'..=b'Z' => byte - b'A',
            b'a'..=b'z' => byte - b'a' + 26,
            b'0'..=b'9' => byte - b'0' + 52,
            b'+' | b'-' => 62,
            b'/' | b'_' => 63,
            _ => return false,
        };
        buffer = (buffer << 6 | u32::from(value)) & 0xffff;
        bits += 6;
        if bits >= 8 {
            bits -= 8;
            let decoded = (buffer >> bits) & 0xff;
            colon |= decoded == u32::from(b':');
            if decoded < 0x20 {
                return false;
            }
            count += 1;
        }
    }
    colon && count >= 3
}

/// The answer among the parameters behind `Digest`, `Hawk` and `MAC`.
pub(in crate::veil) fn digest(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    if !begins_a_word(text, hit.start) {
        return;
    }
    let line = line_around(text, hit.start, 1024);
    let before = text[line.start..hit.start].to_ascii_lowercase();
    let scheme = [&b"digest "[..], b"hawk ", b"mac "]
        .iter()
        .any(|scheme| memchr::memmem::find(&before, scheme).is_some());
    let from = hit.end + text[hit.end..].iter().take(2).take_while(|b| **b == b'"').count();
    let is_value = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'+' | b'/' | b'=');
    let end = from + text[from..].iter().take(256).take_while(|b| is_value(b)).count();
    if scheme && end >= from + 16 {
        found.hide(from..end);
    } else {
        found.nearly(from..end, "no digest credentials before it");
    }
}

/// The token that starts at a hit, unless that lies within letters that are known to lead to none.
pub(in crate::veil) fn jwt(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let at = hit.start;
    if at < found.dotless || !begins_a_word(text, at) {
        return;
    }
    match jwt_end(text, at) {
        Some(end) => found.hide(at..end),
        None => {
            let letters = base64url(&text[at..]);
            found.dotless = at + letters;
            if letters >= 16 {
                found.nearly(at..at + letters, "only one part of a token");
            }
        }
    }
}

/// Where the token ends that starts at `at`: three parts in base64url, the last of which may be empty, or the five of
/// an encrypted one (RFC 7516).
pub(in crate::veil) fn jwt_end(text: &[u8], at: usize) -> Option<usize> {
    if !text.get(at..)?.starts_with(b"eyJ") {
        return None;
    }
    let part = |at: usize| base64url(text.get(at..).unwrap_or_default());
    let head = at + part(at);
    if text.get(head) != Some(&b'.') || head < at + 8 {
        return None;
    }
    let second = head + 1 + part(head + 1);
    let direct = text.get(second) == Some(&b'.');
    if !direct
        || second < head + 3 && text.get(second + 1).is_none_or(|b| !b.is_ascii_alphanumeric())
    {
        return None;
    }
    let mut end = second + 1 + part(second + 1);
    for _ in 0..2 {
        let more = part(end + 1);
        if text.get(end) != Some(&b'.') || more < 8 {
            break;
        }
        end += 1 + more;
    }
    Some(end)
}

fn base64url(text: &[u8]) -> usize {
    text.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_')).count()
}
