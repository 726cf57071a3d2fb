//! One file of a source: how far it is, and why it is looked at.

use std::{
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, Instant, SystemTime},
};

use super::{
    Task,
    feed::Manner,
    follow::{Known, KnownFiles},
    newest::Newest,
    reading::Reading,
    rotated,
    task::Arrived,
};
use crate::{
    layout::Dialect,
    source::{
        Form, Segment,
        descriptors::{is_exhausted, segments},
    },
    veil::harmless,
};

/// How often a followed file is looked at that brings nothing; a file that grows is looked at sooner.
pub(super) const POLL: Duration = Duration::from_millis(150);
/// The same for one of very many: the system tells of changes, and looking is for what it does not tell.
const POLL_OF_MANY: Duration = Duration::from_secs(4);
/// The same right after it has grown; doubled while it brings nothing.
pub(super) const SOON: Duration = Duration::from_millis(5);
/// How long a file that was found beside others must be as it is before it is read.
pub(super) const SETTLING: Duration = Duration::from_millis(60);
/// The same for one that may be the copy of a large file.
pub(super) const COPYING: Duration = Duration::from_secs(3_600);
/// How often a packed file is opened again that has no text yet.
const TRIES: u8 = 50;
/// After so long without a byte, a line without an end is shown.
pub(super) const GROWING: Duration = Duration::from_millis(300);

pub(super) struct File {
    pub(super) path: Option<PathBuf>,
    pub(super) stage: Stage,
    pub(super) role: Role,
    /// When it is looked at next, and how long after that.
    pub(super) due: Instant,
    pub(super) pause: Duration,
    /// It came while its source was followed.
    pub(super) late: bool,
    /// It was found beside others: it may be a copy of one that has been read.
    pub(super) found: bool,
    /// It is the same file as the one before it, rewritten.
    pub(super) again: bool,
    /// Until when it is not read while it is written to.
    pub(super) settles: Option<Instant>,
    /// It was opened when it was found, and is read even if its name leads elsewhere by now.
    /// How often it was opened before it had any text.
    pub(super) tries: u8,
    pub(super) held: Option<Arc<Segment>>,
    /// A look is under way.
    pub(super) looking: bool,
    pub(super) seen: Option<(u64, SystemTime)>,
    /// When it brought something last.
    pub(super) grew: Instant,
    /// Since when its name leads nowhere, and whether that was told.
    pub(super) missing: Option<Instant>,
    pub(super) told_missing: bool,
}

/// How far a file is.
pub(super) enum Stage {
    Unopened,
    Opening,
    Open(Box<Reading>),
    /// It can't be opened, for this reason; while following, it is tried again.
    Closed(String),
    /// All of it has been read, and nothing more is expected.
    Done(Finished),
}

/// What stays known of a file that has been read.
pub(super) struct Finished {
    pub(super) bytes: u64,
    pub(super) problem: Option<String>,
    pub(super) form: Form,
    /// It was read from some place behind its beginning.
    pub(super) inside: bool,
    /// What it was read from, to tell a copy of it.
    pub(super) segment: Option<Arc<Segment>>,
}

/// Why a file is looked at.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// More is expected under its name.
    Live,
    /// It was moved away at this moment; who had it open may still write to it.
    Past(Instant),
    /// It is not looked at.
    Still,
}

impl File {
    pub(super) fn new(path: Option<PathBuf>, role: Role) -> Self {
        let now = Instant::now();
        Self {
            path,
            stage: Stage::Unopened,
            role,
            due: now,
            pause: SOON,
            late: false,
            found: false,
            again: false,
            settles: None,
            held: None,
            tries: 0,
            looking: false,
            seen: None,
            grew: now,
            missing: None,
            told_missing: false,
        }
    }

    pub(super) fn found(path: PathBuf, role: Role) -> Self {
        // What is younger than all others is no copy of one of them.
        let copy = role != Role::Live;
        let settles = copy.then(|| Instant::now() + COPYING);
        Self { found: true, settles, ..Self::late(Some(path), role) }
    }

    /// A file that was opened when it was found.
    pub(super) fn held(path: Option<PathBuf>, held: Option<Arc<Segment>>, role: Role) -> Self {
        // What is packed may be written still when it is met.
        let packed = path.as_deref().is_some_and(rotated::is_packed);
        let settles = packed.then(|| Instant::now() + COPYING);
        Self { held, settles, ..Self::late(path, role) }
    }

    pub(super) fn late(path: Option<PathBuf>, role: Role) -> Self {
        Self { late: true, ..Self::new(path, role) }
    }
}

/// How often a followed file is looked at that brings nothing: where there are very many, in all 5 000 a second.
pub(super) fn poll() -> Duration {
    let files = u32::try_from(segments()).unwrap_or(u32::MAX);
    (Duration::from_micros(200).saturating_mul(files)).clamp(POLL, POLL_OF_MANY)
}

impl File {
    /// The reading that a result belongs to, unless it went on without it.
    pub(super) fn reading(&mut self, run: u32) -> Option<&mut Reading> {
        match &mut self.stage {
            Stage::Open(reading) if reading.run == run => Some(reading),
            _ => None,
        }
    }

    /// Whether it is to be opened before anything else.
    pub(super) fn is_urgent(&self, now: Instant) -> bool {
        matches!(self.stage, Stage::Unopened) && self.late && now >= self.due
    }

