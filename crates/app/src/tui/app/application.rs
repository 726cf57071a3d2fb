//! The application: a stack of screens, what lies over them, and what happens to both. No I/O.

use std::sync::Arc;

use cribrum_core::{EntryId, engine::Snapshot};
use ratatui::{
    crossterm::event::{KeyEvent, MouseEvent},
    layout::Rect,
};

use super::offers::{Run, told_once};
use crate::{
    settings::Settings,
    tui::{
        context::{Context, Request, Target, Then},
        effect::{ALL, Answer, Effect, Owner},
        keys::Key,
        overlay::{Finder, FinderOutcome, ListOutcome, OpenList, Prompt, PromptOutcome},
        screen::{AnyScreen, Opening},
        shared::Shared,
    },
};

/// Something that happened.
pub(crate) enum Event {
    Key(KeyEvent),
    Paste(String),
    Mouse(MouseEvent),
    Resize,
    /// There is a new snapshot.
    News,
    /// Rows have been read.
    Rows,
    /// What was asked for has been looked up.
    Answer(Owner, Answer),
    /// Something outside was done, or why not.
    Told(Result<String, String>),
    /// Settings have been read again, and hold from now on.
    Reread(Box<Reread>),
    /// The terminal is given away for a while.
    Suspend,
    /// The terminal has gone away, or a signal asks the program to end.
    Quit,
}

/// Settings that have been read again.
pub(crate) struct Reread {
    /// What was done before, where that is to be told.
    pub(crate) told: Option<String>,
    pub(crate) settings: Settings,
}

/// A screen that is open.
pub(crate) struct Open {
    owner: Owner,
    pub(super) screen: Box<dyn AnyScreen>,
}

/// What lies over the screen on top.
pub(crate) enum Overlay {
    Prompt(Box<Prompt>),
    List(OpenList),
    Finder(Finder<Run>),
}

/// Everything.
pub(crate) struct App {
    pub(crate) cx: Context,
    pub(super) stack: Vec<Open>,
    pub(super) overlay: Option<Overlay>,
    /// Every screen there is, the first one first.
    pub(super) register: &'static [Opening],
    owners: u32,
    /// Columns and rows of the terminal.
    pub(crate) size: (u16, u16),
    pub(crate) quitting: bool,
}

impl App {
    /// An application on the first screen of a register.
    pub(crate) fn new(shared: Shared, register: &'static [Opening]) -> Self {
        let mut app = Self {
            cx: Context::new(shared),
            stack: Vec::new(),
            overlay: None,
            register,
            owners: ALL.0,
            size: (80, 24),
            quitting: false,
        };
        app.open(0);
        app
    }

    /// Takes an event in; gives what is to be done outside.
    pub(crate) fn update(&mut self, event: Event) -> Vec<Effect> {
        match event {
            Event::Key(key) => self.key(key),
            Event::Paste(text) => self.paste(&text),
            Event::Mouse(mouse) => {
                if self.overlay.is_none() {
                    self.on_top(|screen, cx| screen.mouse(mouse, cx));
                }
            }
            Event::Resize | Event::News | Event::Rows | Event::Reread(_) | Event::Suspend => {}
            Event::Answer(owner, answer) => self.answer(owner, answer),
            Event::Told(Ok(text)) => self.cx.tell(text),
            Event::Told(Err(text)) => self.cx.shared.warn(text),
            Event::Quit => self.quitting = true,
        }
        self.settle()
    }

    /// Takes the latest snapshot.
    pub(crate) fn refresh(&mut self, snapshot: Arc<Snapshot>) -> Vec<Effect> {
        self.cx.refresh(snapshot);
        for open in &mut self.stack {
            self.cx.called_by(open.owner);
            open.screen.refreshed(&mut self.cx);
        }
        self.settle()
    }

    /// Everything is read again: what is known of single entries is known no more.
    pub(crate) fn read_again(&mut self, snapshot: Arc<Snapshot>) -> Vec<Effect> {
        for open in &mut self.stack {
            open.screen.read_again();
        }
        self.cx.read_again();
        self.refresh(snapshot)
    }

