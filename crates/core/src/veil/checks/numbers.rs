//! Numbers with check digits: payment cards (ISO/IEC 7812) and bank accounts (ISO 13616).

use std::ops::Range;

use crate::veil::{found::Found, text::skip};

/// Runs of 13 to 19 digits, single blanks or dashes between groups of them allowed, that begin like a
/// payment card and pass the check digit (Luhn). Other numbers may stand right beside
/// them: `attempt 2 4000 0012 3456 7899`. All digits from a place on are looked at between which nothing else stands.
pub(in crate::veil) fn card(text: &[u8], at: usize, found: &mut Found<'_>) -> usize {
    let mut groups: Vec<Range<usize>> = Vec::new();
    let mut at = at;
    loop {
        let start = skip(text, at, b" -");
        let digits = text[start..].iter().take_while(|b| b.is_ascii_digit()).count();
        let tied = groups.last().is_some_and(|last| last.end + 1 == start);
        if !tied || digits == 0 {
            in_groups(text, &groups, found);
            groups.clear();
        }
        if digits == 0 {
            return start;
        }
        at = start + digits;
        groups.push(start..at);
    }
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
pub(in crate::veil) fn iban(text: &[u8], at: usize, found: &mut Found<'_>) -> usize {
    if let Some(end) = iban_end(text, at) {
        found.hide(at..end);
        return end;
    }
    if found.want.near && text[at..].iter().take(2).all(u8::is_ascii_uppercase) {
        let run = text[at..].iter().take(34).take_while(|b| b.is_ascii_alphanumeric()).count();
        let digits = text[at..at + run].iter().filter(|b| b.is_ascii_digit()).count();
        if run >= 15 && digits >= 10 {
            found.nearly(at..at + run, "like a bank account, but the check digits are wrong");
        }
    }
    at
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

    fn cards(text: &str) -> Vec<&str> {
        let mut found = Found::default();
        card(text.as_bytes(), 0, &mut found);
        found.marks.iter().filter_map(|mark| text.get(mark.span.clone())).collect()
    }

    #[test]
    fn cards_stand_beside_other_numbers() {
        let number = "4000 0012 3456 7899";
        for text in [
            "4000 0012 3456 7899",
            "2 4000 0012 3456 7899",
            "4000 0012 3456 7899 17",
            "--4000 0012 3456 7899",
            "06 41  4000 0012 3456 7899  7",
        ] {
            assert_eq!(cards(text), [number], "{text}");
        }
        assert_eq!(
            cards("4000-0012-3456-7899 5200 8282 8282 8210"),
            ["4000-0012-3456-7899", "5200 8282 8282 8210"]
        );
        assert_eq!(cards("4000 0012 3456 7890"), Vec::<&str>::new());
        assert_eq!(cards("4000 0012 3456 7899x"), Vec::<&str>::new());
    }

    #[test]
    fn accounts_end_where_their_check_digits_are_right() {
        for (text, end) in [
            ("GB82 WEST 1234 5698 7654 32 is", Some(27)),
            ("GB82WEST12345698765432", Some(22)),
            ("GB82-WEST-1234-5698-7654-32", Some(27)),
            ("GB83WEST12345698765432", None),
            ("GB82WEST", None),
        ] {
            assert_eq!(iban_end(text.as_bytes(), 0), end, "{text}");
        }
    }
}
