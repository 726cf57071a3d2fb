//! Runs: the lives of programs within their sources, each from its start to the next.
//!
//! A run begins where a program says that it starts, where a table has its header again, where a process id or a version
//! takes the place of another one for good, and where a number that only grows begins anew. Process ids that take turns
//! are those of several processes, and begin nothing.

use std::{
    collections::{BTreeMap, HashMap},
    sync::Arc,
};

use crate::{
    engine::{Snapshot, hints},
    entry::Entry,
    layout::LayoutId,
    store::{Block, EntryId, NO_TIME, Program},
};

/// What a program says while it starts is several lines as a rule: those within so many nanoseconds belong to one start.
const STARTING: u64 = 20_000_000_000;

/// What is said otherwise than in words: by the header of a table, by a number that begins anew, by another process.
const HEADER: u32 = 1;
const NUMBER: u32 = 2;
const PROCESS: u32 = 3;

/// One life of a program within a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Run {
    /// The number of the source.
    pub source: usize,
    /// Its number within the source, and of this program there, from 1.
    pub number: usize,
    /// Its first entry.
    pub first: EntryId,
    /// When it began, in nanoseconds UTC.
    pub start: i64,
    /// The time since the entry before it, in nanoseconds; 0 for the first run.
    pub since: i64,
    /// Its start is among the entries: not where the source begins in the middle of a run.
    pub seen: bool,
    pub(crate) program: Program,
    /// Where it begins: the place of the block in the source, and the entry in it.
    pub(crate) from: (u64, u16),
}

/// The runs of all sources.
#[derive(Debug, Default)]
pub(crate) struct RunTable {
    /// Source by source, in the order in which they began.
    runs: Vec<Run>,
    /// Of each source, by its number, which of them are its own.
    sources: BTreeMap<usize, Source>,
    by_first: HashMap<EntryId, usize>,
}

#[derive(Debug, Default)]
struct Source {
    runs: std::ops::Range<usize>,
    /// Several programs write to it, and each has runs of its own.
    mixed: bool,
    /// Where the runs of each program begin, in order.
    of_programs: HashMap<Program, Vec<(u64, u16)>>,
}

/// Where a run may begin.
#[derive(Clone, Copy)]
struct Begin {
    block: usize,
    index: u16,
    program: Program,
    sign: Sign,
    /// What was said, hashed: a program says each thing once while it starts.
    says: u32,
}

/// What says that a run begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Sign {
    /// A process takes the place of another.
    Process,
    /// The program says it, there is a header, or a number begins anew.
    Said,
    /// Nothing: the first entry of a process that may have been there before.
    Nothing,
}

impl RunTable {
    /// Takes in the blocks of a source, in their order.
    pub(super) fn add(&mut self, blocks: &[(usize, &Arc<Block>)]) {
        let Some((_, first)) = blocks.first() else { return };
        let hints = || blocks.iter().filter_map(|(_, block)| block.hints.get());
        let mut programs: Vec<Program> = hints()
            .flat_map(|hints| {
                let of_starts = hints.starts.iter().map(|start| start.program);
                of_starts.chain(hints.lives.iter().map(|life| life.program))
            })
            .filter(|program| *program > 0)
            .collect();
        programs.sort_unstable();
        programs.dedup();
        let mixed = programs.len() > 1;
        let mut begins = begins(blocks);
        if !mixed {
            begins.iter_mut().for_each(|begin| begin.program = 0);
        }
        begins.retain(|begin| mixed || begin.sign != Sign::Nothing);
        begins.sort_by_key(|begin| (begin.block, begin.index, begin.sign));
        let from = self.runs.len();
        let run = |begin: Begin| {
            let (number, of) = blocks[begin.block];
            Run {
                source: of.source.index(),
                number: 1,
                first: EntryId::new(number, usize::from(begin.index)),
                start: of.time(usize::from(begin.index)),
                since: 0,
                seen: begin.sign != Sign::Nothing,
                program: begin.program,
                from: (of.place, begin.index),
            }
        };
        // The latest of each program: where it is in the list, and where it began.
        let mut latest: HashMap<Program, Latest> = HashMap::new();
        if !mixed {
            let unseen = Begin { block: 0, index: 0, program: 0, sign: Sign::Nothing, says: 0 };
            latest.insert(0, Latest::of(self.runs.len(), unseen));
            self.runs.push(run(unseen));
        }
        for begin in begins {
            let mut new = run(begin);
            if let Some(last) = latest.get_mut(&begin.program) {
                if last.takes(blocks, begin) {
                    self.runs[last.run].seen |= new.seen && new.first == self.runs[last.run].first;
                    continue;
                }
                new.number = self.runs[last.run].number + 1;
                new.since =
                    before_in(blocks, begin).map_or(0, |before| new.start.saturating_sub(before));
            }
            latest.insert(begin.program, Latest::of(self.runs.len(), begin));
            self.runs.push(new);
        }
        let source = first.source.index();
        let runs = from..self.runs.len();
        self.by_first.extend(runs.clone().map(|at| (self.runs[at].first, at)));
        let mut of_programs: HashMap<Program, Vec<(u64, u16)>> = HashMap::new();
        for run in &self.runs[runs.clone()] {
            of_programs.entry(run.program).or_default().push(run.from);
        }
        self.sources.insert(source, Source { runs, mixed, of_programs });
    }

