//! What a screen can ask of the application, and the context that it asks in.

use std::{any::Any, io, path::PathBuf};

use cribrum_core::{
    EntryId,
    engine::{Lens, Pass, Snapshot},
    query::Expr,
    sieve::Sieve,
    veil::Shareable,
};

use crate::tui::{
    effect::{ALL, Answer, Effect, Existing, Job, Make, Owner},
    keys::Key,
    shared::{Shared, gone},
};

/// What is wrong with a text that was typed, and at which byte.
pub(crate) type Wrong = (usize, String);

/// Something that is done to a screen of whatever type: the one that asked for it.
pub(crate) type OnScreen = Box<dyn FnMut(&mut dyn Any, &mut Context)>;

/// What kind of text a prompt takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Input {
    /// A condition of the filter language, with completion and a count of what it lets through.
    Condition,
    /// A time window, with a count.
    Window,
    /// Words to look for, with a count.
    Words,
    /// The name of a field, with completion.
    Name,
    /// Any other text; `true` says that it may be left empty.
    Text { optional: bool },
}

/// What becomes of a text that is typed: each time it changes (`None` when the prompt is left), and in the end.
type Take<T> = Box<dyn FnMut(&mut dyn Any, &mut Context, T) -> Result<(), Wrong>>;

/// A question that a prompt asks.
pub(crate) struct Question {
    /// The word before the text.
    pub(crate) label: &'static str,
    /// What can be typed, shown while nothing is.
    pub(crate) hint: &'static str,
    pub(crate) input: Input,
    pub(crate) typed: Option<Take<Option<String>>>,
    pub(crate) answer: Take<String>,
}

impl Question {
    /// A question that any screen may ask.
    pub(crate) fn common(
        label: &'static str,
        hint: &'static str,
        input: Input,
        mut answer: impl FnMut(&mut Context, &str) -> Result<(), Wrong> + 'static,
    ) -> Self {
        let answer: Take<String> = Box::new(move |_, cx, text| answer(cx, &text));
        Self { label, hint, input, typed: None, answer }
    }

    /// A question of one screen.
    pub(crate) fn of<S: 'static>(
        label: &'static str,
        hint: &'static str,
        input: Input,
        mut answer: impl FnMut(&mut S, &mut Context, &str) -> Result<(), Wrong> + 'static,
    ) -> Self {
        let answer: Take<String> = Box::new(move |screen, cx, text| match screen.downcast_mut() {
            Some(screen) => answer(screen, cx, &text),
            None => Ok(()),
        });
        Self { label, hint, input, typed: None, answer }
    }

    /// The screen is told of each change of the text, and judges it.
    pub(crate) fn while_typed<S: 'static>(
        mut self,
        mut typed: impl FnMut(&mut S, Option<&str>) -> Result<(), Wrong> + 'static,
    ) -> Self {
        self.typed = Some(Box::new(move |screen, _, text| match screen.downcast_mut() {
            Some(screen) => typed(screen, text.as_deref()),
            None => Ok(()),
        }));
        self
    }
}

/// A row of a list to choose from.
pub(crate) struct Choice {
    /// The key that chooses it at once.
    pub(crate) key: Option<char>,
    pub(crate) text: String,
    /// What is said beside it, in a fainter colour.
    pub(crate) note: String,
    /// The sieve whose count stands beside it.
    pub(crate) sieve: Option<Sieve>,
    pub(crate) pick: OnScreen,
}

impl Choice {
    /// A choice that does something to all screens.
    pub(crate) fn common(
        text: impl Into<String>,
        mut pick: impl FnMut(&mut Context) + 'static,
    ) -> Self {
        Self::new(text, Box::new(move |_, cx| pick(cx)))
    }

