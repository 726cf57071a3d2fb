//! Thirty-two bytes at once.

use std::arch::x86_64::{
    __m256i, _mm_set_epi64x, _mm256_add_epi8, _mm256_and_si256, _mm256_broadcastsi128_si256,
    _mm256_cmpeq_epi8, _mm256_min_epu8, _mm256_movemask_epi8, _mm256_or_si256, _mm256_set_epi64x,
    _mm256_set1_epi8, _mm256_setzero_si256, _mm256_shuffle_epi8, _mm256_srli_epi16,
};

use super::{Stretch, Tables, WINDOW, each};
use crate::veil::filter::{BANKS, Bank};

/// [`super::each_stretch`] where the processor has AVX2.
#[target_feature(enable = "avx2,bmi1,bmi2,popcnt")]
pub(super) fn each_stretch(
    text: &[u8],
    tables: &Tables<'_>,
    visit: impl FnMut(usize, &Stretch, &Stretch),
) {
    let fragments = halves(&tables.fragments.1.banks);
    let prefixes = halves(&tables.prefixes.1.banks);
    each(text, |window| stretch(window, &fragments, &prefixes), visit);
}

/// For the first, second and third byte of a fragment: which buckets have their lower and their upper half.
type Halves = [[__m256i; 2]; 3];

#[target_feature(enable = "avx2")]
#[inline]
fn halves<const BANKS: usize>(banks: &[Bank; BANKS]) -> [Halves; BANKS] {
    let mut all = [[[_mm256_setzero_si256(); 2]; 3]; BANKS];
    for (all, bank) in all.iter_mut().zip(banks) {
        for (halves, bytes) in all.iter_mut().zip(bank) {
            *halves = [twice(&bytes[0]), twice(&bytes[1])];
        }
    }
    all
}

#[target_feature(enable = "avx2")]
#[inline]
fn twice(bytes: &[u8; 16]) -> __m256i {
    _mm256_broadcastsi128_si256(_mm_set_epi64x(eight(&bytes[8..]), eight(bytes)))
}

/// Eight bytes as a number.
#[inline(always)]
fn eight(bytes: &[u8]) -> i64 {
    bytes.first_chunk().map_or(0, |eight| i64::from_le_bytes(*eight))
}

/// Thirty-two bytes from a place of a window on.
#[target_feature(enable = "avx2")]
#[inline]
fn load(window: &[u8; WINDOW], at: usize) -> __m256i {
    let bytes = &window[at..at + 32];
    let (first, second) = (eight(bytes), eight(&bytes[8..]));
    _mm256_set_epi64x(eight(&bytes[24..]), eight(&bytes[16..]), second, first)
}

#[target_feature(enable = "avx2")]
#[inline]
fn stretch(window: &[u8; WINDOW], of: &[Halves; BANKS], prefixes: &[Halves; 1]) -> Stretch {
    let low = half(window, 0, of, prefixes);
    let high = half(window, 32, of, prefixes);
    Stretch {
        fragments: low.fragments | high.fragments << 32,
        prefixes: low.prefixes | high.prefixes << 32,
        digits: low.digits | high.digits << 32,
        words: low.words | high.words << 32,
        dots: low.dots | high.dots << 32,
        colons: low.colons | high.colons << 32,
        dials: low.dials | high.dials << 32,
        ats: low.ats | high.ats << 32,
        gaps: low.gaps | high.gaps << 32,
        escapes: low.escapes | high.escapes << 32,
    }
}

/// The same of thirty-two bytes.
#[target_feature(enable = "avx2")]
#[inline]
fn half(window: &[u8; WINDOW], at: usize, of: &[Halves; BANKS], prefixes: &[Halves; 1]) -> Stretch {
    let bytes = load(window, at);
    let threes = [parted(bytes), parted(load(window, at + 1)), parted(load(window, at + 2))];
    let lower = or(bytes, all(0x20));
    let digits = within(bytes, b'0', 10);
    let words = or(or(digits, within(lower, b'a', 26)), is(bytes, b'_'));
    let escapes = or(or(is(bytes, b'\\'), is(bytes, b'%')), is(bytes, b'&'));
    Stretch {
        fragments: in_buckets(&threes, of),
        prefixes: in_buckets(&threes, prefixes),
        digits: mask(digits),
        words: mask(words),
        dots: mask(is(bytes, b'.')),
        colons: mask(is(bytes, b':')),
        dials: mask(or(is(bytes, b'+'), is(bytes, b'('))),
        ats: mask(is(bytes, b'@')),
        gaps: mask(or(is(bytes, b'-'), is(bytes, b' '))),
        escapes: mask(escapes),
    }
}

/// Where a bucket has three bytes.
#[target_feature(enable = "avx2")]
#[inline]
fn in_buckets<const BANKS: usize>(threes: &Halves, banks: &[Halves; BANKS]) -> u64 {
    let mut any = _mm256_setzero_si256();
    for bank in banks {
        let mut buckets = all(0xff);
        for place in 0..3 {
            let [of_low, of_high] = bank[place];
            let [low, high] = threes[place];
            let has = _mm256_and_si256(
                _mm256_shuffle_epi8(of_low, low),
                _mm256_shuffle_epi8(of_high, high),
            );
            buckets = _mm256_and_si256(buckets, has);
        }
        any = or(any, buckets);
    }
    mask(_mm256_cmpeq_epi8(any, _mm256_setzero_si256())) ^ u64::from(u32::MAX)
}

/// The lower and the upper halves of bytes.
#[target_feature(enable = "avx2")]
#[inline]
fn parted(bytes: __m256i) -> [__m256i; 2] {
    let upper = _mm256_srli_epi16::<4>(bytes);
    [_mm256_and_si256(bytes, all(0x0f)), _mm256_and_si256(upper, all(0x0f))]
}

#[target_feature(enable = "avx2")]
#[inline]
fn is(bytes: __m256i, byte: u8) -> __m256i {
    _mm256_cmpeq_epi8(bytes, all(byte))
}

#[target_feature(enable = "avx2")]
#[inline]
fn or(one: __m256i, other: __m256i) -> __m256i {
    _mm256_or_si256(one, other)
}

/// A byte, thirty-two times.
#[target_feature(enable = "avx2")]
#[inline]
fn all(byte: u8) -> __m256i {
    _mm256_set1_epi8(byte.cast_signed())
}

/// Which bytes are among so many from one on.
#[target_feature(enable = "avx2")]
#[inline]
fn within(bytes: __m256i, first: u8, many: u8) -> __m256i {
    let from = _mm256_add_epi8(bytes, all(0u8.wrapping_sub(first)));
    _mm256_cmpeq_epi8(_mm256_min_epu8(from, all(many - 1)), from)
}

/// A bit a byte.
#[target_feature(enable = "avx2")]
#[inline]
fn mask(bytes: __m256i) -> u64 {
    u64::from(_mm256_movemask_epi8(bytes).cast_unsigned())
}
