//! The kinds as a screen.

use std::sync::{Arc, PoisonError};

use cribrum_core::{
    EntryId,
    chart::Ask,
    engine::{Of, Pass, Snapshot},
    kinds::{Kinds, Only, Order},
    query::Expr,
    tally::By,
    veil::{Desk, Text},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::Column,
    state::{Filled, KindsView, Listed, Region, Shown},
    view,
};
use crate::tui::{
    context::{Context, Step},
    keys::Key,
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::{Here, Shared},
    table::{self, Asked, OfEntries, State, Table, Words},
};

pub(crate) const OPENING: Opening = Opening {
    name: KindsView::NAME,
    about: KindsView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('K')],
        "K",
        "kinds: messages by their constant words",
        Some("kinds"),
    )),
    open: |_| Some(Box::new(KindsView::new())),
    actions: actions_of::<KindsView>,
    anywhere: false,
};

const HERE: &[Region] = &[Region::Table];
const ONLY: &str = "keep only this kind, silence it";

static KEYS: &[Binding<KindsView, Region>] = &[
    table::entries("the entries of this kind, on the desk", HERE),
    table::keep_these(ONLY, HERE),
    table::drop_these(ONLY, "silence", HERE),
    table::left(HERE),
    table::right(HERE),
    table::order(HERE),
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "the gravest first",
        |view: &mut KindsView, cx| {
            view.order_by((Order::Level, true), cx);
        },
    )
    .footer("errors first")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "show only new kinds, those that are gone, rare ones",
        KindsView::choose_only,
    )
    .footer("new, gone, rare")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('h')],
        "h",
        "what stands in the holes of this kind",
        |view: &mut KindsView, cx| {
            view.values = !view.values;
            view.fill(cx);
        },
    )
    .footer("holes")
    .within(HERE),
    Binding::new(Closer, &[Key::Char('A')], "A", "give this kind a name", KindsView::ask_name)
        .within(HERE),
    table::narrow("narrow to kinds with these words", HERE),
];

impl Screen for KindsView {
    type Region = Region;
    const NAME: &'static str = "kinds";
    const ABOUT: &'static str = "what is said in the pan, by constant words";
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
        (self.table.width, self.table.height) = (area.width, view::table_height(self, area));
        self.look(cx);
        self.fill(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        self.step_row(step);
        self.fill(cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        if self.widen(cx) {
            return true;
        }
        if self.shown.only != Only::All {
            self.shown = Shown::default();
            self.order_by((Order::Count, true), cx);
            return true;
        }
        std::mem::take(&mut self.values)
    }

    fn here(&self, _: &Shared) -> Here {
        let chart = Some((Ask::Bars(By::Kind, None), Vec::new()));
        Here { entry: self.entry(), by: Some(By::Kind), chart, ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        (self.listed, self.filled) = (None, None);
        (self.asked, self.so_far) = (Asked::default(), Arc::default());
    }
}

impl Table for KindsView {
    type Order = Order;
    type Column = Column;
    const WORDS: &'static str = "words of kinds, or of who says them: hold booking";

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
        matches!(order, Order::Count | Order::Level)
    }

    /// By a job, since there may be very many kinds.
    fn list_again(&mut self, cx: &mut Context) {
        let Some(kinds) = self.listed.as_ref().map(|listed| Arc::clone(&listed.kinds)) else {
            return;
        };
        let listing = self.listing();
        let list = move |_: &Snapshot, _: &Pass| {
            let rows = listing.rows(&kinds);
            Some((kinds, rows))
        };
        cx.look("order of the kinds", true, list, |view: &mut Self, cx, (kinds, rows)| {
            // Others may have come meanwhile, which are listed as they should be.
            if view.listed.as_ref().is_some_and(|listed| Arc::ptr_eq(&listed.kinds, &kinds)) {
                view.show(kinds, rows);
                view.fill(cx);
            }
        });
    }
}

impl OfEntries for KindsView {
    fn condition(&self, _: &Snapshot) -> Option<Expr> {
        self.listed.as_ref()?.kinds.condition(self.number(self.table.cursor)?)
    }

    fn entry(&self) -> Option<EntryId> {
        self.chosen().map(|kind| kind.first)
    }
}

/// How kinds are listed.
#[derive(PartialEq)]
struct Listing {
    only: Only,
    order: (Order, bool),
    words: String,
}

impl Listing {
    /// The numbers of the kinds that are shown, in their order.
    fn rows(&self, kinds: &Kinds<Desk>) -> Vec<u32> {
        let mut rows = kinds.sorted(self.only, self.order.0, self.order.1);
        let words = Words::of(&self.words);
        if !words.is_empty() {
            rows.retain(|row| {
                let kind = &kinds.kinds[*row as usize];
                let loggers = kind.loggers.iter().map(Text::as_str);
                let all: Vec<&str> = loggers.chain([kind.text.as_str()]).collect();
                words.are_in(&all.join(" "))
            });
        }
        rows
    }
}

impl KindsView {
    fn listing(&self) -> Listing {
        let (order, words) = (self.table.order, self.table.words.clone());
        Listing { only: self.shown.only, order, words }
    }

    /// Asks for the kinds, where those that there are are of another pan.
    fn look(&mut self, cx: &mut Context) {
        if !self.asked.is_due(&cx.shared.snapshot) {
            return;
        }
        let (listing, so_far) = (self.listing(), Arc::clone(&self.so_far));
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let mut so_far = so_far.lock().unwrap_or_else(PoisonError::into_inner);
            let kinds = Arc::new(so_far.extend(snapshot, Of::Pan, pass)?);
            let rows = listing.rows(&kinds);
            Some((kinds, rows, listing))
        };
        cx.look("kinds", true, find, |view: &mut Self, cx, (kinds, rows, listing)| {
            view.asked.has_come();
            view.filled = None;
            view.show(kinds, rows);
            if listing != view.listing() {
                view.list_again(cx);
            }
            view.fill(cx);
            view.look(cx);
        });
    }

    /// Shows kinds, with the cursor on the one that it was on.
    fn show(&mut self, kinds: Arc<Kinds<Desk>>, rows: Vec<u32>) {
        let at = self.chosen().map(|kind| &kind.text);
        let same = |row: &u32| Some(&kinds.kinds[*row as usize].text) == at;
        let place = rows.iter().position(same);
        self.table.put_cursor(place, rows.len());
        self.listed = Some(Listed { kinds, rows });
    }

    /// Asks what stands in the holes of the kind under the cursor, where that is shown.
    pub(super) fn fill(&mut self, cx: &mut Context) {
        if !self.values {
            return;
        }
        let (Some(number), Some(listed)) = (self.number(self.table.cursor), &self.listed) else {
            return;
        };
        let of = listed.kinds.kinds[number].text.as_str().to_owned();
        if self.filled.as_ref().is_some_and(|filled| filled.of == of) {
            return;
        }
        self.filled = Some(Filled { of: of.clone(), fills: None });
        let kinds = Arc::clone(&listed.kinds);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            kinds.fills(number, snapshot, Of::Pan, pass).map(|fills| (of, fills))
        };
        cx.look("holes", true, find, |view: &mut Self, _, (of, fills)| {
            view.filled = Some(Filled { of, fills: Some(fills) });
        });
    }
}
