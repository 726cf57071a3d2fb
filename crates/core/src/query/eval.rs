//! Whether an expression holds for an entry.

use std::cmp::Ordering;

use super::{
    Expr, Literal, Op, Path, Quantity,
    ast::LATEST,
    numbers::{behind, compares},
    quantity, units,
    words::Word,
};
use crate::{
    entry::{
        Entry, Field, Role, Severity, Value, ids,
        kind::{self, Pattern},
        roles, shaped,
    },
    layout::LayoutId,
    veil::{Anyone, Veiled},
};

/// What is known of an entry without reading it.
pub(crate) struct Facts<'f> {
    pub(crate) time: Option<i64>,
    pub(crate) severity: Option<Severity>,
    pub(crate) layout: LayoutId,
    /// The source's name and label.
    pub(crate) source: (&'f str, &'f str),
}

/// An entry with what the index knows of it.
pub(crate) struct Subject<'s, 'a> {
    pub(crate) facts: &'s Facts<'s>,
    pub(crate) entry: &'s Entry<'a>,
    /// The veil over the entry, where the expression has stand-ins to compare with.
    pub(crate) veiled: Option<&'s Veiled<'s, 'a, Anyone>>,
    /// Its bytes hold no other entry.
    pub(crate) alone: bool,
    /// The number of its first physical line.
    pub(crate) line: &'s dyn Fn() -> u64,
}

impl Expr {
    /// What the facts alone say; `None` where the entry must be read.
    pub(crate) fn holds_by_facts(&self, facts: &Facts<'_>) -> Option<bool> {
        match self {
            Self::And(items) => {
                let mut all = Some(true);
                for item in items {
                    match item.holds_by_facts(facts) {
                        Some(false) => return Some(false),
                        None => all = None,
                        Some(true) => {}
                    }
                }
                all
            }
            Self::Or(items) => {
                let mut any = Some(false);
                for item in items {
                    match item.holds_by_facts(facts) {
                        Some(true) => return Some(true),
                        None => any = None,
                        Some(false) => {}
                    }
                }
                any
            }
            Self::Not(inner) => inner.holds_by_facts(facts).map(|held| !held),
            Self::Compare(path, op, value) => {
                by_facts(path, facts, |given| given.compare(*op, value))
            }
            Self::OneOf(path, values) => by_facts(path, facts, |given| {
                values.iter().any(|value| given.compare(Op::Equal, value))
            }),
            Self::Between(path, from, to) => by_facts(path, facts, |given| {
                given.compare(Op::AtLeast, from) && given.compare(Op::AtMost, to)
            }),
            Self::Matches(path, pattern) => by_facts(path, facts, |given| match given {
                Given::Source(names) => pattern.0.is_match(names.0) || pattern.0.is_match(names.1),
                Given::Layout(name) => pattern.0.is_match(name),
                Given::Level(Some(severity)) => pattern.0.is_match(severity.level().name()),
                _ => false,
            }),
            Self::Has(path) => by_facts(path, facts, |given| match given {
                Given::Time(time) => time.is_some(),
                Given::Level(severity) => severity.is_some(),
                Given::Source(_) | Given::Layout(_) => true,
            }),
            Self::Word(_) | Self::Id(_) => None,
        }
    }

