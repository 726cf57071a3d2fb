//! Where any of a few short fragments stands in a text, in any case of its letters.

use std::{ops::Range, sync::LazyLock};

use super::{
    Group,
    detectors::{Check, TABLE},
    filter::{self, Filter},
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

/// The prefixes of tokens that stand at the beginning of a long word.
pub(super) static PREFIXES: LazyLock<Fragments<Number, 1>> = LazyLock::new(|| {
    let detectors = (0..).zip(TABLE.iter());
    let tokens = detectors.filter(|(_, detector)| matches!(detector.check, Check::Token(_)));
    let all = tokens.flat_map(|(number, detector)| {
        let prefixes = detector.fragments.iter().filter(|prefix| is_in_a_word(prefix));
        prefixes.map(move |prefix| (*prefix, number))
    });
    Fragments::new(all, true)
});

/// Whether a prefix and the token behind it are one word.
fn is_in_a_word(prefix: &str) -> bool {
    !prefix.contains(' ')
}

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
            if matches!(detector.check, Check::Token(_)) && is_in_a_word(fragment) {
                continue;
            }
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
    Fragments::new(all.iter().map(|(fragment, target)| (fragment.as_str(), *target)), false)
}

/// Bits of a place in the table.
const BITS: u32 = 13;

/// For each place of three bytes the number of its list, from 1, or 0.
pub(super) struct Places(Box<[u16; 1 << BITS]>);

impl Places {
    /// Whether a fragment may have three bytes.
    pub(super) fn have(&self, three: [u8; 3]) -> bool {
        self.0[place(three)] != 0
    }
}

/// Fragments by three bytes of each.
pub(super) struct Fragments<T, const BANKS: usize = { filter::BANKS }> {
    pub(super) places: Places,
    pub(super) filter: Filter<BANKS>,
    /// The fragments at one place.
    lists: Vec<Vec<Fragment<T>>>,
}

/// A fragment.
struct Fragment<T> {
    /// In lower case.
    text: Box<[u8]>,
    /// Where the three bytes stand in it.
    inside: usize,
    /// Its first eight bytes as a number, which bits of them count, and which tell a letter's case.
    head: [u64; 3],
    /// What it stands for.
    target: T,
}

impl<T> Fragment<T> {
    fn new(text: Box<[u8]>, inside: usize, target: T) -> Self {
        let mut head = [[0; 8]; 3];
        for (at, byte) in text.iter().take(8).enumerate() {
            (head[0][at], head[1][at]) = (*byte, 0xff);
            head[2][at] = if byte.is_ascii_lowercase() { 0x20 } else { 0 };
        }
        Self { text, inside, head: head.map(u64::from_le_bytes), target }
    }

    /// Whether it stands at a place of a text.
    #[inline]
    fn stands(&self, text: &[u8], start: usize) -> bool {
        if let Some(eight) = text.get(start..).and_then(|rest| rest.first_chunk()) {
            let [head, counts, case] = self.head;
            if (u64::from_le_bytes(*eight) | case) & counts != head {
                return false;
            }
            if self.text.len() <= 8 {
                return true;
            }
        }
        let here = text.get(start..start + self.text.len());
        here.is_some_and(|here| here.eq_ignore_ascii_case(&self.text))
    }
}

impl<T, const BANKS: usize> Fragments<T, BANKS> {
    /// Takes fragments of three bytes and more. They are told by the three bytes of each that are met least, or by
    /// their first ones.
    pub(super) fn new<'f>(fragments: impl Iterator<Item = (&'f str, T)>, first: bool) -> Self {
        let lower = |fragment: &str| fragment.to_ascii_lowercase().into_bytes().into();
        let (all, targets): (Vec<Box<[u8]>>, Vec<T>) =
            fragments.map(|(fragment, target)| (lower(fragment), target)).unzip();
        let (filter, chosen) = Filter::of(&all, first);
        let mut places = Box::new([0; 1 << BITS]);
        let mut lists: Vec<Vec<Fragment<T>>> = Vec::new();
        for ((fragment, inside), target) in all.into_iter().zip(chosen).zip(targets) {
            let three = fragment[inside..].first_chunk().map_or([0; 3], |three| *three);
            let list = &mut places[place(three)];
            if *list == 0 {
                lists.push(Vec::new());
                *list = numbered(lists.len());
            }
            lists[usize::from(*list) - 1].push(Fragment::new(fragment, inside, target));
        }
        Self { places: Places(places), filter, lists }
    }

    /// Calls `visit` with each fragment, and what it stands for, whose three bytes stand at a place of a text.
    #[inline]
    pub(super) fn at<'s>(
        &'s self,
        text: &[u8],
        at: usize,
        mut visit: impl FnMut(Range<usize>, &'s T),
    ) {
        let Some(three) = text.get(at..).and_then(|rest| rest.first_chunk()) else { return };
        let list = self.places.0[place(*three)];
        if list != 0 {
            self.check(text, at, list, &mut visit);
        }
    }

    fn check<'s>(
        &'s self,
        text: &[u8],
        at: usize,
        list: u16,
        visit: &mut impl FnMut(Range<usize>, &'s T),
    ) {
        for fragment in &self.lists[usize::from(list) - 1] {
            let Some(start) = at.checked_sub(fragment.inside) else { continue };
            if fragment.stands(text, start) {
                visit(start..start + fragment.text.len(), &fragment.target);
            }
        }
    }
}

fn numbered(list: usize) -> u16 {
    u16::try_from(list).unwrap_or_else(|_| unreachable!("fewer fragments than numbers"))
}

/// The place of three bytes in the table. Letters of either case have one.
fn place([first, second, third]: [u8; 3]) -> usize {
    let key = u32::from_le_bytes([0, first, second, third]) | 0x2020_2000;
    (key.wrapping_mul(0x9e37_79b1) >> (32 - BITS)) as usize
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::{
        filter::places,
        glance::{Tables, each_stretch},
    };
    use proptest::prelude::*;

    const FEW: [&str; 5] = ["key", "keys", "://", "cvv", "-----begin "];

    proptest! {
        #[test]
        fn all_are_found_where_they_stand(text in "[keysKEYS:/cvCV -]{0,140}(-----BEGIN )?[cv:/]{0,6}") {
            let fragments = Fragments::<_>::new(FEW.into_iter().zip(0..), false);
            let mut found = Vec::new();
            let all = Tables::of(&fragments);
            each_stretch(text.as_bytes(), &all, |from, now, _| {
                for at in places(now.fragments) {
                    fragments.at(text.as_bytes(), from + at, |span, number| {
                        found.push((span.start, *number));
                    });
                }
            });
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
