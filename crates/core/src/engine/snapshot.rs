//! The state at one moment, for the desk and for commands.

use std::{
    io,
    sync::{Arc, OnceLock},
};

use super::{Across, Shown, shown::sorted_ids, windows::Windows};
use crate::{
    entry::{Correction, Level, Severity},
    ingest::{Note, Problem},
    layout::LayoutId,
    limits,
    query::Expr,
    sieve::{Arrival, Funnel, Mesh, Sieve},
    source::{Form, Origin, Source},
    store::{Bits, Block, Blocks, EntryId, Key, NO_TIME, Rows, key},
    veil::{Anyone, Audience, Clean, Desk, Revealed, Shareable, Text, Veil},
    volume::Volume,
};

/// A question that is answered beside the sieve.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Lens {
    /// What the find prompt looks for.
    Find,
    /// The entries of the trail that is shown.
    Trail,
    /// The entries with the id under the cursor.
    Id,
    /// What the sift prompt would let through.
    Sift,
    /// Where the words of what was typed stand, before it is kept for the next time.
    Typed,
}

impl Lens {
    pub(crate) const ALL: [Self; 5] = [Self::Find, Self::Trail, Self::Id, Self::Sift, Self::Typed];
}

/// What a lens has found so far.
#[derive(Clone, Debug, Default)]
pub struct LensView {
    /// The expression as written.
    pub text: String,
    /// Whether every block has been looked at.
    pub done: bool,
    /// All entries for which it holds.
    pub count: usize,
    /// Those of them that are in the pan.
    pub in_pan: usize,
    pub(crate) bits: Vec<Option<Arc<Bits>>>,
    /// The same along the order.
    pub(crate) sets: Vec<Arc<Bits>>,
}

impl LensView {
    /// Whether the expression holds for an entry.
    #[must_use]
    pub fn has(&self, id: EntryId) -> bool {
        self.bits.get(id.block()).and_then(Option::as_ref).is_some_and(|bits| bits.has(id.index()))
    }

    /// Blocks that have been looked at, and blocks there are.
    #[must_use]
    pub fn progress(&self) -> (usize, usize) {
        (self.bits.iter().flatten().count(), self.bits.len())
    }

    /// The entries in the order of blocks.
    pub fn ids(&self) -> impl Iterator<Item = EntryId> + '_ {
        self.bits.iter().enumerate().flat_map(|(block, bits)| {
            bits.iter()
                .flat_map(move |bits| bits.iter().map(move |index| EntryId::new(block, index)))
        })
    }
}

/// What a sieve beside the pan lets through.
#[derive(Clone, Debug)]
pub struct BesideView {
    /// The sieve.
    pub sieve: Sieve,
    /// Entries that are left.
    pub left: usize,
    /// The last of them in the order of time.
    pub last: Option<EntryId>,
    /// The gravest level among them, where the volume is counted.
    pub worst: Option<Level>,
    /// Whether every block has been judged.
    pub done: bool,
}

/// How far the background work is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Progress {
    /// Bytes read, and bytes there are.
    pub read: (u64, u64),
    /// Blocks judged by all meshes that count, and blocks there are.
    pub sifted: (usize, usize),
    /// Blocks whose ids are known, and blocks there are.
    pub identified: (usize, usize),
    /// Whether a stream is still open.
    pub streaming: bool,
}

/// What is known of a source.
#[derive(Clone, Debug, Default)]
pub struct SourceStatus {
    /// Entries by layout: a count for each of [`LayoutId::all`] that occurs.
    pub layouts: Vec<(LayoutId, usize)>,
    /// Entries by level, in the order of [`crate::entry::Level::ALL`].
    pub levels: [usize; 6],
    /// Entries without a level.
    pub unlevelled: usize,
    /// Entries that contradict what holds for their source.
    pub doubtful: usize,
    /// The first and the last time that was read.
    pub span: Option<(i64, i64)>,
    /// Physical lines.
    pub lines: u64,
    /// Bytes read, and bytes there are.
    pub bytes: (u64, u64),
    /// How its bytes become text.
    pub form: Form,
    /// The zone of its times that name none, and what is added to all of them.
    pub clock: Correction,
    /// What went wrong, and what that means.
    pub problem: Option<String>,
    /// A file was read from some place behind its beginning, since only its end was wanted.
    pub inside: bool,
    /// What happened to its files, the latest last.
    pub notes: Vec<Note>,
}

