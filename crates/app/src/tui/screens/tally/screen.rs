//! The tally as a screen.

use std::sync::Arc;

use cribrum_core::{
    EntryId,
    chart::Ask,
    engine::Snapshot,
    entry::Level,
    query::Expr,
    tally::{Order, Question as Asked},
};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::{
    state::{Region, TallyView},
    view,
};
use crate::{
    results::{AskGroups, Column, Extract},
    tui::{
        context::{Context, Step},
        keys::Key,
        screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
        shared::{Here, Shared},
        table::{self, Found, Measured, OfEntries, Row, Table},
    },
};

pub(crate) const OPENING: Opening = Opening {
    name: TallyView::NAME,
    about: TallyView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('c')],
        "c",
        "tally: count and measure by this column or value",
        Some("tally"),
    )),
    open: |cx| {
        let by = cx.shared.here.by.clone().into_iter().collect();
        let zone = cx.shared.clock.zone.clone();
        Some(Box::new(TallyView::of(Asked { by, ..Asked::default() }, zone)))
    },
    actions: actions_of::<TallyView>,
    anywhere: false,
};

const HERE: &[Region] = &[Region::Table];
const ONLY: &str = "keep only this group, drop it";

static KEYS: &[Binding<TallyView, Region>] = &[
    table::entries("the entries of this group, on the desk", HERE),
    table::keep_these(ONLY, HERE),
    table::drop_these(ONLY, "drop", HERE),
    table::left(HERE),
    table::right(HERE),
    table::order(HERE),
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "order by the share of errors",
        |view: &mut TallyView, cx| {
            view.order_by((Order::ErrorShare, true), cx);
        },
    )
    .footer("errors first")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('p')],
        "p",
        "order by p95; again: by p99, the largest, the median",
        TallyView::slowest,
    )
    .footer("slowest first")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('b')],
        "b",
        "group by something else",
        |view: &mut TallyView, cx| {
            view.choose_by(false, cx);
        },
    )
    .footer("by")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('+')],
        "+",
        "group further by another field",
        |view: &mut TallyView, cx| {
            view.choose_by(true, cx);
        },
    )
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('f')],
        "f",
        "whole paths, classes of statuses, kinds of agents",
        TallyView::reshape,
    )
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "what is measured of each group",
        TallyView::ask_measure,
    )
    .footer("measure")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('D')],
        "D",
        "count the different values of a field",
        TallyView::ask_different,
    )
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('a')],
        "a",
        "only groups of more than one entry; again: all",
        |view: &mut TallyView, cx| {
            let only = &mut view.table.listing.only;
            *only = if *only > 1 { 0 } else { 2 };
            view.list_from_the_top(cx);
        },
    )
    .within(HERE),
    table::copy(HERE),
    table::narrow("narrow to groups with these words", HERE),
];

impl Screen for TallyView {
    type Region = Region;
    const NAME: &'static str = "tally";
    const ABOUT: &'static str = "counts and measures of the pan, grouped";
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
        self.widen(cx)
    }

    fn here(&self, _: &Shared) -> Here {
        let by = self.question().by.first().cloned();
        // As it is ordered: by values, or by entries.
        let measured = matches!(self.table.listing.order.0, Order::Quantile(_) | Order::Max);
        let of = self.question().of.clone().filter(|_| measured);
        let chart = by.clone().map(|by| (Ask::Bars(by, of), Vec::new()));
        Here { entry: self.entry(), by, chart, ..Here::default() }
    }

    fn extract(&self, _: &Shared) -> Option<Arc<dyn Extract>> {
        table::extract(self, "group")
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        self.table.forget();
    }
}

impl Table for TallyView {
    type Inquiry = AskGroups;
    const WORDS: &'static str = "words of what groups have in common: seats 5xx";

    fn table(&self) -> &Measured<AskGroups> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut Measured<AskGroups> {
        &mut self.table
    }

    fn descends(order: Order) -> bool {
        !matches!(order, Order::Key(_))
    }

    fn style(
        &self,
        column: &Column<Found<Self>>,
        row: &Row<Self>,
        shared: &Shared,
    ) -> Option<Style> {
        let errors = column.order == Some(Order::ErrorShare) && row.errors > 0;
        errors.then(|| shared.theme.level(Some(Level::Error)))
    }
}

impl OfEntries for TallyView {
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr> {
        self.table.found()?.condition(self.table.chosen()?, snapshot)
    }

    fn entry(&self) -> Option<EntryId> {
        self.table.chosen().map(|group| group.largest)
    }
}

impl TallyView {
    /// Asks again, as another question is to be answered; `open` where it is for the screen to say what is measured.
    pub(super) fn ask_anew(&mut self, open: bool, cx: &mut Context) {
        let order = &mut self.table.listing.order;
        let measured = matches!(order.0, Order::Quantile(_) | Order::Max);
        let without = measured && self.table.inquiry.question.of.is_none();
        if without || matches!(order.0, Order::Key(_)) {
            *order = (Order::Count, true);
        }
        self.table.settled = !open;
        self.ask_again(cx);
    }

    fn slowest(&mut self, cx: &mut Context) {
        if self.question().of.is_none() {
            cx.tell("nothing is measured; o says what, such as took");
            return;
        }
        let next = match self.table.listing.order.0 {
            Order::Quantile(950) => Order::Quantile(990),
            Order::Quantile(990) => Order::Max,
            Order::Max => Order::Quantile(500),
            _ => Order::Quantile(950),
        };
        self.order_by((next, true), cx);
    }
}
