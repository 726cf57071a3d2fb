//! An open file whose bytes are read by position.
//!
//! Never mapped: a file that is truncated under a map kills the process. A segment outlives the name of its
//! file: renamed or deleted, its bytes stay readable here. Bytes that are read while a file is followed are
//! kept in a copy as well, so that truncating the file takes nothing that was shown.

use std::{
    fs::{File, Metadata},
    io,
    os::unix::fs::{DirEntryExt, FileExt, MetadataExt},
    path::{Path, PathBuf},
    sync::{
        Arc, Mutex, OnceLock, PoisonError, RwLock,
        atomic::{AtomicBool, AtomicU64, Ordering},
    },
    time::SystemTime,
};

use super::{
    Print,
    copies::Copy,
    descriptors::{self, CLOCK, OPEN, Rests},
};

/// What tells a file from every other one: its device, its inode, and where the file system tells it, when it was created. The
/// inode of a deleted file is given to the next one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Identity {
    device: u64,
    inode: u64,
    created: Option<SystemTime>,
}

impl Identity {
    /// The identity of the file that the metadata are about.
    #[must_use]
    pub fn of(meta: &Metadata) -> Self {
        Self { device: meta.dev(), inode: meta.ino(), created: meta.created().ok() }
    }

    /// The identity of the file that a path leads to, through links.
    ///
    /// # Errors
    ///
    /// Those of asking the file system.
    pub fn at(path: &Path) -> io::Result<Self> {
        Ok(Self::of(&std::fs::metadata(path)?))
    }
}

/// What was met at a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Met {
    pub(crate) identity: Identity,
    size: u64,
    modified: SystemTime,
}

impl Met {
    /// What the path leads to at the moment, through links.
    ///
    /// # Errors
    ///
    /// Those of asking the file system.
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        let meta = std::fs::metadata(path)?;
        let modified = meta.modified()?;
        Ok(Self { identity: Identity::of(&meta), size: meta.len(), modified })
    }
}

/// A file whose bytes are read by position.
#[derive(Debug)]
pub(crate) struct Segment {
    /// Where it was found last; nothing for a spool, which has no name.
    path: Option<Mutex<PathBuf>>,
    identity: Option<Identity>,
    /// Nothing while it rests: descriptors are few, and files may be many.
    file: RwLock<Option<Arc<File>>>,
    /// The file was cut short or rewritten: what stands in it now is not what was read.
    gone: AtomicBool,
    /// Another file that holds the same bytes is read in its place.
    moved: OnceLock<Arc<Segment>>,
    /// No more is expected of it: where it was deleted, it may be closed for good when descriptors run short.
    spent: AtomicBool,
    /// What its bytes look like up to where they were known last.
    face: Mutex<Option<Print>>,
    /// When it was last read, counted in readings of all segments.
    used: AtomicU64,
    copy: OnceLock<Arc<Mutex<Copy>>>,
}

impl Segment {
    fn new(path: Option<PathBuf>, identity: Option<Identity>, file: Option<File>) -> Self {
        Self {
            path: path.map(Mutex::new),
            identity,
            file: RwLock::new(file.map(Arc::new)),
            gone: AtomicBool::new(false),
            moved: OnceLock::new(),
            spent: AtomicBool::new(false),
            face: Mutex::new(None),
            used: AtomicU64::new(0),
            copy: OnceLock::new(),
        }
    }

    /// A file without a name, such as a spool. It never rests, since it could not be opened again.
    pub(crate) fn unnamed(file: File) -> Self {
        Self::new(None, None, Some(file))
    }

    /// A segment without a byte.
    pub(crate) fn nothing() -> Arc<Self> {
        static NOTHING: OnceLock<Arc<Segment>> = OnceLock::new();
        Arc::clone(NOTHING.get_or_init(|| Arc::new(Self::new(None, None, None))))
    }

