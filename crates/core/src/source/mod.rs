//! Bytes in: files, growing files, and streams that are spooled. Only this folder does I/O on sources.

mod discover;
mod spool;

use std::{
    fs::File,
    io,
    os::unix::fs::{FileExt, MetadataExt},
    path::{Path, PathBuf},
    sync::atomic::{AtomicBool, Ordering},
};

pub use discover::{Discovery, Problem, discover};
pub(crate) use spool::Spool;

/// A source's number in its intake.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SourceId(pub(crate) u16);

impl SourceId {
    /// Position in the list of sources.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.0)
    }
}

/// Where the bytes of a source come from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Origin {
    /// A file, read in place.
    File(PathBuf),
    /// Standard input, spooled.
    Stdin,
}

/// One thing that is poured in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    /// The shortest path that is unique among the sources.
    pub name: String,
    /// The name without its ending where that is still unique: the name of a lane.
    pub label: String,
    /// Where its bytes come from.
    pub origin: Origin,
}

/// An open file whose bytes are read by position: never mapped, since a file that is truncated under a
/// map ends the process. A file that is renamed or replaced stays readable here.
#[derive(Debug)]
pub(crate) struct Segment {
    file: File,
    /// The file was cut short: what stands in it now is not what was read.
    gone: AtomicBool,
}

impl Segment {
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        Ok(Self::of(File::open(path)?))
    }

    pub(crate) fn of(file: File) -> Self {
        Self { file, gone: AtomicBool::new(false) }
    }

    /// Says that the bytes that were read are no longer there.
    pub(crate) fn lose(&self) {
        self.gone.store(true, Ordering::Release);
    }

    /// Reads as many bytes as there are, up to the length of `bytes`; none once they are gone.
    pub(crate) fn read_at(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        if self.gone.load(Ordering::Acquire) {
            return Ok(0);
        }
        let mut got = 0;
        while got < bytes.len() {
            match self.file.read_at(&mut bytes[got..], offset + got as u64) {
                Ok(0) => break,
                Ok(more) => got += more,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        Ok(got)
    }

    pub(crate) fn size(&self) -> io::Result<u64> {
        Ok(self.file.metadata()?.len())
    }

    /// Whether the path still names this very file.
    pub(crate) fn is_at(&self, path: &Path) -> bool {
        let id = |meta: std::fs::Metadata| (meta.dev(), meta.ino());
        match (self.file.metadata(), std::fs::metadata(path)) {
            (Ok(mine), Ok(theirs)) => id(mine) == id(theirs),
            _ => true,
        }
    }
}
