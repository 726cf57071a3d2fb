//! Words that vary, and holes in which several forms stand. Kinds that differ in one or two words only, and have many
//! different ones there, are one kind with holes; and so are kinds that differ only in what their holes hold.
//!
//! ```text
//! user alice left, user bob left, user carol left, … (six or more)      user {word} left
//! hold {id} placed, hold {number} placed                                hold {id} placed
//! weight {number} kg, weight {text} kg                                  weight {value} kg
//! ```
//!
//! What is found depends on the set of kinds alone, not on the order in which they were read, and takes time in
//! proportion to their words.

mod forms;
mod patterns;
mod search;
mod worded;

#[cfg(test)]
mod tests;

use std::{
    borrow::Cow,
    collections::{BTreeSet, HashMap, HashSet},
};

use self::{
    forms::{has_any, joined, joined_text},
    patterns::{Patterns, may_both_fit, rank},
    search::{Found, one_word, two_words},
};
use crate::entry::kind::{Dressed, Form, Pattern};

/// How often it is looked for further words that vary.
const ROUNDS: usize = 3;

/// What each of some kinds becomes; `None` where it stays as it is. The kinds are different ones.
pub(crate) fn holes_for_words(kinds: &[&str]) -> Vec<Option<Box<str>>> {
    let joined = joined(kinds);
    let mut left: Vec<String> =
        joined.iter().cloned().collect::<BTreeSet<_>>().into_iter().collect();
    let mixed: Found = left.iter().filter(|kind| has_any(kind)).cloned().collect();
    let mut patterns = without_special_cases(&mixed);
    for round in 0..=ROUNDS {
        let found = match round {
            // Where several forms stand, a word is one more.
            0 => std::mem::take(&mut patterns),
            _ => {
                let found = one_word(&left);
                if found.is_empty() { two_words(&left) } else { found }
            }
        };
        if found.is_empty() && round > 0 {
            break;
        }
        let now = Patterns::of(found.iter().map(String::as_str));
        left.retain(|kind| now.best(kind).is_none());
        left.extend(found.iter().cloned());
        left.sort_unstable();
        left.dedup();
        patterns.extend(found);
    }
    // What later rounds took up is part of theirs.
    let lasting: HashSet<&str> = left.iter().map(String::as_str).collect();
    patterns.retain(|pattern| lasting.contains(pattern.as_str()));
    let become_of = settled(&joined, patterns);
    kinds
        .iter()
        .zip(become_of)
        .map(|(kind, made)| (*kind != made).then(|| made.into_boxed_str()))
        .collect()
}

/// What each kind comes to, with the forms of all that come to the same.
fn settled(joined: &[String], patterns: Found) -> Vec<String> {
    let mut patterns = patterns;
    let mut round = 0;
    loop {
        patterns = without_special_cases(&patterns);
        let known = Patterns::of(patterns.iter().map(String::as_str));
        let classes: Vec<&str> =
            joined.iter().map(|kind| known.best(kind).unwrap_or(kind)).collect();
        let mut texts: HashMap<&str, String> = HashMap::new();
        for (kind, class) in joined.iter().zip(&classes) {
            let text = texts.entry(class).or_insert_with(|| (*class).to_owned());
            if let Cow::Owned(more) = joined_text(text, kind) {
                *text = more;
            }
        }
        let now: Found = texts.values().filter(|text| has_any(text)).cloned().collect();
        if round == ROUNDS || now.iter().all(|text| patterns.contains(text)) {
            return classes.into_iter().map(|class| texts[class].clone()).collect();
        }
        // A hole that came to be one for any value takes words as well.
        patterns = now;
        round += 1;
    }
}

/// Kinds with holes, but for those that say nothing that others do not say with any value in its place.
fn without_special_cases(patterns: &Found) -> Found {
    let known = Patterns::of(patterns.iter().map(String::as_str));
    let is_value = |(own, other): (&str, &str)| {
        let core = Dressed::of(other).core;
        Dressed::of(own).is_any() || core != Form::Word.hole()
    };
    let special = |kind: &String| {
        let others = known.all(kind).into_iter().filter(|other| other != kind);
        others.into_iter().any(|other| kind.split(' ').zip(other.split(' ')).all(is_value))
    };
    patterns.iter().filter(|kind| !special(kind)).cloned().collect()
}

/// Those kinds that some of a kind's entries are of instead, since their words fit both.
pub(crate) fn before<'k>(kind: &str, others: impl Iterator<Item = &'k str>) -> Vec<&'k str> {
    // Whatever stands where something is hidden, some of it may be of other kinds.
    if kind.contains(Form::Hidden.hole()) {
        let pattern = Pattern::new(kind);
        return others.filter(|other| *other != kind && pattern.fits(other)).collect();
    }
    if !has_any(kind) {
        return Vec::new();
    }
    let own = rank(kind);
    others
        .filter(|other| may_both_fit(kind, other) && has_any(other) && rank(other) < own)
        .collect()
}
