//! The tally as a screen.

use std::sync::{Arc, PoisonError};

use cribrum_core::{
    EntryId,
    chart::Ask,
    engine::{Of, Pass, Snapshot},
    query::Expr,
    tally::{Order, Question as Asked, SoFar, Tally, origin_of},
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::Column,
    grouping,
    state::{Listed, Region, TallyView},
    view,
};
use crate::present::{Clock, key_text};
use crate::tui::{
    context::{Context, Step},
    keys::Key,
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::{Here, Shared},
    table::{self, OfEntries, State, Table, Words},
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
        Some(Box::new(TallyView::of(Asked { by, ..Asked::default() })))
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
            view.at_least = if view.at_least > 1 { 1 } else { 2 };
            view.list_from_the_top(cx);
        },
    )
    .within(HERE),
    table::narrow("narrow to groups with these words", HERE),
];

impl Screen for TallyView {
    type Region = Region;
    const NAME: &'static str = "tally";
    const ABOUT: &'static str = "counts and measures of the pan, grouped";
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
        if self.widen(cx) {
            return true;
        }
        let narrowed = std::mem::replace(&mut self.at_least, 1) > 1;
        if narrowed {
            self.list_from_the_top(cx);
        }
        narrowed
    }

    fn here(&self, _: &Shared) -> Here {
        let by = self.question.by.first().cloned();
        // As it is ordered: by values, or by entries.
        let measured = matches!(self.table.order.0, Order::Quantile(_) | Order::Max);
        let of = self.question.of.clone().filter(|_| measured);
        let chart = by.clone().map(|by| (Ask::Bars(by, of), Vec::new()));
        Here { entry: self.entry(), by, chart, ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        self.forget();
    }
}

impl Table for TallyView {
    type Order = Order;
    type Column = Column;
    const WORDS: &'static str = "words of what groups have in common: seats 5xx";

    fn table(&self) -> &State<Order> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut State<Order> {
        &mut self.table
    }

    fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    fn descends(order: Order) -> bool {
        !matches!(order, Order::Key(_))
    }

    /// By a job, since there may be a million groups.
    fn list_again(&mut self, cx: &mut Context) {
        let Some(tally) = self.listed.as_ref().map(|listed| Arc::clone(&listed.tally)) else {
            return;
        };
        let listing = self.listing(cx);
        let list = move |snapshot: &Snapshot, _: &Pass| {
            let rows = listing.rows(&tally, snapshot);
            Some((tally, rows))
        };
        cx.look("order of the tally", true, list, |view: &mut Self, _, (tally, rows)| {
            // Others may have come meanwhile, which are listed as they should be.
            if view.listed.as_ref().is_some_and(|listed| Arc::ptr_eq(&listed.tally, &tally)) {
                view.show(tally, rows);
            }
        });
    }
}

impl OfEntries for TallyView {
    fn condition(&self, snapshot: &Snapshot) -> Option<Expr> {
        self.listed.as_ref()?.tally.condition(self.chosen()?, snapshot)
    }

    fn entry(&self) -> Option<EntryId> {
        self.chosen().map(|group| group.largest)
    }
}

impl TallyView {
    /// Asks for the groups, where those that there are are of another pan.
    fn look(&mut self, cx: &mut Context) {
        if !self.asked.is_due(&cx.shared.snapshot) {
            return;
        }
        let (question, settled) = (self.question.clone(), self.settled);
        let (so_far, zone) = (Arc::clone(&self.so_far), cx.shared.clock.zone.clone());
        let listing = self.listing(cx);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let mut question = match question.by.as_slice() {
                _ if settled => question,
                [] => grouping::usual(None, snapshot, pass)?,
                [by] if question.of.is_none() && question.different.is_none() => {
                    let by = by.clone();
                    grouping::usual(Some(by), snapshot, pass)?
                }
                _ => question,
            };
            let first = snapshot.span().map_or(0, |(first, _)| first);
            question.origin = origin_of(Some(&zone), first);
            let mut so_far = so_far.lock().unwrap_or_else(PoisonError::into_inner);
            let so_far = so_far.get_or_insert_with(|| SoFar::of(&question));
            let tally = Arc::new(so_far.extend(snapshot, Of::Pan, pass)?);
            let rows = listing.rows(&tally, snapshot);
            Some((question, tally, rows, listing))
        };
        cx.look("tally", true, find, |view: &mut Self, cx, (question, tally, rows, listing)| {
            view.asked.has_come();
            (view.question, view.settled) = (question, true);
            view.show(tally, rows);
            if !listing.is_as(view) {
                view.list_again(cx);
            }
            view.look(cx);
        });
    }

    /// Asks again, as another question is to be answered; `made` where it is for the screen to say what is measured.
    pub(super) fn ask_again(&mut self, made: bool, cx: &mut Context) {
        let measured = matches!(self.table.order.0, Order::Quantile(_) | Order::Max);
        if measured && self.question.of.is_none() || matches!(self.table.order.0, Order::Key(_)) {
            self.table.order = (Order::Count, true);
        }
        self.forget();
        (self.table.cursor, self.settled) = (0, !made);
        self.table.words.clear();
        self.at_least = 1;
        self.look(cx);
    }

    /// How the groups are to be listed.
    fn listing(&self, cx: &Context) -> Listing {
        let (order, words) = (self.table.order, self.table.words.clone());
        Listing { order, words, at_least: self.at_least, clock: cx.shared.clock.clone() }
    }

    /// Shows groups, with the cursor on the one that it was on.
    fn show(&mut self, tally: Arc<Tally<Desk>>, rows: Vec<u32>) {
        let at = self.chosen().map(|group| &group.keys);
        let same = |row: &u32| Some(&tally.groups[*row as usize].keys) == at;
        let place = rows.iter().position(same);
        self.table.put_cursor(place, rows.len());
        self.listed = Some(Listed { tally, rows });
    }

    fn slowest(&mut self, cx: &mut Context) {
        if self.question.of.is_none() {
            cx.tell("nothing is measured; o says what, such as took");
            return;
        }
        let next = match self.table.order.0 {
            Order::Quantile(950) => Order::Quantile(990),
            Order::Quantile(990) => Order::Max,
            Order::Max => Order::Quantile(500),
            _ => Order::Quantile(950),
        };
        self.order_by((next, true), cx);
    }
}

/// How groups are listed.
struct Listing {
    order: (Order, bool),
    /// Words that those shown have.
    words: String,
    at_least: u64,
    clock: Clock,
}

impl Listing {
    /// Whether that is how the screen lists them.
    fn is_as(&self, view: &TallyView) -> bool {
        let table = &view.table;
        (self.order, &self.words, self.at_least) == (table.order, &table.words, view.at_least)
    }

    /// The numbers of the groups that are shown, in their order.
    fn rows(&self, tally: &Tally<Desk>, snapshot: &Snapshot) -> Vec<u32> {
        let mut rows = tally.sorted(self.order.0, self.order.1);
        if self.at_least > 1 {
            rows.retain(|row| tally.groups[*row as usize].count >= self.at_least);
        }
        let words = Words::of(&self.words);
        if words.is_empty() {
            return rows;
        }
        rows.retain(|row| {
            let keys = tally.groups[*row as usize].keys.iter().zip(&tally.question.by);
            let keys = keys.map(|(key, by)| key_text(key, by, &snapshot.sources, &self.clock));
            words.are_in(&keys.collect::<Vec<_>>().join(" "))
        });
        rows
    }
}
