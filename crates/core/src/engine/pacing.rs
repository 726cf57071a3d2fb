//! When the next snapshot is due.

use std::time::{Duration, Instant};

/// The shortest time between two snapshots; building them takes a quarter of the time at most.
const PAUSE: Duration = Duration::from_millis(40);

/// When the next snapshot is due.
pub(super) struct Pacing {
    /// There are snapshots before everything is read and judged.
    eager: bool,
    dirty: bool,
    /// The last snapshot said that more is to come.
    pending: bool,
    last: Instant,
    pause: Duration,
}

impl Pacing {
    pub(super) fn new(eager: bool) -> Self {
        Self { eager, dirty: true, pending: false, last: Instant::now(), pause: Duration::ZERO }
    }

    /// Something has changed.
    pub(super) fn news(&mut self) {
        self.dirty = true;
    }

    /// Whether a stream is open: its end is news, although it comes without a byte.
    pub(super) fn note_pending(&mut self, pending: bool) {
        self.dirty |= std::mem::replace(&mut self.pending, pending) != pending;
    }

    /// How long to wait for more before a snapshot.
    pub(super) fn wait(&self, busy: bool) -> Duration {
        match (self.dirty, busy) {
            (true, true) if self.eager => self.pause.saturating_sub(self.last.elapsed()),
            (true, false) => Duration::ZERO,
            _ => Duration::from_secs(1),
        }
    }

    pub(super) fn is_due(&self, busy: bool) -> bool {
        self.dirty && (!busy || self.eager && self.last.elapsed() >= self.pause)
    }

    /// A snapshot was published, which took so long to build.
    pub(super) fn published(&mut self, cost: Duration) {
        self.dirty = false;
        self.last = Instant::now();
        self.pause = PAUSE.max(cost * 3);
    }
}