    /// A choice that does something to the screen that offers it.
    pub(crate) fn of<S: 'static>(
        text: impl Into<String>,
        mut pick: impl FnMut(&mut S, &mut Context) + 'static,
    ) -> Self {
        Self::new(text, on_screen(move |screen, cx| pick(screen, cx)))
    }

    fn new(text: impl Into<String>, pick: OnScreen) -> Self {
        Self { key: None, text: text.into(), note: String::new(), sieve: None, pick }
    }

    pub(crate) fn key(self, key: char) -> Self {
        Self { key: Some(key), ..self }
    }

    pub(crate) fn note(self, note: impl Into<String>) -> Self {
        Self { note: note.into(), ..self }
    }

    /// Counts what a sieve would leave.
    pub(crate) fn counting(self, sieve: Sieve) -> Self {
        Self { sieve: Some(sieve), ..self }
    }
}

/// A key of a list that does something else than choose a row.
pub(crate) struct ListKey {
    pub(crate) keys: &'static [Key],
    pub(crate) shown: &'static str,
    pub(crate) word: &'static str,
    /// What it does with the row of this number.
    pub(crate) run: fn(&mut Context, usize),
}

/// A list to choose from.
pub(crate) struct List {
    pub(crate) title: &'static str,
    /// What choosing a row does, for the footer.
    pub(crate) word: &'static str,
    /// What the list says while there is nothing in it.
    pub(crate) empty: &'static str,
    pub(crate) rows: Vec<Choice>,
    pub(crate) keys: &'static [ListKey],
    /// Letters are a name that is looked for among the rows, not keys; these rows are offered for the name itself.
    pub(crate) named: Option<fn(&str) -> Vec<Choice>>,
}

/// A place to go to among the entries.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    Entry(EntryId),
    /// The first entry at or after a time.
    Time(i64),
}

/// A movement of the cursor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Step {
    /// So many rows, downwards if positive.
    Rows(isize),
    /// So many pages.
    Pages(isize),
    First,
    Last,
}

impl Step {
    /// Where a step leads from a row of so many; `page` is how many a page shows.
    pub(crate) fn from(self, at: usize, len: usize, page: usize) -> usize {
        let page = isize::try_from(page.saturating_sub(2).max(1)).unwrap_or(1);
        let by = match self {
            Self::Rows(by) => by,
            Self::Pages(by) => by.saturating_mul(page),
            Self::First => isize::MIN,
            Self::Last => isize::MAX,
        };
        at.saturating_add_signed(by).min(len.saturating_sub(1))
    }
}

/// What a screen asks of the application.
pub(crate) enum Request {
    Ask(Question, String),
    Choose(List),
    /// The cursor of the screen on top moves.
    Step(Step),
    /// The screen on top leaves what was begun, or is closed.
    Back,
    /// The screen on top is closed; the last one ends the program.
    Quit,
    /// The screen on top is closed.
    Close,
    /// The first screen goes to a place; those above it are closed.
    GoTo(Target),
    /// Another screen is opened on top, by its name.
    Open(&'static str),
    /// The prompt that finds an action by words is opened.
    Actions,
}

/// The state that all screens share, and what was asked for.
pub(crate) struct Context {
    pub(crate) shared: Shared,
    effects: Vec<Effect>,
    requests: Vec<Request>,
    /// The screen that is being called.
    owner: Owner,
    /// The sieves of the list that is open, to count beside the pan.
    pub(super) listed: Vec<Sieve>,
}

impl Context {
    pub(crate) fn new(shared: Shared) -> Self {
        Self { shared, effects: Vec::new(), requests: Vec::new(), owner: ALL, listed: Vec::new() }
    }

    pub(crate) fn emit(&mut self, effect: Effect) {
        self.effects.push(effect);
    }

    pub(crate) fn request(&mut self, request: Request) {
        self.requests.push(request);
    }

    pub(crate) fn ask(&mut self, question: Question, text: &str) {
        self.request(Request::Ask(question, text.to_owned()));
    }

    pub(crate) fn choose(&mut self, list: List) {
        self.request(Request::Choose(list));
    }

    pub(crate) fn tell(&mut self, text: impl Into<String>) {
        self.shared.tell(text);
    }

