//! What workers do for a feed, and what comes back.

use std::{
    fs::File,
    io,
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, SystemTime},
};

use super::{
    file,
    follow::{self, Known, KnownFiles, Seen},
    join::Lead,
    learn::{self, Learnt},
};
use crate::{
    layout::Dialect,
    limits,
    lines::{self, Chunk, Cut, Trouble},
    source::{self, Form, Met, Print, Segment, Spool, Wake, copies},
};

/// Which file's which run a task belongs to. Results of an earlier run are dropped.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Ticket {
    pub(crate) source: usize,
    pub(crate) file: usize,
    pub(crate) run: u32,
}

/// Files that one may be a copy of, and what they look like if that is known.
type Others = Vec<(Option<Print>, Arc<Segment>)>;

/// Something that touches the file system, or takes long.
pub(crate) enum Task {
    /// Opens a file, or standard input, and learns from its beginning.
    Open {
        path: Option<PathBuf>,
        /// The file itself, where it is open already.
        held: Option<Arc<Segment>>,
        base: Box<Dialect>,
        /// Whether sources are followed, and then whether this file may still grow.
        follow: Option<bool>,
        wake: Wake,
        /// The files of which this one may be a copy.
        others: Others,
        taken: KnownFiles,
    },
    /// Looks what has become of a followed file.
    Look { known: Box<Known> },
    /// Learns from the bytes at a place.
    Learn { segment: Arc<Segment>, from: u64, now: Option<Arc<Dialect>>, base: Box<Dialect> },
    /// Cuts a chunk into entries.
    Cut { number: usize, segment: Arc<Segment>, dialect: Arc<Dialect>, chunk: Box<Chunk> },
    /// Cuts the beginning of a chunk again, knowing what came before.
    Recut { dialect: Arc<Dialect>, lead: Box<Lead> },
}

/// What a task has led to.
pub(crate) enum Done {
    Opened(io::Result<Box<Arrived>>),
    Looked(Box<Seen>),
    Learnt(Box<Learnt>),
    Cut(usize, Result<Box<Cut>, Trouble>),
    Recut(Box<Lead>),
    /// A worker failed at cutting again.
    Lost,
}

/// An open file, and what was learnt from its beginning.
pub(crate) struct Arrived {
    pub(crate) segment: Arc<Segment>,
    pub(crate) spool: Option<Arc<Spool>>,
    pub(crate) form: Form,
    pub(crate) size: u64,
    /// Nothing for a stream, which has not brought anything yet.
    pub(crate) learnt: Option<Learnt>,
    pub(crate) print: Option<Print>,
    /// It holds what another file of the source did.
    pub(crate) copy: bool,
    /// What was met at its path, where the source has others that it may be a copy of.
    pub(crate) met: Option<Met>,
    /// It is a file that the source has already.
    pub(crate) taken: bool,
    /// It was written to a moment ago.
    pub(crate) fresh: bool,
}

impl Task {
    /// Does it. Reads, and may block as long as the file system does.
    pub(crate) fn run(self) -> Done {
        match self {
            Self::Open { path, held, base, follow, wake, others, taken } => {
                let mut opened = open(path.as_deref(), held, &base, follow, wake);
                if let (Ok(arrived), Some(path)) = (&mut opened, &path) {
                    arrived.met = Met::at(path).ok();
                    arrived.copy = is_copy(arrived, path, others);
                    let known = |identity| taken.has(identity, path);
                    arrived.taken = arrived.segment.identity().is_some_and(known);
                }
                Done::Opened(opened.map(Box::new))
            }
            Self::Look { known } => Done::Looked(Box::new(follow::look(&known))),
            Self::Learn { segment, from, now, base } => {
                Done::Learnt(Box::new(learn::learn(&segment, from, now.as_deref(), &base)))
            }
            Self::Cut { number, segment, dialect, chunk } => {
                Done::Cut(number, lines::read(&segment, &dialect, *chunk).map(Box::new))
            }
            Self::Recut { dialect, mut lead } => {
                lead.cut(&dialect);
                Done::Recut(lead)
            }
        }
    }

    /// What is told when a worker has failed at it.
    pub(crate) fn failed(&self) -> Done {
        let broke = || io::Error::other("an error in Cribrum itself; please report it");
        match self {
            Self::Open { .. } => Done::Opened(Err(broke())),
            Self::Look { .. } => Done::Looked(Box::new(Seen::Failed(broke()))),
            Self::Learn { base, from, .. } => {
                Done::Learnt(Box::new(Learnt::nothing((**base).clone(), *from)))
            }
            Self::Cut { number, .. } => Done::Cut(*number, Err(Trouble::Panicked)),
            Self::Recut { .. } => Done::Lost,
        }
    }
}

