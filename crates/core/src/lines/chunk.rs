//! One reading job: the lines that start within a range of a segment.

use std::{cell::RefCell, io, ops::Range};

use super::{Carry, Cutter, Part};
use crate::{
    guard,
    layout::{Dialect, LayoutId},
    limits,
    source::{Print, Segment},
};

/// A range of bytes whose lines are to be cut.
#[derive(Debug)]
pub(crate) struct Chunk {
    pub(crate) range: Range<u64>,
    /// Where the segment ended when the job was made.
    pub(crate) size: u64,
    /// What came before; `None` in the middle of a file, where it is not known yet.
    pub(crate) carry: Option<Carry>,
    /// The part that the entries go on with.
    pub(crate) tail: Option<Part>,
    /// The segment may grow: a last line without its end is left for later.
    pub(crate) open: bool,
    /// No line ends between the chunk's beginning and this place.
    pub(crate) searched: u64,
    /// What a followed file's bytes look like; they are read right only while it fits.
    pub(crate) print: Option<Print>,
}

impl Chunk {
    /// A range of a segment of this size that does not change.
    pub(crate) fn of(range: Range<u64>, size: u64) -> Self {
        let searched = range.start;
        Self { range, size, carry: None, tail: None, open: false, searched, print: None }
    }
}

/// Why a chunk was not cut.
#[derive(Debug)]
pub(crate) enum Trouble {
    /// It can't be read.
    Read(io::Error),
    /// The file holds other bytes than when the chunk was asked for.
    Changed,
    /// The program failed at it.
    Panicked,
}

impl From<io::Error> for Trouble {
    fn from(error: io::Error) -> Self {
        Self::Read(error)
    }
}

/// What a chunk holds.
#[derive(Debug)]
pub(crate) struct Cut {
    /// The bytes before the first entry, with their place.
    pub(crate) lead: Vec<u8>,
    pub(crate) lead_at: u64,
    pub(crate) parts: Vec<Part>,
    pub(crate) carry: Carry,
    /// Line ends.
    pub(crate) lines: u64,
    /// Where the last line ends.
    pub(crate) end: u64,
    /// Where a line begins whose end has not come yet.
    pub(crate) unfinished: Option<u64>,
    /// The further pieces of a last line that is longer than a line may be.
    pub(crate) pieces: Vec<Part>,
    /// Where lines begin that are perhaps not what they were taken for.
    pub(crate) strange: Option<u64>,
    /// Lines that the program failed at, which are text now, and where the first begins.
    pub(crate) failed: Option<(u64, u64)>,
    /// Where the first entry went on that was longer than an entry may be.
    pub(crate) long: Option<u64>,
    /// Where a header of other columns stands: nothing from there on was cut.
    pub(crate) turn: Option<u64>,
}

thread_local! {
    /// The bytes of the chunk that a worker reads, kept for the next one.
    static BUFFER: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
}

/// Reads and cuts a chunk. Cost: its bytes, once, and the rest of its last line.
///
/// # Errors
///
/// Those of reading the segment, and `Changed` for a followed file that was rewritten. Another segment that has
/// become shorter gives what is left.
pub(crate) fn read(segment: &Segment, dialect: &Dialect, chunk: Chunk) -> Result<Cut, Trouble> {
    BUFFER.with_borrow_mut(|buffer| {
        let cut = read_into(buffer, segment, dialect, chunk);
        // A line of many megabytes is no reason to keep as many.
        if buffer.len() > 4 * limits::CHUNK_BYTES {
            *buffer = Vec::new();
        }
        cut
    })
}

