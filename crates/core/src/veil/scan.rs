//! Secrets in a text, by their form and by the names before them.
//!
//! A search for a few fragments finds the candidates; the detectors they belong to look around each. What no fragment
//! begins, such as a card's number, is looked for in the whole text by its shape.

use std::ops::Range;

use super::{
    Group,
    detectors::{self, Check, Rest},
    form,
    found::{Found, Mark, Want},
    fragments::{CREDENTIALS, EVERYTHING, Target},
    rules::Rules,
    sql, value,
};

/// Looks through a text. Marks are in no order and may overlap. Cost: linear in the text, whatever stands in it: what
/// has been hidden, or looked at in vain, is not looked at again.
pub(super) fn scan<'r>(text: &[u8], want: Want, rules: &'r Rules) -> Found<'r> {
    let mut found = Found { want, rules: Some(rules), ..Found::default() };
    let fragments = if want.personal { &*EVERYTHING } else { &*CREDENTIALS };
    let mut name_end = 0;
    fragments.each(text, |hit, target| {
        let inside = |mark: &Mark| hit.start >= mark.span.start && hit.end <= mark.span.end;
        if found.marks.last().is_some_and(inside) {
            return;
        }
        match target {
            // One name may hold several fragments.
            Target::Name if hit.start < name_end => {}
            Target::Name => name_end = value::named(text, hit, &mut found),
            Target::Detector(number) => {
                value::set(&mut found, *number);
                match detectors::detector(*number).map(|detector| &detector.check) {
                    Some(Check::Form(look)) => look(text, hit, &mut found),
                    Some(Check::Statement) => sql::statement(text, hit, &mut found),
                    Some(Check::Token(rest)) => token(text, hit, *rest, &mut found),
                    _ => {}
                }
            }
        }
    });
    for (number, detector) in detectors::whole() {
        let wanted = match detector.class.group() {
            Group::Personal => want.personal,
            _ => want.entropy || detector.name != detectors::ENTROPY,
        };
        if let Check::Whole(look) = detector.check
            && wanted
        {
            value::set(&mut found, *number);
            look(text, &mut found);
        }
    }
    own(text, rules, &mut found);
    for mark in found.marks.iter_mut().filter(|mark| mark.named && rules.get(mark.by).is_none()) {
        if let Some((class, by)) = form::of(&text[mark.span.clone()]) {
            (mark.class, mark.by) = (class, by);
        }
    }
    found
}

/// What the rules of one's own find.
fn own(text: &[u8], rules: &Rules, found: &mut Found<'_>) {
    if rules.is_empty() {
        return;
    }
    rules.each_name(text, |hit| {
        value::named(text, hit, found);
    });
    rules.each_hit(text, &mut |by, rule, span| {
        (found.by, found.class) = (by, rule.class);
        found.hide(span);
    });
}

/// Sorts marks and lets the widest of those that overlap stand.
pub(super) fn apart(mut found: Vec<Mark>) -> Vec<Mark> {
    if found.len() > 1 {
        found.sort_by_key(|mark| (mark.span.start, std::cmp::Reverse(mark.span.end)));
    }
    let mut kept: Vec<Mark> = Vec::with_capacity(found.len());
    for mark in found {
        match kept.last_mut() {
            Some(last) if mark.span.start < last.span.end => {
                last.span.end = last.span.end.max(mark.span.end);
            }
            _ => kept.push(mark),
        }
    }
    kept
}

/// The token that begins with its issuer's prefix at a hit.
fn token(text: &[u8], hit: Range<usize>, rest: Rest, found: &mut Found<'_>) {
    // The search ignores case, the issuers do not.
    let here = &text[hit.clone()];
    let is_prefix = |detector: &detectors::Detector| {
        detector.fragments.iter().any(|fragment| fragment.as_bytes() == here)
    };
    if !detectors::detector(found.by).is_some_and(is_prefix) {
        return;
    }
    let joined = hit.start.checked_sub(1).map(|before| text[before]);
    if joined.is_some_and(|b| b.is_ascii_alphanumeric() || b == b'_') {
        return;
    }
    if let Some(end) = form::token_end(text, hit.end, rest) {
        found.hide(hit.start..end);
    } else {
        let short = text[hit.end..].iter().take(rest.least).take_while(|b| rest.of.has(**b));
        let end = hit.end + short.count();
        if end > hit.end + 3 {
            found.nearly(hit.start..end, "too short for its prefix, or it goes on");
        }
    }
}
