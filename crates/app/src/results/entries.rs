//! Entries as a table: time, the columns of a list, and the message.

use std::{
    collections::HashMap,
    io::{self, Write},
    sync::Arc,
};

use cribrum_core::{
    EntryId,
    engine::{Pass, Shown, Snapshot},
    query::Path,
    veil::{Anyone, Audience, CleanField, CleanValue, Text, ascii_stand_ins},
};

use super::{
    cell::{Cell, Reader},
    inquiry::AT_A_TIME,
    table::{Column, Findings},
    write::{Sheet, TableForm, With},
};

/// What stands in a column of entries.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum EntryColumn {
    Time,
    Level,
    Source,
    Logger,
    /// The best of its ids.
    Id,
    /// All of them, as one object by their kinds.
    Ids,
    Message,
    /// How long it took, whatever the field is called.
    Took,
    /// A field by its dotted path.
    Field(String),
    /// All fields, as one object.
    Fields,
}

impl EntryColumn {
    /// The columns of entries where none are named.
    pub(crate) fn usual() -> Vec<Self> {
        vec![
            Self::Time,
            Self::Level,
            Self::Source,
            Self::Logger,
            Self::Ids,
            Self::Message,
            Self::Fields,
        ]
    }

    /// The column of a name: that of a part of an entry, or else of a field.
    pub(crate) fn named(name: &str) -> Self {
        match Path::of(name) {
            Path::Time => Self::Time,
            Path::Level => Self::Level,
            Path::Source => Self::Source,
            Path::Logger => Self::Logger,
            Path::Id => Self::Id,
            Path::Message => Self::Message,
            Path::Took => Self::Took,
            _ if name == "fields" => Self::Fields,
            _ if name == "ids" => Self::Ids,
            Path::Field(path) | Path::Literal(path) => Self::Field(path),
            _ => Self::Field(name.to_owned()),
        }
    }

    fn name(&self) -> String {
        match self {
            Self::Time => "time".into(),
            Self::Level => "level".into(),
            Self::Source => "source".into(),
            Self::Logger => "logger".into(),
            Self::Id => "id".into(),
            Self::Ids => "ids".into(),
            Self::Message => "message".into(),
            Self::Took => "took".into(),
            Self::Field(path) => path.clone(),
            Self::Fields => "fields".into(),
        }
    }
}

/// Some entries, and what was read of them.
#[derive(Clone, Debug)]
pub(crate) struct Entries<A: Audience> {
    ids: Vec<EntryId>,
    columns: Arc<[EntryColumn]>,
    names: Arc<[String]>,
    read: Arc<HashMap<EntryId, Shown<A>>>,
}

impl<A: Audience> Entries<A> {
    pub(crate) fn new(ids: Vec<EntryId>, columns: Arc<[EntryColumn]>, snapshot: &Snapshot) -> Self {
        let names = snapshot.sources.iter().map(|source| source.name.clone()).collect();
        Self { ids, columns, names, read: Arc::default() }
    }

    /// The numbers of all of them.
    pub(crate) fn rows(&self) -> Vec<u32> {
        (0u32..).take(self.ids.len()).collect()
    }

    fn cell(&self, id: EntryId, column: &EntryColumn) -> Cell<'_, A> {
        let Some(entry) = self.read.get(&id) else { return Cell::None };
        match column {
            EntryColumn::Time => Cell::of(entry.time, Cell::Time),
            EntryColumn::Level => Cell::of(entry.level(), Cell::Level),
            EntryColumn::Source => {
                Cell::of(self.names.get(entry.source), |name| Cell::Word(name.as_str().into()))
            }
            EntryColumn::Logger => Cell::of(entry.logger.as_ref(), Cell::Text),
            EntryColumn::Id => Cell::of(entry.ids.first(), |(_, id)| Cell::Id(id)),
            EntryColumn::Message => match &entry.body {
                None => Cell::Text(&entry.message),
                Some(body) => Cell::Lines(&entry.message, body),
            },
            EntryColumn::Took => Cell::of(entry.took(), Cell::Seconds),
            EntryColumn::Ids if entry.ids.is_empty() => Cell::None,
            EntryColumn::Ids => Cell::Ids(&entry.ids),
            EntryColumn::Field(path) => match field_at(&entry.fields, path) {
                Some(field) => value(&field.value),
                // A field that is an id is no other field any more.
                None => {
                    let id = entry.ids.iter().find(|(kind, _)| kind == path);
                    Cell::of(id, |(_, id)| Cell::Id(id))
                }
            },
            EntryColumn::Fields if entry.fields.is_empty() => Cell::None,
            EntryColumn::Fields => Cell::Fields(&entry.fields),
        }
    }
}

/// The field of a dotted path, at whatever depth it stands.
pub(crate) fn field_at<'f, A: Audience>(
    fields: &'f [CleanField<A>],
    path: &str,
) -> Option<&'f CleanField<A>> {
    fields.iter().find_map(|field| {
        let name = field.name.as_str();
        if name == path {
            return Some(field);
        }
        let rest = path.strip_prefix(name)?.strip_prefix('.')?;
        match &field.value {
            CleanValue::Map(inner) => field_at(inner, rest),
            _ => None,
        }
    })
}

