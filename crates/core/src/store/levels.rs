//! The levels of many entries, packed so that they can be counted a word at a time.

use std::ops::Range;

use super::Bits;
use crate::entry::Level;

/// Three bits an entry: 0 for none, else the level's number from 1.
#[derive(Clone, Debug)]
pub(crate) struct Levels {
    planes: [Bits; 3],
    /// Which numbers occur.
    occur: [bool; 7],
}

impl Levels {
    /// Packs levels.
    pub(crate) fn of(levels: impl ExactSizeIterator<Item = Option<Level>>) -> Self {
        let mut planes = [const { None }; 3].map(|_: Option<()>| Bits::none(levels.len()));
        let mut occur = [false; 7];
        for (at, level) in levels.enumerate() {
            let number = level.map_or(0, |level| level.index() + 1);
            occur[number] = true;
            for (bit, plane) in planes.iter_mut().enumerate() {
                if number >> bit & 1 == 1 {
                    plane.set(at);
                }
            }
        }
        Self { planes, occur }
    }

    /// Counts the entries of a range that are in a set, by their number: none, then the levels.
    pub(crate) fn count(&self, set: &Bits, range: Range<usize>) -> [u32; 7] {
        let mut counts = [0; 7];
        let [low, middle, high] = &self.planes;
        for (at, word) in set.words_in(range) {
            if word == 0 {
                continue;
            }
            let planes = [low.word(at), middle.word(at), high.word(at)];
            for (number, count) in (0u32..).zip(&mut counts) {
                if !self.occur[number as usize] {
                    continue;
                }
                let of =
                    |bit: usize| if number >> bit & 1 == 1 { planes[bit] } else { !planes[bit] };
                let here = word & of(0) & of(1) & of(2);
                // Most levels are in few words.
                if here != 0 {
                    *count += here.count_ones();
                }
            }
        }
        counts
    }
}
