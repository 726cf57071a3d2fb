//! The kinds as a screen.

use std::sync::Arc;

use cribrum_core::{
    chart::Ask,
    engine::{Of, Pass, Snapshot},
    kinds::{Kinds, Only, Order},
    sieve::Mesh,
    tally::By,
    veil::{Desk, Text},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    columns::Column,
    state::{Filled, KindsView, Listed, Region},
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

static KEYS: &[Binding<KindsView, Region>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "the entries of this kind, on the desk",
        |view: &mut KindsView, cx| {
            view.sift(true, cx);
            if let Some(first) = view.kind(view.cursor).map(|kind| kind.first) {
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
        "keep only this kind, silence it",
        |view: &mut KindsView, cx| view.sift(true, cx),
    )
    .within(&[Region::Table]),
    Binding::new(
        Sieve,
        &[Key::Char('-')],
        "= -",
        "keep only this kind, silence it",
        |view: &mut KindsView, cx| view.sift(false, cx),
    )
    .footer("silence")
    .within(&[Region::Table]),
    Binding::new(Closer, &[LEFT], "←", "the column to the left", |view: &mut KindsView, _| {
        view.move_column(false);
    })
    .within(&[Region::Table]),
    Binding::new(Closer, &[RIGHT], "→", "the column to the right", |view: &mut KindsView, _| {
        view.move_column(true);
    })
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char(',')],
        ",",
        "order by this column; again: the other way",
        KindsView::sort,
    )
    .footer("order")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "the gravest first",
        |view: &mut KindsView, cx| {
            view.order = (Order::Level, true);
            view.cursor = 0;
            view.list_again(cx);
        },
    )
    .footer("errors first")
    .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "show only new kinds, those that are gone, rare ones",
        KindsView::choose_only,
    )
    .footer("new, gone, rare")
    .within(&[Region::Table]),
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
    .within(&[Region::Table]),
    Binding::new(Closer, &[Key::Char('A')], "A", "give this kind a name", KindsView::ask_name)
        .within(&[Region::Table]),
    Binding::new(
        Closer,
        &[Key::Char('/')],
        "/",
        "narrow to kinds with these words",
        KindsView::ask_words,
    )
    .footer("narrow")
    .within(&[Region::Table]),
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
        (self.width, self.height) = (area.width, view::table_height(self, area));
        self.look(cx);
        self.fill(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        self.cursor = step.from(self.cursor, self.len(), self.height);
        self.fill(cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        if !self.words.is_empty() {
            self.words.clear();
        } else if self.shown.only != Only::All {
            self.shown = super::state::Shown::default();
            self.order = (Order::Count, true);
        } else if self.values {
            self.values = false;
            return true;
        } else {
            return false;
        }
        self.list_again(cx);
        true
    }

    fn here(&self, _: &Shared) -> Here {
        let entry = self.kind(self.cursor).map(|kind| kind.first);
        let chart = Some((Ask::Bars(By::Kind, None), Vec::new()));
        Here { entry, by: Some(By::Kind), chart, ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        match self.len() {
            0 => String::new(),
            len => format!("{} of {len}", self.cursor + 1),
        }
    }

    fn read_again(&mut self) {
        (self.listed, self.looked_at, self.asked, self.filled) = (None, None, false, None);
    }
}

impl KindsView {
    /// Asks for the kinds, where those that there are are of another pan.
    fn look(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let now = (snapshot.sieve.clone(), snapshot.pan.len());
        // One answer after the other: what grows all the time is never done otherwise.
        if self.asked || !snapshot.settled() || self.looked_at.as_ref() == Some(&now) {
            return;
        }
        self.asked = true;
        self.looked_at = Some(now);
        let find =
            |snapshot: &Snapshot, pass: &Pass| Kinds::of(snapshot, Of::Pan, pass).map(Arc::new);
        cx.look("kinds", true, find, |view: &mut Self, cx, kinds: Arc<Kinds<Desk>>| {
            view.asked = false;
            let at = view.kind(view.cursor).map(|kind| kind.text.clone());
            view.filled = None;
            view.listed = Some(Listed { kinds, rows: Vec::new() });
            view.list_again(cx);
            let same = |row: &usize| view.kind(*row).map(|kind| &kind.text) == at.as_ref();
            let place = at.as_ref().and_then(|_| (0..view.len()).find(same));
            view.cursor = place.unwrap_or(view.cursor).min(view.len().saturating_sub(1));
            view.fill(cx);
            view.look(cx);
        });
    }

    /// Puts the kinds in their order, and shows those that are wanted.
    pub(super) fn list_again(&mut self, cx: &mut Context) {
        let words: Vec<String> =
            self.words.to_lowercase().split_whitespace().map(str::to_owned).collect();
        let Some(listed) = &mut self.listed else { return };
        let mut rows = listed.kinds.sorted(self.shown.only, self.order.0, self.order.1);
        if !words.is_empty() {
            let has = |row: &u32| {
                let kind = &listed.kinds.kinds[*row as usize];
                let loggers = kind.loggers.iter().map(Text::as_str);
                let all: Vec<&str> = loggers.chain([kind.text.as_str()]).collect();
                let all = all.join(" ").to_lowercase();
                words.iter().all(|word| all.contains(word))
            };
            rows.retain(has);
        }
        listed.rows = rows;
        self.cursor = self.cursor.min(self.len().saturating_sub(1));
        self.fill(cx);
    }

    /// Asks what stands in the holes of the kind under the cursor, where that is shown.
    pub(super) fn fill(&mut self, cx: &mut Context) {
        if !self.values {
            return;
        }
        let (Some(number), Some(listed)) = (self.number(self.cursor), &self.listed) else { return };
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

    /// Keeps only the entries of the kind under the cursor, or silences them.
    fn sift(&mut self, only: bool, cx: &mut Context) {
        let (Some(listed), Some(number)) = (&self.listed, self.number(self.cursor)) else { return };
        let Some(expr) = listed.kinds.condition(number) else { return };
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
            if column.order().is_some() {
                self.column = at;
                return;
            }
        }
    }

    fn sort(&mut self, cx: &mut Context) {
        let Some(by) = self.column().order() else { return };
        let (before, descending) = self.order;
        let first = matches!(by, Order::Count | Order::Level);
        self.order = (by, if before == by { !descending } else { first });
        self.cursor = 0;
        self.list_again(cx);
    }

    fn ask_words(&mut self, cx: &mut Context) {
        let question = Question::of(
            "narrow",
            "words of kinds, or of who says them: hold booking",
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
