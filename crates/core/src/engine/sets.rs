//! Sets of entries in the order of time: what makes the pan, its figures and the rail at once, however many
//! entries there are.
//!
//! Conditions are judged block by block, and blocks lie beside each other in time. Here their bits are laid
//! out along the order, a set for each of its chunks, and kept until one of the two changes.

use std::{ops::Range, sync::Arc};

use crate::{
    entry::{Level, Severity},
    store::{Bits, Blocks, Chunk, EntryId, Levels, NO_TIME, Rows},
    volume::Volume,
};

/// The bits of one condition along the order.
#[derive(Default)]
pub(super) struct Along {
    kept: Vec<(Kept, Arc<Bits>)>,
}

/// What a set was made from.
struct Kept {
    chunk: Arc<Chunk>,
    /// The sum of the versions of the chunk's blocks; each only grows.
    version: u64,
}

impl Kept {
    fn of(chunk: &Arc<Chunk>, version: impl Fn(usize) -> u32) -> Self {
        let version = chunk.blocks().map(|block| u64::from(version(block))).sum();
        Self { chunk: Arc::clone(chunk), version }
    }

    fn holds(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.chunk, &other.chunk) && self.version == other.version
    }
}

/// Brings one thing for each chunk up to date.
fn refresh<T>(
    kept: &mut Vec<(Kept, T)>,
    order: &Rows,
    version: impl Fn(usize) -> u32,
    make: impl Fn(&Chunk) -> T,
) {
    kept.truncate(order.chunks().len());
    for (number, chunk) in order.chunks().iter().enumerate() {
        let now = Kept::of(chunk, &version);
        match kept.get_mut(number) {
            Some((before, _)) if before.holds(&now) => {}
            Some(place) => *place = (now, make(chunk)),
            None => kept.push((now, make(chunk))),
        }
    }
}

impl Along {
    /// Takes in what has changed. An entry of a block that has no bits yet is in no set.
    pub(super) fn update<'b>(
        &mut self,
        order: &Rows,
        version: impl Fn(usize) -> u32,
        bits: impl Fn(usize) -> Option<&'b Bits>,
    ) {
        refresh(&mut self.kept, order, version, |chunk| {
            let mut set = Bits::none(chunk.ids().len());
            let mut last: Option<(usize, Option<&Bits>)> = None;
            for (at, id) in chunk.ids().iter().enumerate() {
                let of = match last {
                    Some((block, of)) if block == id.block() => of,
                    _ => bits(id.block()),
                };
                last = Some((id.block(), of));
                if of.is_some_and(|of| of.has(id.index())) {
                    set.set(at);
                }
            }
            Arc::new(set)
        });
    }

    pub(super) fn sets(&self) -> impl Iterator<Item = &Arc<Bits>> + '_ {
        self.kept.iter().map(|(_, set)| set)
    }
}

/// What is in all of several sets, for each chunk of the order; all entries where there is no set.
pub(super) fn all_of(order: &Rows, sets: &[&Along]) -> Vec<Bits> {
    let chunks = order.chunks().iter().enumerate();
    chunks
        .map(|(number, chunk)| {
            let mut each = sets.iter().filter_map(|along| along.kept.get(number));
            let first = each.next().map(|(_, set)| Bits::clone(set));
            let mut left = first.unwrap_or_else(|| Bits::all(chunk.ids().len()));
            each.for_each(|(_, set)| left.keep(set));
            left
        })
        .collect()
}

/// Slices of time, and which entries of a chunk fall into each.
type Slices = Vec<(usize, Range<usize>)>;

/// The levels of all entries along the order, and the slices of time that they fall into.
#[derive(Default)]
pub(super) struct LevelsAlong {
    kept: Vec<(Kept, Levels)>,
    /// For the slices that were counted last: the entries of each chunk that fall into one.
    slices: Vec<(Kept, Slices)>,
    counted: Option<(i64, i64, i64, i64)>,
}

impl LevelsAlong {
    /// Counts the entries of the sets into a volume.
    pub(super) fn count(
        &mut self,
        order: &Rows,
        blocks: &Blocks,
        sets: &[Bits],
        (first, last): (i64, i64),
        to: &mut Volume,
    ) {
        let edition = |block: usize| blocks[block].edition;
        refresh(&mut self.kept, order, edition, |chunk| {
            let level = |block: usize, index| blocks[block].severity(index).map(Severity::level);
            Levels::of(chunk.ids().iter().map(|id| level(id.block(), id.index())))
        });
        let counted = Some((to.start, to.width, first, last));
        if self.counted != counted {
            self.slices.clear();
            self.counted = counted;
        }
        let volume: &Volume = to;
        refresh(&mut self.slices, order, edition, |chunk| {
            slices(chunk.ids(), blocks, (first, last), volume)
        });
        for ((set, (_, levels)), (_, slices)) in sets.iter().zip(&self.kept).zip(&self.slices) {
            for (slice, range) in slices {
                to.add(*slice, levels.count(set, range.clone()));
            }
        }
    }
}

