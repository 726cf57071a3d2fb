//! What the index holds of each entry of a block, in columns.

use std::sync::Arc;

use crate::{
    entry::Severity,
    layout::{LayoutId, Shared},
};

/// The time of an entry that has none and follows none that has.
pub(crate) const NO_TIME: i64 = i64::MIN;

pub(super) const TIME_DERIVED: u8 = 1;
pub(super) const LEVEL_DERIVED: u8 = 1 << 1;
pub(super) const WRAPPED: u8 = 1 << 2;
pub(super) const LISTED: u8 = 1 << 3;
pub(super) const WITHIN: u8 = 1 << 4;
pub(super) const DOUBTFUL: u8 = 1 << 5;

/// Marks of an entry.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Flags {
    /// Its level was worked out, not read.
    pub(crate) level_derived: bool,
    /// It stands in what another program put around it.
    pub(crate) wrapped: bool,
    /// It is one of several on its line, and read by its own bytes.
    pub(crate) listed: bool,
    /// It is one of several on its line, and not the first.
    pub(crate) within: bool,
    /// It contradicts what holds for its source.
    pub(crate) doubtful: bool,
}

/// The figures of a block.
#[derive(Clone, Debug)]
pub(crate) struct Census {
    layouts: Box<[usize; 256]>,
    pub(crate) levels: [usize; 6],
    pub(crate) unlevelled: usize,
    pub(crate) doubtful: usize,
    /// The first and the last time.
    pub(crate) span: Option<(i64, i64)>,
}

impl Census {
    /// The layouts that occur, and how often.
    pub(crate) fn layouts(&self) -> impl Iterator<Item = (LayoutId, usize)> + '_ {
        let counted = self.layouts.iter().zip(0u8..=255).filter(|(count, _)| **count > 0);
        counted.map(|(count, bits)| (LayoutId::from_bits(bits), *count))
    }
}

/// What the index holds of an entry beside its time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Mark {
    pub(super) start: u32,
    /// The severity, or 0.
    pub(super) level: u8,
    pub(super) layout: u8,
    pub(super) flags: u8,
}

/// What the index holds of each entry.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Columns {
    pub(super) times: Vec<i64>,
    pub(super) marks: Vec<Mark>,
    /// Records that begin no entry: further pieces of one, or bytes that belong to none.
    pub(super) extras: Vec<(u32, Option<u16>)>,
    /// The first entries that share a text with those behind them, and the text.
    pub(super) shared: Vec<(usize, Arc<Shared>)>,
}

impl Columns {
    pub(crate) fn len(&self) -> usize {
        self.times.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.times.is_empty()
    }

    /// Adds an entry; its time is its own, or (as error) that of the entry before.
    pub(crate) fn push(
        &mut self,
        start: u32,
        time: Result<i64, i64>,
        layout: LayoutId,
        severity: Option<Severity>,
        flags: Flags,
    ) -> usize {
        let all = [
            (time.is_err(), TIME_DERIVED),
            (flags.level_derived, LEVEL_DERIVED),
            (flags.wrapped, WRAPPED),
            (flags.listed, LISTED),
            (flags.within, WITHIN),
            (flags.doubtful, DOUBTFUL),
        ];
        let flags = all.iter().fold(0, |sum, (is, flag)| if *is { sum | flag } else { sum });
        let (Ok(time) | Err(time)) = time;
        self.times.push(time);
        let level = severity.map_or(0, Severity::number);
        self.marks.push(Mark { start, level, layout: layout.bits(), flags });
        self.times.len() - 1
    }

    /// Says what the entries that are added from now on share. Nothing else is asked for what is no member.
    pub(crate) fn share(&mut self, shared: &Arc<Shared>) {
        if self.shared.last().is_none_or(|(_, last)| !Arc::ptr_eq(last, shared)) {
            self.shared.push((self.len(), Arc::clone(shared)));
        }
    }

    /// Takes the last entry back; its bytes then belong to the one before.
    pub(crate) fn pop(&mut self) {
        self.times.pop();
        self.marks.pop();
    }

