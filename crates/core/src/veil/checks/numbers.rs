//! Numbers with check digits: payment cards (ISO/IEC 7812) and bank accounts (ISO 13616).

use std::ops::Range;

use crate::veil::{found::Found, text::begins_a_word};

/// Runs of 13 to 19 digits, single blanks or dashes between groups of them allowed, that begin like a
/// payment card and pass the check digit (Luhn). Other numbers may stand right beside
/// them: `attempt 2 4000 0012 3456 7899`.
pub(in crate::veil) fn card(text: &[u8], found: &mut Found<'_>) {
    if !holds_a_long_number(text) {
        return;
    }
    let mut groups: Vec<Range<usize>> = Vec::new();
    let mut at = 0;
    while let Some(more) = text[at..].iter().position(u8::is_ascii_digit) {
        let start = at + more;
        let digits = text[start..].iter().take_while(|b| b.is_ascii_digit()).count();
        let end = start + digits;
        let tied = groups
            .last()
            .is_some_and(|last| last.end + 1 == start && matches!(text[last.end], b' ' | b'-'));
        if !tied {
            in_groups(text, &groups, found);
            groups.clear();
        }
        groups.push(start..end);
        at = end;
    }
    in_groups(text, &groups, found);
}

/// Whether a value is the number of a card and nothing else.
pub(in crate::veil) fn is_all_card(value: &[u8]) -> bool {
    value.len() >= SHORTEST
        && value.len() <= 24
        && value.iter().all(|b| b.is_ascii_digit() || matches!(b, b' ' | b'-'))
        && is_card(value)
}

/// Digits of the shortest card.
const SHORTEST: usize = 13;

/// Whether as many digits as the shortest card has stand in a row, single blanks or dashes between them. A run
/// that long has one of two bytes beside each other wherever one looks after twelve more, and one of any two is
/// a digit.
fn holds_a_long_number(text: &[u8]) -> bool {
    let step = SHORTEST - 1;
    let mut at = step - 1;
    while at < text.len() {
        if text[at].is_ascii_digit() && in_a_long_number(text, at)
            || text[at - 1].is_ascii_digit() && in_a_long_number(text, at - 1)
        {
            return true;
        }
        at += step;
    }
    false
}

/// Whether the digit at a place is one of as many.
fn in_a_long_number(text: &[u8], at: usize) -> bool {
    let mut digits = 1;
    for backwards in [true, false] {
        let (mut place, mut gap) = (at, false);
        loop {
            let next = if backwards { place.checked_sub(1) } else { Some(place + 1) };
            let Some(next) = next.filter(|next| *next < text.len()) else { break };
            place = next;
            match text[place] {
                b'0'..=b'9' => (digits, gap) = (digits + 1, false),
                b' ' | b'-' if !gap => gap = true,
                _ => break,
            }
            if digits >= SHORTEST {
                return true;
            }
        }
    }
    false
}

/// The cards among groups of digits that stand one beside the other.
fn in_groups(text: &[u8], groups: &[Range<usize>], found: &mut Found<'_>) {
    let mut first = 0;
    while first < groups.len() {
        let start = groups[first].start;
        let mut digits = 0;
        let mut next = first + 1;
        for (at, group) in groups.iter().enumerate().skip(first) {
            digits += group.len();
            if digits > 19 {
                break;
            }
            let span = start..group.end;
            if digits >= SHORTEST && is_bounded(text, &span) {
                if is_card(&text[span.clone()]) {
                    found.hide(span);
                    next = at + 1;
                    break;
                }
                if digits == 16 {
                    found.nearly(span, "sixteen digits, but the check digit is wrong");
                }
            }
        }
        first = next;
    }
}

/// Whether a number is not the end or beginning of a word.
fn is_bounded(text: &[u8], span: &Range<usize>) -> bool {
    let before = span.start.checked_sub(1).map(|at| text[at]);
    let after = text.get(span.end);
    let joined = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_');
    // A dash ties a number to letters, as in a UUID, but not to another number.
    let dashed =
        before == Some(b'-') && span.start >= 2 && text[span.start - 2].is_ascii_alphabetic();
    !before.is_some_and(joined)
        && !dashed
        && !after.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_')
}

