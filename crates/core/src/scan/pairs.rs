//! A search for pairs of neighbouring bytes, eight kinds of them at once.
//!
//! A byte's two halves are each looked up in a table of sixteen that gives the kinds it may belong to: two lookups for
//! the first byte, two for the second, for 32 places at once (the nibble tables that several programs use to search
//! for many literals). What a table can't tell apart is looked at again, so that only pairs are handed on.

#[cfg(target_arch = "x86_64")]
use super::wide;

/// Places that are looked at at once.
#[cfg(target_arch = "x86_64")]
const WIDE: usize = 64;
/// Kinds of pairs that one search takes at most.
const MOST: usize = 8;

/// A kind of pair: any of some bytes, and behind it any of others.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pair {
    pub(crate) first: u8,
    /// Bytes that may stand behind it.
    pub(crate) second: fn(u8) -> bool,
}

/// A search for pairs.
#[derive(Debug)]
pub(crate) struct Pairs {
    /// For each byte the kinds that it may be the first of, and the second of.
    first: Box<[u8; 256]>,
    second: Box<[u8; 256]>,
    /// The same by lower and upper half of a byte, each for 32 places.
    #[cfg(target_arch = "x86_64")]
    halves: [[u8; 32]; 4],
}

impl Pairs {
    /// A search for pairs; those beyond the eighth share kinds with others.
    pub(crate) fn new(pairs: &[Pair]) -> Self {
        let (mut first, mut second) = (Box::new([0u8; 256]), Box::new([0u8; 256]));
        for (number, pair) in pairs.iter().enumerate() {
            let kind = 1u8 << (number % MOST);
            first[usize::from(pair.first)] |= kind;
            for byte in (0..=u8::MAX).filter(|byte| (pair.second)(*byte)) {
                second[usize::from(byte)] |= kind;
            }
        }
        #[cfg(target_arch = "x86_64")]
        let halves = {
            let mut halves = [[0u8; 32]; 4];
            for byte in 0..256 {
                for half in [0, 16] {
                    halves[0][half + byte % 16] |= first[byte];
                    halves[1][half + byte / 16] |= first[byte];
                    halves[2][half + byte % 16] |= second[byte];
                    halves[3][half + byte / 16] |= second[byte];
                }
            }
            halves
        };
        Self {
            first,
            second,
            #[cfg(target_arch = "x86_64")]
            halves,
        }
    }

    /// Calls `hit` with the place of each pair, in turn, until it says that that is enough. What follows the last byte
    /// counts as a zero.
    pub(crate) fn each(&self, bytes: &[u8], hit: &mut dyn FnMut(usize) -> bool) {
        #[cfg(target_arch = "x86_64")]
        let from = if wide::is_there() {
            #[expect(
                unsafe_code,
                reason = "the registers that it is compiled for are there, as was asked the line before"
            )]
            match unsafe { self.each_wide(bytes, hit) } {
                Some(from) => from,
                None => return,
            }
        } else {
            0
        };
        #[cfg(not(target_arch = "x86_64"))]
        let from = 0;
        self.each_plain(bytes, from..bytes.len(), hit);
    }

    /// Looks at each place of a range; says whether to go on.
    pub(super) fn each_plain(
        &self,
        bytes: &[u8],
        range: std::ops::Range<usize>,
        hit: &mut dyn FnMut(usize) -> bool,
    ) -> bool {
        for at in range {
            let behind = bytes.get(at + 1).copied().unwrap_or(0);
            let kinds = self.first[usize::from(bytes[at])] & self.second[usize::from(behind)];
            if kinds != 0 && hit(at) {
                return false;
            }
        }
        true
    }

    /// Looks at many places at a time; gives the first that is left over, `None` where it was ended.
    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn each_wide(&self, bytes: &[u8], hit: &mut dyn FnMut(usize) -> bool) -> Option<usize> {
        let mut at = 0;
        loop {
            let (place, mut left) = self.next_wide(bytes, at);
            if left == 0 {
                return Some(place);
            }
            while left != 0 {
                let place = place + left.trailing_zeros() as usize;
                if !self.each_plain(bytes, place..place + 1, hit) {
                    return None;
                }
                left &= left - 1;
            }
            at = place + WIDE;
        }
    }

    /// The next places, as many as are looked at at once, among which there may be pairs, and a bit for each that there may be one at; no bits where
    /// fewer are left.
    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    // What is called for a hit would push the tables out of their registers.
    #[inline(never)]
    fn next_wide(&self, bytes: &[u8], from: usize) -> (usize, u64) {
        use std::arch::x86_64::{
            _mm256_and_si256, _mm256_cmpeq_epi8, _mm256_movemask_epi8, _mm256_or_si256,
            _mm256_set1_epi8, _mm256_setzero_si256, _mm256_shuffle_epi8, _mm256_srli_epi16,
            _mm256_testz_si256,
        };
        let [first_low, first_high, second_low, second_high] =
            self.halves.each_ref().map(|half| wide::load::<32, 1>(half)[0]);
        let (low, zero) = (_mm256_set1_epi8(0x0f), _mm256_setzero_si256());
        let kinds = |here, behind| {
            let high = |bytes| _mm256_and_si256(_mm256_srli_epi16::<4>(bytes), low);
            _mm256_and_si256(
                _mm256_and_si256(
                    _mm256_shuffle_epi8(first_low, _mm256_and_si256(here, low)),
                    _mm256_shuffle_epi8(first_high, high(here)),
                ),
                _mm256_and_si256(
                    _mm256_shuffle_epi8(second_low, _mm256_and_si256(behind, low)),
                    _mm256_shuffle_epi8(second_high, high(behind)),
                ),
            )
        };
        let none =
            |kinds| u64::from(_mm256_movemask_epi8(_mm256_cmpeq_epi8(kinds, zero)).cast_unsigned());
        let here = bytes.get(from..).unwrap_or_default().as_chunks::<WIDE>().0;
        let behind = bytes.get(from + 1..).unwrap_or_default().as_chunks::<WIDE>().0;
        let mut at = from;
        for (here, behind) in here.iter().zip(behind) {
            let ([one, two], [three, four]) = (wide::load(here), wide::load(behind));
            let (one, two) = (kinds(one, three), kinds(two, four));
            let any = _mm256_or_si256(one, two);
            if _mm256_testz_si256(any, any) == 0 {
                return (at, !(none(one) | none(two) << 32));
            }
            at += WIDE;
        }
        (at, 0)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const PAIRS: [Pair; 4] = [
        Pair { first: 0x1b, second: |_| true },
        Pair { first: b'{', second: |b| b.is_ascii_alphanumeric() || b == b'$' },
        Pair { first: b'm', second: |b| b == b'"' },
        Pair { first: b'\\', second: |b| b == b'u' },
    ];

    proptest! {
        /// Every pair is found, wherever it stands, and nothing else.
        #[test]
        fn pairs_are_found_where_they_stand(text in "[a-m{}\"\\\\u$\u{1b}é ]{0,200}", most in 0usize..9) {
            let bytes = text.as_bytes();
            let is_pair = |at: &usize| {
                let behind = bytes.get(at + 1).copied().unwrap_or(0);
                PAIRS.iter().any(|pair| pair.first == bytes[*at] && (pair.second)(behind))
            };
            let want: Vec<usize> = (0..bytes.len()).filter(is_pair).take(most + 1).collect();
            let mut found = Vec::new();
            Pairs::new(&PAIRS).each(bytes, &mut |at| {
                found.push(at);
                found.len() > most
            });
            prop_assert_eq!(found, want);
        }
    }
}
