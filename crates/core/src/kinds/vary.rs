//! Words that vary. Kinds that differ in one or two words only, and have many different ones there, are one kind with holes.
//!
//! ```text
//! user alice left, user bob left, user carol left, … (six or more)      user {word} left
//! ```
//!
//! What is found depends on the set of kinds alone, not on the order in which they were read, and takes time in
//! proportion to their words. A number where others have an id becomes one: digits alone are an id by chance.

use std::{
    cmp::Reverse,
    collections::{BTreeMap, BTreeSet, HashMap, HashSet},
    hash::{DefaultHasher, Hash, Hasher},
};

use crate::entry::kind::{Dressed, Form, Pattern};

/// Different words that make a hole, where two words or more around it stay the same; and where one does.
const WORDS: usize = 6;
const WORDS_BESIDE_ONE: usize = 16;
/// Words of a kind that is looked at.
const LONGEST: usize = 32;
/// Words that may vary, of a kind that is looked at for two at once.
const PAIRED: usize = 12;
/// Numbers of a kind that may be ids.
const NUMBERS: usize = 5;
/// How often it is looked for further words that vary.
const ROUNDS: usize = 3;

/// What each of some kinds becomes; `None` where it stays as it is. The kinds are different ones.
pub(crate) fn holes_for_words(kinds: &[&str]) -> Vec<Option<Box<str>>> {
    let known: HashSet<&str> = kinds.iter().copied().collect();
    let with_ids: Vec<Option<String>> =
        kinds.iter().map(|kind| with_ids(kind, |made| known.contains(made))).collect();
    let mut left: Vec<String> = kinds
        .iter()
        .zip(&with_ids)
        .filter(|(_, made)| made.is_none())
        .map(|(kind, _)| (*kind).to_owned())
        .collect();
    let mut patterns: HashSet<Box<str>> = HashSet::new();
    for _ in 0..ROUNDS {
        let mut found = one_word(&left);
        if found.is_empty() {
            found = two_words(&left);
        }
        if found.is_empty() {
            break;
        }
        let patterns_now = Patterns::of(found.iter().map(|pattern| &**pattern));
        left.retain(|kind| patterns_now.best(kind).is_none());
        left.extend(found.iter().map(ToString::to_string));
        left.sort_unstable();
        left.dedup();
        patterns.extend(found);
    }
    // What later rounds took up is part of theirs.
    let lasting: HashSet<&str> = left.iter().map(String::as_str).collect();
    let patterns =
        Patterns::of(patterns.iter().map(|pattern| &**pattern).filter(|p| lasting.contains(p)));
    kinds
        .iter()
        .zip(with_ids)
        .map(|(kind, with_ids)| {
            let best =
                patterns.best(with_ids.as_deref().unwrap_or(kind)).or_else(|| patterns.best(kind));
            best.map(Into::into).or(with_ids.map(Into::into))
        })
        .collect()
}

/// The kind with ids for as many of its numbers as `exists` knows it with.
fn with_ids(kind: &str, exists: impl Fn(&str) -> bool) -> Option<String> {
    let number = Form::Number.hole();
    if !kind.contains(number) {
        return None;
    }
    let words: Vec<&str> = kind.split(' ').collect();
    let numbers: Vec<usize> = (0..words.len())
        .filter(|at| Dressed::of(words[*at]).core == number)
        .take(NUMBERS)
        .collect();
    let mut ways: Vec<u32> = (1..1_u32 << numbers.len()).collect();
    ways.sort_unstable_by_key(|way| (Reverse(way.count_ones()), *way));
    ways.into_iter().find_map(|way| {
        let chosen = |at: usize| {
            numbers.iter().position(|n| *n == at).is_some_and(|bit| way >> bit & 1 == 1)
        };
        let made: Vec<String> = words
            .iter()
            .enumerate()
            .map(|(at, word)| match chosen(at) {
                true => word.replace(number, Form::Id.hole()),
                false => (*word).to_owned(),
            })
            .collect();
        Some(made.join(" ")).filter(|made| exists(made))
    })
}