    pub(crate) fn all(&self) -> &[Run] {
        &self.runs
    }

    /// The run that begins with an entry.
    pub(crate) fn beginning(&self, id: EntryId) -> Option<&Run> {
        self.by_first.get(&id).map(|at| &self.runs[*at])
    }

    /// Whether several programs write to a source, each with runs of its own.
    pub(crate) fn is_mixed(&self, source: usize) -> bool {
        self.sources.get(&source).is_some_and(|source| source.mixed)
    }

    /// The number of the run that an entry is from, and whether that is the latest of its program.
    pub(crate) fn number(&self, block: &Block, index: usize, program: Program) -> (usize, bool) {
        let Some(source) = self.sources.get(&block.source.index()) else { return (1, true) };
        let place = (block.place, u16::try_from(index).unwrap_or(u16::MAX));
        let program = if source.mixed { program } else { 0 };
        let begins = source.of_programs.get(&program).map_or(&[][..], Vec::as_slice);
        let begun = begins.partition_point(|from| *from <= place);
        (begun.max(1), begun >= begins.len())
    }

    /// What the numbers of a block's entries depend on: the runs that have begun up to its end, and how many there are.
    pub(super) fn of_block(&self, block: &Block) -> (Vec<(u64, u16, Program)>, usize) {
        let Some(source) = self.sources.get(&block.source.index()) else { return (Vec::new(), 0) };
        let runs = &self.runs[source.runs.clone()];
        let up_to = runs.iter().filter(|run| run.from.0 <= block.place);
        (up_to.map(|run| (run.from.0, run.from.1, run.program)).collect(), runs.len())
    }
}

/// Where runs may begin in the blocks of a source.
fn begins(blocks: &[(usize, &Arc<Block>)]) -> Vec<Begin> {
    let mut begins = Vec::new();
    // The lives of each program, from their first entry to their last.
    let mut lives: HashMap<(Program, u32), [(usize, u16); 2]> = HashMap::new();
    let mut falls: Vec<Begin> = Vec::new();
    let (mut counted, mut last): (usize, HashMap<Program, f64>) = (0, HashMap::new());
    for (at, (_, block)) in blocks.iter().enumerate() {
        let Some(hints) = block.hints.get() else { continue };
        let said =
            |index: u16, program, says| Begin { block: at, index, program, sign: Sign::Said, says };
        begins
            .extend(hints.starts.iter().map(|start| said(start.index, start.program, start.says)));
        let headed = block.headed().into_iter().filter_map(|index| u16::try_from(index).ok());
        begins.extend(headed.map(|index| said(index, 0, HEADER)));
        for life in &hints.lives {
            let span = lives
                .entry((life.program, life.key))
                .or_insert([(at, life.first), (at, life.last)]);
            span[1] = (at, life.last);
        }
        falls.extend(hints.falls.iter().map(|(index, program)| said(*index, *program, NUMBER)));
        if let Some(here) = hints.counted {
            counted += usize::from(here.entries);
            if last.get(&here.program).is_some_and(|before| hints::falls(*before, here.first.1)) {
                falls.push(said(here.first.0, here.program, NUMBER));
            }
            last.insert(here.program, here.last);
        }
    }
    if falls.len() * hints::GROWS <= counted {
        begins.append(&mut falls);
    }
    let mut of_programs: BTreeMap<Program, Vec<[(usize, u16); 2]>> = BTreeMap::new();
    for ((program, _), span) in lives {
        of_programs.entry(program).or_default().push(span);
    }
    for (program, mut spans) in of_programs {
        spans.sort_unstable();
        // Those that take turns are several processes.
        if spans.windows(2).any(|pair| pair[1][0] <= pair[0][1]) {
            continue;
        }
        begins.extend(spans.iter().enumerate().map(|(at, [(block, index), _])| Begin {
            block: *block,
            index: *index,
            program,
            sign: if at == 0 { Sign::Nothing } else { Sign::Process },
            says: PROCESS,
        }));
    }
    begins
}

