//! Completion in the prompts for conditions: names of fields, values with their counts, operators, units.

use cribrum_core::{
    engine::{Lens, Survey},
    query::{self, Expr, Hole, Literal, Path, Slot},
};

use super::{
    jobs::Job,
    prompt::{Prompt, Purpose},
    state::{App, Effect},
};

/// What a prompt asks to know about the entries.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Asked {
    Names,
    Values(Path),
}

/// What can be typed next.
#[derive(Clone, Debug, Default)]
pub(crate) struct Completion {
    /// The byte of the text that the candidates take the place of what stands from.
    pub(crate) from: usize,
    pub(crate) items: Vec<Item>,
    /// The one that stands in the text now.
    pub(crate) chosen: Option<usize>,
    /// Entries that the counts are of, where that is not all.
    pub(crate) sample: Option<(usize, usize)>,
}

/// A candidate.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Item {
    pub(crate) text: String,
    pub(crate) note: String,
    pub(crate) count: Option<usize>,
}

/// Candidates that are offered at most.
const MOST: usize = 60;
/// The parts that every entry has, and what they are.
const PARTS: [(&str, &str); 9] = [
    ("level", "trace … fatal"),
    ("time", "06:38, -15min"),
    ("message", "the text"),
    ("logger", "who wrote it"),
    ("source", "the file or stream"),
    ("layout", "how it was read"),
    ("line", "its number"),
    ("id", "any id"),
    ("took", "a duration"),
];
const OPERATORS: [(&str, &str); 10] = [
    ("=", "is"),
    ("!=", "is not, or is not there"),
    (">=", "at least"),
    ("<=", "at most"),
    (">", "more"),
    ("<", "less"),
    ("~", "matches a pattern"),
    ("!~", "does not match"),
    ("in (", "one of"),
    ("not in (", "none of"),
];

impl App {
    /// Works out what can be typed next; asks for what must be looked up first.
    pub(super) fn complete(&mut self) -> Vec<Effect> {
        let Some(prompt) = &self.prompt else { return Vec::new() };
        if !matches!(prompt.purpose, Purpose::Sift | Purpose::Edit(_) | Purpose::Watch) {
            return Vec::new();
        }
        // While the person goes through the candidates, they stay.
        if prompt.completion.chosen.is_some() {
            return Vec::new();
        }
        let hole = query::hole(&prompt.parts().0);
        let asked = match &hole.slot {
            Slot::Field => Some(Asked::Names),
            Slot::Value(path) => Some(Asked::Values(path.clone())),
            _ => None,
        };
        let mut effects = Vec::new();
        if let Some(asked) = &asked
            && !self.surveys.contains_key(asked)
        {
            self.surveys.insert(asked.clone(), None);
            effects.push(Effect::Look(Job::Survey(asked.clone())));
        }
        let survey = asked.and_then(|asked| self.surveys.get(&asked)).and_then(Option::as_ref);
        let mut items = candidates(&hole, survey, &self.marks_by_name());
        items.retain(|item| item.text != hole.typed);
        items.truncate(MOST);
        let sample = survey.filter(|survey| !survey.is_whole()).map(|s| (s.looked, s.of));
        if let Some(prompt) = &mut self.prompt {
            prompt.completion = Completion { from: hole.from, items, chosen: None, sample };
        }
        effects
    }

    fn marks_by_name(&self) -> Vec<String> {
        self.marks.iter().map(|mark| mark.name.clone()).collect()
    }

    /// Puts the next candidate into the text, or the one before.
    pub(super) fn next_candidate(&mut self, forwards: bool) -> Vec<Effect> {
        let Some(prompt) = &mut self.prompt else { return Vec::new() };
        prompt.take_candidate(forwards);
        self.typed()
    }

    /// What a prompt without a match may have meant: a field of this name is nowhere.
    pub(crate) fn hint(&self) -> Option<String> {
        let prompt = self.prompt.as_ref()?;
        let none = self.snapshot.lens(Lens::Sift).is_some_and(|lens| lens.done && lens.count == 0);
        let expr = Expr::parse(&prompt.text(), &self.context()).ok().filter(|_| none)?;
        let names = self.surveys.get(&Asked::Names)?.as_ref()?;
        let mut told = None;
        expr.leaves(&mut |leaf| {
            let Some(Path::Field(name)) = leaf.path() else { return };
            let known = |text: &str| text == name || text.starts_with(&format!("{name}."));
            if names.found.iter().any(|(text, _)| known(text.as_str())) {
                return;
            }
            let own = PARTS.iter().map(|(part, _)| *part);
            let near =
                query::nearest(name, names.found.iter().map(|(text, _)| text.as_str()).chain(own));
            told = Some(match near {
                Some(near) => format!("no entry seen has `{name}`; did you mean {near}?"),
                None => format!("no entry seen has `{name}`"),
            });
        });
        told.map(|text| self.snapshot.own_text(&text).for_terminal().into_owned())
    }
}

