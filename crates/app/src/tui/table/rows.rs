//! What a screen says of its table, and what follows from that.

use std::sync::Arc;

use cribrum_core::{
    EntryId,
    engine::{Pass, Snapshot},
    query::Expr,
    sieve::Mesh,
    veil::Desk,
};
use ratatui::style::Style;

use super::state::{Measured, list};
use crate::{
    results::{Column, Extract, Findings, Inquiry, Reader, TableExtract, With},
    tui::{
        context::{Context, Input, Question, Request, Step, Target},
        effect::Effect,
        screen::Screen,
        shared::Shared,
    },
};

/// What the table of a screen is made of.
pub(crate) type Found<V> = <<V as Table>::Inquiry as Inquiry>::Found<Desk>;
/// What a row of it is of.
pub(crate) type Row<V> = <Found<V> as Findings>::Row;
type Order<V> = <<V as Table>::Inquiry as Inquiry>::Order;

/// A screen that is a table.
pub(crate) trait Table: Screen {
    type Inquiry: Inquiry;
    /// What is said where words are asked for.
    const WORDS: &'static str;

    fn table(&self) -> &Measured<Self::Inquiry>;

    fn table_mut(&mut self) -> &mut Measured<Self::Inquiry>;

    /// Whether the largest comes first where a column is ordered by.
    fn descends(_order: Order<Self>) -> bool {
        true
    }

    /// Other rows are listed, or the cursor has moved.
    fn has_changed(&mut self, _cx: &mut Context) {}

    /// How a cell is drawn that is not drawn as its kind usually is.
    fn style(&self, _: &Column<Found<Self>>, _: &Row<Self>, _: &Shared) -> Option<Style> {
        None
    }

    /// What is said behind a row.
    fn note(_row: &Row<Self>) -> Option<String> {
        None
    }

    fn is_marked(&self, _row: &Row<Self>) -> bool {
        false
    }

