//! One source: its files, oldest first, and what becomes of them.

use std::{
    collections::{HashMap, HashSet, VecDeque},
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, Instant},
};

use super::{
    Done, Note, Sealed, Task, Ticket,
    changes::{COPIES, Named, TOLD},
    file::{File, Finished, GROWING, POLL, Role, SETTLING, Stage, file_name},
    follow::KnownFiles,
    frame::Asked,
    rotated,
};
use crate::{
    entry::Correction,
    layout::Dialect,
    limits,
    source::{self, Form, Met, Origin, Print, Segment, Source, Wake},
};

/// After so long without a byte, the last line of a file that was moved away is whole.
const WHOLE: Duration = Duration::from_secs(2);
/// After so long without a byte, a file that was moved away is not looked at any more.
const RETIRED: Duration = Duration::from_secs(60);
/// After so long without a byte, a file is closed where many are read.
const QUIET: Duration = Duration::from_secs(2);
/// After so long a name that leads nowhere is told.
const MISSING: Duration = Duration::from_secs(1);

/// So many files of a set are looked at as soon as something has changed in their folder, the others in their time.
const LATEST: usize = 8;

/// How a source is to be read.
#[derive(Clone)]
pub(crate) struct Manner {
    pub(crate) follow: bool,
    /// The end of a long file is read first.
    pub(crate) eager: bool,
    /// Only so many bytes at the end of each file are wanted.
    pub(crate) last_bytes: Option<u64>,
    pub(crate) wake: Wake,
}

/// The files that the sources have, by what tells a file from others.
pub(crate) struct HeldFiles {
    taken: KnownFiles,
    copies: HashMap<PathBuf, Met>,
    paths: HashSet<PathBuf>,
}

impl HeldFiles {
    /// Whether a file is one of them. One that is closed was told by its bytes when the file was found.
    pub(crate) fn has(&self, met: Met, path: &Path) -> bool {
        let copy = self.copies.get(path) == Some(&met);
        copy || self.taken.holds(met.identity) || self.paths.contains(path)
    }
}

/// The state of one source.
pub(crate) struct Feed {
    source: usize,
    pub(super) files: Vec<File>,
    /// Files before this one are done.
    first: usize,
    /// The source has had several files, so that each is told by its name.
    pub(super) several: bool,
    /// The files that are known.
    pub(super) taken: KnownFiles,
    /// The latest copies of known files, which are not read.
    pub(super) copies: VecDeque<(PathBuf, Met)>,
    /// How often the name was given to another file, as the system told, and as was seen.
    pub(super) named: Named,
    base: Dialect,
    correction: Correction,
    manner: Manner,
    pub(crate) notes: Vec<Note>,
    /// Its times without a date don't lie after this, where other sources tell.
    day: Option<i64>,
}

/// What holds for a source before anything is learnt from it, and what sets its clock right.
pub(super) fn base_of(
    source: &Source,
    base: &Dialect,
    clocks: &[(String, Correction)],
) -> (Dialect, Correction) {
    let mine = |(name, _): &&(String, Correction)| *name == source.name || *name == source.label;
    let correction = clocks.iter().rev().find(mine).map(|(_, c)| c.clone()).unwrap_or_default();
    (base.clone().corrected(&correction), correction)
}

impl Feed {
    pub(crate) fn new(
        number: usize,
        source: &Source,
        base: &Dialect,
        clocks: &[(String, Correction)],
        manner: Manner,
    ) -> Self {
        let paths: Vec<Option<PathBuf>> = match &source.origin {
            Origin::Files(paths) => paths.iter().cloned().map(Some).collect(),
            Origin::Stdin => vec![None],
        };
        let (base, correction) = base_of(source, base, clocks);
        let mut files: Vec<File> =
            paths.into_iter().map(|path| File::new(path, Role::Still)).collect();
        if let Some(last) = files.last_mut().filter(|file| manner.follow && file.path.is_some()) {
            last.role = Role::Live;
        }
        let mut feed = Self {
            source: number,
            several: files.len() > 1,
            day: source.day.as_ref().map(|day| day.latest),
            files,
            first: 0,
            taken: KnownFiles::default(),
            copies: VecDeque::new(),
            named: Named::default(),
            base,
            correction,
            manner,
            notes: Vec::new(),
        };
        if let Some(day) = &source.day {
            feed.note(day.told(), false);
        }
        feed
    }