impl SourceStatus {
    /// Entries a second over the time that they span; `None` where they span none.
    #[must_use]
    pub fn rate(&self) -> Option<f64> {
        let (first, last) = self.span.filter(|(first, last)| first < last)?;
        #[expect(clippy::cast_precision_loss, reason = "a rate for people")]
        let (entries, nanos) = (self.entries() as f64, last.saturating_sub(first) as f64);
        Some(entries * 1e9 / nanos)
    }

    /// All entries.
    #[must_use]
    pub fn entries(&self) -> usize {
        self.layouts.iter().map(|(_, count)| count).sum()
    }

    /// Entries that a layout took.
    #[must_use]
    pub fn understood(&self) -> usize {
        self.layouts.iter().filter(|(layout, _)| layout.understood()).map(|(_, n)| n).sum()
    }
}

/// Everything there is to see, at one moment.
#[derive(Clone, Debug)]
pub struct Snapshot {
    /// What was poured in.
    pub sources: Arc<Vec<Source>>,
    /// What is known of each source.
    pub status: Vec<SourceStatus>,
    /// What is waited for, since there is nothing yet.
    pub waiting: Vec<Problem>,
    /// Blocks at which conditions have failed, by an error of the program; their entries all pass.
    pub failing: usize,
    /// For each mesh of the sieve, the entries with which its durations could not be compared, since their numbers have
    /// no known unit.
    pub unitless: Vec<usize>,
    /// All entries in the order of time.
    pub order: Rows,
    /// The entries that fell through the whole sieve.
    pub pan: Rows,
    /// The sieve that made the pan.
    pub sieve: Sieve,
    /// The figures of the sieve.
    pub funnel: Funnel,
    /// The pan over time, without the sieve's time window.
    pub volume: Volume,
    /// The span of time that the volume was asked to be counted over; `None` for all of it.
    pub span_shown: Option<(i64, i64)>,
    /// How far the work is.
    pub progress: Progress,
    /// What the sieves beside the pan let through, in the order they were given.
    pub beside: Vec<BesideView>,
    pub(crate) lenses: [Option<LensView>; 5],
    pub(crate) blocks: Blocks,
    /// The numbers of the blocks of each source, in the order of its bytes, once they are asked for.
    pub(super) by_source: OnceLock<Vec<Vec<usize>>>,
    pub(crate) veil: Veil,
    pub(crate) windows: Arc<Windows>,
    pub(crate) across: Arc<Across>,
}

impl Snapshot {
    /// Of sources before anything was read of them.
    #[must_use]
    pub fn empty(sources: &[Source], veil: Veil) -> Self {
        veil.know(sources.iter().map(|source| source.name.clone()));
        Self {
            sources: Arc::new(sources.to_vec()),
            status: vec![SourceStatus::default(); sources.len()],
            waiting: Vec::new(),
            failing: 0,
            unitless: Vec::new(),
            order: Rows::default(),
            pan: Rows::default(),
            sieve: Sieve::default(),
            funnel: Funnel::default(),
            volume: Volume::default(),
            span_shown: None,
            progress: Progress { read: (0, 1), ..Progress::default() },
            beside: Vec::new(),
            lenses: [const { None }; 5],
            blocks: Vec::new(),
            by_source: OnceLock::new(),
            veil,
            windows: Arc::default(),
            across: Arc::default(),
        }
    }

    /// The entries of the pan source by source, in the order in which they stand there.
    #[must_use]
    pub fn pan_by_place(&self) -> Rows {
        self.pan.by_place(&self.blocks)
    }

    /// Whether everything there is has been read.
    #[must_use]
    pub fn loaded(&self) -> bool {
        self.progress.read.0 >= self.progress.read.1 && !self.progress.streaming
    }

