//! The tally as a screen.

use std::sync::Arc;

use cribrum_core::{
    chart::Ask,
    engine::{Of, Pass, Snapshot},
    sieve::Mesh,
    tally::{Order, Question as Asked, Tally},
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
    context::{Context, Input, Question, Request, Step, Target},
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{
        Action, Binding,
        Group::{Closer, Sieve},
        Opening, Screen, actions_of,
    },
    shared::{Here, Shared},
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
        Some(Box::new(TallyView::of(Asked { by, of: None, different: None })))
    },
    actions: actions_of::<TallyView>,
    anywhere: false,
};

static KEYS: &[Binding<TallyView, Region>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "the entries of this group, on the desk",
        |view: &mut TallyView, cx| {
            view.sift(true, cx);
            if let Some(first) = view.group(view.cursor).map(|group| group.largest) {
                cx.request(Request::GoTo(Target::Entry(first)));
            }
        },
    )
    .footer("entries")
    .within(&[Region::Table]),
    Binding::new(
        Sieve,
        &[Key::Char('=')],
        "= -",
        "keep only this group, drop it",
        |view: &mut TallyView, cx| {
            view.sift(true, cx);
        },
    )
    .within(&[Region::Table]),
    Binding::new(
        Sieve,
        &[Key::Char('-')],
        "= -",
        "keep only this group, drop it",
        |view: &mut TallyView, cx| {
            view.sift(false, cx);
        },
    )
    .footer("drop")
    .within(&[Region::Table]),
    Binding::new(Closer, &[LEFT], "←", "the column to the left", |view: &mut TallyView, _| {
        view.move_column(false);
    })
    .within(&[Region::Table]),
    Binding::new(Closer, &[RIGHT], "→", "the column to the right", |view: &mut TallyView, _| {
        view.move_column(true);
    })
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char(',')],
        ",",
        "order by this column; again: the other way",
        TallyView::sort,
    )
    .footer("order")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "order by the share of errors",
        |view: &mut TallyView, cx| {
            view.order_by(Order::ErrorShare, cx);
        },
    )
    .footer("errors first")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('p')],
        "p",
        "order by p95; again: by p99, the largest, the median",
        TallyView::slowest,
    )
    .footer("slowest first")
    .within(&[Region::Table]),
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
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('+')],
        "+",
        "group further by another field",
        |view: &mut TallyView, cx| {
            view.choose_by(true, cx);
        },
    )
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('f')],
        "f",
        "whole paths, classes of statuses, kinds of agents",
        TallyView::reshape,
    )
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "what is measured of each group",
        TallyView::ask_measure,
    )
    .footer("measure")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('D')],
        "D",
        "count the different values of a field",
        TallyView::ask_different,
    )
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('/')],
        "/",
        "narrow to groups with these words",
        TallyView::ask_words,
    )
    .footer("narrow")
    .within(&[Region::Table]),
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
        (self.width, self.height) = (area.width, view::table_height(area));
        self.look(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        self.cursor = step.from(self.cursor, self.len(), self.height);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        let narrowed = !self.words.is_empty();
        if narrowed {
            self.narrow(cx, String::new());
        }
        narrowed
    }

    fn here(&self, _: &Shared) -> Here {
        let entry = self.group(self.cursor).map(|group| group.largest);
        let by = self.question.by.first().cloned();
        // As it is ordered: by values, or by entries.
        let measured = matches!(self.order.0, Order::Quantile(_) | Order::Max);
        let of = self.question.of.clone().filter(|_| measured);
        let chart = by.clone().map(|by| (Ask::Bars(by, of), Vec::new()));
        Here { entry, by, chart, ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        match self.len() {
            0 => String::new(),
            len => format!("{} of {len}", self.cursor + 1),
        }
    }

    fn read_again(&mut self) {
        (self.listed, self.looked_at, self.asked) = (None, None, false);
    }
}