/// A word with a hole in its place.
fn masked(word: &str) -> String {
    let dressed = Dressed::of(word);
    format!("{}{}{}", dressed.before, Form::Word.hole(), dressed.after)
}

/// Words of a kind that stay the same whatever stands in its holes.
fn is_constant(word: &str) -> bool {
    !word.contains('{') && word.chars().filter(|c| c.is_alphabetic()).count() > 1
}

/// What all words but some come to.
fn rest(words: &[&str], but: &[usize]) -> u64 {
    let mut hasher = DefaultHasher::new();
    words.len().hash(&mut hasher);
    for (at, word) in words.iter().enumerate() {
        if but.contains(&at) {
            let dressed = Dressed::of(word);
            (at, dressed.before, dressed.after).hash(&mut hasher);
        } else {
            word.hash(&mut hasher);
        }
    }
    hasher.finish()
}

fn pattern(words: &[&str], holes: &[usize]) -> Box<str> {
    let words = words.iter().enumerate().map(|(at, word)| match holes.contains(&at) {
        true => masked(word),
        false => (*word).to_owned(),
    });
    words.collect::<Vec<_>>().join(" ").into()
}

fn words_of(kinds: &[String]) -> Vec<(Vec<&str>, Vec<usize>)> {
    let of = |kind: &String| kind.split(' ').collect::<Vec<_>>().len();
    let short = kinds.iter().filter(|kind| of(kind) <= LONGEST);
    short
        .map(|kind| {
            let words: Vec<&str> = kind.split(' ').collect();
            let vary = (0..words.len()).filter(|at| Dressed::of(words[*at]).is_word()).collect();
            (words, vary)
        })
        .collect()
}

/// Kinds that differ in one word only.
fn one_word(kinds: &[String]) -> Found {
    let kinds = words_of(kinds);
    let mut groups: HashMap<u64, Vec<(usize, usize)>> = HashMap::new();
    for (number, (words, vary)) in kinds.iter().enumerate() {
        for at in vary {
            groups.entry(rest(words, &[*at])).or_default().push((number, *at));
        }
    }
    let mut large: Vec<(Box<str>, usize, Vec<usize>)> = groups
        .into_values()
        .filter_map(|group| {
            let (first, at) = *group.first()?;
            let words = &kinds[first].0;
            let constant = words
                .iter()
                .enumerate()
                .filter(|(place, word)| *place != at && is_constant(word))
                .count();
            let least = match constant {
                0 => return None,
                1 => WORDS_BESIDE_ONE,
                _ => WORDS,
            };
            let members: Vec<usize> = group.iter().map(|(number, _)| *number).collect();
            (members.len() >= least).then(|| (pattern(words, &[at]), least, members))
        })
        .collect();
    // The largest first; a kind is in one only.
    large.sort_by(|one, other| {
        (Reverse(one.2.len()), &one.0).cmp(&(Reverse(other.2.len()), &other.0))
    });
    let mut taken = vec![false; kinds.len()];
    let mut found = Found::new();
    for (pattern, least, members) in large {
        let free: Vec<usize> = members.into_iter().filter(|member| !taken[*member]).collect();
        if free.len() >= least {
            free.into_iter().for_each(|member| taken[member] = true);
            found.insert(pattern);
        }
    }
    found
}

/// Kinds with holes, in the order of their letters.
type Found = BTreeSet<Box<str>>;

/// A kind, and two of its words.
type Pair = (usize, usize, usize);