    /// Copies an entry as it is written, its secrets hidden.
    pub(crate) fn copy_entry(&mut self, id: EntryId) {
        self.copy("copied, secrets hidden", move |snapshot| snapshot.raw_to_share(id));
    }

    /// Copies a part of an entry as the desk shows it, without what may be shown but not shared.
    pub(crate) fn copy_text(&mut self, id: EntryId, text: String) {
        self.copy("the value is copied, secrets hidden", move |snapshot| {
            snapshot.to_share(id, &text)
        });
    }

    /// Writes a file. One that is there already is replaced where its name is given twice.
    pub(crate) fn save(&mut self, path: PathBuf, make: Make) {
        let before = self.shared.saved.replace(path.clone());
        let existing =
            if before.as_ref() == Some(&path) { Existing::Replaced } else { Existing::Stays };
        self.emit(Effect::Save(path, existing, make));
    }

    fn copy(
        &mut self,
        told: &'static str,
        make: impl FnOnce(&Snapshot) -> io::Result<Shareable<'static>> + Send + 'static,
    ) {
        self.look_for_all(
            "copy",
            false,
            move |snapshot, _| Some(make(snapshot).map_err(|error| gone(&error))),
            move |cx, text| match text {
                Ok(text) => {
                    cx.tell(told);
                    cx.emit(Effect::Copy(text));
                }
                Err(error) => cx.shared.warn(error),
            },
        );
    }

    pub(crate) fn set_lens(&mut self, lens: Lens, expr: Option<Expr>) {
        self.emit(Effect::Lens(lens, expr));
    }

    /// Sets the screen that is called next.
    pub(crate) fn called_by(&mut self, owner: Owner) {
        self.owner = owner;
    }

    pub(crate) fn take_effects(&mut self) -> Vec<Effect> {
        std::mem::take(&mut self.effects)
    }

    pub(crate) fn take_requests(&mut self) -> Vec<Request> {
        std::mem::take(&mut self.requests)
    }

    /// Looks something up on a thread of its own and hands it to the screen that is called now, if it is still there
    /// then. With `latest`, a search of the same name that is still running is ended.
    pub(crate) fn look<S: 'static, T>(
        &mut self,
        name: &'static str,
        latest: bool,
        run: impl FnOnce(&Snapshot, &Pass) -> Option<T> + Send + 'static,
        then: impl FnOnce(&mut S, &mut Context, T) + Send + 'static,
    ) where
        T: Send + 'static,
    {
        let owner = self.owner;
        self.emit(Effect::Look(Job {
            owner,
            name,
            latest,
            run: Box::new(move |snapshot, pass| {
                let found = run(snapshot, pass)?;
                let then: Then = Box::new(move |screen, cx| {
                    if let Some(screen) = screen.downcast_mut() {
                        then(screen, cx, found);
                    }
                });
                Some(Box::new(then) as Answer)
            }),
        }));
    }

    /// Looks something up for all screens.
    pub(crate) fn look_for_all<T: Send + 'static>(
        &mut self,
        name: &'static str,
        latest: bool,
        run: impl FnOnce(&Snapshot, &Pass) -> Option<T> + Send + 'static,
        then: impl FnOnce(&mut Context, T) + Send + 'static,
    ) {
        let owner = std::mem::replace(&mut self.owner, ALL);
        self.look::<(), T>(name, latest, run, move |(), cx, found| then(cx, found));
        self.owner = owner;
    }
}

/// What is done with an answer, by the screen that asked.
pub(crate) type Then = Box<dyn FnOnce(&mut dyn Any, &mut Context) + Send>;

/// Something to do to a screen of one type.
pub(crate) fn on_screen<S: 'static>(
    mut run: impl FnMut(&mut S, &mut Context) + 'static,
) -> OnScreen {
    Box::new(move |screen, cx| {
        if let Some(screen) = screen.downcast_mut() {
            run(screen, cx);
        }
    })
}
