//! Extract as a screen.

use std::{path::PathBuf, sync::Arc};

use cribrum_core::engine::{Pass, Snapshot};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    making::{Making, copied, paged},
    state::{ExtractView, Region},
    view,
};
use crate::tui::{
    context::{Context, Input, Question, Request, Step},
    effect::{Effect, Existing, Make},
    keys::{ENTER, Key, LEFT, RIGHT},
    screen::{
        Action, Binding,
        Group::{Closer, Saving},
        Opening, Screen, actions_of,
    },
    shared::Shared,
};

pub(crate) const OPENING: Opening = Opening {
    name: ExtractView::NAME,
    about: ExtractView::ABOUT,
    key: Some(Action::new(
        Saving,
        &[Key::Char('x')],
        "x",
        "extract: what is shown, to a file, the clipboard, the pager",
        Some("extract"),
    )),
    open: |cx| match cx.shared.extract.take() {
        Some(what) => Some(Box::new(ExtractView::of(what))),
        None => {
            cx.tell("there is nothing here to extract yet");
            None
        }
    },
    actions: actions_of::<ExtractView>,
    anywhere: true,
};

const HERE: &[Region] = &[Region::Forms];

static KEYS: &[Binding<ExtractView, Region>] = &[
    Binding::new(
        Saving,
        &[ENTER],
        "⏎",
        "write it to a file of the proposed name, or of the next number",
        |view: &mut ExtractView, cx| {
            let make = view.make(cx);
            let path = PathBuf::from(view.file_name());
            cx.emit(Effect::Save(path, Existing::Numbered, make));
            cx.request(Request::Close);
        },
    )
    .footer("write")
    .within(HERE),
    Binding::new(
        Saving,
        &[Key::Char('o')],
        "o",
        "write it to a file of another name",
        ExtractView::ask_path,
    )
    .footer("other file")
    .within(HERE),
    Binding::new(
        Saving,
        &[Key::Char('y')],
        "y",
        "copy it: what fits on the clipboard of the terminal",
        ExtractView::copy,
    )
    .footer("copy")
    .within(HERE),
    Binding::new(Saving, &[Key::Char('v')], "v", "view it in the pager", ExtractView::page)
        .footer("pager")
        .within(HERE),
    Binding::new(Closer, &[LEFT], "←", "the form before", |view: &mut ExtractView, cx| {
        view.choose(false, cx);
    })
    .within(HERE),
    Binding::new(
        Closer,
        &[RIGHT, Key::Char('f')],
        "→ f",
        "the next form",
        |view: &mut ExtractView, cx| {
            view.choose(true, cx);
        },
    )
    .footer("form")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('p')],
        "p",
        "personal data: hidden, or as it is seen on the desk",
        |view: &mut ExtractView, cx| {
            view.personal = !view.personal;
            view.make_anew(cx);
        },
    )
    .footer("personal data")
    .within(HERE),
];

impl Screen for ExtractView {
    type Region = Region;
    const NAME: &'static str = "extract";
    const ABOUT: &'static str = "what a screen shows, in forms that others can use";

    fn keys() -> &'static [Binding<Self, Region>] {
        KEYS
    }

    fn region(&self) -> Region {
        Region::Forms
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        self.height = view::height(area);
        self.look(cx);
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        let lines = match &self.preview {
            Some(Ok(preview)) => preview.lines.len(),
            _ => 0,
        };
        let last = lines.saturating_sub(self.height);
        self.scroll = step.from(self.scroll.min(last), last + 1, self.height);
    }

    fn read_again(&mut self) {
        (self.asked, self.preview) = (false, None);
    }
}

impl ExtractView {
    fn making(&self, cx: &Context) -> Making {
        Making {
            what: Arc::clone(&self.what),
            form: self.chosen(),
            personal: self.personal,
            clock: cx.shared.clock.clone(),
        }
    }

    /// Asks how it will look, where that is not known.
    fn look(&mut self, cx: &mut Context) {
        if self.asked || !cx.shared.snapshot.settled() {
            return;
        }
        self.asked = true;
        let making = self.making(cx);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let preview = making.preview(snapshot, pass);
            (!pass.is_cancelled()).then_some(preview)
        };
        cx.look("preview", true, find, |view: &mut Self, _, preview| {
            view.preview = Some(preview);
        });
    }

    fn make_anew(&mut self, cx: &mut Context) {
        (self.asked, self.scroll) = (false, 0);
        self.look(cx);
    }

    fn choose(&mut self, next: bool, cx: &mut Context) {
        let forms = self.what.forms().len();
        self.form = if next { self.form + 1 } else { self.form + forms - 1 } % forms;
        self.preview = None;
        self.make_anew(cx);
    }

    /// What writes all of it.
    fn make(&self, cx: &Context) -> Make {
        let (making, snapshot) = (self.making(cx), Arc::clone(&cx.shared.snapshot));
        Box::new(move |out| making.write_to(&snapshot, out))
    }

    fn ask_path(&mut self, cx: &mut Context) {
        let input = Input::Text { optional: false };
        let hint = "the name of a file";
        let question = Question::of("write to", hint, input, |view: &mut Self, cx, text| {
            let make = view.make(cx);
            cx.save(PathBuf::from(text.trim()), make);
            Ok(())
        });
        cx.ask(question, &self.file_name());
    }

    fn copy(&mut self, cx: &mut Context) {
        let making = self.making(cx);
        let make = move |snapshot: &Snapshot, _: &Pass| Some(copied(&making, snapshot));
        cx.look("copy", true, make, |_: &mut Self, cx, made| match made {
            Ok((text, told)) => {
                cx.emit(Effect::Copy(text));
                cx.tell(told);
                cx.request(Request::Close);
            }
            Err(error) => cx.shared.warn(error),
        });
    }

    fn page(&mut self, cx: &mut Context) {
        let making = self.making(cx);
        let name = self.file_name();
        let make = move |snapshot: &Snapshot, _: &Pass| Some(paged(&making, &name, snapshot));
        cx.look("pager", true, make, |_: &mut Self, cx, made| match made {
            Ok(pager) => cx.emit(Effect::Page(pager)),
            Err(error) => cx.shared.warn(error),
        });
    }
}
