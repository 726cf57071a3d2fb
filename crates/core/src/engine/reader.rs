//! Entries read back from their sources, one after the other.

use std::{collections::HashMap, io, ops::Range, sync::Arc};

use super::Snapshot;
use crate::{
    entry::Entry,
    guard,
    store::{Block, EntryId},
    veil::{Anyone, Veiled},
};

/// Bytes of blocks that a reader keeps.
const KEPT_BYTES: usize = 48 << 20;
/// Bytes of a block that are read at a time.
const WINDOW: usize = 128 << 10;

/// Reads entries one after the other. Of each block a window is kept, so that entries of many sources in turn,
/// or of several logs in one file, cost what those of one do.
pub struct Reader<'s> {
    snapshot: &'s Snapshot,
    kept: HashMap<usize, Window>,
    bytes: usize,
    clock: u64,
}

/// A part of a block's bytes.
#[derive(Default)]
struct Window {
    start: usize,
    bytes: Vec<u8>,
    /// A place in the block, and the line ends before it.
    counted: (usize, u64),
    /// An entry, and which of its line it is.
    numbered: (usize, usize),
    used: u64,
}

/// An entry on its way out, with its place.
pub(crate) struct Placed<'b> {
    pub(crate) block: &'b Arc<Block>,
    pub(crate) index: usize,
    pub(crate) line: u64,
    pub(crate) lines: u64,
    /// Which of the entries of its line it is, from 0.
    pub(crate) part: usize,
}

impl<'s> Reader<'s> {
    /// A reader of a snapshot's entries.
    #[must_use]
    pub fn new(snapshot: &'s Snapshot) -> Self {
        Self { snapshot, kept: HashMap::new(), bytes: 0, clock: 0 }
    }

    /// Reads an entry whole and hands it over as it may leave the desk. One that the program fails at is handed over as
    /// text.
    pub(crate) fn with<T>(
        &mut self,
        id: EntryId,
        mut hand: impl FnMut(&Entry<'_>, &Veiled<'_, '_, Anyone>, &Placed<'_>) -> T,
    ) -> io::Result<T> {
        let snapshot = self.snapshot;
        let block = snapshot.block(id).ok_or(io::ErrorKind::NotFound)?;
        let index = id.index();
        let window = self.window(id.block(), block, index)?;
        let before = window.lines_before(block, index)?;
        let part = block.part_of_line(index, window.numbered);
        window.numbered = (index, part);
        let raw = block.cut_from(index, &window.bytes, window.start);
        let placed = Placed {
            block,
            index,
            line: block.line_after(before),
            lines: memchr::memchr_iter(b'\n', &raw).count() as u64 + 1,
            part,
        };
        let mut handed = |entry: Entry<'_>| {
            guard::catch(|| {
                let veiled = snapshot.veil.over(&entry, Some(block.place(index)));
                hand(&entry, &veiled, &placed)
            })
        };
        let failed = "an error in Cribrum itself at this entry; please report it";
        handed(block.entry(index, &raw))
            .or_else(|| handed(Entry::plain(&raw)))
            .ok_or_else(|| io::Error::other(failed))
    }

    /// Writes an entry's bytes under the veil. It is read only where a look does not tell that it is clear.
    pub(crate) fn raw(&mut self, id: EntryId, out: &mut Vec<u8>) -> io::Result<()> {
        let snapshot = self.snapshot;
        let block = snapshot.block(id).ok_or(io::ErrorKind::NotFound)?;
        let index = id.index();
        if block.says_its_names(index) {
            let window = self.window(id.block(), block, index)?;
            let raw = block.cut_from(index, &window.bytes, window.start);
            if let Some(text) = snapshot.veil.raw::<Anyone>(&raw, Some(block.place(index))) {
                out.extend_from_slice(text.as_str().as_bytes());
                return Ok(());
            }
        }
        self.with(id, |_, veiled, _| out.extend_from_slice(veiled.raw().as_str().as_bytes()))
    }

    /// The window of a block that has all of an entry.
    fn window(&mut self, number: usize, block: &Block, index: usize) -> io::Result<&mut Window> {
        self.clock += 1;
        let records = block.records(index);
        let (start, end) = records.fold((usize::MAX, 0), |(start, end), record| {
            (start.min(record.start), end.max(record.end))
        });
        let length = usize::try_from(block.len).unwrap_or(usize::MAX);
        let end = end.min(length);
        let known = self.kept.get(&number).is_some_and(|window| {
            window.start <= start && end <= window.start + window.bytes.len()
        });
        if !known {
            let mut window = self.kept.remove(&number).unwrap_or_default();
            // Where it goes backwards through the block, what comes before is read next; else what follows.
            let backwards = window.used > 0 && start < window.start;
            let until = if backwards { end } else { (start + WINDOW).max(end).min(length) };
            let start = if backwards { start.min(end.saturating_sub(WINDOW)) } else { start };
            self.bytes -= window.bytes.capacity();
            if window.bytes.capacity() > 4 * WINDOW {
                window.bytes = Vec::new();
            }
            block.read_range(start..until, &mut window.bytes)?;
            window.start = start;
            self.bytes += window.bytes.capacity();
            self.make_room(number);
            self.kept.insert(number, window);
        }
        let window = self.kept.entry(number).or_default();
        window.used = self.clock;
        Ok(window)
    }

    /// Lets go of the windows that were used longest ago.
    fn make_room(&mut self, but: usize) {
        if self.bytes <= KEPT_BYTES {
            return;
        }
        let mut used: Vec<(u64, usize)> =
            self.kept.iter().map(|(number, window)| (window.used, *number)).collect();
        used.sort_unstable();
        for (_, number) in used {
            if self.bytes <= KEPT_BYTES / 4 * 3 {
                break;
            }
            if number != but
                && let Some(window) = self.kept.remove(&number)
            {
                self.bytes -= window.bytes.capacity();
            }
        }
    }
}

impl Window {
    /// The line ends in the block before an entry. Cost: the bytes since the entry that was asked for before,
    /// which are read again where the window does not have them.
    fn lines_before(&mut self, block: &Block, index: usize) -> io::Result<u64> {
        let start = block.records(index).next().map_or(0, |record| record.start);
        let (at, lines) = self.counted;
        // From the place that is known, forwards or backwards, or from the beginning: whichever is nearest.
        self.counted = (
            start,
            match start {
                start if start >= at => lines + self.line_ends(block, at..start)?,
                start if at - start < start => lines - self.line_ends(block, start..at)?,
                start => self.line_ends(block, 0..start)?,
            },
        );
        Ok(self.counted.1)
    }

    /// The line ends in a range of the block.
    fn line_ends(&self, block: &Block, range: Range<usize>) -> io::Result<u64> {
        let mut at = range.start;
        let mut lines = 0;
        let mut bytes = Vec::new();
        while at < range.end {
            let from = at.checked_sub(self.start).filter(|from| *from < self.bytes.len());
            let held = match from {
                Some(from) => &self.bytes[from..self.bytes.len().min(range.end - self.start)],
                None => {
                    // Up to the window, or a part of the same length.
                    let next = if at < self.start { self.start } else { range.end };
                    block.read_range(at..range.end.min(next).min(at + WINDOW), &mut bytes)?;
                    bytes.as_slice()
                }
            };
            lines += memchr::memchr_iter(b'\n', held).count() as u64;
            at += held.len();
        }
        Ok(lines)
    }
}
