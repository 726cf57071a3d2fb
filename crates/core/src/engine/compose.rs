//! The state at one moment, put together from what has been read and judged.

use std::sync::Arc;

use super::{
    coordinator::Coordinator,
    judging::{Judgement, Key},
    reading::Reading,
    snapshot::{BesideView, Lens, LensView, Progress, Snapshot},
};
use crate::{
    sieve::{Funnel, FunnelRow, Sieve, add_block, add_gives_back},
    store::{Bits, Rows, in_order},
    tally::Volume,
};

/// Slices of the volume: more than any screen has rows.
const SLICES: usize = 720;

impl Coordinator {
    /// The state as it is now. Cost: a few bits an entry, whatever the sieve does.
    pub(super) fn snapshot(&mut self) -> Snapshot {
        self.order_new();
        self.judgements.lay_out(self.used().iter(), &self.order);
        // The rail's figures take as long as all others.
        let mut levels = std::mem::take(&mut self.levels);
        let span = self.span_of_volume().filter(|_| self.options.volume);
        let meshes = self.sieve.meshes.iter().zip(&self.keys);
        let unwindowed = meshes.filter(|(mesh, _)| mesh.counts() && mesh.window().is_none());
        let keys: Vec<&Key> = unwindowed.map(|(_, key)| key).collect();
        let (order, blocks, judgements) = (&self.order, &self.blocks, &self.judgements);
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
        self.levels = levels;
        let bytes = self.reading.iter().map(Reading::bytes);
        let (read, size) = bytes.fold((0, 0), |sum, bytes| (sum.0 + bytes.0, sum.1 + bytes.1));
        for (status, reading) in self.status.iter_mut().zip(&self.reading) {
            status.problem.clone_from(&reading.problem);
            status.bytes = reading.bytes();
            status.form = reading.form();
            status.clock = reading.correction();
        }
        let streaming = self.reading.iter().any(Reading::pending);
        self.told_pending = streaming;
        Snapshot {
            sources: Arc::clone(&self.sources),
            status: self.status.clone(),
            order: self.order.clone(),
            sieve: self.sieve.clone(),
            funnel,
            volume,
            progress: Progress {
                read: (read, size),
                sifted: (self.blocks.len() - missing, self.blocks.len()),
                streaming,
            },
            beside: self.beside(),
            lenses: Lens::ALL.map(|lens| self.lens(lens, &pan)),
            pan,
            blocks: self.blocks.clone(),
            veil: self.veil.clone(),
        }
    }

    /// The figures of the sieve, and how many blocks have not been judged by all meshes yet.
    fn funnel(&self) -> (Funnel, usize) {
        let meshes = self.sieve.meshes.iter().zip(&self.keys);
        // Nothing for a mesh that does not count.
        let judged: Vec<Option<Option<&Judgement>>> =
            meshes.map(|(mesh, key)| mesh.counts().then(|| self.judgements.get(key))).collect();
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
        for (number, block) in self.blocks.iter().enumerate() {
            if bits_of(number, &mut bits) {
                add_block(&mut funnel, &self.sieve, block.len(), &bits, || {
                    block.unlevelled().clone()
                });
            } else {
                missing += 1;
                funnel.poured += block.len();
            }
        }
        funnel.rows.resize(self.sieve.meshes.len(), FunnelRow::default());
        if funnel.left() == 0 && missing == 0 {
            for (number, block) in self.blocks.iter().enumerate() {
                if bits_of(number, &mut bits) {
                    add_gives_back(&mut funnel, block.len(), &bits);
                }
            }
        }
        (funnel, missing)
    }

    /// Brings the order up to date.
    fn order_new(&mut self) {
        let ordered = &mut self.ordered;
        let ranges = self.blocks.iter().enumerate().map(|(number, block)| {
            let from = std::mem::replace(&mut ordered[number], block.len());
            (number, from..block.len())
        });
        let new = in_order(&self.blocks, ranges);
        self.order.merge(&self.blocks, &new);
    }

    /// The entries that all meshes let through.
    fn pan(&self) -> Rows {
        let on = self.sieve.meshes.iter().zip(&self.keys).filter(|(mesh, _)| mesh.counts());
        let mut keys = on.map(|(_, key)| key).peekable();
        if keys.peek().is_none() {
            return self.order.clone();
        }
        self.order.sifted(self.judgements.all(keys, &self.order))
    }

    /// What the sieves beside the pan let through.
    fn beside(&self) -> Vec<BesideView> {
        let view = |(sieve, keys): &(Sieve, Vec<Key>)| {
            let on = sieve.meshes.iter().zip(keys).filter(|(mesh, _)| mesh.counts());
            let keys: Vec<&Key> = on.map(|(_, key)| key).collect();
            let sets = self.judgements.all(keys.iter().copied(), &self.order);
            let rows = self.order.sifted(sets);
            BesideView {
                sieve: sieve.clone(),
                left: rows.len(),
                last: rows.len().checked_sub(1).and_then(|row| rows.get(row)),
                done: keys.iter().all(|key| self.judgements.is_known(key, self.blocks.len())),
            }
        };
        self.beside.iter().map(view).collect()
    }

    /// The span that the volume is counted over: that of the pan without its time window, or a part of it.
    fn span_of_volume(&self) -> Option<(i64, i64)> {
        let spans = self.status.iter().filter_map(|status| status.span);
        self.span.or(spans.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))))
    }

    fn lens(&self, lens: Lens, pan: &Rows) -> Option<LensView> {
        let (key, text) = self.lenses[lens as usize].as_ref()?;
        let judgement = self.judgements.get(key)?;
        let sets: Vec<Arc<Bits>> = judgement.sets().cloned().collect();
        Some(LensView {
            text: text.clone(),
            done: self.judgements.is_known(key, self.blocks.len()),
            count: sets.iter().map(|set| set.count()).sum(),
            in_pan: pan.count_in(&sets),
            bits: judgement.bits.clone(),
            sets,
        })
    }
}
