//! Kinds that differ in nothing but what their holes hold.

use std::{borrow::Cow, collections::HashMap};

use crate::entry::kind::{Dressed, Form, joined_hole, split_hole};

/// Words for a value that is not there.
const NOTHING: [&str; 8] = ["null", "nil", "none", "None", "undefined", "NULL", "N/A", "n/a"];

/// Each of some kinds with the forms of all that differ from it in nothing but what their holes hold.
pub(super) fn joined(kinds: &[&str]) -> Vec<String> {
    let keys: Vec<String> = kinds.iter().map(|kind| without_forms(kind)).collect();
    let mut texts: HashMap<&str, String> = HashMap::new();
    for (kind, key) in kinds.iter().zip(&keys) {
        let text = texts.entry(key).or_insert_with(|| (*kind).to_owned());
        if let Cow::Owned(more) = joined_text(text, kind) {
            *text = more;
        }
    }
    // Nothing is a value where others have one.
    let nothing = |word: &str| NOTHING.contains(&Dressed::of(word).core);
    for (kind, key) in kinds.iter().zip(&keys).filter(|(kind, _)| kind.split(' ').any(nothing)) {
        let with = |hole: Form| {
            let words = kind.split(' ').map(|word| match nothing(word) {
                true => masked(word, hole),
                false => word.to_owned(),
            });
            words.collect::<Vec<_>>().join(" ")
        };
        let other = without_forms(&with(Form::Number));
        if let Some(text) = texts.get_mut(other.as_str()).filter(|_| other != *key) {
            *text = joined_text(text, &with(Form::Value)).into_owned();
        }
    }
    keys.iter().map(|key| texts[key.as_str()].clone()).collect()
}

/// The words of a kind, whatever its holes hold. Of a kind that has no words, all that it is.
fn without_forms(kind: &str) -> String {
    let constant = kind.split(' ').any(|word| is_constant(word) || word.contains('='));
    if !constant {
        // Digits alone are an id by chance; where nothing stands beside them, they are what they are.
        return match kind.contains(' ') {
            true => kind.replace(Form::Number.hole(), Form::Id.hole()),
            false => kind.to_owned(),
        };
    }
    kind.split(' ').map(|word| plain(word)).collect::<Vec<_>>().join(" ")
}

/// A word, whatever its holes hold; where any word may stand, that.
pub(super) fn plain(word: &str) -> Cow<'_, str> {
    if Dressed::of(word).is_any() || split_hole(word).is_none() {
        return Cow::Borrowed(word);
    }
    let (mut made, mut rest) = (String::with_capacity(word.len()), word);
    while let Some((before, _, after)) = split_hole(rest) {
        made.push_str(before);
        made.push_str("{}");
        rest = after;
    }
    made.push_str(rest);
    Cow::Owned(made)
}

/// A kind with the forms of another, whose words are the same.
pub(super) fn joined_text<'k>(kind: &'k str, other: &str) -> Cow<'k, str> {
    if kind == other {
        return Cow::Borrowed(kind);
    }
    let words = kind.split(' ').zip(other.split(' '));
    let made = words.map(|(one, other)| joined_word(one, other)).collect::<Vec<_>>().join(" ");
    if made == kind { Cow::Borrowed(kind) } else { Cow::Owned(made) }
}

/// A word with the forms of another that has the same letters around its holes.
fn joined_word<'w>(one: &'w str, other: &'w str) -> Cow<'w, str> {
    if one == other || Dressed::of(one).is_any() {
        return Cow::Borrowed(one);
    }
    if Dressed::of(other).is_any() {
        return Cow::Borrowed(other);
    }
    let (mut made, mut rest) = (String::with_capacity(one.len()), (one, other));
    while let (Some((before, hole, after)), Some((_, theirs, more))) =
        (split_hole(rest.0), split_hole(rest.1))
    {
        made.push_str(before);
        made.push_str(joined_hole(hole, theirs));
        rest = (after, more);
    }
    made.push_str(rest.0);
    Cow::Owned(made)
}

/// A word with a hole in its place.
pub(super) fn masked(word: &str, hole: Form) -> String {
    let dressed = Dressed::of(word);
    format!("{}{}{}", dressed.before, hole.hole(), dressed.after)
}

/// Words of a kind that stay the same whatever stands in its holes.
pub(super) fn is_constant(word: &str) -> bool {
    !word.contains('{') && word.chars().filter(|c| c.is_alphabetic()).count() > 1
}

/// Whether any word may stand somewhere in a kind.
pub(super) fn has_any(kind: &str) -> bool {
    kind.contains('{') && kind.split(' ').any(|word| Dressed::of(word).is_any())
}
