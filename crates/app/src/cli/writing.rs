//! How a command writes entries: a line each, or as a table.

use std::io::{self, Write};

use cribrum_core::{
    EntryId,
    engine::{Pass, Snapshot},
    export::{Error, Exporter, Format},
};
use jiff::tz::TimeZone;

use super::{
    args::{self, Form},
    exit::Stop,
};
use crate::{
    present::Clock,
    results::{EntryColumn, EntryTable, TableForm, With},
};

/// How entries are written.
#[derive(Clone)]
pub(super) enum Writing {
    Lines(Format),
    Table(EntryTable),
}

impl Writing {
    /// What the arguments ask for; `ascii` as for [`Exporter::ascii`].
    ///
    /// # Errors
    ///
    /// Columns where the form has none, and a template with an open brace.
    pub(super) fn of(args: &args::Entries, ascii: bool) -> Result<Self, Stop> {
        if let Some(template) = &args.line {
            let table = EntryTable::of_template(template).map_err(Stop::usage)?;
            return Ok(Self::Table(table.in_ascii(ascii)));
        }
        let named = |args: &args::Entries| match args.columns.as_slice() {
            [] => EntryColumn::usual(),
            names => names.iter().map(|name| EntryColumn::named(name.trim())).collect(),
        };
        let form = match args.form {
            Form::Raw if !args.columns.is_empty() => {
                return Err(Stop::usage("what is written as in its source has no columns"));
            }
            Form::Raw => return Ok(Self::Lines(Format::Raw)),
            Form::Text if args.columns.is_empty() => return Ok(Self::Lines(Format::Text)),
            Form::Jsonl if args.columns.is_empty() => return Ok(Self::Lines(Format::Jsonl)),
            Form::Text => TableForm::Text,
            Form::Jsonl => TableForm::Jsonl,
            Form::Csv => TableForm::Csv,
            Form::Tsv => TableForm::Tsv,
            Form::Markdown => TableForm::Markdown,
            Form::Pairs => TableForm::Pairs,
        };
        Ok(Self::Table(
            EntryTable::of(named(args).into(), form).in_ascii(ascii).with_formulas(args.formulas),
        ))
    }

    /// Whether the numbers of lines are written.
    pub(super) fn is_numbered(&self) -> bool {
        matches!(self, Self::Lines(Format::Jsonl))
    }

    /// What is written goes to a terminal, or not.
    pub(super) fn set_terminal(&mut self, terminal: bool) {
        if let Self::Table(table) = self {
            table.terminal = terminal;
        }
    }

    /// The names of the columns, where there are some that were not written yet.
    pub(super) fn head(&mut self, snapshot: &Snapshot, out: &mut dyn Write) -> io::Result<()> {
        if let Self::Table(table) = self {
            let (clock, pass) = (Clock::new(None), Pass::default());
            table.write(std::iter::empty(), With { snapshot, clock: &clock, pass: &pass }, out)?;
            table.headed = false;
        }
        Ok(())
    }
}

/// Writes entries one after the other. Tells those that can't be read any more.
///
/// # Errors
///
/// Those of writing.
pub(super) fn write_each(
    ids: impl Iterator<Item = EntryId>,
    exporter: &mut Exporter<'_>,
    mut out: &mut dyn Write,
    lost: &mut dyn FnMut(&Error),
) -> io::Result<()> {
    for id in ids {
        match exporter.write(id, &mut out) {
            Ok(()) => {}
            Err(Error::Output(error)) => return Err(error),
            Err(error) => lost(&error),
        }
    }
    Ok(())
}

/// Writes entries as a table. Gives how many can't be read any more.
///
/// # Errors
///
/// Those of writing.
pub(super) fn write_table(
    ids: impl Iterator<Item = EntryId>,
    table: &EntryTable,
    snapshot: &Snapshot,
    zone: Option<&TimeZone>,
    out: &mut dyn Write,
) -> io::Result<usize> {
    let (clock, pass) = (Clock::new(zone.cloned()), Pass::default());
    table.write(ids, With { snapshot, clock: &clock, pass: &pass }, out)
}