fn candidates(hole: &Hole, survey: Option<&Survey>, marks: &[String]) -> Vec<Item> {
    let plain = |(text, note): &(&str, &str)| Item {
        text: (*text).to_owned(),
        note: (*note).to_owned(),
        count: None,
    };
    let found = || survey.into_iter().flat_map(|survey| &survey.found);
    let mut items: Vec<Item> = match &hole.slot {
        Slot::Field => {
            let parts = PARTS.iter().map(plain);
            let fields = found().map(|(name, count)| Item {
                text: super::columns::path_of(name.as_str()).to_string(),
                note: String::new(),
                count: Some(*count),
            });
            let words = [("not", "turns the condition round"), ("has", "the field is there")];
            match hole.typed.is_empty() {
                // The fields say more of this log than the parts that every log has.
                true => fields.chain(parts).chain(words.iter().map(plain)).collect(),
                false => parts.chain(fields).chain(words.iter().map(plain)).collect(),
            }
        }
        Slot::Operator(_) => OPERATORS.iter().map(plain).collect(),
        Slot::Joint => {
            [("and", "both must hold"), ("or", "one must hold")].iter().map(plain).collect()
        }
        Slot::Unit(_) => {
            let digits = hole.typed.trim_end_matches(char::is_alphabetic);
            let unit = |(unit, note): &(&str, &str)| Item {
                text: format!("{digits}{unit}"),
                note: (*note).to_owned(),
                count: None,
            };
            let units = [
                ("ms", "milliseconds"),
                ("s", "seconds"),
                ("us", "microseconds"),
                ("min", "minutes"),
            ];
            units.iter().map(unit).collect()
        }
        Slot::Value(Path::Time) => {
            let marks = marks.iter().map(|name| Item {
                text: format!("mark \"{name}\""),
                note: "a mark".into(),
                count: None,
            });
            let times = [("-15min", "before the end"), ("-1h", "before the end")];
            marks.chain(times.iter().map(plain)).collect()
        }
        Slot::Value(_) => found()
            .map(|(value, count)| Item {
                text: Literal::new(value.as_str()).to_string(),
                note: String::new(),
                count: Some(*count),
            })
            .collect(),
    };
    let typed = hole.typed.to_lowercase();
    let bare = |item: &Item| item.text.trim_start_matches('"').to_lowercase();
    items.retain(|item| bare(item).contains(&typed));
    // What begins as typed stands first; the order is kept otherwise.
    items.sort_by_key(|item| !bare(item).starts_with(&typed));
    items
}

impl Prompt {
    fn take_candidate(&mut self, forwards: bool) {
        let completion = &mut self.completion;
        let last = completion.items.len().checked_sub(1);
        let Some(last) = last else { return };
        let next = match (completion.chosen, forwards) {
            (None, true) => 0,
            (None, false) => last,
            (Some(at), true) => {
                if at == last {
                    0
                } else {
                    at + 1
                }
            }
            (Some(at), false) => at.checked_sub(1).unwrap_or(last),
        };
        completion.chosen = Some(next);
        let (from, text) = (completion.from, completion.items[next].text.clone());
        self.replace_from(from, &text);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn candidates_fit_what_is_typed() {
        let texts = |text: &str| -> Vec<String> {
            let marks = ["second try".to_owned()];
            let hole = query::hole(text);
            candidates(&hole, None, &marks).into_iter().map(|item| item.text).take(3).collect()
        };
        assert_eq!(texts("l"), ["level", "logger", "layout"]);
        assert_eq!(texts("ev"), ["level"]);
        assert_eq!(texts("status "), ["=", "!=", ">="]);
        assert_eq!(texts("took > 250"), ["250ms", "250s", "250us"]);
        assert_eq!(texts("took > 250m"), ["250ms", "250min"]);
        assert_eq!(texts("time > "), ["mark \"second try\"", "-15min", "-1h"]);
        assert_eq!(texts("a = b "), ["and", "or"]);
    }
}
