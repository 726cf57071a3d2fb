//! What the desk knows beside what all screens share.

use cribrum_core::{EntryId, engine::Finding, sieve::Sieve};
use ratatui::layout::Rect;

use super::{bare::Bare, entries::line::Line, inspector::state::Inspector, order::Order};
use crate::tui::{context::Context, shared::Shared};

/// Which region of the desk takes the keys.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Focus {
    Entries,
    Funnel,
    Inspector,
    /// The text of the entry that the inspector shows.
    Text,
    Rail,
}

/// What the rail shows, and what is being drawn on it.
#[derive(Clone, Debug, Default)]
pub(super) struct RailView {
    /// The time under the rail's own cursor.
    pub(super) cursor: Option<i64>,
    /// Where a window that is being drawn begins.
    pub(super) from: Option<i64>,
    /// The spans that were zoomed into, the last one shown.
    pub(super) zoom: Vec<(i64, i64)>,
}

/// The list of entries.
#[derive(Default)]
pub(super) struct List {
    pub(super) selected: Option<EntryId>,
    /// The row of the cursor, for an order in which the entry does not tell it.
    pub(super) at: usize,
    /// The first row on the screen and its entry.
    pub(super) top: Option<(usize, EntryId)>,
    pub(super) follow: bool,
    /// A person has moved the cursor; until then it stays on the first entry, whichever that becomes.
    pub(super) moved: bool,
    /// What is on the screen, made before each drawing.
    pub(super) lines: Vec<Line>,
    pub(super) height: usize,
}

/// Words that are looked for without holding anything back.
#[derive(Default)]
pub(super) struct Find {
    pub(super) words: Option<String>,
    /// The cursor goes to what is found as soon as that is known: forwards or backwards.
    pub(super) going: Option<bool>,
}

/// Why nothing is left, and the remedy that the cursor is on.
#[derive(Default)]
pub(super) struct Empty {
    pub(super) findings: Option<(Sieve, Vec<Finding>)>,
    pub(super) remedy: usize,
}

/// The desk's own state.
pub(crate) struct Desk {
    pub(super) focus: Focus,
    pub(super) list: List,
    /// The order of the list, where it is not that of time.
    pub(super) order: Option<Order>,
    /// The sieve that the columns were chosen for, and whether there was room for many.
    pub(super) fitted: Option<(Sieve, bool)>,
    /// The mesh that the funnel's cursor is on.
    pub(super) mesh: usize,
    pub(super) rail: RailView,
    pub(super) inspector: Option<Inspector>,
    /// The inspector stands beside the rows, where there is room.
    pub(super) beside: bool,
    pub(super) find: Find,
    pub(super) empty: Empty,
    /// An entry that is shown without the veil.
    pub(super) bare: Option<Bare>,
    /// Where the desk was drawn last.
    pub(super) area: Rect,
}

impl Desk {
    pub(super) fn new(follow: bool) -> Self {
        Self {
            focus: Focus::Entries,
            list: List { follow, ..List::default() },
            order: None,
            fitted: None,
            mesh: 0,
            rail: RailView::default(),
            inspector: None,
            beside: false,
            find: Find::default(),
            empty: Empty::default(),
            bare: None,
            area: Rect::new(0, 0, 80, 23),
        }
    }

    /// The row of the cursor.
    pub(super) fn row(&self, shared: &Shared) -> usize {
        let len = self.rows(shared).len();
        let row = match self.list.selected {
            _ if self.list.follow => len,
            _ if self.is_ordered(shared) => self.list.at,
            Some(id) => shared.snapshot.row_of(id),
            None => 0,
        };
        row.min(len.saturating_sub(1))
    }

    /// The entry under the cursor, where any is left.
    pub(super) fn entry(&self, shared: &Shared) -> Option<EntryId> {
        self.rows(shared).get(self.row(shared))
    }

    /// Puts the cursor on a row.
    pub(super) fn go(&mut self, row: usize, shared: &Shared) {
        let rows = self.rows(shared);
        let row = row.min(rows.len().saturating_sub(1));
        let selected = rows.get(row);
        self.list.moved |= row > 0;
        (self.list.at, self.list.selected) = (row, selected);
    }

    /// Puts the cursor on an entry, or on where it would be.
    pub(super) fn go_to_entry(&mut self, id: EntryId, cx: &mut Context) {
        self.order_by_time(cx);
        self.list.follow = false;
        (self.list.selected, self.list.moved) = (Some(id), true);
        let row = cx.shared.snapshot.row_of(id);
        if cx.shared.snapshot.pan.get(row) != Some(id) {
            cx.tell("the sieve holds this entry back; the cursor is where it would be");
        }
    }

    /// Puts the cursor on the first entry at or after a time.
    pub(super) fn go_to_time(&mut self, time: i64, cx: &mut Context) {
        self.order_by_time(cx);
        let row = cx.shared.snapshot.row_at(time);
        if row >= cx.shared.snapshot.pan.len() {
            cx.tell("nothing that is left comes at or after this time");
        }
        self.list.follow = false;
        self.go(row, &cx.shared);
        self.list.moved = true;
        self.rail.cursor = None;
    }

    pub(super) fn next_region(&mut self, cx: &mut Context) {
        let has_meshes = !cx.shared.sieve().meshes.is_empty();
        self.focus = match self.focus {
            Focus::Entries if self.inspector.is_some() => Focus::Inspector,
            Focus::Inspector if self.inspector.as_ref().is_some_and(Inspector::may_have_text) => {
                Focus::Text
            }
            Focus::Entries | Focus::Inspector | Focus::Text if has_meshes => Focus::Funnel,
            Focus::Entries | Focus::Inspector | Focus::Text | Focus::Funnel => Focus::Rail,
            Focus::Rail => Focus::Entries,
        };
    }
}