    /// Counts the entries.
    pub(crate) fn census(&self) -> Census {
        let mut layouts = Box::new([0; 256]);
        // Severities are 1 to 24, and 0 is none.
        let mut numbers = [0usize; 32];
        let mut doubtful = 0;
        for mark in &self.marks {
            layouts[usize::from(mark.layout)] += 1;
            numbers[usize::from(mark.level & 31)] += 1;
            doubtful += usize::from(mark.flags & DOUBTFUL != 0);
        }
        let mut levels = [0; 6];
        for (number, count) in numbers.iter().enumerate().skip(1).take(24) {
            levels[(number - 1) / 4] += count;
        }
        let timed = self.times.iter().copied().filter(|time| *time != NO_TIME);
        let span = timed.fold(None, |span: Option<(i64, i64)>, time| {
            Some(span.map_or((time, time), |(first, last)| (first.min(time), last.max(time))))
        });
        Census { layouts, levels, unlevelled: numbers[0], doubtful, span }
    }

    /// Where the first entry of so many in a row starts that have this layout.
    pub(crate) fn run_of(&self, layout: LayoutId, most: usize) -> Option<u32> {
        let mut run = 0;
        let end = self.marks.iter().position(|mark| {
            run = if mark.layout == layout.bits() { run + 1 } else { 0 };
            run == most
        })?;
        Some(self.marks[end + 1 - most].start)
    }

    /// Where the entries start.
    pub(crate) fn starts(&self) -> impl Iterator<Item = u32> + '_ {
        self.marks.iter().map(|mark| mark.start)
    }

    /// Where the last entry starts.
    pub(crate) fn last_start(&self) -> Option<u32> {
        self.marks.last().map(|mark| mark.start)
    }

    /// Says what became known of an entry behind its first line.
    pub(crate) fn set_layout(&mut self, index: usize, layout: LayoutId) {
        self.marks[index].layout = layout.bits();
    }

    pub(crate) fn layout(&self, index: usize) -> LayoutId {
        LayoutId::from_bits(self.marks[index].layout)
    }

    /// Whether an entry has no time of its own.
    pub(crate) fn time_is_derived(&self, index: usize) -> bool {
        self.marks[index].flags & TIME_DERIVED != 0
    }

    pub(crate) fn severity(&self, index: usize) -> Option<Severity> {
        Severity::new(self.marks[index].level)
    }

    pub(crate) fn set_time(&mut self, index: usize, time: i64) {
        self.times[index] = time;
        self.marks[index].flags &= !TIME_DERIVED;
    }

    pub(crate) fn set_severity(&mut self, index: usize, severity: Severity) {
        self.marks[index].level = severity.number();
    }

    pub(crate) fn push_extra(&mut self, start: u32, owner: Option<usize>) {
        let owner = owner.and_then(|index| u16::try_from(index).ok());
        self.extras.push((start, owner));
    }

    /// Gives entries at the beginning that have no time the time `before`, or else the first after them.
    pub(crate) fn settle(&mut self, before: Option<i64>) {
        let first = self.times.iter().position(|time| *time != NO_TIME);
        let time = before.or(first.map(|at| self.times[at]));
        if let Some(time) = time {
            let until = first.unwrap_or(self.times.len());
            self.times[..until].fill(time);
        }
    }

    /// Gives back what was reserved and not used.
    pub(crate) fn finish(&mut self) {
        self.times.shrink_to_fit();
        self.marks.shrink_to_fit();
        self.extras.shrink_to_fit();
    }

    pub(crate) fn last_time(&self) -> Option<i64> {
        self.times.last().copied().filter(|time| *time != NO_TIME)
    }

    /// Where the first record behind those of the first entry begins.
    pub(crate) fn second_record(&self) -> Option<u32> {
        let marks = self.marks.iter().map(|mark| mark.start).find(|start| *start > 0);
        let extras = self.extras.iter().map(|(start, _)| *start).find(|start| *start > 0);
        [marks, extras].into_iter().flatten().min()
    }

    /// Whether `self` begins with all entries of `other`, so that their places in the order still hold.
    pub(crate) fn extends(&self, other: &Self) -> bool {
        self.len() >= other.len() && self.times[..other.len()] == other.times[..]
    }
}
