//! A range of a source's bytes and the columns of the entries in it.

use std::{
    borrow::Cow,
    cell::RefCell,
    io,
    ops::Range,
    sync::{Arc, OnceLock, Weak},
};

use super::{
    Bits, Hints, IdColumn,
    columns::{Columns, DOUBTFUL, LISTED, NO_TIME, TIME_DERIVED, WITHIN, WRAPPED},
};
use crate::{
    entry::{Entry, Missing, Severity},
    guard,
    layout::{Dialect, Gist, LayoutId, Member, Shared, Visit, colours, wrap},
    limits,
    source::{Segment, SourceId},
    veil::{Audience, Place, Veil, Who},
};

/// Adds a range of a block to what was read before.
type Read<'r> = dyn FnMut(Range<usize>, &mut Vec<u8>) -> io::Result<()> + 'r;

/// What tells a record from every other one.
struct Record {
    /// Held, so that no other segment comes to stand in its place.
    segment: Weak<Segment>,
    place: u64,
    edition: u32,
    length: usize,
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        let of = |record: &Self| (record.place, record.edition, record.length);
        self.segment.ptr_eq(&other.segment) && of(self) == of(other)
    }
}

/// A range of a segment's bytes with the entries that begin in it.
#[derive(Debug)]
pub(crate) struct Block {
    pub(crate) source: SourceId,
    pub(crate) segment: Arc<Segment>,
    /// The name of the file, where the source has several.
    pub(crate) file: Option<Arc<str>>,
    /// The number of its file in its source, from 0 for the oldest.
    pub(crate) number: usize,
    pub(crate) dialect: Arc<Dialect>,
    pub(crate) offset: u64,
    pub(crate) len: u64,
    /// Bytes of the source before it, those of older files included: what its blocks are ordered by.
    pub(crate) place: u64,
    /// The number of the block's first physical line, from 1; 0 while what stands before is unknown.
    pub(crate) first_line: u64,
    /// Entries of its first line that stand in blocks before it: of a record with very many, or pieces of a
    /// line that is longer than a line may be. 0 where it begins with a line.
    pub(crate) piece: u32,
    /// It holds a line whose end has not come yet.
    pub(crate) growing: bool,
    pub(crate) columns: Columns,
    /// How often its number was another block's, which was let go of.
    pub(crate) life: u32,
    /// Changes when the block is read again.
    pub(crate) edition: u32,
    /// See [`Block::is_usual`], [`Block::unlevelled`] and [`Block::clear`].
    pub(crate) usual: OnceLock<bool>,
    pub(crate) unlevelled: OnceLock<Bits>,
    /// For the desk, and for what leaves it.
    pub(crate) clear: [OnceLock<Bits>; 2],
    /// The ids of its entries, once they have been looked for.
    pub(crate) ids: OnceLock<IdColumn>,
    /// What its entries say beside others; known before the ids are.
    pub(crate) hints: OnceLock<Hints>,
}

impl Block {
    /// The same block with nothing in it.
    pub(crate) fn without_entries(&self, edition: u32) -> Self {
        Self {
            segment: Arc::clone(&self.segment),
            file: self.file.clone(),
            dialect: Arc::clone(&self.dialect),
            columns: Columns::default(),
            edition,
            usual: OnceLock::new(),
            unlevelled: OnceLock::new(),
            clear: Default::default(),
            ids: OnceLock::new(),
            hints: OnceLock::new(),
            ..*self
        }
    }

    /// What stands in the place of a block that was let go of, until its number is another one's.
    pub(crate) fn let_go(&self) -> Self {
        let empty = self.without_entries(self.edition + 1);
        Self { segment: Segment::nothing(), life: self.life + 1, growing: false, ..empty }
    }

    /// Whether it was let go of.
    pub(crate) fn is_let_go(&self) -> bool {
        Arc::ptr_eq(&self.segment, &Segment::nothing())
    }

    pub(crate) fn len(&self) -> usize {
        self.columns.len()
    }

