//! One entry in full: its parts as a tree that a key can act on, and its text as lines to read.

use std::{collections::HashSet, io};

use cribrum_core::{
    EntryId,
    engine::{Shown, Snapshot},
    query::{Expr, Path},
    veil::{Clean, CleanField, CleanValue},
};

use super::text::{self, TextLine};

/// An open inspector.
pub(crate) struct Inspector {
    /// What it shows, or why it can't.
    pub(crate) view: Result<View, String>,
    /// The entry that it is to show; it is read beside the desk.
    pub(crate) id: Option<EntryId>,
    /// The row of the tree under the cursor, among those in sight.
    pub(crate) cursor: usize,
    /// The paths of the groups that are closed.
    closed: HashSet<String>,
    /// The line of the text under the cursor.
    pub(crate) line: usize,
    /// Levels of JSON that are open in the text; deeper ones are folded to a line.
    pub(crate) levels: usize,
    /// The entry as written instead of its parts.
    pub(crate) raw: bool,
    /// The text, made for a width and a part of the entry.
    text: Vec<TextLine>,
    made_for: Option<(EntryId, usize, usize, usize, bool)>,
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
    /// Its dotted path.
    pub(crate) path: String,
    pub(crate) name: Clean<'static>,
    pub(crate) value: Clean<'static>,
    /// How many parts a group has; none for a single value.
    pub(crate) parts: Option<usize>,
    pub(crate) hidden: bool,
    /// What an entry with the same value satisfies; groups have none.
    pub(crate) same: Option<Expr>,
    /// For ids: how many entries have it, and in how many sources, once that is known.
    pub(crate) spread: Option<(usize, usize)>,
    /// The kind of id, for ids.
    pub(crate) id_kind: Option<&'static str>,
    /// The other half of the exchange tells it.
    pub(crate) joined: bool,
}

/// All levels of JSON.
pub(crate) const ALL_LEVELS: usize = 32;

impl Inspector {
    /// Open, and empty until an entry is read.
    pub(crate) fn empty() -> Self {
        Self {
            view: Err(String::new()),
            id: None,
            cursor: 0,
            closed: HashSet::new(),
            line: 0,
            levels: ALL_LEVELS,
            raw: false,
            text: Vec::new(),
            made_for: None,
        }
    }

    /// Shows another entry; the cursor stays on the part of the same name where there is one.
    pub(crate) fn show(&mut self, view: Result<View, String>) {
        let path = self.row().map(|row| row.path.clone());
        (self.line, self.made_for) = (0, None);
        self.view = view;
        let rows = self.rows();
        self.cursor = rows
            .iter()
            .position(|row| Some(&row.path) == path.as_ref())
            .or_else(|| rows.iter().position(|row| row.id_kind.is_some()))
            .unwrap_or(0);
    }

    /// The rows of the tree that are in sight: those within a closed group are not.
    pub(crate) fn rows(&self) -> Vec<&Row> {
        let Ok(view) = &self.view else { return Vec::new() };
        let mut hidden: Option<usize> = None;
        let seen = view.rows.iter().filter(|row| {
            if hidden.is_some_and(|depth| row.depth > depth) {
                return false;
            }
            hidden = (row.parts.is_some() && self.is_closed(row)).then_some(row.depth);
            true
        });
        seen.collect()
    }

    pub(crate) fn row(&self) -> Option<&Row> {
        self.rows().get(self.cursor).copied()
    }

    pub(crate) fn is_closed(&self, row: &Row) -> bool {
        self.closed.contains(&row.path)
    }

    /// Opens the group under the cursor, or closes it; says whether there is one.
    pub(crate) fn toggle(&mut self) -> bool {
        let Some(path) = self.row().filter(|row| row.parts.is_some()).map(|row| row.path.clone())
        else {
            return false;
        };
        if !self.closed.remove(&path) {
            self.closed.insert(path);
        }
        true
    }

