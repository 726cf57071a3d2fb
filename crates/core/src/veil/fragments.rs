//! Where any of a few short fragments stands in a text, in any case of its letters.

use std::{ops::Range, sync::LazyLock};

use super::forms;

/// The first of the fragments that stand in names.
pub(super) const NAMES: usize = 4;

/// Fragments that a secret found by its name or form can't do without.
pub(super) const FRAGMENTS: [&str; 21] = [
    "bearer",
    "basic",
    "eyJ",
    "://",
    "pass",
    "pwd",
    "cookie",
    "token",
    "jwt",
    "auth",
    "onetime",
    "one_time",
    "one-time",
    "key",
    "pin",
    "cv",
    "otp",
    "secret",
    "credential",
    "card",
    "pan",
];

/// What a private key begins with.
const ARMOUR: &str = "-----begin ";

/// The fragments, then what a private key begins with, then the beginnings of tokens.
pub(super) static CANDIDATES: LazyLock<Fragments> = LazyLock::new(|| {
    let prefixes = forms::PREFIXES.iter().map(|(prefix, ..)| *prefix);
    Fragments::new(FRAGMENTS.into_iter().chain([ARMOUR]).chain(prefixes))
});

/// Bits of a place in the table.
const BITS: u32 = 13;

/// The fragments by their first three bytes.
///
/// A text is looked at three bytes at a time, in a table that says which fragments may begin with them: one load
/// a byte that waits for no other, where an automaton waits for its last state.
pub(super) struct Fragments {
    /// For each place the number of its list, from 1, or 0.
    places: Box<[u8; 1 << BITS]>,
    /// The fragments at one place, in lower case, each with its number.
    lists: Vec<Vec<(usize, Box<[u8]>)>>,
}

impl Fragments {
    /// Takes fragments of two bytes and more; each has its order as its number. There may be fewer than 256
    /// beginnings of three bytes, one of two bytes counting as many as there are bytes.
    pub(super) fn new<'f>(fragments: impl Iterator<Item = &'f str>) -> Self {
        let mut new = Self { places: Box::new([0; 1 << BITS]), lists: Vec::new() };
        for (number, fragment) in fragments.enumerate() {
            let lower = fragment.to_ascii_lowercase().into_bytes();
            let thirds: Vec<u8> =
                lower.get(2).map_or((0..=u8::MAX).collect(), |third| vec![*third]);
            // What folds to the same stands at the same place.
            let mut at: Vec<usize> =
                thirds.iter().map(|b| place([lower[0], lower[1], *b])).collect();
            at.sort_unstable();
            at.dedup();
            for at in at {
                new.add(at, number, &lower);
            }
        }
        new
    }

    fn add(&mut self, at: usize, number: usize, fragment: &[u8]) {
        if self.places[at] == 0 {
            // Fragments of two bytes share a list wherever they stand alone.
            let alone = |list: &Vec<(usize, Box<[u8]>)>| list.len() == 1 && list[0].0 == number;
            let known = self.lists.iter().position(alone);
            let list = known.unwrap_or_else(|| {
                self.lists.push(vec![(number, fragment.into())]);
                self.lists.len() - 1
            });
            self.places[at] = numbered(list + 1);
            return;
        }
        let mut list = self.lists[usize::from(self.places[at]) - 1].clone();
        list.push((number, fragment.into()));
        self.lists.push(list);
        self.places[at] = numbered(self.lists.len());
    }

    /// Calls `visit` with the place and the number of each fragment, ascending by where they begin.
    #[inline]
    pub(super) fn each(&self, text: &[u8], mut visit: impl FnMut(Range<usize>, usize)) {
        for (at, four) in text.windows(4).enumerate() {
            let four = four.first_chunk().map_or(0, |four| u32::from_le_bytes(*four));
            let list = self.places[hash(four)];
            if list != 0 {
                self.check(text, at, list, &mut visit);
            }
        }
        for at in text.len().saturating_sub(3)..text.len().saturating_sub(1) {
            let third = text.get(at + 2).copied().unwrap_or_default();
            let list = self.places[place([text[at], text[at + 1], third])];
            if list != 0 {
                self.check(text, at, list, &mut visit);
            }
        }
    }

    fn check(&self, text: &[u8], at: usize, list: u8, visit: &mut impl FnMut(Range<usize>, usize)) {
        for (number, fragment) in &self.lists[usize::from(list) - 1] {
            let here = text.get(at..at + fragment.len());
            if here.is_some_and(|here| here.eq_ignore_ascii_case(fragment)) {
                visit(at..at + fragment.len(), *number);
            }
        }
    }
}

fn numbered(list: usize) -> u8 {
    u8::try_from(list).unwrap_or_else(|_| unreachable!("fewer fragments than numbers"))
}

/// The place of three bytes in the table. Letters of either case have one.
fn place([first, second, third]: [u8; 3]) -> usize {
    hash(u32::from_le_bytes([first, second, third, 0]))
}

/// The same of four bytes, the last of which does not count.
fn hash(bytes: u32) -> usize {
    let key = bytes << 8 | 0x2020_2000;
    (key.wrapping_mul(0x9e37_79b1) >> (32 - BITS)) as usize
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const FEW: [&str; 5] = ["key", "keys", "://", "cv", "-----begin "];

    proptest! {
        #[test]
        fn all_are_found_where_they_stand(text in "[keysKEYS:/cvCV -]{0,40}(-----BEGIN )?[cv:/]{0,6}") {
            let fragments = Fragments::new(FEW.into_iter());
            let mut found = Vec::new();
            fragments.each(text.as_bytes(), |span, number| found.push((span.start, number)));
            let lower = text.to_ascii_lowercase();
            let mut want = Vec::new();
            for at in 0..lower.len() {
                for (number, fragment) in FEW.iter().enumerate() {
                    if lower.as_bytes()[at..].starts_with(fragment.as_bytes()) {
                        want.push((at, number));
                    }
                }
            }
            prop_assert_eq!(found, want);
        }
    }
}