fn is_card(run: &[u8]) -> bool {
    let digits: Vec<u8> = run.iter().filter(|b| b.is_ascii_digit()).map(|b| b - b'0').collect();
    if !(13..=19).contains(&digits.len()) || !matches!(digits[0], 2..=6) {
        return false;
    }
    if digits[0] == 2 && !(22..=27).contains(&(digits[0] * 10 + digits[1])) {
        return false;
    }
    let sum: u32 = digits
        .iter()
        .rev()
        .enumerate()
        .map(|(place, digit)| {
            let doubled = u32::from(*digit) * if place % 2 == 1 { 2 } else { 1 };
            if doubled > 9 { doubled - 9 } else { doubled }
        })
        .sum();
    sum.is_multiple_of(10)
}

/// Bank accounts: two letters, two check digits, 11 to 30 letters and digits, in groups of four or without gaps.
pub(in crate::veil) fn iban(text: &[u8], found: &mut Found<'_>) {
    let begins = |a: u8, b: u8, c: u8, d: u8, e: u8, _: u8| {
        super::is_upper(a)
            & super::is_upper(b)
            & super::is_digit(c)
            & super::is_digit(d)
            & (super::is_digit(e) | super::is_upper(e) | (e == b' ') | (e == b'-'))
    };
    let mut next = 0;
    super::each_shape(text, begins, |at| {
        if at < next || !begins_a_word(text, at) {
            return;
        }
        match iban_end(text, at) {
            Some(end) => {
                found.hide(at..end);
                next = end;
            }
            None if found.want.near => {
                let run =
                    text[at..].iter().take(34).take_while(|b| b.is_ascii_alphanumeric()).count();
                let digits = text[at..at + run].iter().filter(|b| b.is_ascii_digit()).count();
                if run >= 15 && digits >= 10 {
                    found.nearly(
                        at..at + run,
                        "like a bank account, but the check digits are wrong",
                    );
                }
            }
            None => {}
        }
    });
}

/// Where the bank account ends that begins at a place.
pub(in crate::veil) fn iban_end(text: &[u8], at: usize) -> Option<usize> {
    let mut letters: Vec<u8> = Vec::with_capacity(34);
    let mut ends = Vec::new();
    let mut place = at;
    while letters.len() < 34 {
        match text.get(place) {
            Some(b) if b.is_ascii_uppercase() || b.is_ascii_digit() => {
                letters.push(*b);
                place += 1;
                let goes_on =
                    text.get(place).is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
                if !goes_on && letters.len() >= 15 {
                    ends.push((place, letters.len()));
                }
            }
            // A gap stands behind each group of four.
            Some(b' ' | b'-')
                if place > at && letters.len().is_multiple_of(4) && text[place - 1] != b' ' =>
            {
                place += 1;
            }
            _ => break,
        }
    }
    let [first, second, third, fourth, ..] = letters.as_slice() else { return None };
    if !(first.is_ascii_uppercase()
        && second.is_ascii_uppercase()
        && third.is_ascii_digit()
        && fourth.is_ascii_digit())
    {
        return None;
    }
    let fits = |(_, length): &&(usize, usize)| {
        let rotated = letters[4..*length].iter().chain(&letters[..4]);
        let left = rotated.fold(0u32, |left, b| match b {
            b'0'..=b'9' => (left * 10 + u32::from(b - b'0')) % 97,
            _ => (left * 100 + u32::from(b - b'A') + 10) % 97,
        });
        left == 1
    };
    ends.iter().rev().find(fits).map(|(end, _)| *end)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn long_numbers_are_seen_wherever_they_begin(text in "[a 0-9-]{0,60}", number in "([0-9][ -]?){12}[0-9]", after in "[a 0-9-]{0,20}") {
            let (mut run, mut gap, mut longest) = (0, false, 0);
            for byte in text.bytes() {
                match byte {
                    b'0'..=b'9' => (run, gap) = (run + 1, false),
                    b' ' | b'-' if !gap => gap = true,
                    _ => run = 0,
                }
                longest = longest.max(run);
            }
            prop_assert_eq!(holds_a_long_number(text.as_bytes()), longest >= SHORTEST);
            let whole = format!("{text}{number}{after}");
            prop_assert!(holds_a_long_number(whole.as_bytes()));
        }
    }
}
