//! What a view shows, to be written elsewhere: found again under the veil of what leaves the desk, with its columns, its
//! order and its sieve.

use std::{
    io::{self, Write},
    sync::Arc,
};

use super::{
    cell::Reader,
    entries::{EntryColumn, EntryTable},
    inquiry::{Inquiry, Listing},
    table::{Findings, Trace},
    write::{Sheet, TableForm, With},
};
use cribrum_core::{
    EntryId, Rows,
    export::{Error, Exporter, Format, write_rows},
    veil::Anyone,
};

/// A form in which an extract is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ExtractForm {
    Table(TableForm),
    /// As in the source.
    Raw,
}

impl ExtractForm {
    /// The forms of a table.
    pub(crate) const TABLE: [Self; 6] = [
        Self::Table(TableForm::Text),
        Self::Table(TableForm::Markdown),
        Self::Table(TableForm::Jsonl),
        Self::Table(TableForm::Csv),
        Self::Table(TableForm::Tsv),
        Self::Table(TableForm::Pairs),
    ];

    /// The forms of entries.
    pub(crate) const ENTRIES: [Self; 7] = [
        Self::Table(TableForm::Text),
        Self::Raw,
        Self::Table(TableForm::Markdown),
        Self::Table(TableForm::Jsonl),
        Self::Table(TableForm::Csv),
        Self::Table(TableForm::Tsv),
        Self::Table(TableForm::Pairs),
    ];

    /// Its name, and the ending of a file of it.
    pub(crate) fn name(self) -> (&'static str, &'static str) {
        match self {
            Self::Table(TableForm::Text) => ("text", "txt"),
            Self::Table(TableForm::Markdown) => ("markdown", "md"),
            Self::Table(TableForm::Jsonl) => ("jsonl", "jsonl"),
            Self::Table(TableForm::Csv) => ("csv", "csv"),
            Self::Table(TableForm::Tsv) => ("tsv", "tsv"),
            Self::Table(TableForm::Pairs) => ("pairs", "txt"),
            Self::Raw => ("as written", "log"),
        }
    }
}

/// What a view shows.
pub(crate) trait Extract: Send + Sync {
    /// Its name, which names the file as well: `tally`.
    fn name(&self) -> &'static str;

    /// What a row of it is: `group`.
    fn noun(&self) -> &'static str;

    fn forms(&self) -> &[ExtractForm];

    /// Finds it as it may leave the desk.
    ///
    /// # Errors
    ///
    /// Those of reading; and of kind `Interrupted` when the pass was ended.
    fn find(&self, with: With<'_>) -> io::Result<Box<dyn Extracted>>;
}

/// What was found, to be written in any of its forms.
pub(crate) trait Extracted: Send {
    fn rows(&self) -> usize;

    /// Writes so many rows at most.
    ///
    /// # Errors
    ///
    /// Those of reading and of writing; and of kind `Interrupted` when the pass was ended.
    fn write(
        &mut self,
        form: ExtractForm,
        most: usize,
        with: With<'_>,
        out: &mut dyn Write,
    ) -> io::Result<()>;
}

fn ended() -> io::Error {
    io::Error::new(io::ErrorKind::Interrupted, "it was ended")
}

/// A table as it is listed.
pub(crate) struct TableExtract<I: Inquiry> {
    pub(crate) name: &'static str,
    pub(crate) noun: &'static str,
    pub(crate) inquiry: I,
    pub(crate) listing: Listing<I>,
}

impl<I: Inquiry> Extract for TableExtract<I> {
    fn name(&self) -> &'static str {
        self.name
    }

    fn noun(&self) -> &'static str {
        self.noun
    }

    fn forms(&self) -> &[ExtractForm] {
        &ExtractForm::TABLE
    }

    fn find(&self, with: With<'_>) -> io::Result<Box<dyn Extracted>> {
        let (found, rows) = self.listed(with)?;
        Ok(Box::new(Listed { found, rows }))
    }
}

impl<I: Inquiry> TableExtract<I> {
    /// One row of it as pairs, told by its [trace](Findings::trace). `None` where no row has it under the veil of what leaves
    /// the desk, or where the pass was ended.
    pub(crate) fn row(&self, trace: Trace, with: With<'_>) -> Option<Vec<u8>> {
        let (mut found, rows) = self.listed(with).ok()?;
        let row = rows.into_iter().find(|row| found.trace(found.row(*row)) == Some(trace))?;
        let reader = Reader::new(with.snapshot, with.clock);
        let mut out = Vec::new();
        Sheet::new(&mut found, &[row], reader, with.pass).write(TableForm::Pairs, &mut out).ok()?;
        Some(out)
    }