    /// The next thing to do, if there is one; what is finished without a task comes with it.
    ///
    /// `full` says that no more of followed files can be copied, so that none is to be read.
    pub(crate) fn next(
        &mut self,
        now: Instant,
        full: bool,
        sealed: &mut Vec<Sealed>,
    ) -> Option<(Ticket, Task)> {
        // What came while following is opened at once: its name may be taken from it at any moment.
        // What may be a copy waits for looks that are under way, which may find what it is a copy of.
        let files = &self.files[self.first..];
        let looking = files.iter().any(|file| file.looking);
        let urgent = |file: &File| file.is_urgent(now) && !(looking && file.may_be_copy());
        if let Some(at) = files.iter().position(urgent) {
            let file = self.first + at;
            self.files[file].stage = Stage::Opening;
            return Some((Ticket { source: self.source, file, run: 0 }, self.open(file)));
        }
        for at in self.first..self.files.len() {
            let ticket = |run| Ticket { source: self.source, file: at, run };
            let file = &mut self.files[at];
            let retry = matches!(file.stage, Stage::Closed(_)) && file.role == Role::Live;
            let unopened = matches!(file.stage, Stage::Unopened) && !file.late;
            if unopened || retry && now >= file.due {
                file.stage = Stage::Opening;
                return Some((ticket(0), self.open(at)));
            }
            if let Stage::Open(reading) = &mut file.stage {
                let waits = full && reading.print.is_some();
                while !waits && let Some(asked) = reading.ask() {
                    match asked {
                        Asked::Task(task) => return Some((ticket(reading.run), task)),
                        Asked::Known(known) => sealed.extend(known),
                    }
                }
                if let Some((run, task)) = file.look(now, &self.taken, full) {
                    return Some((ticket(run), task));
                }
            }
            // The files of a set are read one after the other.
            if self.files[at].is_busy() {
                return None;
            }
        }
        None
    }

    /// What holds for a file before anything is learnt from it.
    fn base_for(&self, path: Option<&Path>) -> Dialect {
        let date = match (&self.day, path) {
            (Some(latest), _) => Some(*latest),
            (None, Some(path)) => source::date_of(path),
            (None, None) => jiff::Timestamp::now().as_nanosecond().try_into().ok(),
        };
        let name = path.map_or_else(|| "stdin".into(), file_name);
        self.base.clone().for_file(&name).dated(date)
    }

    fn open(&mut self, at: usize) -> Task {
        let path = self.files[at].path.clone();
        let held = self.files[at].held.clone();
        let base = Box::new(self.base_for(path.as_deref()));
        let follow = self.manner.follow.then(|| self.files[at].role != Role::Still);
        // What was found beside others may be a copy of one of them, packed or not.
        let others = if self.files[at].may_be_copy() { self.prints(at) } else { Vec::new() };
        let taken = self.taken.clone();
        let wake = Arc::clone(&self.manner.wake);
        Task::Open { path, held, base, follow, wake, others, taken }
    }

