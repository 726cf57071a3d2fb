//! Kinds that differ in one or two words, and have many different ones there.

use std::{
    borrow::Cow,
    cmp::Reverse,
    collections::{BTreeSet, HashMap, HashSet},
};

use super::{forms::joined_text, worded::Worded};

/// Different words that make a hole, where two words or more around it stay the same; and where one does.
const WORDS: usize = 6;
const WORDS_BESIDE_ONE: usize = 16;
/// Words of a kind that is looked at.
const LONGEST: usize = 32;
/// Words that may vary, of a kind that is looked at for two at once.
const PAIRED: usize = 12;
/// Kinds with holes, in the order of their letters.
pub(super) type Found = BTreeSet<String>;

pub(super) fn worded(kinds: &[String]) -> Vec<(Worded<'_>, Vec<usize>)> {
    let all = kinds.iter().map(|kind| Worded::of(kind));
    let short = all.filter(|kind| kind.words.len() <= LONGEST);
    short.map(|kind| (kind.vary(), kind)).map(|(vary, kind)| (kind, vary)).collect()
}

/// The kind with holes that all members of a group are of.
pub(super) fn pattern_of<'k>(
    members: impl Iterator<Item = (&'k Worded<'k>, Vec<usize>)>,
) -> String {
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
pub(super) fn one_word(kinds: &[String]) -> Found {
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
pub(super) type Pair = (usize, usize, usize);

/// Kinds that differ in two words, each of which varies.
pub(super) fn two_words(kinds: &[String]) -> Found {
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
