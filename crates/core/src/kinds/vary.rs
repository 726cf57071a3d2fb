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

use std::{
    borrow::Cow,
    cmp::Reverse,
    collections::{BTreeMap, BTreeSet, HashMap, HashSet},
};

use crate::{
    entry::kind::{Dressed, Form, Pattern, joined_hole, split_hole},
    hash,
};

/// Different words that make a hole, where two words or more around it stay the same; and where one does.
const WORDS: usize = 6;
const WORDS_BESIDE_ONE: usize = 16;
/// Words of a kind that is looked at.
const LONGEST: usize = 32;
/// Words that may vary, of a kind that is looked at for two at once.
const PAIRED: usize = 12;
/// How often it is looked for further words that vary.
const ROUNDS: usize = 3;
/// Words for a value that is not there.
const NOTHING: [&str; 9] =
    ["null", "nil", "none", "None", "undefined", "NULL", "N/A", "n/a", "<null>"];

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

/// Kinds with holes, in the order of their letters.
type Found = BTreeSet<String>;

/// Each of some kinds with the forms of all that differ from it in nothing but what their holes hold.
fn joined(kinds: &[&str]) -> Vec<String> {
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
fn plain(word: &str) -> Cow<'_, str> {
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
fn joined_text<'k>(kind: &'k str, other: &str) -> Cow<'k, str> {
    if kind == other {
        return Cow::Borrowed(kind);
    }
    let words = kind.split(' ').zip(other.split(' '));
    let made = words.map(|(one, other)| joined_word(one, other)).collect::<Vec<_>>().join(" ");
    if made == kind { Cow::Borrowed(kind) } else { Cow::Owned(made) }
}

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
fn masked(word: &str, hole: Form) -> String {
    let dressed = Dressed::of(word);
    format!("{}{}{}", dressed.before, hole.hole(), dressed.after)
}

/// Words of a kind that stay the same whatever stands in its holes.
fn is_constant(word: &str) -> bool {
    !word.contains('{') && word.chars().filter(|c| c.is_alphabetic()).count() > 1
}

/// Whether any word may stand somewhere in a kind.
fn has_any(kind: &str) -> bool {
    kind.contains('{') && kind.split(' ').any(|word| Dressed::of(word).is_any())
}

/// The words of a kind, and what they come to: to compare kinds in all but some of their words.
struct Worded<'k> {
    words: Vec<&'k str>,
    plain: Vec<u64>,
    dressed: Vec<u64>,
}

impl<'k> Worded<'k> {
    fn of(kind: &'k str) -> Self {
        let words: Vec<&str> = kind.split(' ').collect();
        let plain = words.iter().map(|word| hash::of(plain(word))).collect();
        let signs = |word: &&str| {
            let dressed = Dressed::of(word);
            hash::of(dressed.before) ^ hash::of(dressed.after).rotate_left(21)
        };
        let dressed = words.iter().map(signs).collect();
        Self { words, plain, dressed }
    }

    /// What all words but some come to, whatever their holes hold.
    fn rest(&self, but: &[usize]) -> u64 {
        let start = self.words.len() as u64;
        self.plain.iter().enumerate().fold(start, |all, (at, plain)| {
            let word = if but.contains(&at) { !self.dressed[at] } else { *plain };
            all.rotate_left(7).wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ word
        })
    }

    /// The places of words that may vary.
    fn vary(&self) -> Vec<usize> {
        (0..self.words.len()).filter(|at| Dressed::of(self.words[*at]).is_word()).collect()
    }

    /// Words that stay the same beside some.
    fn constant(&self, but: &[usize]) -> usize {
        let words = self.words.iter().enumerate();
        words.filter(|(at, word)| !but.contains(at) && is_constant(word)).count()
    }

    fn pattern(&self, holes: &[usize]) -> String {
        let words = self.words.iter().enumerate().map(|(at, word)| match holes.contains(&at) {
            true => masked(word, Form::Word),
            false => (*word).to_owned(),
        });
        words.collect::<Vec<_>>().join(" ")
    }
}

fn worded(kinds: &[String]) -> Vec<(Worded<'_>, Vec<usize>)> {
    let all = kinds.iter().map(|kind| Worded::of(kind));
    let short = all.filter(|kind| kind.words.len() <= LONGEST);
    short.map(|kind| (kind.vary(), kind)).map(|(vary, kind)| (kind, vary)).collect()
}

/// The kind with holes that all members of a group are of.
fn pattern_of<'k>(members: impl Iterator<Item = (&'k Worded<'k>, Vec<usize>)>) -> String {
    let mut made = String::new();
    for (kind, holes) in members {
        let one = kind.pattern(&holes);
        match made.is_empty() {
            true => made = one,
            false => {
                if let Cow::Owned(more) = joined_text(&made, &one) {
                    made = more;
                }
            }
        }
    }
    made
}

