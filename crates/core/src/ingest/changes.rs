//! What becomes of a source when its files change, and what is told of it.

use std::{
    path::PathBuf,
    sync::Arc,
    time::{Duration, Instant, SystemTime},
};

use super::{
    Feed, Sealed,
    file::{File, POLL, Role, SETTLING, SOON, Stage, file_name, poll, settled},
    follow::{Beside, Copied, Seen},
    rotated,
};
use crate::source::{Identity, Segment};

/// After so long it is read although it goes on to be written to.
pub(super) const UNSETTLED: Duration = Duration::from_secs(1);
/// Copies of its files that a source remembers.
pub(super) const COPIES: usize = 256;
/// Notes that are kept for a source.
pub(super) const NOTES: usize = 50;
/// After so long without word of another file, all words have come.
pub(super) const TOLD: Duration = Duration::from_millis(200);

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
pub(super) struct Named {
    pub(super) told: usize,
    pub(super) seen: usize,
    pub(super) last: Option<Instant>,
}

impl Feed {
    /// A name leads to a file that is known: it is followed under this name again.
    pub(super) fn came_back(&mut self, at: usize, identity: Option<Identity>) {
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
    pub(super) fn seen(&mut self, at: usize, run: u32, found: Seen) -> Vec<Sealed> {
        let now = Instant::now();
        let file = &mut self.files[at];
        let pause = file.pause;
        file.pause = (pause * 2).min(poll());
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
                file.seen = seen.and_then(settled);
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
                self.taken.add(&segment);
                reading.segment = segment;
                reading.segment.keep_copy(print.end);
                reading.segment.looks_like(print);
                if changed {
                    (reading.size, reading.print) = (print.end, Some(print));
                } else {
                    reading.grow(print.end, Some(print));
                }
                (file.seen, file.missing) = (None, None);
            }
            Seen::Rewritten { copy, in_place, since } => {
                self.rewritten(at, copy.as_ref(), since, &mut sealed);
                let again = self.files.last_mut().filter(|file| in_place && file.again);
                if let Some(again) = again {
                    (again.settles, again.due) = (Some(now + UNSETTLED), now + SETTLING);
                }
            }
            Seen::Other { between, live, unsure } => self.replaced(at, between, live, unsure, now),
            // Nothing more can come of it.
            Seen::Deleted => {
                file.role = Role::Still;
                reading.close();
            }
            Seen::Failed(error) => {
                reading.problem = Some(format!("can't be looked at: {error}"));
                reading.changed = changed;
                file.due = now + POLL * 4;
            }
        }
        sealed
    }

    /// The file was truncated or rewritten in place: what it held is one file, and what it holds now another.
    pub(super) fn rewritten(
        &mut self,
        at: usize,
        copy: Option<&Copied>,
        since: Option<SystemTime>,
        sealed: &mut Vec<Sealed>,
    ) {
        let file = &mut self.files[at];
        let path = file.path.clone();
        let role = std::mem::replace(&mut file.role, Role::Still);
        let Stage::Open(reading) = &mut file.stage else { return };
        let (read, known) = (reading.end, reading.size);
        let name = path.as_deref().map_or_else(|| "the file".into(), file_name);
        let whole = copy.is_some_and(|copy| copy.size >= known);
        if let Some(copy) = copy.filter(|_| whole) {
            reading.segment.moved_to(&copy.segment);
        }
        reading.cut_off();
        let text = match copy {
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
        if let Some(copy) = copy {
            self.taken.add(&copy.segment);
        }
        reading.hide_growing(sealed);
        sealed.extend(reading.join_waiting());
        self.note(text, true);
        // Ignore what a past file holds now: its name belongs to another file.
        if role == Role::Live {
            self.files.push(File { again: true, ..File::late(path, Role::Live) });
        }
    }

    /// The name leads to another file now.
    pub(super) fn replaced(
        &mut self,
        at: usize,
        between: Vec<Beside>,
        live: Option<Arc<Segment>>,
        unsure: bool,
        now: Instant,
    ) {
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
        for Beside { path, segment } in between {
            self.files.push(File::held(Some(path), Some(segment), Role::Past(now)));
        }
        self.files.push(File::held(path, live, Role::Live));
    }

    /// Takes in a file that was found beside the others. It becomes the live one if it is the youngest.
    /// Says whether it does.
    pub(crate) fn adopt(&mut self, path: PathBuf) -> bool {
        let now = Instant::now();
        let Some(live) = self.files.iter_mut().rfind(|file| file.role == Role::Live) else {
            return false;
        };
        let younger = live.path.as_ref().is_some_and(|live| rotated::is_younger(&path, live));
        if younger {
            live.role = Role::Past(now);
            self.files.push(File::found(path, Role::Live));
        } else {
            self.files.push(File::found(path, Role::Past(now)));
        }
        self.several = true;
        younger
    }

    /// Tells of files that had the name and were gone before they could be opened. Says whether there were any.
    pub(super) fn missed(&mut self, now: Instant) -> bool {
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

    pub(super) fn note(&mut self, text: String, lossy: bool) {
        let time = i64::try_from(jiff::Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX);
        if self.notes.len() >= NOTES {
            self.notes.remove(0);
        }
        self.notes.push(Note { time, text, lossy });
    }
}

/// A moment as a clock shows it, in UTC.
fn clock(time: SystemTime) -> String {
    let time = jiff::Timestamp::try_from(time).unwrap_or_else(|_| jiff::Timestamp::now());
    time.strftime("%H:%M:%S%.3f UTC").to_string()
}