    /// Whether nothing is left to do until something new arrives.
    #[must_use]
    pub fn settled(&self) -> bool {
        self.loaded()
            && self.progress.sifted.0 == self.progress.sifted.1
            && self.lenses.iter().flatten().all(|lens| lens.done)
            && self.beside.iter().all(|beside| beside.done)
    }

    /// What a lens has found.
    #[must_use]
    pub fn lens(&self, lens: Lens) -> Option<&LensView> {
        self.lenses[lens as usize].as_ref()
    }

    /// What has arrived until now, for a sweep; `at` is the moment in nanoseconds UTC.
    #[must_use]
    pub fn arrival(&self, at: i64) -> Arrival {
        Arrival::new(self.blocks.iter().map(|block| (block.life, arrived(block))), at)
    }

    /// The same without what has arrived in streams, which begin with us.
    #[must_use]
    pub fn arrival_in_files(&self, at: i64) -> Arrival {
        let stream = |block: &Block| self.sources[block.source.index()].origin == Origin::Stdin;
        let len = |block: &Arc<Block>| (block.life, if stream(block) { 0 } else { arrived(block) });
        Arrival::new(self.blocks.iter().map(len), at)
    }

    /// What has arrived without the last entry of each source, which may go on.
    #[must_use]
    pub fn arrival_but_last(&self, at: i64) -> Arrival {
        let mut lens: Vec<(u32, usize)> =
            self.blocks.iter().map(|block| (block.life, arrived(block))).collect();
        // The last block of each source, in the order of its places.
        let mut last: Vec<Option<(u64, usize)>> = vec![None; self.sources.len()];
        for (number, block) in self.blocks.iter().enumerate().filter(|(at, _)| lens[*at].1 > 0) {
            let of = &mut last[block.source.index()];
            *of = (*of).max(Some((block.place, number)));
        }
        last.into_iter().flatten().for_each(|(_, number)| lens[number].1 -= 1);
        Arrival::new(lens.into_iter(), at)
    }

    /// The entries of the pan that arrived between two moments, in the order of time. Cost: the entries that
    /// arrived.
    #[must_use]
    pub fn arrived_between(&self, from: &Arrival, to: &Arrival) -> Vec<EntryId> {
        let new = |(number, block): (usize, &Arc<Block>)| {
            let until = to.of_block(number, block.life).min(block.len());
            (from.of_block(number, block.life)..until).map(move |index| EntryId::new(number, index))
        };
        let arrived = self.blocks.iter().enumerate().flat_map(new);
        let mut passed: Vec<EntryId> =
            arrived.filter(|id| self.pan.get(self.row_of(*id)) == Some(*id)).collect();
        passed.sort_by_key(|id| key(&self.blocks, *id));
        passed
    }

    /// The first and the last time of all entries.
    #[must_use]
    pub fn span(&self) -> Option<(i64, i64)> {
        self.status
            .iter()
            .filter_map(|status| status.span)
            .reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    }

    /// The time that an entry is ordered by.
    #[must_use]
    pub fn time(&self, id: EntryId) -> Option<i64> {
        let time = self.block(id)?.time(id.index());
        (time != NO_TIME).then_some(time)
    }

    /// An entry's severity.
    #[must_use]
    pub fn severity(&self, id: EntryId) -> Option<Severity> {
        self.block(id)?.severity(id.index())
    }

    /// The number of an entry's source.
    #[must_use]
    pub fn source_of(&self, id: EntryId) -> usize {
        self.block(id).map_or(0, |block| block.source.index())
    }

    /// Whether the sieve lets an entry through.
    #[must_use]
    pub fn is_in_pan(&self, id: EntryId) -> bool {
        self.pan.get(self.row_of(id)) == Some(id)
    }

    /// The row of the pan that an entry stands in, or that the entry before it would leave free.
    #[must_use]
    pub fn row_of(&self, id: EntryId) -> usize {
        if self.block(id).is_none() {
            return 0;
        }
        self.pan.lower_bound(&self.blocks, key(&self.blocks, id))
    }