    /// Gets ready to be drawn.
    pub(crate) fn prepare(&mut self) -> Vec<Effect> {
        let area = self.area();
        if let Some(open) = self.stack.last_mut() {
            self.cx.called_by(open.owner);
            open.screen.prepare(area, &mut self.cx);
            self.cx.shared.here = open.screen.here(&self.cx.shared);
        }
        self.settle()
    }

    /// The entries that are going to be shown and have not been read.
    pub(crate) fn missing(&self) -> Vec<EntryId> {
        let wanted = self.stack.last().map(|open| open.screen.wanted()).unwrap_or_default();
        wanted.into_iter().filter(|id| !self.cx.shared.rows.contains_key(id)).collect()
    }

    /// Whether the entry under the cursor has not been read.
    pub(crate) fn lacks_selected(&self) -> bool {
        let here = self.stack.last().and_then(|open| open.screen.here(&self.cx.shared).entry);
        here.is_some_and(|id| self.cx.shared.shown(id).is_none())
    }

    /// The part of the terminal that the screen on top is drawn in.
    pub(crate) fn area(&self) -> Rect {
        let (width, height) = self.size;
        let footer = if matches!(self.overlay, Some(Overlay::Prompt(_))) { 2 } else { 1 };
        Rect::new(0, 0, width, height.saturating_sub(footer))
    }

    pub(super) fn on_top(&mut self, run: impl FnOnce(&mut dyn AnyScreen, &mut Context)) {
        if let Some(open) = self.stack.last_mut() {
            self.cx.called_by(open.owner);
            run(open.screen.as_mut(), &mut self.cx);
        }
    }

    fn key(&mut self, key: KeyEvent) {
        self.cx.shared.message = None;
        let Some(open) = self.stack.last_mut() else { return };
        self.cx.called_by(open.owner);
        match &mut self.overlay {
            Some(Overlay::Prompt(prompt)) => {
                let outcome = prompt.key(key, open.screen.as_any(), &mut self.cx);
                if outcome != PromptOutcome::Open {
                    self.overlay = None;
                }
            }
            Some(Overlay::List(list)) => {
                let outcome = list.key(key);
                if matches!(outcome, ListOutcome::Open) {
                    return;
                }
                self.close_list();
                match outcome {
                    ListOutcome::Picked(row) => {
                        self.on_top(|screen, cx| OpenList::run(row, screen.as_any(), cx));
                    }
                    ListOutcome::Ran(run, at) => run(&mut self.cx, at),
                    ListOutcome::Open | ListOutcome::Closed => {}
                }
            }
            Some(Overlay::Finder(finder)) => match finder.key(key) {
                FinderOutcome::Open => {}
                FinderOutcome::Closed => self.overlay = None,
                FinderOutcome::Chosen(run) => {
                    self.overlay = None;
                    self.run(run);
                }
            },
            None => {
                let key = Key::of(key);
                let found = self.offers().into_iter().find(|offer| {
                    offer.here && offer.action.here && offer.action.keys.contains(&key)
                });
                if let Some(offer) = found {
                    self.run(offer.run);
                }
            }
        }
    }

    fn paste(&mut self, text: &str) {
        let Some(open) = self.stack.last_mut() else { return };
        self.cx.called_by(open.owner);
        match &mut self.overlay {
            Some(Overlay::Prompt(prompt)) => prompt.paste(text, open.screen.as_any(), &mut self.cx),
            Some(Overlay::Finder(finder)) => finder.paste(text),
            Some(Overlay::List(list)) => list.paste(text),
            // What is pasted never runs as keys.
            None => self.cx.tell("press s or / before pasting"),
        }
    }

    fn answer(&mut self, owner: Owner, answer: Answer) {
        let Ok(then) = answer.downcast::<Then>() else { return };
        self.cx.called_by(owner);
        if owner == ALL {
            then(&mut (), &mut self.cx);
            // What was looked up may be what the prompt waits for.
            if let Some(Overlay::Prompt(prompt)) = &mut self.overlay {
                prompt.complete(&mut self.cx);
            }
        } else if let Some(open) = self.stack.iter_mut().find(|open| open.owner == owner) {
            open.screen.answered(*then, &mut self.cx);
        }
    }

