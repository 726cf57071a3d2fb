//! Bytes in: files, growing files, and streams that are spooled. Only this folder does I/O on sources.

mod discover;
mod open;
mod rotated;
mod spool;

use std::{
    fs::File,
    io,
    os::unix::fs::{FileExt, MetadataExt},
    path::{Path, PathBuf},
    sync::atomic::{AtomicBool, Ordering},
};

pub use discover::{Discovery, Problem, discover};
pub use open::Form;
pub(crate) use open::open;
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
    /// A file, or a rotated set of them, the oldest first. The last is the one that may grow.
    Files(Vec<PathBuf>),
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

/// Nanoseconds UTC that the times in a file don't lie after: the end of the day in its name, or else when
/// it was last written.
pub(crate) fn date_of(path: &Path) -> Option<i64> {
    let name = path.file_name()?.to_string_lossy().into_owned();
    if let Some(day) = date_in(&name) {
        return Some(day.saturating_add(DAY - 1));
    }
    let written = std::fs::metadata(path).ok()?.modified().ok()?;
    jiff::Timestamp::try_from(written).ok()?.as_nanosecond().try_into().ok()
}

const DAY: i64 = 86_400_000_000_000;

/// The day in a file's name, `2026-03-14` or `20260314`, as nanoseconds UTC of its beginning.
fn date_in(name: &str) -> Option<i64> {
    let bytes = name.as_bytes();
    (0..bytes.len()).find_map(|at| {
        let before = at == 0 || !bytes[at - 1].is_ascii_digit();
        let digits = |length: usize| {
            let text = name.get(at..at + length)?;
            let ends = !bytes.get(at + length).is_some_and(u8::is_ascii_digit);
            (before && ends).then_some(text)
        };
        let dashed = digits(10).filter(|text| text.as_bytes()[4] == b'-');
        let day: jiff::civil::Date = match (dashed, digits(8)) {
            (Some(text), _) => text.parse().ok()?,
            (None, Some(text)) => jiff::civil::Date::strptime("%Y%m%d", text).ok()?,
            _ => return None,
        };
        if !(1990..2200).contains(&day.year()) {
            return None;
        }
        let start = day.to_zoned(jiff::tz::TimeZone::UTC).ok()?;
        start.timestamp().as_nanosecond().try_into().ok()
    })
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
