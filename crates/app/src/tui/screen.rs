//! A screen: a folder with its state, its keys as data, its update and its view. What is common to all screens is
//! done for it, so that it need not know the others.

use std::{any::Any, fmt::Debug, sync::Arc};

use cribrum_core::EntryId;
use ratatui::{
    buffer::Buffer,
    crossterm::event::{MouseEvent, MouseEventKind},
    layout::Rect,
};

use super::{
    context::{Context, Step, Target, Then},
    keys::Key,
    shared::{Here, Shared},
};
use crate::results::Extract;

/// What a key is for; the help is grouped by it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Group {
    Moving,
    Sieve,
    Time,
    Closer,
    Following,
    Saving,
    Program,
}

impl Group {
    pub(crate) const ALL: [Self; 7] = [
        Self::Moving,
        Self::Sieve,
        Self::Time,
        Self::Closer,
        Self::Following,
        Self::Saving,
        Self::Program,
    ];

    pub(crate) fn title(self) -> &'static str {
        match self {
            Self::Moving => "moving",
            Self::Sieve => "the sieve",
            Self::Time => "time",
            Self::Closer => "looking closer",
            Self::Following => "following",
            Self::Saving => "saving and sharing",
            Self::Program => "the program",
        }
    }
}

/// Keys, what they do, and how that is said in the help, the footer and the prompt for actions. `T` is the screen
/// that they act on, `R` its regions.
pub(crate) struct Binding<T: 'static, R: 'static = ()> {
    pub(crate) keys: &'static [Key],
    /// The keys as they are written.
    pub(crate) shown: &'static str,
    pub(crate) group: Group,
    /// What they do.
    pub(crate) help: &'static str,
    /// A word for the footer, if they stand there.
    pub(crate) footer: Option<&'static str>,
    /// Where in the screen they mean this; empty: everywhere.
    pub(crate) regions: &'static [R],
    /// They stand first in the footer: they are what this region is for.
    pub(crate) leads: bool,
    pub(crate) run: fn(&mut T, &mut Context),
}

impl<T: 'static, R: 'static> Binding<T, R> {
    pub(crate) const fn new(
        group: Group,
        keys: &'static [Key],
        shown: &'static str,
        help: &'static str,
        run: fn(&mut T, &mut Context),
    ) -> Self {
        Self { keys, shown, group, help, footer: None, regions: &[], leads: false, run }
    }

    /// The same with a word in the footer.
    pub(crate) const fn footer(mut self, word: &'static str) -> Self {
        self.footer = Some(word);
        self
    }

    /// The same in some regions only.
    pub(crate) const fn within(mut self, regions: &'static [R]) -> Self {
        self.regions = regions;
        self.leads = regions.len() == 1;
        self
    }

    /// The same, first in the footer.
    pub(crate) const fn leading(mut self) -> Self {
        self.leads = true;
        self
    }
}

/// What a screen is and does. What it leaves out is done as for a screen that only shows something.
pub(crate) trait Screen: Sized + 'static {
    /// Parts of the screen in which keys mean different things.
    type Region: Copy + Eq + Debug + 'static;
    /// Its name, in its heading, in the help and in the prompt for actions.
    const NAME: &'static str;
    /// What it shows, in a line of the help.
    const ABOUT: &'static str;
    /// The keys of the sieve act here: what it shows is the pan.
    const SIFTS: bool = false;
    /// The cursor keys act here.
    const MOVES: bool = true;
    /// Other screens can be opened from here by their keys.
    const OPENS: bool = false;
    /// What it shows can be written elsewhere.
    const EXTRACTS: bool = false;

    fn keys() -> &'static [Binding<Self, Self::Region>];

    fn region(&self) -> Self::Region;

    /// Draws it. Reads the state and nothing else.
    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer);

    /// Gets ready to be drawn in an area; asks for what it must look up first.
    fn prepare(&mut self, _area: Rect, _cx: &mut Context) {}

    /// The entries that it is going to show.
    fn wanted(&self) -> Vec<EntryId> {
        Vec::new()
    }

    /// There is a new snapshot.
    fn refreshed(&mut self, _cx: &mut Context) {}

    /// The cursor is to move.
    fn step(&mut self, _step: Step, _cx: &mut Context) {}

    /// Leaves what was begun within the screen; `false` when there is nothing to leave.
    fn back(&mut self, _cx: &mut Context) -> bool {
        false
    }

    /// Takes the mouse; the wheel moves the cursor.
    fn mouse(&mut self, event: MouseEvent, cx: &mut Context) {
        match event.kind {
            MouseEventKind::ScrollUp => Screen::step(self, Step::Rows(-3), cx),
            MouseEventKind::ScrollDown => Screen::step(self, Step::Rows(3), cx),
            _ => {}
        }
    }

    /// Puts the cursor on an entry or a time.
    fn go_to(&mut self, _target: Target, _cx: &mut Context) {}

    fn here(&self, _shared: &Shared) -> Here {
        Here::default()
    }

    /// What it shows, to be written elsewhere.
    fn extract(&self, _shared: &Shared) -> Option<Arc<dyn Extract>> {
        None
    }

    /// What stands in the right corner of the footer.
    fn corner(&self, _shared: &Shared) -> String {
        String::new()
    }

    /// Everything is read again: identities of entries are no longer valid.
    fn read_again(&mut self) {}

    /// It is being closed.
    fn closed(&mut self, _cx: &mut Context) {}
}

