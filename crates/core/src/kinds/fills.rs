//! What stands in the holes of a kind, and how often.

use std::{collections::HashMap, io, marker::PhantomData};

use regex::Regex;

use super::Kinds;
use crate::{
    engine::{
        Of, Pass, Snapshot,
        pass::{self, Entries, Fold},
    },
    entry::Entry,
    query::Predicate,
    veil::{Audience, Text, Veiled},
};

/// Different values of a hole that are counted.
const DIFFERENT: usize = 20_000;
/// Bytes of a value.
const LONGEST: usize = 200;

/// What stands in a hole.
#[derive(Clone, Debug)]
pub struct Fill<A: Audience> {
    /// The hole, with what is written around it: `{number}`, `seats={number}`.
    pub hole: Text<'static, A>,
    /// The values and how often each occurs, the most frequent first.
    pub values: Vec<(Text<'static, A>, u64)>,
    /// There are more than were counted.
    pub more: bool,
}

/// What stands in the holes of a kind.
#[derive(Clone, Debug)]
pub struct Fills<A: Audience> {
    /// The holes from left to right.
    pub holes: Vec<Fill<A>>,
    /// Entries of the kind.
    pub entries: usize,
    /// Entries that could not be read.
    pub unread: usize,
}

impl<A: Audience> Kinds<A> {
    /// What stands in the holes of one of the kinds. `None` when the pass was ended, or there is no such kind. Cost: the bytes
    /// of the entries are searched for its words, and its own entries are read.
    #[must_use]
    pub fn fills(
        &self,
        number: usize,
        snapshot: &Snapshot,
        of: Of<'_>,
        pass: &Pass,
    ) -> Option<Fills<A>> {
        let kind = &self.kinds.get(number)?.text;
        let text = kind.as_str();
        let filling = Filling::<A> {
            predicate: Predicate::new(self.condition(number)?),
            template: Template::of(text)?,
            audience: PhantomData,
        };
        let measured = pass::run(snapshot, &of.selection(snapshot), &filling, pass)?;
        let (found, entries) = measured.part;
        let mut found: Vec<Found<A>> = found;
        found.resize_with(filling.template.holes.len(), Found::default);
        let holes = filling.template.holes.iter().zip(found).map(|(hole, found)| {
            let mut values: Vec<(Text<'static, A>, u64)> = found.values.into_values().collect();
            values.sort_by(|one, other| (other.1, &one.0).cmp(&(one.1, &other.0)));
            Fill { hole: kind.made_into(hole.clone()), values, more: found.more }
        });
        Some(Fills { holes: holes.collect(), entries, unread: measured.unread })
    }
}

struct Filling<A> {
    predicate: Predicate,
    template: Template,
    audience: PhantomData<A>,
}

struct Found<A: Audience> {
    values: HashMap<Box<str>, (Text<'static, A>, u64)>,
    more: bool,
}

impl<A: Audience> Default for Found<A> {
    fn default() -> Self {
        Self { values: HashMap::new(), more: false }
    }
}

impl<A: Audience> Found<A> {
    fn add(&mut self, text: Text<'static, A>, count: u64) {
        if let Some((_, known)) = self.values.get_mut(text.as_str()) {
            *known += count;
        } else if self.values.len() < DIFFERENT {
            self.values.insert(text.as_str().into(), (text, count));
        } else {
            self.more = true;
        }
    }
}

impl<A: Audience> Fold for Filling<A> {
    type Part = (Vec<Found<A>>, usize);

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        part.0.resize_with(self.template.holes.len(), Found::default);
        entries.each_passing::<A>(&self.predicate, &mut |entry, veiled| {
            part.1 += 1;
            self.template.read(entry, veiled, &mut |hole, value| part.0[hole].add(value, 1));
        })
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        whole.0.resize_with(self.template.holes.len(), Found::default);
        for (mine, theirs) in whole.0.iter_mut().zip(part.0) {
            theirs.values.into_values().for_each(|(text, count)| mine.add(text, count));
            mine.more |= theirs.more;
        }
        whole.1 += part.1;
    }
}

/// A kind as a pattern of the messages that it was made of.
struct Template {
    pattern: Regex,
    holes: Vec<String>,
}

impl Template {
    fn of(kind: &str) -> Option<Self> {
        let mut pattern = String::from(r"^\s*");
        let mut holes = Vec::new();
        let words: Vec<&str> = kind.split(' ').collect();
        for (at, word) in words.iter().enumerate() {
            if at > 0 {
                pattern.push_str(r"\s+");
            }
            let (mut rest, from) = (*word, pattern.len());
            while let Some((before, hole)) = rest.split_once('{') {
                let Some((name, after)) = hole.split_once('}') else { break };
                pattern.push_str(&regex::escape(before));
                // Quotes and lists reach over blanks, and so does a time behind its date.
                let blank = matches!(
                    name,
                    "text" | "data" | "time" | "duration" | "size" | "value" | "hidden"
                ) || after == ",…";
                let one = if blank { "(.*?)" } else { r"(\S*?)" };
                pattern.push_str(
                    if name.starts_with(char::is_uppercase) || name.starts_with(['@', '$']) {
                        "(.*?)"
                    } else {
                        one
                    },
                );
                holes.push((*word).to_owned());
                rest = if after == ",…" { "" } else { after };
            }
            if rest == "…" {
                pattern.truncate(from);
                pattern.push_str(r".*");
            } else {
                pattern.push_str(&regex::escape(rest));
            }
        }
        // The parameters of a path, and pairs at the end, are no part of a kind.
        pattern.push_str(r"(?:\?\S*)?(?:\s+[^\s=]+=.*)?\s*$");
        Some(Self { pattern: Regex::new(&pattern).ok()?, holes })
    }