fn value<A: Audience>(value: &CleanValue<A>) -> Cell<'_, A> {
    match value {
        CleanValue::Text(text) => Cell::Text(text),
        value => Cell::Value(value),
    }
}

impl<A: Audience> Findings for Entries<A> {
    type Audience = A;
    type Row = EntryId;
    type Order = ();
    const READS: bool = true;

    fn row(&self, number: u32) -> &EntryId {
        &self.ids[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        let column = |(at, column): (usize, &EntryColumn)| {
            let name = column.name();
            Column::words("", |found: &Self, id: &EntryId, at| found.cell(*id, &found.columns[at]))
                .numbered(at)
                .named(name.clone())
                .titled(name)
        };
        self.columns.iter().enumerate().map(column).collect()
    }

    fn is_same(one: &EntryId, other: &EntryId) -> bool {
        one == other
    }

    fn text(&self, id: &EntryId, _: &Reader<'_>) -> String {
        self.read.get(id).map(|entry| &entry.message).map_or("", Text::as_str).to_owned()
    }

    fn misses(&self, id: &EntryId) -> bool {
        !self.read.contains_key(id)
    }

    fn read(&mut self, rows: &[u32], snapshot: &Snapshot, pass: &Pass) -> Option<()> {
        let ids = rows.iter().map(|row| self.ids[*row as usize]);
        self.read = Arc::new(snapshot.read_all::<A>(ids, pass)?);
        Some(())
    }
}

/// Entries that are written as a table, some at a time.
#[derive(Clone, Debug)]
pub(crate) struct EntryTable {
    columns: Arc<[EntryColumn]>,
    /// `None` where each is a line of a template.
    form: Option<TableForm>,
    /// The template: words, and behind them the number of a column.
    template: Arc<[(String, Option<usize>)]>,
    /// The names of the columns have still to be written.
    pub(crate) headed: bool,
    /// What is written goes to a terminal.
    pub(crate) terminal: bool,
    /// Stand-ins are in plain ASCII.
    ascii: bool,
    /// As for [`Sheet::formulas`].
    formulas: bool,
}

impl EntryTable {
    /// A table of these columns.
    pub(crate) fn of(columns: Arc<[EntryColumn]>, form: TableForm) -> Self {
        let form = Some(form);
        Self {
            columns,
            form,
            template: Arc::default(),
            headed: true,
            terminal: false,
            ascii: false,
            formulas: false,
        }
    }

    /// A line an entry: `{time} {level} {message}`; `{{` is a brace.
    ///
    /// # Errors
    ///
    /// In words, where a brace is left open.
    pub(crate) fn of_template(text: &str) -> Result<Self, String> {
        let (mut columns, mut parts, mut words) = (Vec::new(), Vec::new(), String::new());
        let mut rest = text;
        while let Some((before, from)) = rest.split_once('{') {
            words.push_str(before);
            if let Some(after) = from.strip_prefix('{') {
                words.push('{');
                rest = after;
                continue;
            }
            let (name, after) = from.split_once('}').ok_or_else(|| {
                "a brace is left open; write {time} {level} {message}, and {{ for a brace"
                    .to_owned()
            })?;
            parts.push((std::mem::take(&mut words), Some(columns.len())));
            columns.push(EntryColumn::named(name.trim()));
            rest = after;
        }
        words.push_str(rest);
        parts.push((words.replace("}}", "}"), None));
        let table = Self::of(columns.into(), TableForm::Text);
        Ok(Self { form: None, template: parts.into(), headed: false, ..table })
    }

    /// The same with stand-ins in plain ASCII.
    pub(crate) fn in_ascii(self, ascii: bool) -> Self {
        Self { ascii, ..self }
    }

    /// The same where texts that a spreadsheet would compute stay as they are.
    pub(crate) fn with_formulas(self, formulas: bool) -> Self {
        Self { formulas, ..self }
    }

    /// Writes entries, below the names of the columns where these were not written yet. Gives how many can't be read any
    /// more.
    ///
    /// # Errors
    ///
    /// Those of writing; and of kind `Interrupted` when the pass was ended.
    pub(crate) fn write(
        &self,
        ids: impl Iterator<Item = EntryId>,
        With { snapshot, clock, pass }: With<'_>,
        out: &mut dyn Write,
    ) -> io::Result<usize> {
        let mut ids = ids.peekable();
        let (mut headed, mut lost) = (self.headed, 0);
        while headed || ids.peek().is_some() {
            let some: Vec<_> = ids.by_ref().take(AT_A_TIME).collect();
            let mut found = Entries::<Anyone>::new(some, Arc::clone(&self.columns), snapshot);
            let rows = found.rows();
            let mut sheet = Sheet::new(&mut found, &rows, Reader::new(snapshot, clock), pass);
            (sheet.headed, sheet.terminal) = (headed, self.terminal);
            sheet.formulas = self.formulas;
            let mut text = Vec::new();
            lost += match self.form {
                Some(form) => sheet.write(form, &mut text)?,
                None => sheet.write_lines(&self.template, &mut text)?,
            };
            match std::str::from_utf8(&text).ok().filter(|_| self.ascii) {
                Some(text) => out.write_all(ascii_stand_ins(text).as_bytes())?,
                None => out.write_all(&text)?,
            }
            headed = false;
        }
        Ok(lost)
    }
}
