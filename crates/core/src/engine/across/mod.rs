//! What entries mean beside others: the runs of programs, and requests with their responses. Put together from what
//! the blocks say ([`crate::store::Hints`]), by a worker, once all of them have been looked through.

mod beside;
mod counterpart;
mod exchanges;
mod runs;

use std::sync::Arc;

pub(crate) use beside::Among;
pub(crate) use exchanges::Pair;
pub use exchanges::{Exchange, Side};
pub use runs::Run;
use runs::RunTable;

use crate::store::{Block, Blocks, EntryId};

/// What is known of all blocks.
#[derive(Debug, Default)]
pub(crate) struct Across {
    pub(crate) runs: RunTable,
    /// The halves of exchanges in each block, in the order of entries.
    pairs: Vec<Box<[Pair]>>,
    /// The blocks that it is made of.
    blocks: Blocks,
}

impl Across {
    /// Puts together what all blocks say. Cost: the requests, responses and starts among all entries.
    pub(crate) fn of(blocks: &Blocks) -> Self {
        let mut of_sources: Vec<(usize, &Arc<Block>)> =
            blocks.iter().enumerate().filter(|(_, block)| block.len() > 0).collect();
        of_sources.sort_by_key(|(_, block)| (block.source, block.place));
        let mut across = Self {
            pairs: vec![Box::default(); blocks.len()],
            blocks: blocks.clone(),
            ..Self::default()
        };
        for blocks in of_sources.chunk_by(|(_, one), (_, other)| one.source == other.source) {
            across.runs.add(blocks);
            exchanges::join(blocks, &mut across.pairs);
        }
        across
    }

    /// Whether a block was among those that it is made of.
    pub(crate) fn knows(&self, number: usize, block: &Block) -> bool {
        self.blocks.get(number).is_some_and(|known| known.edition == block.edition)
    }

    /// Blocks that are known, or empty: all that there are.
    pub(crate) fn knows_all(&self, blocks: &Blocks) -> bool {
        blocks.iter().enumerate().all(|(number, block)| block.growing || self.knows(number, block))
    }

    /// The halves of exchanges in a block.
    pub(crate) fn pairs(&self, number: usize) -> &[Pair] {
        self.pairs.get(number).map_or(&[], |pairs| pairs)
    }

    /// The other half of an exchange, and whether the entry is the response.
    pub(crate) fn other_half(&self, id: EntryId) -> Option<Pair> {
        let pairs = self.pairs(id.block());
        let at = pairs.binary_search_by_key(&id.index(), |pair| usize::from(pair.index)).ok()?;
        Some(pairs[at])
    }

    /// Whether something else is known of a block than by another state of all.
    pub(crate) fn differs(&self, other: &Self, number: usize, block: &Block) -> (bool, bool) {
        let runs = self.runs.of_block(block) != other.runs.of_block(block)
            || self.knows(number, block) != other.knows(number, block);
        (runs, self.pairs(number) != other.pairs(number))
    }
}