/// Kinds that differ in two words, each of which varies.
fn two_words(kinds: &[String]) -> Found {
    let kinds = words_of(kinds);
    let mut groups: HashMap<u64, Vec<Pair>> = HashMap::new();
    for (number, (words, vary)) in kinds.iter().enumerate() {
        for (place, one) in vary.iter().enumerate().take(PAIRED) {
            for other in vary.iter().take(PAIRED).skip(place + 1) {
                groups
                    .entry(rest(words, &[*one, *other]))
                    .or_default()
                    .push((number, *one, *other));
            }
        }
    }
    let mut large: Vec<(Box<str>, Vec<Pair>)> = groups
        .into_values()
        .filter(|group| group.len() >= WORDS)
        .filter_map(|group| {
            let (first, one, other) = *group.first()?;
            let words = &kinds[first].0;
            let constant = words
                .iter()
                .enumerate()
                .filter(|(place, word)| *place != one && *place != other && is_constant(word))
                .count();
            (constant >= 2).then(|| (pattern(words, &[one, other]), group))
        })
        .collect();
    large.sort_by(|one, other| {
        (Reverse(one.1.len()), &one.0).cmp(&(Reverse(other.1.len()), &other.0))
    });
    let mut taken = vec![false; kinds.len()];
    let mut found = Found::new();
    for (pattern, members) in large {
        let free: Vec<_> = members.into_iter().filter(|(member, ..)| !taken[*member]).collect();
        let different = |which: fn(&Pair) -> usize| {
            free.iter().map(|member| kinds[member.0].0[which(member)]).collect::<HashSet<_>>().len()
        };
        if different(|member| member.1) >= WORDS && different(|member| member.2) >= WORDS {
            free.into_iter().for_each(|(member, ..)| taken[member] = true);
            found.insert(pattern);
        }
    }
    found
}

/// Kinds with holes for words, to look up which of them another kind is.
struct Patterns<'p> {
    /// The places of their holes, by how many words they have.
    places: BTreeMap<usize, Vec<Vec<usize>>>,
    texts: HashSet<&'p str>,
}

impl<'p> Patterns<'p> {
    fn of(patterns: impl Iterator<Item = &'p str>) -> Self {
        let mut places: BTreeMap<usize, Vec<Vec<usize>>> = BTreeMap::new();
        let mut texts = HashSet::new();
        for text in patterns {
            let words: Vec<&str> = text.split(' ').collect();
            let holes: Vec<usize> = (0..words.len())
                .filter(|at| Dressed::of(words[*at]).core == Form::Word.hole())
                .collect();
            let known = places.entry(words.len()).or_default();
            if !known.contains(&holes) {
                known.push(holes);
            }
            texts.insert(text);
        }
        Self { places, texts }
    }

    /// The one that a kind is of: that with the fewest holes, and of those the first by its letters.
    fn best(&self, kind: &str) -> Option<&'p str> {
        let words: Vec<&str> = kind.split(' ').collect();
        let places = self.places.get(&words.len())?;
        let known = |text: &str| self.texts.get(text).copied();
        let fits = places.iter().filter_map(|holes| {
            let fillable = holes.iter().all(|at| !Dressed::of(words[*at]).core.is_empty());
            let made = pattern(&words, holes);
            let found =
                known(&made).or_else(|| known(&with_ids(&made, |made| self.texts.contains(made))?));
            found.filter(|_| fillable).map(|found| (holes.len(), found))
        });
        fits.min().map(|(_, found)| found)
    }
}

/// Those kinds that some of a kind's entries are of instead, since their words fit both.
pub(super) fn before<'k>(kind: &str, others: impl Iterator<Item = &'k str>) -> Vec<&'k str> {
    // Whatever stands where something is hidden, some of it may be of other kinds.
    if kind.contains(Form::Hidden.hole()) {
        let pattern = Pattern::new(kind);
        return others.filter(|other| *other != kind && pattern.fits(other)).collect();
    }
    let holes = |text: &str| text.matches(Form::Word.hole()).count();
    if holes(kind) == 0 && !kind.contains(Form::Id.hole()) {
        return Vec::new();
    }
    let rank = |text: &str| (holes(text), text.to_owned());
    let own = rank(kind);
    let before =
        others.filter(|other| holes(other) > 0 && rank(other) < own && may_both_fit(kind, other));
    before.collect()
}

