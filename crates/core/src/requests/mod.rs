//! Every id of a kind as a request: when it began, how long it took, how it ended.
//!
//! One walk along the order of time over the index of ids: no entry is read. A request is
//! measured by all of its entries, those that the sieve holds back among them; the pan only chooses which are
//! listed.

mod durations;
mod texts;

pub(crate) use durations::percentile;
pub use durations::{Bucket, Durations};
pub use texts::{RequestText, Texts};

use crate::{
    engine::{Pass, Snapshot},
    entry::{
        IdKey, Level, Severity,
        ids::{self, ByKey, KINDS},
    },
    store::{Block, EntryId, IdColumn, NO_TIME},
};

/// Entries after which a pass looks whether it was ended.
const LOOK: usize = 1 << 16;

/// The entries that have one id.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Request {
    /// What tells its id from others.
    pub key: IdKey,
    /// Its first entry in the order of time.
    pub first: EntryId,
    /// The entry before which the longest wait lies; the first where there is none.
    pub slowest: EntryId,
    /// When it began, in nanoseconds UTC; [`NO_TIME`] where none of its entries has a time.
    start: i64,
    /// When it ended: when it was answered, where an entry with a status says how long that took; else the time of its
    /// last entry.
    end: i64,
    /// The longest wait between two of its entries until it was answered, in nanoseconds.
    pub wait: i64,
    /// How many entries have the id.
    pub entries: u32,
    /// How many of them are in the pan.
    pub in_pan: u32,
    /// A bit for each source, the number of the source modulo 64.
    sources: u64,
    /// The gravest level among its entries.
    pub worst: Option<Level>,
    /// The status that it ended with: that of the entry that tells the longest duration, else the last.
    pub status: Option<u16>,
    last: i64,
    /// The longest duration that an entry tells.
    told: Option<Told>,
    /// When it was answered, where that is known.
    until: i64,
}

/// Whether something that lasted so long began with a request: it is the whole of it.
pub(crate) fn covers(from: i64, to: i64, start: i64) -> bool {
    from.saturating_sub(start) <= to.saturating_sub(from) / 20
}

impl Request {
    fn new(key: IdKey, first: EntryId) -> Self {
        Self {
            key,
            first,
            slowest: first,
            start: NO_TIME,
            end: NO_TIME,
            wait: 0,
            entries: 0,
            in_pan: 0,
            sources: 0,
            worst: None,
            status: None,
            last: NO_TIME,
            told: None,
            until: i64::MAX,
        }
    }

    /// When it began, in nanoseconds UTC, where any of its entries has a time.
    #[must_use]
    pub fn start(&self) -> Option<i64> {
        (self.start != NO_TIME).then_some(self.start)
    }

    /// From the beginning to the end, in nanoseconds.
    #[must_use]
    pub fn duration(&self) -> Option<i64> {
        Some(self.end.saturating_sub(self.start()?))
    }

    /// How many sources have entries of it.
    #[must_use]
    pub fn sources(&self) -> u32 {
        self.sources.count_ones()
    }

    /// Takes its next entry in the order of time.
    fn take(&mut self, id: EntryId, block: &Block) {
        let time = block.time(id.index());
        self.entries += 1;
        self.sources |= 1 << (block.source.index() % 64);
        self.worst = self.worst.max(block.severity(id.index()).map(Severity::level));
        if time == NO_TIME {
            return;
        }
        if self.start == NO_TIME {
            (self.start, self.end, self.last) = (time, time, time);
            self.until = self.answered().map_or(i64::MAX, |(_, to)| to);
        }
        // What comes after the answer was not waited for.
        if time - self.last > self.wait && time <= self.until {
            self.wait = time - self.last;
            self.slowest = id;
        }
        self.last = time;
        self.end = self.end.max(time);
    }

    /// Takes in what an entry says of how it ended: with a status of HTTP, or 0, and after so many seconds.
    fn ended(&mut self, status: u16, took: f32, time: i64) {
        #[expect(
            clippy::cast_possible_truncation,
            reason = "a saturating conversion of nanoseconds"
        )]
        let took = (f64::from(took.max(0.0)) * 1e6).round() as i64 * 1_000;
        let longest = self.told.map_or(-1, |told| told.took);
        if status > 0 && (took > longest || self.status.is_none()) {
            self.status = Some(status);
        }
        if took > longest.max(0) && time != NO_TIME {
            self.told = Some(Told { time, took, answered: status > 0 });
        }
    }

    /// From when to when the longest duration lasted that an entry tells, where that is from the beginning to the
    /// answer. Some programs stamp a request with the time at which it came in and some with that of the answer: with
    /// that of the answer where other entries stand before it.
    fn answered(&self) -> Option<(i64, i64)> {
        let told = self.told.filter(|told| told.answered)?;
        let (from, to) = told.span(self.start);
        covers(from, to, self.start.min(from)).then_some((from, to))
    }

    /// All of its entries have been seen.
    fn settle(&mut self) {
        match (self.answered(), self.told) {
            (Some((from, to)), _) => (self.start, self.end) = (self.start.min(from), to),
            (None, Some(told)) => self.end = self.end.max(told.span(self.start).1),
            (None, None) => {}
        }
    }
}

