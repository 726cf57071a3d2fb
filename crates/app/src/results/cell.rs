//! What stands in a cell of a table, and how it is written for people and for programs.

use std::{borrow::Cow, collections::HashMap};

use cribrum_core::{
    engine::Snapshot,
    entry::Level,
    export::time_text,
    query::Path,
    tally::{By, Key, Shape, Sketch, Unit},
    veil::{Audience, CleanField, CleanValue, Text},
};
use serde_json::{Value, json};

use crate::{
    present::{
        Clock, bar_text, count_text, curve_text, histogram_text, key_text, share, share_text,
        span_text, value_text,
    },
    settings::NamedKind,
};

/// What cells are read with: names of sources, the zone, names that a person gave to kinds.
#[derive(Clone, Copy)]
pub(crate) struct Reader<'a> {
    pub(crate) snapshot: &'a Snapshot,
    pub(crate) clock: &'a Clock,
    named: &'a [NamedKind],
    /// The entries are of more than one day.
    days: bool,
}

impl<'a> Reader<'a> {
    pub(crate) fn new(snapshot: &'a Snapshot, clock: &'a Clock) -> Self {
        let days = snapshot.span().is_none_or(|(first, last)| clock.days_differ(first, last));
        Self { snapshot, clock, named: &[], days }
    }

    /// The same with names of kinds.
    pub(crate) fn with_names(self, named: &'a [NamedKind]) -> Self {
        Self { named, ..self }
    }

    pub(crate) fn moment(&self, time: i64) -> String {
        self.clock.moment(time, self.days)
    }

    /// The words of a kind, behind the name that a person gave to it.
    pub(crate) fn kind<'t, A: Audience>(&self, words: &'t Text<'static, A>) -> Cow<'t, str> {
        let given = self.named.iter().find(|named| named.words == words.as_str());
        match given {
            Some(given) => {
                let name = self.snapshot.own_text_for::<A>(&given.name);
                Cow::Owned(format!("{} · {}", name.for_terminal(), words.for_terminal()))
            }
            None => words.for_terminal(),
        }
    }
}