/// The latest run of a program while others are looked for.
struct Latest {
    /// Where it is among the runs.
    run: usize,
    begin: Begin,
    /// What has been said since it began.
    said: Vec<u32>,
}

impl Latest {
    fn of(run: usize, begin: Begin) -> Self {
        Self { run, begin, said: vec![begin.says] }
    }

    /// Whether another sign belongs to the same start: it follows soon, and says what was not said before.
    fn takes(&mut self, blocks: &[(usize, &Arc<Block>)], next: Begin) -> bool {
        let here = (self.begin.block, self.begin.index) == (next.block, next.index);
        let time = |begin: Begin| blocks[begin.block].1.time(usize::from(begin.index));
        let near = time(next) != NO_TIME && time(next).abs_diff(time(self.begin)) < STARTING;
        let takes =
            here || near && self.begin.sign != Sign::Nothing && !self.said.contains(&next.says);
        if takes {
            self.begin.sign = self.begin.sign.min(next.sign);
            self.said.push(next.says);
        }
        takes
    }
}

/// The time of the entry before the one where a run begins.
fn before_in(blocks: &[(usize, &Arc<Block>)], begin: Begin) -> Option<i64> {
    let time = match usize::from(begin.index).checked_sub(1) {
        Some(before) => blocks[begin.block].1.time(before),
        None => {
            let before = blocks[begin.block.checked_sub(1)?].1;
            before.time(before.len().checked_sub(1)?)
        }
    };
    (time != NO_TIME).then_some(time)
}

impl Snapshot {
    /// The runs of all sources, source by source in their order, once they are known ([`Snapshot::is_related`]).
    #[must_use]
    pub fn runs(&self) -> &[Run] {
        self.across.runs.all()
    }

    /// The run that begins with an entry.
    #[must_use]
    pub fn run_from(&self, id: EntryId) -> Option<&Run> {
        self.across.runs.beginning(id)
    }

    /// The run that an entry is from, where its source has the runs of one program only.
    #[must_use]
    pub fn run_of(&self, id: EntryId) -> Option<&Run> {
        let (block, runs) = (self.block(id)?, &self.across.runs);
        let source = runs.sources.get(&block.source.index()).filter(|source| !source.mixed)?;
        let (number, _) = runs.number(block, id.index(), 0);
        runs.runs[source.runs.clone()].get(number - 1)
    }

    /// The number of the run that an entry is from, once that is known, where its source has several.
    pub(crate) fn run_number(&self, id: EntryId, entry: &Entry<'_>) -> Option<usize> {
        let block = self.block(id).filter(|block| self.across.knows(id.block(), block))?;
        let runs = &self.across.runs;
        let source = runs.sources.get(&block.source.index())?;
        if source.runs.len() < 2 {
            return None;
        }
        let program = match runs.is_mixed(block.source.index()) {
            true => {
                let of_system = block.layout(id.index()) == LayoutId::SYSLOG;
                entry.program(of_system).map_or(0, |name| hints::program_named(&name))
            }
            false => 0,
        };
        Some(runs.number(block, id.index(), program).0)
    }

    /// Whether runs and exchanges of all entries are known.
    #[must_use]
    pub fn is_related(&self) -> bool {
        self.is_identified() && self.across.knows_all(&self.blocks)
    }
}
