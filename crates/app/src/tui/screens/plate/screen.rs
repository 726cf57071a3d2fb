//! The plate as a screen.

use std::path::PathBuf;

use cribrum_core::sieve::Sieve;
use cribrum_draw::{Format, VolumePlate};
use ratatui::{buffer::Buffer, layout::Rect};

use super::view;
use crate::tui::{
    context::{Context, Input, Question},
    effect::Effect,
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{
        Action, Binding,
        Group::{Closer, Saving},
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

/// A plate that is looked at.
#[derive(Default)]
struct PlateView {
    /// What is drawn, once it is counted.
    plate: Option<VolumePlate>,
    /// The sieve and the number of entries that it was asked for.
    of: Option<(Sieve, usize)>,
    /// The column under the cursor, once it is moved.
    cursor: Option<usize>,
    area: Rect,
}

fn open(cx: &mut Context) -> Opened {
    if cx.shared.snapshot.pan.is_empty() {
        cx.tell("nothing is left to draw");
        return None;
    }
    let mut view = PlateView::default();
    view.count(cx);
    Some(Box::new(view))
}

static KEYS: &[Binding<PlateView>] = &[
    Binding::new(
        Saving,
        &[Key::Char('x'), ENTER],
        "x",
        "save the plate as SVG or PDF",
        PlateView::ask_path,
    )
    .footer("save SVG or PDF")
    .leading(),
    Binding::new(
        Closer,
        &[LEFT, Key::Char('h')],
        "← →",
        "read a column's figures",
        |view: &mut PlateView, _| {
            view.read(-1);
        },
    )
    .footer("read a column"),
    Binding::new(
        Closer,
        &[RIGHT, Key::Char('l')],
        "← →",
        "read a column's figures",
        |view: &mut PlateView, _| {
            view.read(1);
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
        view::draw(self.plate.as_ref(), self.cursor, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, _: &mut Context) {
        self.area = area;
    }

    fn back(&mut self, _: &mut Context) -> bool {
        self.cursor.take().is_some()
    }

    fn refreshed(&mut self, cx: &mut Context) {
        if cx.shared.snapshot.settled() {
            self.count(cx);
        }
    }
}

impl PlateView {
    /// Moves the cursor over the columns; the first step puts it on the highest.
    fn read(&mut self, by: isize) {
        let Some(plate) = &self.plate else { return };
        let slices = view::volume_in(plate, self.area).slices;
        let last = slices.len().saturating_sub(1);
        let highest = || (0..slices.len()).max_by_key(|at| slices[*at].total()).unwrap_or(0);
        self.cursor = Some(match self.cursor {
            None => highest(),
            Some(at) => at.saturating_add_signed(by).min(last),
        });
    }

    /// Counts what is left, unless that has been done.
    fn count(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let of = (snapshot.sieve.clone(), snapshot.pan.len());
        if self.of.as_ref() == Some(&of) {
            return;
        }
        self.of = Some(of);
        let title = format!("{} over time", cx.shared.title);
        let zone = cx.shared.clock.zone.clone();
        cx.look(
            "plate",
            true,
            move |snapshot, pass| VolumePlate::of(snapshot, Some(title), Some(zone), pass),
            |view: &mut Self, _, plate| view.plate = Some(plate),
        );
    }

    /// Asks for the file to save to.
    fn ask_path(&mut self, cx: &mut Context) {
        let hint = "a name that ends in .svg or .pdf";
        let input = Input::Text { optional: false };
        let question = Question::of("save to", hint, input, |view: &mut Self, cx, text| {
            let path = PathBuf::from(text.trim());
            let Some(format) = Format::of(&path) else {
                return Err((text.len(), "a name that ends in .svg or .pdf is needed".into()));
            };
            match view.plate.clone() {
                Some(plate) => {
                    let render = move || plate.render(format).map_err(|error| error.to_string());
                    cx.emit(Effect::Save(path, Box::new(render)));
                }
                None => cx.tell("the plate is still being counted"),
            }
            Ok(())
        });
        cx.ask(question, "volume.svg");
    }
}
