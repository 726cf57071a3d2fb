//! Conditions and the bits they have for each block: what is asked for is computed in the background, kept
//! for a while when it is not asked for any more, and computed again when a block changes.

use std::{
    collections::HashMap,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
};

use super::{
    across::Across,
    jobs::{Job, Workers},
    sets::{Along, all_of},
};
use crate::{
    query::{Expr, Judged, Needs, Predicate},
    sieve::{Arrival, Kind, Mesh, Sieve},
    source::Source,
    store::{Bits, Block, Blocks, Rows},
};

/// Conditions whose bits are kept although they are not in use, so that undo finds them.
const KEPT: usize = 32;

/// Those of them that stay laid out along the order, so that undo is at once.
const LAID_OUT: usize = 8;

/// What a condition's bits depend on; equal keys have equal bits.
pub(super) type Key = Arc<str>;

/// What decides about an entry.
enum Judge {
    Predicate(Arc<Predicate>, Needs),
    /// Whether it arrived later.
    Since(Arrival),
}

/// The bits of one condition over all blocks.
pub(super) struct Judgement {
    judge: Judge,
    pub(super) bits: Vec<Option<Arc<Bits>>>,
    /// How often the bits of each block have changed.
    versions: Vec<u32>,
    along: Along,
    pending: Vec<bool>,
    /// Blocks before this one have bits, or are being judged.
    next: usize,
    /// Blocks at which the condition failed.
    failed: usize,
    /// Entries of each block with which a duration could not be compared, where there are any.
    unitless: HashMap<usize, usize>,
    cancelled: Arc<AtomicBool>,
    used: u64,
}

impl Judgement {
    /// The bits along the order, as far as they were asked for.
    pub(super) fn sets(&self) -> impl Iterator<Item = &Arc<Bits>> + '_ {
        self.along.sets()
    }
}

#[derive(Default)]
pub(super) struct Judgements {
    /// Jobs that workers have.
    in_flight: usize,
    by_key: HashMap<Key, Judgement>,
    clock: u64,
}

impl Judgements {
    /// Makes sure that the bits of a mesh are there or on their way. Times that count back from the end count
    /// from `last`.
    pub(super) fn mesh(&mut self, mesh: &Mesh, last: Option<i64>) -> Key {
        match (&mesh.kind, mesh.expr()) {
            (Kind::Swept(arrival), _) => {
                let key = Key::from(format!("swept {}", arrival.at()));
                self.require(&key, || Judge::Since(arrival.clone()));
                key
            }
            (_, Some(expr)) => self.expr(last.and_then(|last| expr.slid(last)).unwrap_or(expr)),
            (_, None) => Key::from(""),
        }
    }

    /// The same for an expression.
    pub(super) fn expr(&mut self, expr: Expr) -> Key {
        // A clock time is fixed when it is entered: the same text may mean another instant.
        let key = Key::from(format!("{expr:?}"));
        self.require(&key, || {
            let needs = Needs::of(&expr);
            Judge::Predicate(Arc::new(Predicate::new(expr)), needs)
        });
        key
    }

    /// The keys of all meshes of a sieve.
    pub(super) fn sieve(&mut self, sieve: &Sieve, last: Option<i64>) -> Vec<Key> {
        sieve.meshes.iter().map(|mesh| self.mesh(mesh, last)).collect()
    }

    fn require(&mut self, key: &Key, judge: impl FnOnce() -> Judge) {
        self.clock += 1;
        let judgement = self.by_key.entry(Arc::clone(key)).or_insert_with(|| Judgement {
            judge: judge(),
            bits: Vec::new(),
            versions: Vec::new(),
            along: Along::default(),
            pending: Vec::new(),
            next: 0,
            failed: 0,
            unitless: HashMap::new(),
            cancelled: Arc::default(),
            used: 0,
        });
        judgement.used = self.clock;
    }

    pub(super) fn get(&self, key: &Key) -> Option<&Judgement> {
        self.by_key.get(key)
    }

    /// Whether a condition is known for so many blocks.
    pub(super) fn is_known(&self, key: &Key, blocks: usize) -> bool {
        self.by_key.get(key).is_some_and(|judgement| {
            judgement.bits.len() == blocks && judgement.bits.iter().all(Option::is_some)
        })
    }

    /// Whether a block has been judged by a condition.
    pub(super) fn has(&self, key: &Key, number: usize) -> bool {
        let known = self.by_key.get(key).and_then(|judgement| judgement.bits.get(number));
        known.is_some_and(Option::is_some)
    }

    /// Stops work on conditions that are no longer asked for, and drops the oldest of them.
    pub(super) fn forget(&mut self, used: &[Key]) {
        let mut idle: Vec<(u64, Key)> = Vec::new();
        for (key, judgement) in &mut self.by_key {
            if used.contains(key) {
                continue;
            }
            idle.push((judgement.used, Arc::clone(key)));
            if judgement.pending.contains(&true) {
                judgement.cancelled.store(true, Ordering::Relaxed);
                judgement.cancelled = Arc::default();
                judgement.pending.fill(false);
                judgement.next = 0;
            }
        }
        idle.sort_unstable_by(|a, b| b.cmp(a));
        for (_, key) in idle.drain(KEPT.min(idle.len())..) {
            self.by_key.remove(&key);
        }
        for (_, key) in idle.drain(LAID_OUT.min(idle.len())..) {
            if let Some(judgement) = self.by_key.get_mut(&key) {
                judgement.along = Along::default();
            }
        }
    }

    /// Whether a worker is at it, or will be.
    pub(super) fn busy(&self) -> bool {
        self.in_flight > 0
    }