    /// Takes back what a task has led to; what is finished by it comes back.
    pub(crate) fn take(&mut self, ticket: Ticket, done: Done) -> Vec<Sealed> {
        let at = ticket.file;
        let Some(file) = self.files.get_mut(at) else { return Vec::new() };
        match done {
            Done::Opened(Ok(arrived)) => {
                // Between looking and opening, the name may have come to lead to a file that is known.
                let identity = arrived.segment.identity();
                let known = arrived.taken || identity.is_some_and(|id| self.taken.holds(id));
                if known && !file.again && file.path.is_some() {
                    self.came_back(at, identity);
                    return Vec::new();
                }
                if arrived.copy && file.role == Role::Live {
                    // The youngest name of a set leads to what its elder holds, for now.
                    file.refused(&std::io::ErrorKind::NotFound.into());
                    return Vec::new();
                }
                let now = Instant::now();
                if arrived.fresh && file.settles.is_some_and(|until| now < until) {
                    // The writer may not have finished.
                    (file.stage, file.due) = (Stage::Unopened, now + SETTLING);
                    return Vec::new();
                }
                if self.manner.follow && !arrived.copy {
                    self.taken.add(&arrived.segment);
                }
                if arrived.copy {
                    let path = file.path.clone();
                    self.copies.extend(path.zip(arrived.met));
                    let over = self.copies.len().saturating_sub(COPIES);
                    self.copies.drain(..over);
                }
                let path = file.path.clone();
                let base = self.base_for(path.as_deref());
                let Some(file) = self.files.get_mut(at) else { return Vec::new() };
                file.opened(*arrived, base, at, self.several, &self.manner);
                Vec::new()
            }
            Done::Opened(Err(error)) => {
                file.not_opened(&error);
                Vec::new()
            }
            Done::Looked(seen) => {
                file.looking = false;
                self.seen(at, ticket.run, *seen)
            }
            Done::Learnt(learnt) => {
                if let Some(reading) = file.reading(ticket.run) {
                    reading.take_learnt(*learnt);
                    return reading.join_waiting();
                }
                Vec::new()
            }
            Done::Cut(number, cut) => {
                let Some(reading) = file.reading(ticket.run) else { return Vec::new() };
                let sealed = reading.take(number, cut);
                let long = reading.long.take().filter(|_| !reading.told_long);
                reading.told_long |= long.is_some();
                if reading.changed {
                    file.due = Instant::now();
                }
                if let Some(first) = long {
                    self.note(
                        format!(
                            "an entry has more than {} MiB of lines; from byte {first} on they are entries of their own, \
                             and doubtful",
                            limits::ENTRY_BYTES >> 20
                        ),
                        false,
                    );
                }
                sealed
            }
            Done::Recut(lead) => match file.reading(ticket.run) {
                Some(reading) => reading.take_recut(*lead),
                None => Vec::new(),
            },
            Done::Lost => match file.reading(ticket.run) {
                Some(reading) => reading.lost(),
                None => Vec::new(),
            },
        }
    }

    /// The files that all sources are known to have.
    pub(crate) fn taken(feeds: &[Self]) -> KnownFiles {
        let mut all = HashMap::new();
        feeds.iter().for_each(|feed| feed.taken.and(&mut all));
        KnownFiles::of(all)
    }

    /// What tells a new file from those that the sources have.
    pub(crate) fn known(feeds: &[Self]) -> HeldFiles {
        let copies = feeds.iter().flat_map(|feed| &feed.copies);
        HeldFiles {
            taken: Self::taken(feeds),
            copies: copies.cloned().collect(),
            paths: feeds.iter().flat_map(Self::paths).map(Path::to_path_buf).collect(),
        }
    }

    /// The files that one of them may be a copy of, and what they look like; of one that is held but not read yet, that
    /// is found out when it is asked.
    fn prints(&self, copy: usize) -> Vec<(Option<Print>, Arc<Segment>)> {
        let others = self.files.iter().enumerate().filter(|(at, _)| *at != copy);
        let read = |segment: &Arc<Segment>| Some((Some(segment.face()?), Arc::clone(segment)));
        others
            .filter_map(|(_, file)| match &file.stage {
                Stage::Open(reading) => read(&reading.segment),
                Stage::Done(finished) => finished.segment.as_ref().and_then(read),
                // What is packed right after it was renamed may be met packed before this is read.
                Stage::Unopened | Stage::Opening => Some((None, Arc::clone(file.held.as_ref()?))),
                Stage::Closed(_) => None,
            })
            .collect()
    }

