//! Screens that are a table of what was counted: rows in an order, narrowed by words, with a cursor on a row and on a
//! column. Their state, their keys and how they are drawn are the same everywhere; a screen says what its rows and its
//! columns are.

mod draw;
mod keys;

use std::{borrow::Cow, ops::Range};

use cribrum_core::{EntryId, engine::Snapshot, query::Expr, sieve::Sieve};

use super::{
    context::{Context, Input, Question, Request, Step, Target},
    screen::Screen,
    shared::Shared,
    widgets::Scroll,
};
pub(crate) use draw::{cell, columns, ground, head, narrowed, rows, waiting};
pub(crate) use keys::{drop_these, entries, keep_these, left, narrow, order, right};

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
        cx.alter(|sieve| sieve.meshes.push(cribrum_core::sieve::Mesh::of(expr)));
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

/// Where the cursor of a table is, and how its rows are listed.
#[derive(Debug)]
pub(crate) struct State<O> {
    /// What rows are put in order by, and whether the largest comes first.
    pub(crate) order: (O, bool),
    /// The column under the cursor.
    pub(crate) column: usize,
    pub(crate) cursor: usize,
    /// The next list is shown from its first row on.
    pub(crate) from_the_top: bool,
    /// Words that the rows shown have.
    pub(crate) words: String,
    /// Rows that the table shows.
    pub(crate) height: usize,
    pub(crate) width: u16,
}

impl<O> State<O> {
    /// From the first row on, all of them, the largest first.
    pub(crate) fn by(order: O) -> Self {
        Self {
            order: (order, true),
            column: 0,
            cursor: 0,
            from_the_top: false,
            words: String::new(),
            height: 20,
            width: 80,
        }
    }

    /// Puts the cursor into a new list of rows: to where its row is now, if it is still there.
    pub(crate) fn put_cursor(&mut self, place: Option<usize>, len: usize) {
        let place = if self.from_the_top { 0 } else { place.unwrap_or(self.cursor) };
        (self.cursor, self.from_the_top) = (place.min(len.saturating_sub(1)), false);
    }
}

/// Words that a text must have, all of them, in any case.
pub(crate) struct Words(Vec<String>);

impl Words {
    pub(crate) fn of(text: &str) -> Self {
        Self(text.to_lowercase().split_whitespace().map(str::to_owned).collect())
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn are_in(&self, text: &str) -> bool {
        let text = text.to_lowercase();
        self.0.iter().all(|word| text.contains(word))
    }
}

/// What a table was counted of, and whether another answer is on its way.
#[derive(Debug, Default)]
pub(crate) struct Asked {
    on_its_way: bool,
    /// The sieve, and entries in the pan.
    of: Option<(Sieve, usize)>,
}

impl Asked {
    /// Whether something else is to be counted now than last time; it is then on its way. One answer comes after the
    /// other: what grows all the time is never done otherwise.
    pub(crate) fn is_due(&mut self, snapshot: &Snapshot) -> bool {
        let now = (snapshot.sieve.clone(), snapshot.pan.len());
        if self.on_its_way || !snapshot.settled() || self.of.as_ref() == Some(&now) {
            return false;
        }
        (self.on_its_way, self.of) = (true, Some(now));
        true
    }

    pub(crate) fn has_come(&mut self) {
        self.on_its_way = false;
    }
}
