//! Byte by byte, on any processor.

use super::{STRETCH, Stretch, Tables, WINDOW, each};
use crate::veil::fragments::Places;

/// [`super::each_stretch`] on any processor.
pub(super) fn each_stretch(
    text: &[u8],
    tables: &Tables<'_>,
    visit: impl FnMut(usize, &Stretch, &Stretch),
) {
    each(text, |window| stretch(window, tables), visit);
}

fn stretch(window: &[u8; WINDOW], tables: &Tables<'_>) -> Stretch {
    let bits = |is: &dyn Fn(u8) -> bool| {
        let mut each = [0; STRETCH];
        for (bit, byte) in each.iter_mut().zip(window) {
            *bit = u8::from(is(*byte));
        }
        packed(&each)
    };
    let threes = |places: &Places| {
        let threes = window.windows(3).enumerate();
        threes.fold(0, |bits, (at, three)| {
            let three = three.first_chunk().map_or([0; 3], |three| *three);
            bits | u64::from(places.have(three)) << at
        })
    };
    let is_word = |b: u8| b.is_ascii_alphanumeric() || b == b'_';
    Stretch {
        fragments: threes(tables.fragments.0),
        prefixes: threes(tables.prefixes.0),
        digits: bits(&|b: u8| b.is_ascii_digit()),
        words: bits(&is_word),
        dots: bits(&|b: u8| b == b'.'),
        colons: bits(&|b: u8| b == b':'),
        dials: bits(&|b: u8| matches!(b, b'+' | b'(')),
        ats: bits(&|b: u8| b == b'@'),
        gaps: bits(&|b: u8| matches!(b, b' ' | b'-')),
        escapes: bits(&|b: u8| matches!(b, b'\\' | b'%' | b'&')),
    }
}

/// The lowest bits of bytes, eight at a time: a product brings those of eight bytes together in its uppermost byte.
fn packed(each: &[u8; STRETCH]) -> u64 {
    let eights = each.chunks_exact(8).enumerate();
    eights.fold(0, |bits, (at, eight)| {
        let eight = eight.first_chunk().map_or(0, |eight| u64::from_le_bytes(*eight));
        bits | (eight.wrapping_mul(0x0102_0408_1020_4080) >> 56) << (at * 8)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::{
        filter::places,
        fragments::{EVERYTHING, PREFIXES},
        glance,
    };
    use proptest::prelude::*;

    /// What a look tells of each stretch of a text.
    fn told(
        look: impl Fn(&[u8], &Tables<'_>, &mut dyn FnMut(usize, &Stretch, &Stretch)),
        text: &[u8],
    ) -> Vec<(usize, Stretch, Stretch)> {
        let mut all = Vec::new();
        look(text, &Tables::of(&EVERYTHING), &mut |at, now, next| all.push((at, *now, *next)));
        all
    }

    /// Fragments may be seen where there are none, but not at the same places.
    fn without_fragments(all: &[(usize, Stretch, Stretch)]) -> Vec<(usize, Stretch, Stretch)> {
        let bare = |stretch: Stretch| Stretch { fragments: 0, prefixes: 0, ..stretch };
        all.iter().map(|(at, now, next)| (*at, bare(*now), bare(*next))).collect()
    }

    proptest! {
        #[test]
        fn whatever_the_processor_the_same_is_seen(
            text in prop::collection::vec(prop_oneof![any::<u8>(), prop::sample::select(b"pasword:=-kyAKI _.@(+09\\%&".to_vec())], 0..300)
        ) {
            let slow = told(|text, tables, visit| each_stretch(text, tables, visit), &text);
            let fast = told(|text, tables, visit| glance::each_stretch(text, tables, visit), &text);
            prop_assert_eq!(without_fragments(&slow), without_fragments(&fast));
            let seen = |all: &[(usize, Stretch, Stretch)], of: fn(&Stretch) -> u64| -> Vec<usize> {
                all.iter().flat_map(|(from, now, _)| places(of(now)).map(move |at| from + at)).collect()
            };
            // What the table has is among what the buckets have.
            for (at, three) in text.windows(3).enumerate() {
                let three = [three[0], three[1], three[2]];
                for (places, of) in [
                    (&EVERYTHING.places, (|s| s.fragments) as fn(&Stretch) -> u64),
                    (&PREFIXES.places, |s| s.prefixes),
                ] {
                    prop_assert_eq!(places.have(three), seen(&slow, of).contains(&at));
                }
            }
        }

        #[test]
        fn each_byte_is_what_it_is(text in "[ -~]{0,200}") {
            for (from, now, next) in told(|text, tables, visit| glance::each_stretch(text, tables, visit), text.as_bytes()) {
                for (stretch, from) in [(now, from), (next, from + STRETCH)] {
                    for at in 0..STRETCH {
                        let byte = text.as_bytes().get(from + at).copied().unwrap_or(0);
                        let is = |bits: u64| bits >> at & 1 == 1;
                        prop_assert_eq!(is(stretch.digits), byte.is_ascii_digit());
                        prop_assert_eq!(is(stretch.words), byte.is_ascii_alphanumeric() || byte == b'_');
                        prop_assert_eq!(is(stretch.gaps), matches!(byte, b' ' | b'-'));
                        prop_assert_eq!(is(stretch.escapes), matches!(byte, b'\\' | b'%' | b'&'));
                        prop_assert_eq!(is(stretch.dials), matches!(byte, b'+' | b'('));
                        prop_assert_eq!(is(stretch.colons), byte == b':');
                        prop_assert_eq!(is(stretch.dots), byte == b'.');
                        prop_assert_eq!(is(stretch.ats), byte == b'@');
                    }
                }
            }
        }
    }
}
