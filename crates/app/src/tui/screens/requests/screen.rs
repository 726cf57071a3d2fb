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
    context::{Choice, Context, Input, List, Question, Request, Step},
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::{Here, Shared},
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
    .within(&[Region::Table]),
    Binding::new(Closer, &[LEFT], "←", "the column to the left", |view: &mut RequestsView, _| {
        view.column = view.column.saturating_sub(1);
    })
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[RIGHT],
        "→",
        "the column to the right",
        |view: &mut RequestsView, _| {
            view.column = (view.column + 1).min(Column::fitting(view.width).len() - 1);
        },
    )
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char(',')],
        ",",
        "order by this column; again: the other way",
        RequestsView::sort,
    )
    .footer("order")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('/')],
        "/",
        "narrow to requests with these words",
        RequestsView::ask_words,
    )
    .footer("narrow")
    .within(&[Region::Table]),
    Binding::new(Closer, &[Key::Char('b')], "b", "another kind of id", RequestsView::choose_kind)
        .footer("kind of id")
        .within(&[Region::Table]),
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
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('C')],
        "C",
        "compare two marked requests, step by step",
        RequestsView::compare,
    )
    .footer("compare")
    .within(&[Region::Table]),
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
        (self.width, self.height) = (area.width, view::table_height(area));
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
            comparison.cursor = step.from(comparison.cursor, comparison.pairs.len(), self.height);
            return;
        }
        self.cursor = step.from(self.cursor, self.len(), self.height);
        self.at = self.request(self.cursor).map(|request| request.key);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        if self.comparison.take().is_some() {
            return true;
        }
        let narrowed = !self.words.is_empty();
        if narrowed {
            self.narrow(cx, String::new());
        }
        narrowed
    }

    fn here(&self, _: &Shared) -> Here {
        let request = self.request(self.cursor).filter(|_| self.comparison.is_none());
        request.map_or_else(Here::default, |request| Here {
            entry: Some(request.first),
            id_kind: self.kind,
            id: Some(request.key),
            ..Here::default()
        })
    }

    fn corner(&self, _: &Shared) -> String {
        match (&self.comparison, self.len()) {
            (Some(_), _) | (None, 0) => String::new(),
            (None, len) => format!("{} of {len}", self.cursor + 1),
        }
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
        let (kind, order, words) = (self.kind, self.order, self.words.clone());
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
        let place = self.at.and_then(|key| {
            let listed = self.listed.as_ref()?;
            listed.rows.iter().position(|row| listed.requests.rows[*row as usize].key == key)
        });
        self.cursor = place.unwrap_or(self.cursor).min(self.len().saturating_sub(1));
        self.read_in_sight(cx);
    }

    /// Puts the list into another order, or narrows it.
    fn list_again(&mut self, cx: &mut Context) {
        let Some(requests) = self.listed.as_ref().map(|listed| Arc::clone(&listed.requests)) else {
            return;
        };
        let (order, words) = (self.order, self.words.clone());
        let list =
            move |snapshot: &Snapshot, pass: &Pass| listed(snapshot, requests, order, &words, pass);
        cx.look("requests", true, list, |view: &mut Self, cx, listed| view.take(cx, Some(listed)));
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
        if self.request(self.cursor).is_some() {
            cx.request(Request::Open("trail"));
        }
    }

    fn sort(&mut self, cx: &mut Context) {
        let by = self.column().sort();
        let (before, descending) = self.order;
        let first = by != SortBy::Start && !by.is_text();
        self.order = (by, if before == by { !descending } else { first });
        (self.cursor, self.at) = (0, None);
        self.list_again(cx);
    }

    fn ask_words(&mut self, cx: &mut Context) {
        let hint = "words of the id, the first step or the slowest: seats 504";
        let question = Question::of(
            "narrow",
            hint,
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                view.narrow(cx, text.trim().to_lowercase());
                Ok(())
            },
        );
        let words = self.words.clone();
        cx.ask(question, &words);
    }

    fn narrow(&mut self, cx: &mut Context, words: String) {
        self.words = words;
        (self.cursor, self.at) = (0, None);
        self.list_again(cx);
    }

    fn choose_kind(&mut self, cx: &mut Context) {
        let rows = id_kinds().iter().map(|kind| {
            Choice::of(*kind, move |view: &mut Self, cx| {
                view.kind = Some(kind);
                view.asked = false;
                (view.cursor, view.at, view.listed) = (0, None, None);
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
        let Some(key) = self.request(self.cursor).map(|request| request.key) else { return };
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
        let under = self.request(self.cursor).map(|request| request.key);
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
                let all = all.to_lowercase();
                words.split_whitespace().all(|word| all.contains(word))
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
