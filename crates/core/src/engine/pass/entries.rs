//! The selected entries of one block, for a pass.

use std::{borrow::Cow, io, sync::Arc};

use crate::{
    engine::{Shown, Snapshot, identify, template_of},
    entry::{Entry, Severity},
    layout::LayoutId,
    limits,
    store::{Bits, Block, EntryId, IdColumn, NO_TIME},
    veil::{Audience, Clear, Fields, PartValue, Text, Veil, Veiled},
};

/// Bytes of a block for each selected entry from which on entries are read one by one.
const SPARSE: u64 = 32 << 10;
/// A block that is larger is never read whole.
const WHOLE: u64 = 64 << 20;

/// The selected entries of one block.
pub(crate) struct Entries<'p> {
    pub(super) snapshot: &'p Snapshot,
    pub(super) number: usize,
    pub(super) block: &'p Arc<Block>,
    pub(super) veil: &'p Veil,
    pub(super) within: &'p Arc<Bits>,
    pub(super) buffer: &'p mut Vec<u8>,
}

impl<'p> Entries<'p> {
    pub(super) fn new(
        snapshot: &'p Snapshot,
        number: usize,
        block: &'p Arc<Block>,
        within: &'p Arc<Bits>,
        buffer: &'p mut Vec<u8>,
    ) -> Self {
        Self { snapshot, number, block, veil: &snapshot.veil, within, buffer }
    }

    pub(crate) fn block(&self) -> &Arc<Block> {
        self.block
    }

    /// The ids of the block's entries, those that are not selected among them.
    pub(crate) fn identify(&mut self) -> io::Result<&'p IdColumn> {
        identify(self.block, self.buffer)
    }

    /// The number of the block.
    pub(crate) fn number(&self) -> usize {
        self.number
    }

    pub(super) fn within(&self) -> &Arc<Bits> {
        self.within
    }

    /// The number of the source that they are from.
    pub(crate) fn source(&self) -> usize {
        self.block.source.index()
    }

    /// How many there are.
    pub(crate) fn count(&self) -> usize {
        self.within.count()
    }

    /// What the index knows of each: its identity, time and severity. Cost: no byte is read.
    pub(crate) fn facts(&self) -> impl Iterator<Item = (EntryId, Option<i64>, Option<Severity>)> {
        self.within.iter().map(|index| {
            let time = self.block.time(index);
            let id = EntryId::new(self.number, index);
            (id, (time != NO_TIME).then_some(time), self.block.severity(index))
        })
    }

    /// Reads each entry in full.
    pub(crate) fn each<A: Audience>(
        &mut self,
        hand: &mut dyn FnMut(EntryId, &Entry<'_>, &Veiled<'_, '_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        self.each_raw(&mut |index, raw| {
            let entry = block.entry(index, raw);
            hand(EntryId::new(number, index), &entry, &veil.over(&entry, Some(block.place(index))));
        })
    }

    /// Reads what each entry says without its variable parts: its identity, its source, and a hash of its constant
    /// words.
    pub(crate) fn each_template(
        &mut self,
        hand: &mut dyn FnMut(EntryId, usize, u64),
    ) -> io::Result<()> {
        let (number, block) = (self.number, self.block);
        self.each_raw(&mut |index, raw| {
            let entry = block.entry(index, raw);
            hand(EntryId::new(number, index), block.source.index(), template_of(&entry));
        })
    }

    /// Reads each entry as it may be shown, at most the bytes of it that an inspector shows.
    pub(crate) fn each_shown<A: Audience>(&mut self, hand: &mut dyn FnMut(io::Result<Shown<A>>)) {
        for index in self.within.iter() {
            let id = EntryId::new(self.number, index);
            let read = self.block.read(index, limits::INSPECT_BYTES);
            let show =
                |(raw, cut): (Vec<u8>, bool)| Shown::of(id, self.block, self.veil, (&raw, cut));
            hand(read.and_then(show));
        }
    }

    /// Hands over each value of the field that a dotted path names; the items of a list one by one. Only entries
    /// that may have it are looked at, and only those that have secrets in them, or whose layout knows no plan,
    /// are read in full.
    pub(crate) fn each_value<A: Audience>(
        &mut self,
        path: &str,
        hand: &mut dyn FnMut(EntryId, Text<'_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        if !self.is_read_whole() {
            return self.each_raw(&mut |index, raw| {
                let id = EntryId::new(number, index);
                let clear = || veil.clear(raw);
                values_of(block, veil, index, raw, path, clear, &mut |value| hand(id, value));
            });
        }
        block.read_all(self.buffer)?;
        let bytes = self.buffer.as_slice();
        let clear = block.clear::<A>(bytes, veil);
        for index in self.having(path, bytes).iter() {
            let raw = block.cut(index, bytes);
            let clear = || clear.has(index).then(|| veil.known_clear::<A>(&raw));
            let id = EntryId::new(number, index);
            values_of(block, veil, index, &raw, path, clear, &mut |value| hand(id, value));
        }
        Ok(())
    }

    /// The entries that may have a field: those that hold its name, and those that may have it without.
    pub(super) fn having(&self, path: &str, bytes: &[u8]) -> Bits {
        let block = self.block;
        let mut having = Bits::clone(self.within);
        let name = path.rsplit('.').next().unwrap_or(path);
        if name.is_empty() || !block.is_usual(bytes) {
            return having;
        }
        let mut found = Bits::none(block.len());
        let writes: Vec<bool> =
            (0..=u8::MAX).map(|bits| LayoutId::from_bits(bits).writes(path)).collect();
        for index in self.within.iter() {
            let written = writes[usize::from(block.layout(index).bits())] && !block.wrapped(index);
            if !written || block.shares_its_record(index) {
                found.set(index);
            }
        }
        let finder = memchr::memmem::Finder::new(name.as_bytes());
        let mut at = 0;
        while let Some(to) = bytes.get(at..).and_then(|rest| finder.find(rest)) {
            at += to;
            // The rest of this record needs no search.
            let next = match block.entry_at(at) {
                Some(index) => {
                    found.set(index);
                    block.record_end(at)
                }
                None => at + 1,
            };
            at = next.max(at + 1);
        }
        having.keep(&found);
        having
    }

    /// Whether so many entries are selected that the block is read in one go.
    pub(super) fn is_read_whole(&self) -> bool {
        self.within.count() as u64 * SPARSE >= self.block.len && self.block.len <= WHOLE
    }

    /// Hands over the bytes of each entry.
    /// Reads each entry in full that holds some bytes.
    pub(crate) fn each_holding(
        &mut self,
        needle: &[u8],
        hand: &mut dyn FnMut(&Entry<'_>),
    ) -> io::Result<()> {
        let block = self.block;
        block.read_all(self.buffer)?;
        let mut known = None;
        for at in memchr::memmem::find_iter(self.buffer, needle) {
            let Some(index) = block.entry_at(at).filter(|index| self.within.has(*index)) else {
                continue;
            };
            if known.replace(index) != Some(index) {
                hand(&block.entry(index, &block.cut(index, self.buffer)));
            }
        }
        Ok(())
    }

    pub(super) fn each_raw(&mut self, hand: &mut dyn FnMut(usize, &[u8])) -> io::Result<()> {
        let block = self.block;
        if !self.is_read_whole() {
            for index in self.within.iter() {
                let (raw, _) = block.read(index, limits::INSPECT_BYTES)?;
                hand(index, &raw);
            }
            return Ok(());
        }
        block.read_all(self.buffer)?;
        for index in self.within.iter() {
            hand(index, &block.cut(index, self.buffer));
        }
        Ok(())
    }
}

