//! The comparison as a screen.

use std::sync::Arc;

use cribrum_core::{
    chart::Ask,
    compare::{Comparison, Per},
    engine::{Pass, Snapshot},
    sieve::Mesh,
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::{of, what},
    sides::usual,
    state::{CompareView, Listed, Region},
    view,
};
use crate::tui::{
    context::{Context, Input, Question, Request, Step, Target},
    keys::{ENTER, Key},
    screen::{
        Action, Binding,
        Group::{Closer, Sieve},
        Opening, Screen, actions_of,
    },
    shared::{Here, Shared},
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

static KEYS: &[Binding<CompareView, Region>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "the entries that differ, on the desk",
        |view: &mut CompareView, cx| {
            view.sift(true, cx);
            if let Some(entry) = view.difference(view.cursor).map(|row| row.entry) {
                cx.request(Request::GoTo(Target::Entry(entry)));
            }
        },
    )
    .footer("entries")
    .within(&[Region::Table]),
    Binding::new(
        Sieve,
        &[Key::Char('=')],
        "= -",
        "keep only these entries, drop them",
        |view: &mut CompareView, cx| view.sift(true, cx),
    )
    .within(&[Region::Table]),
    Binding::new(
        Sieve,
        &[Key::Char('-')],
        "= -",
        "keep only these entries, drop them",
        |view: &mut CompareView, cx| view.sift(false, cx),
    )
    .footer("drop")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('f')],
        "f",
        "what is compared",
        |view: &mut CompareView, cx| view.choose_side(0, cx),
    )
    .footer("from")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "the other side, with which it is compared",
        |view: &mut CompareView, cx| view.choose_side(1, cx),
    )
    .footer("with")
    .within(&[Region::Table]),
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
    .within(&[Region::Table]),
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
    .within(&[Region::Table]),
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
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('/')],
        "/",
        "narrow to differences with these words",
        CompareView::ask_words,
    )
    .footer("narrow")
    .within(&[Region::Table]),
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
            self.words.clear();
            self.list_again(cx);
        }
        narrowed
    }

    fn here(&self, _: &Shared) -> Here {
        let entry = self.difference(self.cursor).map(|row| row.entry);
        let sides = Box::new(self.sides.clone().map(|named| named.side));
        let names = self.sides.iter().map(|named| named.name.clone()).collect();
        Here { entry, chart: Some((Ask::Overlay(sides), names)), ..Here::default() }
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

impl CompareView {
    /// Asks what differs, where what there is is of another pan.
    fn look(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let now = (snapshot.sieve.clone(), snapshot.pan.len());
        if self.asked || !snapshot.settled() || self.looked_at.as_ref() == Some(&now) {
            return;
        }
        self.asked = true;
        self.looked_at = Some(now);
        let (sides, per) = (self.sides.clone(), self.per);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            Comparison::of(snapshot, [&sides[0].side, &sides[1].side], per, pass).map(Arc::new)
        };
        cx.look(
            "comparison",
            true,
            find,
            |view: &mut Self, cx, compared: Arc<Comparison<Desk>>| {
                view.asked = false;
                view.listed = Some(Listed { compared, rows: Vec::new() });
                view.list_again(cx);
                view.look(cx);
            },
        );
    }

    /// Asks again, as something else is to be compared.
    pub(super) fn ask_again(&mut self, cx: &mut Context) {
        (self.cursor, self.listed, self.looked_at, self.asked) = (0, None, None, false);
        self.words.clear();
        self.look(cx);
    }

    /// Lists the differences that are wanted.
    fn list_again(&mut self, cx: &Context) {
        let words: Vec<String> =
            self.words.to_lowercase().split_whitespace().map(str::to_owned).collect();
        let all = self.all;
        let Some(listed) = &mut self.listed else { return };
        let compared = &listed.compared;
        // Beside nothing, everything differs.
        let empty = compared.wholes.iter().any(|whole| whole.entries == 0);
        let mut rows = if empty { Vec::new() } else { compared.told(all) };
        if !words.is_empty() {
            rows.retain(|told| {
                let numbers = std::iter::once(&told.number).chain(&told.alike);
                let texts = numbers.map(|number| {
                    let row = &compared.differences[*number];
                    let (of, what) = (of(&cx.shared, row), what(&cx.shared, row));
                    format!("{} {of} {what}", row.change.name())
                });
                let all = texts.collect::<Vec<_>>().join(" ").to_lowercase();
                words.iter().all(|word| all.contains(word))
            });
        }
        listed.rows = rows;
        self.cursor = self.cursor.min(self.len().saturating_sub(1));
    }

    /// Keeps only the entries of the difference under the cursor, or holds them back.
    fn sift(&mut self, only: bool, cx: &mut Context) {
        let (Some(listed), Some(told)) = (&self.listed, self.told(self.cursor)) else { return };
        let Some(expr) = listed.compared.condition(told.number, &cx.shared.snapshot) else {
            cx.tell("no condition tells these entries from all others");
            return;
        };
        let expr = if only { expr } else { expr.negated() };
        cx.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
    }

    fn ask_words(&mut self, cx: &mut Context) {
        let question = Question::of(
            "narrow",
            "words of what differs, or new, gone, more, slower: new kind",
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                text.trim().clone_into(&mut view.words);
                view.cursor = 0;
                view.list_again(cx);
                Ok(())
            },
        );
        let words = self.words.clone();
        cx.ask(question, &words);
    }
}