impl TallyView {
    /// Asks for the groups, where those that there are are of another pan.
    fn look(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let now = (snapshot.sieve.clone(), snapshot.pan.len());
        // One answer after the other: what grows all the time is never done otherwise.
        if self.asked || !snapshot.settled() || self.looked_at.as_ref() == Some(&now) {
            return;
        }
        self.asked = true;
        self.looked_at = Some(now);
        let question = self.question.clone();
        let listing = self.listing(cx);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let question = match question.by.as_slice() {
                [] => grouping::usual(None, snapshot, pass)?,
                [by] if question.of.is_none() && question.different.is_none() => {
                    let by = by.clone();
                    grouping::usual(Some(by), snapshot, pass)?
                }
                _ => question,
            };
            let tally = Arc::new(Tally::of(snapshot, Of::Pan, &question, pass)?);
            let rows = listing.rows(&tally, snapshot);
            Some((question, tally, rows, listing))
        };
        cx.look("tally", true, find, |view: &mut Self, cx, (question, tally, rows, listing)| {
            view.asked = false;
            view.question = question;
            let stale = (listing.order, &listing.words) != (view.order, &view.words);
            view.show(tally, rows);
            if stale {
                view.list_again(cx);
            }
            view.look(cx);
        });
    }

    /// Asks again, as another question is to be answered.
    pub(super) fn ask_again(&mut self, cx: &mut Context) {
        let measured = matches!(self.order.0, Order::Quantile(_) | Order::Max);
        if measured && self.question.of.is_none() || matches!(self.order.0, Order::Key(_)) {
            self.order = (Order::Count, true);
        }
        (self.cursor, self.listed, self.looked_at, self.asked) = (0, None, None, false);
        self.words.clear();
        self.look(cx);
    }

    /// How the groups are to be listed.
    fn listing(&self, cx: &Context) -> Listing {
        Listing { order: self.order, words: self.words.clone(), clock: cx.shared.clock.clone() }
    }

    /// Shows groups, with the cursor on the one that it was on.
    fn show(&mut self, tally: Arc<Tally<Desk>>, rows: Vec<u32>) {
        let at = self.group(self.cursor).map(|group| group.keys.clone());
        let same = |row: &u32| Some(&tally.groups[*row as usize].keys) == at.as_ref();
        let place = if self.from_the_top { Some(0) } else { rows.iter().position(same) };
        self.from_the_top = false;
        self.cursor = place.unwrap_or(self.cursor).min(rows.len().saturating_sub(1));
        self.listed = Some(Listed { tally, rows });
    }

    /// Puts the groups in another order, or narrows them: by a job, since there may be a million.
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

    /// Keeps only the entries of the group under the cursor, or holds them back.
    fn sift(&mut self, only: bool, cx: &mut Context) {
        let (Some(listed), Some(group)) = (&self.listed, self.group(self.cursor)) else { return };
        let Some(expr) = listed.tally.condition(group, &cx.shared.snapshot) else {
            cx.tell("no condition tells these entries from all others");
            return;
        };
        let expr = if only { expr } else { expr.negated() };
        cx.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
    }

    fn move_column(&mut self, right: bool) {
        let columns = Column::fitting(self);
        let mut at = self.column.min(columns.len() - 1);
        loop {
            let next = if right { at + 1 } else { at.wrapping_sub(1) };
            let Some(column) = columns.get(next) else { return };
            at = next;
            // Pictures are of the column beside them.
            if column.order().is_some() {
                self.column = at;
                return;
            }
        }
    }

    fn sort(&mut self, cx: &mut Context) {
        let Some(by) = self.column().order() else { return };
        let (before, descending) = self.order;
        let first = !matches!(by, Order::Key(_));
        self.order = (by, if before == by { !descending } else { first });
        self.listed_from_the_top(cx);
    }

    fn order_by(&mut self, by: Order, cx: &mut Context) {
        self.order = (by, true);
        self.listed_from_the_top(cx);
    }

    /// The order is another one: the first row is what is looked for.
    fn listed_from_the_top(&mut self, cx: &mut Context) {
        self.from_the_top = true;
        self.list_again(cx);
    }

    fn slowest(&mut self, cx: &mut Context) {
        if self.question.of.is_none() {
            cx.tell("nothing is measured; o says what, such as took");
            return;
        }
        let next = match self.order.0 {
            Order::Quantile(950) => Order::Quantile(990),
            Order::Quantile(990) => Order::Max,
            Order::Max => Order::Quantile(500),
            _ => Order::Quantile(950),
        };
        self.order_by(next, cx);
    }

    fn ask_words(&mut self, cx: &mut Context) {
        let question = Question::of(
            "narrow",
            "words of what groups have in common: seats 5xx",
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                view.narrow(cx, text.trim().to_owned());
                Ok(())
            },
        );
        let words = self.words.clone();
        cx.ask(question, &words);
    }

    fn narrow(&mut self, cx: &mut Context, words: String) {
        self.words = words;
        self.listed_from_the_top(cx);
    }
}

/// How groups are listed.
struct Listing {
    order: (Order, bool),
    /// Words that those shown have.
    words: String,
    clock: Clock,
}

impl Listing {
    /// The numbers of the groups that are shown, in their order.
    fn rows(&self, tally: &Tally<Desk>, snapshot: &Snapshot) -> Vec<u32> {
        let mut rows = tally.sorted(self.order.0, self.order.1);
        let words: Vec<String> =
            self.words.to_lowercase().split_whitespace().map(str::to_owned).collect();
        if words.is_empty() {
            return rows;
        }
        rows.retain(|row| {
            let keys = tally.groups[*row as usize].keys.iter().zip(&tally.question.by);
            let keys = keys.map(|(key, by)| key_text(key, by, &snapshot.sources, &self.clock));
            let all = keys.collect::<Vec<_>>().join(" ").to_lowercase();
            words.iter().all(|word| all.contains(word))
        });
        rows
    }
}
