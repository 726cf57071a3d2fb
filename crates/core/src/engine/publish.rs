//! The state at one moment, put together from what has been read and judged.

use std::sync::{Arc, OnceLock};

use super::{
    coordinator::Coordinator,
    judging::{Judgement, Key},
    snapshot::{BesideView, Lens, LensView, Progress, Snapshot},
};
use crate::{
    sieve::{Funnel, FunnelRow, Sieve, add_block, add_gives_back},
    store::{Bits, Rows},
    volume::Volume,
};

/// Slices of the volume: more than any screen has rows.
const SLICES: usize = 720;

impl Coordinator {
    /// The state as it is now. Cost: a few bits an entry, whatever the sieve does.
    pub(super) fn snapshot(&mut self) -> Snapshot {
        self.store.status.resize_with(self.schedule.sources.len(), Default::default);
        self.store.order_new();
        let used = self.questions.used();
        self.questions.judgements.lay_out(used.iter(), &self.store.order);
        // The rail's figures take as long as all others.
        let mut levels = std::mem::take(&mut self.store.levels);
        let span = self.span_of_volume().filter(|_| self.options.volume);
        let meshes = self.questions.sieve.meshes.iter().zip(&self.questions.keys);
        let unwindowed = meshes.filter(|(mesh, _)| mesh.counts() && mesh.window().is_none());
        let keys: Vec<&Key> = unwindowed.map(|(_, key)| key).collect();
        let (order, blocks, judgements) =
            (&self.store.order, &self.store.blocks, &self.questions.judgements);
        let (volume, (funnel, missing), pan) = std::thread::scope(|scope| {
            let along = &mut levels;
            let volume = span.map(|(first, last)| {
                scope.spawn(move || {
                    let mut volume = Volume::over(first, last, SLICES);
                    let left = judgements.all(keys.into_iter(), order);
                    along.count(order, blocks, &left, (first, last), &mut volume);
                    volume
                })
            });
            let (figures, pan) = (self.funnel(), self.pan());
            match volume.map(std::thread::ScopedJoinHandle::join).transpose() {
                Ok(volume) => (volume.unwrap_or_default(), figures, pan),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        });
        self.store.levels = levels;
        for (status, feed) in self.store.status.iter_mut().zip(&self.schedule.feeds) {
            status.problem = feed.problem();
            status.notes.clone_from(&feed.notes);
            status.inside = feed.begins_inside();
            status.bytes = feed.bytes();
            status.form = feed.form();
            status.clock = feed.correction();
        }
        let blocks = self.store.blocks.len();
        Snapshot {
            windows: Arc::clone(&self.windows),
            across: Arc::clone(&self.relating.across),
            sources: Arc::clone(&self.schedule.sources),
            status: self.store.status.clone(),
            waiting: self.schedule.waiting(),
            failing: self.questions.judgements.failing(&used),
            unitless: self
                .questions
                .keys
                .iter()
                .map(|key| self.questions.judgements.unitless(key))
                .collect(),
            order: self.store.order.clone(),
            sieve: self.questions.sieve.clone(),
            funnel,
            volume,
            span_shown: self.questions.span,
            progress: Progress {
                read: self.schedule.bytes(),
                sifted: (blocks - missing, blocks),
                identified: self.identifying.progress(&self.store.blocks),
                streaming: self.schedule.pending(),
            },
            beside: self.beside(),
            lenses: Lens::ALL.map(|lens| self.lens(lens, &pan)),
            pan,
            blocks: self.store.blocks.clone(),
            by_source: OnceLock::new(),
            veil: self.veil.clone(),
        }
    }

    /// The figures of the sieve, and how many blocks have not been judged by all meshes yet.
    fn funnel(&self) -> (Funnel, usize) {
        let meshes = self.questions.sieve.meshes.iter().zip(&self.questions.keys);
        // Nothing for a mesh that does not count.
        let judged: Vec<Option<Option<&Judgement>>> = meshes
            .map(|(mesh, key)| mesh.counts().then(|| self.questions.judgements.get(key)))
            .collect();
        let bits_of = |number: usize, into: &mut Vec<Option<_>>| {
            into.clear();
            judged.iter().all(|mesh| {
                let bits = mesh.map(|judgement| judgement?.bits.get(number)?.as_deref());
                into.push(bits.flatten());
                bits.is_none_or(|bits| bits.is_some())
            })
        };
        let mut funnel = Funnel::default();
        let mut missing = 0;
        let mut bits = Vec::new();
        for (number, block) in self.store.blocks.iter().enumerate() {
            if bits_of(number, &mut bits) {
                add_block(&mut funnel, &self.questions.sieve, block.len(), &bits, || {
                    block.unlevelled().clone()
                });
            } else {
                missing += 1;
                funnel.poured += block.len();
            }
        }
        funnel.rows.resize(self.questions.sieve.meshes.len(), FunnelRow::default());
        if funnel.left() == 0 && missing == 0 {
            for (number, block) in self.store.blocks.iter().enumerate() {
                if bits_of(number, &mut bits) {
                    add_gives_back(&mut funnel, block.len(), &bits);
                }
            }
        }
        (funnel, missing)
    }

    /// The entries that all meshes let through.
    fn pan(&self) -> Rows {
        let on = self
            .questions
            .sieve
            .meshes
            .iter()
            .zip(&self.questions.keys)
            .filter(|(mesh, _)| mesh.counts());
        let mut keys = on.map(|(_, key)| key).peekable();
        if keys.peek().is_none() {
            return self.store.order.clone();
        }
        self.store.order.sifted(self.questions.judgements.all(keys, &self.store.order))
    }

    /// What the sieves beside the pan let through.
    fn beside(&self) -> Vec<BesideView> {
        let view = |(sieve, keys): &(Sieve, Vec<Key>)| {
            let on = sieve.meshes.iter().zip(keys).filter(|(mesh, _)| mesh.counts());
            let keys: Vec<&Key> = on.map(|(_, key)| key).collect();
            let sets = self.questions.judgements.all(keys.iter().copied(), &self.store.order);
            let worst = self.store.levels.worst(&self.store.order, &sets);
            let rows = self.store.order.sifted(sets);
            BesideView {
                worst,
                sieve: sieve.clone(),
                left: rows.len(),
                last: rows.len().checked_sub(1).and_then(|row| rows.get(row)),
                done: keys
                    .iter()
                    .all(|key| self.questions.judgements.is_known(key, self.store.blocks.len())),
            }
        };
        self.questions.beside.iter().map(view).collect()
    }

    /// The span that the volume is counted over: that of the pan without its time window, or a part of it.
    fn span_of_volume(&self) -> Option<(i64, i64)> {
        let spans = self.store.status.iter().filter_map(|status| status.span);
        self.questions.span.or(spans.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))))
    }

    fn lens(&self, lens: Lens, pan: &Rows) -> Option<LensView> {
        let (key, text) = self.questions.lenses[lens as usize].as_ref()?;
        let judgement = self.questions.judgements.get(key)?;
        let sets: Vec<Arc<Bits>> = judgement.sets().cloned().collect();
        Some(LensView {
            text: text.clone(),
            done: self.questions.judgements.is_known(key, self.store.blocks.len()),
            count: sets.iter().map(|set| set.count()).sum(),
            in_pan: pan.count_in(&sets),
            bits: judgement.bits.clone(),
            sets,
        })
    }
}