/// Whether some words fit both of two kinds.
fn may_both_fit(one: &str, other: &str) -> bool {
    let fit = |one: &str, other: &str| {
        if one == other {
            return true;
        }
        let (one, other) = (Dressed::of(one), Dressed::of(other));
        let any = |word: Dressed<'_>| word.core == Form::Word.hole();
        (one.before, one.after) == (other.before, other.after) && (any(one) || any(other))
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const NAMES: [&str; 8] = ["alice", "bob", "carol", "dave", "erin", "frank", "grace", "heidi"];

    fn become_of(kinds: &[String]) -> Vec<String> {
        let texts: Vec<&str> = kinds.iter().map(String::as_str).collect();
        let made = holes_for_words(&texts);
        made.iter()
            .zip(&texts)
            .map(|(made, text)| made.as_deref().unwrap_or(text).to_owned())
            .collect()
    }

    fn of_names(make: impl Fn(usize, &str) -> String) -> Vec<String> {
        NAMES.iter().enumerate().map(|(at, name)| make(at, name)).collect()
    }

    #[test]
    fn many_words_in_one_place_are_a_hole() {
        let kinds = of_names(|_, name| format!("user {name}, logged in after {{number}} tries"));
        assert!(
            become_of(&kinds)
                .iter()
                .all(|kind| kind == "user {word}, logged in after {number} tries")
        );
        // A few are kinds of their own, and so are many beside a single word.
        assert_eq!(become_of(&kinds[..5]), kinds[..5]);
        let states = of_names(|_, name| format!("{name} now"));
        assert_eq!(become_of(&states), states);
    }

    #[test]
    fn words_that_vary_together_are_two_holes() {
        let cities = ["wick", "tain", "oban", "alness", "nairn", "elgin", "keith", "thurso"];
        let kinds = of_names(|at, name| format!("berth for {name} from {} kept", cities[at]));
        assert!(become_of(&kinds).iter().all(|kind| kind == "berth for {word} from {word} kept"));
    }

    #[test]
    fn of_kinds_that_both_fit_one_comes_first() {
        let others = ["a {word} c", "{word} b c", "a {word} {word}", "x {word} c", "login by ada"];
        let before_of =
            |kind: &str| before(kind, others.into_iter().filter(|other| *other != kind));
        assert_eq!(before_of("a {word} {word}"), ["a {word} c", "{word} b c"]);
        assert_eq!(before_of("{word} b c"), ["a {word} c", "x {word} c"]);
        assert_eq!(before_of("a {word} c"), [] as [&str; 0]);
        assert_eq!(before_of("login by ada"), [] as [&str; 0]);
        assert_eq!(before_of("login by {hidden}"), ["login by ada"]);
    }

    #[test]
    fn what_is_in_a_hole_elsewhere_is_so_too() {
        let mut kinds = of_names(|_, name| format!("lease of {name} was lost"));
        kinds.push("lease of bob{number} was lost".into());
        kinds.push("lease of {number} was lost".into());
        kinds.push("lease of {id} was lost".into());
        assert!(become_of(&kinds).iter().all(|kind| kind == "lease of {word} was lost"));
        let kinds = [
            "hold {id} placed".to_owned(),
            "hold {number} placed".to_owned(),
            "tide {number} m".to_owned(),
        ];
        assert_eq!(become_of(&kinds), ["hold {id} placed", "hold {id} placed", "tide {number} m"]);
    }

    proptest! {
        /// In whatever order kinds come, each becomes the same.
        #[test]
        fn order_does_not_matter(
            picks in proptest::collection::btree_set((0..8_usize, 0..8_usize, 0..3_usize), 1..60),
            seed in any::<u64>(),
        ) {
            let kinds: Vec<String> = picks
                .iter()
                .map(|(a, b, form)| match form {
                    0 => format!("user {} left berth", NAMES[*a]),
                    1 => format!("user {} met user {}", NAMES[*a], NAMES[*b]),
                    _ => format!("hold {} of {{id}}", NAMES[*b]),
                })
                .collect::<std::collections::BTreeSet<_>>()
                .into_iter()
                .collect();
            let mut turned = kinds.clone();
            turned.sort_by_key(|kind| {
                let mut hasher = DefaultHasher::new();
                (seed, kind).hash(&mut hasher);
                hasher.finish()
            });
            let made: BTreeMap<String, String> = kinds.iter().cloned().zip(become_of(&kinds)).collect();
            let again: BTreeMap<String, String> = turned.iter().cloned().zip(become_of(&turned)).collect();
            prop_assert_eq!(made, again);
        }
    }
}
