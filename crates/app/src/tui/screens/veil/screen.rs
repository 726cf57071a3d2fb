//! The veil as a screen.

use cribrum_core::veil::{Action as Done, Class, Policy};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    found::{report, trial},
    state::{Region, Trial, VeilView},
    trying, view,
};
use crate::settings::Change;
use crate::tui::{
    context::{Context, Input, Question, Request, Step, Target},
    effect::Effect,
    keys::{ENTER, Key, TAB},
    screen::{
        Action, Binding,
        Group::{Closer, Saving},
        Opening, Screen, actions_of,
    },
    shared::Shared,
};

pub(crate) const OPENING: Opening = Opening {
    name: VeilView::NAME,
    about: VeilView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('v')],
        "v",
        "veil: what is hidden, by which rule, and where",
        Some("veil"),
    )),
    open: |_| Some(Box::new(VeilView::default())),
    actions: actions_of::<VeilView>,
    anywhere: false,
};

static KEYS: &[Binding<VeilView, Region>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "go to the examples of this rule",
        VeilView::enter_examples,
    )
    .footer("examples")
    .within(&[Region::Rules]),
    Binding::new(Closer, &[ENTER], "⏎", "go to the entry of this example", VeilView::open_entry)
        .footer("to the entry")
        .within(&[Region::Examples]),
    Binding::new(Closer, &[TAB], "Tab", "to the examples and back", VeilView::other_region),
    Binding::new(
        Saving,
        &[Key::Char('n')],
        "n",
        "try a rule of your own over the entries, and keep it",
        VeilView::ask_rule,
    )
    .footer("try a rule"),
    Binding::new(
        Saving,
        &[Key::Char('o')],
        "o",
        "hide, shorten or show this class at the desk",
        VeilView::turn_desk,
    )
    .footer("at the desk"),
    Binding::new(
        Saving,
        &[Key::Char('O')],
        "O",
        "hide, shorten or show this class in what leaves the desk",
        VeilView::turn_anyone,
    )
    .footer("shared"),
    Binding::new(
        Closer,
        &[Key::Char('a')],
        "a",
        "list the rules that find nothing as well, or not",
        VeilView::toggle_all,
    )
    .footer("all rules"),
];

impl Screen for VeilView {
    type Region = Region;
    const NAME: &'static str = "veil";
    const ABOUT: &'static str = "what is hidden, by which rule, and where";

    fn keys() -> &'static [Binding<Self, Region>] {
        KEYS
    }

    fn region(&self) -> Region {
        self.region
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, _: Rect, cx: &mut Context) {
        if let Some(trying) = &mut self.trial
            && !std::mem::replace(&mut trying.asked, true)
            && let Some(rule) = trying.rule.clone()
        {
            cx.look(
                "trial",
                true,
                move |snapshot, pass| trial(snapshot, &rule, pass),
                |view: &mut Self, _, found| {
                    if let Some(trial) = &mut view.trial {
                        trial.found = Some(found);
                    }
                },
            );
        }
        if !std::mem::replace(&mut self.asked, true) {
            let snapshot = &cx.shared.snapshot;
            self.looked_at = (snapshot.order.len(), snapshot.veil().rules().len());
            cx.look("veil", true, report, |view: &mut Self, _, report| {
                view.report = Some(report);
                view.cursor = view.cursor.min(view.finders().len().saturating_sub(1));
            });
        }
    }

    fn refreshed(&mut self, cx: &mut Context) {
        let (entries, rules) =
            (cx.shared.snapshot.order.len(), cx.shared.snapshot.veil().rules().len());
        let (seen, known) = self.looked_at;
        // A look costs all entries: one more is worth it where there are other rules, or a tenth more entries.
        let changed = rules != known || entries < seen || entries > seen + seen / 10;
        if self.report.is_some() && changed && cx.shared.snapshot.loaded() {
            self.asked = false;
        }
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        match self.region {
            Region::Rules => {
                self.cursor = step.from(self.cursor, self.finders().len(), 10);
                self.example = 0;
            }
            Region::Examples => {
                let examples = self.finder().map_or(0, |finder| finder.examples.len());
                self.example = step.from(self.example, examples, 10);
            }
        }
    }

    fn back(&mut self, _: &mut Context) -> bool {
        let within = self.region == Region::Examples;
        self.region = Region::Rules;
        within
    }
}