    fn listed(
        &self,
        With { snapshot, clock, pass }: With<'_>,
    ) -> io::Result<(I::Found<Anyone>, Vec<u32>)> {
        let mut inquiry = self.inquiry.clone();
        inquiry.settle(false, snapshot, pass).ok_or_else(ended)?;
        let mut so_far = inquiry.begin::<Anyone>();
        let found = inquiry.find::<Anyone>(&mut so_far, snapshot, pass).ok_or_else(ended)?;
        let reader = Reader::new(snapshot, clock);
        let rows = self.listing.rows(&found, &reader, pass).ok_or_else(ended)?;
        Ok((found, rows))
    }
}

struct Listed<F> {
    found: F,
    rows: Vec<u32>,
}

impl<F: Findings> Extracted for Listed<F> {
    fn rows(&self) -> usize {
        self.rows.len()
    }

    fn write(
        &mut self,
        form: ExtractForm,
        most: usize,
        With { snapshot, clock, pass }: With<'_>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let ExtractForm::Table(form) = form else { return Ok(()) };
        let reader = Reader::new(snapshot, clock);
        let mut sheet = Sheet::new(&mut self.found, &self.rows, reader, pass);
        sheet.most = most;
        sheet.write(form, out).map(drop)
    }
}

/// Entries in their order, with the columns that are shown.
#[derive(Clone)]
pub(crate) struct EntryExtract {
    pub(crate) name: &'static str,
    pub(crate) entries: WhichEntries,
    pub(crate) columns: Arc<[EntryColumn]>,
}

/// Entries in an order.
#[derive(Clone)]
pub(crate) enum WhichEntries {
    Rows(Rows),
    Ids(Arc<[EntryId]>),
}

impl WhichEntries {
    fn len(&self) -> usize {
        match self {
            Self::Rows(rows) => rows.len(),
            Self::Ids(ids) => ids.len(),
        }
    }

    fn first(&self, most: usize) -> Box<dyn Iterator<Item = EntryId> + '_> {
        match self {
            Self::Rows(rows) => Box::new(rows.iter_from(0).take(most)),
            Self::Ids(ids) => Box::new(ids.iter().copied().take(most)),
        }
    }
}

impl Extract for EntryExtract {
    fn name(&self) -> &'static str {
        self.name
    }

    fn noun(&self) -> &'static str {
        "entry"
    }

    fn forms(&self) -> &[ExtractForm] {
        &ExtractForm::ENTRIES
    }

    fn find(&self, _: With<'_>) -> io::Result<Box<dyn Extracted>> {
        Ok(Box::new(self.clone()))
    }
}

impl Extracted for EntryExtract {
    fn rows(&self) -> usize {
        self.entries.len()
    }

    fn write(
        &mut self,
        form: ExtractForm,
        most: usize,
        with: With<'_>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let format = match form {
            ExtractForm::Table(TableForm::Text) => Format::Text,
            ExtractForm::Table(TableForm::Jsonl) => Format::Jsonl,
            ExtractForm::Raw => Format::Raw,
            ExtractForm::Table(form) => {
                let form = EntryTable::of(Arc::clone(&self.columns), form);
                return lost(form.write(self.entries.first(most), with, out)?);
            }
        };
        let zone = Some(with.clock.zone.clone());
        let make = || Exporter::new(with.snapshot, format, zone.clone(), false);
        let (mut out, mut missed) = (out, 0);
        match &self.entries {
            WhichEntries::Rows(rows) if most >= rows.len() => {
                write_rows(rows, &make, &mut out, &mut |_| missed += 1)?;
            }
            entries => {
                let mut exporter = make();
                for id in entries.first(most) {
                    match exporter.write(id, &mut out) {
                        Err(Error::Output(error)) => return Err(error),
                        Err(_) => missed += 1,
                        Ok(()) => {}
                    }
                }
            }
        }
        lost(missed)
    }
}

/// What is told of entries that are left out.
fn lost(entries: usize) -> io::Result<()> {
    match entries {
        0 => Ok(()),
        lost => Err(io::Error::other(format!("{lost} entries can't be read any more"))),
    }
}
