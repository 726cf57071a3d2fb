//! A kind as its words, to be compared with others in all but some of them.

use super::forms::{is_constant, masked, plain};
use crate::{
    entry::kind::{Dressed, Form},
    hash,
};

/// The words of a kind, and what they come to: to compare kinds in all but some of their words.
pub(super) struct Worded<'k> {
    pub(super) words: Vec<&'k str>,
    plain: Vec<u64>,
    dressed: Vec<u64>,
}

impl<'k> Worded<'k> {
    pub(super) fn of(kind: &'k str) -> Self {
        let words: Vec<&str> = kind.split(' ').collect();
        let plain = words.iter().map(|word| hash::of(plain(word))).collect();
        let signs = |word: &&str| {
            let dressed = Dressed::of(word);
            hash::of(dressed.before) ^ hash::of(dressed.after).rotate_left(21)
        };
        let dressed = words.iter().map(signs).collect();
        Self { words, plain, dressed }
    }

    /// What all words but some come to, whatever their holes hold.
    pub(super) fn rest(&self, but: &[usize]) -> u64 {
        let start = self.words.len() as u64;
        self.plain.iter().enumerate().fold(start, |all, (at, plain)| {
            let word = if but.contains(&at) { !self.dressed[at] } else { *plain };
            all.rotate_left(7).wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ word
        })
    }

    /// The places of words that may vary.
    pub(super) fn vary(&self) -> Vec<usize> {
        (0..self.words.len()).filter(|at| Dressed::of(self.words[*at]).is_word()).collect()
    }

    /// Words that stay the same beside some.
    pub(super) fn constant(&self, but: &[usize]) -> usize {
        let words = self.words.iter().enumerate();
        words.filter(|(at, word)| !but.contains(at) && is_constant(word)).count()
    }

    pub(super) fn pattern(&self, holes: &[usize]) -> String {
        let words = self.words.iter().enumerate().map(|(at, word)| match holes.contains(&at) {
            true => masked(word, Form::Word),
            false => (*word).to_owned(),
        });
        words.collect::<Vec<_>>().join(" ")
    }
}
