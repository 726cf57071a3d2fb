//! Pointing instead of typing: what the value under the cursor can become.

use cribrum_core::{
    entry::Level,
    query::{Expr, Literal, Op, Path},
    sieve::{Kind, Mesh},
};

use super::state::{Desk, Focus};
use crate::tui::{
    columns::{Column, field_text},
    context::{Choice, Context, List, now},
    shared::Shared,
};

impl Desk {
    /// The condition that entries with the value under the cursor satisfy.
    fn same_value(&self, shared: &mut Shared) -> Option<Expr> {
        if self.focus == Focus::Inspector {
            return self.inspector.as_ref()?.row()?.same.clone();
        }
        let id = self.list.selected?;
        let label = shared.label_of(id).to_owned();
        let column = shared.columns.chosen().clone();
        let shown = shared.selected(id)?;
        match &column {
            Column::Level => {
                shown.level().map(|level| Expr::equals(Path::Level, Level::name(level)))
            }
            Column::Source => Some(Expr::equals(Path::Source, &label)),
            Column::Logger => {
                let logger = shown.logger.as_ref();
                logger.map(|logger| Expr::equals(Path::Logger, logger.as_str()))
            }
            Column::Id => shown.ids.first().map(|(_, id)| Expr::Id(id.as_str().to_owned())),
            Column::Message => Some(Expr::equals(Path::Message, shown.message.as_str())),
            Column::Field(path) => {
                field_text(shown, path).map(|text| Expr::equals(Path::field(path), &text))
            }
        }
    }

    /// Keeps only the entries with the value under the cursor, or holds them back.
    pub(super) fn keep_value(&mut self, only: bool, cx: &mut Context) {
        let Some(same) = self.same_value(&mut cx.shared) else {
            return cx.tell("there is no single value here");
        };
        let expr = if only { same } else { same.negated() };
        cx.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
    }

    /// What else the selected entry can be told by: its logger, its source, its request, the kind of its
    /// status. What the value itself says already is left out.
    fn of_entry(&self, same: &Expr, shared: &mut Shared) -> Vec<(char, &'static str, Expr)> {
        let Some(id) = self.list.selected else { return Vec::new() };
        let source = Expr::equals(Path::Source, shared.label_of(id));
        let mut found = vec![('s', "this source", source)];
        if let Some(shown) = shared.selected(id) {
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

    /// Lists what the value under the cursor can become.
    pub(super) fn open_values(&mut self, cx: &mut Context) {
        let Some(same) = self.same_value(&mut cx.shared) else {
            return cx.tell("there is no single value here");
        };
        let others = self.of_entry(&same, &mut cx.shared);
        let shared = &cx.shared;
        let row = |key, note: &str, expr: Expr| {
            let mut with = shared.sieve().clone();
            with.add(expr.clone());
            let text = shared.own_text(&expr.to_string());
            let add = move |cx: &mut Context| cx.alter(|sieve| sieve.add(expr.clone()));
            Choice::common(text, add).key(key).note(note).counting(with)
        };
        let mut rows = vec![
            row('=', "only this value", same.clone()),
            row('-', "not this value", same.clone().negated()),
        ];
        rows.extend(beside(&same).into_iter().map(|(key, note, expr)| row(key, note, expr)));
        rows.extend(others.into_iter().map(|(key, note, expr)| row(key, note, expr)));
        rows.push(Choice::of("around this moment", Self::around).key('a'));
        rows.push(Choice::of("quieten this logger", Self::quieten).key('z'));
        if let Some(path) = field_of(&same) {
            let column = {
                let path = path.clone();
                move |desk: &mut Self, cx: &mut Context| desk.toggle_column(&path, cx)
            };
            rows.push(Choice::of("as a column", column).key('+').note(path));
        }
        cx.choose(List {
            title: "with this value",
            word: "choose it, or press its key",
            empty: "there is no single value here",
            rows,
            keys: &[],
            named: None,
        });
    }

    /// Makes a column of the field under the inspector's cursor, or removes it.
    pub(super) fn column_here(&mut self, cx: &mut Context) {
        match self.same_value(&mut cx.shared).as_ref().and_then(field_of) {
            Some(path) => self.toggle_column(&path, cx),
            None => cx.tell("this is no field with a single value"),
        }
    }

    /// Shows what happened around the selected entry; again and again, more of it, in one step.
    pub(super) fn around(&mut self, cx: &mut Context) {
        let time = self.list.selected.and_then(|id| cx.shared.snapshot.time(id));
        let Some(time) = time else {
            return cx.tell("this entry has no time");
        };
        // The cursor may have gone to a neighbour since: the moment stays.
        let shown = cx.shared.sieve().meshes.iter().find_map(|mesh| match mesh.kind {
            Kind::Around { at, half } if mesh.on && (at - half..=at + half).contains(&time) => {
                Some(at)
            }
            _ => None,
        });
        cx.tell("a again shows more, u brings the other meshes back");
        cx.change_sieve(|history| match shown {
            Some(at) => history.amend(|sieve| sieve.around(at)),
            None => history.change(|sieve| sieve.around(time)),
        });
    }

    /// Asks from which level on the selected entry's logger passes.
    pub(super) fn quieten(&mut self, cx: &mut Context) {
        let logger = self.list.selected.and_then(|id| cx.shared.selected(id)?.logger.clone());
        match logger {
            Some(logger) => cx.ask_quiet(&format!("{logger}=warn")),
            None => cx.tell("this entry does not name its logger; choose one that does"),
        }
    }

    /// Empties the view from now on.
    pub(super) fn sweep(&mut self, cx: &mut Context) {
        let progress = cx.shared.snapshot.progress;
        if progress.read.0 < progress.read.1 {
            return cx.tell("still reading; what is there before the sweep is not all known yet");
        }
        cx.tell("swept; what arrives from now on is shown, u brings the rest back");
        let arrival = cx.shared.snapshot.arrival(now());
        self.list.follow = true;
        cx.alter(|sieve| sieve.sweep(arrival));
    }

    /// Copies the selected entry as it is written, its secrets hidden.
    pub(super) fn copy_entry(&mut self, cx: &mut Context) {
        if let Some(id) = self.entry(&cx.shared) {
            cx.copy_entry(id);
        }
    }
}

/// `5xx` as a condition.
fn kind_of_status(name: &str, text: &str) -> Option<Expr> {
    let code: u16 = text.parse().ok().filter(|code| (100..600).contains(code))?;
    let first = code / 100 * 100;
    let bound = |code: u16| Literal::new(&code.to_string());
    Some(Expr::Between(Path::field(name), bound(first), bound(first + 99)))
}

/// At least, and at most, this value, where it has an order.
fn beside(same: &Expr) -> Vec<(char, &'static str, Expr)> {
    let Expr::Compare(path, Op::Equal, value) = same else { return Vec::new() };
    if value.quantity.is_none() && *path != Path::Level {
        return Vec::new();
    }
    let with = |op| Expr::Compare(path.clone(), op, value.clone());
    vec![('>', "at least this", with(Op::AtLeast)), ('<', "at most this", with(Op::AtMost))]
}

/// The field that a condition is on.
fn field_of(same: &Expr) -> Option<String> {
    match same.path()? {
        Path::Field(path) | Path::Literal(path) | Path::Shaped { path, .. } => Some(path.clone()),
        _ => None,
    }
}
