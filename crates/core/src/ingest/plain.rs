//! Files that are read where they stand, each at once and whole, without anybody who follows them.

use std::sync::Arc;

use super::{Discovery, feed::base_of, file::file_name, learn, reading::PLACE_BITS};
use crate::{
    entry::Correction,
    layout::Dialect,
    source::{self, Form, Origin, Segment},
};

/// A file whose bytes are the text of its source.
pub(crate) struct PlainFile {
    /// The number of its source, and its own in it, from 0 for the oldest.
    pub(crate) source: usize,
    pub(crate) number: usize,
    /// Its name, where the source has several.
    pub(crate) name: Option<Arc<str>>,
    pub(crate) segment: Arc<Segment>,
    /// How its lines are read, learnt from its beginning.
    pub(crate) dialect: Arc<Dialect>,
    pub(crate) size: u64,
}

impl PlainFile {
    /// What a block that begins at an offset is ordered by in its source.
    pub(crate) fn place(&self, offset: u64) -> u64 {
        place(self.number, offset)
    }
}

/// What a block is ordered by in its source: the number of its file, and its place there.
pub(super) fn place(number: usize, offset: u64) -> u64 {
    (number as u64) << PLACE_BITS | offset.min((1 << PLACE_BITS) - 1)
}

/// Opens all files that were found. `None` where one is packed, wide or no file, or can't be read. Cost: reads the
/// beginning of each.
pub(crate) fn plain_files(
    found: &Discovery,
    dialect: &Dialect,
    clocks: &[(String, Correction)],
) -> Option<Vec<PlainFile>> {
    let mut files = Vec::new();
    for (number, source) in found.sources.iter().enumerate() {
        let Origin::Files(paths) = &source.origin else { return None };
        let (base, _) = base_of(source, dialect, clocks);
        for (at, path) in paths.iter().enumerate() {
            let opened = source::open(path, None, Arc::new(|| {})).ok()?;
            if opened.spool.is_some() || opened.form != Form::Plain {
                return None;
            }
            let size = opened.segment.metadata().ok()?.len();
            let name = file_name(path);
            let date = source.day.as_ref().map(|day| day.latest).or_else(|| source::date_of(path));
            let base = base.clone().for_file(&name).dated(date);
            let learnt = learn::learn(&opened.segment, 0, None, &base);
            files.push(PlainFile {
                source: number,
                number: at,
                name: (paths.len() > 1).then_some(name),
                segment: opened.segment,
                dialect: Arc::new(learnt.dialect),
                size,
            });
        }
    }
    Some(files)
}
