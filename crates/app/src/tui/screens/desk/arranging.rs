//! The columns of the list, and its order.

use std::sync::{Arc, Mutex, PoisonError};

use cribrum_core::{
    Rows,
    engine::{First, Keys, Pass, Snapshot},
    sieve::Sieve,
};

use super::{entries::column_width, order::Order, state::Desk};
use crate::{
    present::{cells, count_text},
    tui::{
        columns::{Columns, value_text},
        context::{Context, Input, Question},
        shared::Shared,
    },
};

/// Entries of the pan that are looked at for the columns that fit.
const LOOKED_AT: usize = 48;
/// Columns of the terminal from which on there is room for the logger.
const WIDE: u16 = 140;
/// The columns of a table that are shown at first.
const OF_TABLE: usize = 24;
/// Rows that are shown before all are in their order.
const PAGE: usize = 2_000;

impl Desk {
    /// The entries in the order in which they are shown.
    pub(super) fn rows<'r>(&'r self, shared: &'r Shared) -> &'r Rows {
        let order = self.order.as_ref().filter(|order| order.of.0 == shared.snapshot.sieve);
        order.and_then(|order| order.rows.as_ref()).unwrap_or(&shared.snapshot.pan)
    }

    /// Whether they are shown in another order than that of time.
    pub(super) fn is_ordered(&self, shared: &Shared) -> bool {
        !std::ptr::eq(self.rows(shared), &shared.snapshot.pan)
    }

    /// Orders the pan by the chosen column: the largest first, then the smallest, then by time again.
    pub(super) fn order_by_column(&mut self, cx: &mut Context) {
        let column = cx.shared.columns.chosen().clone();
        let same = self.order.as_ref().filter(|order| order.column == column);
        let first = match same.map(|order| order.first) {
            None => First::Largest,
            Some(First::Largest) => First::Smallest,
            Some(First::Smallest) => return self.order_by_time(cx),
        };
        let of = (Sieve::default(), usize::MAX);
        self.order = Some(Order { column, first, of, rows: None, having: 0, pass: None });
        self.list.follow = false;
        self.put_in_order(cx);
        let told = self.order.as_ref().map(|order| order.told(&cx.shared)).unwrap_or_default();
        let next = if first == First::Largest { "smallest first" } else { "by time" };
        cx.tell(format!("by {told}; , again: {next}"));
    }

    pub(super) fn order_by_time(&mut self, cx: &mut Context) {
        if self.order.take().is_some() {
            self.list.top = None;
            cx.tell("by time");
        }
    }

    /// Works the order out for what is left now, unless that has been done. One that is being worked out is waited for,
    /// so that entries which keep arriving do not begin it anew each time.
    pub(super) fn put_in_order(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let Some(order) = &mut self.order else { return };
        let of = (snapshot.sieve.clone(), snapshot.pan.len());
        let waits = order.pass.is_some() && order.of.0 == of.0;
        if order.of == of || waits || !snapshot.settled() {
            return;
        }
        if order.of.0 != of.0 {
            order.rows = None;
        }
        let slot = Arc::new(Mutex::new(None));
        (order.of, order.pass) = (of, Some(Arc::clone(&slot)));
        let (by, first) = (order.column.by(), order.first);
        cx.look(
            "order",
            true,
            move |snapshot, pass| {
                *slot.lock().unwrap_or_else(PoisonError::into_inner) = Some(pass.clone());
                Keys::of(snapshot, &by, pass)
            },
            move |desk: &mut Self, cx, keys| {
                let Some(order) = &mut desk.order else { return };
                order.having = keys.having();
                if keys.unread > 0 {
                    let unread = count_text(keys.unread);
                    cx.shared.warn(format!("not read, and last in the list: {unread}"));
                }
                // The first page is there at once; a long list takes a second to be put in order.
                order.rows.get_or_insert_with(|| keys.first(PAGE, first));
                let sort = move |_: &Snapshot, _: &Pass| Some(keys.rows(first));
                cx.look("order", true, sort, |desk: &mut Self, _, rows| {
                    if let Some(order) = &mut desk.order {
                        (order.rows, order.pass) = (Some(rows), None);
                    }
                });
            },
        );
    }