/// Kinds that differ in one word only.
fn one_word(kinds: &[String]) -> Found {
    let kinds = worded(kinds);
    let mut groups: HashMap<u64, Vec<(usize, usize)>> = HashMap::new();
    for (number, (kind, vary)) in kinds.iter().enumerate() {
        for at in vary {
            groups.entry(kind.rest(&[*at])).or_default().push((number, *at));
        }
    }
    let mut large: Vec<(String, usize, Vec<usize>)> = groups
        .into_values()
        .filter_map(|group| {
            let (first, at) = *group.first()?;
            let least = match kinds[first].0.constant(&[at]) {
                0 => return None,
                1 => WORDS_BESIDE_ONE,
                _ => WORDS,
            };
            let words: HashSet<&str> =
                group.iter().map(|(number, at)| kinds[*number].0.words[*at]).collect();
            if words.len() < least {
                return None;
            }
            let members: Vec<usize> = group.iter().map(|(number, _)| *number).collect();
            let pattern =
                pattern_of(group.into_iter().map(|(number, at)| (&kinds[number].0, vec![at])));
            Some((pattern, least, members))
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

/// A kind, and two of its words.
type Pair = (usize, usize, usize);

/// Kinds that differ in two words, each of which varies.
fn two_words(kinds: &[String]) -> Found {
    let kinds = worded(kinds);
    let mut groups: HashMap<u64, Vec<Pair>> = HashMap::new();
    for (number, (kind, vary)) in kinds.iter().enumerate() {
        for (place, one) in vary.iter().enumerate().take(PAIRED) {
            for other in vary.iter().take(PAIRED).skip(place + 1) {
                groups.entry(kind.rest(&[*one, *other])).or_default().push((number, *one, *other));
            }
        }
    }
    let mut large: Vec<(String, Vec<Pair>)> = groups
        .into_values()
        .filter(|group| group.len() >= WORDS)
        .filter_map(|group| {
            let (first, one, other) = *group.first()?;
            let members =
                group.iter().map(|(number, one, other)| (&kinds[*number].0, vec![*one, *other]));
            let pattern =
                (kinds[first].0.constant(&[one, other]) >= 2).then(|| pattern_of(members));
            Some((pattern?, group))
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
            let words = free.iter().map(|member| kinds[member.0].0.words[which(member)]);
            words.collect::<HashSet<_>>().len()
        };
        if different(|member| member.1) >= WORDS && different(|member| member.2) >= WORDS {
            free.into_iter().for_each(|(member, ..)| taken[member] = true);
            found.insert(pattern);
        }
    }
    found
}

/// Kinds with holes for any words, to look up which of them another kind is.
struct Patterns<'p> {
    /// The places of these holes, by how many words they have.
    places: BTreeMap<usize, Vec<Vec<usize>>>,
    /// The kinds by what their other words come to.
    texts: HashMap<u64, &'p str>,
}

impl<'p> Patterns<'p> {
    fn of(patterns: impl Iterator<Item = &'p str>) -> Self {
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
    fn best(&self, kind: &str) -> Option<&'p str> {
        self.all(kind).into_iter().min_by_key(|text| rank(text))
    }

    /// All that a kind may be of.
    fn all(&self, kind: &str) -> Vec<&'p str> {
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
fn rank(kind: &str) -> (usize, String) {
    let any = kind.split(' ').filter(|word| Dressed::of(word).is_any()).count();
    let words = kind.split(' ').map(|word| match Dressed::of(word).is_any() {
        true => Cow::Owned(masked(word, Form::Word)),
        false => plain(word),
    });
    (any, words.collect::<Vec<_>>().join(" "))
}

/// Those kinds that some of a kind's entries are of instead, since their words fit both.
pub(super) fn before<'k>(kind: &str, others: impl Iterator<Item = &'k str>) -> Vec<&'k str> {
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

/// Whether some words fit both of two kinds.
fn may_both_fit(one: &str, other: &str) -> bool {
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

    #[test]
    fn what_differs_in_what_holes_hold_is_one_kind() {
        let same = |kinds: &[&str], want: &str| {
            let kinds: Vec<String> = kinds.iter().map(ToString::to_string).collect();
            let made = become_of(&kinds);
            assert!(made.iter().all(|made| made == want), "{made:?}");
        };
        same(&["weight={word} kg", "weight={number} kg", "weight={text} kg"], "weight={value} kg");
        same(&["berth h-{number} kept", "berth h-{id} kept"], "berth h-{id} kept");
        same(&["GET /holds/{n}", "GET /holds/{id}"], "GET /holds/{id}");
        same(
            &["a {number} of {id} was left", "a {id} of {number} was left"],
            "a {id} of {id} was left",
        );
        // Nothing is a value, and so is any word where values of several forms stand.
        same(&["berth (null) is full", "berth ({number}) is full"], "berth ({value}) is full");
        same(
            &["load {number} is high", "load {size} is high", "load unknown is high"],
            "load {value} is high",
        );
        same(
            &[
                "a {id} met {path} now",
                "a {path} met {id} now",
                "a {id} met nil now",
                "a nil met {id} now",
            ],
            "a {value} met {value} now",
        );
        // Words alone tell kinds apart, templates that are kept and what is hidden stay what they are.
        for kinds in [
            ["{number} {duration}", "{text} {duration}"],
            ["seat {Seat} held", "seat {number} held"],
            ["card {hidden} refused", "card {number} refused"],
            ["berth null is full", "berth closed is full"],
        ] {
            assert_eq!(become_of(&kinds.map(str::to_owned)), kinds);
        }
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
                hash::of((seed, kind))
            });
            let made: BTreeMap<String, String> = kinds.iter().cloned().zip(become_of(&kinds)).collect();
            let again: BTreeMap<String, String> = turned.iter().cloned().zip(become_of(&turned)).collect();
            prop_assert_eq!(made, again);
        }
    }
}
