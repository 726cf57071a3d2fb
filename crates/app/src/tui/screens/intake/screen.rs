//! The intake as a screen.

use cribrum_core::{
    entry::Correction,
    own::propose,
    query::{Expr, Path},
    sieve::Mesh,
    source::{Origin, Source},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    samples::{samples, taught},
    state::IntakeView,
    view,
};
use crate::{
    settings::{self, Change},
    tui::{
        context::{Context, Input, Question, Request, Step, Wrong},
        effect::Effect,
        keys::{ENTER, Key},
        screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
        shared::Shared,
    },
};

pub(crate) const OPENING: Opening = Opening {
    name: IntakeView::NAME,
    about: IntakeView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('i')],
        "i",
        "intake: how each source is read, and how well",
        Some("intake"),
    )),
    open: |_| Some(Box::new(IntakeView::default())),
    actions: actions_of::<IntakeView>,
    anywhere: false,
};

static KEYS: &[Binding<IntakeView>] = &[
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "teach a layout over the lines shown",
        IntakeView::ask_template,
    )
    .footer("teach a layout"),
    Binding::new(
        Closer,
        &[Key::Char('c')],
        "c",
        "correct the clock of this source",
        IntakeView::ask_clock,
    )
    .footer("clock"),
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "show the entries of this source that are not understood",
        IntakeView::not_understood,
    )
    .footer("not understood"),
];

impl Screen for IntakeView {
    type Region = ();
    const NAME: &'static str = "intake";
    const ABOUT: &'static str = "everything that is poured in, and how it is read";

    fn keys() -> &'static [Binding<Self>] {
        KEYS
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, _: Rect, cx: &mut Context) {
        if std::mem::replace(&mut self.asked, true) {
            return;
        }
        let source = self.cursor;
        cx.look(
            "samples",
            true,
            move |snapshot, _| Some(samples(snapshot, source)),
            |view: &mut Self, _, samples| view.samples = samples,
        );
    }

    fn refreshed(&mut self, _: &mut Context) {
        self.asked = false;
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        self.cursor = step.from(self.cursor, cx.shared.snapshot.sources.len(), 10);
        self.asked = false;
    }
}

impl IntakeView {
    /// The source under the cursor, where everything can be read again; says so where it can't.
    fn source_to_change(&self, cx: &mut Context) -> Option<Source> {
        let sources = &cx.shared.snapshot.sources;
        if sources.iter().any(|source| matches!(source.origin, Origin::Stdin)) {
            cx.tell("what comes through a pipe can't be read again; give it on the command line");
            return None;
        }
        sources.get(self.cursor).cloned()
    }

    /// Asks for the clock of the source under the cursor.
    fn ask_clock(&mut self, cx: &mut Context) {
        let Some(source) = self.source_to_change(cx) else { return };
        let status = cx.shared.snapshot.status.get(self.cursor);
        let clock = status.map(|status| status.clock.to_string()).unwrap_or_default();
        let hint = "Europe/Rome   +01:00   -1.5s   UTC -1.5s   nothing: as it was read first";
        let label = source.label;
        let question =
            Question::common("clock", hint, Input::Text { optional: true }, move |cx, text| {
                let correction = match text.trim() {
                    "" => Correction::default(),
                    text => text.parse::<Correction>().map_err(|message| (0, message))?,
                };
                cx.emit(Effect::Clock(label.clone(), correction));
                Ok(())
            });
        cx.ask(question, &clock);
    }

    /// Asks for a template for the source under the cursor.
    fn ask_template(&mut self, cx: &mut Context) {
        let Some(source) = self.source_to_change(cx) else { return };
        let first = self.samples.iter().find(|sample| !sample.understood);
        let first = first.or(self.samples.first());
        let template = first.map_or_else(|| "{message}".to_owned(), |s| propose(&s.text));
        let hint = "{time} | {session:id} | {level} | {caller}:{line:int} | {rest:pairs}";
        let input = Input::Text { optional: false };
        let save = move |_: &mut Self, cx: &mut Context, template: &str| -> Result<(), Wrong> {
            taught(template)?;
            cx.emit_template(&source, template);
            Ok(())
        };
        let question = Question::of("template", hint, input, save).while_typed(
            |view: &mut Self, text: Option<&str>| {
                view.template = text.map(str::to_owned);
                text.map_or(Ok(()), |text| taught(text).map(drop))
            },
        );
        cx.ask(question, &template);
    }

    /// Goes to the entries of the source under the cursor that no layout took.
    fn not_understood(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let Some(source) = snapshot.sources.get(self.cursor) else { return };
        if snapshot.first_plain(self.cursor).is_none() {
            return cx.tell("every line of this source is understood");
        }
        let label = source.label.clone();
        cx.alter(|sieve| {
            sieve.meshes.push(Mesh::of(Expr::equals(Path::Source, &label)));
            sieve.meshes.push(Mesh::of(Expr::equals(Path::Layout, "plain")));
        });
        cx.request(Request::Close);
    }
}

impl Context {
    /// Saves a template beside a source, whose name the layout is given.
    fn emit_template(&mut self, source: &Source, template: &str) {
        let Origin::Files(files) = &source.origin else { return };
        let Some(file) = files.last() else { return };
        let name = file.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        self.emit(Effect::Settings(Change::Teach {
            file: settings::beside(file),
            name: source.label.clone(),
            // The older files of a rotated set carry more behind the name.
            files: format!("{name}*"),
            template: template.to_owned(),
        }));
    }
}