/// What an entry tells of how long something took.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Told {
    /// The time of the entry.
    time: i64,
    took: i64,
    /// It tells a status as well.
    answered: bool,
}

impl Told {
    /// From when to when that was, in a request whose first entry has a time.
    fn span(self, start: i64) -> (i64, i64) {
        match self.time <= start {
            true => (self.time, self.time.saturating_add(self.took)),
            false => (self.time.saturating_sub(self.took), self.time),
        }
    }
}

/// All requests of a kind.
#[derive(Clone, Debug)]
pub struct Requests {
    /// The kind of their ids.
    pub kind: &'static str,
    /// The requests in the order in which they began.
    pub rows: Vec<Request>,
}

/// What a list of requests is ordered by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SortBy {
    /// When they began.
    Start,
    /// How long they took.
    Duration,
    /// The longest wait.
    Wait,
    /// How many entries they have.
    Entries,
    /// How many sources they have entries in.
    Sources,
    /// The gravest level.
    Level,
    /// The status.
    Status,
    /// The id, as a text: its requests must be read ([`Texts`]).
    Id,
    /// What the first step says, which must be read.
    First,
    /// What the step says that was waited for longest, which must be read.
    Slowest,
}

impl SortBy {
    /// Whether it orders by what must be read of each request.
    #[must_use]
    pub fn is_text(self) -> bool {
        matches!(self, Self::Id | Self::First | Self::Slowest)
    }
}

impl Requests {
    /// Finds all requests of a kind ([`crate::engine::id_kinds`]). `None` when the pass was ended. Cost: the bytes of
    /// blocks whose ids are not known, and a walk over the index; about 80 bytes a request, and twelve for each
    /// block in which it has entries.
    ///
    /// # Panics
    ///
    /// Never: an unknown kind is the last of all.
    #[must_use]
    pub fn find(snapshot: &Snapshot, kind: &str, pass: &Pass) -> Option<Self> {
        snapshot.identify(pass)?;
        let number = ids::number_of(kind);
        let mut found = Finding::new(snapshot, number);
        found.ended();
        found.walk(snapshot.order.iter_from(0), pass, &mut |request, id, block| {
            request.take(id, block);
        })?;
        if snapshot.pan.len() == snapshot.order.len() {
            found.rows.iter_mut().for_each(|request| request.in_pan = request.entries);
        } else {
            found
                .walk(snapshot.pan.iter_from(0), pass, &mut |request, _, _| request.in_pan += 1)?;
        }
        found.rows.iter_mut().for_each(Request::settle);
        found.rows.sort_unstable_by_key(|request| (request.start, request.first));
        Some(Self { kind: KINDS[number], rows: found.rows })
    }

    /// The kind of id that most requests of the intake go by: the best one of those that entries have. `None` when
    /// the pass was ended, or no entry has an id. Cost: as [`Snapshot::identify`].
    #[must_use]
    pub fn usual_kind(snapshot: &Snapshot, pass: &Pass) -> Option<&'static str> {
        snapshot.identify(pass)?;
        let mut counts = [0usize; KINDS.len()];
        for column in snapshot.blocks.iter().filter_map(|block| block.ids.get()) {
            (0..KINDS.len()).for_each(|kind| counts[kind] += column.of_kind(kind).len());
        }
        let most = counts.iter().copied().max().filter(|most| *most > 0)?;
        // One that hardly occurs beside others is that of some other program.
        KINDS.iter().zip(counts).find(|(_, count)| *count * 20 >= most).map(|(kind, _)| *kind)
    }

    /// Those that have entries in the pan, the numbers of their rows sorted; by start, where the order is that of texts.
    #[must_use]
    pub fn sorted(&self, by: SortBy, descending: bool) -> Vec<u32> {
        let rows = (0u32..).zip(&self.rows).filter(|(_, request)| request.in_pan > 0);
        let mut rows: Vec<u32> = rows.map(|(row, _)| row).collect();
        let value = |row: u32| -> i64 {
            let request = &self.rows[row as usize];
            match by {
                SortBy::Start | SortBy::Id | SortBy::First | SortBy::Slowest => request.start,
                SortBy::Duration => request.duration().unwrap_or(-1),
                SortBy::Wait => request.wait,
                SortBy::Entries => request.entries.into(),
                SortBy::Sources => request.sources().into(),
                SortBy::Level => {
                    request.worst.map_or(-1, |level| i64::try_from(level.index()).unwrap_or(0))
                }
                SortBy::Status => request.status.map_or(-1, i64::from),
            }
        };
        if descending {
            rows.sort_by_cached_key(|row| std::cmp::Reverse(value(*row)));
        } else {
            rows.sort_by_cached_key(|row| value(*row));
        }
        rows
    }

    /// The request of an id.
    #[must_use]
    pub fn of(&self, key: IdKey) -> Option<&Request> {
        self.rows.iter().find(|request| request.key == key)
    }
}

