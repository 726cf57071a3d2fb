//! Every action there is, and what the help says of them.

use super::{
    App,
    offers::{Run, Table, told_once},
};
use crate::tui::{
    overlay::Offer,
    screen::{Action, Group},
    shared::Section,
};

impl App {
    /// Every action there is: those of the screen on top, those of all screens, those of the others.
    pub(super) fn offers(&self) -> Vec<Offer<Run>> {
        let mut offers = Vec::new();
        let Some(open) = self.stack.last() else { return offers };
        let name = open.screen.name();
        let own = open.screen.actions().into_iter().enumerate();
        offers.extend(own.map(|(at, action)| Offer {
            action,
            screen: name,
            here: true,
            run: Run::Own(at),
        }));
        let tables = [
            (Table::Sifting, open.screen.sifts()),
            (Table::Moves, open.screen.moves()),
            (Table::Program, true),
        ];
        for (table, here) in tables {
            for (at, binding) in table.bindings().iter().enumerate() {
                let (action, run) = (Action::of(binding, true), Run::Common(table, at));
                offers.push(Offer { action, screen: "", here, run });
            }
        }
        for (number, opening) in self.register.iter().enumerate() {
            if let Some(action) = opening.key {
                // It says so where there is nothing to extract; in the footer it would only be in the way.
                let useless = opening.name == "extract" && !open.screen.extracts();
                let footer = action.footer.filter(|_| !useless);
                let action = Action { footer, ..action };
                let shown = self.stack.iter().any(|open| open.screen.name() == opening.name);
                let here = (opening.anywhere || open.screen.opens()) && !shown;
                offers.push(Offer { action, screen: "", here, run: Run::Open(number) });
            }
            if opening.name != name {
                let actions = (opening.actions)().into_iter().enumerate();
                offers.extend(actions.map(|(at, action)| Offer {
                    action,
                    screen: opening.name,
                    here: false,
                    run: Run::Elsewhere(number, at),
                }));
            }
        }
        offers
    }

    pub(super) fn run(&mut self, run: Run) {
        match run {
            Run::Own(at) => self.on_top(|screen, cx| screen.run(at, cx)),
            Run::Common(table, at) => {
                // What sifts means the first screen where the one on top does not show the pan.
                let sifts = self.stack.last().is_some_and(|open| open.screen.sifts());
                if table == Table::Sifting && !sifts {
                    self.close_down_to(1);
                }
                if let Some(binding) = table.bindings().get(at) {
                    (binding.run)(&mut (), &mut self.cx);
                }
            }
            Run::Open(number) => {
                self.open(number);
            }
            Run::Elsewhere(0, at) => {
                self.close_down_to(1);
                self.on_top(|screen, cx| screen.run(at, cx));
            }
            Run::Elsewhere(number, at) => {
                let name = self.register[number].name;
                let place = self.stack.iter().position(|open| open.screen.name() == name);
                let open = match place {
                    Some(place) => {
                        self.close_down_to(place + 1);
                        true
                    }
                    None => self.open(number),
                };
                if open {
                    self.on_top(|screen, cx| screen.run(at, cx));
                }
            }
        }
    }

    /// What the help says: the keys of the screen on top grouped by purpose, then those of the other screens.
    pub(super) fn manual(&self) -> Vec<Section> {
        let offers = told_once(self.offers());
        let row = |offer: &Offer<Run>| (offer.action.shown, offer.action.help);
        let mut sections: Vec<Section> = Group::ALL
            .into_iter()
            .map(|group| Section {
                title: group.title(),
                about: "",
                rows: offers
                    .iter()
                    .filter(|o| o.here && o.action.group == group)
                    .map(row)
                    .collect(),
            })
            .collect();
        for opening in self.register {
            let rows = offers.iter().filter(|offer| !offer.here && offer.screen == opening.name);
            sections.push(Section {
                title: opening.name,
                about: opening.about,
                rows: rows.map(row).collect(),
            });
        }
        sections.retain(|section| !section.rows.is_empty());
        sections
    }
}
