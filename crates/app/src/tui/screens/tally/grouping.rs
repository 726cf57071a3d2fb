//! What is grouped by, and what is measured: proposed, chosen, typed.

use cribrum_core::{
    engine::{Pass, Snapshot, Survey},
    tally::{By, MOST_BY, Measure},
    veil::harmless,
};

use super::state::TallyView;
use crate::tui::context::{Choice, Context, Input, List, Question as Prompt};

impl TallyView {
    /// Lists what entries can be grouped by; `further` adds it to what they are grouped by already.
    pub(super) fn choose_by(&mut self, further: bool, cx: &mut Context) {
        if further && self.question().by.len() >= MOST_BY {
            cx.tell(format!("entries are grouped by {MOST_BY} things at most"));
            return;
        }
        let names = |snapshot: &Snapshot, pass: &Pass| {
            Survey::<cribrum_core::veil::Desk>::names(snapshot, pass)
        };
        cx.look("names", true, names, move |_: &mut Self, cx, names| {
            let fields = names.found.iter().map(|(name, count)| {
                let share = count * 100 / names.looked.max(1);
                (name.as_str().to_owned(), format!("in {share} % of the entries"))
            });
            let own = |names: &'static [&'static str]| {
                names.iter().map(|name| ((*name).to_owned(), about(name).to_owned()))
            };
            // What every entry has comes first: a name that is typed may be a part of others.
            let rows = own(&["level", "logger", "source", "kind", "run"]).chain(fields);
            let rows = rows
                .chain(own(&["layout", "1min", "10min", "1h"]))
                .filter_map(|(name, note)| Some(choice(&name, further)?.note(note)));
            let rows = rows.collect();
            cx.choose(List {
                title: if further { "group further by" } else { "group by" },
                word: "group",
                empty: "no entry has a field",
                rows,
                keys: &[],
                named: Some(if further { further_named } else { named }),
            });
        });
    }

    /// Groups by something.
    fn group_by(&mut self, by: By, further: bool, cx: &mut Context) {
        if !further {
            self.question_mut().by.clear();
        } else if self.question().by.contains(&by) {
            cx.tell(format!("entries are grouped by {} already", harmless(&by.to_string())));
            return;
        }
        self.question_mut().by.push(by);
        self.table.column = 0;
        self.ask_anew(true, cx);
    }

    /// Groups by the next form of values: whole paths, classes of statuses.
    pub(super) fn reshape(&mut self, cx: &mut Context) {
        let before = self.question().by.clone();
        if let Some(last) = self.question_mut().by.last_mut() {
            *last = last.reshaped();
        }
        if self.question().by == before {
            cx.tell("these values have no other form: paths, statuses and user agents do");
            return;
        }
        self.ask_anew(false, cx);
    }

    /// Asks what is to be measured.
    pub(super) fn ask_measure(&mut self, cx: &mut Context) {
        let question = Prompt::of(
            "measure",
            "took, bytes, took after \"completed in\"; nothing for counts alone",
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                let of = match text.trim() {
                    "" => None,
                    text => Some(Measure::parse(text).map_err(|wrong| (0, wrong))?),
                };
                view.question_mut().of = of;
                view.ask_anew(false, cx);
                Ok(())
            },
        );
        let now = self.question().of.as_ref().map(ToString::to_string).unwrap_or_default();
        cx.ask(question, &now);
    }

    /// Asks of which field different values are to be counted.
    pub(super) fn ask_different(&mut self, cx: &mut Context) {
        let question = Prompt::of(
            "count different",
            "a field, such as user; nothing for none",
            Input::Text { optional: true },
            |view: &mut Self, cx, text| {
                let text = text.trim();
                view.question_mut().different = (!text.is_empty()).then(|| text.to_owned());
                view.ask_anew(false, cx);
                Ok(())
            },
        );
        let now = self.question().different.clone().unwrap_or_default();
        cx.ask(question, &now);
    }
}

/// What something that is no field is.
fn about(name: &str) -> &'static str {
    match name {
        "kind" => "messages without their variable parts",
        "run" => "lives of a program",
        "1min" | "10min" | "1h" => "slices of time",
        _ => "",
    }
}

fn choice(name: &str, further: bool) -> Option<Choice> {
    let by = By::parse(name).ok()?;
    // A field's name is text of a log.
    Some(Choice::of(harmless(name), move |view: &mut TallyView, cx| {
        view.group_by(by.clone(), further, cx);
    }))
}

/// What is offered for a name that is typed.
fn named(name: &str) -> Vec<Choice> {
    choice(name, false).into_iter().collect()
}

fn further_named(name: &str) -> Vec<Choice> {
    choice(name, true).into_iter().collect()
}
