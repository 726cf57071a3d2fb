//! Completion in the prompts for conditions: names of fields, values with their counts, operators, units.

use cribrum_core::{
    engine::{Lens, Survey},
    query::{self, Expr, Hole, Literal, Path, Slot},
    tally::{By, Shape},
};
use ratatui::{buffer::Buffer, layout::Rect};

use crate::{
    present::{cells, count_text},
    tui::{
        context::Context,
        shared::{Asked, Shared},
        theme::Role,
        widgets::{clear, put, put_right},
    },
};

/// What can be typed next.
#[derive(Clone, Debug, Default)]
pub(super) struct Completion {
    /// The byte of the text that the candidates take the place of what stands from.
    from: usize,
    items: Vec<Item>,
    /// The one that stands in the text now.
    chosen: Option<usize>,
    /// Entries that the counts are of, where that is not all.
    sample: Option<(usize, usize)>,
}

/// A candidate.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Item {
    text: String,
    note: String,
    count: Option<usize>,
}

/// Candidates that are shown at once.
const SHOWN: usize = 8;
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

impl Completion {
    pub(super) fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// The text was changed by hand: no candidate stands in it.
    pub(super) fn reset(&mut self) {
        self.chosen = None;
    }

    /// Works out what can be typed into a hole of a text; asks for what must be looked up first.
    pub(super) fn update(&mut self, hole: &Hole, cx: &mut Context) {
        // While the person goes through the candidates, they stay.
        if self.chosen.is_some() {
            return;
        }
        let asked = match &hole.slot {
            Slot::Field => Some(Asked::Names),
            Slot::Value(path) => Some(Asked::Values(path.clone())),
            _ => None,
        };
        if let Some(asked) = &asked {
            cx.survey(asked);
        }
        let surveys = &cx.shared.typed.surveys;
        let survey = asked.and_then(|asked| surveys.get(&asked)).and_then(Option::as_ref);
        let marks: Vec<String> = cx.shared.marks.iter().map(|mark| mark.name.clone()).collect();
        let mut items = candidates(hole, survey, &marks);
        items.retain(|item| item.text != hole.typed);
        items.truncate(MOST);
        let sample = survey.filter(|survey| !survey.is_whole()).map(|s| (s.looked, s.of));
        *self = Self { from: hole.from, items, chosen: None, sample };
    }

    /// Goes to the next candidate, or the one before: the text from this byte up to the cursor becomes it.
    pub(super) fn next(&mut self, forwards: bool) -> Option<(usize, String)> {
        let last = self.items.len().checked_sub(1)?;
        let next = match (self.chosen, forwards) {
            (None, true) => 0,
            (Some(at), true) if at == last => 0,
            (Some(at), true) => at + 1,
            (None, false) => last,
            (Some(at), false) => at.checked_sub(1).unwrap_or(last),
        };
        self.chosen = Some(next);
        Some((self.from, self.items[next].text.clone()))
    }

    /// What a condition without a match may have meant: a field of this name is nowhere.
    pub(super) fn hint(&self, expr: &Expr, shared: &Shared) -> Option<String> {
        shared.lens(Lens::Sift).filter(|lens| lens.done && lens.count == 0)?;
        let names = shared.typed.surveys.get(&Asked::Names)?.as_ref()?;
        let mut told = None;
        expr.leaves(&mut |leaf| {
            let Some(Path::Field(name) | Path::Shaped { path: name, .. }) = leaf.path() else {
                return;
            };
            let known = |text: &str| text == name || text.starts_with(&format!("{name}."));
            if names.found.iter().any(|(text, _)| known(text.as_str())) {
                return;
            }
            let own = PARTS.iter().map(|(part, _)| *part);
            let near = query::nearest_field(
                name,
                names.found.iter().map(|(text, _)| text.as_str()).chain(own),
            );
            told = Some(match near {
                Some(near) => format!("no entry seen has `{name}`; did you mean {near}?"),
                None => format!("no entry seen has `{name}`"),
            });
        });
        told.map(|text| shared.own_text(&text))
    }

    /// What can be typed next, above the prompt.
    pub(super) fn view(&self, shared: &Shared, above: Rect, start: u16, buffer: &mut Buffer) {
        let items = &self.items;
        if items.is_empty() {
            return;
        }
        let theme = &shared.theme;
        let shown = items.len().min(SHOWN).min(usize::from(above.y / 3));
        let from = self.chosen.map_or(0, |at| at.saturating_sub(shown.saturating_sub(1)));
        let text = items.iter().map(|item| cells(&item.text)).max().unwrap_or(0).clamp(12, 48);
        let text = u16::try_from(text).unwrap_or(48);
        let notes = items.iter().map(|item| cells(&item.note)).max().unwrap_or(0).clamp(10, 26);
        let width = text + 2 + u16::try_from(notes).unwrap_or(26) + 3;
        let rows = u16::try_from(shown).unwrap_or(0);
        let more = u16::from(items.len() > shown || self.sample.is_some());
        let x = start.min(above.width.saturating_sub(width)).saturating_sub(1);
        let top = above.y.saturating_sub(rows + more);
        clear(theme, Rect::new(x, top, width, rows + more), buffer);
        let band = theme.style(Role::Band);
        buffer.set_style(Rect::new(x, top, width, rows + more), band);
        let ground = band.bg.unwrap_or_default();
        for (at, item) in items.iter().enumerate().skip(from).take(shown) {
            let y = top + u16::try_from(at - from).unwrap_or(0);
            if self.chosen == Some(at) {
                buffer.set_style(Rect::new(x, y, width, 1), theme.style(Role::Selection));
            }
            let style = match self.chosen == Some(at) {
                true => theme.style(Role::Accent),
                false => theme.style(Role::Text).bg(ground),
            };
            put(buffer, x + 1, y, text, &shared.own_text(&item.text), style);
            let right = item.count.map_or_else(|| item.note.clone(), count_text);
            let note = if self.chosen == Some(at) { theme.style(Role::Dim) } else { band };
            put_right(buffer, x + width - 1, y, width - text - 2, &right, note);
        }
        if more > 0 {
            let rest = items.len() - shown;
            let told = match (self.sample, rest) {
                (Some((looked, of)), _) => {
                    format!("seen in {} of {}", count_text(looked), count_text(of))
                }
                (None, rest) => format!("{rest} more"),
            };
            put_right(buffer, x + width - 1, above.y - 1, width - 2, &told, band);
        }
    }
}

/// What the values of a field are in a shorter form.
fn note_of(path: &Path) -> &'static str {
    let Path::Shaped { shape, .. } = path else { return "" };
    match shape {
        Shape::Whole => "",
        Shape::Template => "without numbers and ids",
        Shape::Class => "2xx, 4xx, 5xx",
        Shape::Family => "the program",
        Shape::Crawler => "crawler, no crawler",
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
                text: Path::field(name.as_str()).to_string(),
                note: String::new(),
                count: Some(*count),
            });
            let words = [("not", "negates the condition"), ("has", "the field is there")];
            match hole.typed.is_empty() {
                // The fields say more of this log than the parts that every log has.
                true => fields.chain(parts).chain(words.iter().map(plain)).collect(),
                false => {
                    let shaped = found().flat_map(|(name, _)| {
                        By::shaped(name.as_str()).map(|path| Item {
                            text: path.to_string(),
                            note: note_of(&path).to_owned(),
                            count: None,
                        })
                    });
                    let words = words.iter().map(plain);
                    parts.chain(fields).chain(shaped).chain(words).collect()
                }
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
