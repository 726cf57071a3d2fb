//! A set of entries of one block.

use std::ops::Range;

/// One bit an entry.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Bits {
    words: Box<[u64]>,
}

impl Bits {
    /// No entry of `len`.
    pub(crate) fn none(len: usize) -> Self {
        Self { words: vec![0; len.div_ceil(64)].into() }
    }

    /// All `len` entries.
    pub(crate) fn all(len: usize) -> Self {
        let mut bits = Self::none(len);
        bits.words.fill(u64::MAX);
        if let (Some(last), rest @ 1..) = (bits.words.last_mut(), len % 64) {
            *last = (1 << rest) - 1;
        }
        bits
    }

    pub(crate) fn set(&mut self, index: usize) {
        self.words[index / 64] |= 1 << (index % 64);
    }

    pub(crate) fn has(&self, index: usize) -> bool {
        self.words.get(index / 64).is_some_and(|word| word >> (index % 64) & 1 == 1)
    }

    pub(crate) fn count(&self) -> usize {
        self.words.iter().map(|w| w.count_ones() as usize).sum()
    }

    /// The bytes that it takes.
    pub(crate) fn bytes(&self) -> usize {
        self.words.len() * 8
    }

    /// How many are in both.
    pub(crate) fn count_both(&self, other: &Self) -> usize {
        let words = self.words.iter().zip(&other.words);
        words.map(|(word, other)| (word & other).count_ones() as usize).sum()
    }

    /// Keeps what is in both.
    pub(crate) fn keep(&mut self, other: &Self) {
        for (word, other) in self.words.iter_mut().zip(&other.words) {
            *word &= other;
        }
    }

    /// Takes out what is in the other.
    pub(crate) fn remove(&mut self, other: &Self) {
        for (word, other) in self.words.iter_mut().zip(&other.words) {
            *word &= !other;
        }
    }

    /// Takes in what is in the other.
    pub(crate) fn add(&mut self, other: &Self) {
        for (word, other) in self.words.iter_mut().zip(&other.words) {
            *word |= other;
        }
    }

    /// 64 entries of the set; `at` counts words.
    pub(crate) fn word(&self, at: usize) -> u64 {
        self.words.get(at).copied().unwrap_or(0)
    }

    /// The words that a range of entries touches, what lies outside cleared.
    pub(crate) fn words_in(&self, range: Range<usize>) -> impl Iterator<Item = (usize, u64)> + '_ {
        (range.start / 64..range.end.div_ceil(64)).map(move |at| {
            let mut word = self.word(at);
            if at == range.start / 64 {
                word &= u64::MAX << (range.start % 64);
            }
            if (at + 1) * 64 > range.end {
                word &= !(u64::MAX << (range.end % 64));
            }
            (at, word)
        })
    }

    /// How many of the set come before an entry.
    pub(crate) fn rank(&self, index: usize) -> usize {
        let whole = (index / 64).min(self.words.len());
        let before: usize = self.words[..whole].iter().map(|w| w.count_ones() as usize).sum();
        let rest = self.words.get(index / 64).filter(|_| whole == index / 64);
        before + rest.map_or(0, |word| (word & !(u64::MAX << (index % 64))).count_ones() as usize)
    }

    /// The entry that so many of the set come before.
    pub(crate) fn select(&self, rank: usize) -> Option<usize> {
        let mut left = rank;
        for (at, word) in self.words.iter().enumerate() {
            let here = word.count_ones() as usize;
            if left < here {
                let mut word = *word;
                for _ in 0..left {
                    word &= word - 1;
                }
                return Some(at * 64 + word.trailing_zeros() as usize);
            }
            left -= here;
        }
        None
    }

    /// The entries of the set, ascending.
    pub(crate) fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.iter_from(0)
    }

    /// The entries of the set from one on, ascending.
    pub(crate) fn iter_from(&self, index: usize) -> impl Iterator<Item = usize> + '_ {
        let first = index / 64;
        self.words.iter().enumerate().skip(first).flat_map(move |(at, word)| {
            let mut rest = if at == first { word & (u64::MAX << (index % 64)) } else { *word };
            std::iter::from_fn(move || {
                let bit = rest.trailing_zeros() as usize;
                (rest != 0).then(|| {
                    rest &= rest - 1;
                    at * 64 + bit
                })
            })
        })
    }
}