    pub(crate) fn time(&self, index: usize) -> i64 {
        self.columns.times[index]
    }

    /// The times of all entries.
    pub(crate) fn times(&self) -> &[i64] {
        &self.columns.times
    }

    pub(crate) fn severity(&self, index: usize) -> Option<Severity> {
        Severity::new(self.columns.marks[index].level)
    }

    pub(crate) fn layout(&self, index: usize) -> LayoutId {
        self.columns.layout(index)
    }

    pub(crate) fn time_derived(&self, index: usize) -> bool {
        self.columns.marks[index].flags & TIME_DERIVED != 0
    }

    /// Whether the entry contradicts what holds for its source.
    pub(crate) fn doubtful(&self, index: usize) -> bool {
        self.columns.marks[index].flags & DOUBTFUL != 0
    }

    /// Whether something was around the entry.
    pub(crate) fn wrapped(&self, index: usize) -> bool {
        self.columns.marks[index].flags & WRAPPED != 0
    }

    /// Where an entry stands, for rules of the veil that hold for some places.
    pub(crate) fn place(&self, index: usize) -> Place {
        Place { layout: self.layout(index), source: self.source.index() }
    }

    /// Whether all names of an entry's fields stand in its bytes, as they are written.
    pub(crate) fn says_its_names(&self, index: usize) -> bool {
        let layout = self.layout(index);
        let given = !layout.says_its_names() || self.shared(index).is_some();
        !given && !self.wrapped(index)
    }

    /// Whether an entry is read out of its own bytes as they are.
    pub(crate) fn is_as_written(&self, index: usize, raw: &[u8]) -> bool {
        self.says_its_names(index) && !self.shares_its_record(index) && !colours::is_coloured(raw)
    }

    /// Which of the entries of its line this is, from 0: of a record with several, or a piece of a long line.
    /// `known` is another entry and its number, or 0 and anything; what lies between costs a look each.
    pub(crate) fn part_of_line(&self, index: usize, known: (usize, usize)) -> usize {
        let marks = &self.columns.marks;
        let mut at = index;
        while marks[at].flags & WITHIN != 0 {
            match at.checked_sub(1) {
                Some(before) if before == known.0 && before > 0 => return known.1 + index - before,
                Some(before) => at = before,
                // The line began in another block.
                None => return index + self.piece as usize,
            }
        }
        // A further piece of a long line is an entry of its own.
        if at == 0 { index + self.piece as usize } else { index - at }
    }

    /// Which of the entries of its record this is, from 0.
    fn part(&self, index: usize) -> usize {
        let marks = &self.columns.marks;
        let start = marks[index].start;
        let first = marks.partition_point(|mark| mark.start < start);
        index - first + if first == 0 { self.piece as usize } else { 0 }
    }

    /// Whether a line that belongs to no entry stands right before one of a table, and not at the beginning
    /// of its file: the header again.
    pub(crate) fn headed_again(&self, index: usize) -> bool {
        let columns = &self.columns;
        let start = columns.marks[index].start;
        let before = columns.extras.partition_point(|(extra, _)| *extra < start);
        let Some((extra, None)) = before.checked_sub(1).map(|at| columns.extras[at]) else {
            return false;
        };
        let previous = index.checked_sub(1).map(|at| columns.marks[at].start);
        let within = previous.map_or(self.offset > 0, |previous| previous < extra);
        within && self.layout(index).name() == "csv"
    }

    /// The entries that a header stands right before again ([`Block::headed_again`]). Cost: the records that belong to
    /// no entry.
    pub(crate) fn headed(&self) -> Vec<usize> {
        let columns = &self.columns;
        let extras = columns.extras.iter().filter(|(_, owner)| owner.is_none());
        let behind =
            extras.map(|(extra, _)| columns.marks.partition_point(|mark| mark.start <= *extra));
        behind.filter(|index| *index < self.len() && self.headed_again(*index)).collect()
    }