fn read_into(
    buffer: &mut Vec<u8>,
    segment: &Segment,
    dialect: &Dialect,
    chunk: Chunk,
) -> Result<Cut, Trouble> {
    let known = chunk.carry.is_some() || chunk.range.start == 0;
    let lines = if goes_on(segment, &chunk)? {
        Lines::none(chunk.range.start, chunk.range.end)
    } else {
        lines_of(buffer, segment, &chunk, known)?
    };
    if let Some(print) = &chunk.print {
        if !print.fits(segment)? {
            return Err(Trouble::Changed);
        }
        segment.keep(lines.start, &buffer[lines.range.clone()]);
    }
    let Lines { range, start, mut end, mut starts, mut whole } = lines;
    let mut bytes = &buffer[range];
    let mut unfinished = None;
    if chunk.open && !whole && starts.is_empty() {
        let last = memchr::memrchr(b'\n', bytes).map_or(0, |at| at + 1);
        bytes = &bytes[..last];
        end = start + last as u64;
        unfinished = Some(end);
    }
    let cutter = |tail, carry| match known {
        true => Cutter::resume(dialect, carry, tail, start),
        false => Cutter::adrift(dialect, start),
    };
    let carry = chunk.carry.unwrap_or_default();
    // Kept should the program fail at a line: then all is cut again, with more care.
    let again = (chunk.tail.clone(), carry.clone());
    let quick = guard::catch(|| {
        let mut cutter = cutter(chunk.tail, carry);
        cutter.run(bytes, start);
        cutter
    });
    let cutter = quick.unwrap_or_else(|| {
        let mut cutter = cutter(again.0, again.1).guarded();
        cutter.run(bytes, start);
        cutter
    });
    let (failed, long, turn) = (cutter.failed(), cutter.long(), cutter.turn());
    if let Some(at) = turn {
        bytes = &bytes[..usize::try_from(at - start).unwrap_or(bytes.len()).min(bytes.len())];
        (end, whole, unfinished) = (at, true, None);
        starts.clear();
    }
    let (mut parts, mut carry, lines, lead) = cutter.finish();
    let lead = usize::try_from(lead).unwrap_or(bytes.len());
    if lead == bytes.len() && !known {
        parts.clear();
    }
    for part in &mut parts {
        part.columns.finish();
    }
    let strange = strange(&parts, start, end);
    let mut pieces = Vec::new();
    for (at, piece) in starts.into_iter().enumerate() {
        pieces.push(Part::piece(piece, lines, at + 1));
    }
    if !pieces.is_empty() {
        carry = Carry::after(carry.time());
    }
    let lead = bytes[..lead].to_vec();
    // The line end stands behind the last piece.
    let lines = lines + u64::from(!pieces.is_empty() && whole);
    Ok(Cut {
        lead,
        lead_at: start,
        parts,
        carry,
        lines,
        end,
        unfinished,
        pieces,
        strange,
        failed,
        long,
        turn,
    })
}

/// Whether the line that the chunk begins with has no end yet. Cost: the bytes that were not searched for it.
fn goes_on(segment: &Segment, chunk: &Chunk) -> io::Result<bool> {
    let long = chunk.size.saturating_sub(chunk.range.start) < limits::LINE_HELD_BYTES as u64;
    if !chunk.open || chunk.searched <= chunk.range.start || !long {
        return Ok(false);
    }
    let mut bytes = [0; 64 << 10];
    let mut at = chunk.searched;
    while at < chunk.size {
        let got = segment.read_at(at, &mut bytes)?;
        if memchr::memchr(b'\n', &bytes[..got]).is_some() {
            return Ok(false);
        }
        if got == 0 {
            break;
        }
        at += got as u64;
    }
    Ok(true)
}

/// Entries in a row that no layout took, and bytes that one entry takes, from which on it is asked whether
/// they are something else.
const STRANGE_ENTRIES: usize = 12;
const STRANGE_BYTES: u64 = 8 << 10;

impl Cut {
    /// Makes all lines of the chunk its lead, to be cut again once what came before is known.
    ///
    /// # Errors
    ///
    /// Those of reading the segment.
    pub(crate) fn give_back(&mut self, segment: &Segment) -> io::Result<()> {
        let end = self.pieces.first().map_or(self.end, |piece| piece.offset);
        let length = (end - self.lead_at).min(2 * limits::LINE_HELD_BYTES as u64);
        self.lead = vec![0; usize::try_from(length).unwrap_or(0)];
        let got = segment.read_at(self.lead_at, &mut self.lead)?;
        self.lead.truncate(got);
        self.parts.clear();
        Ok(())
    }
}

