//! Requests as a screen.

use std::sync::Arc;

use cribrum_core::{
    engine::{Pass, Snapshot, id_kinds},
    entry::{IdKey, Level},
    requests::{Durations, Request as Row, Requests, SortBy, Texts},
    trail::{Trail, align},
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::{Column, step_text},
    compared,
    state::{Comparison, KEPT, Listed, Region, RequestsView},
    view,
};
use crate::present::in_order_of_text;
use crate::tui::{
    context::{Choice, Context, List, Request, Step},
    keys::{ENTER, Key},
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::{Here, Shared},
    table::{self, State, Table, Words},
};

/// Requests whose texts are read at a time while words are looked for in them.
const AT_A_TIME: usize = 8_192;

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
        let snapshot = &cx.shared.snapshot;
        let now = (snapshot.order.len(), snapshot.pan.len());
        if now != self.looked_at && snapshot.settled() && snapshot.is_identified() {
            self.asked = false;
        }
        self.look(cx);
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        if let Some(comparison) = &mut self.comparison {
            let len = comparison.pairs.len();
            comparison.cursor = step.from(comparison.cursor, len, self.table.height);
            return;
        }
        self.step_row(step);
        self.at = self.chosen().map(|request| request.key);
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
            id_kind: self.kind,
            id: Some(request.key),
            ..Here::default()
        })
    }

    fn corner(&self, _: &Shared) -> String {
        if self.comparison.is_some() { String::new() } else { self.place_text() }
    }
}

impl Table for RequestsView {
    type Order = SortBy;
    type Column = Column;
    const WORDS: &'static str = "words of the id, the first step or the slowest: seats 504";

    fn table(&self) -> &State<SortBy> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut State<SortBy> {
        &mut self.table
    }

    fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    fn descends(order: SortBy) -> bool {
        order != SortBy::Start && !order.is_text()
    }

    fn list_again(&mut self, cx: &mut Context) {
        let Some(requests) = self.listed.as_ref().map(|listed| Arc::clone(&listed.requests)) else {
            return;
        };
        let (order, words) = (self.table.order, self.table.words.clone());
        let list =
            move |snapshot: &Snapshot, pass: &Pass| listed(snapshot, requests, order, &words, pass);
        cx.look("requests", true, list, |view: &mut Self, cx, listed| view.take(cx, Some(listed)));
    }
}

impl RequestsView {
    /// Asks for the requests, where that has not been done.
    fn look(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        if self.asked || !snapshot.is_identified() {
            return;
        }
        self.asked = true;
        self.looked_at = (snapshot.order.len(), snapshot.pan.len());
        let table = &self.table;
        let (kind, order, words) = (self.kind, table.order, table.words.clone());
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let kind = match kind {
                Some(kind) => Some(kind),
                None => Requests::usual_kind(snapshot, pass),
            };
            if pass.is_cancelled() {
                return None;
            }
            let Some(kind) = kind else { return Some((None, None)) };
            let requests = Arc::new(Requests::find(snapshot, kind, pass)?);
            Some((Some(kind), Some(listed(snapshot, requests, order, &words, pass)?)))
        };
        cx.look("requests", true, find, |view: &mut Self, cx, (kind, listed)| {
            view.kind = kind;
            view.none = listed.as_ref().is_none_or(|listed| listed.requests.rows.is_empty());
            view.take(cx, listed);
        });
    }

    /// Takes a list in, with the cursor on the request that it was on.
    fn take(&mut self, cx: &mut Context, listed: Option<Listed>) {
        self.listed = listed;
        if self.table.from_the_top {
            self.at = None;
        }
        let place = self.at.and_then(|key| {
            let listed = self.listed.as_ref()?;
            listed.rows.iter().position(|row| listed.requests.rows[*row as usize].key == key)
        });
        self.table.put_cursor(place, self.len());
        self.read_in_sight(cx);
    }

    /// Reads what the rows in sight say.
    fn read_in_sight(&mut self, cx: &mut Context) {
        if self.reading {
            return;
        }
        let rows = self.in_sight().filter_map(|row| self.request(row).copied());
        let missing: Vec<Row> =
            rows.filter(|request| !self.texts.contains_key(&request.key)).collect();
        let Some(requests) = self.listed.as_ref().map(|listed| Arc::clone(&listed.requests)) else {
            return;
        };
        if missing.is_empty() {
            return;
        }
        self.reading = true;
        let read = move |snapshot: &Snapshot, pass: &Pass| {
            let texts = Texts::<Desk>::read(snapshot, &requests, missing.iter(), pass)?;
            Some((missing, texts))
        };
        cx.look("texts", false, read, |view: &mut Self, cx, (asked, texts)| {
            view.reading = false;
            if view.texts.len() > KEPT {
                view.texts.clear();
            }
            let got = asked.iter().filter_map(|row| Some((row.key, texts.get(row.key)?.clone())));
            let before = view.texts.len();
            view.texts.extend(got);
            // What can't be read is not asked for again and again.
            if view.texts.len() > before {
                view.read_in_sight(cx);
            }
        });
    }

    fn open_trail(&mut self, cx: &mut Context) {
        let Some(listed) = &self.listed else { return };
        let keys = listed.rows.iter().map(|row| listed.requests.rows[*row as usize].key);
        cx.shared.listed = keys.collect();
        if self.chosen().is_some() {
            cx.request(Request::Open("trail"));
        }
    }

    fn choose_kind(&mut self, cx: &mut Context) {
        let rows = id_kinds().iter().map(|kind| {
            Choice::of(*kind, move |view: &mut Self, cx| {
                view.kind = Some(kind);
                view.asked = false;
                (view.table.cursor, view.at, view.listed) = (0, None, None);
                view.texts.clear();
                view.marked.clear();
                view.look(cx);
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

/// The requests in an order; those that say all of some words, where there are any. Cost: where there are words, two
/// entries of each are read.
fn listed(
    snapshot: &Snapshot,
    requests: Arc<Requests>,
    (by, descending): (SortBy, bool),
    words: &str,
    pass: &Pass,
) -> Option<Listed> {
    let mut rows = requests.sorted(by, descending);
    let words = Words::of(words);
    if !words.is_empty() {
        let mut kept = Vec::new();
        for some in rows.chunks(AT_A_TIME) {
            let of = some.iter().map(|row| &requests.rows[*row as usize]);
            let texts = Texts::<Desk>::read(snapshot, &requests, of, pass)?;
            let says = |row: &&u32| {
                let request = &requests.rows[**row as usize];
                let Some(read) = texts.get(request.key) else { return false };
                let status = request.status.map_or_else(String::new, |status| status.to_string());
                let level = request.worst.map_or("", Level::name);
                let slowest = read.slowest.as_ref().map_or_else(String::new, step_text);
                let all =
                    format!("{} {} {slowest} {status} {level}", read.id, step_text(&read.first));
                words.are_in(&all)
            };
            kept.extend(some.iter().filter(says).copied());
        }
        rows = kept;
    }
    if by.is_text() {
        rows = in_order_of_text::<Desk>(snapshot, &requests, &rows, (by, descending), pass)?;
    }
    let durations = Durations::of(&requests, &rows);
    let grave = |row: &&u32| requests.rows[**row as usize].worst >= Some(Level::Error);
    let errors = rows.iter().filter(grave).count();
    Some(Listed { requests, rows, durations, errors })
}
