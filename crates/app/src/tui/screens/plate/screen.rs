//! The plate as a screen.

use std::sync::{Arc, PoisonError};

use cribrum_core::{
    chart::{Ask, Chart, Figures},
    engine::{Pass, Snapshot},
    entry::Level,
    sieve::Mesh,
};
use cribrum_draw::SLICES;
use ratatui::{buffer::Buffer, crossterm::event::KeyCode, layout::Rect};

use super::{state::PlateView, view};
use crate::tui::{
    context::{Context, Request, Target},
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{
        Action, Binding,
        Group::{Closer, Saving, Sieve},
        Opened, Opening, Screen, actions_of,
    },
    shared::Shared,
};

pub(crate) const OPENING: Opening = Opening {
    name: PlateView::NAME,
    about: PlateView::ABOUT,
    key: Some(Action::new(
        Saving,
        &[Key::Char('d')],
        "d",
        "plate: draw a chart, save it as SVG or PDF",
        Some("plate"),
    )),
    open,
    actions: actions_of::<PlateView>,
    anywhere: false,
};

fn open(cx: &mut Context) -> Opened {
    if cx.shared.snapshot.pan.is_empty() {
        cx.tell("nothing is left to draw");
        return None;
    }
    let (ask, names) = cx.shared.here.chart.clone().unwrap_or((Ask::Volume, Vec::new()));
    let mut view = PlateView::new(ask, names);
    view.count(cx);
    Some(Box::new(view))
}

static KEYS: &[Binding<PlateView>] = &[
    Binding::new(
        Saving,
        &[Key::Char('d')],
        "d",
        "save the plate as SVG or PDF, its figures as CSV",
        PlateView::ask_path,
    )
    .footer("save")
    .leading(),
    Binding::new(Closer, &[Key::Char('o')], "o", "another chart", PlateView::choose)
        .footer("another chart")
        .leading(),
    Binding::new(
        Closer,
        &[LEFT, Key::Char('h'), Key::Code(KeyCode::Up)],
        "← →",
        "read a column's figures",
        |view: &mut PlateView, _| view.read(-1),
    )
    .footer("read"),
    Binding::new(
        Closer,
        &[RIGHT, Key::Char('l'), Key::Code(KeyCode::Down)],
        "← →",
        "read a column's figures",
        |view: &mut PlateView, _| view.read(1),
    ),
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "the entries under the cursor, on the desk",
        |view: &mut PlateView, cx| {
            let from = view.begins(&cx.shared);
            if view.cut(true, cx) {
                cx.request(Request::GoTo(Target::Time(from)));
            }
        },
    )
    .footer("entries"),
    Binding::new(
        Closer,
        &[Key::Char('b')],
        "b",
        "begin a window here; again: take it back",
        |view: &mut PlateView, cx| {
            view.begun = match view.begun {
                None => view.cursor,
                Some(_) => None,
            };
            if view.cursor.is_none() {
                cx.tell("← → put the cursor on a column first");
            }
        },
    )
    .footer("begin a window"),
    Binding::new(
        Sieve,
        &[Key::Char('=')],
        "= -",
        "keep only what is under the cursor, or in the window; drop it",
        |view: &mut PlateView, cx| {
            view.cut(true, cx);
        },
    ),
    Binding::new(
        Sieve,
        &[Key::Char('-')],
        "= -",
        "keep only what is under the cursor, or in the window; drop it",
        |view: &mut PlateView, cx| {
            view.cut(false, cx);
        },
    ),
    Binding::new(
        Sieve,
        &[Key::Char('e')],
        "e",
        "only errors; again: all levels",
        |_: &mut PlateView, cx| {
            let floor = cx.shared.sieve().floor();
            let errors = floor != Some(Level::Error);
            cx.alter(|sieve| sieve.set_floor(errors.then_some(Level::Error)));
        },
    )
    .footer("errors"),
    Binding::new(
        Closer,
        &[Key::Char('y')],
        "y",
        "values on a logarithmic axis, or on a linear one",
        |view: &mut PlateView, cx| {
            if view.ask.measure().is_none() {
                cx.tell("only charts of values have such an axis");
                return;
            }
            let now = view.chart.as_ref().is_some_and(|chart| view.across(chart).is_log());
            view.log = Some(!now);
            (view.cursor, view.begun) = (None, None);
        },
    ),
];

impl Screen for PlateView {
    type Region = ();
    const NAME: &'static str = "plate";
    const ABOUT: &'static str = "a chart of what is left, for a document";
    const MOVES: bool = false;
    const SIFTS: bool = true;

    fn keys() -> &'static [Binding<Self>] {
        KEYS
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, _: &mut Context) {
        self.area = area;
        self.fit();
    }

    fn back(&mut self, _: &mut Context) -> bool {
        self.begun.take().is_some() || self.cursor.take().is_some()
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.count(cx);
    }

    fn read_again(&mut self) {
        self.forget();
    }
}

impl PlateView {
    /// Moves the cursor over the columns or bars; the first step puts it on the highest.
    fn read(&mut self, by: isize) {
        let Some(chart) = self.drawn() else { return };
        let places = self.places(chart);
        if places == 0 {
            return;
        }
        let highest = || match &chart.figures {
            Figures::Stacked(_, series) | Figures::Lines(_, series) => {
                (0..places).max_by_key(|at| series.iter().map(|one| one.counts[*at]).sum::<u64>())
            }
            Figures::Values(_, values) => {
                let high = |at: &usize| values[*at].quantile(0.95).unwrap_or(f64::NEG_INFINITY);
                (0..places).max_by(|one, other| high(one).total_cmp(&high(other)))
            }
            Figures::Spread(_) => {
                let counts = self.counts(chart);
                (0..places).max_by_key(|at| counts[*at])
            }
            Figures::Bars(_) => Some(0),
        };
        self.cursor = match self.cursor {
            None => highest(),
            Some(at) => Some(at.saturating_add_signed(by).min(places - 1)),
        };
    }

    /// Counts what is left, unless that has been done.
    pub(super) fn count(&mut self, cx: &mut Context) {
        if !self.asked.is_due(&cx.shared.snapshot) {
            return;
        }
        let (ask, so_far) = (self.ask.clone(), Arc::clone(&self.so_far));
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let mut so_far = so_far.lock().unwrap_or_else(PoisonError::into_inner);
            so_far.extend(snapshot, SLICES, pass).map(|chart| (ask, chart))
        };
        cx.look("plate", true, find, |view: &mut Self, cx, (ask, chart)| {
            if ask == view.ask {
                view.asked.has_come();
                view.take(chart);
            }
            view.count(cx);
        });
    }

    /// When what is under the cursor begins.
    fn begins(&self, shared: &Shared) -> i64 {
        let slices = self.drawn().and_then(Chart::slices);
        let slice = slices.zip(self.chosen()).map(|(slices, (from, _))| slices.from(from));
        slice.or(shared.snapshot.span().map(|(first, _)| first)).unwrap_or_default()
    }

    /// Keeps only the entries under the cursor, or holds them back; whether that could be done.
    fn cut(&mut self, only: bool, cx: &mut Context) -> bool {
        if self.cursor.is_none() {
            cx.tell("← → put the cursor on a column first");
            return false;
        }
        let Some(expr) = self.condition(&cx.shared) else {
            cx.tell("no condition tells these entries from all others");
            return false;
        };
        let expr = if only { expr } else { expr.negated() };
        cx.alter(|sieve| sieve.meshes.push(Mesh::of(expr)));
        (self.cursor, self.begun) = (None, None);
        true
    }
}
