//! One reading job: the lines that start within a range of a segment.

use std::{cell::RefCell, io, ops::Range};

use super::{Carry, Cutter, Part};
use crate::{
    layout::{Dialect, LayoutId},
    limits,
    source::Segment,
};

/// A range of bytes whose lines are to be cut.
#[derive(Clone, Debug)]
pub(crate) struct Chunk {
    pub(crate) range: Range<u64>,
    /// Where the segment ended when the job was made.
    pub(crate) size: u64,
    /// What came before; `None` in the middle of a file, where nobody knows yet.
    pub(crate) carry: Option<Carry>,
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
    /// Where lines begin that are perhaps not what they were taken for.
    pub(crate) strange: Option<u64>,
}

thread_local! {
    /// The bytes of the chunk that a worker reads, kept for the next one.
    static BUFFER: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
}

/// Reads and cuts a chunk. Cost: its bytes, once, and the rest of its last line.
///
/// # Errors
///
/// Those of reading the segment. A segment that has become shorter gives what is left.
pub(crate) fn read(segment: &Segment, dialect: &Dialect, chunk: &Chunk) -> io::Result<Cut> {
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
    chunk: &Chunk,
) -> io::Result<Cut> {
    let known = chunk.carry.is_some() || chunk.range.start == 0;
    let (range, start, end) = lines_of(buffer, segment, chunk, known)?;
    let bytes = &buffer[range];
    let mut cutter = match (&chunk.carry, known) {
        (Some(carry), _) => Cutter::resume(dialect, carry.clone(), None, start),
        (None, true) => Cutter::resume(dialect, Carry::default(), None, start),
        (None, false) => Cutter::adrift(dialect, start),
    };
    cutter.run(bytes, start);
    let (mut parts, carry, lines, lead) = cutter.finish();
    let lead = usize::try_from(lead).unwrap_or(bytes.len());
    if lead == bytes.len() && !known {
        parts.clear();
    }
    for part in &mut parts {
        part.columns.finish();
    }
    let strange = strange(&parts, start, end);
    Ok(Cut { lead: bytes[..lead].to_vec(), lead_at: start, parts, carry, lines, end, strange })
}

/// Entries in a row that no layout took, and bytes that one entry takes, from which on it is asked whether
/// they are something else.
const STRANGE_ENTRIES: usize = 12;
const STRANGE_BYTES: u64 = 8 << 10;

impl Cut {
    /// Makes all lines of the chunk its lead, to be cut again by somebody who knows what came before.
    ///
    /// # Errors
    ///
    /// Those of reading the segment.
    pub(crate) fn give_back(&mut self, segment: &Segment) -> io::Result<()> {
        let length = (self.end - self.lead_at).min(2 * limits::LINE_HELD_BYTES as u64);
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

/// The lines that start in the chunk: their place in the buffer, where the first starts, and where the last
/// ends. Of a line too long to hold, the first part is given and the end is still right.
fn lines_of(
    buffer: &mut Vec<u8>,
    segment: &Segment,
    chunk: &Chunk,
    at_line: bool,
) -> io::Result<(Range<usize>, u64, u64)> {
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
            None => return Ok((0..0, stop, stop)),
        }
    }
    let start = from + first as u64;
    let mut end = from + filled as u64;
    if first == filled || buffer[filled - 1] == b'\n' {
        return Ok((first..filled, start, end));
    }
    let step = limits::CHUNK_BYTES / 4;
    loop {
        let want = usize::try_from((size - end).min(step as u64)).unwrap_or(0);
        if buffer.len() < filled + want {
            buffer.resize(filled + want, 0);
        }
        let more = &mut buffer[filled..filled + want];
        let got = segment.read_at(end, more)?;
        if got == 0 {
            return Ok((first..filled, start, end));
        }
        let found = memchr::memchr(b'\n', &more[..got]);
        let taken = found.map_or(got, |at| at + 1);
        if filled - first < limits::LINE_HELD_BYTES {
            filled += taken;
        } else if found.is_some() {
            buffer[filled] = b'\n';
            filled += 1;
        }
        end += taken as u64;
        if found.is_some() {
            return Ok((first..filled, start, end));
        }
    }
}
