//! A screen that only the tests have: it touches this file and one line of the register.

use ratatui::{buffer::Buffer, layout::Rect};

use crate::tui::{
    context::{Context, Input, Question, Step},
    keys::{ENTER, Key},
    screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
    shared::Shared,
    theme::Role,
    widgets::{heading, put},
};

pub(super) const OPENING: Opening = Opening {
    name: Tides::NAME,
    about: Tides::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('b')],
        "b",
        "tides: a made-up screen",
        Some("tides"),
    )),
    open: |_| Some(Box::new(Tides::default())),
    actions: actions_of::<Tides>,
    anywhere: false,
};

#[derive(Default)]
pub(super) struct Tides {
    cursor: usize,
    typed: String,
    counted: Option<usize>,
}

static KEYS: &[Binding<Tides>] = &[
    Binding::new(Closer, &[ENTER], "⏎", "count the ebb", |tides: &mut Tides, cx| {
        cx.look(
            "ebb",
            true,
            |snapshot, _| Some(snapshot.pan.len()),
            |tides: &mut Tides, cx, count| {
                tides.counted = Some(count);
                cx.tell(format!("{count} counted"));
            },
        );
        tides.counted = None;
    })
    .footer("count"),
    Binding::new(Closer, &[Key::Char('r')], "r", "rename the tide", Tides::ask_name),
];

impl Screen for Tides {
    type Region = ();
    const NAME: &'static str = "tides";
    const ABOUT: &'static str = "high and low water";

    fn keys() -> &'static [Binding<Self>] {
        KEYS
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        heading(shared, Self::NAME, &self.typed, area, buffer);
        let text = format!("row {} of {:?}", self.cursor, self.counted);
        put(buffer, 2, area.y + 2, area.width - 2, &text, shared.theme.style(Role::Text));
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        self.cursor = step.from(self.cursor, 5, 3);
    }
}

impl Tides {
    fn ask_name(&mut self, cx: &mut Context) {
        let input = Input::Text { optional: false };
        let question = Question::of("name", "a name", input, |tides: &mut Self, _, text| {
            tides.typed = text.to_owned();
            Ok(())
        });
        cx.ask(question, "neap");
    }
}
