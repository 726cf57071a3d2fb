//! A condition with a literal in it, answered without an index: the literal is looked for in the bytes of all files,
//! and only what stands around it is cut into entries and judged.
//!
//! Whatever makes it doubtful that the entries found so are those that reading everything would give ends the
//! search without an answer: lines that a source explains further up or down, an entry without a time of its own or
//! without another one before and behind it, too many places.

use std::{
    ops::Range,
    sync::{
        Arc, Mutex, OnceLock, PoisonError,
        atomic::{AtomicBool, AtomicUsize, Ordering},
    },
};

use super::{Options, Progress, Snapshot};
use crate::{
    entry::trim_cr,
    guard,
    ingest::{Discovery, PlainFile, plain_files, record_end},
    limits,
    lines::{self, Chunk},
    query::{Predicate, Sought},
    sieve::Sieve,
    source::{Source, SourceId},
    store::{Block, EntryId, Rows, key, may_be_other},
    veil::Veil,
};

/// Bytes that are searched in one go.
const STRIDE: u64 = if cfg!(test) { 8_000 } else { 1 << 18 };
/// Bytes before and after a place that are cut with it.
const AROUND: u64 = if cfg!(test) { 12_000 } else { 32 << 10 };
/// Of so many parts of all bytes one may be cut; where it is more, reading everything is no slower.
const SHARE: u64 = 4;
/// Places in one stride from which on all of it is cut.
const MANY: usize = 64;

/// Looks for the entries that a sieve lets through. `numbered` says that the numbers of their lines are wanted.
/// `None` where only reading everything tells. Cost: a search over the bytes of all files, and cutting what stands
/// around the places that it finds; memory follows those.
#[must_use]
pub fn search(
    found: &Discovery,
    options: &Options,
    sieve: &Sieve,
    veil: &Veil,
    numbered: bool,
) -> Option<Snapshot> {
    let counting = sieve.meshes.iter().filter(|mesh| mesh.counts());
    let exprs: Option<Vec<_>> = counting.map(crate::sieve::Mesh::expr).collect();
    let exprs = exprs?;
    let sought = exprs.iter().filter_map(Sought::of).max_by_key(Sought::worth)?;
    let files = plain_files(found, &options.dialect, &options.clocks)?;
    // Columns may change in the middle, and a value of a record may look like others: only reading from the
    // beginning tells.
    if files.iter().any(|file| file.dialect.record.is_some() || columns_may_change(file)) {
        return None;
    }
    let strides: Vec<Stride> =
        files.iter().enumerate().flat_map(|(at, file)| Stride::of(at, file.size)).collect();
    let looked = on_all_cores(strides.len(), |number, buffer| {
        strides[number].look(&files, &sought, numbered, buffer)
    })?;
    let windows = windows(&files, &strides, &looked);
    let all: u64 = files.iter().map(|file| file.size).sum();
    let cut: u64 = windows.iter().map(|window| window.range.end - window.range.start).sum();
    if cut > (all / SHARE).max(2 * STRIDE) {
        return None;
    }
    let predicates: Vec<Predicate> = exprs.into_iter().map(Predicate::new).collect();
    let judged = on_all_cores(windows.len(), |number, _| {
        let window = &windows[number];
        let file = &files[window.file];
        let judging = Judging { window, file, source: &found.sources[file.source], veil };
        guard::catch(|| judging.judge(&predicates)).flatten()
    })?;
    let mut snapshot = Snapshot::empty(&found.sources, veil.clone());
    let mut ids = Vec::new();
    for (block, passed) in judged.into_iter().flatten() {
        let number = snapshot.blocks.len();
        ids.extend(passed.into_iter().map(|index| EntryId::new(number, index)));
        snapshot.blocks.push(Arc::new(block));
    }
    ids.sort_by_key(|id| key(&snapshot.blocks, *id));
    let mut rows = Rows::default();
    rows.merge(&snapshot.blocks, &ids);
    (snapshot.order, snapshot.pan) = (rows.clone(), rows);
    snapshot.sieve = sieve.clone();
    snapshot.progress = Progress { read: (all, all), ..Progress::default() };
    Some(snapshot)
}

/// Whether a line of a file looks like the header of other columns than those it begins with. Says yes where that
/// can't be told. Cost: the bytes of files whose columns are named, once.
fn columns_may_change(file: &PlainFile) -> bool {
    if file.dialect.header.is_none() {
        return false;
    }
    let mut bytes = vec![0; limits::CHUNK_BYTES];
    let mut at = 0;
    while at < file.size {
        let Ok(got) = file.segment.read_at(at, &mut bytes) else { return true };
        let ends = at + got as u64 >= file.size;
        let whole = match memchr::memrchr(b'\n', &bytes[..got]) {
            Some(last) if !ends => last + 1,
            _ if ends && got > 0 => got,
            _ => return true,
        };
        let mut start = 0;
        for end in memchr::memchr_iter(b'\n', &bytes[..whole]).chain([whole]) {
            if file.dialect.turns(trim_cr(&bytes[start..end])) {
                return true;
            }
            start = (end + 1).min(whole);
        }
        at += whole as u64;
    }
    false
}

