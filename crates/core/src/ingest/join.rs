//! Chunks joined in their order, and sealed as blocks.

use std::sync::{Arc, OnceLock};

use super::{
    Task,
    frame::GROWING,
    newest,
    reading::{Growing, Reading},
};
use crate::{
    guard,
    layout::Dialect,
    limits,
    lines::{Carry, Cut, Cutter, Part, Trouble},
    source::{Segment, SourceId},
    store::{Block, Columns},
};

/// Where a block goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Slot {
    /// Behind the last one of its file.
    Next,
    /// In the place of the last one of its file.
    Last,
    /// It was read ahead of what stands before it, and comes again in its turn.
    Early,
    /// It holds a line whose end has not come, and takes the place of the block that held it before.
    Growing,
}

/// A finished part on its way to becoming a block.
pub(crate) struct Sealed {
    pub(crate) columns: Columns,
    pub(crate) offset: u64,
    pub(crate) len: u64,
    pub(crate) first_line: u64,
    pub(crate) segment: Arc<Segment>,
    /// The name of the file, where the source has several.
    pub(crate) file: Option<Arc<str>>,
    /// The number of the file in its source.
    pub(crate) number: usize,
    pub(crate) dialect: Arc<Dialect>,
    pub(crate) slot: Slot,
    /// What the blocks of a source are ordered by.
    pub(crate) place: u64,
    /// Which piece of a line that is longer than a line may be.
    pub(crate) piece: u32,
}

/// The end of what has been read, which more bytes may change.
pub(super) struct Tail {
    /// Its columns are empty while a worker adds to them.
    pub(super) part: Part,
    pub(super) first_line: u64,
    /// The time that an entry without one at its beginning takes.
    pub(super) time: Option<i64>,
    /// It is in the store already, and takes its own place when it comes again.
    pub(super) stored: bool,
    lent: bool,
}

impl Tail {
    /// Hands the part to the next stage.
    pub(super) fn lend(&mut self) -> Option<Part> {
        if std::mem::replace(&mut self.lent, true) {
            return None;
        }
        let empty = Part { columns: Columns::default(), ..self.part };
        Some(std::mem::replace(&mut self.part, empty))
    }
}

/// The beginning of a chunk, to be cut once what came before is known.
pub(crate) struct Lead {
    bytes: Vec<u8>,
    at: u64,
    carry: Carry,
    part: Option<Part>,
    parts: Vec<Part>,
    first_line: u64,
    stored: bool,
    time: Option<i64>,
    base_line: u64,
    /// The rest of the chunk.
    cut: Box<Cut>,
    /// All lines of the chunk are to be cut again, out of this segment.
    again: Option<Arc<Segment>>,
    error: Option<std::io::Error>,
}

/// Bytes of a lead from which on a worker cuts it.
const SHORT_LEAD: usize = 16 << 10;

impl Lead {
    /// Cuts it. Cost: its bytes.
    pub(crate) fn cut(&mut self, dialect: &Dialect) {
        if let Some(segment) = self.again.take() {
            self.error = self.cut.give_back(&segment).err();
            self.bytes = std::mem::take(&mut self.cut.lead);
        }
        let carry = std::mem::take(&mut self.carry);
        let again = (self.part.clone(), carry.clone());
        let part = self.part.take();
        let quick = guard::catch(|| {
            let mut cutter = Cutter::resume(dialect, carry, part, self.at);
            cutter.run(&self.bytes, self.at);
            cutter
        });
        let cutter = quick.unwrap_or_else(|| {
            let mut cutter = Cutter::resume(dialect, again.1, again.0, self.at).guarded();
            cutter.run(&self.bytes, self.at);
            cutter
        });
        self.cut.failed = self.cut.failed.or(cutter.failed());
        self.cut.long = self.cut.long.or(cutter.long());
        let (parts, carry, ..) = cutter.finish();
        (self.parts, self.carry) = (parts, carry);
    }
}