    /// A file that was opened at a path. It is closed when descriptors run short, and opened again when it is
    /// read.
    ///
    /// # Errors
    ///
    /// Those of asking for its metadata.
    pub(crate) fn named(path: &Path, file: File) -> io::Result<Arc<Self>> {
        let identity = Identity::of(&file.metadata()?);
        let segment = Arc::new(Self::new(Some(path.to_path_buf()), Some(identity), Some(file)));
        OPEN.register(&segment);
        Ok(segment)
    }

    /// What its bytes look like up to where they were known last.
    pub(crate) fn face(&self) -> Option<Print> {
        *lock(&self.face)
    }

    /// Remembers what its bytes look like.
    pub(crate) fn looks_like(&self, print: Print) {
        *lock(&self.face) = Some(print);
    }

    /// Whether its file is held open: no other file has its identity then.
    pub(crate) fn is_open(&self) -> bool {
        self.file.read().unwrap_or_else(PoisonError::into_inner).is_some()
    }

    /// Says that no more is expected of it.
    pub(crate) fn spend(&self) {
        self.spent.store(true, Ordering::Release);
    }

    /// Closes a file that is quiet, where many are read and it can be opened again.
    pub(crate) fn rest_quietly(&self) {
        if OPEN.are_many() {
            self.rest();
        }
    }

    /// Keeps a copy of the bytes behind a place that are read from now on.
    pub(crate) fn keep_copy(&self, from: u64) {
        self.copy.get_or_init(|| Copy::new(from));
    }

    /// Says that the entries before a place are done with: their copy may be given up where room is short.
    /// `give_up` says that nobody asks for them again.
    pub(crate) fn settle(&self, end: u64, give_up: bool) {
        if let Some(copy) = self.copy.get() {
            lock(copy).settle(end, give_up);
        }
    }

    pub(crate) fn identity(&self) -> Option<Identity> {
        self.identity
    }

    /// Says that the bytes that were read are no longer there.
    pub(crate) fn lose(&self) {
        self.gone.store(true, Ordering::Release);
    }

    /// Reads from another file from now on, which holds the same bytes.
    pub(crate) fn moved_to(&self, other: &Arc<Self>) {
        if self.moved.set(Arc::clone(other)).is_ok() {
            self.close();
        }
    }

    /// Reads bytes that are perhaps only in the copy that was kept of them.
    ///
    /// # Errors
    ///
    /// Those of reading.
    pub(crate) fn read_kept(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        match self.copy.get() {
            Some(copy) => lock(copy).read_at(offset, bytes),
            None => Ok(0),
        }
    }

    /// Reads as many bytes as there are, up to the length of `bytes`. The copy comes first: in the file itself
    /// other bytes may stand by now.
    ///
    /// # Errors
    ///
    /// Those of reading, and of opening the file again.
    pub(crate) fn read_at(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        let kept = self.read_kept(offset, bytes)?;
        if kept == bytes.len() || self.gone.load(Ordering::Acquire) {
            return Ok(kept);
        }
        Ok(kept + self.read_file(offset + kept as u64, &mut bytes[kept..])?)
    }