/// Where lines begin that are perhaps not what they were taken for, among those from `lead_at` to `end`.
fn strange(parts: &[Part], lead_at: u64, end: u64) -> Option<u64> {
    let plain = parts.iter().find_map(|part| {
        let at = part.columns.run_of(LayoutId::PLAIN, STRANGE_ENTRIES)?;
        Some(part.offset + u64::from(at))
    });
    if plain.is_some() {
        return plain;
    }
    let starts = parts
        .iter()
        .flat_map(|part| part.columns.starts().map(|start| part.offset + u64::from(start)));
    let mut from = lead_at;
    for start in starts.chain([end]) {
        if start.saturating_sub(from) > STRANGE_BYTES {
            return Some(from);
        }
        from = start;
    }
    None
}

/// The lines that start in a chunk.
struct Lines {
    /// Their place in the buffer.
    range: Range<usize>,
    /// Where the first starts in the segment, and where the last ends.
    start: u64,
    end: u64,
    /// Where further pieces of a last line start that is too long for one entry.
    starts: Vec<u64>,
    /// The last line has its end.
    whole: bool,
}

impl Lines {
    fn none(start: u64, end: u64) -> Self {
        Self { range: 0..0, start, end, starts: Vec::new(), whole: start >= end }
    }
}

/// Finds the lines that start in the chunk. Of a line too long to hold, the buffer has the first piece.
fn lines_of(
    buffer: &mut Vec<u8>,
    segment: &Segment,
    chunk: &Chunk,
    at_line: bool,
) -> io::Result<Lines> {
    let size = chunk.size;
    let stop = chunk.range.end.min(size);
    // The byte before tells whether a line starts right here.
    let from = chunk.range.start - u64::from(!at_line);
    let want = usize::try_from(stop.saturating_sub(from)).unwrap_or(0);
    if buffer.len() < want {
        buffer.resize(want, 0);
    }
    let mut filled = segment.read_at(from, &mut buffer[..want])?;
    let mut first = 0;
    if !at_line {
        match memchr::memchr(b'\n', &buffer[..filled]) {
            Some(at) => first = at + 1,
            // The line before goes through all of the chunk.
            None => return Ok(Lines { whole: true, ..Lines::none(stop, stop) }),
        }
    }
    let start = from + first as u64;
    let mut end = from + filled as u64;
    let mut starts = Vec::new();
    if first == filled || buffer[filled - 1] == b'\n' {
        return Ok(Lines { range: first..filled, start, end, starts, whole: true });
    }
    // Where the last line begins in the buffer.
    let last = memchr::memrchr(b'\n', &buffer[first..filled]).map_or(first, |at| first + at + 1);
    let step = limits::CHUNK_BYTES / 4;
    loop {
        let want = usize::try_from((size - end).min(step as u64)).unwrap_or(0);
        if buffer.len() < filled + want {
            buffer.resize(filled + want, 0);
        }
        let more = &mut buffer[filled..filled + want];
        let got = segment.read_at(end, more)?;
        if got == 0 {
            return Ok(Lines { range: first..filled, start, end, starts, whole: false });
        }
        let found = memchr::memchr(b'\n', &more[..got]);
        let taken = found.map_or(got, |at| at + 1);
        if starts.is_empty() && filled - last + taken <= limits::LINE_HELD_BYTES {
            filled += taken;
        } else {
            let piece = starts.last().copied();
            let length = piece.map_or(u64::MAX, |piece: u64| end + taken as u64 - piece);
            if length > limits::LINE_HELD_BYTES as u64 {
                starts.push(end);
            }
        }
        end += taken as u64;
        if found.is_some() {
            return Ok(Lines { range: first..filled, start, end, starts, whole: true });
        }
    }
}
