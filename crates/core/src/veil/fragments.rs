//! Where any of a few short fragments stands in a text, in any case of its letters.

use std::{ops::Range, sync::LazyLock};

use super::{
    Group,
    detectors::{Check, TABLE},
    found::Number,
};

/// What looks at a place where a fragment stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Target {
    /// The name around it is judged.
    Name,
    /// A detector.
    Detector(Number),
}

/// The fragments of all that is looked for where people see what tells who somebody is.
pub(super) static CREDENTIALS: LazyLock<Fragments<Target>> = LazyLock::new(|| of_table(false));

/// The fragments of all detectors.
pub(super) static EVERYTHING: LazyLock<Fragments<Target>> = LazyLock::new(|| of_table(true));

fn of_table(personal: bool) -> Fragments<Target> {
    let mut all: Vec<(String, Target)> = Vec::new();
    for (number, detector) in (0..).zip(TABLE.iter()) {
        if detector.class.group() == Group::Personal && !personal {
            continue;
        }
        let target = match detector.check {
            Check::Name(_) => Target::Name,
            _ => Target::Detector(number),
        };
        for fragment in detector.fragments {
            let fragment = fragment.to_ascii_lowercase();
            // A fragment that holds another one finds no more names than that one.
            let held = |(other, its): &(String, Target)| {
                *its == target
                    && (target == Target::Name && fragment.contains(other.as_str())
                        || *other == fragment)
            };
            if all.iter().any(held) {
                continue;
            }
            if target == Target::Name {
                all.retain(|(other, its)| *its != target || !other.contains(fragment.as_str()));
            }
            all.push((fragment, target));
        }
    }
    Fragments::new(all.iter().map(|(fragment, target)| (fragment.as_str(), *target)))
}

/// Bits of a place in the table.
const BITS: u32 = 13;

/// The fragments by the three bytes of each that are met least.
///
/// A text is looked at three bytes at a time, in a table that says which fragments may have them: one load
/// a byte that waits for no other, where an automaton waits for its last state.
pub(super) struct Fragments<T> {
    /// For each place the number of its list, from 1, or 0.
    places: Box<[u16; 1 << BITS]>,
    /// The fragments at one place.
    lists: Vec<Vec<Fragment<T>>>,
}

/// A fragment in lower case, where the three bytes stand in it, and what it stands for.
type Fragment<T> = (Box<[u8]>, usize, T);

impl<T> Fragments<T> {
    /// Takes fragments of three bytes and more.
    pub(super) fn new<'f>(fragments: impl Iterator<Item = (&'f str, T)>) -> Self {
        let mut new = Self { places: Box::new([0; 1 << BITS]), lists: Vec::new() };
        for (fragment, target) in fragments {
            let lower = fragment.to_ascii_lowercase().into_bytes();
            let (three, rarest) = rarest(&lower);
            let at = place(three);
            if new.places[at] == 0 {
                new.lists.push(Vec::new());
                new.places[at] = numbered(new.lists.len());
            }
            let list = &mut new.lists[usize::from(new.places[at]) - 1];
            list.push((lower.into(), rarest, target));
        }
        new
    }

    /// Calls `visit` with the place of each fragment and what it stands for, nearly ascending by where they begin.
    #[inline]
    pub(super) fn each<'s>(&'s self, text: &[u8], mut visit: impl FnMut(Range<usize>, &'s T)) {
        for (at, four) in text.windows(4).enumerate() {
            let four = four.first_chunk().map_or(0, |four| u32::from_le_bytes(*four));
            let list = self.places[hash(four)];
            if list != 0 {
                self.check(text, at, list, &mut visit);
            }
        }
        if let Some(at) = text.len().checked_sub(3) {
            let list = self.places[place([text[at], text[at + 1], text[at + 2]])];
            if list != 0 {
                self.check(text, at, list, &mut visit);
            }
        }
    }

    fn check<'s>(
        &'s self,
        text: &[u8],
        at: usize,
        list: u16,
        visit: &mut impl FnMut(Range<usize>, &'s T),
    ) {
        for (fragment, inside, target) in &self.lists[usize::from(list) - 1] {
            let Some(start) = at.checked_sub(*inside) else { continue };
            let here = text.get(start..start + fragment.len());
            if here.is_some_and(|here| here.eq_ignore_ascii_case(fragment)) {
                visit(start..start + fragment.len(), target);
            }
        }
    }
}

/// The three bytes of a fragment that are met least in what programs write, and where they begin.
fn rarest(fragment: &[u8]) -> ([u8; 3], usize) {
    let common = |byte: u8| match byte {
        b'e' | b't' | b'a' | b'o' | b'i' | b'n' | b's' | b'r' => 8u32,
        b'l' | b'd' | b'c' | b'u' | b'm' | b'p' | b'h' | b'g' => 5,
        b'0'..=b'9' | b':' | b'/' | b' ' | b'=' | b'"' => 5,
        b'_' | b'-' | b'.' => 3,
        _ => 2,
    };
    let threes = fragment.windows(3).enumerate();
    let least = threes.min_by_key(|(_, three)| three.iter().map(|b| common(*b)).product::<u32>());
    let (at, three) = least.unwrap_or((0, fragment));
    ([three[0], three[1], three[2]], at)
}

fn numbered(list: usize) -> u16 {
    u16::try_from(list).unwrap_or_else(|_| unreachable!("fewer fragments than numbers"))
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

    const FEW: [&str; 5] = ["key", "keys", "://", "cvv", "-----begin "];

    proptest! {
        #[test]
        fn all_are_found_where_they_stand(text in "[keysKEYS:/cvCV -]{0,40}(-----BEGIN )?[cv:/]{0,6}") {
            let fragments = Fragments::new(FEW.into_iter().zip(0..));
            let mut found = Vec::new();
            fragments.each(text.as_bytes(), |span, number| found.push((span.start, *number)));
            let lower = text.to_ascii_lowercase();
            let mut want = Vec::new();
            for at in 0..lower.len() {
                for (number, fragment) in FEW.iter().enumerate() {
                    if lower.as_bytes()[at..].starts_with(fragment.as_bytes()) {
                        want.push((at, number));
                    }
                }
            }
            found.sort_unstable();
            want.sort_unstable();
            prop_assert_eq!(found, want);
        }
    }
}
