//! Secrets in a condition that a person typed: the values beside a name that holds one, whatever the operator.

use std::ops::Range;

use super::{
    Class, detectors,
    found::{Mark, Number},
    names,
    plausible::is_harmless,
    rules::Rules,
};

/// The secrets in a condition, or in any other text that was typed.
///
/// In `password ~ "hunter2"`, `api_key != abc` and `token in (abc, def)` the values are hits; the number in
/// `password_age_days > 30` is a near miss.
pub(super) fn typed(text: &[u8], personal: bool, rules: &Rules) -> Vec<Mark> {
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(word) = next_word(text, at) {
        at = word.end;
        let by = names::told(&text[word], personal, Some(rules));
        let own = |by| rules.get(by).map(|rule| rule.class);
        let class = |by| own(by).or_else(|| detectors::detector(by).map(|detector| detector.class));
        if let Some(by) = by
            && let Some(class) = class(by)
        {
            values(text, at, (class, by), &mut found);
        }
    }
    found
}

/// The next word from a place on, a quoted one without its quotes.
fn next_word(text: &[u8], from: usize) -> Option<Range<usize>> {
    let part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.');
    let start = from + text.get(from..)?.iter().position(part)?;
    let end = start + text[start..].iter().take_while(|b| part(b)).count();
    Some(start..end)
}

/// The values that a name is compared with.
fn values(text: &[u8], at: usize, by: (Class, Number), found: &mut Vec<Mark>) {
    let blanks = |at: usize| at + text[at..].iter().take_while(|b| b.is_ascii_whitespace()).count();
    let mut at = blanks(at + usize::from(text.get(at) == Some(&b'"')));
    if let Some(rest) = keyword(text, at, b"not") {
        at = blanks(rest);
    }
    if let Some(rest) = keyword(text, at, b"in") {
        at = blanks(rest);
        if text.get(at) != Some(&b'(') {
            return value(text, at, by, found);
        }
        let mut next = at + 1;
        while next < text.len() && text[next] != b')' {
            next = blanks(next);
            let before = next;
            next = value_end(text, next);
            push(text, before..next, by, found);
            next += text[next..].iter().take_while(|b| **b == b',' || **b == b' ').count();
            next = next.max(before + 1);
        }
        return;
    }
    let operator = text[at..].iter().take_while(|b| b"=!<>~".contains(b)).count();
    if operator > 0 {
        value(text, blanks(at + operator), by, found);
    }
}

/// Where a keyword ends that stands at a place.
fn keyword(text: &[u8], at: usize, word: &[u8]) -> Option<usize> {
    let here = text.get(at..at + word.len())?;
    let ends = text.get(at + word.len()).is_none_or(|b| !b.is_ascii_alphanumeric());
    (here.eq_ignore_ascii_case(word) && ends).then_some(at + word.len())
}

fn value(text: &[u8], at: usize, by: (Class, Number), found: &mut Vec<Mark>) {
    push(text, at..value_end(text, at), by, found);
}

/// Where a value ends that begins at a place: at its quote, or at the end of its word.
fn value_end(text: &[u8], at: usize) -> usize {
    let Some(quote @ (b'"' | b'\'')) = text.get(at) else {
        let stop = |b: &u8| b.is_ascii_whitespace() || matches!(b, b',' | b')' | b'(');
        return at + text[at..].iter().position(stop).unwrap_or(text.len() - at);
    };
    let mut end = at + 1;
    while end < text.len() && text[end] != *quote {
        end += if text[end] == b'\\' { 2 } else { 1 };
    }
    (end + 1).min(text.len())
}

/// Marks a value, without its quotes.
fn push(text: &[u8], span: Range<usize>, by: (Class, Number), found: &mut Vec<Mark>) {
    let quote = |at: usize| matches!(text.get(at), Some(b'"' | b'\''));
    let start = span.start + usize::from(quote(span.start));
    let end = if span.end > start && quote(span.end - 1) { span.end - 1 } else { span.end };
    if start < end && !is_harmless(&text[start..end]) {
        let (class, by) = by;
        found.push(Mark { span: start..end, class, by, named: true });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_beside_a_secret_name_are_found_with_every_operator() {
        for (text, want) in [
            ("password = hunter2", &["hunter2"][..]),
            ("password != hunter2", &["hunter2"]),
            ("user.password ~ \"^hun.*2$\" and level >= warn", &["^hun.*2$"]),
            ("api_key !~ 'abc def'", &["abc def"]),
            ("token in (abc, \"d e\", f)", &["abc", "d e", "f"]),
            ("not token not in (abc)", &["abc"]),
            ("\"card pin\" = 1234 or pin >= 4321", &["1234", "4321"]),
            ("password_age_days > 30", &[]),
            ("has password", &[]),
            ("password = \"unfinished", &["unfinished"]),
            ("password in (", &[]),
            ("password", &[]),
            ("status in (502, 503)", &[]),
        ] {
            let found = typed(text.as_bytes(), false, &Rules::default());
            let found: Vec<&str> =
                found.iter().map(|mark| text.get(mark.span.clone()).unwrap()).collect();
            assert_eq!(found, want, "{text}");
        }
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_survived(text in ".{0,60}|(password|in|not|[(),=~\"' a]){0,20}") {
            for mark in typed(text.as_bytes(), true, &Rules::default()) {
                proptest::prop_assert!(mark.span.end <= text.len());
            }
        }
    }
}
