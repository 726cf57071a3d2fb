//! One source: its files, oldest first, and what becomes of them.

use std::{
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, Instant, SystemTime},
};

use super::{
    Done, Sealed, Task, Ticket,
    follow::{Copied, Known, Seen},
    frame::Asked,
    newest::Newest,
    reading::Reading,
    rotated,
    task::Arrived,
};
use crate::{
    entry::Correction,
    layout::Dialect,
    source::{self, Form, Identity, Origin, Print, Segment, Source, Wake},
    veil::harmless,
};

/// How often a followed file is looked at that brings nothing; a file that grows is looked at sooner.
pub(crate) const POLL: Duration = Duration::from_millis(150);
/// The same right after it has grown; doubled while it brings nothing.
const SOON: Duration = Duration::from_millis(5);
/// After so long without a byte, a line without an end is shown.
const GROWING: Duration = Duration::from_millis(300);
/// After so long without a byte, the last line of a file that was moved away is whole.
const WHOLE: Duration = Duration::from_secs(2);
/// After so long without a byte, a file that was moved away is not looked at any more.
const RETIRED: Duration = Duration::from_secs(60);
/// After so long a name that leads nowhere is told.
const MISSING: Duration = Duration::from_secs(1);
/// Copies of its files that a source remembers.
const COPIES: usize = 16;
/// How long a file that was found beside others must be as it is before it is read.
pub(super) const SETTLING: Duration = Duration::from_millis(60);
/// The same for one that may be the copy of a large file.
const COPYING: Duration = Duration::from_secs(3_600);
/// After so long it is read although it goes on to be written to.
const UNSETTLED: Duration = Duration::from_secs(1);
/// After so long without word of another file, all words have come.
const TOLD: Duration = Duration::from_millis(200);
/// Notes that are kept for a source.
const NOTES: usize = 50;

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

/// Something that happened to a source, and what it means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Note {
    /// When it was noticed, in nanoseconds UTC.
    pub time: i64,
    /// What happened.
    pub text: String,
    /// Lines may be missing.
    pub lossy: bool,
}

/// How often a name was given to another file.
#[derive(Default)]
struct Named {
    told: usize,
    seen: usize,
    last: Option<Instant>,
}

/// The state of one source.
pub(crate) struct Feed {
    source: usize,
    files: Vec<File>,
    /// Files before this one are done.
    first: usize,
    /// The source has had several files, so that each is told by its name.
    several: bool,
    /// The files that are known: what has one of these identities is no new file. Each is held open, since the
    /// inode of a deleted file is given to the next one.
    taken: Vec<Arc<Segment>>,
    /// The latest copies of known files, which are not read.
    copies: Vec<Arc<Segment>>,
    /// How often the name was given to another file, as the system told, and as was seen.
    named: Named,
    base: Dialect,
    correction: Correction,
    manner: Manner,
    pub(crate) notes: Vec<Note>,
}

struct File {
    path: Option<PathBuf>,
    stage: Stage,
    role: Role,
    /// When it is looked at next, and how long after that.
    due: Instant,
    pause: Duration,
    /// It came while its source was followed.
    late: bool,
    /// It was found beside others: it may be a copy of one that has been read.
    found: bool,
    /// It is the same file as the one before it, rewritten.
    again: bool,
    /// Until when it is not read while it is written to.
    settles: Option<Instant>,
    /// A look is under way.
    looking: bool,
    seen: Option<(u64, SystemTime)>,
    /// When it brought something last.
    grew: Instant,
    /// Since when its name leads nowhere, and whether that was told.
    missing: Option<Instant>,
    told_missing: bool,
}

/// How far a file is.
enum Stage {
    Unopened,
    Opening,
    Open(Box<Reading>),
    /// It can't be opened, for this reason; while following, it is tried again.
    Closed(String),
    /// All of it has been read, and nothing more is expected.
    Done(Finished),
}