    /// What an entry is ordered by.
    pub(crate) fn place_of(&self, id: EntryId) -> Option<Key> {
        self.block(id).map(|_| key(&self.blocks, id))
    }

    /// The first row of the pan at or after a time.
    #[must_use]
    pub fn row_at(&self, time: i64) -> usize {
        self.pan
            .lower_bound(&self.blocks, (time, crate::source::SourceId(0), 0, EntryId::new(0, 0)))
    }

    /// Reads an entry for a row on the desk.
    ///
    /// # Errors
    ///
    /// When its source can't be read, or has become shorter.
    pub fn row(&self, id: EntryId) -> io::Result<Shown> {
        self.read(id, limits::ROW_BYTES)
    }

    /// Reads an entry for the inspector.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn inspect(&self, id: EntryId) -> io::Result<Shown> {
        let mut shown = self.read(id, limits::INSPECT_BYTES)?;
        if shown.exchange.is_none()
            && let Ok(Some(exchange)) = self.counterpart_of(id)
        {
            shown.join(exchange);
        }
        Ok(shown)
    }

    /// The same as it may leave the desk.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn inspect_to_share(&self, id: EntryId) -> io::Result<Shown<Anyone>> {
        self.read(id, limits::INSPECT_BYTES)
    }

    /// The first physical line of an entry, from 1.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn line(&self, id: EntryId) -> io::Result<u64> {
        let block = self.block(id).ok_or(io::ErrorKind::NotFound)?;
        let lines = self.windows.lines_before(id.block(), block, block.start(id.index()))?;
        Ok(block.line_after(lines))
    }

    /// The entry's bytes as text under the veil.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn raw(&self, id: EntryId) -> io::Result<Clean<'static>> {
        let (block, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        Ok(self.veil.over(&entry, Some(block.place(id.index()))).raw().into_owned())
    }

    /// Whether an entry may be shown without the veil, since the program was started so.
    #[must_use]
    pub fn may_reveal(&self) -> bool {
        self.veil.reveals()
    }

    /// The entry's bytes without the veil; nothing where the program was not started for that.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn reveal(&self, id: EntryId) -> io::Result<Option<Revealed>> {
        if !self.may_reveal() {
            return Ok(None);
        }
        let (_, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        Ok(self.veil.reveal(&bytes))
    }

    /// The same as it may leave the desk.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn raw_to_share(&self, id: EntryId) -> io::Result<Shareable<'static>> {
        let (block, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        Ok(self.veil.over(&entry, Some(block.place(id.index()))).raw().into_owned())
    }

    /// A text that the desk shows of an entry, as it may leave the desk.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn to_share(&self, id: EntryId, text: &str) -> io::Result<Shareable<'static>> {
        let (block, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        Ok(self.veil.over(&entry, Some(block.place(id.index()))).text(text.into()).into_owned())
    }

    /// The condition that finds all entries with an id of this entry: the best one, or one of a kind.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn id_expr(&self, id: EntryId, kind: Option<&str>) -> io::Result<Option<Expr>> {
        let (block, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        let ids = sorted_ids(&entry);
        let chosen = ids.into_iter().find(|(k, _)| kind.is_none_or(|want| want == *k));
        // A hidden id is found by its stand-in.
        let veiled = self.veil.over::<Desk>(&entry, Some(block.place(id.index())));
        Ok(chosen.map(|(_, value)| Expr::Id(veiled.text(value.into()).as_str().to_owned())))
    }

    /// The program's own text, or a person's, where a clean one is asked for.
    #[must_use]
    pub fn own_text(&self, text: &str) -> Clean<'static> {
        self.veil.typed(text)
    }

    /// The same for either audience.
    #[must_use]
    pub fn own_text_for<A: Audience>(&self, text: &str) -> Text<'static, A> {
        self.veil.typed(text)
    }

    /// The same for what leaves the desk.
    #[must_use]
    pub fn own_text_to_share(&self, text: &str) -> Shareable<'static> {
        self.veil.typed(text)
    }

    /// Where secrets stand in a text that a person types, in bytes, in their order.
    #[must_use]
    pub fn secrets_in(&self, text: &str) -> Vec<std::ops::Range<usize>> {
        self.veil.secrets_in(text)
    }

    /// Whether a word that a person typed stands in the entry only where it is hidden. It is then hidden from
    /// [`Snapshot::own_text`] and [`Snapshot::label`] as well.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn hides(&self, id: EntryId, word: &str) -> io::Result<bool> {
        let (block, bytes, _) = self.bytes(id, limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        Ok(self.veil.over::<Desk>(&entry, Some(block.place(id.index()))).hides(word))
    }

    /// How many sources have entries that a lens has found.
    #[must_use]
    pub fn sources_in(&self, lens: &LensView) -> usize {
        let mut seen = vec![false; self.sources.len()];
        for (bits, block) in lens.bits.iter().zip(&self.blocks) {
            if bits.as_ref().is_some_and(|bits| bits.count() > 0) {
                seen[block.source.index()] = true;
            }
        }
        seen.iter().filter(|is| **is).count()
    }

    /// The first entries that a lens has found, in the order of time, held back or not.
    #[must_use]
    pub fn first_found(&self, lens: &LensView, most: usize) -> Vec<EntryId> {
        let chunks = self.order.chunks().iter().zip(&lens.sets);
        let all = chunks.flat_map(|(chunk, set)| set.iter().map(|at| chunk.ids()[at]));
        all.take(most).collect()
    }

    /// The row of the pan nearest to a row, after it or before it, that a lens has found; after the last it
    /// goes on with the first.
    #[must_use]
    pub fn next_found(&self, lens: &LensView, from: usize, forwards: bool) -> Option<usize> {
        let found = |row| self.pan.get(row).filter(|id| lens.has(*id)).map(|_| row);
        let next = |from| self.pan.next_in(&lens.sets, from, forwards);
        let last = self.pan.len().checked_sub(1)?;
        let edge = if forwards { 0 } else { last };
        next(from.min(last)).or_else(|| found(edge)).or_else(|| next(edge))
    }

    /// A mesh as it may be shown.
    #[must_use]
    pub fn label(&self, mesh: &Mesh) -> Clean<'static> {
        self.veil.typed(&mesh.to_string())
    }

    /// The same for what leaves the desk.
    #[must_use]
    pub fn label_to_share(&self, mesh: &Mesh) -> Shareable<'static> {
        self.veil.typed(&mesh.to_string())
    }

    /// The same snapshot, where what tells who somebody is may leave the desk as it is seen there.
    #[must_use]
    pub fn sharing_personal(&self) -> Self {
        let policy = self.veil.policy().sharing_personal();
        Self { veil: self.veil.clone().with_policy(policy), ..self.clone() }
    }

    pub(crate) fn block(&self, id: EntryId) -> Option<&Arc<Block>> {
        self.blocks.get(id.block()).filter(|block| id.index() < block.len())
    }

    fn read<A: Audience>(&self, id: EntryId, limit: usize) -> io::Result<Shown<A>> {
        let (block, bytes, cut) = self.bytes(id, limit)?;
        let mut shown = Shown::of(id, block, &self.veil, (&bytes, cut))?;
        // What can't be read of the other half is missed there, not here.
        if let Ok(Some(exchange)) = self.exchange_of(id) {
            shown.join(exchange);
        }
        Ok(shown)
    }

    /// The bytes of an entry, at most about `limit` of them; the flag says that it has more.
    fn bytes(&self, id: EntryId, limit: usize) -> io::Result<(&Block, Vec<u8>, bool)> {
        let block = self.block(id).ok_or(io::ErrorKind::NotFound)?;
        let mut read = |range, out: &mut Vec<u8>| self.windows.read(id.block(), block, range, out);
        let (bytes, cut) = block.read_by(id.index(), limit, &mut read)?;
        Ok((block, bytes, cut))
    }
}

/// The entries of a block that have arrived whole: not a line without its end.
fn arrived(block: &Arc<Block>) -> usize {
    if block.growing { 0 } else { block.len() }
}
