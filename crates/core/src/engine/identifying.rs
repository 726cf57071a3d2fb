//! The ids of all blocks, looked for in the background while there is nothing else to do.

use std::{collections::HashSet, sync::Arc};

use super::jobs::{Job, Workers};
use crate::store::{Block, Blocks};

/// Blocks after which it is told how far the search is.
const TOLD: usize = 64;

#[derive(Default)]
pub(super) struct Identifying {
    /// Blocks that workers have.
    pending: HashSet<usize>,
    /// The ids of all blocks before this one are known, or on their way.
    next: usize,
    /// Blocks that have come since it was told.
    untold: usize,
    /// Blocks whose ids can't be known: number and edition.
    failed: HashSet<(usize, u32)>,
}

impl Identifying {
    /// Blocks have come, or have become others.
    pub(super) fn again(&mut self) {
        self.next = 0;
    }

    /// Queues blocks for all workers but one, which stays free for what a person asks meanwhile. Cost: the blocks that
    /// were queued before.
    pub(super) fn queue(&mut self, blocks: &Blocks, workers: &Workers) {
        while self.pending.len() < workers.count.saturating_sub(1).max(1)
            && let Some(block) = blocks.get(self.next)
        {
            let number = self.next;
            self.next += 1;
            if self.is_missing(number, block) && self.pending.insert(number) {
                workers.queue(Job::Identify { number, block: Arc::clone(block) });
            }
        }
    }

    fn is_missing(&self, number: usize, block: &Block) -> bool {
        !block.growing
            && block.ids.get().is_none()
            && !self.failed.contains(&(number, block.edition))
    }

    /// Whether all blocks have been looked through.
    pub(super) fn is_over(&self, blocks: &Blocks) -> bool {
        self.pending.is_empty() && self.next >= blocks.len()
    }

    /// Takes a worker's result; whether it is worth telling.
    pub(super) fn take(&mut self, blocks: &Blocks, number: usize, edition: u32) -> bool {
        self.pending.remove(&number);
        let block = &blocks[number];
        match (block.edition == edition, block.ids.get()) {
            (true, Some(_)) => {}
            (true, None) => drop(self.failed.insert((number, edition))),
            (false, _) => self.next = self.next.min(number),
        }
        self.untold += 1;
        let tell = self.untold >= TOLD || self.pending.is_empty() && self.next >= blocks.len();
        if tell {
            self.untold = 0;
        }
        tell
    }

    /// Blocks whose ids are known, and blocks there are that have any.
    pub(super) fn progress(&self, blocks: &Blocks) -> (usize, usize) {
        let missing = |(number, block): &(usize, &Arc<Block>)| self.is_missing(*number, block);
        let missing = blocks.iter().enumerate().filter(missing).count();
        (blocks.len() - missing, blocks.len())
    }
}
