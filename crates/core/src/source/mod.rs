//! What can be read: open files, packed and wide ones, and streams that are spooled. Which of them there are,
//! and when they change, is found out by `ingest`.

pub(crate) mod copies;
pub(crate) mod descriptors;
#[cfg(test)]
pub(crate) mod faults;
mod open;
mod print;
mod segment;
mod spool;

use std::path::{Path, PathBuf};

pub use open::Form;
pub(crate) use open::{beginning, open};
pub(crate) use print::{HEAD as PRINTED, Print};
pub use segment::Identity;
pub(crate) use segment::{Met, Segment};
pub(crate) use spool::{Spool, Wake};

/// A source's number in its intake.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SourceId(pub(crate) u16);

impl SourceId {
    /// The source at a place in the list.
    ///
    /// # Panics
    ///
    /// When there are more than [`crate::limits::SOURCES`], which is refused when they are found.
    pub(crate) fn at(index: usize) -> Self {
        Self(u16::try_from(index).expect("sources are counted when they are found"))
    }

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
    /// The day of its times that have none, where other sources tell.
    pub day: Option<Day>,
}

/// A day that is known from another source.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Day {
    /// Its last moment, in nanoseconds UTC.
    pub latest: i64,
    /// The source that it is the day of.
    pub of: String,
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
