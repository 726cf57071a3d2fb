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
    pub(crate) segment: Arc<Segment>,
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
    let mine_is = known.segment.identity();
    let gone = mine.is_none_or(|mine| mine.nlink() == 0);
    let mut between: HashMap<Identity, Option<Beside>> = HashMap::new();
    let (mut found, mut order, mut last) = (false, Vec::new(), None);
    let mut older: HashSet<Identity> = HashSet::new();
    // A folder is not listed at one moment: while its files are renamed one after the other, some are missed. Two lists
    // that say the same say that none was. What stands between two files never changes, so any list may add to it.
    for _ in 0..LISTINGS {
        let listed = listed(path);
        let at = |wanted| listed.iter().position(|file| Some(file.identity) == wanted);
        let (mine_at, live_at) = (at(mine_is), live_is.map(|live| at(Some(live))));
        let end = live_at.flatten().unwrap_or(listed.len());
        // Whatever stands before it in the set is older. Where it was not found, only the time of writing tells.
        let files: Vec<&Listed> = match mine_at {
            Some(at) => listed.get(at + 1..end).unwrap_or_default().iter().collect(),
            None => {
                let later = |file: &&Listed| written.is_none_or(|written| file.modified >= written);
                listed[..end].iter().filter(later).collect()
            }
        };
        older.extend(listed[..mine_at.unwrap_or(0)].iter().map(|file| file.identity));
        for file in &files {
            let Listed { identity, path, .. } = file;
            if between.contains_key(identity) || older.contains(identity) {
                continue;
            }
            if known.taken.has(*identity, path) {
                between.insert(*identity, None);
                continue;
            }
            let segment = match open_plain(path) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
                opened => opened?,
            };
            // Another one may be there by now; the next list says where this one is.
            if segment.identity() == Some(*identity) {
                between.insert(*identity, Some(Beside { path: path.clone(), segment }));
            }
        }
        found |= mine_at.is_some();
        let list: Vec<Identity> = files.iter().map(|file| file.identity).collect();
        let whole = (mine_at.is_some() || gone)
            && live_at.is_none_or(|at| at.is_some())
            && list.iter().all(|identity| between.contains_key(identity));
        merge(&mut order, &list);
        if whole && last.as_ref() == Some(&list) {
            break;
        }
        last = Some(list);
    }
    // Those before it in the set are older, whatever they were taken for while it was not found.
    let new = between.into_iter().filter(|(identity, _)| !older.contains(identity));
    let mut between: Vec<(Identity, Beside)> =
        new.filter_map(|(identity, file)| Some((identity, file?))).collect();
    between.sort_by_key(|(identity, _)| order.iter().position(|other| other == identity));
    let unsure = !found && !between.is_empty();
    let between = between.into_iter().map(|(_, beside)| beside).collect();
    Ok(Seen::Other { between, live, unsure })
}

/// A file of a set.
struct Listed {
    identity: Identity,
    path: PathBuf,
    modified: SystemTime,
}

/// The files of the set that a file belongs to, oldest first. Cost: a call to the system a file.
fn listed(path: &Path) -> Vec<Listed> {
    let of = |path: PathBuf| {
        let meta = std::fs::metadata(&path).ok()?;
        Some(Listed { identity: Identity::of(&meta), path, modified: meta.modified().ok()? })
    };
    rotated::siblings(path).into_iter().filter_map(of).collect()
}

/// Puts the files of another list where they belong among those of the lists before: right before the next one that
/// was known, or at the end. Both lists are from the oldest to the youngest.
pub(super) fn merge(order: &mut Vec<Identity>, list: &[Identity]) {
    let mut end = order.len();
    for identity in list.iter().rev() {
        match order.iter().position(|other| other == identity) {
            Some(at) => end = at,
            None => order.insert(end, *identity),
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