/// What stands in a cell. Text of a log is there as the veil gave it to an audience.
pub(crate) enum Cell<'r, A: Audience> {
    /// Nothing: there is no such value.
    None,
    /// A word of the program's own.
    Word(Cow<'r, str>),
    /// Text that was put together from text under the veil.
    Said(String),
    Text(&'r Text<'static, A>),
    Id(&'r Text<'static, A>),
    /// A text with further lines.
    Lines(&'r Text<'static, A>, &'r Text<'static, A>),
    /// The value of a field that is no text.
    Value(&'r CleanValue<A>),
    /// Fields as one object.
    Fields(&'r [CleanField<A>]),
    /// All ids of an entry, by their kinds.
    Ids(&'r [(&'static str, Text<'static, A>)]),
    /// The words of a kind.
    Kind(&'r Text<'static, A>),
    /// Several texts; `true` says that there are more.
    Texts(&'r [Text<'static, A>], bool),
    /// Several cells, each behind a name.
    Many(Vec<(&'r str, Self)>),
    /// What a group has in common.
    Key(&'r Key<A>, &'r By),
    Count(u64),
    /// A part of a whole.
    Share(u64, u64),
    /// A figure in the unit that its column is measured in.
    Figure(f64, Unit),
    /// A figure of which people need no more than the whole number.
    Score(f64),
    /// Nanoseconds UTC.
    Time(i64),
    /// Nanoseconds.
    Span(i64),
    Seconds(f64),
    Level(Level),
    Status(u16),
    /// A share as a bar; for people only, as are the others that follow.
    Bar(u64, u64),
    Histogram(&'r Sketch, (f64, f64)),
    /// Counts over time, in the colour of a level.
    Curve(&'r [u32], Option<Level>),
}

impl<A: Audience> Cell<'_, A> {
    /// The cell of a value, where there is one.
    pub(crate) fn of<T>(value: Option<T>, cell: impl FnOnce(T) -> Self) -> Self {
        value.map_or(Self::None, cell)
    }

    /// As people read it, harmless to a terminal. Pictures are `room` cells wide.
    pub(crate) fn for_people(&self, reader: &Reader<'_>, room: usize) -> String {
        match self {
            Self::None => "–".to_owned(),
            Self::Word(word) => word.clone().into_owned(),
            Self::Said(text) => text.clone(),
            Self::Text(text) | Self::Id(text) => text.for_terminal().into_owned(),
            Self::Lines(first, rest) => {
                format!("{}\n{}", first.for_terminal(), rest.for_terminal())
            }
            Self::Value(_) | Self::Fields(_) | Self::Ids(_) => {
                plain(self.for_programs(reader, true))
            }
            Self::Kind(words) => reader.kind(words).into_owned(),
            Self::Texts(texts, more) => match texts {
                [] => "–".to_owned(),
                [one] if !more => one.for_terminal().into_owned(),
                [first, rest @ ..] => {
                    let more = if *more { "+" } else { "" };
                    format!("{} +{}{more}", first.for_terminal(), rest.len())
                }
            },
            Self::Many(cells) => {
                let each = cells.iter().map(|(name, cell)| {
                    let joint = if name.is_empty() { "" } else { "=" };
                    format!("{name}{joint}{}", cell.for_people(reader, room))
                });
                each.collect::<Vec<_>>().join(", ")
            }
            Self::Key(key, by) => {
                key_text(key, by, &reader.snapshot.sources, reader.clock).into_owned()
            }
            Self::Count(count) => number(*count),
            Self::Share(part, of) => share_text(*part, *of),
            Self::Figure(value, unit) => value_text(*value, *unit),
            Self::Score(score) => value_text(score.round(), Unit::Number),
            Self::Time(time) => reader.moment(*time),
            Self::Span(nanos) => span_text(*nanos),
            Self::Seconds(seconds) => value_text(*seconds, Unit::Seconds),
            Self::Level(level) => level.name().to_owned(),
            Self::Status(status) => status.to_string(),
            Self::Bar(part, of) => bar_text(share(*part, *of), room),
            Self::Histogram(values, bounds) => histogram_text(values, *bounds, room),
            Self::Curve(counts, _) => curve_text(counts, room),
        }
    }

    /// As programs read it: times as RFC 3339, durations in seconds, shares of 1. For a terminal it has nothing that a
    /// terminal would obey.
    pub(crate) fn for_programs(&self, reader: &Reader<'_>, terminal: bool) -> Value {
        let text = |text: &Text<'static, A>| match terminal {
            true => text.for_terminal().into_owned(),
            false => text.as_str().to_owned(),
        };
        match self {
            Self::None | Self::Bar(..) | Self::Histogram(..) | Self::Curve(..) => Value::Null,
            Self::Word(word) => json!(word),
            Self::Said(said) => json!(said),
            Self::Text(said) | Self::Id(said) | Self::Kind(said) => json!(text(said)),
            Self::Lines(first, rest) => json!(format!("{}\n{}", text(first), text(rest))),
            Self::Value(value) => json_of(value, &text),
            Self::Fields(fields) => object_of(fields, &text),
            Self::Ids(ids) => {
                let mut object = serde_json::Map::new();
                for (kind, id) in *ids {
                    let all = object.entry(*kind).or_insert_with(|| json!([]));
                    if let Value::Array(all) = all {
                        all.push(json!(text(id)));
                    }
                }
                // One of a kind is no list.
                for all in object.values_mut() {
                    if let [_] = all.as_array().map_or(&[][..], Vec::as_slice) {
                        *all = all[0].take();
                    }
                }
                Value::Object(object)
            }
            Self::Texts(texts, _) => json!(texts.iter().map(text).collect::<Vec<_>>()),
            Self::Many(cells) => {
                let each = cells.iter().map(|(_, cell)| cell.for_programs(reader, terminal));
                Value::Array(each.collect())
            }
            Self::Key(key, by) => key_value(key, by, reader, &text),
            Self::Count(count) => json!(count),
            Self::Share(part, of) => json!(rounded(share(*part, *of))),
            Self::Figure(value, _) | Self::Score(value) => json!(rounded(*value)),
            Self::Time(time) => {
                // Milliseconds at least: texts of different lengths are not in the order of time.
                let digits = (time % 1_000_000 == 0).then_some(3);
                json!(time_text(*time, digits))
            }
            #[expect(clippy::cast_precision_loss, reason = "seconds with nine digits fit")]
            Self::Span(nanos) => json!(*nanos as f64 / 1e9),
            Self::Seconds(seconds) => json!(rounded(*seconds)),
            Self::Level(level) => json!(level.name()),
            Self::Status(status) => json!(status),
        }
    }
}

/// A value as JSON. Numbers stay as they are written where JSON has such.
fn json_of<A: Audience>(
    value: &CleanValue<A>,
    text: &dyn Fn(&Text<'static, A>) -> String,
) -> Value {
    match value {
        CleanValue::Null => Value::Null,
        CleanValue::Bool(is) => json!(is),
        CleanValue::Number(number) => {
            let number = text(number);
            serde_json::from_str::<serde_json::Number>(&number)
                .map_or_else(|_| json!(number), Value::Number)
        }
        CleanValue::Text(words) => json!(text(words)),
        CleanValue::List(items) => {
            Value::Array(items.iter().map(|item| json_of(&item.value, text)).collect())
        }
        CleanValue::Map(fields) => object_of(fields, text),
    }
}

/// Fields as an object; a name that stands twice has a list of its values.
fn object_of<A: Audience>(
    fields: &[CleanField<A>],
    text: &dyn Fn(&Text<'static, A>) -> String,
) -> Value {
    let mut object = serde_json::Map::new();
    let mut often: HashMap<String, usize> = HashMap::new();
    for field in fields {
        let (name, value) = (text(&field.name), json_of(&field.value, text));
        let seen = often.entry(name.clone()).or_default();
        *seen += 1;
        match (object.get_mut(&name), *seen) {
            (Some(Value::Array(all)), 3..) => all.push(value),
            (Some(first), 2..) => *first = Value::Array(vec![first.take(), value]),
            _ => drop(object.insert(name, value)),
        }
    }
    Value::Object(object)
}

/// A value in a line of text; lists go with blanks between their items, objects as JSON.
pub(super) fn plain(value: Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text,
        Value::Array(items) => items.into_iter().map(plain).collect::<Vec<_>>().join(" "),
        other => other.to_string(),
    }
}

fn number(count: u64) -> String {
    count_text(usize::try_from(count).unwrap_or(usize::MAX))
}

/// What a group has in common, for programs. A status is the number that it is in the log.
fn key_value<A: Audience>(
    key: &Key<A>,
    by: &By,
    reader: &Reader<'_>,
    plain: &dyn Fn(&Text<'static, A>) -> String,
) -> Value {
    match key {
        Key::None => Value::Null,
        Key::Text(text) => {
            let text = plain(text);
            status(by, &text).unwrap_or_else(|| json!(text))
        }
        Key::Cut(text) => json!(plain(text)),
        Key::Source(number) => {
            json!(reader.snapshot.sources.get(*number).map(|source| &source.name))
        }
        Key::Time(time) => json!(time_text(*time, None)),
        Key::Level(level) => json!(level.name()),
        Key::Layout(name) => json!(name),
    }
}

/// A status as a number, where entries are grouped by one.
fn status(by: &By, text: &str) -> Option<Value> {
    let By::Field { path, shape: Shape::Whole } = by else { return None };
    let classed = |path: &Path| matches!(path, Path::Shaped { shape: Shape::Class, .. });
    let number: u16 = text.parse().ok()?;
    (By::shaped(path).any(|path| classed(&path)) && number.to_string() == text)
        .then(|| json!(number))
}

/// A figure without digits that mean nothing: twelve are left.
fn rounded(value: f64) -> f64 {
    format!("{value:.11e}").parse().unwrap_or(value)
}
