//! Following a file by its content.
//!
//! A length alone says little: a file may be truncated and grow past its old end between two looks, be rewritten
//! in place, be renamed with another created under its name, or come back. So a followed file is known by its
//! identity (device and inode) and by a [`Print`] of its beginning and of the bytes before the known end. A look
//! compares both and says which of these happened; what to do about it is [`super::Feed`]'s.

use std::{
    collections::{HashMap, HashSet},
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
    pub(crate) taken: KnownFiles,
}

/// The files that a source is known to have, so that none of them is read again under another name.
#[derive(Clone, Debug, Default)]
pub(crate) struct KnownFiles(Arc<HashMap<Identity, Arc<Segment>>>);

impl KnownFiles {
    /// Adds a file. Another one that had its identity is gone.
    pub(crate) fn add(&mut self, segment: &Arc<Segment>) {
        if let Some(identity) = segment.identity() {
            Arc::make_mut(&mut self.0).insert(identity, Arc::clone(segment));
        }
    }

    /// Whether the file at a path, which has this identity, is one of them. The inode of a deleted file is given to
    /// another one: if the known file is closed, the bytes must be the same as well.
    pub(crate) fn has(&self, identity: Identity, path: &Path) -> bool {
        self.0.get(&identity).is_some_and(|segment| {
            let same = |face: Print| {
                let fits = open_plain(path).and_then(|file| face.fits(&file));
                face.end >= TELLING && fits.unwrap_or(false)
            };
            segment.is_open() || segment.face().is_some_and(same)
        })
    }

    /// Whether a file with this identity is held open.
    pub(crate) fn holds(&self, identity: Identity) -> bool {
        self.0.get(&identity).is_some_and(|segment| segment.is_open())
    }

    /// All of them, and those of other sources.
    pub(crate) fn and(&self, others: &mut HashMap<Identity, Arc<Segment>>) {
        others.extend(self.0.iter().map(|(identity, segment)| (*identity, Arc::clone(segment))));
    }

    /// Those of several sources.
    pub(crate) fn of(files: HashMap<Identity, Arc<Segment>>) -> Self {
        Self(Arc::new(files))
    }
}

/// What a look at a followed file has found.
#[derive(Debug)]
pub(crate) enum Seen {
    /// As it was. The name may lead nowhere at the moment.
    Same { seen: Option<(u64, SystemTime)>, missing: bool },
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
        between: Vec<Beside>,
        /// The one that has it now.
        live: Option<Arc<Segment>>,
        /// There may have been more of them.
        unsure: bool,
    },
    /// It had no name any more when it was closed, and can't be opened again.
    Deleted,
    /// It can't be looked at.
    Failed(io::Error),
}

/// A file that had the name of a followed one, and is held open under the name that it was found at.
#[derive(Debug)]
pub(crate) struct Beside {
    pub(crate) path: PathBuf,
    /// Nothing where another file came to be there.
    pub(crate) segment: Option<Arc<Segment>>,
}

/// A copy of a followed file that was made before the file was truncated.
#[derive(Debug)]
pub(crate) struct Copied {
    pub(crate) path: PathBuf,
    pub(crate) segment: Arc<Segment>,
    pub(crate) size: u64,
}

/// How often a folder is listed at most to find a file in it.
const LISTINGS: usize = 8;
/// Fewer bytes than these may stand at the beginning of several files.
pub(super) const TELLING: u64 = 32;

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
    let meta = match known.segment.metadata() {
        // It was closed while it was quiet, and deleted since.
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            return match (named, &known.path) {
                (Some(Some(_)), Some(path)) => other_file(known, path, None),
                (Some(None), _) => Ok(Seen::Same { seen: known.seen, missing: true }),
                _ => Ok(Seen::Deleted),
            };
        }
        meta => meta?,
    };
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
            other_file(known, path, Some(&meta))
        }
        (Some(None), _) => Ok(Seen::Same { seen: Some(seen), missing: true }),
        _ => Ok(Seen::Same { seen: Some(seen), missing: false }),
    }
}