    /// Whether the expression holds for the entry.
    pub(crate) fn holds(&self, subject: &Subject<'_, '_>) -> bool {
        if let Some(held) = self.holds_by_facts(subject.facts) {
            return held;
        }
        match self {
            Self::And(items) => items.iter().all(|item| item.holds(subject)),
            Self::Or(items) => items.iter().any(|item| item.holds(subject)),
            Self::Not(inner) => !inner.holds(subject),
            _ if matches!(self.path(), Some(Path::After { .. })) => {
                self.judges_behind(&subject.entry.message)
            }
            _ if self.path() == Some(&Path::Kind) => KindTest::of(self).holds(subject.entry),
            Self::Compare(path, ..)
            | Self::OneOf(path, _)
            | Self::Between(path, ..)
            | Self::Matches(path, _) => {
                subject.any(path, &mut |name, text| self.judges(name, text))
            }
            Self::Has(path) => subject.has(path),
            Self::Word(word) => subject.says(&Word::new(word)),
            Self::Id(id) => {
                subject.entry.ids().iter().any(|(_, value)| value == id)
                    || subject.veiled.is_some_and(|veiled| {
                        veiled.ids().iter().any(|(_, clean)| clean.as_str() == id)
                    })
            }
        }
    }

    /// Whether the expression, which is on the run of an entry, holds for one of this number.
    pub(crate) fn judges_run(&self, number: usize, latest: bool) -> bool {
        let is = |value: &Literal| value.text == LATEST;
        match self {
            Self::Compare(_, Op::Equal, value) if is(value) => latest,
            Self::OneOf(_, values) if latest && values.iter().any(is) => true,
            _ => self.judges("run", &number.to_string()),
        }
    }

    /// Whether the expression, which is on a number behind words, holds for a message.
    fn judges_behind(&self, message: &str) -> bool {
        let Some(Path::After { name, words }) = self.path() else { return false };
        let Some(text) = behind(message, words).filter(|text| !text.is_empty()) else {
            return false;
        };
        match self {
            Self::Compare(_, op, value) => compares(name, text, *op, value),
            Self::OneOf(_, values) => {
                values.iter().any(|value| compares(name, text, Op::Equal, value))
            }
            Self::Between(_, from, to) => {
                compares(name, text, Op::AtLeast, from) && compares(name, text, Op::AtMost, to)
            }
            Self::Matches(_, pattern) => pattern.0.is_match(text),
            _ => true,
        }
    }

    /// Whether the expression, which is on one field, holds for a field of this name and text.
    pub(crate) fn judges(&self, name: &str, text: &str) -> bool {
        let text = match self.path() {
            Some(Path::Shaped { shape, .. }) => &*shaped(*shape, text),
            _ => text,
        };
        match self {
            Self::Compare(_, op, value) => compare(name, text, *op, value),
            Self::OneOf(_, values) => {
                values.iter().any(|value| compare(name, text, Op::Equal, value))
            }
            Self::Between(_, from, to) => {
                compare(name, text, Op::AtLeast, from) && compare(name, text, Op::AtMost, to)
            }
            Self::Matches(_, pattern) => pattern.0.is_match(text),
            _ => true,
        }
    }
}

/// A condition on the kind of an entry.
pub(super) enum KindTest {
    /// It is one of these.
    OneOf(Vec<Pattern>),
    /// Its words are matched.
    Matches(super::Pattern),
    /// There is one.
    There,
}

impl KindTest {
    pub(super) fn of(expr: &Expr) -> Self {
        let pattern = |value: &Literal| Pattern::new(&value.text);
        match expr {
            Expr::Compare(_, _, value) => Self::OneOf(vec![pattern(value)]),
            Expr::OneOf(_, values) => Self::OneOf(values.iter().map(pattern).collect()),
            Expr::Matches(_, pattern) => Self::Matches(pattern.clone()),
            _ => Self::There,
        }
    }

    pub(super) fn holds(&self, entry: &Entry<'_>) -> bool {
        self.judges(&kind::of(entry))
    }

    pub(super) fn judges(&self, kind: &str) -> bool {
        match self {
            _ if kind.is_empty() => false,
            Self::OneOf(patterns) => patterns.iter().any(|pattern| pattern.fits(kind)),
            Self::Matches(pattern) => pattern.0.is_match(kind),
            Self::There => true,
        }
    }
}

enum Given<'f> {
    Time(Option<i64>),
    Level(Option<Severity>),
    Source((&'f str, &'f str)),
    Layout(&'static str),
}