/// What stays known of a file that has been read.
struct Finished {
    bytes: u64,
    problem: Option<String>,
    form: Form,
    /// It was read from some place behind its beginning.
    inside: bool,
    /// What it looks like, to tell a copy of it.
    print: Option<(Print, Arc<Segment>)>,
}

/// Why a file is looked at.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Role {
    /// More is expected under its name.
    Live,
    /// It was moved away at this moment; who had it open may still write to it.
    Past(Instant),
    /// It is not looked at.
    Still,
}

impl File {
    fn new(path: Option<PathBuf>, role: Role) -> Self {
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
            looking: false,
            seen: None,
            grew: now,
            missing: None,
            told_missing: false,
        }
    }

    fn found(path: PathBuf, role: Role) -> Self {
        // What is younger than all others is no copy of one of them.
        let copy = role != Role::Live;
        let settles = copy.then(|| Instant::now() + COPYING);
        Self { found: true, settles, ..Self::late(Some(path), role) }
    }

    fn late(path: Option<PathBuf>, role: Role) -> Self {
        Self { late: true, ..Self::new(path, role) }
    }
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
        let mine =
            |(name, _): &&(String, Correction)| *name == source.name || *name == source.label;
        let correction = clocks.iter().rev().find(mine).map(|(_, c)| c.clone()).unwrap_or_default();
        let mut files: Vec<File> =
            paths.into_iter().map(|path| File::new(path, Role::Still)).collect();
        if let Some(last) = files.last_mut().filter(|file| manner.follow && file.path.is_some()) {
            last.role = Role::Live;
        }
        Self {
            source: number,
            several: files.len() > 1,
            files,
            first: 0,
            taken: Vec::new(),
            copies: Vec::new(),
            named: Named::default(),
            base: base.clone().corrected(&correction),
            correction,
            manner,
            notes: Vec::new(),
        }
    }

    /// The next thing to do, if there is one; what is finished without a task comes with it.
    pub(crate) fn next(
        &mut self,
        now: Instant,
        sealed: &mut Vec<Sealed>,
    ) -> Option<(Ticket, Task)> {
        // What came while following is opened at once: its name may be taken from it at any moment.
        if let Some(at) = self.files[self.first..].iter().position(|file| file.is_urgent(now)) {
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
                while let Some(asked) = reading.ask() {
                    match asked {
                        Asked::Task(task) => return Some((ticket(reading.run), task)),
                        Asked::Known(known) => sealed.extend(known),
                    }
                }
                let taken = || self.taken.iter().filter_map(|segment| segment.identity()).collect();
                if let Some((run, task)) = file.look(now, taken) {
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

    fn open(&self, at: usize) -> Task {
        let path = self.files[at].path.clone();
        let date = match &path {
            Some(path) => source::date_of(path),
            None => jiff::Timestamp::now().as_nanosecond().try_into().ok(),
        };
        let name = path.as_deref().map_or_else(|| "stdin".into(), file_name);
        let base = Box::new(self.base.clone().for_file(&name).dated(date));
        let follow = self.files[at].role != Role::Still;
        let others = if self.files[at].found { self.prints() } else { Vec::new() };
        Task::Open { path, base, follow, wake: Arc::clone(&self.manner.wake), others }
    }

    /// Takes back what a task has led to; what is finished by it comes back.
    pub(crate) fn take(&mut self, ticket: Ticket, done: Done) -> Vec<Sealed> {
        let at = ticket.file;
        let Some(file) = self.files.get_mut(at) else { return Vec::new() };
        match done {
            Done::Opened(Ok(arrived)) => {
                // Between looking and opening, the name may have come to lead to a file that is known.
                let known = self.taken.iter().any(|s| s.identity() == arrived.segment.identity());
                if known && !file.again && file.path.is_some() {
                    self.came_back(at, arrived.segment.identity());
                    return Vec::new();
                }
                if arrived.copy && file.role == Role::Live {
                    // The youngest name of a set leads to what its elder holds, for now.
                    file.refused(&std::io::ErrorKind::NotFound.into());
                    return Vec::new();
                }
                if file.role != Role::Still && !arrived.copy {
                    self.taken.push(Arc::clone(&arrived.segment));
                }
                let now = Instant::now();
                if arrived.fresh && file.settles.is_some_and(|until| now < until) {
                    // Whoever writes it may not have finished.
                    (file.stage, file.due) = (Stage::Unopened, now + SETTLING);
                    return Vec::new();
                }
                if arrived.copy {
                    self.copies.push(Arc::clone(&arrived.segment));
                    let over = self.copies.len().saturating_sub(COPIES);
                    self.copies.drain(..over);
                }
                let name = file.path.as_deref().map_or_else(|| "stdin".into(), file_name);
                let date = file.path.as_deref().and_then(source::date_of);
                let base = self.base.clone().for_file(&name).dated(date);
                file.opened(*arrived, base, at, self.several, &self.manner);
                Vec::new()
            }
            Done::Opened(Err(error)) => {
                file.refused(&error);
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
                if reading.changed {
                    file.due = Instant::now();
                }
                sealed
            }
            Done::Recut(lead) => match file.reading(ticket.run) {
                Some(reading) => reading.take_recut(*lead),
                None => Vec::new(),
            },
            Done::Lost => match file.reading(ticket.run) {
                Some(reading) => {
                    reading.recutting = false;
                    reading.take(usize::MAX - 2, Err(crate::lines::Trouble::Panicked))
                }
                None => Vec::new(),
            },
        }
    }

    /// A name leads to a file that is known: it is followed under this name again.
    fn came_back(&mut self, at: usize, identity: Option<Identity>) {
        let now = Instant::now();
        let live = self.files[at].role == Role::Live;
        let path = self.files[at].path.clone();
        let same = |file: &File| match &file.stage {
            Stage::Open(reading) => reading.segment.identity() == identity && reading.open,
            _ => false,
        };
        let known = self.files.iter().rposition(same);
        match known.filter(|_| live) {
            Some(known) => {
                let file = &mut self.files[known];
                (file.role, file.path, file.due) = (Role::Live, path, now);
                self.files[at].finish();
            }
            // It is read already, or the name may lead elsewhere soon.
            None if live => self.files[at].refused(&std::io::ErrorKind::NotFound.into()),
            None => self.files[at].finish(),
        }
    }

    /// Takes in what a look has found.
    fn seen(&mut self, at: usize, run: u32, found: Seen) -> Vec<Sealed> {
        let now = Instant::now();
        let file = &mut self.files[at];
        let pause = file.pause;
        file.pause = (pause * 2).min(POLL);
        file.due = now + pause;
        let Stage::Open(reading) = &mut file.stage else { return Vec::new() };
        if reading.run != run {
            return Vec::new();
        }
        let changed = std::mem::take(&mut reading.changed);
        let mut sealed = Vec::new();
        if changed && matches!(found, Seen::Other { .. } | Seen::Continued { .. }) {
            reading.rewind();
        }
        match found {
            Seen::Same { seen, missing } => {
                file.seen = settled(seen);
                file.missing = missing.then(|| file.missing.unwrap_or(now));
                file.told_missing &= missing;
                if changed {
                    // It was another file for a moment; what was asked for is asked for again.
                    reading.rewind();
                }
            }
            Seen::Grown { seen, print } => {
                file.seen = settled(seen);
                (file.missing, file.told_missing) = (None, false);
                if changed {
                    reading.rewind();
                    (reading.size, reading.print) = (print.end, Some(print));
                } else {
                    reading.grow(print.end, Some(print));
                }
                (file.grew, file.pause, file.due) = (now, SOON, now + SOON);
            }
            Seen::Continued { segment, print } => {
                self.taken.push(Arc::clone(&segment));
                reading.segment = segment;
                reading.segment.keep_copy(print.end);
                if changed {
                    (reading.size, reading.print) = (print.end, Some(print));
                } else {
                    reading.grow(print.end, Some(print));
                }
                (file.seen, file.missing) = (None, None);
            }
            Seen::Rewritten { copy, in_place, since } => {
                self.rewritten(at, copy, since, &mut sealed);
                let again = self.files.last_mut().filter(|file| in_place && file.again);
                if let Some(again) = again {
                    (again.settles, again.due) = (Some(now + UNSETTLED), now + SETTLING);
                }
            }
            Seen::Other { between, unsure } => self.replaced(at, between, unsure, now),
            Seen::Failed(error) => {
                reading.problem = Some(format!("can't be looked at: {error}"));
                reading.changed = changed;
                file.due = now + POLL * 4;
            }
        }
        sealed
    }

    /// The file was truncated or rewritten in place: what it held is one file, and what it holds now another.
    fn rewritten(
        &mut self,
        at: usize,
        copy: Option<Copied>,
        since: Option<SystemTime>,
        sealed: &mut Vec<Sealed>,
    ) {
        let file = &mut self.files[at];
        let path = file.path.clone();
        let role = std::mem::replace(&mut file.role, Role::Still);
        let Stage::Open(reading) = &mut file.stage else { return };
        let (read, known) = (reading.end, reading.size);
        let name = path.as_deref().map_or_else(|| "the file".into(), file_name);
        let whole = copy.as_ref().is_some_and(|copy| {
            copy.size >= known && reading.segment.moved_to(&copy.segment).is_ok()
        });
        reading.cut_off();
        let text = match &copy {
            Some(copy) if whole => {
                reading.size = copy.size;
                reading.searched = reading.end;
                format!(
                    "{name} was truncated after it had been copied to {}; the copy is read to its end. \
                     Lines written between copying and truncating may be missing",
                    file_name(&copy.path)
                )
            }
            _ => {
                reading.segment.lose();
                let since = since.map(|since| format!(" since {}", clock(since)));
                let unread = match known.saturating_sub(read.max(reading.size)) {
                    0 => String::new(),
                    bytes => format!(", at least {bytes} bytes of them"),
                };
                format!(
                    "{name} was truncated or rewritten after {read} bytes had been read; lines written to \
                     it{} may be missing{unread}",
                    since.unwrap_or_default()
                )
            }
        };
        self.taken.extend(copy.map(|copy| copy.segment));
        reading.hide_growing(sealed);
        sealed.extend(reading.join_waiting());
        self.note(text, true);
        // What a past file holds now is nobody's: its name belongs to another one.
        if role == Role::Live {
            self.files.push(File { again: true, ..File::late(path, Role::Live) });
        }
    }

    /// The name leads to another file now.
    fn replaced(&mut self, at: usize, between: Vec<PathBuf>, unsure: bool, now: Instant) {
        let path = self.files[at].path.take();
        self.files[at].role = Role::Past(now);
        self.named.seen += 1 + between.len();
        if unsure {
            let name = path.as_deref().map_or_else(|| "the file".into(), file_name);
            self.note(
                format!(
                    "{name} was replaced; the old file is not beside it any more, so files that came and \
                     went in between may be missing"
                ),
                true,
            );
        }
        for path in between {
            self.files.push(File::late(Some(path), Role::Past(now)));
        }
        self.files.push(File::late(path, Role::Live));
    }

    /// Takes in a file that was found beside the others. It becomes the live one if it is the youngest.
    pub(crate) fn adopt(&mut self, path: PathBuf) {
        let now = Instant::now();
        let Some(live) = self.files.iter_mut().rfind(|file| file.role == Role::Live) else {
            return;
        };
        let younger = live.path.as_ref().is_some_and(|live| rotated::is_younger(&path, live));
        if younger {
            live.role = Role::Past(now);
            self.files.push(File::found(path, Role::Live));
        } else {
            self.files.push(File::found(path, Role::Past(now)));
        }
        self.several = true;
    }

    /// Whether one of the files is this one.
    pub(crate) fn has(&self, identity: Identity, path: &Path) -> bool {
        let mut known = self.taken.iter().chain(&self.copies);
        known.any(|segment| segment.identity() == Some(identity))
            || self.paths().any(|known| known == path)
    }

    /// What the files look like that have been read.
    fn prints(&self) -> Vec<(Print, Arc<Segment>)> {
        let print = |file: &File| match &file.stage {
            Stage::Open(reading) => reading.face.map(|face| (face, Arc::clone(&reading.segment))),
            Stage::Done(finished) => finished.print.clone(),
            _ => None,
        };
        self.files.iter().filter_map(print).collect()
    }

    /// The paths under which more is expected, or was.
    pub(crate) fn paths(&self) -> impl Iterator<Item = &Path> + '_ {
        self.files.iter().filter_map(|file| file.path.as_deref())
    }

    /// Has the files be looked at now, since something has changed; the name was given to other files so many
    /// times.
    pub(crate) fn wake(&mut self, now: Instant, named: usize) {
        if named > 0 {
            self.named.told += named;
            self.named.last = Some(now);
        }
        for file in &mut self.files[self.first..] {
            file.due = file.due.min(now);
        }
    }

    /// Looks what streams have brought, shows what stays unfinished, and lets go of what is done. Says whether
    /// anything is new, and when something may be next.
    pub(crate) fn tend(&mut self, now: Instant) -> (bool, Option<Instant>) {
        let mut news = self.missed(now);
        let mut next: Option<Instant> = self.named.last.map(|last| last + TOLD);
        let mut sooner = |at: Instant| next = Some(next.map_or(at, |known| known.min(at)));
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
                continue;
            }
            if reading.is_unfinished() {
                sooner(file.grew + GROWING);
            }
            if let Role::Past(since) = file.role {
                let quiet = now.saturating_duration_since(since.max(file.grew));
                if quiet > WHOLE && reading.open {
                    reading.close();
                    news = true;
                    continue;
                }
                if quiet > RETIRED {
                    file.role = Role::Still;
                }
                sooner(file.grew + WHOLE);
            }
            if file.role != Role::Still {
                sooner(file.due);
            } else if !reading.streaming() && !reading.open && first {
                let (_, bytes) = reading.bytes();
                file.stage = Stage::Done(Finished {
                    bytes,
                    problem: reading.problem.take(),
                    form: reading.form,
                    inside: reading.from > 0,
                    print: reading.face.map(|face| (face, Arc::clone(&reading.segment))),
                });
                self.first += 1;
            }
        }
        (news, next)
    }

    /// Tells of files that had the name and were gone before they could be opened. Says whether there were any.
    fn missed(&mut self, now: Instant) -> bool {
        let told = self.named.last.is_some_and(|last| now >= last + TOLD);
        if !told {
            return false;
        }
        self.named.last = None;
        let missed = self.named.told.saturating_sub(self.named.seen);
        self.named.told = self.named.seen;
        if missed == 0 {
            return false;
        }
        let path = self.files.iter().rev().find_map(|file| file.path.as_deref());
        let name = path.map_or_else(|| "the file".into(), file_name);
        self.note(
            format!(
                "{name} was replaced too quickly: {missed} files came and went before they could be opened, \
                 and their lines are missing"
            ),
            true,
        );
        true
    }

    fn note(&mut self, text: String, lossy: bool) {
        let time = i64::try_from(jiff::Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX);
        if self.notes.len() >= NOTES {
            self.notes.remove(0);
        }
        self.notes.push(Note { time, text, lossy });
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
            let ending = file.path.as_ref().and_then(|path| path.extension());
            let packed = ending.is_some_and(|e| e == "gz" || e == "zst" || e == "zstd");
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

    /// Whether a file belongs to the set of this source.
    pub(crate) fn is_set_of(&self, path: &Path) -> bool {
        self.paths().any(|known| rotated::same_set(path, known))
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
                // Count a file that waits as one byte, so that nobody takes the source for read.
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
                    .or_else(|| file.wants_look(now, reading).then_some(1.0))
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

impl File {
    /// The reading that a result belongs to, unless it went on without it.
    fn reading(&mut self, run: u32) -> Option<&mut Reading> {
        match &mut self.stage {
            Stage::Open(reading) if reading.run == run => Some(reading),
            _ => None,
        }
    }

    /// Whether it is to be opened before anything else.
    fn is_urgent(&self, now: Instant) -> bool {
        matches!(self.stage, Stage::Unopened) && self.late && now >= self.due
    }

    /// Whether a younger file of the set must wait for this one.
    fn is_busy(&self) -> bool {
        match &self.stage {
            Stage::Unopened | Stage::Opening => true,
            Stage::Open(reading) => !reading.idle() || reading.streaming() || reading.changed,
            _ => false,
        }
    }

    /// Nothing is read of it.
    fn finish(&mut self) {
        (self.role, self.path) = (Role::Still, None);
        let form = Form::default();
        self.stage =
            Stage::Done(Finished { bytes: 0, problem: None, form, inside: false, print: None });
    }

    fn refused(&mut self, error: &std::io::Error) {
        use std::io::ErrorKind::{NotFound, PermissionDenied};
        let live = self.role == Role::Live;
        self.due = Instant::now() + POLL;
        self.stage = Stage::Closed(match error.kind() {
            NotFound if live => "there is no such file yet; waiting for it".into(),
            NotFound => "can't be read: there is no such file any more".into(),
            PermissionDenied => {
                "can't be read: you have no right to; ask its owner or run as a user who may".into()
            }
            _ => format!("can't be read: {error}"),
        });
    }

    fn opened(
        &mut self,
        arrived: Arrived,
        base: Dialect,
        number: usize,
        several: bool,
        manner: &Manner,
    ) {
        let stream = arrived.spool.is_some();
        if arrived.copy {
            return self.finish();
        }
        let open = stream || self.role != Role::Still;
        let mut reading = Box::new(Reading::new(arrived, base, number, open));
        reading.name = self.path.as_deref().filter(|_| several).map(file_name);
        if let Some(last) = manner.last_bytes.filter(|last| !stream && *last < reading.size) {
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

    fn wants_look(&self, now: Instant, reading: &Reading) -> bool {
        let watched = self.role != Role::Still && reading.spool.is_none() && !self.looking;
        watched && now >= self.due && (reading.idle() || reading.changed)
    }

    fn wants_growing(&self, now: Instant, reading: &Reading) -> bool {
        reading.wants_growing() && now >= self.grew + GROWING
    }

    /// A look at a followed file, or at a line that stays without its end.
    fn look(&mut self, now: Instant, taken: impl FnOnce() -> Vec<Identity>) -> Option<(u32, Task)> {
        let Stage::Open(reading) = &self.stage else { return None };
        let (look, show) = (self.wants_look(now, reading), self.wants_growing(now, reading));
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
            taken: taken(),
        };
        Some((reading.run, Task::Look { known: Box::new(known) }))
    }
}

/// What was seen of a file, unless it was written a moment ago: the next write might leave both as they are.
fn settled(seen: (u64, SystemTime)) -> Option<(u64, SystemTime)> {
    let old = seen.1.elapsed().is_ok_and(|age| age > Duration::from_millis(100));
    old.then_some(seen)
}

/// A moment as a clock shows it, in UTC.
fn clock(time: SystemTime) -> String {
    let time = jiff::Timestamp::try_from(time).unwrap_or_else(|_| jiff::Timestamp::now());
    time.strftime("%H:%M:%S%.3f UTC").to_string()
}

pub(super) fn file_name(path: &Path) -> Arc<str> {
    let name = path.file_name().map(|name| name.to_string_lossy()).unwrap_or_default();
    harmless(&name).replace(['\n', '\t'], "␤").into()
}