impl VeilView {
    fn enter_examples(&mut self, cx: &mut Context) {
        if self.finder().is_some_and(|finder| !finder.examples.is_empty()) {
            self.region = Region::Examples;
        } else {
            cx.tell("this rule has found nothing");
        }
    }

    fn other_region(&mut self, cx: &mut Context) {
        match self.region {
            Region::Rules => self.enter_examples(cx),
            Region::Examples => self.region = Region::Rules,
        }
    }

    fn open_entry(&mut self, cx: &mut Context) {
        let example = self.finder().and_then(|finder| finder.examples.get(self.example));
        if let Some(example) = example {
            cx.request(Request::GoTo(Target::Entry(example.id)));
        }
    }

    fn toggle_all(&mut self, _: &mut Context) {
        let name = self.finder().map(|finder| finder.name.clone());
        self.all = !self.all;
        let place = self.finders().iter().position(|finder| Some(&finder.name) == name.as_ref());
        self.cursor = place.unwrap_or(0);
    }

    fn turn_desk(&mut self, cx: &mut Context) {
        self.turn(cx, Policy::at_the_desk, Policy::set_at_the_desk);
    }

    fn turn_anyone(&mut self, cx: &mut Context) {
        self.turn(cx, Policy::for_anyone, Policy::set_for_anyone);
    }

    /// Does the next thing about the class under the cursor.
    fn turn(
        &mut self,
        cx: &mut Context,
        of: fn(&Policy, Class) -> Done,
        set: fn(&mut Policy, Class, Done),
    ) {
        let Some(class) = self.finder().map(|finder| finder.class) else { return };
        let mut policy = cx.shared.snapshot.veil().policy().clone();
        let next = match of(&policy, class) {
            Done::Hide => Done::Shorten,
            Done::Shorten => Done::Keep,
            Done::Keep => Done::Hide,
        };
        set(&mut policy, class, next);
        cx.emit(Effect::Veil(policy));
    }

    /// Asks for a rule, and shows what it finds while it is typed.
    fn ask_rule(&mut self, cx: &mut Context) {
        let hint = "a field's name: berth_code   an expression: /BC-(?<secret>[0-9]+)/";
        let question = Question::of(
            "rule",
            hint,
            Input::Text { optional: false },
            |_: &mut Self, cx, text| {
                trying::rule(text)?;
                keep(cx, text);
                Ok(())
            },
        )
        .while_typed(|view: &mut Self, text: Option<&str>| {
            let Some(text) = text else {
                view.trial = None;
                return Ok(());
            };
            let rule = trying::rule(text);
            let found = view.trial.take().and_then(|trial| trial.found);
            let found = found.filter(|_| rule.is_ok());
            view.trial = Some(Trial { rule: rule.as_ref().ok().cloned(), found, asked: false });
            rule.map(drop)
        });
        cx.ask(question, "");
    }
}

/// Asks what a rule is called, and keeps it in the user's settings.
fn keep(cx: &mut Context, text: &str) {
    let parts = trying::parts(text);
    let name: String =
        text.chars().filter(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | ' ')).collect();
    let hint = "the rule is kept in your own settings under this name";
    let question = Question::common(
        "name of the rule",
        hint,
        Input::Text { optional: false },
        move |cx, name| {
            cx.emit(Effect::Settings(Change::Rule(name.trim().to_owned(), parts.clone())));
            Ok(())
        },
    );
    cx.ask(question, name.trim());
}
