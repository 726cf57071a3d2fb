//! The end of a long file, read before the rest: what happened last is what most people open a log for.

use std::ops::Range;

use super::{
    join::{Sealed, Slot, record_end},
    reading::Reading,
};
use crate::{
    limits,
    lines::{Cut, Part},
    store::Columns,
};

/// The number of its chunk; no other has it.
pub(super) const NUMBER: usize = usize::MAX;
/// Chunks from which on a file is long.
const LONG: u64 = 8;

/// How far reading the end has come.
pub(super) enum Newest {
    /// Nothing is read ahead, or it was and is in its place.
    Off,
    Wanted,
    /// A worker has it; what it begins at, and its number once its turn has come.
    Asked(u64, Option<usize>),
    /// It is here; the flag says that it is shown.
    Here(u64, Box<Cut>, bool),
}

impl Reading {
    /// Whether the file is worth reading its end first.
    pub(super) fn is_long(&self) -> bool {
        self.spool.is_none() && self.size > LONG * limits::CHUNK_BYTES as u64
    }

    /// The range of the end, where it is to be read now.
    pub(super) fn ask_newest(&mut self) -> Option<Range<u64>> {
        // The beginning is what the screen shows first.
        if !matches!(self.newest, Newest::Wanted) || self.asked == 0 {
            return None;
        }
        // A whole chunk and a little more rather than a few lines.
        let chunk = limits::CHUNK_BYTES as u64;
        let from = (self.size - chunk / 4) / chunk * chunk;
        self.newest = Newest::Asked(from, None);
        Some(from..self.size)
    }

    /// Whether the end begins here.
    pub(super) fn is_newest(&self, start: u64) -> bool {
        matches!(self.newest, Newest::Asked(from, _) | Newest::Here(from, ..) if from == start)
    }

    /// All before the end has been asked for, and the end was counted as the last chunk.
    pub(super) fn turn_of_newest(&mut self) -> Vec<Sealed> {
        let number = self.asked - 1;
        match std::mem::replace(&mut self.newest, Newest::Off) {
            Newest::Here(_, cut, _) => {
                self.waiting.insert(number, cut);
                self.join_waiting()
            }
            Newest::Asked(from, _) => {
                self.newest = Newest::Asked(from, Some(number));
                Vec::new()
            }
            other => {
                self.newest = other;
                Vec::new()
            }
        }
    }

    /// Takes the end in: shows it now, and keeps it for its turn.
    pub(super) fn take_newest(&mut self, cut: Box<Cut>) -> Vec<Sealed> {
        match std::mem::replace(&mut self.newest, Newest::Off) {
            Newest::Asked(_, Some(number)) => {
                self.waiting.insert(number, cut);
                self.join_waiting()
            }
            Newest::Asked(from, None) => {
                self.newest = Newest::Here(from, cut, false);
                self.show_newest()
            }
            other => {
                self.newest = other;
                Vec::new()
            }
        }
    }

    /// What is shown of the end. It waits for the first block, or the last entries appear for one frame and
    /// then jump away.
    pub(super) fn show_newest(&mut self) -> Vec<Sealed> {
        if self.joined == 0 {
            return Vec::new();
        }
        let mut early = Vec::new();
        if let Newest::Here(_, cut, shown) = &self.newest
            && !shown
        {
            early = self.early(cut);
        }
        if let Newest::Here(.., shown) = &mut self.newest {
            *shown = true;
        }
        early
    }

    /// Whether nothing is shown that still waits for its turn.
    pub(super) fn is_in_turn(&self) -> bool {
        matches!(self.newest, Newest::Off)
    }

    /// The parts of the end as they are known without what stands before: no line is numbered yet.
    fn early(&self, cut: &Cut) -> Vec<Sealed> {
        let mut sealed = Vec::new();
        for (at, part) in cut.parts.iter().enumerate() {
            let end = record_end(part, &cut.parts[at + 1..]).unwrap_or(cut.end);
            let mut columns: Columns = part.columns.clone();
            columns.settle(None);
            let part = Part { columns, ..*part };
            sealed.push(self.seal(part, 0, end, Slot::Early));
        }
        sealed
    }
}
