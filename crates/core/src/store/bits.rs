//! A set of entries of one block.

/// One bit an entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Bits {
    words: Box<[u64]>,
    len: usize,
}

impl Bits {
    /// No entry of `len`.
    pub(crate) fn none(len: usize) -> Self {
        Self { words: vec![0; len.div_ceil(64)].into(), len }
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

    /// How many entries the set is over.
    pub(crate) fn len(&self) -> usize {
        self.len
    }

    pub(crate) fn count(&self) -> usize {
        self.words.iter().map(|w| w.count_ones() as usize).sum()
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

    /// The entries of the set, ascending.
    pub(crate) fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().flat_map(|(at, word)| {
            let mut rest = *word;
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