impl LevelsAlong {
    /// The gravest level in the sets, as far as the levels were counted along this order.
    pub(super) fn worst(&self, order: &Rows, sets: &[Bits]) -> Option<Level> {
        let mut worst = 0;
        for ((set, (_, levels)), chunk) in sets.iter().zip(&self.kept).zip(order.chunks()) {
            let counts = levels.count(set, 0..chunk.ids().len());
            worst = worst.max(counts.iter().rposition(|count| *count > 0).unwrap_or(0));
        }
        worst.checked_sub(1).map(|at| Level::ALL[at])
    }
}

/// Which entries of a chunk fall into which slice.
fn slices(ids: &[EntryId], blocks: &Blocks, (first, last): (i64, i64), volume: &Volume) -> Slices {
    let time = |id: &EntryId| blocks[id.block()].time(id.index());
    let before = |end: i64| ids.partition_point(|id| time(id) < end);
    // Entries without a time stand first.
    let mut at = before(first.max(NO_TIME + 1));
    let until = before(last.saturating_add(1));
    let mut slices = Vec::new();
    while at < until {
        let (slice, end) = volume.slice_until(time(&ids[at]));
        let end = before(end).clamp(at + 1, until);
        slices.push((slice, at..end));
        at = end;
    }
    slices
}

#[cfg(test)]
mod tests {
    use crate::{
        engine::{Engine, Options},
        entry::Level,
        query::{Context, Expr},
        sieve::{Mesh, Sieve},
        veil::Veil,
        volume::Slice,
    };

    /// Several sources that take turns in time, so that every chunk of the order has several blocks.
    #[test]
    fn sets_along_the_order_say_what_the_blocks_say() {
        let folder = tempfile::tempdir().unwrap();
        let levels = ["info", "warn", "error"];
        for source in 0..3 {
            let lines = (0..40).map(|at| {
                let (second, level) = (at * 3 + source, levels[(at * 7 + source) % 3]);
                format!("2026-03-14T06:{:02}:{:02}Z {level} n={at}\n", second / 60, second % 60)
            });
            let lines: String = lines.collect();
            std::fs::write(folder.path().join(format!("{source}.log")), lines).unwrap();
        }
        let found = crate::ingest::discover(&[folder.path().to_owned()]);
        let options = Options { volume: true, ..Options::default() };
        let engine = Engine::start(found, options, Veil::new([7; 16]), || {}).unwrap();
        let mesh = |text: &str| {
            let context =
                Context { zone: None, last: Some(1_773_470_462_000_000_000), ..Context::default() };
            Mesh::of(Expr::parse(text, &context).unwrap())
        };
        let mut sieve = Sieve::default();
        let mut shown = Vec::new();
        for text in ["level >= warn", "not n = 7", "time in 06:00:30..06:01:30", "source = 1"] {
            sieve.meshes.push(mesh(text));
            engine.set_sieve(sieve.clone());
            let snapshot = engine.wait(|s| s.sieve == sieve && s.settled());
            let ids: Vec<_> = snapshot.pan.iter_from(0).collect();
            assert!(ids.is_sorted_by_key(|id| snapshot.time(*id)));
            assert_eq!((snapshot.funnel.left(), snapshot.pan.len()), (ids.len(), ids.len()));
            // The rail leaves the window out and keeps everything else.
            let others = sieve.meshes.iter().filter(|mesh| mesh.window().is_none());
            let open = Sieve { meshes: others.cloned().collect() };
            engine.set_sieve(open.clone());
            let unwindowed = engine.wait(|s| s.sieve == open && s.settled());
            let railed: Vec<_> = unwindowed.pan.iter_from(0).collect();
            let total: Slice =
                snapshot.volume.slices.iter().fold(Slice::default(), |mut sum, s| {
                    sum.none += s.none;
                    sum.levels.iter_mut().zip(s.levels).for_each(|(sum, more)| *sum += more);
                    sum
                });
            let by = |level: Level| total.levels[level.index()];
            shown.push((ids.len(), total.total(), by(Level::Warn), by(Level::Error)));
            for slice in 0..snapshot.volume.slices.len() {
                let from =
                    snapshot.volume.start + snapshot.volume.width * i64::try_from(slice).unwrap();
                let within = |time| (from..from + snapshot.volume.width).contains(&time);
                let here = railed.iter().filter(|id| snapshot.time(**id).is_some_and(within));
                let counted = snapshot.volume.slices[slice].total() as usize;
                assert_eq!(here.count(), counted, "{text}, slice {slice}");
            }
        }
        assert_eq!(shown, [(80, 80, 40, 40), (78, 78, 39, 39), (40, 78, 39, 39), (13, 26, 14, 12)]);
    }
}
