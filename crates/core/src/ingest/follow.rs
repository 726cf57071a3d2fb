//! Following a file by its content.
//!
//! A length alone says little: a file may be truncated and grow past its old end between two looks, be rewritten
//! in place, be renamed with another created under its name, or come back. So a followed file is known by its
//! identity (device and inode) and by a [`Print`] of its beginning and of the bytes before the known end. A look
//! compares both and says which of these happened; what to do about it is [`super::Feed`]'s.

use std::{
    io,
    path::{Path, PathBuf},
    sync::Arc,
    time::SystemTime,
};

use super::rotated;
use crate::source::{Identity, Print, Segment};

/// What is known of a followed file.
#[derive(Clone, Debug)]
pub(crate) struct Known {
    /// Its name; nothing for a file that has been moved away.
    pub(crate) path: Option<PathBuf>,
    pub(crate) segment: Arc<Segment>,
    pub(crate) print: Print,
    /// Size and time of writing when it was last looked at, if it had not been written to right before.
    pub(crate) seen: Option<(u64, SystemTime)>,
    /// The files that its source is known to have.
    pub(crate) taken: Vec<Identity>,
}

/// What a look at a followed file has found.
#[derive(Debug)]
pub(crate) enum Seen {
    /// As it was. The name may lead nowhere at the moment.
    Same { seen: (u64, SystemTime), missing: bool },
    /// It has more bytes behind the known end.
    Grown { seen: (u64, SystemTime), print: Print },
    /// Another file is there in its place, which begins with all of its bytes and goes on: a tool that copies
    /// files has brought it up to date.
    Continued { segment: Arc<Segment>, print: Print },
    /// It is shorter, or holds other bytes: it was truncated or rewritten in place.
    Rewritten {
        /// The copy that was made of it before.
        copy: Option<Copied>,
        /// It has as many bytes as before, or more: the writer may not have finished.
        in_place: bool,
        /// When it was last as it was known.
        since: Option<SystemTime>,
    },
    /// The name leads to another file now, and this one has nothing new.
    Other {
        /// Files that had the name in between, oldest first.
        between: Vec<PathBuf>,
        /// There may have been more of them.
        unsure: bool,
    },
    /// It can't be looked at.
    Failed(io::Error),
}

/// A copy of a followed file that was made before the file was truncated.
#[derive(Debug)]
pub(crate) struct Copied {
    pub(crate) path: PathBuf,
    pub(crate) segment: Arc<Segment>,
    pub(crate) size: u64,
}

/// Fewer bytes than these may stand at the beginning of several files.
const TELLING: u64 = 32;

/// Looks at a followed file. Cost: two calls to the system, and two short readings where it has changed.
pub(crate) fn look(known: &Known) -> Seen {
    look_again(known).unwrap_or_else(Seen::Failed)
}

fn look_again(known: &Known) -> io::Result<Seen> {
    // The name first: what is written to this file until it is renamed is then seen below.
    let named = match &known.path {
        None => None,
        Some(path) => Some(match std::fs::metadata(path) {
            Ok(meta) => Some(Identity::of(&meta)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(error),
        }),
    };
    let meta = known.segment.metadata()?;
    let seen = (meta.len(), meta.modified()?);
    let shorter = meta.len() < known.print.end;
    if shorter || known.seen != Some(seen) && !known.print.fits(&known.segment)? {
        let since = known.seen.map(|(_, modified)| modified);
        return Ok(Seen::Rewritten { copy: copy_of(known), in_place: !shorter, since });
    }
    if meta.len() > known.print.end {
        let print = Print::of(&known.segment, meta.len())?;
        // The file may have been truncated, and have grown again, since its size was asked for.
        return Ok(match print.filter(|_| known.print.fits(&known.segment).unwrap_or(false)) {
            Some(print) => Seen::Grown { seen, print },
            None => Seen::Rewritten { copy: copy_of(known), in_place: false, since: None },
        });
    }
    match (named, &known.path) {
        (Some(Some(other)), Some(path)) if Some(other) != known.segment.identity() => {
            other_file(known, path, other, &meta)
        }
        (Some(None), _) => Ok(Seen::Same { seen, missing: true }),
        _ => Ok(Seen::Same { seen, missing: false }),
    }
}

/// The name leads to another file: finds out what that is.
fn other_file(
    known: &Known,
    path: &Path,
    other: Identity,
    mine: &std::fs::Metadata,
) -> io::Result<Seen> {
    use std::os::unix::fs::MetadataExt;
    if mine.nlink() == 0
        && known.print.end >= TELLING
        && let Ok(segment) = open_plain(path)
        && known.print.fits(&segment)?
    {
        let size = segment.metadata()?.len();
        if let Some(print) = Print::of(&segment, size)? {
            return Ok(Seen::Continued { segment, print });
        }
    }
    let siblings = rotated::siblings(path);
    let of = |path: &PathBuf| Identity::at(path).ok();
    let place = siblings.iter().position(|path| of(path) == known.segment.identity());
    let fresh =
        |path: &&PathBuf| of(path).is_some_and(|id| id != other && !known.taken.contains(&id));
    let Some(place) = place else {
        // Whatever was written after it is younger.
        let modified = mine.modified()?;
        let later = |path: &&PathBuf| {
            let meta = std::fs::metadata(path).and_then(|meta| meta.modified());
            meta.is_ok_and(|written| written >= modified)
        };
        let between: Vec<PathBuf> = siblings.iter().filter(fresh).filter(later).cloned().collect();
        let unsure = !between.is_empty();
        return Ok(Seen::Other { between, unsure });
    };
    let between = siblings[place + 1..].iter().filter(fresh).cloned().collect();
    Ok(Seen::Other { between, unsure: false })
}

/// The copy of a file that was truncated, if one lies beside it.
fn copy_of(known: &Known) -> Option<Copied> {
    let siblings = rotated::siblings(known.path.as_ref()?);
    siblings.into_iter().rev().find_map(|path| {
        let segment = open_plain(&path).ok()?;
        if segment.identity().is_none_or(|id| known.taken.contains(&id)) {
            return None;
        }
        let copy = is_copy(&known.print, &known.segment, &segment).ok()?;
        let size = segment.metadata().ok()?.len();
        copy.then_some(Copied { path, segment, size })
    })
}

/// Whether a file holds what a followed one did: all of it and perhaps more, or its beginning up to some place.
///
/// # Errors
///
/// Those of reading either.
pub(crate) fn is_copy(print: &Print, ours: &Segment, other: &Segment) -> io::Result<bool> {
    let size = other.metadata()?.len();
    if size >= print.end {
        return Ok(print.end >= TELLING && print.fits(other)?);
    }
    // It was written to after it was copied; our own bytes are in the segment or its copy.
    let theirs = Print::of(other, size)?;
    Ok(size >= TELLING && theirs.is_some() && theirs == Print::of_kept(ours, size)?)
}

fn open_plain(path: &Path) -> io::Result<Arc<Segment>> {
    if !std::fs::metadata(path)?.is_file() {
        return Err(io::ErrorKind::InvalidInput.into());
    }
    Segment::named(path, crate::source::descriptors::open(path)?)
}