/// Requests while they are found.
struct Finding<'s> {
    snapshot: &'s Snapshot,
    kind: usize,
    rows: Vec<Request>,
    /// For each block the rows of its ids of the kind.
    of_block: Vec<Box<[u32]>>,
}

impl<'s> Finding<'s> {
    fn new(snapshot: &'s Snapshot, kind: usize) -> Self {
        let mut known: ByKey<IdKey, u32> = ByKey::default();
        let mut rows: Vec<Request> = Vec::new();
        let of_block = snapshot.blocks.iter().map(|block| {
            let Some(column) = block.ids.get() else { return Box::default() };
            let keys = column.of_kind(kind).map(|id| column.key(id));
            let numbers = keys.map(|key| {
                *known.entry(key).or_insert_with(|| {
                    rows.push(Request::new(key, EntryId::new(0, 0)));
                    u32::try_from(rows.len() - 1).unwrap_or(u32::MAX)
                })
            });
            numbers.collect()
        });
        let of_block = of_block.collect();
        Self { snapshot, kind, rows, of_block }
    }

    /// Hands over each entry that has ids of the kind, with its requests. `None` when the pass was ended.
    fn walk(
        &mut self,
        entries: impl Iterator<Item = EntryId>,
        pass: &Pass,
        hand: &mut dyn FnMut(&mut Request, EntryId, &Block),
    ) -> Option<()> {
        let mut columns: Vec<Option<&IdColumn>> = vec![None; self.snapshot.blocks.len()];
        for (number, block) in self.snapshot.blocks.iter().enumerate() {
            columns[number] = block.ids.get();
        }
        for (at, id) in entries.enumerate() {
            if at % LOOK == 0 && pass.is_cancelled() {
                return None;
            }
            let Some(column) = columns[id.block()] else { continue };
            let range = column.of_kind(self.kind);
            for number in column.ids(id.index()).filter(|number| range.contains(number)) {
                let row = self.of_block[id.block()][number - range.start] as usize;
                let request = &mut self.rows[row];
                if request.entries == 0 {
                    (request.first, request.slowest) = (id, id);
                }
                hand(request, id, &self.snapshot.blocks[id.block()]);
            }
        }
        Some(())
    }

    /// Takes in what entries say of how requests ended.
    fn ended(&mut self) {
        for (number, block) in self.snapshot.blocks.iter().enumerate() {
            let Some(column) = block.ids.get() else { continue };
            let range = column.of_kind(self.kind);
            for (index, outcome) in column.outcomes() {
                for id in column.ids(index).filter(|id| range.contains(id)) {
                    let row = self.of_block[number][id - range.start] as usize;
                    self.rows[row].ended(outcome.status, outcome.took, block.time(index));
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// From when to when a request lasts whose entries have these times, and of which some tell how something ended.
    fn lasted(times: &[i64], told: &[(i64, u16, f32)]) -> (i64, i64, Option<u16>) {
        let id = EntryId::new(0, 0);
        let mut request = Request::new(IdKey(1), id);
        told.iter().for_each(|(time, status, took)| request.ended(*status, *took, *time));
        let (first, last) = (times[0], times[times.len() - 1]);
        (request.start, request.end, request.last) = (first, last, last);
        request.settle();
        (request.start, request.end, request.status)
    }

    #[test]
    fn a_request_takes_until_its_answer() {
        const S: i64 = 1_000_000_000;
        for (name, times, told, want) in [
            ("nothing is told", &[0, 5 * S][..], &[][..], (0, 5 * S, None)),
            (
                "stamped when it came in",
                &[0, 2 * S, 60 * S],
                &[(0, 504, 8.0)],
                (0, 8 * S, Some(504)),
            ),
            (
                "stamped with the answer",
                &[2 * S, 5 * S, 9 * S],
                &[(9 * S, 200, 8.0)],
                (S, 9 * S, Some(200)),
            ),
            ("a part of it", &[0, 3 * S, 9 * S], &[(3 * S, 0, 1.0)], (0, 9 * S, None)),
            ("a call within it", &[0, 3 * S, 9 * S], &[(3 * S, 200, 1.0)], (0, 9 * S, Some(200))),
            (
                "the longest tells the status",
                &[0, 3 * S, 9 * S],
                &[(0, 504, 9.0), (3 * S, 200, 1.0)],
                (0, 9 * S, Some(504)),
            ),
            ("it lasts beyond its entries", &[0, S], &[(0, 0, 3.0)], (0, 3 * S, None)),
        ] {
            assert_eq!(lasted(times, told), want, "{name}");
        }
    }
}