impl Reading {
    /// Takes a chunk in; what is finished by it comes back.
    pub(super) fn take(&mut self, number: usize, cut: Result<Box<Cut>, Trouble>) -> Vec<Sealed> {
        if number == GROWING {
            return self.take_growing(cut.ok());
        }
        let cut = match cut {
            Ok(cut) => cut,
            Err(Trouble::Changed) => {
                self.changed = true;
                return Vec::new();
            }
            Err(trouble) => {
                match trouble {
                    Trouble::Read(error) => {
                        self.problem = Some(format!("can't be read on: {error}"));
                    }
                    _ => self.fail(),
                }
                self.tail = self.take_tail();
                Box::new(Cut::nothing(self.end))
            }
        };
        if number == newest::NUMBER {
            return self.take_newest(cut);
        }
        self.waiting.insert(number, cut);
        self.join_waiting()
    }

    fn fail(&mut self) {
        let failed = "a part can't be read: an error in Cribrum itself; please report it";
        self.problem = Some(failed.into());
    }

    /// A worker has failed at cutting a lead again: it goes on behind it.
    pub(super) fn lost(&mut self) -> Vec<Sealed> {
        self.recutting = false;
        self.fail();
        self.join_waiting()
    }

    /// Joins what has come in its turn.
    pub(super) fn join_waiting(&mut self) -> Vec<Sealed> {
        let mut sealed = Vec::new();
        while !self.recutting && !self.learning && self.anew.is_none() {
            let Some(cut) = self.waiting.remove(&self.joined) else { break };
            if let Some(task) = self.learn_anew(&cut) {
                self.anew = Some(task);
                self.waiting.insert(self.joined, cut);
                break;
            }
            self.joined += 1;
            self.join(cut, &mut sealed);
        }
        sealed.extend(self.show_newest());
        if self.idle() && self.anew.is_none() {
            if self.end < self.size {
                self.searched = self.size;
            }
            self.seal_tail(&mut sealed);
        }
        sealed
    }

    /// Shows the tail as it is by now.
    fn seal_tail(&mut self, sealed: &mut Vec<Sealed>) {
        let Some(tail) = self.tail.as_mut().filter(|tail| !tail.lent) else { return };
        let slot = match std::mem::replace(&mut tail.stored, true) {
            true => Slot::Last,
            false => Slot::Next,
        };
        let part = Part { columns: tail.part.columns.clone(), ..tail.part };
        let (first_line, end) = (tail.first_line, self.end);
        self.shown = (self.end, self.lines);
        sealed.push(self.seal(part, first_line, end, slot));
    }

    fn join(&mut self, mut cut: Box<Cut>, sealed: &mut Vec<Sealed>) {
        let resumed = self.joined == 1;
        if resumed && self.from > 0 && self.end == self.from {
            // What stands before the first entry belongs to what is not wanted.
            cut.lead.clear();
        }
        if cut.turn.is_some() && self.carry.waits() && !resumed {
            // What looks like a header may stand within a quote; only the chunk before tells.
            self.start_run();
            (self.next, self.searched) = (self.end, self.end);
            return;
        }
        let again = self.carry.waits() && !resumed && !cut.parts.is_empty();
        if cut.lead.is_empty() && !again {
            return self.join_parts(cut, self.lines, resumed, sealed);
        }
        let tail = self.take_tail();
        let base_line = self.lines;
        let (first_line, stored) =
            tail.as_ref().map_or((base_line + 1, false), |tail| (tail.first_line, tail.stored));
        let time = tail.as_ref().and_then(|tail| tail.time);
        let mut lead = Lead {
            bytes: std::mem::take(&mut cut.lead),
            at: cut.lead_at,
            carry: std::mem::take(&mut self.carry),
            part: tail.map(|tail| tail.part),
            parts: Vec::new(),
            first_line,
            stored,
            time,
            base_line,
            again: again.then(|| Arc::clone(&self.segment)),
            cut,
            error: None,
        };
        if again || lead.bytes.len() > SHORT_LEAD {
            self.recutting = true;
            let dialect = Arc::clone(&self.dialect);
            self.anew = Some(Task::Recut { dialect, lead: Box::new(lead) });
            return;
        }
        lead.cut(&self.dialect);
        self.put_lead(lead, sealed);
    }

