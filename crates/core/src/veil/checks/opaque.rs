//! Stored passwords, addresses of webhooks, tokens of bots, and words without a pattern.

use std::ops::Range;

use crate::veil::{found::Found, plausible::is_placeholder, text::begins_a_word};

/// A stored password: its method, its cost, salt and hash, dollars, commas or colons between them.
pub(in crate::veil) fn hash(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let start = hit.start;
    if text[start].is_ascii_alphanumeric() && !begins_a_word(text, start) {
        return;
    }
    // A colon ends what begins with a dollar: a file of users has more behind it.
    let dollar = text[start] == b'$';
    let is_part =
        |b: &u8| b.is_ascii_alphanumeric() || b"$./+=,-_{}".contains(b) || *b == b':' && !dollar;
    let mut end = hit.end + text[hit.end..].iter().take(512).take_while(|b| is_part(b)).count();
    while end > hit.end && matches!(text[end - 1], b'.' | b',' | b':' | b'}') {
        end -= 1;
    }
    let body = &text[hit.end..end];
    let longest = body.split(|b| b"$,:{}".contains(b)).map(<[u8]>::len).max().unwrap_or(0);
    let parted =
        text[start] == b'{' || body.contains(&b'$') || body.contains(&b':') || body.len() >= 20;
    if longest >= 16 && parted && !is_placeholder(body) {
        found.hide(start..end);
    } else if !body.is_empty() {
        found.nearly(start..end, "no salt and hash behind the method");
    }
}

/// The last part of a webhook's path: what stands behind the numbers in it.
pub(in crate::veil) fn webhook(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let is_path = |b: &u8| b.is_ascii_alphanumeric() || b"-_/:@%~.".contains(b);
    let end = hit.end + text[hit.end..].iter().take(512).take_while(|b| is_path(b)).count();
    // Only in a URL: its scheme stands before.
    let least = hit.start.saturating_sub(128);
    let host =
        text[least..hit.start].iter().rposition(|b| !is_path(b)).map_or(least, |at| least + at + 1);
    if memchr::memmem::find(&text[host..hit.start], b"://").is_none() {
        return;
    }
    let long = |part: &&[u8]| {
        let odd = part.iter().any(u8::is_ascii_digit) || part.iter().any(u8::is_ascii_uppercase);
        part.len() >= 16
            && odd
            && part.iter().all(|b| b.is_ascii_alphanumeric() || b"-_:@.~".contains(b))
    };
    let mut from = hit.end;
    for part in text[hit.end..end].split(|b| *b == b'/') {
        if long(&part) {
            let last = part.iter().rev().take_while(|b| matches!(b, b'.' | b':')).count();
            found.hide(from..from + part.len() - last);
        }
        from += part.len() + 1;
    }
}

/// A bot's token: its number, a colon, and 33 to 40 letters.
pub(in crate::veil) fn bot(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let digits = text[..hit.start].iter().rev().take(12).take_while(|b| b.is_ascii_digit()).count();
    let is_token = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_');
    let rest = text[hit.end..].iter().take(64).take_while(|b| is_token(b)).count();
    if text[hit.end - 2..hit.end] != *b"AA" {
        return;
    }
    if (7..=11).contains(&digits) && (28..=40).contains(&rest) {
        found.hide(hit.start - digits..hit.end + rest);
    } else if digits > 0 {
        found.nearly(hit.start - digits..hit.end + rest, "too few digits or letters");
    }
}

/// Three letters, a digit, `Q~` and 31 to 34 letters.
pub(in crate::veil) fn cloud_secret(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    let is_part = |b: &u8| b.is_ascii_alphanumeric() || b"_~.-".contains(b);
    let Some(start) = hit.start.checked_sub(3) else { return };
    let rest = text[hit.end..].iter().take(48).take_while(|b| is_part(b)).count();
    let dots = text[hit.end..hit.end + rest].iter().rev().take_while(|b| **b == b'.').count();
    let head = text[start..hit.start].iter().all(is_part);
    if text[hit.start + 1] == b'Q'
        && head
        && begins_a_word(text, start)
        && (28..=40).contains(&(rest - dots))
    {
        found.hide(start..hit.end + rest - dots);
    }
}

/// Letters and digits of a word without a pattern, at least.
const SHORTEST: usize = 20;
/// Bits of entropy of a character, at least, counted in the word itself.
const BITS: f64 = 3.8;

/// Words of letters of both cases and digits, each of which says little of the next. Hexadecimal is none: digests and
/// commits have no secret in them.
pub(in crate::veil) fn entropy(text: &[u8], found: &mut Found<'_>) {
    let is_part = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'+' | b'/' | b'_' | b'-');
    let mut at = 0;
    while let Some(to) = text[at..].iter().position(|b| is_part(*b)) {
        let start = at + to;
        let length = text[start..].iter().take_while(|b| is_part(**b)).count();
        at = start + length;
        let word = &text[start..at];
        let has = |is: fn(&u8) -> bool| word.iter().any(is);
        let mixed =
            has(u8::is_ascii_uppercase) && has(u8::is_ascii_lowercase) && has(u8::is_ascii_digit);
        if !(SHORTEST..=512).contains(&length) || !mixed {
            continue;
        }
        if bits(word) >= BITS {
            found.hide(start..at);
        } else {
            found.nearly(start..at, "too regular for a secret");
        }
    }
}

/// Shannon's entropy of a word's characters, in bits.
#[expect(clippy::cast_precision_loss, reason = "a word has few characters")]
fn bits(word: &[u8]) -> f64 {
    let mut counts = [0u32; 256];
    word.iter().for_each(|b| counts[usize::from(*b)] += 1);
    let length = word.len() as f64;
    let share = |count: &u32| f64::from(*count) / length;
    -counts.iter().filter(|count| **count > 0).map(share).map(|p| p * p.log2()).sum::<f64>()
}
