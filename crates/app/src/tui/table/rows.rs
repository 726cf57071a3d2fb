//! What a screen says of its rows and its columns, and what follows from that.

use std::{borrow::Cow, ops::Range};

use cribrum_core::{EntryId, engine::Snapshot, query::Expr, sieve::Mesh};

use super::state::State;
use crate::tui::{
    context::{Context, Input, Question, Request, Step, Target},
    screen::Screen,
    shared::Shared,
    widgets::Scroll,
};

/// A screen that is a table.
pub(crate) trait Table: Screen {
    /// What rows are put in order by.
    type Order: Copy + PartialEq + 'static;
    type Column: Column<Self>;
    /// What is said where words are asked for.
    const WORDS: &'static str;

    fn table(&self) -> &State<Self::Order>;

    fn table_mut(&mut self) -> &mut State<Self::Order>;

    /// How many rows are listed.
    fn len(&self) -> usize;

    /// Puts the rows into their order, and leaves those that have all words.
    fn list_again(&mut self, cx: &mut Context);

    /// Whether the largest comes first where a column is ordered by.
    fn descends(_order: Self::Order) -> bool {
        true
    }

    /// The rows that are in sight.
    fn in_sight(&self) -> Range<usize> {
        let (table, len) = (self.table(), self.len());
        let from = Scroll::around(table.cursor, len, table.height).from;
        from..(from + table.height).min(len)
    }

    /// The column under the cursor.
    fn column(&self) -> Self::Column {
        let columns = Self::Column::fitting(self);
        columns[self.table().column.min(columns.len() - 1)]
    }

    /// Moves the cursor to the next column that can be ordered by.
    fn move_column(&mut self, right: bool) {
        let columns = Self::Column::fitting(self);
        let mut at = self.table().column.min(columns.len() - 1);
        loop {
            let next = if right { at + 1 } else { at.wrapping_sub(1) };
            let Some(column) = columns.get(next) else { return };
            at = next;
            // Pictures are of the column beside them.
            if column.order().is_some() {
                self.table_mut().column = at;
                return;
            }
        }
    }

    fn step_row(&mut self, step: Step) {
        let len = self.len();
        let table = self.table_mut();
        table.cursor = step.from(table.cursor, len, table.height);
    }

    /// Orders by the column under the cursor; again: the other way.
    fn sort(&mut self, cx: &mut Context) {
        let Some(by) = self.column().order() else { return };
        let (before, descending) = self.table().order;
        let way = if before == by { !descending } else { Self::descends(by) };
        self.order_by((by, way), cx);
    }

    /// The order is another one: the first row is what is looked for.
    fn order_by(&mut self, order: (Self::Order, bool), cx: &mut Context) {
        self.table_mut().order = order;
        self.list_from_the_top(cx);
    }

    fn list_from_the_top(&mut self, cx: &mut Context) {
        self.table_mut().from_the_top = true;
        self.list_again(cx);
    }

    /// Leaves rows with some words; all where there are none.
    fn narrow(&mut self, words: &str, cx: &mut Context) {
        words.trim().clone_into(&mut self.table_mut().words);
        self.list_from_the_top(cx);
    }

    /// Takes words away; `false` where there are none.
    fn widen(&mut self, cx: &mut Context) -> bool {
        let narrowed = !self.table().words.is_empty();
        if narrowed {
            self.narrow("", cx);
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
        let words = self.table().words.clone();
        cx.ask(question, &words);
    }

    /// Which row it is, of how many.
    fn place_text(&self) -> String {
        match self.len() {
            0 => String::new(),
            len => format!("{} of {len}", self.table().cursor + 1),
        }
    }
}

/// A table whose rows stand for entries that a condition tells from all others.
pub(crate) trait OfEntries: Table {
    /// The condition that the entries of the row under the cursor pass.
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr>;

    /// One of them.
    fn entry(&self) -> Option<EntryId>;

    /// Keeps only the entries of the row under the cursor, or drops them.
    fn sift(&mut self, only: bool, cx: &mut Context) {
        if self.len() == 0 {
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

/// A column of a table.
pub(crate) trait Column<V: Table>: Copy + PartialEq {
    /// Those that fit, from left to right.
    fn fitting(view: &V) -> Vec<Self>;

    fn title(self, view: &V) -> Cow<'_, str>;

    /// What it orders by; nothing for pictures.
    fn order(self) -> Option<V::Order> {
        None
    }

    /// Another column stands for the same order.
    fn is_second(self) -> bool {
        false
    }

    /// Cells; 0 for what is left.
    fn width(self, view: &V) -> u16;

    /// Cells of a column that takes what is left.
    fn of_what_is_left(self, _view: &V, _shared: &Shared, left: u16) -> u16 {
        left
    }

    /// Whether its values end under each other.
    fn is_number(self) -> bool;
}