/// The name leads to another file: finds out what that is, and opens it and those that had the name in between, since
/// they may be renamed again at any moment.
fn other_file(known: &Known, path: &Path, mine: Option<&std::fs::Metadata>) -> io::Result<Seen> {
    use std::os::unix::fs::MetadataExt;
    let live = open_plain(path).ok();
    if mine.is_none_or(|mine| mine.nlink() == 0)
        && known.print.end >= TELLING
        && let Some(segment) = &live
        && known.print.fits(segment)?
    {
        let size = segment.metadata()?.len();
        if let Some(print) = Print::of(segment, size)? {
            return Ok(Seen::Continued { segment: Arc::clone(segment), print });
        }
    }
    let written = match mine {
        Some(mine) => Some(mine.modified()?),
        None => known.seen.map(|(_, modified)| modified),
    };
    let live_is = live.as_ref().and_then(|live| live.identity());
    let mut between: HashMap<Identity, Beside> = HashMap::new();
    let (mut found, mut order, mut listed) = (false, Vec::new(), Vec::new());
    let mut older: HashSet<Identity> = HashSet::new();
    // A folder is not listed at one moment: while its files are renamed one after the other, some are missed. Two lists
    // that are the same say that none was. Where no two are (hundreds of files that are renamed all the time), what any
    // of the lists has is taken: the last one alone misses files that an earlier one had.
    for _ in 0..LISTINGS {
        let before = std::mem::take(&mut listed);
        let (mut here, mut younger) = (false, Vec::new());
        for path in rotated::siblings(path) {
            let Ok(meta) = std::fs::metadata(&path) else { continue };
            let identity = Identity::of(&meta);
            listed.push((identity, path.clone()));
            if Some(identity) == known.segment.identity() {
                // Whatever stands before it in the set is older. Renaming goes from the oldest to the youngest, as
                // does the list: a file can be missed, but never overtakes another.
                here = true;
                older.extend(younger.drain(..));
                continue;
            }
            let later = |written| meta.modified().is_ok_and(|modified| modified >= written);
            // Whatever was written after it is younger; before it is found in the list, only that tells.
            let earlier = !here && !written.is_none_or(later);
            if earlier || Some(identity) == live_is || known.taken.has(identity, &path) {
                continue;
            }
            younger.push(identity);
            if older.contains(&identity)
                || between.get(&identity).is_some_and(|one| one.segment.is_some())
            {
                continue;
            }
            let segment = match open_plain(&path) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => None,
                opened => Some(opened?),
            };
            let same = |segment: &Arc<Segment>| segment.identity() == Some(identity);
            between.insert(identity, Beside { path, segment: segment.filter(same) });
        }
        found |= here;
        merge(&mut order, younger);
        let gone = mine.is_none_or(|mine| mine.nlink() == 0);
        if listed == before && (here || gone) {
            break;
        }
    }
    // Those before it in the set are older, whatever they were taken for while it was not found.
    between.retain(|identity, _| !older.contains(identity));
    let unsure = !found && !between.is_empty();
    let mut between: Vec<(Identity, Beside)> = between.into_iter().collect();
    between.sort_by_key(|(identity, _)| order.iter().position(|other| other == identity));
    let between = between.into_iter().map(|(_, beside)| beside).collect();
    Ok(Seen::Other { between, live, unsure })
}

/// Puts the files of another list where they belong among those of the lists before: right before the next one that
/// was known, or at the end. Both lists are from the oldest to the youngest.
pub(super) fn merge(order: &mut Vec<Identity>, list: Vec<Identity>) {
    let mut end = order.len();
    for identity in list.into_iter().rev() {
        match order.iter().position(|other| *other == identity) {
            Some(at) => end = at,
            None => order.insert(end, identity),
        }
    }
}

/// The copy of a file that was truncated, if one lies beside it.
fn copy_of(known: &Known) -> Option<Copied> {
    let siblings = rotated::siblings(known.path.as_ref()?);
    siblings.into_iter().rev().find_map(|path| {
        let segment = open_plain(&path).ok()?;
        if segment.identity().is_none_or(|id| known.taken.has(id, &path)) {
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