    /// The same from the file as it is now, whatever the copy holds.
    ///
    /// # Errors
    ///
    /// Those of reading, and of opening the file again.
    pub(crate) fn read_file(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        if let Some(other) = self.moved.get() {
            return other.read_file(offset, bytes);
        }
        let file = self.file()?;
        let mut got = 0;
        while got < bytes.len() {
            match read_once(&file, &mut bytes[got..], offset + got as u64) {
                Ok(0) => break,
                Ok(more) => got += more,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        Ok(got)
    }

    /// Keeps bytes that were read at a place, if a copy is kept.
    pub(crate) fn keep(&self, offset: u64, bytes: &[u8]) {
        if let Some(copy) = self.copy.get() {
            lock(copy).keep(offset, bytes);
        }
    }

    /// The metadata of the file, whatever its name is now. Cost: a call to the system. A file that rests is not
    /// opened for it.
    ///
    /// # Errors
    ///
    /// Those of asking for them; `NotFound` for a file that rests and was deleted, or moved to another folder.
    pub(crate) fn metadata(&self) -> io::Result<Metadata> {
        if let Some(file) = self.held() {
            return file.metadata();
        }
        self.found().map(|(_, meta)| meta)
    }

    fn held(&self) -> Option<Arc<File>> {
        self.used.store(CLOCK.fetch_add(1, Ordering::Relaxed), Ordering::Relaxed);
        self.file.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    fn file(&self) -> io::Result<Arc<File>> {
        match self.held() {
            Some(file) => Ok(file),
            None => self.open_again(),
        }
    }

    /// Where the file is by now: under its name, or under another one in the same folder.
    fn found(&self) -> io::Result<(PathBuf, Metadata)> {
        let (Some(known), Some(identity)) = (&self.path, self.identity) else {
            return Err(io::ErrorKind::NotFound.into());
        };
        let here = |path: &Path| {
            std::fs::metadata(path).ok().filter(|meta| Identity::of(meta) == identity)
        };
        let path = lock(known).clone();
        if let Some(meta) = here(&path) {
            return Ok((path, meta));
        }
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let entries = std::fs::read_dir(folder.unwrap_or(Path::new(".")))?;
        // Whatever else lies in the folder need not be readable.
        let mut named = entries.flatten().filter(|entry| entry.ino() == identity.inode);
        let found = named.find_map(|entry| {
            let path = path.with_file_name(entry.file_name());
            here(&path).map(|meta| (path, meta))
        });
        let (path, meta) = found.ok_or_else(|| {
            io::Error::new(io::ErrorKind::NotFound, "the file was moved away or deleted")
        })?;
        lock(known).clone_from(&path);
        Ok((path, meta))
    }

    /// Opens a file that rests.
    fn open_again(&self) -> io::Result<Arc<File>> {
        OPEN.make_room();
        let (path, _) = self.found()?;
        let file = descriptors::open(&path)?;
        if Some(Identity::of(&file.metadata()?)) != self.identity {
            return Err(io::Error::new(io::ErrorKind::NotFound, "the file was moved away"));
        }
        let file = Arc::new(file);
        let before =
            self.file.write().unwrap_or_else(PoisonError::into_inner).replace(Arc::clone(&file));
        if before.is_none() {
            OPEN.count.fetch_add(1, Ordering::Relaxed);
        }
        Ok(file)
    }

    /// Closes the file. Says whether it was open.
    fn close(&self) -> bool {
        let held = self.file.write().unwrap_or_else(PoisonError::into_inner).take().is_some();
        if held && self.path.is_some() {
            OPEN.count.fetch_sub(1, Ordering::Relaxed);
        }
        held
    }
}

impl Rests for Segment {
    fn used(&self) -> u64 {
        self.used.load(Ordering::Relaxed)
    }

    fn rest(&self) -> bool {
        if self.path.is_none() || !self.is_open() {
            return false;
        }
        let unread = self.gone.load(Ordering::Acquire) || self.spent.load(Ordering::Acquire);
        (unread || self.found().is_ok()) && self.close()
    }
}

/// One reading, which may give less than it is asked for.
fn read_once(file: &File, bytes: &mut [u8], offset: u64) -> io::Result<usize> {
    #[cfg(test)]
    let bytes = {
        let most = super::faults::before_read()?.unwrap_or(bytes.len());
        let most = most.min(bytes.len());
        &mut bytes[..most]
    };
    file.read_at(bytes, offset)
}

impl Drop for Segment {
    fn drop(&mut self) {
        if self.path.is_some() {
            self.close();
            OPEN.known.fetch_sub(1, Ordering::Relaxed);
        }
    }
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;
    use crate::source::Print;

    fn open(path: &Path) -> Arc<Segment> {
        Segment::named(path, File::open(path).unwrap()).unwrap()
    }

    fn text(segment: &Segment, offset: u64, length: usize) -> String {
        let mut bytes = vec![0; length];
        let got = segment.read_at(offset, &mut bytes).unwrap();
        String::from_utf8(bytes[..got].to_vec()).unwrap()
    }

    #[test]
    fn what_was_read_of_a_followed_file_stays_as_it_was() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.log");
        fs::write(&path, "one two three").unwrap();
        let segment = open(&path);
        segment.keep_copy(4);
        segment.keep(0, b"one two");
        segment.keep(8, b"three");
        fs::write(&path, "ONE TWO THREE").unwrap();
        assert_eq!(text(&segment, 4, 3), "two", "from the copy");
        assert_eq!(text(&segment, 4, 9), "two THREE", "a gap in the copy is read from the file");
        assert_eq!(text(&segment, 0, 3), "ONE", "what stands before the copy begins is not kept");
        segment.lose();
        assert_eq!((text(&segment, 8, 9), text(&segment, 0, 3)), ("three".into(), String::new()));
    }

    #[test]
    fn a_file_that_rests_is_found_again_under_another_name() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.log");
        fs::write(&path, "one two three").unwrap();
        let segment = open(&path);
        assert!(segment.rest());
        assert_eq!(text(&segment, 4, 3), "two");
        assert!(segment.rest());
        fs::rename(&path, folder.path().join("a.log.1")).unwrap();
        fs::write(&path, "another").unwrap();
        assert_eq!(text(&segment, 4, 3), "two", "by its inode");
        assert!(segment.rest(), "it is found under its other name");
        assert_eq!(segment.metadata().unwrap().len(), 13, "without being opened");
        assert!(!segment.is_open());
        assert_eq!(text(&segment, 4, 3), "two");
        fs::remove_file(folder.path().join("a.log.1")).unwrap();
        assert!(!segment.rest(), "it could not be opened again");
        assert_eq!(text(&segment, 8, 5), "three", "deleted, but held open");
        assert_eq!(segment.metadata().unwrap().len(), 13);
    }

    #[test]
    fn a_copy_of_a_file_takes_its_place() {
        let folder = tempfile::tempdir().unwrap();
        let (path, copy) = (folder.path().join("a.log"), folder.path().join("a.log.1"));
        fs::write(&path, "one two three").unwrap();
        let segment = open(&path);
        fs::copy(&path, &copy).unwrap();
        fs::write(&path, "").unwrap();
        assert_eq!(text(&segment, 4, 3), "");
        segment.moved_to(&open(&copy));
        assert_eq!(text(&segment, 4, 3), "two");
        assert!(!segment.is_open(), "its own file is not read any more");
    }

    #[test]
    fn prints_tell_whether_bytes_are_still_the_same() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.log");
        let long = "0123456789".repeat(400);
        fs::write(&path, &long).unwrap();
        let segment = open(&path);
        let print = Print::of(&segment, 4_000).unwrap().unwrap();
        assert_eq!(Print::of(&segment, 4_001).unwrap(), None, "there are no more bytes");
        let changed = |at: usize| {
            let mut other = long.clone().into_bytes();
            other[at] = b'x';
            fs::write(&path, other).unwrap();
            !print.fits(&segment).unwrap()
        };
        // The beginning and the end are looked at; what lies between is not.
        assert_eq!([0, 1_023, 2_000, 3_999].map(changed), [true, true, false, true]);
        fs::write(&path, format!("{long}more")).unwrap();
        assert!(print.fits(&segment).unwrap() && print.begins(long.as_bytes()));
        assert!(!print.begins(b"012") && !print.begins(&b"x".repeat(4_000)));
        fs::write(&path, "short").unwrap();
        assert!(!print.fits(&segment).unwrap());
    }
}