fn by_facts(path: &Path, facts: &Facts<'_>, judge: impl Fn(Given<'_>) -> bool) -> Option<bool> {
    let given = match path {
        Path::Time => Given::Time(facts.time),
        Path::Level => Given::Level(facts.severity),
        Path::Source => Given::Source(facts.source),
        Path::Layout => Given::Layout(facts.layout.name()),
        _ => return None,
    };
    Some(judge(given))
}

impl Given<'_> {
    fn compare(&self, op: Op, value: &Literal) -> bool {
        match self {
            Self::Time(time) => match (time, value.time) {
                (Some(time), Some(want)) => op.holds(time.cmp(&want)),
                _ => false,
            },
            Self::Level(severity) => match (severity, level_of(&value.text)) {
                (Some(severity), Some(want)) => op.holds(severity.level().cmp(&want.level())),
                _ => false,
            },
            Self::Source((name, label)) => {
                op.holds(name.cmp(&value.text.as_str()))
                    || op.holds(label.cmp(&value.text.as_str()))
            }
            Self::Layout(name) => op.holds(name.cmp(&value.text.as_str())),
        }
    }
}

/// A level as typed into an expression.
pub(super) fn level_of(text: &str) -> Option<Severity> {
    Severity::read(text.as_bytes())
}

impl<'s> Subject<'s, '_> {
    /// Whether any value that the path names satisfies `judge`, which gets the field's name and text.
    fn any(&self, path: &Path, judge: &mut dyn FnMut(&str, &str) -> bool) -> bool {
        match path {
            Path::Message => {
                judge("message", &self.entry.message)
                    || self.veiled.is_some_and(|veiled| judge("message", veiled.message().as_str()))
            }
            Path::Logger => self.entry.logger.as_deref().is_some_and(|text| judge("logger", text)),
            Path::Line => judge("line", &(self.line)().to_string()),
            Path::Id => self.entry.ids().iter().any(|(kind, id)| judge(kind, id)),
            Path::Took => {
                let mut held = false;
                self.entry.leaves(&mut |path, field| {
                    let name = path.rsplit('.').next().unwrap_or(path);
                    held |= units::is_duration_name(name) && self.judge(field, judge);
                });
                held
            }
            Path::Field(name) | Path::Literal(name) | Path::Shaped { path: name, .. } => {
                let mut held = false;
                self.fields(name, &mut |field| held |= self.judge(field, judge));
                // What a system's log names before the process id goes by its trade name as well.
                if !held
                    && *path == Path::Field("program".into())
                    && self.facts.layout == LayoutId::SYSLOG
                {
                    held = self.entry.logger.as_deref().is_some_and(|text| judge("program", text));
                }
                if !held && !matches!(path, Path::Literal(_)) && ids::KINDS.contains(&name.as_str())
                {
                    held =
                        self.entry.ids().iter().any(|(kind, id)| kind == name && judge(kind, id));
                }
                held
            }
            Path::Time
            | Path::Level
            | Path::Source
            | Path::Layout
            | Path::Kind
            | Path::After { .. }
            | Path::Run => false,
        }
    }

    fn has(&self, path: &Path) -> bool {
        match path {
            Path::Field(name) | Path::Literal(name) | Path::Shaped { path: name, .. } => {
                let mut there = false;
                self.fields(name, &mut |_| there = true);
                there || self.any(path, &mut |_, _| true)
            }
            _ => self.any(path, &mut |_, _| true),
        }
    }

    fn judge(&self, field: &Field<'_>, judge: &mut dyn FnMut(&str, &str) -> bool) -> bool {
        let children = field.value.children();
        if let Value::List(_) = field.value {
            return children.iter().any(|item| self.judge_as(&field.name, item, judge));
        }
        self.judge_as(&field.name, field, judge)
    }

    fn judge_as(
        &self,
        name: &str,
        field: &Field<'_>,
        judge: &mut dyn FnMut(&str, &str) -> bool,
    ) -> bool {
        let Some(text) = field.value.text() else {
            return false;
        };
        judge(name, text)
            || self.veiled.is_some_and(|veiled| {
                let clean = veiled.value_text(field, None);
                clean.is_some_and(|clean| clean != text && judge(name, &clean))
            })
    }

    /// Calls `visit` with every field of the dotted path; a name with dots of its own is found as well, and so is
    /// one in a bag of properties by its own name.
    fn fields(&self, path: &str, visit: &mut dyn FnMut(&'s Field<'_>)) {
        fn walk<'s>(fields: &'s [Field<'_>], path: &str, visit: &mut dyn FnMut(&'s Field<'_>)) {
            for field in fields {
                if field.name == path {
                    visit(field);
                } else if let Some(rest) =
                    path.strip_prefix(field.name.as_ref()).and_then(|rest| rest.strip_prefix('.'))
                {
                    match &field.value {
                        Value::Map(children) => walk(children, rest, visit),
                        Value::List(items) => {
                            for item in items {
                                walk(item.value.children(), rest, visit);
                            }
                        }
                        _ => {}
                    }
                }
            }
        }
        walk(&self.entry.fields, path, visit);
        let bags = self.entry.fields.iter().filter(|field| roles::is_bag(field.name.as_bytes()));
        for bag in bags {
            walk(bag.value.children(), path, visit);
        }
    }

    /// Whether the word stands in the entry's text as it is written, its timestamp left out, or in a value as it
    /// reads: escapes resolved, templates filled.
    fn says(&self, word: &Word) -> bool {
        let entry = self.entry;
        let mut held = self.alone && word.is_written_in(entry)
            || word.is_in(entry.message.as_bytes())
            || entry.body.as_deref().is_some_and(|body| word.is_in(body.as_bytes()));
        if !held {
            entry.leaves(&mut |_, field| {
                let text = field.value.text().filter(|_| field.role != Role::Time);
                held |= text.is_some_and(|text| word.is_in(text.as_bytes()));
            });
        }
        let stand_in = self.veiled.filter(|_| word.is_stand_in());
        held || stand_in.is_some_and(|veiled| word.is_in(veiled.raw().as_str().as_bytes()))
    }
}

