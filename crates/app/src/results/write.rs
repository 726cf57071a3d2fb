//! Tables in each form.

use std::io::{self, Write};

use clap::ValueEnum;
use cribrum_core::engine::{Pass, Snapshot};
use serde_json::{Map, Value};

use super::{
    cell::{Reader, plain},
    inquiry::AT_A_TIME,
    table::{Column, Findings},
};
use crate::present::{Clock, cells, counted, fit};

/// The forms in which a table is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TableForm {
    /// Columns, for people
    Text,
    /// A JSON object a row, for programs
    Jsonl,
    /// A row each, with a header
    Csv,
    /// The same with tabs between the values
    Tsv,
    /// A table for a ticket
    Markdown,
    /// name=value, a row each
    Pairs,
}

impl TableForm {
    /// A person reads it: figures have units, pictures are there, and not all rows.
    pub(crate) fn is_for_people(self) -> bool {
        matches!(self, Self::Text | Self::Markdown)
    }
}

/// What something is found and written with.
#[derive(Clone, Copy)]
pub(crate) struct With<'w> {
    pub(crate) snapshot: &'w Snapshot,
    pub(crate) clock: &'w Clock,
    pub(crate) pass: &'w Pass,
}

/// A table of people is as wide as this, for the choice of its columns.
const WIDTH: u16 = 200;
/// Cells that a column which takes what is left has at most, and any other one of words.
const WIDEST: usize = 100;
const WIDE: usize = 24;

/// Rows that are to be written.
pub(crate) struct Sheet<'s, F: Findings> {
    pub(crate) found: &'s mut F,
    /// All rows, in their order.
    pub(crate) rows: &'s [u32],
    /// How many of them are written.
    pub(crate) most: usize,
    pub(crate) reader: Reader<'s>,
    pub(crate) pass: &'s Pass,
    /// What is written goes to a terminal.
    pub(crate) terminal: bool,
    /// The names of the columns stand above the rows.
    pub(crate) headed: bool,
    /// Texts that a spreadsheet would compute stay as they are.
    pub(crate) formulas: bool,
    /// Rows that were left out.
    lost: usize,
}

impl<'s, F: Findings> Sheet<'s, F> {
    /// All of some rows, below the names of their columns.
    pub(crate) fn new(
        found: &'s mut F,
        rows: &'s [u32],
        reader: Reader<'s>,
        pass: &'s Pass,
    ) -> Self {
        Self {
            found,
            rows,
            most: usize::MAX,
            reader,
            pass,
            terminal: false,
            headed: true,
            formulas: false,
            lost: 0,
        }
    }

    /// Writes the table. Gives how many rows are left out, since what they say can't be read any more.
    ///
    /// # Errors
    ///
    /// Those of writing; and of kind `Interrupted` when the pass was ended.
    pub(crate) fn write(&mut self, form: TableForm, out: &mut dyn Write) -> io::Result<usize> {
        self.lost = 0;
        match form {
            TableForm::Text => text(&self.cells_for_people(true)?, self.headed, out),
            TableForm::Markdown => markdown(&self.cells_for_people(false)?, self.headed, out),
            TableForm::Jsonl => self.each_for_programs(|names, row| jsonl(names, row, out)),
            TableForm::Csv => self.delimited(b',', out),
            TableForm::Tsv => self.delimited(b'\t', out),
            TableForm::Pairs => self.each_for_programs(|names, row| pairs(names, row, out)),
        }?;
        Ok(self.lost)
    }

    /// Writes a line a row: words, and between them the cells of columns by their numbers.
    ///
    /// # Errors
    ///
    /// As [`Sheet::write`].
    pub(crate) fn write_lines(
        &mut self,
        parts: &[(String, Option<usize>)],
        out: &mut dyn Write,
    ) -> io::Result<usize> {
        self.lost = 0;
        self.each_for_programs(|_, row| {
            for (words, column) in parts {
                write!(out, "{words}")?;
                if let Some(value) = column.and_then(|at| row.get(at)) {
                    write!(out, "{}", plain(value.clone()).replace('\n', "\\n"))?;
                }
            }
            writeln!(out)
        })?;
        Ok(self.lost)
    }