    /// Takes in the beginning of a chunk that was cut again, and the rest of it.
    pub(super) fn put_lead(&mut self, lead: Lead, sealed: &mut Vec<Sealed>) {
        if let Some(error) = lead.error {
            self.problem = Some(format!("can't be read on: {error}"));
        }
        self.carry = lead.carry;
        self.put(lead.parts, lead.first_line, lead.base_line, lead.time, lead.stored, sealed);
        self.join_parts(lead.cut, lead.base_line, false, sealed);
    }

    fn join_parts(
        &mut self,
        cut: Box<Cut>,
        base_line: u64,
        resumed: bool,
        sealed: &mut Vec<Sealed>,
    ) {
        let cut = *cut;
        self.lines = base_line + cut.lines;
        if !self.unfinished {
            self.end = self.end.max(cut.end);
        }
        if let Some(at) = cut.unfinished {
            (self.unfinished, self.end) = (true, at);
        }
        if !cut.parts.is_empty() {
            // A run that resumes begins with the tail itself, which may be in the store already.
            let mut first_line = base_line + cut.parts[0].lines_before + 1;
            let stored = match self.tail.take() {
                Some(tail) if resumed && tail.part.offset == cut.parts[0].offset => {
                    first_line = tail.first_line;
                    tail.stored
                }
                // What a worker had of it was lost with a file that changed; it is shown as it was.
                Some(tail) if tail.lent => false,
                Some(tail) => {
                    let slot = if tail.stored { Slot::Last } else { Slot::Next };
                    let end = cut.parts[0].offset;
                    sealed.push(self.seal(tail.part, tail.first_line, end, slot));
                    false
                }
                None => false,
            };
            let time = self.carry.time();
            self.carry = cut.carry.or_time(time);
            self.put(cut.parts, first_line, base_line, time, stored, sealed);
        }
        self.long = self.long.or(cut.long);
        if let Some((count, first)) = cut.failed {
            self.failed_lines += count;
            self.problem = Some(format!(
                "{} lines are shown as text, the first at byte {first}, since Cribrum failed at them; \
                 please report it",
                self.failed_lines
            ));
        }
        if let Some(first) = cut.pieces.first().map(|piece| piece.offset) {
            self.put_pieces(cut.pieces, first, cut.end, base_line, sealed);
        }
        if self.growing != Growing::Hidden {
            self.hide_growing(sealed);
        }
        if let Some(at) = cut.turn {
            if let Some(tail) = self.take_tail() {
                let slot = if tail.stored { Slot::Last } else { Slot::Next };
                sealed.push(self.seal(tail.part, tail.first_line, at, slot));
            }
            self.turn_at(at);
        }
    }

    /// Seals all parts but the last, which becomes the tail.
    fn put(
        &mut self,
        parts: Vec<Part>,
        first_line: u64,
        base_line: u64,
        mut time: Option<i64>,
        mut stored: bool,
        sealed: &mut Vec<Sealed>,
    ) {
        let mut line = first_line;
        let mut parts = parts.into_iter();
        while let Some(mut part) = parts.next() {
            part.columns.settle(time);
            let last_time = part.columns.last_time().or(time);
            match parts.as_slice().first() {
                Some(next) => {
                    let next_line = base_line + next.lines_before + 1;
                    let end = record_end(&part, parts.as_slice()).unwrap_or(self.end);
                    let slot = if stored { Slot::Last } else { Slot::Next };
                    sealed.push(self.seal(part, line, end, slot));
                    line = next_line;
                    stored = false;
                }
                None => {
                    self.tail = Some(Tail { part, first_line: line, time, stored, lent: false });
                }
            }
            time = last_time;
        }
    }

