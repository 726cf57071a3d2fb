//! The day of sources whose times have none: that of the sources around them, where the file's own is far away.

use std::path::Path;

use crate::{
    entry::{Clock, Missing, Stamp, rfc3339, trim_cr},
    layout::{Dialect, wrap},
    source::{self, Day, Origin, Source},
};

/// Bytes of a file, and lines of them, that are looked at for its first time.
const BYTES: usize = 4 << 10;
const LINES: usize = 16;
/// Sources up to which each is looked at.
const SOURCES: usize = 256;
const DAY: i64 = 86_400_000_000_000;
/// How far two sources may lie apart and still be of the same days.
const NEAR: i64 = DAY + DAY / 2;

/// Gives each source whose times have no date the day of the nearest that has one, unless its file was written on
/// such a day. Cost: the first bytes of every source, of up to 256; of more, nothing.
pub(super) fn settle(sources: &mut [Source]) {
    if sources.len() < 2 || sources.len() > SOURCES {
        return;
    }
    let first: Vec<Option<Stamp>> = sources.iter().map(first_stamp).collect();
    let clock = Clock::default();
    let dated: Vec<(i64, String)> = sources
        .iter()
        .zip(&first)
        .filter_map(|(source, stamp)| {
            let stamp = stamp.filter(|stamp| stamp.missing == Missing::Nothing)?;
            Some((stamp.order(&clock)?, source.name.clone()))
        })
        .collect();
    for (source, stamp) in sources.iter_mut().zip(&first) {
        if stamp.is_none_or(|stamp| stamp.missing != Missing::Date) {
            continue;
        }
        let Some(written) = path(source).and_then(source::date_of) else { continue };
        let nearest = dated.iter().min_by_key(|(time, _)| time.abs_diff(written));
        let Some((time, name)) = nearest.filter(|(time, _)| time.abs_diff(written) > NEAR as u64)
        else {
            continue;
        };
        let latest = time.div_euclid(DAY) * DAY + DAY - 1;
        source.day = Some(Day { latest, of: name.clone() });
    }
}

/// The file of a source that was written last.
fn path(source: &Source) -> Option<&Path> {
    match &source.origin {
        Origin::Files(paths) => paths.last().map(AsRef::as_ref),
        Origin::Stdin => None,
    }
}

/// The first time in a source.
fn first_stamp(source: &Source) -> Option<Stamp> {
    let (_, bytes) = source::beginning(path(source)?, BYTES).ok()?;
    let dialect = Dialect::default();
    bytes.split(|byte| *byte == b'\n').map(trim_cr).take(LINES).find_map(|line| {
        let peeled = wrap::peel(line, &dialect);
        let inner = peeled.as_ref().map_or(line, |peeled| &peeled.inner);
        let own = dialect.detect(inner).and_then(|(_, head)| head.stamp);
        peeled.as_ref().and_then(|peeled| peeled.stamp).or(own)
    })
}

impl Day {
    /// What is told of it.
    pub(super) fn told(&self) -> String {
        let date = rfc3339(self.latest, 0);
        let date = date.split('T').next().unwrap_or_default();
        format!(
            "its times have no date: they are taken for those of {date}, the day of {}",
            self.of
        )
    }
}