    fn listed(&self) -> &[u32] {
        &self.rows[..self.most.min(self.rows.len())]
    }

    fn read(&mut self, rows: &[u32]) -> io::Result<()> {
        let read = self.found.read(rows, self.reader.snapshot, self.pass);
        read.ok_or_else(|| io::Error::new(io::ErrorKind::Interrupted, "it was ended"))
    }

    /// The columns for people with their texts; those that are not listed as one row, and all of them as one.
    fn cells_for_people(&mut self, pictures: bool) -> io::Result<Vec<Cells>> {
        let columns = Column::fitting(self.found, WIDTH);
        let wanted = |column: &&Column<F>| pictures || !column.is_picture;
        let columns: Vec<&Column<F>> = columns.iter().filter(wanted).collect();
        let mut written: Vec<Cells> = columns
            .iter()
            .map(|column| {
                let title = column.title.as_deref().unwrap_or_default();
                let own = self.reader.snapshot.own_text_for::<F::Audience>(title);
                Cells {
                    title: own.for_terminal().into_owned(),
                    is_number: column.is_number,
                    cells: Vec::new(),
                }
            })
            .collect();
        let rows = self.listed().to_vec();
        for some in rows.chunks(AT_A_TIME) {
            self.read(some)?;
            for row in some {
                let row = self.found.row(*row);
                if self.found.misses(row) {
                    self.lost += 1;
                    continue;
                }
                for (column, written) in columns.iter().zip(&mut written) {
                    written.cells.push(self.text(column, row));
                }
            }
        }
        let rest = &self.rows[rows.len()..];
        let rest = self
            .found
            .together(rest)
            .map(|row| (format!("the other {}", counted(rest.len(), "group")), row));
        if let Some((label, row)) = &rest {
            self.add(label, row, &columns, &mut written);
        }
        if let Some(all) = self.found.all() {
            self.add("all", all, &columns, &mut written);
        }
        Ok(written)
    }

    /// Adds a row of several rows: what they have in common is its label.
    fn add(&self, label: &str, row: &F::Row, columns: &[&Column<F>], written: &mut [Cells]) {
        let mut label = Some(label.to_owned());
        for (column, written) in columns.iter().zip(written) {
            written.cells.push(match column.width(WIDTH) {
                0 => label.take().unwrap_or_default(),
                _ => self.text(column, row),
            });
        }
    }

    fn text(&self, column: &Column<F>, row: &F::Row) -> String {
        let width = usize::from(column.width(WIDTH));
        let text = column.cell(self.found, row).for_people(&self.reader, width);
        match (column.is_number || column.is_picture, width) {
            (true, _) => text,
            (_, 0) => fit(&text, WIDEST),
            (_, width) => fit(&text, width.max(WIDE)),
        }
    }

    /// Hands over the names of the columns, and the values of each row.
    fn each_for_programs(
        &mut self,
        mut hand: impl FnMut(&[String], Vec<Value>) -> io::Result<()>,
    ) -> io::Result<()> {
        let columns = Column::for_all_programs(self.found);
        let names = self.names(&columns);
        let rows = self.listed().to_vec();
        for some in rows.chunks(AT_A_TIME) {
            self.read(some)?;
            for row in some {
                let row = self.found.row(*row);
                if self.found.misses(row) {
                    self.lost += 1;
                    continue;
                }
                let value = |column: &Column<F>| {
                    column.cell(self.found, row).for_programs(&self.reader, self.terminal)
                };
                hand(&names, columns.iter().map(value).collect())?;
            }
        }
        Ok(())
    }

    fn names(&self, columns: &[Column<F>]) -> Vec<String> {
        let own = |name: &str| {
            let own = self.reader.snapshot.own_text_for::<F::Audience>(name);
            if self.terminal { own.for_terminal().into_owned() } else { own.as_str().to_owned() }
        };
        columns.iter().map(|column| own(&column.name)).collect()
    }

