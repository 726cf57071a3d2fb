//! How the actions of a screen, of all screens and of the other screens are run.

use crate::tui::{common, overlay::Offer, screen::Binding};

/// How an action is run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Run {
    /// An action of the screen on top, by its number.
    Own(usize),
    /// Keys that mean the same on all screens: of which table, by its number.
    Common(Table, usize),
    /// Another screen is opened.
    Open(usize),
    /// Another screen is opened, and an action of it run.
    Elsewhere(usize, usize),
}

/// The tables of keys that mean the same on all screens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Table {
    Moves,
    Sifting,
    Program,
}

impl Table {
    pub(super) fn bindings(self) -> &'static [Binding<()>] {
        match self {
            Self::Moves => common::MOVES,
            Self::Sifting => common::SIFTING,
            Self::Program => common::PROGRAM,
        }
    }
}

/// Offers that say the same, only once: keys of one kind have a line in the help together.
pub(super) fn told_once(offers: Vec<Offer<Run>>) -> Vec<Offer<Run>> {
    let mut seen: Vec<(&str, &str)> = Vec::new();
    let once = offers.into_iter().filter(|offer| {
        let told = (offer.action.help, offer.screen);
        let new = !seen.contains(&told);
        seen.push(told);
        new
    });
    once.collect()
}
