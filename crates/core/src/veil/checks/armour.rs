//! Private keys in text form (RFC 7468, RFC 4716 and the armour of OpenPGP, RFC 9580).

use std::ops::Range;

use crate::veil::found::Found;

/// Bytes before a closing line in which the other half of the key may stand.
const HALF: usize = 8 << 10;

/// What stands between the lines of armour, on several lines or with its line ends escaped. Without an end line it is
/// all that follows; without a line that begins it, the lines of base64 before the end.
pub(in crate::veil) fn private_key(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let begins = text[hit.start + 5] | 0x20 == b'b';
    let label = &text[hit.end..text.len().min(hit.end + 64)];
    let Some(close) = memchr::memmem::find(label, b"-----") else { return };
    let label = label[..close].to_ascii_uppercase();
    let private = memchr::memmem::find(&label, b"PRIVATE KEY").is_some();
    if !private {
        return found
            .nearly(hit.start..hit.end + close, "armour of something that is no private key");
    }
    if !begins {
        let start = half_before(text, hit.start);
        return found.hide(trimmed(text, start..hit.start));
    }
    let from = hit.end + close + 5;
    let end = memchr::memmem::find(&text[from..], b"-----END").map_or(text.len(), |end| from + end);
    found.hide(trimmed(text, from..end));
}

/// The line ends beside the armour stay, so that it can be seen what was there.
fn trimmed(text: &[u8], span: Range<usize>) -> Range<usize> {
    let (mut from, mut end) = (span.start, span.end);
    loop {
        let rest = &text[from..end];
        match rest.first() {
            Some(b) if b.is_ascii_whitespace() => from += 1,
            // However many times it is escaped.
            Some(b'\\') => {
                let slashes = rest.iter().take_while(|b| **b == b'\\').count();
                if !matches!(rest.get(slashes), Some(b'n' | b'r')) {
                    break;
                }
                from += slashes + 1;
            }
            _ => break,
        }
    }
    loop {
        let rest = &text[from..end];
        match rest {
            [.., b] if b.is_ascii_whitespace() => end -= 1,
            [before @ .., b'n' | b'r'] if before.last() == Some(&b'\\') => {
                end -= 1 + before.iter().rev().take_while(|b| **b == b'\\').count();
            }
            _ => break,
        }
    }
    from..end
}

/// Where the base64 begins that ends at a closing line.
fn half_before(text: &[u8], end: usize) -> usize {
    let least = end.saturating_sub(HALF);
    let is_part = |b: &u8| {
        b.is_ascii_alphanumeric() || matches!(b, b'+' | b'/' | b'=' | b'\n' | b'\r' | b'\\')
    };
    let mut start =
        text[least..end].iter().rposition(|b| !is_part(b)).map_or(least, |at| least + at + 1);
    // The rest of another line's words is no part of it.
    if start > least
        && let Some(line) = memchr::memchr2(b'\n', b'\\', &text[start..end])
        && line < 16
    {
        start += line;
    }
    start
}