    fn delimited(&mut self, between: u8, out: &mut dyn Write) -> io::Result<()> {
        let names = self.names(&Column::for_all_programs(self.found));
        let formulas = self.formulas;
        let written = |value: Value| match value {
            Value::String(text) if !formulas && is_formula(&text) => format!("'{text}"),
            value => plain(value),
        };
        let mut table = csv::WriterBuilder::new().delimiter(between).from_writer(out);
        if self.headed {
            let names = names.into_iter().map(|name| written(Value::String(name)));
            table.write_record(names).map_err(io::Error::other)?;
        }
        self.each_for_programs(|_, row| {
            table.write_record(row.into_iter().map(&written)).map_err(io::Error::other)
        })?;
        table.flush()
    }
}

/// Whether a spreadsheet would compute a text instead of showing it. A number is none.
fn is_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r']) && text.parse::<f64>().is_err()
}

/// A column for people.
struct Cells {
    title: String,
    is_number: bool,
    cells: Vec<String>,
}

impl Cells {
    fn width(&self) -> usize {
        self.cells.iter().chain([&self.title]).map(|cell| cells(cell)).max().unwrap_or(0)
    }
}

/// Writes columns side by side.
fn text(columns: &[Cells], headed: bool, out: &mut dyn Write) -> io::Result<()> {
    let widths: Vec<usize> = columns.iter().map(Cells::width).collect();
    let lines = columns.first().map_or(0, |column| column.cells.len());
    for line in usize::from(!headed)..=lines {
        let mut text = String::new();
        for (at, (column, width)) in columns.iter().zip(&widths).enumerate() {
            let cell = match line.checked_sub(1) {
                None => &column.title,
                Some(line) => &column.cells[line],
            };
            let blank = " ".repeat(width - cells(cell));
            if at > 0 {
                text.push_str("  ");
            }
            text.push_str(&match column.is_number {
                true => format!("{blank}{cell}"),
                false => format!("{cell}{blank}"),
            });
        }
        writeln!(out, "{}", text.trim_end())?;
    }
    Ok(())
}

/// Writes a table of Markdown.
fn markdown(columns: &[Cells], headed: bool, out: &mut dyn Write) -> io::Result<()> {
    let escaped = |text: &str| text.replace('\\', "\\\\").replace('|', "\\|").replace('\n', " ");
    let row = |cells: Vec<String>| format!("| {} |", cells.join(" | "));
    let rule = |column: &Cells| if column.is_number { "---:" } else { "---" }.to_owned();
    if headed {
        writeln!(out, "{}", row(columns.iter().map(|column| escaped(&column.title)).collect()))?;
        writeln!(out, "{}", row(columns.iter().map(rule).collect()))?;
    }
    for line in 0..columns.first().map_or(0, |column| column.cells.len()) {
        let cells = columns.iter().map(|column| escaped(&column.cells[line]));
        writeln!(out, "{}", row(cells.collect()))?;
    }
    Ok(())
}

/// Writes an object; of names that are the same, the first stays.
fn jsonl(names: &[String], row: Vec<Value>, out: &mut dyn Write) -> io::Result<()> {
    let mut line = Map::new();
    for (name, value) in names.iter().zip(row) {
        line.entry(name.clone()).or_insert(value);
    }
    writeln!(out, "{}", Value::Object(line))
}

/// Writes `name=value` for each value that is there; in quotes where it has blanks, quotes or an equals sign.
fn pairs(names: &[String], row: Vec<Value>, out: &mut dyn Write) -> io::Result<()> {
    let quoted = |text: &str| {
        let plain =
            |c: char| !c.is_whitespace() && !c.is_control() && !matches!(c, '"' | '=' | '\\');
        match !text.is_empty() && text.chars().all(plain) {
            true => text.to_owned(),
            false => Value::from(text).to_string(),
        }
    };
    let there = names.iter().zip(row).filter(|(_, value)| !value.is_null());
    let pairs = there.map(|(name, value)| format!("{}={}", quoted(name), quoted(&plain(value))));
    writeln!(out, "{}", pairs.collect::<Vec<_>>().join(" "))
}