    /// The paths under which more is expected, or was.
    pub(crate) fn paths(&self) -> impl Iterator<Item = &Path> + '_ {
        self.paths_from(0)
    }

    /// Those of the files from one of them on.
    pub(crate) fn paths_from(&self, file: usize) -> impl Iterator<Item = &Path> + '_ {
        self.files.iter().skip(file).filter_map(|file| file.path.as_deref())
    }

    /// How many files it has had.
    pub(crate) fn files(&self) -> usize {
        self.files.len()
    }

    /// Has the files be looked at now, since something has changed at an absolute path; it was given to other files so
    /// many times.
    pub(crate) fn wake(&mut self, now: Instant, path: &Path, named: usize) {
        let live = || self.files.iter().rev().find(|file| file.role == Role::Live)?.path.as_deref();
        let is_live =
            || live().is_some_and(|live| std::path::absolute(live).is_ok_and(|live| live == path));
        // Older files of a rotated set change their names at every turn.
        if named > 0 && is_live() {
            self.named.told += named;
            self.named.last = Some(now);
        }
        // Whoever has an older file open goes on for a moment. In a set of hundreds that are all renamed at every turn,
        // looking at each of them takes longer than the next turn.
        let latest = self.files.len().saturating_sub(LATEST).max(self.first);
        for file in &mut self.files[latest..] {
            file.due = file.due.min(now);
        }
    }

    /// Looks what streams have brought, shows what stays unfinished, and lets go of what is done. Says whether
    /// anything is new, and when something may be next.
    pub(crate) fn tend(&mut self, now: Instant) -> (bool, Option<Instant>) {
        let mut news = self.missed(now);
        let mut next: Option<Instant> = self.named.last.map(|last| last + TOLD);
        let mut sooner = |at: Instant| next = Some(next.map_or(at, |known| known.min(at)));
        let mut blocked = false;
        for at in self.first..self.files.len() {
            let first = at == self.first;
            let file = &mut self.files[at];
            let waits = match &file.stage {
                Stage::Closed(_) => file.role == Role::Live,
                Stage::Unopened => file.late,
                _ => false,
            };
            if waits {
                sooner(file.due);
            }
            let Stage::Open(reading) = &mut file.stage else { continue };
            if reading.poll_stream() {
                (news, file.grew) = (true, now);
            }
            let missing = file.missing.is_some_and(|since| now > since + MISSING);
            if missing && !std::mem::replace(&mut file.told_missing, true) {
                news = true;
            }
            if !reading.idle() {
                // Where there is no room to copy what would be read, it is looked at from time to time.
                if !blocked && reading.rests() {
                    sooner(file.due.max(now + POLL));
                }
                blocked = true;
                continue;
            }
            if reading.is_unfinished() {
                sooner(file.grew + GROWING);
            }
            if let Role::Past(since) = file.role {
                let quiet = now.saturating_duration_since(since.max(file.grew));
                if quiet > WHOLE && reading.open {
                    reading.close();
                    reading.segment.spend();
                    news = true;
                    continue;
                }
                if quiet > RETIRED {
                    file.role = Role::Still;
                }
                sooner(file.grew + WHOLE);
            }
            if file.role != Role::Still {
                if now > file.grew + QUIET {
                    reading.segment.rest_quietly();
                }
                sooner(file.due);
            } else if !reading.streaming() && !reading.open && first {
                let (_, bytes) = reading.bytes();
                file.stage = Stage::Done(Finished {
                    bytes,
                    problem: reading.problem.take(),
                    form: reading.form,
                    inside: reading.from > 0,
                    segment: self.manner.follow.then(|| Arc::clone(&reading.segment)),
                });
                self.first += 1;
            }
        }
        (news, next)
    }

    /// Whether nothing more comes of a file.
    pub(crate) fn is_over(&self, file: usize) -> bool {
        self.files.get(file).is_some_and(|file| matches!(file.stage, Stage::Done(_)))
    }

    /// Reads no further, for a reason that is told.
    pub(crate) fn stop(&mut self, why: &str) {
        for file in &mut self.files[self.first..] {
            file.role = Role::Still;
            match &mut file.stage {
                Stage::Open(reading) => {
                    reading.start_run();
                    (reading.size, reading.next, reading.open) = (reading.end, reading.end, false);
                    (reading.spool, reading.changed) = (None, false);
                    reading.problem = Some(why.to_owned());
                }
                stage @ (Stage::Unopened | Stage::Opening) => {
                    *stage = Stage::Closed(why.to_owned());
                }
                _ => {}
            }
        }
    }

    /// Whether the next thing to do is to open an archive.
    pub(crate) fn opens_packed(&self) -> bool {
        let next = self.files[self.first..].iter().find(|file| match &file.stage {
            Stage::Unopened => true,
            Stage::Open(reading) => !reading.idle(),
            _ => false,
        });
        next.is_some_and(|file| {
            let packed = file.path.as_deref().is_some_and(rotated::is_packed);
            packed && matches!(file.stage, Stage::Unopened)
        })
    }

    /// Whether bytes come without a change of the file system.
    pub(crate) fn is_streaming(&self) -> bool {
        self.files[self.first..].iter().any(|file| match &file.stage {
            Stage::Open(reading) => reading.streaming(),
            _ => false,
        })
    }

    /// Whether files of a rotated set wait, or a stream or an archive is still open.
    pub(crate) fn pending(&self) -> bool {
        self.files[self.first..].iter().any(|file| match &file.stage {
            Stage::Unopened | Stage::Opening => true,
            Stage::Open(reading) => reading.streaming(),
            _ => false,
        })
    }

    /// Whether nothing is shown that still waits for its turn.
    pub(crate) fn is_in_turn(&self) -> bool {
        self.files[self.first..].iter().all(|file| match &file.stage {
            Stage::Open(reading) => reading.is_in_turn(),
            _ => true,
        })
    }

    /// Bytes read and bytes there are.
    pub(crate) fn bytes(&self) -> (u64, u64) {
        self.files.iter().fold((0, 0), |(read, size), file| {
            let (more, of) = match &file.stage {
                // Count a file that waits as one byte, so that the source does not count as read.
                Stage::Unopened | Stage::Opening => (0, 1),
                Stage::Open(reading) => reading.bytes(),
                Stage::Closed(_) => (0, 0),
                Stage::Done(done) => (done.bytes, done.bytes),
            };
            (read + more, size + of)
        })
    }

    /// The share of the present file that has been asked for; `None` when there is nothing to ask.
    pub(crate) fn share(&self, now: Instant) -> Option<f64> {
        if self.files[self.first..].iter().any(|file| file.is_urgent(now)) {
            return Some(0.0);
        }
        for file in &self.files[self.first..] {
            let share = match &file.stage {
                Stage::Unopened if !file.late => Some(0.0),
                Stage::Closed(_) if file.role == Role::Live && now >= file.due => Some(1.0),
                Stage::Open(reading) => reading
                    .asked_share()
                    .or_else(|| file.wants_look(now, reading, false).then_some(1.0))
                    .or_else(|| file.wants_growing(now, reading).then_some(1.0)),
                _ => None,
            };
            if share.is_some() || file.is_busy() {
                return share;
            }
        }
        None
    }

    /// What is the matter with the source.
    pub(crate) fn problem(&self) -> Option<String> {
        self.files.iter().rev().find_map(|file| {
            let named = |problem: &String| match file.path.as_deref().filter(|_| self.several) {
                Some(path) => format!("{}: {problem}", file_name(path)),
                None => problem.clone(),
            };
            match &file.stage {
                Stage::Open(reading) if reading.problem.is_some() => {
                    reading.problem.as_ref().map(named)
                }
                Stage::Open(_) if file.told_missing => {
                    Some("it was moved away or deleted; waiting for it to come back".into())
                }
                Stage::Closed(problem) => Some(named(problem)),
                Stage::Done(done) => done.problem.as_ref().map(named),
                _ => None,
            }
        })
    }

    /// Whether a file was read from some place behind its beginning.
    pub(crate) fn begins_inside(&self) -> bool {
        self.files.iter().any(|file| match &file.stage {
            Stage::Open(reading) => reading.from > 0,
            Stage::Done(done) => done.inside,
            _ => false,
        })
    }

    /// How the bytes of the present file become text.
    pub(crate) fn form(&self) -> Form {
        let known = self.files.iter().rev().find_map(|file| match &file.stage {
            Stage::Open(reading) => Some(reading.form),
            Stage::Done(done) => Some(done.form),
            _ => None,
        });
        known.unwrap_or_default()
    }

    /// The zone of times that name none, and what is added to all.
    pub(crate) fn correction(&self) -> Correction {
        Correction { zone: self.base.clock.zone.clone(), ..self.correction.clone() }
    }
}