impl Done {
    /// Whether it may be no news at all.
    pub(crate) fn is_quiet(&self) -> bool {
        matches!(self, Self::Looked(seen) if matches!(**seen, Seen::Same { .. } | Seen::Grown { .. }))
    }
}

fn open(
    path: Option<&Path>,
    held: Option<Arc<Segment>>,
    base: &Dialect,
    follow: Option<bool>,
    wake: Wake,
) -> io::Result<Arrived> {
    let Some(path) = path else {
        let (spool, file) = Spool::start(stdin()?, wake)?;
        return Ok(Arrived {
            segment: Arc::new(Segment::unnamed(file)),
            spool: Some(spool),
            form: Form::Plain,
            size: 0,
            learnt: None,
            print: None,
            copy: false,
            met: None,
            taken: false,
            fresh: false,
        });
    };
    let opened = source::open(path, held, wake)?;
    if opened.spool.is_some() {
        // Packed files are opened by their names: by now it may be one that is only being packed.
        let fresh = std::fs::metadata(path).is_ok_and(|meta| is_fresh(&meta));
        return Ok(Arrived {
            segment: opened.segment,
            spool: opened.spool,
            form: opened.form,
            size: 0,
            learnt: None,
            print: None,
            copy: false,
            met: None,
            taken: false,
            fresh,
        });
    }
    let segment = opened.segment;
    // The print is taken of the size that was asked for: a file may grow in between.
    let meta = segment.metadata()?;
    let size = meta.len();
    let fresh = is_fresh(&meta);
    if follow == Some(true) {
        // What a large file held before is not copied: it would have to be read and written whole.
        let whole = size <= limits::COPIED_AT_ONCE && copies::has_plenty();
        segment.keep_copy(if whole { 0 } else { size });
    }
    let face = if follow.is_some() { Print::of(&segment, size)? } else { None };
    if let Some(face) = face {
        segment.looks_like(face);
    }
    let print = face.filter(|_| follow == Some(true));
    let learnt = (size > 0).then(|| learn::learn(&segment, 0, None, base));
    let (spool, form) = (None, opened.form);
    Ok(Arrived {
        segment,
        spool,
        form,
        size,
        learnt,
        print,
        copy: false,
        met: None,
        taken: false,
        fresh,
    })
}

/// Whether a file was written, or given its name, a moment ago. A packed file has the time of writing of what was packed.
fn is_fresh(meta: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    let second = u64::try_from(meta.ctime()).unwrap_or(0);
    let nanosecond = u32::try_from(meta.ctime_nsec()).unwrap_or(0);
    let changed = SystemTime::UNIX_EPOCH + Duration::new(second, nanosecond);
    let young = |time: SystemTime| time.elapsed().is_ok_and(|age| age < file::SETTLING);
    young(changed) || meta.modified().is_ok_and(young)
}

/// Whether a file holds what another one did; of one that is packed, the beginning tells.
fn is_copy(arrived: &Arrived, path: &Path, others: Others) -> bool {
    if others.is_empty() {
        return false;
    }
    let printed = |(print, ours): (Option<Print>, Arc<Segment>)| {
        let now = || Print::of(&ours, ours.metadata().ok()?.len()).ok()?;
        Some((print.or_else(now)?, ours))
    };
    let mut others = others.into_iter().filter_map(printed);
    if arrived.spool.is_some() {
        let beginning = source::beginning(path, source::PRINTED).map(|(_, text)| text);
        let text = beginning.unwrap_or_default();
        return others.any(|(print, _)| {
            let whole = text.len() as u64 == print.end;
            (whole || print.end >= follow::TELLING) && print.begins(&text)
        });
    }
    let copy = |(print, ours): (Print, Arc<Segment>)| {
        ours.identity() != arrived.segment.identity()
            && follow::is_copy(&print, &ours, &arrived.segment).unwrap_or(false)
    };
    others.any(copy)
}

/// Standard input as a file of its own, so that the terminal can take its place for keys.
fn stdin() -> io::Result<File> {
    use std::os::fd::AsFd;
    Ok(File::from(io::stdin().as_fd().try_clone_to_owned()?))
}
