//! Entries written out: as text for people, as JSON lines for programs, as they stand in their source.

mod json;
mod rows;
mod time;

pub use json::escaped;
pub use rows::write_rows;
pub use time::time_text;

use std::io::{self, Write};

use jiff::tz::TimeZone;

use crate::{
    engine::{Reader, Snapshot, sorted_ids},
    entry::civil,
    store::{EntryId, NO_TIME},
    veil::{ascii_stand_ins, harmless},
};

/// How entries are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// A line of time, level, source, id, message and fields, with further lines indented.
    Text,
    /// A JSON object a line.
    Jsonl,
    /// The bytes of the source, secrets hidden.
    Raw,
}

/// Why an entry was not written.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// Its source can't be read any more.
    #[error("can't read {source_name}: {error}")]
    Source {
        /// The name of the source.
        source_name: String,
        /// Why.
        error: io::Error,
    },
    /// The output took no more.
    #[error("can't write: {0}")]
    Output(#[from] io::Error),
}

/// Writes entries one after the other.
pub struct Exporter<'s> {
    snapshot: &'s Snapshot,
    reader: Reader<'s>,
    format: Format,
    zone: TimeZone,
    terminal: bool,
    ascii: bool,
    lane_width: usize,
    line: Vec<u8>,
}

impl<'s> Exporter<'s> {
    /// An exporter of a snapshot's entries. `terminal` says that a terminal will show what is written, so
    /// that control bytes must not reach it.
    #[must_use]
    pub fn new(
        snapshot: &'s Snapshot,
        format: Format,
        zone: Option<TimeZone>,
        terminal: bool,
    ) -> Self {
        let widest = snapshot.sources.iter().map(|s| s.label.chars().count()).max();
        Self {
            snapshot,
            reader: Reader::new(snapshot),
            format,
            zone: zone.unwrap_or(TimeZone::UTC),
            terminal,
            ascii: false,
            lane_width: widest.unwrap_or(0).min(24),
            line: Vec::new(),
        }
    }

    /// Writes stand-ins in plain ASCII: `[card:4e1b77]`.
    #[must_use]
    pub fn ascii(self, ascii: bool) -> Self {
        Self { ascii, ..self }
    }

    /// Writes an entry and a line end.
    ///
    /// # Errors
    ///
    /// When the entry can't be read, or not be written.
    pub fn write(&mut self, id: EntryId, out: &mut impl Write) -> Result<(), Error> {
        let mut line = std::mem::take(&mut self.line);
        line.clear();
        let read = match self.format {
            Format::Jsonl => {
                let sources = &self.snapshot.sources;
                self.reader.with(id, |entry, veiled, placed| {
                    let source = &sources[placed.block.source.index()];
                    json::entry(&mut line, entry, veiled, placed, &source.name);
                    json::beside(&mut line, self.snapshot, id, entry);
                })
            }
            Format::Raw => self.reader.raw(id, &mut line),
            Format::Text => self.text(id, &mut line),
        };
        if let Err(error) = read {
            self.line = line;
            let name = &self.snapshot.sources[self.snapshot.source_of(id)].name;
            return Err(Error::Source { source_name: name.clone(), error });
        }
        // Text is for people, wherever it goes first; raw keeps its bytes where no terminal shows them.
        if self.format == Format::Text || self.terminal && self.format == Format::Raw {
            let text = String::from_utf8_lossy(&line).into_owned();
            line = harmless(&text).into_owned().into_bytes();
        }
        if self.ascii && line.contains(&"«".as_bytes()[0]) {
            line = ascii_stand_ins(&String::from_utf8_lossy(&line)).into_bytes();
        }
        line.push(b'\n');
        out.write_all(&line)?;
        self.line = line;
        Ok(())
    }

    fn text(&mut self, id: EntryId, out: &mut Vec<u8>) -> io::Result<()> {
        let snapshot = self.snapshot;
        let label = &snapshot.sources[snapshot.source_of(id)].label;
        let (zone, width) = (&self.zone, self.lane_width);
        self.reader.with(id, |entry, veiled, placed| {
            let block = placed.block;
            let time = block.time(placed.index);
            // Writing to memory does not fail.
            let _ = if time == NO_TIME {
                write!(out, "{:23}", "")
            } else {
                let digits = entry.stamp.map_or(3, |stamp| usize::from(stamp.digits.min(9)));
                write!(out, "{:23}", format!("{:.digits$}", civil(time, zone)))
            };
            let level = block.severity(placed.index).map_or("-", |of| of.level().name());
            let _ = write!(out, "  {level:5}  {label:width$}");
            if let Some((_, id)) = sorted_ids(entry).into_iter().next() {
                let _ = write!(out, "  {}", veiled.text(id.into()));
            }
            let _ = write!(out, "  {}", veiled.message());
            json::pairs(out, veiled.parts(false));
            let body = veiled.body();
            for line in body.iter().flat_map(|body| body.as_str().lines()) {
                let _ = write!(out, "\n    {line}");
            }
        })
    }
}

#[cfg(test)]
mod tests;
