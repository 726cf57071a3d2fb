//! What entries mean beside others, put together again whenever there is nothing else to do.

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use super::{
    across::Across,
    jobs::{Job, Workers},
};
use crate::store::Blocks;

/// A pause is so many times as long as the work: while entries keep arriving, it takes a tenth of a worker.
const PAUSE: u32 = 10;

#[derive(Default)]
pub(super) struct Relating {
    pub(super) across: Arc<Across>,
    /// When a worker got it.
    since: Option<Instant>,
    /// Blocks have come, or have become others.
    stale: bool,
    not_before: Option<Instant>,
}

impl Relating {
    pub(super) fn again(&mut self) {
        self.stale = true;
    }

    /// Queues it, where something has come since it was done last.
    pub(super) fn queue(&mut self, blocks: &Blocks, workers: &Workers) {
        let now = Instant::now();
        if self.stale && self.since.is_none() && self.not_before.is_none_or(|at| at <= now) {
            self.stale = false;
            self.since = Some(now);
            workers.queue(Job::Relate(blocks.clone()));
        }
    }

    /// Takes a worker's result; what was known before.
    pub(super) fn take(&mut self, across: Arc<Across>) -> Arc<Across> {
        if let Some(since) = self.since.take() {
            self.not_before =
                Some(Instant::now() + since.elapsed().min(Duration::from_secs(6)) * PAUSE);
        }
        std::mem::replace(&mut self.across, across)
    }
}