/// An action of a screen of whatever type, for the help, the footer and the prompt for actions.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Action {
    pub(crate) keys: &'static [Key],
    pub(crate) shown: &'static str,
    pub(crate) group: Group,
    pub(crate) help: &'static str,
    pub(crate) footer: Option<&'static str>,
    /// Its keys act in the region that has the focus.
    pub(crate) here: bool,
    /// They stand first in the footer.
    pub(crate) leads: bool,
}

impl Action {
    /// An action that is no screen's own: the application knows what it does.
    pub(crate) const fn new(
        group: Group,
        keys: &'static [Key],
        shown: &'static str,
        help: &'static str,
        footer: Option<&'static str>,
    ) -> Self {
        Self { keys, shown, group, help, footer, here: true, leads: false }
    }

    pub(crate) fn of<T, R>(binding: &'static Binding<T, R>, here: bool) -> Self {
        Self {
            keys: binding.keys,
            shown: binding.shown,
            group: binding.group,
            help: binding.help,
            footer: binding.footer,
            here,
            leads: binding.leads,
        }
    }
}

/// The actions of a screen, in no region.
pub(crate) fn actions_of<S: Screen>() -> Vec<Action> {
    S::keys().iter().map(|binding| Action::of(binding, true)).collect()
}

/// A screen of whatever type.
pub(crate) trait AnyScreen {
    fn name(&self) -> &'static str;
    fn sifts(&self) -> bool;
    fn moves(&self) -> bool;
    fn opens(&self) -> bool;
    fn extracts(&self) -> bool;
    fn actions(&self) -> Vec<Action>;
    /// Does what the action of this number does.
    fn run(&mut self, number: usize, cx: &mut Context);
    fn answered(&mut self, then: Then, cx: &mut Context);
    fn as_any(&mut self) -> &mut dyn Any;
    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer);
    fn prepare(&mut self, area: Rect, cx: &mut Context);
    fn wanted(&self) -> Vec<EntryId>;
    fn refreshed(&mut self, cx: &mut Context);
    fn step(&mut self, step: Step, cx: &mut Context);
    fn back(&mut self, cx: &mut Context) -> bool;
    fn mouse(&mut self, event: MouseEvent, cx: &mut Context);
    fn go_to(&mut self, target: Target, cx: &mut Context);
    fn here(&self, shared: &Shared) -> Here;
    fn extract(&self, shared: &Shared) -> Option<Arc<dyn Extract>>;
    fn corner(&self, shared: &Shared) -> String;
    fn read_again(&mut self);
    fn closed(&mut self, cx: &mut Context);
}

impl<S: Screen> AnyScreen for S {
    fn name(&self) -> &'static str {
        S::NAME
    }

    fn sifts(&self) -> bool {
        S::SIFTS
    }

    fn moves(&self) -> bool {
        S::MOVES
    }

    fn opens(&self) -> bool {
        S::OPENS
    }

    fn extracts(&self) -> bool {
        S::EXTRACTS
    }

    fn actions(&self) -> Vec<Action> {
        let region = self.region();
        let here = |binding: &Binding<S, S::Region>| {
            binding.regions.is_empty() || binding.regions.contains(&region)
        };
        S::keys().iter().map(|binding| Action::of(binding, here(binding))).collect()
    }

    fn run(&mut self, number: usize, cx: &mut Context) {
        if let Some(binding) = S::keys().get(number) {
            (binding.run)(self, cx);
        }
    }

    fn answered(&mut self, then: Then, cx: &mut Context) {
        then(self, cx);
    }

    fn as_any(&mut self) -> &mut dyn Any {
        self
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        Screen::view(self, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        Screen::prepare(self, area, cx);
    }

    fn wanted(&self) -> Vec<EntryId> {
        Screen::wanted(self)
    }

    fn refreshed(&mut self, cx: &mut Context) {
        Screen::refreshed(self, cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        Screen::step(self, step, cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        Screen::back(self, cx)
    }

    fn mouse(&mut self, event: MouseEvent, cx: &mut Context) {
        Screen::mouse(self, event, cx);
    }

    fn go_to(&mut self, target: Target, cx: &mut Context) {
        Screen::go_to(self, target, cx);
    }

    fn here(&self, shared: &Shared) -> Here {
        Screen::here(self, shared)
    }

    fn extract(&self, shared: &Shared) -> Option<Arc<dyn Extract>> {
        Screen::extract(self, shared)
    }

    fn corner(&self, shared: &Shared) -> String {
        Screen::corner(self, shared)
    }

    fn read_again(&mut self) {
        Screen::read_again(self);
    }

    fn closed(&mut self, cx: &mut Context) {
        Screen::closed(self, cx);
    }
}

/// A screen that was opened, if it could be.
pub(crate) type Opened = Option<Box<dyn AnyScreen>>;

/// What opens a screen: its line in the register.
pub(crate) struct Opening {
    pub(crate) name: &'static str,
    pub(crate) about: &'static str,
    /// The key that opens it from other screens, and how that is said; the first screen has none.
    pub(crate) key: Option<Action>,
    /// Opens it on what the screen on top has under its cursor; says in the message why it can't.
    pub(crate) open: fn(&mut Context) -> Opened,
    /// Its actions, for the help while it is closed.
    pub(crate) actions: fn() -> Vec<Action>,
    /// It can be opened from every screen, not only from those that open others.
    pub(crate) anywhere: bool,
}