    /// The other entries that stand in the same record, and the entry itself.
    pub(crate) fn beside(&self, index: usize) -> Range<usize> {
        let marks = &self.columns.marks;
        let start = marks[index].start;
        let first = marks.partition_point(|mark| mark.start < start);
        first..marks.partition_point(|mark| mark.start <= start)
    }

    /// Whether several entries are read out of the entry's record.
    pub(crate) fn shares_its_record(&self, index: usize) -> bool {
        let marks = &self.columns.marks;
        let mark = marks[index];
        let next = marks.get(index + 1).is_some_and(|next| next.start == mark.start);
        mark.flags & LISTED == 0 && (next || mark.flags & WITHIN != 0)
    }

    /// Reads an entry out of its bytes: what is around it is taken off first. One that the program fails at is
    /// text.
    pub(crate) fn entry<'a>(&self, index: usize, raw: &'a [u8]) -> Entry<'a> {
        guard::catch(|| self.entry_of(index, raw)).unwrap_or_else(|| Entry::plain(raw))
    }

    /// Who speaks in an entry and what is said; `None` where only reading it in full tells.
    pub(crate) fn gist<'a>(&self, index: usize, raw: &'a [u8]) -> Option<Gist<'a>> {
        let layout = self.looked_at(index, raw)?;
        match self.shared(index) {
            Some(shared) => layout.member_gist(raw, shared, &self.dialect),
            None if self.shares_its_record(index) => None,
            None => layout.gist(raw, &self.dialect),
        }
    }

    /// The same with the values of an entry that is read out of its own bytes as they are.
    pub(crate) fn tell<'a>(
        &self,
        index: usize,
        raw: &'a [u8],
        visit: &mut Visit<'_, 'a>,
    ) -> Option<Gist<'a>> {
        self.looked_at(index, raw)?.layout()?.tell(raw, &self.dialect, visit)
    }

    /// The same with the fields of an entry that shares some with others of its line.
    pub(crate) fn member_fields<'a>(
        &self,
        index: usize,
        raw: &'a [u8],
        hand: &mut dyn FnMut(&str, &str),
    ) -> Option<Gist<'a>> {
        let shared = self.shared(index)?;
        self.looked_at(index, raw)?.layout()?.member_fields(raw, shared, hand)
    }

    /// The layout of an entry whose bytes may be looked at as they are.
    fn looked_at(&self, index: usize, raw: &[u8]) -> Option<LayoutId> {
        if self.wrapped(index) || colours::is_coloured(raw) {
            return None;
        }
        let layout = self.layout(index);
        // A time that no clock can show makes an entry plain text; then it has none in the index.
        let timed = !self.time_derived(index) && self.time(index) != NO_TIME;
        (timed || matches!(layout, LayoutId::PLAIN | LayoutId::LEVELLED)).then_some(layout)
    }

    fn entry_of<'a>(&self, index: usize, raw: &'a [u8]) -> Entry<'a> {
        let layout = self.layout(index);
        let dialect = &*self.dialect;
        if let Some(shared) = self.shared(index) {
            return Self::in_order(layout.member(raw, shared, dialect), raw);
        }
        let wrapped = self.wrapped(index);
        let mut text: Cow<'_, [u8]> = Cow::Borrowed(raw);
        if wrapped {
            text = Cow::Owned(wrap::unwrap(raw, dialect));
        }
        // In records a value with line ends has its length before it.
        if colours::is_coloured(&text) && self.layout(index) != LayoutId::RECORD {
            text = Cow::Owned(colours::strip(&text).into_owned());
        }
        if self.shares_its_record(index)
            && let Some(member) = self.member(index, &text)
            && let Some(own) = text.get(member.span.clone())
        {
            let mut entry = layout.member(own, &member.shared(&text), dialect).rebased(raw);
            entry.among = true;
            if wrapped {
                wrap::note(&mut entry, raw, dialect);
            }
            return entry;
        }
        let mut entry = match &text {
            Cow::Borrowed(text) => return Self::in_order(layout.read(text, dialect), raw),
            Cow::Owned(text) => layout.read(text, dialect).rebased(raw),
        };
        if wrapped {
            wrap::note(&mut entry, raw, dialect);
        }
        entry
    }

    /// What an entry shares with others of its line, where it is read by its own bytes.
    pub(crate) fn shared(&self, index: usize) -> Option<&Arc<Shared>> {
        if self.columns.marks[index].flags & LISTED == 0 {
            return None;
        }
        let shared = &self.columns.shared;
        let at = shared.partition_point(|(first, _)| *first <= index).checked_sub(1)?;
        Some(&shared[at].1)
    }

    /// Where an entry stands in its record, which has something around it. The places of all entries of the
    /// record that was asked for last are kept, so that reading one after the other takes one pass over it.
    fn member(&self, index: usize, text: &[u8]) -> Option<Member> {
        thread_local! {
            static LAST: RefCell<(Option<Record>, Vec<Member>)> = const { RefCell::new((None, Vec::new())) };
        }
        let start = self.columns.marks[index].start;
        let record = Record {
            segment: Arc::downgrade(&self.segment),
            place: self.offset + u64::from(start),
            edition: self.edition,
            length: text.len(),
        };
        LAST.with_borrow_mut(|(last, members)| {
            if last.as_ref() != Some(&record) {
                *members = self.layout(index).layout()?.members(text).unwrap_or_default();
                *last = Some(record);
            }
            members.get(self.part(index)).cloned()
        })
    }

    /// Reads an entry whose time can't be ordered by as text, so that the time is seen as it was written.
    fn in_order<'a>(entry: Entry<'a>, raw: &'a [u8]) -> Entry<'a> {
        match entry.stamp {
            Some(stamp) if stamp.missing == Missing::Outside => Entry::plain(raw),
            _ => entry,
        }
    }

    /// Where the entry's records stand in the block, in order. The first is its own; the others are
    /// pieces torn off by other output.
    pub(crate) fn records(&self, index: usize) -> impl Iterator<Item = Range<usize>> + '_ {
        let columns = &self.columns;
        let own = columns.marks[index].start;
        // A piece stands at most so many lines behind the one before it; every other record takes one.
        let from = columns.extras.partition_point(|(start, _)| *start <= own);
        let mut others = 0;
        let pieces = columns.extras[from..]
            .iter()
            .take_while(move |(_, owner)| {
                let mine = owner.map(usize::from) == Some(index);
                others = if mine { 0 } else { others + 1 };
                others <= limits::TORN_LINES
            })
            .filter(move |(_, owner)| owner.map(usize::from) == Some(index))
            .map(|(start, _)| *start);
        std::iter::once(own).chain(pieces).map(|start| {
            let next_entry = columns.marks.partition_point(|mark| mark.start <= start);
            let next_extra = columns.extras.partition_point(|(s, _)| *s <= start);
            let end = [
                columns.marks.get(next_entry).map(|mark| mark.start),
                columns.extras.get(next_extra).map(|(s, _)| *s),
            ]
            .into_iter()
            .flatten()
            .min();
            start as usize
                ..end.map_or(usize::try_from(self.len).unwrap_or(usize::MAX), |e| e as usize)
        })
    }

    /// The entry whose record holds the byte at `offset`, if it belongs to one.
    pub(crate) fn entry_at(&self, offset: usize) -> Option<usize> {
        let columns = &self.columns;
        let own =
            columns.marks.partition_point(|mark| mark.start as usize <= offset).checked_sub(1);
        let extra = columns.extras.partition_point(|(s, _)| *s as usize <= offset).checked_sub(1);
        match (own, extra.map(|at| columns.extras[at])) {
            (Some(own), Some((start, owner))) if start > columns.marks[own].start => {
                owner.map(usize::from)
            }
            (None, Some((_, owner))) => owner.map(usize::from),
            (own, _) => own,
        }
    }

    /// The first entry that begins at `offset` or behind it, and where.
    pub(crate) fn first_from(&self, offset: usize) -> Option<(usize, usize)> {
        let marks = &self.columns.marks;
        let index = marks.partition_point(|mark| (mark.start as usize) < offset);
        marks.get(index).map(|mark| (index, mark.start as usize))
    }

    /// Where the record ends that holds the byte at `offset`.
    pub(crate) fn record_end(&self, offset: usize) -> usize {
        let columns = &self.columns;
        let entry = columns.marks.partition_point(|mark| mark.start as usize <= offset);
        let extra = columns.extras.partition_point(|(start, _)| *start as usize <= offset);
        let next = [
            columns.marks.get(entry).map(|mark| mark.start),
            columns.extras.get(extra).map(|(start, _)| *start),
        ];
        let end = next.into_iter().flatten().min().map(|end| end as usize);
        end.unwrap_or_else(|| usize::try_from(self.len).unwrap_or(usize::MAX))
    }

    /// The entries that have no level. They are looked for once.
    pub(crate) fn unlevelled(&self) -> &Bits {
        self.unlevelled.get_or_init(|| {
            let mut bits = Bits::none(self.len());
            let none = self.columns.marks.iter().enumerate().filter(|(_, mark)| mark.level == 0);
            none.for_each(|(index, _)| bits.set(index));
            bits
        })
    }

    /// The entries of which it is known already that they hold nothing to hide from an audience.
    pub(crate) fn known_clear<A: Audience>(&self) -> Option<&Bits> {
        match A::WHO {
            Who::Desk => self.clear[0].get(),
            Who::Anyone => self.clear[1].get(),
        }
    }

    /// The entries in whose bytes one look finds nothing that may be secret. `bytes` are those of the whole block;
    /// they are looked at once.
    pub(crate) fn clear<A: Audience>(&self, bytes: &[u8], veil: &Veil) -> &Bits {
        let known = match A::WHO {
            Who::Desk => &self.clear[0],
            Who::Anyone => &self.clear[1],
        };
        known.get_or_init(|| {
            let mut bits = Bits::none(self.len());
            let clear = |index: &usize| veil.clear::<A>(&self.cut(*index, bytes)).is_some();
            (0..self.len()).filter(clear).for_each(|index| bits.set(index));
            bits
        })
    }

    /// Whether every text of the block is written as it reads, so that it can be looked for in its bytes.
    /// `bytes` are those of the whole block; they are looked at once.
    pub(crate) fn is_usual(&self, bytes: &[u8]) -> bool {
        *self.usual.get_or_init(|| {
            // What entries share stands in none of them.
            if self.columns.shared.iter().any(|(_, shared)| !shared.is_empty()) {
                return false;
            }
            let marks = || self.columns.marks.iter();
            let wrapped = marks().any(|mark| mark.flags & WRAPPED != 0);
            let json = wrapped || marks().any(|mark| mark.layout == LayoutId::JSON.bits());
            !super::writings::are_other(bytes, json, wrapped)
        })
    }

    /// Reads the whole block into `bytes`.
    ///
    /// # Errors
    ///
    /// Those of reading, and `UnexpectedEof` where the segment has become shorter.
    pub(crate) fn read_all(&self, bytes: &mut Vec<u8>) -> io::Result<()> {
        bytes.resize(usize::try_from(self.len).unwrap_or(usize::MAX), 0);
        let got = self.segment.read_at(self.offset, bytes)?;
        if got < bytes.len() {
            bytes.truncate(got);
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        Ok(())
    }

    /// Reads a range of the block into `bytes`.
    ///
    /// # Errors
    ///
    /// As [`Block::read_all`].
    pub(crate) fn read_range(&self, range: Range<usize>, bytes: &mut Vec<u8>) -> io::Result<()> {
        bytes.resize(range.len(), 0);
        let got = self.segment.read_at(self.offset + range.start as u64, bytes)?;
        if got < bytes.len() {
            bytes.truncate(got);
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        Ok(())
    }

    /// Cuts an entry out of the bytes of its block: the pieces joined, the last line end trimmed.
    pub(crate) fn cut<'b>(&self, index: usize, bytes: &'b [u8]) -> Cow<'b, [u8]> {
        self.cut_from(index, bytes, 0)
    }

    /// The same out of bytes that begin at a place in the block.
    pub(crate) fn cut_from<'b>(
        &self,
        index: usize,
        bytes: &'b [u8],
        start: usize,
    ) -> Cow<'b, [u8]> {
        let clip = |range: Range<usize>| {
            let end = range.end.saturating_sub(start).min(bytes.len());
            &bytes[range.start.saturating_sub(start).min(end)..end]
        };
        let mut records = self.records(index);
        let own = records.next().map_or(&[][..], clip);
        match records.next() {
            None => Cow::Borrowed(self.alone(index, trimmed(own))),
            Some(piece) => {
                let mut joined = own.to_vec();
                for piece in std::iter::once(piece).chain(records) {
                    joined.extend_from_slice(clip(piece));
                }
                joined.truncate(trimmed_len(&joined));
                Cow::Owned(joined)
            }
        }
    }

    /// Reads one entry, at most about `limit` bytes of it. The flag says that it is longer.
    ///
    /// # Errors
    ///
    /// As [`Block::read_all`].
    pub(crate) fn read(&self, index: usize, limit: usize) -> io::Result<(Vec<u8>, bool)> {
        self.read_by(index, limit, &mut |range, bytes| {
            let at = bytes.len();
            bytes.resize(at + range.len(), 0);
            let got = self.segment.read_at(self.offset + range.start as u64, &mut bytes[at..])?;
            if at + got < bytes.len() {
                return Err(io::ErrorKind::UnexpectedEof.into());
            }
            Ok(())
        })
    }

    /// The same, adding a range of the block to what was read before.
    ///
    /// # Errors
    ///
    /// Those of the reader.
    pub(crate) fn read_by(
        &self,
        index: usize,
        limit: usize,
        read: &mut Read<'_>,
    ) -> io::Result<(Vec<u8>, bool)> {
        let mut bytes = Vec::new();
        let mut cut = false;
        for record in self.records(index) {
            let room = limit.saturating_sub(bytes.len());
            let want = record.len().min(room);
            cut |= want < record.len();
            read(record.start..record.start + want, &mut bytes)?;
        }
        bytes.truncate(trimmed_len(&bytes));
        if bytes.starts_with(b"\xef\xbb\xbf") {
            bytes.drain(..3);
        }
        bytes.truncate(self.alone(index, &bytes).len());
        Ok((bytes, cut))
    }

    /// The text of an entry that is one of several on its line, without what stands behind it there.
    fn alone<'b>(&self, index: usize, text: &'b [u8]) -> &'b [u8] {
        if self.columns.marks[index].flags & LISTED == 0 {
            return text;
        }
        crate::layout::json::first_of(text, self.layout(index) == LayoutId::JSON)
    }

    /// Where an entry begins in the block.
    pub(crate) fn start(&self, index: usize) -> usize {
        self.columns.marks[index].start as usize
    }

    /// The number of the physical line after so many of the block, from 1; 0 where it is not known yet.
    pub(crate) fn line_after(&self, lines: u64) -> u64 {
        if self.first_line == 0 { 0 } else { self.first_line + lines }
    }
}

fn trimmed_len(bytes: &[u8]) -> usize {
    trimmed(bytes).len()
}

/// Without line ends at the end, and without a byte-order mark at the start.
fn trimmed(bytes: &[u8]) -> &[u8] {
    let end = bytes.iter().rposition(|b| !matches!(b, b'\n' | b'\r')).map_or(0, |at| at + 1);
    let bytes = &bytes[..end];
    bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes)
}
