//! The help as a screen.

use ratatui::{buffer::Buffer, layout::Rect};

use super::view;
use crate::tui::{
    context::{Context, Step},
    keys::Key,
    screen::{Action, Binding, Group::Program, Opening, Screen, actions_of},
    shared::Shared,
};

pub(crate) const OPENING: Opening = Opening {
    name: HelpView::NAME,
    about: HelpView::ABOUT,
    key: Some(Action::new(
        Program,
        &[Key::Char('?')],
        "?",
        "all keys, and what the words mean",
        None,
    )),
    open: |_| Some(Box::new(HelpView::default())),
    actions: actions_of::<HelpView>,
    anywhere: true,
};

/// The help, and how far it is scrolled.
#[derive(Default)]
struct HelpView {
    from: usize,
    area: Rect,
}

impl Screen for HelpView {
    type Region = ();
    const NAME: &'static str = "help";
    const ABOUT: &'static str = "what every key does, and what the words mean";

    fn keys() -> &'static [Binding<Self>] {
        &[]
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self.from, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, _: &mut Context) {
        self.area = area;
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        let most = view::most(&cx.shared, self.area);
        self.from = step.from(self.from, most + 1, usize::from(self.area.height));
    }
}
