//! The comparison as a screen.

use std::sync::Arc;

use cribrum_core::{
    EntryId,
    chart::Ask,
    compare::{Change, Per, Told},
    engine::Snapshot,
    entry::Level,
    query::Expr,
};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::{
    sides::usual,
    state::{CompareView, Region},
    view,
};
use crate::{
    results::{AskDifferences, Column, Extract},
    tui::{
        context::{Context, Step},
        keys::Key,
        screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
        shared::{Here, Shared},
        table::{self, Found, Measured, OfEntries, Table},
        theme::Role,
    },
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
            view.names.swap(0, 1);
            view.table.inquiry.sides.swap(0, 1);
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
            let per = &mut view.table.inquiry.per;
            *per = match *per {
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
            let only = &mut view.table.listing.only;
            only.all = !only.all;
            view.list_again(cx);
        },
    )
    .footer("all")
    .within(HERE),
    table::copy(HERE),
    table::narrow("narrow to differences with these words", HERE),
];

impl Screen for CompareView {
    type Region = Region;
    const NAME: &'static str = "compare";
    const ABOUT: &'static str = "what is new, gone, more, less, slower or faster";
    const EXTRACTS: bool = true;
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

    fn step(&mut self, step: Step, cx: &mut Context) {
        self.step_row(step, cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        let narrowed = !self.table.listing.words.is_empty();
        narrowed && self.widen(cx)
    }

    fn here(&self, _: &Shared) -> Here {
        let sides = Box::new(self.table.inquiry.sides.clone());
        let names = self.names.to_vec();
        Here { entry: self.entry(), chart: Some((Ask::Overlay(sides), names)), ..Here::default() }
    }

    fn extract(&self, _: &Shared) -> Option<Arc<dyn Extract>> {
        table::extract(self, "difference")
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        self.table.forget();
    }
}

impl Table for CompareView {
    type Inquiry = AskDifferences;
    const WORDS: &'static str = "words of what differs, or new, gone, more, slower: new kind";

    fn table(&self) -> &Measured<AskDifferences> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut Measured<AskDifferences> {
        &mut self.table
    }

    fn style(&self, column: &Column<Found<Self>>, row: &Told, shared: &Shared) -> Option<Style> {
        let theme = &shared.theme;
        let difference = self.found()?.difference(row);
        match &*column.name {
            "change" => Some(match difference.change {
                Change::New | Change::More | Change::Slower if difference.is_error() => {
                    theme.level(Some(Level::Error))
                }
                Change::New | Change::Slower => theme.level(Some(Level::Warn)),
                _ => theme.style(Role::Text),
            }),
            "of" => Some(theme.style(Role::Accent)),
            _ => None,
        }
    }

    fn note(row: &Told) -> Option<String> {
        (!row.alike.is_empty()).then(|| format!("+{} alike", row.alike.len()))
    }
}

impl OfEntries for CompareView {
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr> {
        self.found()?.compared.condition(self.table.chosen()?.number, snapshot)
    }

    fn entry(&self) -> Option<EntryId> {
        Some(self.found()?.difference(self.table.chosen()?).entry)
    }
}