    /// Asks for the rows, where those that there are are of another pan.
    fn look(&mut self, cx: &mut Context) {
        if !self.table_mut().is_due(&cx.shared.snapshot) {
            return;
        }
        let mut ask = self.table().ask();
        let clock = cx.shared.clock.clone();
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let found = ask.find(&Reader::new(snapshot, &clock), pass)?;
            Some((found, ask.listing))
        };
        cx.look(Self::NAME, true, find, |view: &mut Self, cx, ((inquiry, listed), listing)| {
            view.table_mut().take(inquiry, listed);
            if listing != view.table().listing {
                view.list_again(cx);
            }
            view.changed(cx);
            view.look(cx);
        });
    }

    /// Puts the rows into their order, and leaves those that have all words: by a job, since there may be a million.
    fn list_again(&mut self, cx: &mut Context) {
        let table = self.table();
        let Some(found) = table.listed.as_ref().map(|listed| Arc::clone(&listed.found)) else {
            return;
        };
        let (listing, clock) = (table.listing.clone(), cx.shared.clock.clone());
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            list(found, &listing, &Reader::new(snapshot, &clock), pass)
        };
        cx.look("order", true, find, |view: &mut Self, cx, listed| {
            // Others may have come meanwhile, which are listed as they should be.
            let now = view.table().listed.as_ref();
            if now.is_some_and(|now| Arc::ptr_eq(&now.found, &listed.found)) {
                view.table_mut().show(listed);
                view.changed(cx);
            }
        });
    }

    fn changed(&mut self, cx: &mut Context) {
        self.read_in_sight(cx);
        self.has_changed(cx);
    }

    /// Reads what the rows in sight say, where cells tell it.
    fn read_in_sight(&mut self, cx: &mut Context) {
        let table = self.table_mut();
        if !Found::<Self>::READS || table.reading {
            return;
        }
        let rows: Vec<u32> = table.in_sight().filter_map(|row| table.number(row)).collect();
        let Some(found) = table.listed.as_ref().map(|listed| Arc::clone(&listed.found)) else {
            return;
        };
        if !rows.iter().any(|row| found.misses(found.row(*row))) {
            return;
        }
        table.reading = true;
        let read = move |snapshot: &Snapshot, pass: &Pass| {
            let mut read = Found::<Self>::clone(&found);
            let done = read.read(&rows, snapshot, pass).is_some();
            Some((found, done.then_some(read)))
        };
        cx.look("texts", false, read, |view: &mut Self, cx, (found, read)| {
            let table = view.table_mut();
            table.reading = false;
            let listed = table.listed.as_mut().filter(|now| Arc::ptr_eq(&now.found, &found));
            if let (Some(listed), Some(read)) = (listed, read) {
                listed.found = Arc::new(read);
            }
            view.read_in_sight(cx);
        });
    }

    /// Asks something else: from the first row on, all of them.
    fn ask_again(&mut self, cx: &mut Context) {
        let table = self.table_mut();
        table.forget();
        table.cursor = 0;
        table.listing.words.clear();
        table.listing.only = Default::default();
        self.look(cx);
    }

    /// Moves the cursor to the next column that can be ordered by.
    fn move_column(&mut self, right: bool) {
        let columns = self.table().columns();
        let Some(last) = columns.len().checked_sub(1) else { return };
        let mut at = self.table().column.min(last);
        loop {
            let next = if right { at + 1 } else { at.wrapping_sub(1) };
            let Some(column) = columns.get(next) else { return };
            at = next;
            // Pictures are of the column beside them.
            if column.order.is_some() {
                self.table_mut().column = at;
                return;
            }
        }
    }

    fn step_row(&mut self, step: Step, cx: &mut Context) {
        let table = self.table_mut();
        table.cursor = step.from(table.cursor, table.len(), table.height);
        self.changed(cx);
    }

    /// Orders by the column under the cursor; again: the other way.
    fn sort(&mut self, cx: &mut Context) {
        let columns = self.table().columns();
        let last = columns.len().saturating_sub(1);
        let column = columns.get(self.table().column.min(last));
        let Some(by) = column.and_then(|column| column.order) else { return };
        let (before, descending) = self.table().listing.order;
        let way = if before == by { !descending } else { Self::descends(by) };
        self.order_by((by, way), cx);
    }

    /// The order is another one: the first row is what is looked for.
    fn order_by(&mut self, order: (Order<Self>, bool), cx: &mut Context) {
        self.table_mut().listing.order = order;
        self.list_from_the_top(cx);
    }

    fn list_from_the_top(&mut self, cx: &mut Context) {
        self.table_mut().from_the_top = true;
        self.list_again(cx);
    }

    /// Leaves rows with some words; all where there are none.
    fn narrow(&mut self, words: &str, cx: &mut Context) {
        words.trim().clone_into(&mut self.table_mut().listing.words);
        self.list_from_the_top(cx);
    }

    /// Takes words away, or else lists all rows again; `false` where all are listed.
    fn widen(&mut self, cx: &mut Context) -> bool {
        if !self.table().listing.words.is_empty() {
            self.narrow("", cx);
            return true;
        }
        let only = std::mem::take(&mut self.table_mut().listing.only);
        let narrowed = only != self.table().listing.only;
        if narrowed {
            self.list_from_the_top(cx);
        }
        narrowed
    }

    fn ask_words(&mut self, cx: &mut Context) {
        let question = Question::of(
            "narrow",
            Self::WORDS,
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                view.narrow(text, cx);
                Ok(())
            },
        );
        let words = self.table().listing.words.clone();
        cx.ask(question, &words);
    }

    /// Copies the row under the cursor as it may leave the desk.
    fn copy_row(&mut self, cx: &mut Context) {
        let table = self.table();
        let trace = table.found().zip(table.chosen());
        let trace = trace.and_then(|(found, row)| found.trace(row));
        let Some(trace) = trace else {
            cx.tell("there is no row to copy");
            return;
        };
        let (inquiry, listing) = (table.inquiry.clone(), table.listing.clone());
        let all = TableExtract { name: Self::NAME, noun: "row", inquiry, listing };
        let clock = cx.shared.clock.clone();
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let row = all.row(trace, With { snapshot, clock: &clock, pass });
            let text = row.map(|row| String::from_utf8_lossy(&row).trim_end().to_owned());
            (!pass.is_cancelled()).then(|| text.map(|text| snapshot.own_text_to_share(&text)))
        };
        cx.look("copy", true, find, |_: &mut Self, cx, text| match text {
            Some(text) => {
                cx.emit(Effect::Copy(text));
                cx.tell("the row is copied, secrets hidden");
            }
            None => cx.tell(
                "with personal data hidden, this row is a part of another; x extracts all of them",
            ),
        });
    }

    /// Which row it is, of how many.
    fn place_text(&self) -> String {
        match self.table().len() {
            0 => String::new(),
            len => format!("{} of {len}", self.table().cursor + 1),
        }
    }
}

/// What a table shows, to be written elsewhere; nothing until it is there.
pub(crate) fn extract<V: Table>(view: &V, noun: &'static str) -> Option<Arc<dyn Extract>> {
    let table = view.table();
    table.listed.as_ref()?;
    let (inquiry, listing) = (table.inquiry.clone(), table.listing.clone());
    Some(Arc::new(TableExtract { name: V::NAME, noun, inquiry, listing }))
}

/// A table whose rows stand for entries that a condition tells from all others.
pub(crate) trait OfEntries: Table {
    /// The condition that the entries of the row under the cursor pass.
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr>;

    /// One of them.
    fn entry(&self) -> Option<EntryId>;

    /// Keeps only the entries of the row under the cursor, or drops them.
    fn sift(&mut self, only: bool, cx: &mut Context) {
        if self.table().len() == 0 {
            return;
        }
        let Some(expr) = self.condition(&cx.shared.snapshot) else {
            cx.tell("no condition tells these entries from all others");
            return;
        };
        let expr = if only { expr } else { expr.negated() };
        cx.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
    }

    /// Keeps only the entries of the row under the cursor, and goes to one of them.
    fn open_entries(&mut self, cx: &mut Context) {
        self.sift(true, cx);
        if let Some(entry) = self.entry() {
            cx.request(Request::GoTo(Target::Entry(entry)));
        }
    }
}