    /// Opens a screen on top; says whether it could be.
    pub(super) fn open(&mut self, number: usize) -> bool {
        let Some(opening) = self.register.get(number) else { return false };
        // What is looked up for a screen is answered to it, not to the one that it was opened from.
        self.owners += 1;
        let owner = Owner(self.owners);
        self.cx.called_by(owner);
        self.cx.shared.manual = self.manual();
        let below = self.stack.last();
        let shared = &self.cx.shared;
        self.cx.shared.extract = below.and_then(|open| open.screen.extract(shared));
        let Some(screen) = (opening.open)(&mut self.cx) else { return false };
        self.stack.push(Open { owner, screen });
        true
    }

    /// Closes screens until so many are left.
    pub(super) fn close_down_to(&mut self, left: usize) {
        while self.stack.len() > left.max(1) {
            if let Some(mut open) = self.stack.pop() {
                open.screen.closed(&mut self.cx);
                self.cx.emit(Effect::Forget(open.owner));
            }
        }
    }

    fn close_list(&mut self) {
        self.overlay = None;
        self.cx.list_sieves(Vec::new());
    }

    /// Carries out what the screens have asked of the application; gives what they have asked of the world.
    fn settle(&mut self) -> Vec<Effect> {
        loop {
            let requests = self.cx.take_requests();
            if requests.is_empty() {
                return self.cx.take_effects();
            }
            requests.into_iter().for_each(|request| self.carry_out(request));
        }
    }

    fn carry_out(&mut self, request: Request) {
        match request {
            Request::Ask(question, text) => {
                if let Some(open) = self.stack.last_mut() {
                    self.cx.called_by(open.owner);
                    let screen = open.screen.as_any();
                    let prompt = Prompt::open(question, &text, screen, &mut self.cx);
                    self.overlay = Some(Overlay::Prompt(Box::new(prompt)));
                }
            }
            Request::Choose(list) => {
                self.overlay = Some(Overlay::List(OpenList::new(list, &mut self.cx)));
            }
            Request::Step(step) => self.on_top(|screen, cx| screen.step(step, cx)),
            Request::Back => {
                let mut left = false;
                self.on_top(|screen, cx| left = screen.back(cx));
                match self.stack.len() {
                    _ if left => {}
                    1 => self.cx.tell("q ends the program"),
                    open => self.close_down_to(open - 1),
                }
            }
            Request::Quit if self.stack.len() == 1 => self.quitting = true,
            Request::Quit | Request::Close => self.close_down_to(self.stack.len() - 1),
            Request::GoTo(target) => self.go_to(target),
            Request::Open(name) => {
                if let Some(number) = self.register.iter().position(|opening| opening.name == name)
                {
                    self.on_top(|screen, cx| cx.shared.here = screen.here(&cx.shared));
                    self.open(number);
                }
            }
            Request::Actions => {
                let offers = told_once(self.offers());
                self.overlay = Some(Overlay::Finder(Finder::new(offers)));
            }
        }
    }

    fn go_to(&mut self, target: Target) {
        self.close_down_to(1);
        self.on_top(|screen, cx| screen.go_to(target, cx));
    }
}

#[cfg(test)]
impl App {
    /// The state of the first screen.
    pub(crate) fn first<S: 'static>(&mut self) -> &mut S {
        self.stack[0].screen.as_any().downcast_mut().unwrap()
    }

    /// Asks the first screen something that depends on what all share.
    pub(crate) fn ask_first<S: 'static, T>(&mut self, ask: impl FnOnce(&S, &Shared) -> T) -> T {
        let screen = self.stack[0].screen.as_any().downcast_ref().unwrap();
        ask(screen, &self.cx.shared)
    }

    /// The actions whose keys act now.
    pub(crate) fn actions_here(&self) -> Vec<crate::tui::screen::Action> {
        let offers = self.offers().into_iter().filter(|offer| offer.here && offer.action.here);
        offers.map(|offer| offer.action).collect()
    }

    /// The name of the screen on top.
    pub(crate) fn top(&self) -> &'static str {
        self.stack.last().unwrap().screen.name()
    }

    /// The text of the prompt that is open.
    pub(crate) fn prompt(&self) -> Option<&str> {
        match &self.overlay {
            Some(Overlay::Prompt(prompt)) => Some(prompt.line.text()),
            _ => None,
        }
    }
}
