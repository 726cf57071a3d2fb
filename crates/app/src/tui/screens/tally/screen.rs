//! The tally as a screen.

use std::sync::Arc;

use cribrum_core::{
    engine::{Of, Pass, Snapshot},
    sieve::Mesh,
    tally::{Order, Question as Asked, Tally},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::{Column, key_text},
    grouping,
    state::{Listed, Region, TallyView},
    view,
};
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
        Here { entry, by: self.question.by.first().cloned(), ..Here::default() }
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
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let question = match question.by.as_slice() {
                [] => grouping::usual(None, snapshot, pass)?,
                [by] if question.of.is_none() && question.different.is_none() => {
                    let by = by.clone();
                    grouping::usual(Some(by), snapshot, pass)?
                }
                _ => question,
            };
            let tally = Tally::of(snapshot, Of::Pan, &question, pass)?;
            Some((question, Arc::new(tally)))
        };
        cx.look("tally", true, find, |view: &mut Self, cx, (question, tally)| {
            view.asked = false;
            view.question = question;
            view.list(tally, cx);
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

    /// Puts the groups in order, with the cursor on the one that it was on.
    fn list(&mut self, tally: Arc<Tally<cribrum_core::veil::Desk>>, cx: &Context) {
        let at = self.group(self.cursor).map(|group| group.keys.clone());
        let mut rows = tally.sorted(self.order.0, self.order.1);
        if !self.words.is_empty() {
            let words: Vec<String> =
                self.words.to_lowercase().split_whitespace().map(str::to_owned).collect();
            rows.retain(|row| {
                let group = &tally.groups[*row as usize];
                let keys = (0..group.keys.len()).map(|at| key_text(self, &cx.shared, group, at));
                let all = keys.collect::<Vec<_>>().join(" ").to_lowercase();
                words.iter().all(|word| all.contains(word))
            });
        }
        let place = at
            .and_then(|keys| rows.iter().position(|row| tally.groups[*row as usize].keys == keys));
        self.cursor = place.unwrap_or(self.cursor).min(rows.len().saturating_sub(1));
        self.listed = Some(Listed { tally, rows });
    }

    fn list_again(&mut self, cx: &Context) {
        if let Some(tally) = self.listed.as_ref().map(|listed| Arc::clone(&listed.tally)) {
            self.list(tally, cx);
        }
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
        self.cursor = 0;
        self.listed_from_the_top(cx);
    }

    fn order_by(&mut self, by: Order, cx: &mut Context) {
        self.order = (by, true);
        self.listed_from_the_top(cx);
    }

    /// The order is another one: the first row is what is looked for.
    fn listed_from_the_top(&mut self, cx: &mut Context) {
        if let Some(listed) = &mut self.listed {
            listed.rows.clear();
        }
        self.cursor = 0;
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