/// Runs something for each number on all cores, until one of them gives nothing.
fn on_all_cores<T: Send>(
    count: usize,
    run: impl Fn(usize, &mut Vec<u8>) -> Option<T> + Sync,
) -> Option<Vec<T>> {
    let next = AtomicUsize::new(0);
    let failed = AtomicBool::new(false);
    let results = Mutex::new(Vec::with_capacity(count));
    let work = || {
        let mut buffer = Vec::new();
        loop {
            let number = next.fetch_add(1, Ordering::Relaxed);
            if number >= count || failed.load(Ordering::Relaxed) {
                return;
            }
            match run(number, &mut buffer) {
                Some(result) => {
                    let mut results = results.lock().unwrap_or_else(PoisonError::into_inner);
                    results.push((number, result));
                }
                None => failed.store(true, Ordering::Relaxed),
            }
        }
    };
    let threads = std::thread::available_parallelism().map_or(1, usize::from).min(16);
    std::thread::scope(|scope| {
        // This thread is one of them; where there can be no others, it is alone.
        for _ in 1..threads.min(count) {
            let _ = std::thread::Builder::new().spawn_scoped(scope, work);
        }
        work();
    });
    let mut results = results.into_inner().unwrap_or_else(PoisonError::into_inner);
    results.sort_by_key(|(number, _)| *number);
    let all = results.into_iter().map(|(_, result)| result).collect();
    (!failed.into_inner()).then_some(all)
}

/// A part of a file that is searched in one go.
struct Stride {
    file: usize,
    range: Range<u64>,
}

/// What a search has found in it.
struct Looked {
    /// Where a text that is looked for begins, a place a line; `None` where all of it must be cut.
    places: Option<Vec<u64>>,
    /// Line ends, where they are counted.
    lines: u64,
}

impl Stride {
    /// The strides of a file.
    fn of(file: usize, size: u64) -> impl Iterator<Item = Self> {
        let starts = (0..size.div_ceil(STRIDE)).map(|number| number * STRIDE);
        starts.map(move |start| Self { file, range: start..(start + STRIDE).min(size) })
    }

    /// Searches it; `None` where it can't be read.
    fn look(
        &self,
        files: &[PlainFile],
        sought: &Sought,
        numbered: bool,
        buffer: &mut Vec<u8>,
    ) -> Option<Looked> {
        let own = usize::try_from(self.range.end - self.range.start).ok()?;
        // What begins here may end in the next one.
        buffer.resize(own + sought.longest(), 0);
        let got = files[self.file].segment.read_at(self.range.start, buffer).ok()?;
        let bytes = buffer.get(..got).filter(|_| got >= own)?;
        let lines = if numbered { memchr::memchr_iter(b'\n', &bytes[..own]).count() } else { 0 };
        let mut places = Vec::new();
        if !may_be_other(bytes) {
            sought.each(bytes, |at| {
                if at >= own || places.len() > MANY {
                    return bytes.len();
                }
                places.push(self.range.start + at as u64);
                // One place a line is enough.
                memchr::memchr(b'\n', &bytes[at..]).map_or(bytes.len(), |to| at + to)
            });
            places.sort_unstable();
        } else {
            places.resize(MANY + 1, 0);
        }
        let places = (places.len() <= MANY).then_some(places);
        Some(Looked { places, lines: lines as u64 })
    }
}

/// A range of a file that is cut into entries.
struct Window {
    file: usize,
    range: Range<u64>,
    /// The places in it that must lie in entries of it.
    places: Vec<Range<u64>>,
    /// A place at or before its beginning, and the line ends before that.
    counted: (u64, u64),
}

