//! Kinds with holes in which any word may stand, and what is of them.

use std::{
    borrow::Cow,
    collections::{BTreeMap, HashMap},
};

use super::{
    forms::{masked, plain},
    worded::Worded,
};
use crate::entry::kind::{Dressed, Form};

/// Kinds with holes for any words, to look up which of them another kind is.
pub(super) struct Patterns<'p> {
    /// The places of these holes, by how many words they have.
    places: BTreeMap<usize, Vec<Vec<usize>>>,
    /// The kinds by what their other words come to.
    texts: HashMap<u64, &'p str>,
}

impl<'p> Patterns<'p> {
    pub(super) fn of(patterns: impl Iterator<Item = &'p str>) -> Self {
        let mut places: BTreeMap<usize, Vec<Vec<usize>>> = BTreeMap::new();
        let mut texts = HashMap::new();
        for text in patterns {
            let worded = Worded::of(text);
            let holes: Vec<usize> = (0..worded.words.len())
                .filter(|at| Dressed::of(worded.words[*at]).is_any())
                .collect();
            texts.insert(worded.rest(&holes), text);
            let known = places.entry(worded.words.len()).or_default();
            if !known.contains(&holes) {
                known.push(holes);
            }
        }
        Self { places, texts }
    }

    /// The one that a kind is of: that with the fewest holes for any words, and of those the first by its letters.
    pub(super) fn best(&self, kind: &str) -> Option<&'p str> {
        self.all(kind).into_iter().min_by_key(|text| rank(text))
    }

    /// All that a kind may be of.
    pub(super) fn all(&self, kind: &str) -> Vec<&'p str> {
        let Some(places) = self.places.get(&(kind.matches(' ').count() + 1)) else {
            return Vec::new();
        };
        let worded = Worded::of(kind);
        let fillable = |at: &usize| !Dressed::of(worded.words[*at]).core.is_empty();
        let fits = places.iter().filter(|holes| holes.iter().all(fillable));
        fits.filter_map(|holes| self.texts.get(&worded.rest(holes)).copied()).collect()
    }
}

/// Of kinds that some words are both of, the first one is theirs.
pub(super) fn rank(kind: &str) -> (usize, String) {
    let any = kind.split(' ').filter(|word| Dressed::of(word).is_any()).count();
    let words = kind.split(' ').map(|word| match Dressed::of(word).is_any() {
        true => Cow::Owned(masked(word, Form::Word)),
        false => plain(word),
    });
    (any, words.collect::<Vec<_>>().join(" "))
}

/// Whether some words fit both of two kinds.
pub(super) fn may_both_fit(one: &str, other: &str) -> bool {
    let fit = |one: &str, other: &str| {
        if one == other {
            return true;
        }
        let dressed = (Dressed::of(one), Dressed::of(other));
        let any = dressed.0.is_any() || dressed.1.is_any();
        any && (dressed.0.before, dressed.0.after) == (dressed.1.before, dressed.1.after)
            || plain(one) == plain(other)
    };
    let mut words = (one.split(' '), other.split(' '));
    loop {
        match (words.0.next(), words.1.next()) {
            (None, None) => return true,
            (Some(one), Some(other)) if fit(one, other) => {}
            _ => return false,
        }
    }
}
