//! Pointing instead of typing: what the value under the cursor can become.

use cribrum_core::{
    engine::Shown,
    entry::Level,
    query::{Expr, Literal, Op, Path},
    veil::CleanValue,
};

use super::{
    columns::{Column, field_at, path_of},
    state::{App, Focus},
};

impl App {
    /// The condition that entries with the value under the cursor satisfy.
    pub(super) fn same_value(&mut self) -> Option<Expr> {
        if self.desk.focus == Focus::Inspector {
            return self.desk.inspector.as_ref()?.row()?.same.clone();
        }
        let id = self.desk.selected?;
        let column = self.desk.columns.chosen().clone();
        let label = self.snapshot.sources[self.snapshot.source_of(id)].label.clone();
        let shown = self.fetch(id)?;
        match column {
            Column::Level => {
                shown.level().map(|level| Expr::equals(Path::Level, Level::name(level)))
            }
            Column::Source => Some(Expr::equals(Path::Source, &label)),
            Column::Id => shown.ids.first().map(|(_, id)| Expr::Id(id.as_str().to_owned())),
            Column::Message => Some(Expr::equals(Path::Message, shown.message.as_str())),
            Column::Field(path) => {
                field_text(shown, &path).map(|text| Expr::equals(path_of(&path), &text))
            }
        }
    }

    /// What else the selected entry can be told by: its logger, its source, its request, the kind of its
    /// status. What the value itself says already is left out.
    pub(super) fn of_entry(&self, same: &Expr) -> Vec<(char, &'static str, Expr)> {
        let Some(id) = self.desk.selected else { return Vec::new() };
        let label = &self.snapshot.sources[self.snapshot.source_of(id)].label;
        let mut found = vec![('s', "this source", Expr::equals(Path::Source, label))];
        if let Some(Ok(shown)) = self.shown(id) {
            if let Some(logger) = &shown.logger {
                found.push(('l', "this logger", Expr::equals(Path::Logger, logger.as_str())));
            }
            if let Some((_, id)) = shown.ids.first() {
                found.push(('r', "this request", Expr::Id(id.as_str().to_owned())));
            }
            let status = ["status", "status_code", "statusCode"]
                .into_iter()
                .find_map(|name| field_text(shown, name).map(|text| (name, text)));
            if let Some((name, text)) = status
                && let Some(kind) = kind_of_status(name, &text)
            {
                found.push(('k', "this kind of status", kind));
            }
        }
        found.retain(|(_, _, expr)| expr != same);
        found
    }
}

/// The text of a field, where it has a single one.
fn field_text(shown: &Shown, path: &str) -> Option<String> {
    match &field_at(shown, path)?.value {
        CleanValue::Text(text) | CleanValue::Number(text) => Some(text.as_str().to_owned()),
        CleanValue::List(_) | CleanValue::Map(_) => None,
        word => Some(word.word().as_str().to_owned()),
    }
}

/// `5xx` as a condition.
fn kind_of_status(name: &str, text: &str) -> Option<Expr> {
    let code: u16 = text.parse().ok().filter(|code| (100..600).contains(code))?;
    let first = code / 100 * 100;
    let bound = |code: u16| Literal::new(&code.to_string());
    Some(Expr::Between(path_of(name), bound(first), bound(first + 99)))
}

/// At least, and at most, this value, where it has an order.
pub(super) fn beside(same: &Expr) -> Vec<(char, &'static str, Expr)> {
    let Expr::Compare(path, Op::Equal, value) = same else { return Vec::new() };
    if value.quantity.is_none() && *path != Path::Level {
        return Vec::new();
    }
    let with = |op| Expr::Compare(path.clone(), op, value.clone());
    vec![('>', "at least this", with(Op::AtLeast)), ('<', "at most this", with(Op::AtMost))]
}

/// The column that a condition on a field belongs to.
pub(super) fn column_of(same: &Expr) -> Option<Column> {
    match same.path()? {
        Path::Field(path) | Path::Literal(path) => Some(Column::Field(path.clone())),
        _ => None,
    }
}
