//! Runs: the lives of programs within their sources, each from its start to the next.

use super::{LensView, Snapshot};
use crate::{
    entry::ids,
    sieve::{Arrival, RunMesh},
    store::{Block, EntryId, NO_TIME},
};

/// What a program says while it starts is several lines as a rule: those within so many nanoseconds belong to one start.
const STARTING: u64 = 20_000_000_000;

/// One life of a program within a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Run {
    /// The number of the source.
    pub source: usize,
    /// Its number within the source, from 1.
    pub number: usize,
    /// Its first entry.
    pub first: EntryId,
    /// When it began, in nanoseconds UTC.
    pub start: i64,
    /// The time since the entry before it, in nanoseconds; 0 for the first run.
    pub since: i64,
    /// Its start is among the entries: not where the source begins in the middle of a run.
    pub seen: bool,
}

impl Snapshot {
    /// The runs of all sources, source by source in their order. `starts` are the entries that say that a program
    /// starts ([`crate::query::Expr::starting`]); a header of a table that comes again begins a run as well. Cost: the
    /// entries that say so, and the blocks.
    #[must_use]
    pub fn runs(&self, starts: &LensView) -> Vec<Run> {
        let mut blocks: Vec<(usize, &Block)> = self
            .blocks
            .iter()
            .enumerate()
            .filter(|(_, block)| block.len() > 0)
            .map(|(number, block)| (number, &**block))
            .collect();
        blocks.sort_by_key(|(_, block)| (block.source, block.place));
        let mut runs = Vec::new();
        for blocks in blocks.chunk_by(|(_, one), (_, other)| one.source == other.source) {
            let Some((number, block)) = blocks.first() else { continue };
            let source = block.source.index();
            let first = Run {
                source,
                number: 1,
                first: EntryId::new(*number, 0),
                start: block.time(0),
                since: 0,
                seen: false,
            };
            let from = runs.len();
            runs.push(first);
            let mut last: Option<i64> = None;
            for (number, block) in blocks {
                let bits = starts.bits.get(*number).and_then(Option::as_ref);
                let mut begun: Vec<usize> = bits.iter().flat_map(|bits| bits.iter()).collect();
                begun.extend(block.headed());
                begun.sort_unstable();
                begun.dedup();
                // What is said in the course of a request is not of the program itself.
                begun.retain(|index| !is_asked(block, *index));
                for index in begun {
                    let (id, time) = (EntryId::new(*number, index), block.time(index));
                    let same =
                        last.is_some_and(|at| time != NO_TIME && time.abs_diff(at) < STARTING);
                    last = Some(time);
                    if same {
                        continue;
                    }
                    let before = self.before(id).map_or(0, |before| time.saturating_sub(before));
                    let count = runs.len() - from;
                    match runs.last_mut().filter(|run| run.first == id) {
                        // The source begins with a start.
                        Some(run) => run.seen = true,
                        None => runs.push(Run {
                            source,
                            number: count + 1,
                            first: id,
                            start: time,
                            since: before,
                            seen: true,
                        }),
                    }
                }
            }
        }
        runs
    }

    /// The time of the entry before one in its block.
    fn before(&self, id: EntryId) -> Option<i64> {
        let block = self.block(id)?;
        let time = block.time(id.index().checked_sub(1)?);
        (time != NO_TIME).then_some(time)
    }

    /// A mesh that lets through what came with the latest run of each source, and after it. Sources of a single run
    /// pass whole.
    #[must_use]
    pub fn latest_runs(&self, runs: &[Run]) -> RunMesh {
        let mut latest: Vec<Option<&Run>> = vec![None; self.sources.len()];
        runs.iter().for_each(|run| latest[run.source] = Some(run));
        let held = self.blocks.iter().map(|block| {
            let Some(run) = latest[block.source.index()] else { return 0 };
            let first = &self.blocks[run.first.block()];
            match block.place.cmp(&first.place) {
                std::cmp::Ordering::Less => block.len(),
                std::cmp::Ordering::Equal => run.first.index(),
                std::cmp::Ordering::Greater => 0,
            }
        });
        let at = runs.iter().map(|run| run.start).max().unwrap_or(0);
        let several = latest.iter().flatten().filter(|run| run.number > 1);
        let of = several.map(|run| format!("{} {}", self.sources[run.source].label, run.number));
        RunMesh { from: Arrival::new(held, at), of: of.collect::<Vec<_>>().join(", ") }
    }
}

/// Whether an entry has the id of a request, as far as the ids of its block are known.
fn is_asked(block: &Block, index: usize) -> bool {
    let asked = ["request_id", "correlation_id", "trace_id"].map(ids::number_of);
    let column = block.ids.get();
    column.is_some_and(|column| column.ids(index).any(|id| asked.contains(&column.kind(id))))
}