    /// Chooses the columns that fit what is left, once for each sieve, unless a person has chosen some.
    pub(super) fn fit_columns(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        if cx.shared.columns.is_touched() || !snapshot.settled() || snapshot.pan.is_empty() {
            return;
        }
        let wide = self.area.width >= WIDE;
        let fitted = (snapshot.sieve.clone(), wide);
        if self.fitted.as_ref() == Some(&fitted) {
            return;
        }
        self.fitted = Some(fitted);
        cx.look(
            "columns",
            true,
            move |snapshot, _| Some(fitting(snapshot, wide)),
            |_: &mut Self, cx, columns| {
                if !cx.shared.columns.is_touched() {
                    cx.shared.columns = columns;
                }
            },
        );
    }

    /// Asks for the name of a field to make a column of.
    pub(super) fn ask_column(&mut self, cx: &mut Context) {
        let hint = "the name of a field, such as status or user.id";
        let question = Question::of("column", hint, Input::Name, |desk: &mut Self, cx, text| {
            desk.toggle_column(text.trim().trim_start_matches('.'), cx);
            Ok(())
        });
        cx.ask(question, "");
    }

    /// Makes a column of a field, or removes it.
    pub(super) fn toggle_column(&mut self, path: &str, cx: &mut Context) {
        let there = cx.shared.columns.toggle_field(path);
        let path = cx.shared.own_text(path);
        cx.tell(match there {
            true => format!("{path} is a column now; [ ] move it, {{ }} size it, Del drops it"),
            false => format!("{path} is no column any more"),
        });
    }

    pub(super) fn shift_column(&mut self, by: isize, cx: &mut Context) {
        if !cx.shared.columns.shift(by) {
            cx.tell("← → choose a column to move; the message stays last");
        }
    }

    pub(super) fn size_column(&mut self, by: i16, cx: &mut Context) {
        let now = column_width(self, &cx.shared);
        if !cx.shared.columns.resize(by, now) {
            cx.tell("← → choose the source, the logger or a field's column to size");
        }
    }

    pub(super) fn drop_column(&mut self, cx: &mut Context) {
        if !cx.shared.columns.drop_chosen() {
            cx.tell("← → choose a column to drop; the message stays");
        }
    }
}

/// The columns that fit the pan: those of a table where all of it is of one, else the usual ones, with the logger
/// where it tells entries of one source apart.
fn fitting(snapshot: &Snapshot, wide: bool) -> Columns {
    let len = snapshot.pan.len();
    let rows = (0..LOOKED_AT.min(len)).map(|at| at * len / LOOKED_AT.min(len));
    let shown: Vec<_> = rows.filter_map(|row| snapshot.row(snapshot.pan.get(row)?).ok()).collect();
    let table = shown.iter().all(|entry| entry.layout.name() == "csv");
    let source = shown.first().map(|entry| entry.source);
    if table && !shown.is_empty() && shown.iter().all(|entry| Some(entry.source) == source) {
        let mut names: Vec<(String, usize)> = Vec::new();
        for field in shown.iter().flat_map(|entry| &entry.fields) {
            let text = value_text(&field.value).unwrap_or_default();
            let (name, wide) = (field.name.as_str(), cells(&text));
            let room = names.len() < OF_TABLE;
            match names.iter_mut().find(|(known, _)| known == name) {
                Some((_, widest)) => *widest = (*widest).max(wide),
                None if room => names.push((name.to_owned(), wide)),
                None => {}
            }
        }
        return Columns::of_table(&names, shown.iter().any(|entry| !entry.ids.is_empty()));
    }
    let mut loggers: Vec<(usize, &str)> = Vec::new();
    let mut varies = false;
    for entry in &shown {
        let Some(logger) = &entry.logger else { continue };
        let known = loggers.iter().find(|(source, _)| *source == entry.source);
        varies |= known.is_some_and(|(_, known)| *known != logger.as_str());
        loggers.push((entry.source, logger.as_str()));
    }
    let widest = loggers.iter().map(|(_, logger)| cells(logger)).max();
    Columns::usual(widest.filter(|_| varies && wide))
}
