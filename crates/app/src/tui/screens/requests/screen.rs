//! Requests as a screen.

use std::sync::Arc;

use cribrum_core::{
    engine::{Pass, Snapshot, id_kinds},
    entry::IdKey,
    requests::{Request as OfId, SortBy},
    trail::{Trail, align},
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::{
    compared,
    state::{Comparison, Region, RequestsView},
    view,
};
use crate::{
    results::{AskRequests, Column, Extract},
    tui::{
        context::{Choice, Context, List, Request, Step},
        keys::{ENTER, Key},
        screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
        shared::{Here, Shared},
        table::{self, Found, Measured, Table},
        theme::Role,
    },
};

pub(crate) const OPENING: Opening = Opening {
    name: RequestsView::NAME,
    about: RequestsView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('r')],
        "r",
        "requests: every id with its duration and outcome",
        Some("requests"),
    )),
    open: |_| Some(Box::new(RequestsView::default())),
    actions: actions_of::<RequestsView>,
    anywhere: false,
};

const HERE: &[Region] = &[Region::Table];

static KEYS: &[Binding<RequestsView, Region>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "follow the request under the cursor",
        |view: &mut RequestsView, cx| {
            view.open_trail(cx);
        },
    )
    .footer("trail")
    .within(HERE),
    table::left(HERE),
    table::right(HERE),
    table::order(HERE),
    table::copy(HERE),
    table::narrow("narrow to requests with these words", HERE),
    Binding::new(Closer, &[Key::Char('b')], "b", "another kind of id", RequestsView::choose_kind)
        .footer("kind of id")
        .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('m')],
        "m",
        "mark this request, or not",
        |view: &mut RequestsView, cx| {
            view.mark(cx);
        },
    )
    .footer("mark")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('C')],
        "C",
        "compare two marked requests, step by step",
        RequestsView::compare,
    )
    .footer("compare")
    .within(HERE),
];

impl Screen for RequestsView {
    type Region = Region;
    const NAME: &'static str = "requests";
    const ABOUT: &'static str = "every id with its duration and outcome";
    const EXTRACTS: bool = true;
    const SIFTS: bool = true;
    const OPENS: bool = true;

    fn keys() -> &'static [Binding<Self, Region>] {
        KEYS
    }

    fn region(&self) -> Region {
        if self.comparison.is_some() { Region::Compared } else { Region::Table }
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        match &self.comparison {
            Some(comparison) => compared::draw(comparison, shared, area, buffer),
            None => view::draw(self, shared, area, buffer),
        }
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        (self.table.width, self.table.height) = (area.width, view::table_height(area));
        self.look(cx);
        self.read_in_sight(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        if let Some(comparison) = &mut self.comparison {
            let len = comparison.pairs.len();
            comparison.cursor = step.from(comparison.cursor, len, self.table.height);
            return;
        }
        self.step_row(step, cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        if self.comparison.take().is_some() {
            return true;
        }
        self.widen(cx)
    }

    fn here(&self, _: &Shared) -> Here {
        let request = self.chosen().filter(|_| self.comparison.is_none());
        request.map_or_else(Here::default, |request| Here {
            entry: Some(request.first),
            id_kind: self.table.inquiry.0,
            id: Some(request.key),
            ..Here::default()
        })
    }

    fn extract(&self, _: &Shared) -> Option<Arc<dyn Extract>> {
        table::extract(self, "request")
    }

    fn corner(&self, _: &Shared) -> String {
        if self.comparison.is_some() { String::new() } else { self.place_text() }
    }

    fn read_again(&mut self) {
        self.comparison = None;
        self.table.forget();
    }
}

impl Table for RequestsView {
    type Inquiry = AskRequests;
    const WORDS: &'static str = "words of the id, the first step or the slowest: seats 504";

    fn table(&self) -> &Measured<AskRequests> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut Measured<AskRequests> {
        &mut self.table
    }

    fn descends(order: SortBy) -> bool {
        order != SortBy::Start && !order.is_text()
    }

    fn style(&self, column: &Column<Found<Self>>, row: &OfId, shared: &Shared) -> Option<Style> {
        let durations = self.table.listed.as_ref()?.summary.durations.as_ref()?;
        let slow = column.order == Some(SortBy::Duration) && row.duration() > Some(durations.p95);
        slow.then(|| shared.theme.style(Role::Slow))
    }

    fn is_marked(&self, row: &OfId) -> bool {
        self.marked.contains(&row.key)
    }
}

impl RequestsView {
    fn open_trail(&mut self, cx: &mut Context) {
        let rows = (0..self.table.len()).filter_map(|row| self.table.row(row));
        let keys = rows.map(|request| request.key);
        cx.shared.listed = keys.collect();
        if self.chosen().is_some() {
            cx.request(Request::Open("trail"));
        }
    }

    fn choose_kind(&mut self, cx: &mut Context) {
        let rows = id_kinds().iter().map(|kind| {
            Choice::of(*kind, move |view: &mut Self, cx| {
                view.table.inquiry = AskRequests(Some(kind));
                view.marked.clear();
                view.ask_again(cx);
            })
        });
        let rows = rows.collect();
        cx.choose(List {
            title: "kind of id",
            word: "list",
            empty: "",
            rows,
            keys: &[],
            named: None,
        });
    }

    fn mark(&mut self, cx: &mut Context) {
        let Some(key) = self.chosen().map(|request| request.key) else { return };
        match self.marked.iter().position(|marked| *marked == key) {
            Some(at) => drop(self.marked.remove(at)),
            None => {
                if self.marked.len() == 2 {
                    self.marked.remove(0);
                }
                self.marked.push(key);
            }
        }
        match self.marked.len() {
            1 => cx.tell("one is marked; mark another, and C compares them"),
            2 => cx.tell("two are marked: C compares them, step by step"),
            _ => {}
        }
    }

    /// Compares the two marked requests; where only one is marked, with the one under the cursor.
    fn compare(&mut self, cx: &mut Context) {
        let under = self.chosen().map(|request| request.key);
        let keys: [IdKey; 2] = match (self.marked.as_slice(), under) {
            ([first, second], _) => [*first, *second],
            ([first], Some(second)) if *first != second => [*first, second],
            _ => {
                cx.tell("mark two requests with m, then C compares them");
                return;
            }
        };
        let read = move |snapshot: &Snapshot, pass: &Pass| {
            let [first, second] = keys;
            let first = Trail::<Desk>::follow(snapshot, &[first], pass)?;
            let second = Trail::<Desk>::follow(snapshot, &[second], pass)?;
            let pairs = align(&first, &second);
            Some(Comparison { trails: [first, second], pairs, cursor: 0 })
        };
        cx.look("compare", true, read, |view: &mut Self, _, comparison| {
            view.comparison = Some(comparison);
        });
    }
}
