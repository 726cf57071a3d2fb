//! The comparison as a screen.

use std::sync::{Arc, PoisonError};

use cribrum_core::{
    EntryId,
    chart::Ask,
    compare::{Per, SoFar},
    engine::{Pass, Snapshot},
    query::Expr,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::{Column, of, what},
    sides::usual,
    state::{CompareView, Listed, Region},
    view,
};
use crate::tui::{
    context::{Context, Step},
    keys::Key,
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::{Here, Shared},
    table::{self, OfEntries, State, Table, Words},
};

pub(crate) const OPENING: Opening = Opening {
    name: CompareView::NAME,
    about: CompareView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('C')],
        "C",
        "compare: what changed between marks, runs, sources",
        Some("compare"),
    )),
    open: |cx| Some(Box::new(CompareView::of(usual(&cx.shared)))),
    actions: actions_of::<CompareView>,
    anywhere: false,
};

const HERE: &[Region] = &[Region::Table];
const ONLY: &str = "keep only these entries, drop them";

static KEYS: &[Binding<CompareView, Region>] = &[
    table::entries("the entries that differ, on the desk", HERE),
    table::keep_these(ONLY, HERE),
    table::drop_these(ONLY, "drop", HERE),
    Binding::new(
        Closer,
        &[Key::Char('f')],
        "f",
        "what is compared",
        |view: &mut CompareView, cx| view.choose_side(0, cx),
    )
    .footer("from")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "the other side, with which it is compared",
        |view: &mut CompareView, cx| view.choose_side(1, cx),
    )
    .footer("with")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('X')],
        "X",
        "exchange both sides",
        |view: &mut CompareView, cx| {
            view.sides.swap(0, 1);
            view.ask_again(cx);
        },
    )
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('p')],
        "p",
        "counts of a hundred entries; again: a minute",
        |view: &mut CompareView, cx| {
            view.per = match view.per {
                Per::Entry => Per::Minute,
                Per::Minute => Per::Entry,
            };
            view.ask_again(cx);
        },
    )
    .footer("a minute")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('a')],
        "a",
        "what is alike on both sides as well",
        |view: &mut CompareView, cx| {
            view.all = !view.all;
            view.list_again(cx);
        },
    )
    .footer("all")
    .within(HERE),
    table::narrow("narrow to differences with these words", HERE),
];

impl Screen for CompareView {
    type Region = Region;
    const NAME: &'static str = "compare";
    const ABOUT: &'static str = "what is new, gone, more, less, slower or faster";
    const SIFTS: bool = true;
    const OPENS: bool = true;

    fn keys() -> &'static [Binding<Self, Region>] {
        KEYS
    }

    fn region(&self) -> Region {
        Region::Table
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        (self.table.width, self.table.height) = (area.width, view::table_height(area));
        self.look(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        self.step_row(step);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        self.widen(cx)
    }

    fn here(&self, _: &Shared) -> Here {
        let sides = Box::new(self.sides.clone().map(|named| named.side));
        let names = self.sides.iter().map(|named| named.name.clone()).collect();
        Here { entry: self.entry(), chart: Some((Ask::Overlay(sides), names)), ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        self.forget();
    }
}

impl Table for CompareView {
    type Order = ();
    type Column = Column;
    const WORDS: &'static str = "words of what differs, or new, gone, more, slower: new kind";

    fn table(&self) -> &State<()> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut State<()> {
        &mut self.table
    }

    fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    fn list_again(&mut self, cx: &mut Context) {
        let Some(listed) = &self.listed else { return };
        let words = Words::of(&self.table.words);
        let compared = &listed.compared;
        // Beside nothing, everything differs.
        let empty = compared.wholes.iter().any(|whole| whole.entries == 0);
        let mut rows = if empty { Vec::new() } else { compared.told(self.all) };
        if !words.is_empty() {
            rows.retain(|told| {
                let numbers = std::iter::once(&told.number).chain(&told.alike);
                let texts = numbers.map(|number| {
                    let row = &compared.differences[*number];
                    let (of, what) = (of(&cx.shared, row), what(&cx.shared, row));
                    format!("{} {of} {what}", row.change.name())
                });
                words.are_in(&texts.collect::<Vec<_>>().join(" "))
            });
        }
        let len = rows.len();
        if let Some(listed) = &mut self.listed {
            listed.rows = rows;
        }
        self.table.put_cursor(None, len);
    }
}

impl OfEntries for CompareView {
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr> {
        let told = self.told(self.table.cursor)?;
        self.listed.as_ref()?.compared.condition(told.number, snapshot)
    }

    fn entry(&self) -> Option<EntryId> {
        self.chosen().map(|row| row.entry)
    }
}

impl CompareView {
    /// Asks what differs, where what there is is of another pan.
    fn look(&mut self, cx: &mut Context) {
        if !self.asked.is_due(&cx.shared.snapshot) {
            return;
        }
        let (sides, per) = (self.sides.clone().map(|named| named.side), self.per);
        let so_far = Arc::clone(&self.so_far);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let mut so_far = so_far.lock().unwrap_or_else(PoisonError::into_inner);
            so_far.get_or_insert_with(|| SoFar::of(sides, per)).extend(snapshot, pass).map(Arc::new)
        };
        cx.look("comparison", true, find, |view: &mut Self, cx, compared| {
            view.asked.has_come();
            view.listed = Some(Listed { compared, rows: Vec::new() });
            view.list_again(cx);
            view.look(cx);
        });
    }

    /// Asks again, as something else is to be compared.
    pub(super) fn ask_again(&mut self, cx: &mut Context) {
        self.forget();
        self.table.cursor = 0;
        self.table.words.clear();
        self.look(cx);
    }
}