    /// What stands in the holes of an entry's message, or of its method and path.
    fn read<A: Audience>(
        &self,
        entry: &Entry<'_>,
        veiled: &Veiled<'_, '_, A>,
        hand: &mut dyn FnMut(usize, Text<'static, A>),
    ) {
        let field = |name: &str| entry.fields.iter().find(|field| field.name == name)?.value.text();
        let request = match (field("method"), field("path")) {
            (Some(method), Some(path)) => Some(veiled.text(format!("{method} {path}").into())),
            _ => None,
        };
        let texts = [Some(veiled.message()), request, veiled.body()];
        for text in texts.into_iter().flatten() {
            let line = text.as_str().trim_start().lines().next().unwrap_or_default();
            let Some(found) = self.pattern.captures(line) else { continue };
            for (hole, value) in found.iter().skip(1).enumerate() {
                let value = value.map_or("", |value| value.as_str());
                let end =
                    (0..=LONGEST.min(value.len())).rev().find(|at| value.is_char_boundary(*at));
                let short = value.get(..end.unwrap_or(0)).unwrap_or_default();
                let cut = if short.len() < value.len() { "…" } else { "" };
                hand(hole, text.made_into(format!("{short}{cut}")));
            }
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_stand_in_the_holes_of_a_kind() {
        for (kind, text, want) in [
            (
                "hold h-{number} placed, {number} seats",
                "hold h-5512 placed,  2 seats",
                vec!["5512", "2"],
            ),
            ("GET /crossings/{n}/seats", "GET /crossings/112/seats?x=1", vec!["112"]),
            (
                "no seat for {text} on {word}",
                "no seat for \"A. Fennimore\" on pier",
                vec!["\"A. Fennimore\"", "pier"],
            ),
            ("ids {number},… are gone", "ids 1, 2, 3 are gone", vec!["1, 2, 3"]),
            ("since {time} up", "since 2026-03-14 06:41:02 up", vec!["2026-03-14 06:41:02"]),
            ("card {hidden} refused", "card «card·4e» refused", vec!["«card·4e»"]),
            ("seat {Seat} held", "seat 12 b held", vec!["12 b"]),
            ("wrote {number} of …", "wrote 7 of many words", vec!["7"]),
        ] {
            let template = Template::of(kind).unwrap();
            let found = template.pattern.captures(text).unwrap_or_else(|| panic!("{kind}"));
            let found: Vec<&str> =
                found.iter().skip(1).map(|value| value.unwrap().as_str()).collect();
            assert_eq!(found, want, "{kind}");
            assert_eq!(template.holes.len(), want.len());
        }
    }
}