/// Compares a field with a value: as quantities where both are, else as texts.
fn compare(name: &str, text: &str, op: Op, value: &Literal) -> bool {
    let numbers = match value.quantity {
        Some(Quantity::Duration(want)) => {
            let is = units::seconds(name, text);
            if is.is_none() && units::is_without_unit(name, text) {
                units::meet_unitless();
            }
            is.map(|is| (is, want))
        }
        Some(Quantity::Number(want)) => match quantity(text) {
            Some(Quantity::Number(is)) => Some((is, want)),
            // A field that carries its unit, compared with a bare number of seconds.
            Some(Quantity::Duration(is)) if units::is_duration_name(name) => Some((is, want)),
            _ => None,
        },
        Some(Quantity::Size(want)) => match quantity(text) {
            Some(Quantity::Number(is) | Quantity::Size(is)) => Some((is, want)),
            _ => None,
        },
        None => None,
    };
    if op == Op::Equal && text == value.text {
        return true;
    }
    match numbers {
        Some((is, want)) => is.partial_cmp(&want).is_some_and(|order| op.holds(order)),
        // A quantity never compares with what is none: `status >= 500` is false for "n/a".
        None if value.quantity.is_some() && op != Op::Equal => false,
        None => op.holds(text.cmp(value.text.as_str())) && (op == Op::Equal || orders(text, value)),
    }
}

/// Whether two texts have an order worth asking for: neither is a quantity.
fn orders(text: &str, value: &Literal) -> bool {
    quantity(text).is_none() && text.cmp(&value.text) != Ordering::Equal || text == value.text
}