fn windows(files: &[PlainFile], strides: &[Stride], looked: &[Looked]) -> Vec<Window> {
    let mut windows: Vec<Window> = Vec::new();
    // The line ends before each stride of the file.
    let mut before: Vec<u64> = Vec::new();
    let mut lines = 0;
    for (stride, looked) in strides.iter().zip(looked) {
        if stride.range.start == 0 {
            before.clear();
            lines = 0;
        }
        before.push(lines);
        lines += looked.lines;
        let wanted: Vec<Range<u64>> = match &looked.places {
            Some(places) => places.iter().map(|place| *place..place + 1).collect(),
            None => vec![stride.range.clone()],
        };
        for place in wanted {
            let start = place.start.saturating_sub(AROUND);
            let end = (place.end + AROUND).min(files[stride.file].size);
            match windows.last_mut() {
                Some(last) if last.file == stride.file && start <= last.range.end => {
                    last.range.end = last.range.end.max(end);
                    last.places.push(place);
                }
                _ => {
                    let number = start / STRIDE;
                    let counted = before[usize::try_from(number).unwrap_or(0)];
                    windows.push(Window {
                        file: stride.file,
                        range: start..end,
                        places: vec![place],
                        counted: (number * STRIDE, counted),
                    });
                }
            }
        }
    }
    windows
}

/// A window while it is judged.
struct Judging<'j> {
    window: &'j Window,
    file: &'j PlainFile,
    source: &'j Source,
    veil: &'j Veil,
}

impl Judging<'_> {
    /// The blocks of the window in which entries pass, and these; `None` where there is any doubt.
    fn judge(&self, predicates: &[Predicate]) -> Option<Vec<(Block, Vec<usize>)>> {
        let (window, file) = (self.window, self.file);
        let chunk = Chunk::of(window.range.clone(), file.size);
        let cut = lines::read(&file.segment, &file.dialect, chunk).ok()?;
        let told = cut.strange.is_none() || file.dialect.is_prose();
        let whole = cut.failed.is_none()
            && cut.long.is_none()
            && cut.pieces.is_empty()
            && cut.unfinished.is_none();
        if !told || !whole {
            return None;
        }
        // What stands before the first entry that is certain belongs to what comes before.
        let certain = match window.range.start {
            0 => 0,
            _ => cut.lead_at + cut.lead.len() as u64,
        };
        // The last entry may go on behind the window.
        let last = cut
            .parts
            .last()
            .and_then(|part| Some(part.offset + u64::from(part.columns.last_start()?)));
        let until = if cut.end < file.size { last.unwrap_or(0) } else { u64::MAX };
        if window.places.iter().any(|place| place.start < certain || place.end > until) {
            return None;
        }
        let lines = window.counted.1 + self.lines_between(window.counted.0, cut.lead_at)?;
        let mut blocks = Vec::new();
        let count = cut.parts.len();
        let mut parts = cut.parts;
        let ends: Vec<u64> = (0..count)
            .map(|at| record_end(&parts[at], &parts[at + 1..]).unwrap_or(cut.end))
            .collect();
        for (at, (mut part, end)) in parts.drain(..).zip(ends).enumerate() {
            part.columns.settle(None);
            let block = Block {
                source: SourceId(u16::try_from(file.source).ok()?),
                segment: Arc::clone(&file.segment),
                file: file.name.clone(),
                number: file.number,
                dialect: Arc::clone(&file.dialect),
                offset: part.offset,
                len: end.checked_sub(part.offset)?,
                first_line: lines + part.lines_before + 1,
                place: file.place(part.offset),
                piece: part.piece,
                growing: false,
                columns: part.columns,
                life: 0,
                edition: 0,
                usual: OnceLock::new(),
                unlevelled: OnceLock::new(),
                clear: Default::default(),
                ids: OnceLock::new(),
                hints: OnceLock::new(),
            };
            let mut passed = predicates.first()?.judge(&block, self.source, self.veil, None);
            for predicate in &predicates[1..] {
                passed.keep(&predicate.judge(&block, self.source, self.veil, None));
            }
            let passed: Vec<usize> = passed.iter().collect();
            let adrift = at == 0 && window.range.start > 0;
            if passed.iter().any(|index| self.is_doubtful(&block, *index, adrift)) {
                return None;
            }
            if !passed.is_empty() {
                blocks.push((block, passed));
            }
        }
        Some(blocks)
    }

    /// Whether an entry may be another one when more is known than its window. `adrift` says that what stands
    /// before the block is not known.
    fn is_doubtful(&self, block: &Block, index: usize, adrift: bool) -> bool {
        let prose = self.file.dialect.is_prose();
        let timed = |at: &usize| prose || !block.time_derived(*at);
        let first = adrift && !(0..index).any(|at| timed(&at));
        first || !timed(&index) && self.window.range.start > 0
    }

    /// The line ends in a range of the file.
    fn lines_between(&self, from: u64, to: u64) -> Option<u64> {
        let mut bytes = vec![0; usize::try_from(to.checked_sub(from)?).ok()?];
        let got = self.file.segment.read_at(from, &mut bytes).ok()?;
        (got == bytes.len()).then(|| memchr::memchr_iter(b'\n', &bytes).count() as u64)
    }
}

#[cfg(test)]
mod tests;