/// Hands over the values of a field. The entry is read in full only where it is not `clear` of secrets, or its
/// layout can't give single values.
fn values_of<A: Audience>(
    block: &Block,
    veil: &Veil,
    index: usize,
    raw: &[u8],
    path: &str,
    clear: impl FnOnce() -> Option<Clear<A>>,
    hand: &mut dyn FnMut(Text<'_, A>),
) {
    if values_by_plan(block, index, raw, path, clear, hand).is_none() {
        let entry = block.entry(index, raw);
        values_within(veil.over(&entry, Some(block.place(index))).parts(true), path, hand);
    }
}

/// The same without reading the entry; `None` where that takes reading it.
fn values_by_plan<A: Audience>(
    block: &Block,
    index: usize,
    raw: &[u8],
    path: &str,
    clear: impl FnOnce() -> Option<Clear<A>>,
    hand: &mut dyn FnMut(Text<'_, A>),
) -> Option<()> {
    // An error that a stack trace in a text tells of becomes a field.
    if !block.is_as_written(index, raw) || path.starts_with("error") {
        return None;
    }
    let layout = block.layout(index).layout()?;
    let clear = clear()?;
    let mut first: Option<Cow<'_, str>> = None;
    let mut more = Vec::new();
    layout.values(raw, &block.dialect, &mut |name, spot| {
        if let Some(spot) = spot.filter(|_| name.path == path) {
            match &mut first {
                None => first = Some(spot.text()),
                Some(_) => more.push(spot.text()),
            }
        }
    })?;
    first.into_iter().chain(more).for_each(|value| hand(clear.value(value)));
    Some(())
}

/// The values of a field among those of an entry, and of what they hold.
pub(super) fn values_within<A: Audience>(
    fields: Fields<'_, '_, A>,
    path: &str,
    hand: &mut dyn FnMut(Text<'_, A>),
) {
    for field in fields {
        let name = field.name.as_str();
        let rest = path.strip_prefix(name).and_then(|rest| rest.strip_prefix('.'));
        match field.value {
            PartValue::List(items) if name == path => {
                items.filter_map(|item| item.value.scalar()).for_each(&mut *hand);
            }
            PartValue::Map(fields) => {
                if let Some(rest) = rest {
                    values_within(fields, rest, hand);
                }
            }
            PartValue::List(items) => {
                for item in items {
                    if let (Some(rest), PartValue::Map(fields)) = (rest, item.value) {
                        values_within(fields, rest, hand);
                    }
                }
            }
            other if name == path => other.scalar().into_iter().for_each(&mut *hand),
            _ => {}
        }
    }
}
