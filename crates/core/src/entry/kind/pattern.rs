//! Whether an entry is of a kind.

use super::Form;

/// A word of a kind with the signs around it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Dressed<'w> {
    pub(crate) before: &'w str,
    pub(crate) core: &'w str,
    pub(crate) after: &'w str,
}

impl<'w> Dressed<'w> {
    pub(crate) fn of(word: &'w str) -> Self {
        let inner = word.trim_start_matches(['(', '[', '<', '"', '\'']);
        let core = inner.trim_end_matches([',', ';', ':', '.', '!', '?', ')', ']', '>', '"', '\'']);
        let (before, _) = word.split_at(word.len() - inner.len());
        let (_, after) = inner.split_at(core.len());
        Self { before, core, after }
    }

    /// Whether any word may stand there.
    pub(crate) fn is_any(&self) -> bool {
        self.core == Form::Word.hole() || self.core == Form::Value.hole()
    }

    /// Whether it is a word that may vary: letters, and signs that stand in names.
    pub(crate) fn is_word(&self) -> bool {
        let letter = |c: char| c.is_alphabetic();
        self.core.len() <= 60
            && self.core.chars().any(letter)
            && self.core.chars().all(|c| letter(c) || matches!(c, '-' | '_' | '.' | '\''))
    }
}

/// A kind to look for.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Pattern {
    words: Vec<Box<str>>,
}

/// Words that may stand where something is hidden.
const HIDDEN_WORDS: usize = 12;

impl Pattern {
    pub(crate) fn new(kind: &str) -> Self {
        Self { words: kind.split_ascii_whitespace().map(Into::into).collect() }
    }

    /// Whether an entry is of this kind, by what its words alone tell: a hole for a word or a value takes any one, one for
    /// an id a number as well, and one for what is hidden several.
    pub(crate) fn fits(&self, kind: &str) -> bool {
        let words: Vec<&str> = kind.split_ascii_whitespace().collect();
        // A hole alone says nothing of what may stand in it.
        if let ([want], [word]) = (self.words.as_slice(), words.as_slice()) {
            let hole =
                Dressed::of(want).core.starts_with('{') && !want.contains(Form::Hidden.hole());
            return **want == **word || !hole && fit(&self.words, &words);
        }
        fit(&self.words, &words)
    }
}

fn fit(pattern: &[Box<str>], words: &[&str]) -> bool {
    let mut at = 0;
    for (place, want) in pattern.iter().enumerate() {
        if let Some((before, after)) = want.split_once(Form::Hidden.hole())
            && words.get(at) != Some(&&**want)
        {
            let rest = &pattern[place + 1..];
            let begins = words.get(at).is_some_and(|word| word.starts_with(before));
            let mut ends = at + 1..=words.len().min(at + HIDDEN_WORDS);
            return begins
                && ends.any(|end| words[end - 1].ends_with(after) && fit(rest, &words[end..]));
        }
        match words.get(at) {
            Some(word) if word_fits(want, word) => at += 1,
            _ => return false,
        }
    }
    at == words.len()
}

/// Whether a word of an entry's kind is one of those that a word of a kind stands for.
fn word_fits(want: &str, word: &str) -> bool {
    if want == word {
        return true;
    }
    if !want.contains('{') {
        return false;
    }
    let (dressed, bare) = (Dressed::of(want), Dressed::of(word));
    if dressed.is_any() {
        return (dressed.before, dressed.after) == (bare.before, bare.after)
            && !bare.core.is_empty();
    }
    let (mut want, mut word) = (want, word);
    loop {
        match (split_hole(want), split_hole(word)) {
            (None, None) => return want == word,
            (Some((before, wanted, rest)), Some((around, hole, more)))
                if before == around && takes(wanted, hole) =>
            {
                (want, word) = (rest, more);
            }
            _ => return false,
        }
    }
}

/// The holes that tell what stands in them by its form. What is hidden may be anything, and templates that a log keeps have
/// names of their own.
const TYPED: [Form; 11] = [
    Form::Number,
    Form::Duration,
    Form::Size,
    Form::Time,
    Form::Id,
    Form::Address,
    Form::Path,
    Form::Text,
    Form::Data,
    Form::Word,
    Form::Value,
];
/// The hole for a number in a path.
const IN_PATH: &str = "{n}";

/// Parts a word at its first hole: what stands before, the hole, and the rest.
pub(crate) fn split_hole(word: &str) -> Option<(&str, &str, &str)> {
    let mut from = 0;
    loop {
        let at = from + word.get(from..)?.find('{')?;
        let end = at + word.get(at..)?.find('}')? + 1;
        let hole = word.get(at..end)?;
        if hole == IN_PATH || TYPED.iter().any(|form| form.hole() == hole) {
            return Some((word.get(..at)?, hole, word.get(end..)?));
        }
        from = at + 1;
    }
}

/// Whether one hole takes what stands in another.
fn takes(wanted: &str, hole: &str) -> bool {
    joined_hole(wanted, hole) == wanted
}

/// The hole for what stands in either of two: digits alone are an id by chance.
pub(crate) fn joined_hole<'h>(one: &'h str, other: &'h str) -> &'h str {
    let (id, number) = (Form::Id.hole(), Form::Number.hole());
    match (one, other) {
        _ if one == other => one,
        (one, other) if one == id && (other == number || other == IN_PATH) => id,
        (one, other) if other == id && (one == number || one == IN_PATH) => id,
        _ => Form::Value.hole(),
    }
}