    /// Closes the group under the cursor, or goes to the group that the part is in.
    pub(crate) fn close(&mut self) {
        let rows = self.rows();
        let Some(row) = rows.get(self.cursor) else { return };
        if row.parts.is_some() && !self.is_closed(row) {
            self.toggle();
            return;
        }
        let depth = row.depth;
        let above = rows.iter().take(self.cursor).rposition(|other| other.depth < depth);
        self.cursor = above.unwrap_or(self.cursor);
    }

    /// Opens the group under the cursor.
    pub(crate) fn open(&mut self) {
        if self.row().is_some_and(|row| self.is_closed(row)) {
            self.toggle();
        }
    }

    /// Makes the text for a width, unless it is that already; `room` is the cells that the tree has for values.
    pub(crate) fn make_text(&mut self, width: usize, room: usize, own: &[String]) {
        let Some(id) = self.id else { return };
        let made_for = (id, self.cursor, width, self.levels, self.raw);
        if self.made_for.as_ref() == Some(&made_for) {
            return;
        }
        let Ok(view) = &self.view else { return };
        let lines = match self.raw {
            true => text::written(&view.raw, width),
            false => {
                // A value that the tree has no room for is read here.
                let row = self.row().filter(|row| {
                    row.value.as_str().chars().count() > room || text::is_json(row.value.as_str())
                });
                let part = row.map(|row| (row.path.as_str(), &row.value));
                text::lines(&view.entry, part, width, self.levels, own)
            }
        };
        self.line = self.line.min(lines.len().saturating_sub(1));
        (self.text, self.made_for) = (lines, Some(made_for));
    }

    pub(crate) fn text(&self) -> &[TextLine] {
        &self.text
    }

    /// Whether there is text, or the entry has not been read yet.
    pub(crate) fn may_have_text(&self) -> bool {
        self.view.is_err() || self.has_text()
    }

    /// Whether there is more to read than the tree tells.
    pub(crate) fn has_text(&self) -> bool {
        let Ok(view) = &self.view else { return false };
        let long = |row: &&Row| row.value.as_str().len() > 60 || text::is_json(row.value.as_str());
        view.entry.body.is_some()
            || view.entry.message.as_str().len() > 60
            || view.rows.iter().any(|row| long(&row))
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
            path: name.to_owned(),
            name: snapshot.own_text(name),
            same: Some(Expr::equals(path, value.as_str())),
            parts: None,
            hidden: false,
            id_kind: None,
            spread: None,
            joined: false,
            value,
        };
        if let Some(logger) = &entry.logger {
            rows.push(own("logger", logger.clone(), Path::Logger));
        }
        for ((kind, value), key) in entry.ids.iter().zip(&entry.id_keys) {
            rows.push(Row {
                id_kind: Some(kind),
                spread: snapshot.is_identified().then(|| snapshot.spread_of(*key)),
                same: Some(Expr::Id(value.as_str().to_owned())),
                ..own(kind, value.clone(), Path::Id)
            });
        }
        add(entry.own_fields(), "", 0, &mut rows);
        let joined = &entry.fields[entry.own_fields().len()..];
        let from = rows.len();
        add(joined, "", 0, &mut rows);
        for row in &mut rows[from..] {
            row.joined = true;
            // Both halves have it, and only by the name that all exchanges use.
            row.same = Some(Expr::equals(Path::of(&row.path), row.value.as_str()));
        }
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
            CleanValue::Null | CleanValue::Bool(_) => (Some(field.value.word()), &[]),
        };
        rows.push(Row {
            depth,
            path: path.clone(),
            name: field.name.clone(),
            same: value.as_ref().map(|text| Expr::equals(Path::field(&path), text.as_str())),
            parts: value.is_none().then_some(children.len()),
            value: value.unwrap_or_default(),
            hidden: field.hidden,
            id_kind: None,
            spread: None,
            joined: false,
        });
        add(children, &path, depth + 1, rows);
    }
}
