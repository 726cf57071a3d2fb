//! An open file whose bytes are read by position.
//!
//! Never mapped: a file that is truncated under a map kills the process. A segment outlives the name of its
//! file: renamed or deleted, its bytes stay readable here. Bytes that are read while a file is followed are
//! kept in a copy as well, so that truncating the file takes nothing that was shown.

use std::{
    fs::{File, Metadata},
    io,
    os::unix::fs::{FileExt, MetadataExt},
    path::{Path, PathBuf},
    sync::{
        Arc, Mutex, PoisonError, RwLock,
        atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering},
    },
};

use super::descriptors::{self, CLOCK, OPEN, Rests, descriptor_limit};
use crate::limits;

/// What tells a file from every other one: its device and its inode.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Identity {
    device: u64,
    inode: u64,
}

impl Identity {
    /// The identity of the file that the metadata are about.
    #[must_use]
    pub fn of(meta: &Metadata) -> Self {
        Self { device: meta.dev(), inode: meta.ino() }
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

/// A file whose bytes are read by position.
#[derive(Debug)]
pub(crate) struct Segment {
    /// Where it was opened; nothing for a spool, which has no name.
    path: Option<PathBuf>,
    identity: Option<Identity>,
    /// Nothing while it rests: descriptors are few, and files may be many.
    file: RwLock<Option<Arc<File>>>,
    /// The file was cut short or rewritten: what stands in it now is not what was read.
    gone: AtomicBool,
    /// Another file is read in its place.
    moved: AtomicBool,
    /// When it was last read, counted in readings of all segments.
    used: AtomicU64,
    copy: Mutex<Option<Copy>>,
}

impl Segment {
    /// A file without a name, such as a spool. It never rests, since it could not be opened again.
    pub(crate) fn unnamed(file: File) -> Self {
        Self {
            path: None,
            identity: None,
            file: RwLock::new(Some(Arc::new(file))),
            gone: AtomicBool::new(false),
            moved: AtomicBool::new(false),
            used: AtomicU64::new(0),
            copy: Mutex::new(None),
        }
    }

    /// A file that was opened at a path. It is closed when descriptors run short, and opened again when it is
    /// read.
    ///
    /// # Errors
    ///
    /// Those of asking for its metadata.
    pub(crate) fn named(path: &Path, file: File) -> io::Result<Arc<Self>> {
        let identity = Identity::of(&file.metadata()?);
        let segment = Arc::new(Self {
            path: Some(path.to_path_buf()),
            identity: Some(identity),
            file: RwLock::new(Some(Arc::new(file))),
            gone: AtomicBool::new(false),
            moved: AtomicBool::new(false),
            used: AtomicU64::new(0),
            copy: Mutex::new(None),
        });
        OPEN.register(&segment);
        Ok(segment)
    }

    /// Keeps a copy of the bytes behind a place that are read from now on.
    pub(crate) fn keep_copy(&self, from: u64) {
        *lock(&self.copy) = Some(Copy { from, file: None, ranges: Vec::new() });
    }

    pub(crate) fn identity(&self) -> Option<Identity> {
        self.identity
    }

    /// Says that the bytes that were read are no longer there.
    pub(crate) fn lose(&self) {
        self.gone.store(true, Ordering::Release);
    }

    /// Reads from another file from now on, which holds the same bytes.
    ///
    /// # Errors
    ///
    /// Those of opening the other one again.
    pub(crate) fn moved_to(&self, other: &Self) -> io::Result<()> {
        let file = other.file()?;
        self.moved.store(true, Ordering::Release);
        *self.file.write().unwrap_or_else(PoisonError::into_inner) = Some(file);
        Ok(())
    }

    /// Reads bytes that are perhaps only in the copy that was kept of them.
    ///
    /// # Errors
    ///
    /// Those of reading.
    pub(crate) fn read_kept(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        match &*lock(&self.copy) {
            Some(copy) => copy.read_at(offset, bytes),
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
        if let Some(copy) = &mut *lock(&self.copy) {
            copy.keep(offset, bytes);
        }
    }

    /// The metadata of the file, whatever its name is now. Cost: a call to the system.
    ///
    /// # Errors
    ///
    /// Those of asking for them. A file that rests is asked for by its name.
    pub(crate) fn metadata(&self) -> io::Result<Metadata> {
        if let Some(file) = self.held() {
            return file.metadata();
        }
        if let Some(path) = &self.path {
            let meta = std::fs::metadata(path)?;
            if Some(Identity::of(&meta)) == self.identity {
                return Ok(meta);
            }
        }
        self.file()?.metadata()
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

    /// Opens a file that rests: at its path, or where it was moved to in the same folder.
    fn open_again(&self) -> io::Result<Arc<File>> {
        let (Some(path), Some(identity)) = (&self.path, self.identity) else {
            return Err(io::ErrorKind::NotFound.into());
        };
        let here = |path: &Path| -> io::Result<Option<File>> {
            let file = match descriptors::open(path) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
                opened => opened?,
            };
            Ok((Identity::of(&file.metadata()?) == identity).then_some(file))
        };
        let elsewhere = || {
            let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
            let entries = std::fs::read_dir(folder.unwrap_or(Path::new("."))).ok()?;
            // Whatever else lies in the folder need not be readable.
            entries.flatten().find_map(|entry| here(&entry.path()).ok().flatten())
        };
        OPEN.make_room();
        let file = here(path)?.or_else(elsewhere).ok_or_else(|| {
            io::Error::new(io::ErrorKind::NotFound, "the file was moved away or deleted")
        })?;
        let file = Arc::new(file);
        let before =
            self.file.write().unwrap_or_else(PoisonError::into_inner).replace(Arc::clone(&file));
        if before.is_none() {
            OPEN.count.fetch_add(1, Ordering::Relaxed);
        }
        Ok(file)
    }
}

impl Rests for Segment {
    fn used(&self) -> u64 {
        self.used.load(Ordering::Relaxed)
    }

    fn rest(&self) -> bool {
        let Some(path) = &self.path else { return false };
        let other = self.moved.load(Ordering::Acquire) || self.gone.load(Ordering::Acquire);
        if other || Identity::at(path).ok() != self.identity {
            return false;
        }
        self.file.write().unwrap_or_else(PoisonError::into_inner).take().is_some()
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

/// The bytes of a followed file that were read, at their own places in a file without a name.
#[derive(Debug)]
struct Copy {
    /// Bytes before this place are not kept.
    from: u64,
    file: Option<File>,
    /// The ranges that it holds, in order, none touching another.
    ranges: Vec<(u64, u64)>,
}

/// Bytes that all copies hold together.
static COPIED: AtomicU64 = AtomicU64::new(0);
/// The copies that have a file.
static COPIES: AtomicUsize = AtomicUsize::new(0);

impl Copy {
    fn keep(&mut self, offset: u64, bytes: &[u8]) {
        if offset < self.from {
            let skip = usize::try_from(self.from - offset).unwrap_or(usize::MAX).min(bytes.len());
            if skip < bytes.len() {
                self.keep(self.from, &bytes[skip..]);
            }
            return;
        }
        let end = offset + bytes.len() as u64;
        let known = self.ranges.iter().any(|(from, to)| *from <= offset && end <= *to);
        let room = COPIED.load(Ordering::Relaxed) + bytes.len() as u64 <= limits::COPIED_BYTES;
        if known || bytes.is_empty() || !room {
            return;
        }
        // Each copy takes a descriptor: where these are few, files that came first have one.
        if self.file.is_none() && COPIES.load(Ordering::Relaxed) < descriptor_limit() / 4 {
            self.file = tempfile::tempfile().ok();
            COPIES.fetch_add(usize::from(self.file.is_some()), Ordering::Relaxed);
        }
        let Some(file) = &self.file else { return };
        // A disk that is full costs the copy, not the entry.
        if file.write_all_at(bytes, offset).is_err() {
            return;
        }
        let before = self.len();
        let at = self.ranges.partition_point(|(from, _)| *from < offset);
        self.ranges.insert(at, (offset, end));
        let mut joined: Vec<(u64, u64)> = Vec::with_capacity(self.ranges.len());
        for (from, to) in self.ranges.drain(..) {
            match joined.last_mut() {
                Some((_, end)) if from <= *end => *end = to.max(*end),
                _ => joined.push((from, to)),
            }
        }
        self.ranges = joined;
        // A line that was read again, whole, was kept in part before.
        COPIED.fetch_add(self.len() - before, Ordering::Relaxed);
    }

    /// Bytes that it holds.
    fn len(&self) -> u64 {
        self.ranges.iter().map(|(from, to)| to - from).sum()
    }

    fn read_at(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        let held = self.ranges.iter().find(|(from, to)| (*from..*to).contains(&offset));
        let (Some((_, end)), Some(file)) = (held, &self.file) else { return Ok(0) };
        let length = usize::try_from(end - offset).unwrap_or(usize::MAX).min(bytes.len());
        file.read_exact_at(&mut bytes[..length], offset)?;
        Ok(length)
    }
}

impl Drop for Copy {
    fn drop(&mut self) {
        COPIED.fetch_sub(self.len(), Ordering::Relaxed);
        COPIES.fetch_sub(usize::from(self.file.is_some()), Ordering::Relaxed);
    }
}

impl Drop for Segment {
    fn drop(&mut self) {
        let file = self.file.get_mut().unwrap_or_else(PoisonError::into_inner);
        if self.path.is_some() && file.is_some() {
            OPEN.count.fetch_sub(1, Ordering::Relaxed);
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
    fn bytes_that_are_kept_again_count_once() {
        let mut copy = Copy { from: 0, file: None, ranges: Vec::new() };
        for end in [5, 9, 12] {
            copy.keep(4, &b"a line that grows"[..end - 4]);
            copy.keep(end as u64 + 20, b"apart");
        }
        assert_eq!((copy.len(), &copy.ranges[..]), (20, &[(4, 12), (25, 37)][..]));
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
        assert!(!segment.rest(), "its name leads elsewhere");
        fs::remove_file(folder.path().join("a.log.1")).unwrap();
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
        segment.moved_to(&open(&copy)).unwrap();
        assert_eq!(text(&segment, 4, 3), "two");
        assert!(!segment.rest(), "at its own path stands something else");
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
