//! What conditions ask of the other half of an exchange, and of runs.

use super::{
    Across,
    exchanges::{between, status_in, took_in},
};
use crate::{
    engine::hints::{program_named, told_in},
    limits,
    query::{Beside, Part},
    store::{Block, EntryId},
};

/// A block among all that was known of when a condition was asked for.
pub(crate) struct Among<'a> {
    pub(crate) across: &'a Across,
    pub(crate) number: usize,
    pub(crate) block: &'a Block,
}

impl Among<'_> {
    /// The block that an entry stands in: another one as it was then.
    fn block_of(&self, id: EntryId) -> Option<&Block> {
        if id.block() == self.number {
            return Some(self.block);
        }
        self.across.blocks.get(id.block()).map(|block| &**block)
    }

    /// What two entries tell of a part that stands in their text.
    fn read(&self, name: &str, halves: [EntryId; 2], hand: &mut dyn FnMut(&str)) {
        for id in halves {
            let Some(block) = self.block_of(id) else { continue };
            let Ok((raw, _)) = block.read(id.index(), limits::INSPECT_BYTES) else { continue };
            let entry = block.entry(id.index(), &raw);
            let mut found = false;
            told_in(&entry, &mut |told, value| {
                if told == name {
                    hand(&value);
                    found = true;
                }
            });
            if found {
                return;
            }
        }
    }
}

impl Beside for Among<'_> {
    fn run(&self, index: usize, program: &mut dyn FnMut() -> Option<String>) -> (usize, bool) {
        let runs = &self.across.runs;
        let program = match runs.is_mixed(self.block.source.index()) {
            true => program().map_or(0, |name| program_named(&name)),
            false => 0,
        };
        runs.number(self.block, index, program)
    }

    fn told(
        &self,
        part: Part,
        wanted: &dyn Fn(usize) -> bool,
        hand: &mut dyn FnMut(usize, &str, &str),
    ) {
        if !self.across.knows(self.number, self.block) {
            return;
        }
        let pairs = self.across.pairs(self.number).iter();
        for pair in pairs.filter(|pair| wanted(usize::from(pair.index))) {
            let (own, index) =
                (EntryId::new(self.number, pair.index.into()), usize::from(pair.index));
            let (request, response) =
                if pair.answers { (pair.other, own) } else { (own, pair.other) };
            match part {
                Part::Method => self
                    .read("method", [request, response], &mut |text| hand(index, "method", text)),
                Part::Path => {
                    self.read("path", [request, response], &mut |text| hand(index, "path", text));
                }
                Part::Status => {
                    let mut status = [response, request].into_iter();
                    let status = status.find_map(|id| status_in(self.block_of(id)?, id.index()));
                    match status {
                        Some(status) => hand(index, "status", &status.to_string()),
                        None => self.read("status", [response, request], &mut |text| {
                            hand(index, "status", text);
                        }),
                    }
                }
                Part::Took => {
                    let mut told = [response, request].into_iter();
                    let told = told.find_map(|id| took_in(self.block_of(id)?, id.index()));
                    let took = told.or_else(|| {
                        let half = |id: EntryId| Some((self.block_of(id)?, id.index()));
                        between(half(request)?, half(response)?)
                    });
                    if let Some(took) = took {
                        hand(index, "took", &format!("{took}ns"));
                    }
                }
            }
        }
    }
}