    /// Queues what is missing of the conditions in use, as far as the workers can soon get to it. Cost: the
    /// blocks that are queued.
    pub(super) fn queue(
        &mut self,
        used: &[Key],
        blocks: &Blocks,
        sources: &Arc<Vec<Source>>,
        across: &Arc<Across>,
        workers: &Workers,
    ) {
        let most = workers.count * 8;
        for key in used {
            let Some(judgement) = self.by_key.get_mut(key) else { continue };
            judgement.bits.resize(blocks.len(), None);
            judgement.versions.resize(blocks.len(), 0);
            judgement.pending.resize(blocks.len(), false);
            while judgement.next < blocks.len() && self.in_flight < most {
                let number = judgement.next;
                let block = &blocks[number];
                judgement.next += 1;
                if judgement.bits[number].is_some() || judgement.pending[number] {
                    continue;
                }
                match &judgement.judge {
                    Judge::Since(arrival) => {
                        let mut bits = Bits::none(block.len());
                        (arrival.of_block(number, block.life)..block.len())
                            .for_each(|index| bits.set(index));
                        judgement.set(number, bits);
                    }
                    Judge::Predicate(predicate, needs) => {
                        judgement.pending[number] = true;
                        self.in_flight += 1;
                        workers.queue(Job::Judge {
                            key: Arc::clone(key),
                            predicate: Arc::clone(predicate),
                            number,
                            block: Arc::clone(block),
                            source: Arc::clone(sources),
                            across: needs.any().then(|| Arc::clone(across)),
                            cancelled: Arc::clone(&judgement.cancelled),
                        });
                    }
                }
            }
        }
    }

    /// Takes a worker's result; `failed` says that the condition could not be judged, and holds everywhere.
    pub(super) fn take(&mut self, key: &Key, number: usize, judged: Judged, failed: bool) {
        self.in_flight -= 1;
        if let Some(judgement) = self.by_key.get_mut(key) {
            judgement.pending[number] = false;
            judgement.failed += usize::from(failed);
            match judged.unitless() {
                0 => drop(judgement.unitless.remove(&number)),
                count => drop(judgement.unitless.insert(number, count)),
            }
            judgement.set(number, judged.passed);
        }
    }

    /// A result came that is of no use: the job was cancelled, or the block has become another one.
    pub(super) fn dropped(&mut self, key: &Key, number: usize) {
        self.in_flight -= 1;
        if let Some(judgement) = self.by_key.get_mut(key)
            && judgement.bits.get(number).is_some_and(Option::is_none)
        {
            judgement.pending[number] = false;
            judgement.next = judgement.next.min(number);
        }
    }

    /// How many blocks the conditions in use have failed at.
    pub(super) fn failing(&self, used: &[Key]) -> usize {
        used.iter().filter_map(|key| self.by_key.get(key)).map(|judgement| judgement.failed).sum()
    }

    /// With how many entries the durations of a condition could not be compared, since their numbers have no known unit.
    pub(super) fn unitless(&self, key: &Key) -> usize {
        self.by_key.get(key).map_or(0, |judgement| judgement.unitless.values().sum())
    }

    /// A block is another one now.
    pub(super) fn block_changed(&mut self, number: usize) {
        for judgement in self.by_key.values_mut() {
            if let Some(bits) = judgement.bits.get_mut(number) {
                *bits = None;
                judgement.versions[number] += 1;
                judgement.pending[number] = false;
                judgement.next = judgement.next.min(number);
            }
        }
    }

    /// Something else is known of all blocks: conditions that ask for it are judged again, where it differs.
    pub(super) fn across_changed(&mut self, old: &Across, new: &Across, blocks: &Blocks) {
        let needs = |judgement: &Judgement| match &judgement.judge {
            Judge::Predicate(_, needs) => *needs,
            Judge::Since(_) => Needs::default(),
        };
        let any = self.by_key.values().any(|judgement| needs(judgement).any());
        let differs = |(number, block): (usize, &Arc<Block>)| new.differs(old, number, block);
        let differs: Vec<_> = blocks.iter().enumerate().filter(|_| any).map(differs).collect();
        for judgement in self.by_key.values_mut() {
            let needs = needs(judgement);
            for (number, (runs, exchanges)) in differs.iter().enumerate() {
                if !(needs.runs && *runs || needs.exchanges && *exchanges) {
                    continue;
                }
                if let Some(bits) = judgement.bits.get_mut(number) {
                    *bits = None;
                    judgement.versions[number] += 1;
                    judgement.pending[number] = false;
                    judgement.next = judgement.next.min(number);
                }
            }
        }
    }

    /// Lays the bits of some conditions out along the order.
    pub(super) fn lay_out<'k>(&mut self, keys: impl Iterator<Item = &'k Key>, order: &Rows) {
        for key in keys {
            if let Some(Judgement { along, versions, bits, .. }) = self.by_key.get_mut(key) {
                let version = |block: usize| versions.get(block).copied().unwrap_or(0);
                along.update(order, version, |block: usize| bits.get(block)?.as_deref());
            }
        }
    }

    /// The entries that pass all of some conditions, which must have been laid out.
    pub(super) fn all<'k>(&self, keys: impl Iterator<Item = &'k Key>, order: &Rows) -> Vec<Bits> {
        let along: Vec<&Along> =
            keys.filter_map(|key| self.by_key.get(key)).map(|judgement| &judgement.along).collect();
        all_of(order, &along)
    }
}

impl Judgement {
    fn set(&mut self, number: usize, bits: Bits) {
        self.bits[number] = Some(Arc::new(bits));
        self.versions[number] += 1;
    }
}
