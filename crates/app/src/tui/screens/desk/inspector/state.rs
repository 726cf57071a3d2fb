//! One entry in full: its parts as rows that a key can act on.

use std::io;

use cribrum_core::{
    EntryId,
    engine::{Shown, Snapshot},
    query::{Expr, Path},
    veil::{Clean, CleanField, CleanValue},
};

/// An open inspector.
pub(crate) struct Inspector {
    /// What it shows, or why it can't.
    pub(crate) view: Result<View, String>,
    /// The entry that it is to show; it is read beside the desk.
    pub(crate) id: Option<EntryId>,
    pub(crate) cursor: usize,
    /// The first line of the body that is shown.
    pub(crate) scroll: usize,
    /// The entry as written instead of its parts.
    pub(crate) raw: bool,
}

/// An entry made ready to be shown.
pub(crate) struct View {
    pub(crate) entry: Shown,
    pub(crate) line: u64,
    pub(crate) rows: Vec<Row>,
    pub(crate) raw: Clean<'static>,
}

/// A part of the entry.
pub(crate) struct Row {
    pub(crate) depth: usize,
    pub(crate) name: Clean<'static>,
    pub(crate) value: Clean<'static>,
    pub(crate) hidden: bool,
    /// What an entry with the same value satisfies; groups have none.
    pub(crate) same: Option<Expr>,
    /// The kind of id, for ids.
    pub(crate) id_kind: Option<&'static str>,
}

impl Inspector {
    pub(crate) fn closed() -> Self {
        Self { view: Err(String::new()), id: None, cursor: 0, scroll: 0, raw: false }
    }

    /// Shows another entry; the cursor stays on the part of the same name where there is one.
    pub(crate) fn show(&mut self, view: Result<View, String>) {
        let name = self.row().map(|row| row.name.clone());
        self.scroll = 0;
        self.view = view;
        let rows = self.rows();
        self.cursor = rows
            .iter()
            .position(|row| Some(&row.name) == name.as_ref())
            .or_else(|| rows.iter().position(|row| row.id_kind.is_some()))
            .unwrap_or(0);
    }

    pub(crate) fn rows(&self) -> &[Row] {
        self.view.as_ref().map_or(&[], |view| &view.rows)
    }

    pub(crate) fn row(&self) -> Option<&Row> {
        self.rows().get(self.cursor)
    }
}

impl View {
    /// Reads an entry.
    pub(crate) fn read(snapshot: &Snapshot, id: EntryId) -> io::Result<Self> {
        let entry = snapshot.inspect(id)?;
        let line = snapshot.line(id)?;
        let raw = snapshot.raw(id)?;
        let mut rows = Vec::new();
        let own = |name: &str, value: Clean<'static>, path: Path| Row {
            depth: 0,
            name: snapshot.own_text(name),
            same: Some(Expr::equals(path, value.as_str())),
            hidden: false,
            id_kind: None,
            value,
        };
        if let Some(logger) = &entry.logger {
            rows.push(own("logger", logger.clone(), Path::Logger));
        }
        for (kind, value) in &entry.ids {
            rows.push(Row {
                id_kind: Some(kind),
                same: Some(Expr::Id(value.as_str().to_owned())),
                ..own(kind, value.clone(), Path::Id)
            });
        }
        add(&entry.fields, "", 0, &mut rows);
        Ok(Self { entry, line, rows, raw })
    }
}

fn add(fields: &[CleanField], above: &str, depth: usize, rows: &mut Vec<Row>) {
    for (number, field) in fields.iter().enumerate() {
        let name = if field.name.as_str().is_empty() {
            number.to_string()
        } else {
            field.name.as_str().to_owned()
        };
        let path = if above.is_empty() { name } else { format!("{above}.{name}") };
        let value = |text: &Clean<'static>| Some(text.clone());
        let (value, children): (Option<Clean<'static>>, &[CleanField]) = match &field.value {
            CleanValue::Text(text) | CleanValue::Number(text) => (value(text), &[]),
            CleanValue::List(items) | CleanValue::Map(items) => (None, items),
            CleanValue::Null => (Some(field.value.word()), &[]),
            CleanValue::Bool(_) => (Some(field.value.word()), &[]),
        };
        // A name that is one of the entry's own parts means the field only with a dot before it.
        let target = Path::field(&path);
        rows.push(Row {
            depth,
            name: field.name.clone(),
            same: value.as_ref().map(|text| Expr::equals(target, text.as_str())),
            value: value.unwrap_or_default(),
            hidden: field.hidden,
            id_kind: None,
        });
        add(children, &path, depth + 1, rows);
    }
}
