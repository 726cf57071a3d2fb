//! Entries read back from their sources: one for the screen, or all of them in order for an export.

use std::{collections::VecDeque, io, sync::Arc};

use super::snapshot::{Shown, Snapshot, sorted_ids};
use crate::{
    entry::{Entry, Offset},
    store::{Block, EntryId, NO_TIME},
    veil::Veiled,
};

/// Blocks kept while entries of several sources are read in turn: one of each, as far as that is frugal.
const KEPT: std::ops::Range<usize> = 4..24;

pub(super) fn seconds(name: &str, text: &str) -> Option<f64> {
    crate::query::is_duration_name(name).then(|| crate::query::seconds(name, text)).flatten()
}

/// An entry as it may be shown.
pub(crate) fn shown(
    id: EntryId,
    block: &Block,
    entry: &Entry<'_>,
    veiled: &Veiled<'_, '_>,
) -> Shown {
    let index = id.index();
    let time = block.time(index);
    Shown {
        id,
        source: block.source.index(),
        time: (time != NO_TIME).then_some(time),
        written: entry.stamp.and_then(|stamp| {
            let ahead = match stamp.offset {
                Offset::Fixed(seconds) => i64::from(seconds),
                Offset::Missing => 0,
            };
            let plain = stamp.missing == crate::entry::Missing::Nothing;
            let nanos = stamp.nanos(&crate::entry::Clock::default());
            plain.then(|| nanos.saturating_add(ahead * 1_000_000_000))
        }),
        digits: entry.stamp.map_or(3, |stamp| stamp.digits),
        time_derived: block.time_derived(index),
        zoned: entry.stamp.is_some_and(|stamp| stamp.offset != Offset::Missing),
        severity: block.severity(index),
        level_derived: entry.level_derived,
        message_derived: entry.message_derived,
        level_raw: veiled.level_raw().map(crate::veil::Clean::into_owned),
        layout: block.layout(index),
        logger: veiled.logger().map(crate::veil::Clean::into_owned),
        message: veiled.message().into_owned(),
        body: veiled.body().map(crate::veil::Clean::into_owned),
        fields: veiled.fields(false),
        ids: sorted_ids(entry)
            .into_iter()
            .map(|(kind, value)| (kind, veiled.text(value.into())))
            .collect(),
        hidden: veiled.hidden(),
        lines: memchr::memchr_iter(b'\n', entry.raw).count() + 1,
        cut: false,
    }
}

/// Reads entries one after the other, keeping the blocks of the last few.
pub struct Reader<'s> {
    snapshot: &'s Snapshot,
    kept: VecDeque<(usize, Loaded)>,
    most: usize,
}

struct Loaded {
    bytes: Vec<u8>,
    /// The first physical line of each entry, counted from the block's first.
    lines: Vec<u32>,
}

/// An entry on its way out, with its place.
pub(crate) struct Placed<'b> {
    pub(crate) block: &'b Arc<Block>,
    pub(crate) index: usize,
    pub(crate) line: u64,
    pub(crate) lines: u64,
}

impl<'s> Reader<'s> {
    /// A reader of a snapshot's entries.
    #[must_use]
    pub fn new(snapshot: &'s Snapshot) -> Self {
        let most = (snapshot.sources.len() + 2).clamp(KEPT.start, KEPT.end);
        Self { snapshot, kept: VecDeque::new(), most }
    }

    /// Reads an entry whole and hands it over under the veil.
    pub(crate) fn with<T>(
        &mut self,
        id: EntryId,
        hand: impl FnOnce(&Entry<'_>, &Veiled<'_, '_>, &Placed<'_>) -> T,
    ) -> io::Result<T> {
        let snapshot = self.snapshot;
        let block = snapshot.block(id).ok_or(io::ErrorKind::NotFound)?;
        let loaded = self.load(id.block(), block)?;
        let index = id.index();
        let raw = block.cut(index, &loaded.bytes);
        let entry = block.entry(index, &raw);
        let veiled = snapshot.veil.over(&entry);
        let placed = Placed {
            block,
            index,
            line: block.line_after(u64::from(loaded.lines[index])),
            lines: memchr::memchr_iter(b'\n', &raw).count() as u64 + 1,
        };
        Ok(hand(&entry, &veiled, &placed))
    }

    fn load(&mut self, number: usize, block: &Block) -> io::Result<&Loaded> {
        if let Some(at) = self.kept.iter().position(|(kept, _)| *kept == number) {
            if at > self.most / 2
                && let Some(kept) = self.kept.remove(at)
            {
                self.kept.push_front(kept);
                return Ok(&self.kept[0].1);
            }
            return Ok(&self.kept[at].1);
        }
        let mut bytes = match self.kept.len() < self.most {
            true => Vec::new(),
            false => self.kept.pop_back().map(|(_, old)| old.bytes).unwrap_or_default(),
        };
        block.read_all(&mut bytes)?;
        let mut lines = Vec::with_capacity(block.len());
        let (mut at, mut line) = (0, 0u32);
        for index in 0..block.len() {
            let start = block.records(index).next().map_or(at, |record| record.start);
            let start = start.min(bytes.len());
            let passed = memchr::memchr_iter(b'\n', &bytes[at..start]).count();
            line = line.saturating_add(u32::try_from(passed).unwrap_or(u32::MAX));
            lines.push(line);
            at = start;
        }
        self.kept.push_front((number, Loaded { bytes, lines }));
        Ok(&self.kept[0].1)
    }
}