    /// Whether it may hold what another file of the source does, packed or not.
    pub(super) fn may_be_copy(&self) -> bool {
        self.found || self.late && matches!(self.role, Role::Past(_))
    }

    /// Whether a younger file of the set must wait for this one.
    pub(super) fn is_busy(&self) -> bool {
        match &self.stage {
            Stage::Unopened | Stage::Opening => true,
            Stage::Open(reading) => !reading.idle() || reading.streaming() || reading.changed,
            _ => false,
        }
    }

    /// Nothing is read of it.
    pub(super) fn finish(&mut self) {
        (self.role, self.path) = (Role::Still, None);
        let form = Form::default();
        self.stage =
            Stage::Done(Finished { bytes: 0, problem: None, form, inside: false, segment: None });
    }

    /// It could not be opened. One that is being packed is opened again.
    pub(super) fn not_opened(&mut self, error: &std::io::Error) {
        let now = Instant::now();
        let begun = error.kind() == std::io::ErrorKind::UnexpectedEof;
        if !begun || self.tries >= TRIES || self.settles.is_none_or(|until| now >= until) {
            return self.refused(error);
        }
        (self.stage, self.due) = (Stage::Unopened, now + SETTLING);
        self.tries += 1;
    }

    pub(super) fn refused(&mut self, error: &std::io::Error) {
        use std::io::ErrorKind::{NotFound, PermissionDenied};
        let live = self.role == Role::Live;
        self.due = Instant::now() + POLL;
        if self.role != Role::Still && is_exhausted(error) {
            // Whatever its role is: it is opened once others are closed.
            (self.stage, self.late) = (Stage::Unopened, true);
            return;
        }
        self.held = None;
        // What is not there yet has not been read up to anywhere when it comes.
        self.late |= live && error.kind() == NotFound;
        self.stage = Stage::Closed(match error.kind() {
            NotFound if live => "there is no such file yet; waiting for it".into(),
            NotFound => "can't be read: there is no such file any more".into(),
            PermissionDenied => {
                "can't be read: you have no right to; ask its owner or run as a user who may".into()
            }
            _ => format!("can't be read: {error}"),
        });
    }

    pub(super) fn opened(
        &mut self,
        arrived: Arrived,
        base: Dialect,
        number: usize,
        several: bool,
        manner: &Manner,
    ) {
        let stream = arrived.spool.is_some();
        self.held = None;
        if arrived.copy {
            return self.finish();
        }
        let open = stream || self.role != Role::Still;
        let mut reading = Box::new(Reading::new(arrived, base, number, open));
        reading.name = self.path.as_deref().filter(|_| several).map(file_name);
        // Only of what was there when following began is no more than the end wanted.
        let last = manner.last_bytes.filter(|_| !self.late && !stream);
        if let Some(last) = last.filter(|last| *last < reading.size) {
            reading.begin_at(reading.size - last);
        } else if manner.eager && !several && reading.is_long() {
            reading.newest = Newest::Wanted;
        }
        (self.grew, self.seen, self.missing) = (Instant::now(), None, None);
        if stream {
            // What is packed or wide is whole: there is nothing to follow.
            self.role = Role::Still;
        }
        self.stage = Stage::Open(reading);
    }

    /// `full` as for [`look`](Self::look).
    pub(super) fn wants_look(&self, now: Instant, reading: &Reading, full: bool) -> bool {
        let watched = self.role != Role::Still && reading.spool.is_none() && !self.looking;
        let rests = reading.idle() || reading.changed || full && reading.rests();
        watched && now >= self.due && rests
    }

    pub(super) fn wants_growing(&self, now: Instant, reading: &Reading) -> bool {
        reading.wants_growing() && now >= self.grew + GROWING
    }

    /// A look at a followed file, or at a line that stays without its end. Where nothing is read because there is no
    /// room for copies (`full`), it is looked at all the same: what is cut away meanwhile is counted.
    pub(super) fn look(
        &mut self,
        now: Instant,
        taken: &KnownFiles,
        full: bool,
    ) -> Option<(u32, Task)> {
        let Stage::Open(reading) = &self.stage else { return None };
        let (look, show) = (self.wants_look(now, reading, full), self.wants_growing(now, reading));
        let Stage::Open(reading) = &mut self.stage else { return None };
        if show && let Some(task) = reading.ask_growing() {
            return Some((reading.run, task));
        }
        if !look {
            return None;
        }
        self.looking = true;
        let known = Known {
            path: self.path.clone().filter(|_| self.role == Role::Live),
            segment: Arc::clone(&reading.segment),
            print: reading.print.unwrap_or_default(),
            seen: self.seen.filter(|_| !reading.changed),
            taken: taken.clone(),
        };
        Some((reading.run, Task::Look { known: Box::new(known) }))
    }
}

/// What was seen of a file, unless it was written a moment ago: the next write might leave both as they are.
pub(super) fn settled(seen: (u64, SystemTime)) -> Option<(u64, SystemTime)> {
    let old = seen.1.elapsed().is_ok_and(|age| age > Duration::from_millis(100));
    old.then_some(seen)
}

/// The name of a file as it may be shown.
pub(super) fn file_name(path: &Path) -> Arc<str> {
    let name = path.file_name().map(|name| name.to_string_lossy()).unwrap_or_default();
    harmless(&name).replace(['\n', '\t'], "␤").into()
}