    /// Seals the tail, and the further pieces of the line that it ends with.
    fn put_pieces(
        &mut self,
        pieces: Vec<Part>,
        first: u64,
        end: u64,
        base_line: u64,
        sealed: &mut Vec<Sealed>,
    ) {
        if let Some(tail) = self.take_tail() {
            let slot = if tail.stored { Slot::Last } else { Slot::Next };
            sealed.push(self.seal(tail.part, tail.first_line, first, slot));
        }
        let time = self.carry.time();
        let mut pieces = pieces.into_iter().peekable();
        while let Some(mut piece) = pieces.next() {
            piece.columns.settle(time);
            let until = pieces.peek().map_or(end, |next| next.offset);
            let line = base_line + piece.lines_before + 1;
            sealed.push(self.seal(piece, line, until, Slot::Next));
        }
        self.carry = Carry::after(time);
    }

    /// The tail, unless what a worker had of it was lost.
    fn take_tail(&mut self) -> Option<Tail> {
        self.tail.take().filter(|tail| !tail.lent)
    }

    fn take_growing(&mut self, cut: Option<Box<Cut>>) -> Vec<Sealed> {
        self.growing = Growing::Hidden;
        let Some(cut) = cut.filter(|_| self.is_unfinished()) else { return Vec::new() };
        let Some(part) = cut.parts.into_iter().next() else { return Vec::new() };
        self.growing = Growing::Shown(self.size);
        let mut columns = part.columns;
        columns.settle(self.carry.time());
        let part = Part { columns, offset: part.offset, lines_before: 0, piece: 0 };
        vec![self.seal(part, self.lines + 1, cut.end, Slot::Growing)]
    }

    pub(super) fn seal(&self, mut part: Part, first_line: u64, end: u64, slot: Slot) -> Sealed {
        part.columns.finish();
        // Lines are counted from the beginning of the file, or not at all.
        let known = self.from == 0 && slot != Slot::Early;
        Sealed {
            columns: part.columns,
            offset: part.offset,
            len: end - part.offset,
            first_line: if known { first_line } else { 0 },
            segment: Arc::clone(&self.segment),
            file: self.name.clone(),
            number: self.number,
            dialect: Arc::clone(&self.dialect),
            slot,
            place: self.place(part.offset),
            piece: part.piece,
        }
    }

    fn place(&self, offset: u64) -> u64 {
        super::plain::place(self.number, offset)
    }
}

impl Sealed {
    /// The block that it becomes.
    pub(crate) fn into_block(self, source: SourceId, edition: u32) -> Block {
        Block {
            source,
            segment: self.segment,
            file: self.file,
            number: self.number,
            dialect: self.dialect,
            offset: self.offset,
            len: self.len,
            first_line: self.first_line,
            place: self.place,
            piece: self.piece,
            growing: self.slot == Slot::Growing,
            columns: self.columns,
            life: 0,
            edition,
            usual: OnceLock::new(),
            unlevelled: OnceLock::new(),
            clear: Default::default(),
            ids: OnceLock::new(),
            hints: OnceLock::new(),
        }
    }

    /// What takes the place of a line without an end once it is shown no more.
    pub(super) fn no_growing(reading: &Reading) -> Self {
        let part =
            Part { columns: Columns::default(), offset: reading.end, lines_before: 0, piece: 0 };
        reading.seal(part, 0, reading.end, Slot::Growing)
    }
}

impl Cut {
    /// What is cut out of a chunk that can't be read.
    fn nothing(end: u64) -> Self {
        Self {
            lead: Vec::new(),
            lead_at: end,
            parts: Vec::new(),
            carry: Carry::default(),
            lines: 0,
            end,
            unfinished: None,
            pieces: Vec::new(),
            strange: None,
            failed: None,
            long: None,
            turn: None,
        }
    }
}

/// The largest block: a chunk, and a line that begins at its end.
const _: () = assert!(limits::CHUNK_BYTES + limits::LINE_HELD_BYTES < u32::MAX as usize / 4);

/// Where a part ends, given those that follow it: where the next begins, or behind the record that the next
/// goes on with. Nothing where none of them tells.
pub(crate) fn record_end(part: &Part, rest: &[Part]) -> Option<u64> {
    let next = rest.first()?;
    if !next.shares_its_record(part) {
        return Some(next.offset);
    }
    match next.columns.second_record() {
        Some(start) => Some(next.offset + u64::from(start)),
        None => record_end(next, &rest[1..]),
    }
}
