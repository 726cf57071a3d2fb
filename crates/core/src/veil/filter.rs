//! Which three bytes may be a fragment's, told by the halves of each.
//!
//! Fragments are put into sixteen buckets. A bucket has a byte where the byte's lower half is that of one of its
//! fragments' and its upper half is too: two lookups in sixteen bytes each, which processors do for thirty-two bytes at
//! once. It also has bytes that none of its fragments has; which fragments share a bucket is chosen so that these are
//! bytes that are seldom met.

/// Sets of eight buckets.
pub(super) const BANKS: usize = 2;

/// For three bytes, by their lower and by their upper half: which of eight buckets have them, a bit each.
pub(super) type Bank = [[[u8; 16]; 2]; 3];

/// The buckets of many fragments.
pub(super) struct Filter<const BANKS: usize> {
    pub(super) banks: [Bank; BANKS],
}

/// Which halves a bucket has of three bytes: a bit a half, the lower ones first.
type Bucket = [[u16; 2]; 3];

impl<const BANKS: usize> Filter<BANKS> {
    /// Puts fragments in lower case into buckets, and says which three bytes of each are looked for: those that are
    /// met least, or the first ones.
    pub(super) fn of(fragments: &[Box<[u8]>], first: bool) -> (Self, Vec<usize>) {
        let mut buckets = vec![Bucket::default(); BANKS * 8];
        let mut chosen = vec![0; fragments.len()];
        let shares: Shares = std::array::from_fn(|byte| share(u8::try_from(byte).unwrap_or(0)));
        // Those with the least choice come first.
        let mut order: Vec<usize> = (0..fragments.len()).collect();
        order.sort_by_key(|number| fragments[*number].len());
        let mut had = vec![0.0; buckets.len()];
        for number in order {
            let mut best = (f64::INFINITY, 0, 0);
            let threes = fragments[number].windows(3).enumerate();
            for (at, three) in threes.take(if first { 1 } else { usize::MAX }) {
                for (bucket, halves) in buckets.iter().enumerate() {
                    let dearer = chance(&with(halves, three), &shares) - had[bucket];
                    if dearer < best.0 {
                        best = (dearer, at, bucket);
                    }
                }
            }
            let (_, at, bucket) = best;
            chosen[number] = at;
            buckets[bucket] = with(&buckets[bucket], &fragments[number][at..at + 3]);
            had[bucket] = chance(&buckets[bucket], &shares);
        }
        let mut filter = Self { banks: [Bank::default(); BANKS] };
        for (number, bucket) in buckets.iter().enumerate() {
            let bank = &mut filter.banks[number / 8];
            for (halves, table) in bucket.iter().zip(bank).flat_map(|(b, t)| b.iter().zip(t)) {
                for (half, has) in table.iter_mut().enumerate() {
                    *has |= u8::from(halves >> half & 1 == 1) << (number % 8);
                }
            }
        }
        (filter, chosen)
    }
}

/// A bucket with one fragment more, in both cases of its letters.
fn with(bucket: &Bucket, three: &[u8]) -> Bucket {
    let mut bucket = *bucket;
    for ([low, high], byte) in bucket.iter_mut().zip(three) {
        for byte in [*byte, byte.to_ascii_uppercase()] {
            *low |= 1 << (byte & 0x0f);
            *high |= 1 << (byte >> 4);
        }
    }
    bucket
}

/// How often each byte is met.
type Shares = [f64; 256];

/// How often a bucket has the three bytes of a place, roughly.
fn chance(bucket: &Bucket, shares: &Shares) -> f64 {
    let bits = |halves: u16| places(u64::from(halves));
    let of = |[low, high]: &[u16; 2]| -> f64 {
        bits(*high).map(|high| bits(*low).map(|low| shares[high << 4 | low]).sum::<f64>()).sum()
    };
    bucket.iter().map(of).product()
}

/// How often a byte is met in what programs write, roughly: parts of all.
fn share(byte: u8) -> f64 {
    let thousandths = match byte {
        b'e' | b't' | b'a' | b'o' | b'i' | b'n' | b's' | b'r' => 45,
        b'l' | b'd' | b'c' | b'u' | b'm' | b'p' | b'h' | b'g' => 20,
        b'0'..=b'9' => 25,
        b'"' => 45,
        b':' | b'/' | b' ' | b',' => 22,
        b'b' | b'f' | b'v' | b'w' | b'y' | b'k' | b'_' | b'-' | b'.' | b'=' => 11,
        b'A'..=b'Z' => 3,
        b'\n' | b' '..=b'~' => 1,
        _ => 0,
    };
    f64::from(thousandths) / 1000.0
}

/// The place of each bit that is set, ascending.
pub(super) fn places(mut bits: u64) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let at = bits.trailing_zeros() as usize;
        let some = bits != 0;
        bits &= bits.wrapping_sub(1);
        some.then_some(at)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::fragments::{EVERYTHING, PREFIXES};

    /// Whether a bucket has three bytes.
    fn has<const BANKS: usize>(filter: &Filter<BANKS>, three: [u8; 3]) -> bool {
        filter.banks.iter().any(|bank| {
            let each = bank.iter().zip(three);
            let of = |([low, high], byte): (&[[u8; 16]; 2], u8)| {
                low[usize::from(byte & 0x0f)] & high[usize::from(byte >> 4)]
            };
            each.map(of).fold(0xff, |all, one| all & one) != 0
        })
    }

    #[test]
    fn buckets_have_what_is_looked_for_and_little_else() {
        let words =
            ["key", "pass", "://", "$2a$", "-----begin ", "q~"].map(|f| f.as_bytes().into());
        let (filter, chosen) = Filter::<2>::of(&words[..5], false);
        for (word, at) in words.iter().zip(chosen) {
            let three: [u8; 3] = std::array::from_fn(|more| word[at + more]);
            assert!(has(&filter, three), "{three:?}");
            assert!(has(&filter, three.map(|b| b.to_ascii_uppercase())), "{three:?}");
        }
        assert!(!has(&filter, *b"the") && !has(&filter, *b"12:"));
    }

    /// Or each byte would cost a look in the table.
    #[test]
    fn few_places_of_a_common_line_are_candidates() {
        let line = b"2026-03-14 06:41:07.312 INFO  [worker-4] harbour.berth - ferry Gannet moored at pier 3, tide \
            2.71 m, wind 14 kn, 212 of 340 aboard, next=Saltmarsh took=31ms";
        let threes = || line.windows(3).map(|three| [three[0], three[1], three[2]]);
        let fragments = threes().filter(|three| has(&EVERYTHING.filter, *three)).count();
        let prefixes = threes().filter(|three| has(&PREFIXES.filter, *three)).count();
        assert!(fragments * 8 < line.len(), "{fragments}");
        assert!(prefixes * 8 < line.len(), "{prefixes}");
    }
}
