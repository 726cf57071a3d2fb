//! Expressions as trees, and how they are written.

use std::fmt;

use regex::Regex;

use crate::entry::Shape;

/// A condition on an entry.
#[derive(Clone, Debug, PartialEq)]
pub enum Expr {
    /// All hold.
    And(Vec<Expr>),
    /// One holds.
    Or(Vec<Expr>),
    /// It does not hold.
    Not(Box<Expr>),
    /// A field compares with a value.
    Compare(Path, Op, Literal),
    /// A field has one of the values.
    OneOf(Path, Vec<Literal>),
    /// A field lies between two values, both included.
    Between(Path, Literal, Literal),
    /// A field matches a regular expression.
    Matches(Path, Pattern),
    /// The field is there.
    Has(Path),
    /// The message or a value contains the text. All lower case ignores case.
    Word(String),
    /// The entry has an id of this value.
    Id(String),
}

/// What `run` is compared with for the latest run of each program.
pub(super) const LATEST: &str = "latest";

/// An ordering comparison or equality.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Op {
    /// `=`
    Equal,
    /// `<`
    Less,
    /// `<=`
    AtMost,
    /// `>`
    Greater,
    /// `>=`
    AtLeast,
}

impl Op {
    pub(super) fn sign(self) -> &'static str {
        match self {
            Self::Equal => "=",
            Self::Less => "<",
            Self::AtMost => "<=",
            Self::Greater => ">",
            Self::AtLeast => ">=",
        }
    }

    pub(crate) fn holds(self, order: std::cmp::Ordering) -> bool {
        match self {
            Self::Equal => order.is_eq(),
            Self::Less => order.is_lt(),
            Self::AtMost => order.is_le(),
            Self::Greater => order.is_gt(),
            Self::AtLeast => order.is_ge(),
        }
    }
}

/// Which part of an entry is meant.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Path {
    /// `time`
    Time,
    /// `level`
    Level,
    /// `message`
    Message,
    /// `logger`
    Logger,
    /// `source`
    Source,
    /// `layout`
    Layout,
    /// `line`
    Line,
    /// `id`: any id
    Id,
    /// `kind`: the constant words of the message
    Kind,
    /// `took`: the entry's duration
    Took,
    /// `run`: which life of its program within its source, counted from 1
    Run,
    /// `took after "completed in"`: the number behind words of the message; the name tells its unit where it has none
    After {
        /// The name.
        name: String,
        /// The words.
        words: String,
    },
    /// `path:template`: a field whose values are compared in a shorter form.
    Shaped {
        /// The dotted path of the field.
        path: String,
        /// The form.
        shape: Shape,
    },
    /// A field by its dotted path.
    Field(String),
    /// A field exactly as written in the log, even where its name is one of the parts above.
    Literal(String),
}

impl Path {
    /// The path of the field of this dotted name, even where an entry has a part of that name.
    #[must_use]
    pub fn field(name: &str) -> Self {
        match Self::of(name) {
            Self::Field(path) => Self::Field(path),
            _ => Self::Literal(name.to_owned()),
        }
    }

    /// The path of a name as typed.
    #[must_use]
    pub fn of(name: &str) -> Self {
        match name {
            "time" => Self::Time,
            "level" => Self::Level,
            "message" => Self::Message,
            "logger" => Self::Logger,
            "source" => Self::Source,
            "layout" => Self::Layout,
            "line" => Self::Line,
            "id" => Self::Id,
            "kind" => Self::Kind,
            "took" => Self::Took,
            "run" => Self::Run,
            _ => match (name.strip_prefix('.'), name.rsplit_once(':')) {
                (Some(literal), _) => Self::Literal(literal.to_owned()),
                (None, Some((path, form))) if !path.is_empty() => match Shape::named(form) {
                    None | Some(Shape::Whole) => Self::Field(name.to_owned()),
                    Some(shape) => Self::Shaped { path: path.to_owned(), shape },
                },
                (None, _) => Self::Field(name.to_owned()),
            },
        }
    }
}

impl fmt::Display for Path {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Time => "time",
            Self::Level => "level",
            Self::Message => "message",
            Self::Logger => "logger",
            Self::Source => "source",
            Self::Layout => "layout",
            Self::Line => "line",
            Self::Id => "id",
            Self::Kind => "kind",
            Self::Took => "took",
            Self::Run => "run",
            Self::Field(path) => path,
            Self::Shaped { path, shape } => return write!(f, "{path}:{}", shape.name()),
            Self::Literal(path) => return write!(f, ".{path}"),
            Self::After { name, words } => {
                write!(f, "{name} after ")?;
                return write_quoted(f, words);
            }
        })
    }
}

/// A value to compare with: the text as typed, and what it is besides.
#[derive(Clone, Debug, PartialEq)]
pub struct Literal {
    /// The text without its quotes.
    pub text: String,
    /// The text as a quantity, with its unit.
    pub quantity: Option<super::Quantity>,
    /// The text as a time in nanoseconds UTC, where a time was asked for.
    pub time: Option<i64>,
    /// What the time depends on.
    pub anchor: Anchor,
}

/// What a time in an expression depends on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Anchor {
    /// Nothing: it was fixed when it was entered.
    #[default]
    Fixed,
    /// It lies so many nanoseconds behind the last entry (before it, where negative), and moves with it.
    End(i64),
    /// It is that of the mark whose name the text is.
    Mark,
}

/// A regular expression of linear time.
#[derive(Clone, Debug)]
pub struct Pattern(pub(super) Regex);

impl Pattern {
    /// The expression as it was written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        self.0.as_str()
    }

    /// A regular expression; `None` where it is none, or too large.
    #[must_use]
    pub fn new(pattern: &str) -> Option<Self> {
        Regex::new(pattern).ok().map(Self)
    }

    /// What begins with a name and goes on, if it does, with something that belongs to no name.
    pub(crate) fn name_or_below(name: &str) -> Self {
        let pattern = format!("^{}(?:[^0-9A-Za-z_]|$)", regex::escape(name));
        let built = Regex::new(&pattern);
        // A name too long for a pattern is compared as a whole, which never fails to build.
        Self(built.or_else(|_| Regex::new("$^")).unwrap_or_else(|error| unreachable!("{error}")))
    }
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.0.as_str() == other.0.as_str()
    }
}

impl Expr {
    /// One of several conditions holds; one alone is itself.
    #[must_use]
    pub fn any(mut items: Vec<Self>) -> Self {
        match items.len() {
            1 => items.remove(0),
            _ => Self::Or(items),
        }
    }

    /// Both conditions.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        match self {
            Self::And(mut all) => {
                all.push(other);
                Self::And(all)
            }
            first => Self::And(vec![first, other]),
        }
    }

    /// The opposite condition; of an opposite, the condition itself.
    #[must_use]
    pub fn negated(self) -> Self {
        match self {
            Self::Not(inner) => *inner,
            other => Self::Not(Box::new(other)),
        }
    }

    /// A field that equals a text.
    #[must_use]
    pub fn equals(path: Path, text: &str) -> Self {
        Self::Compare(path, Op::Equal, Literal::new(text))
    }

    /// What programs say when they start.
    #[must_use]
    pub fn starting() -> Self {
        const SAYS: &str = "^(?:[^ ]+ )?(?:[Ss]tarting(?: up\\b|$| [A-Za-z-]+(?:$| v?[0-9]| on | with ))\
            |[Ss]tarted [A-Za-z]+ in [0-9.]+ ?(?:ms|s)|[Bb]ooting |[Ll]istening (?:on|at) \
            |[Ss]ervice started|[Ss]erver (?:started|listening)|[Aa]pplication started)";
        let pattern = Regex::new(SAYS).unwrap_or_else(|error| unreachable!("{error}"));
        Self::Matches(Path::Message, Pattern(pattern))
    }

    /// What each program has written since it last started.
    #[must_use]
    pub fn latest_runs() -> Self {
        Self::equals(Path::Run, LATEST)
    }

    /// A window of time, both ends included.
    #[must_use]
    pub fn within(from: i64, to: i64) -> Self {
        Self::Between(Path::Time, Literal::moment(from), Literal::moment(to))
    }

    /// The same with the times that move with the last entry counted from `last`; `None` where none does.
    pub(crate) fn slid(&self, last: i64) -> Option<Self> {
        let mut moved = self.clone();
        let mut any = false;
        moved.literals(&mut |literal| {
            if let Anchor::End(by) = literal.anchor {
                literal.time = Some(last.saturating_add(by));
                any = true;
            }
        });
        any.then_some(moved)
    }

    /// The same with marks as the moments they stand for, so that it can be kept.
    #[must_use]
    pub fn lasting(&self) -> Self {
        let mut lasting = self.clone();
        lasting.literals(&mut |literal| {
            if let (Anchor::Mark, Some(time)) = (literal.anchor, literal.time) {
                *literal = Literal::moment(time);
            }
        });
        lasting
    }

    /// Calls `change` with every value that something is compared with.
    fn literals(&mut self, change: &mut dyn FnMut(&mut Literal)) {
        match self {
            Self::And(items) | Self::Or(items) => {
                items.iter_mut().for_each(|item| item.literals(change));
            }
            Self::Not(inner) => inner.literals(change),
            Self::Compare(_, _, value) => change(value),
            Self::OneOf(_, values) => values.iter_mut().for_each(change),
            Self::Between(_, from, to) => {
                change(from);
                change(to);
            }
            Self::Matches(..) | Self::Has(_) | Self::Word(_) | Self::Id(_) => {}
        }
    }

    /// The same with one condition in the place of another.
    #[must_use]
    pub fn with(&self, old: &Self, new: &Self) -> Self {
        let each = |items: &[Self]| items.iter().map(|item| item.with(old, new)).collect();
        match self {
            same if same == old => new.clone(),
            Self::And(items) => Self::And(each(items)),
            Self::Or(items) => Self::Or(each(items)),
            Self::Not(inner) => Self::Not(Box::new(inner.with(old, new))),
            other => other.clone(),
        }
    }

    /// The same condition on another field.
    #[must_use]
    pub fn on(&self, path: &Path) -> Self {
        let mut moved = self.clone();
        if let Self::Compare(place, ..)
        | Self::OneOf(place, _)
        | Self::Between(place, ..)
        | Self::Matches(place, _)
        | Self::Has(place) = &mut moved
        {
            place.clone_from(path);
        }
        moved
    }

    /// Calls `visit` with every condition that is not put together from others.
    pub fn leaves<'s>(&'s self, visit: &mut dyn FnMut(&'s Self)) {
        match self {
            Self::And(items) | Self::Or(items) => items.iter().for_each(|item| item.leaves(visit)),
            Self::Not(inner) => inner.leaves(visit),
            leaf => visit(leaf),
        }
    }

    /// The one field that the expression is on.
    #[must_use]
    pub fn path(&self) -> Option<&Path> {
        match self {
            Self::Compare(path, ..)
            | Self::OneOf(path, _)
            | Self::Between(path, ..)
            | Self::Matches(path, _)
            | Self::Has(path) => Some(path),
            _ => None,
        }
    }

    /// The bounds in nanoseconds UTC, if the expression does nothing but bound the time.
    #[must_use]
    pub fn window(&self) -> Option<(Option<i64>, Option<i64>)> {
        match self {
            Self::Between(Path::Time, from, to) => Some((from.time, to.time)),
            Self::Compare(Path::Time, Op::AtLeast | Op::Greater, from) => Some((from.time, None)),
            Self::Compare(Path::Time, Op::AtMost | Op::Less, to) => Some((None, to.time)),
            _ => None,
        }
    }

    fn is_compound(&self) -> bool {
        matches!(self, Self::And(_) | Self::Or(_))
    }
}

impl Literal {
    /// A value from its text.
    #[must_use]
    pub fn new(text: &str) -> Self {
        Self {
            quantity: super::quantity(text),
            text: text.to_owned(),
            time: None,
            anchor: Anchor::Fixed,
        }
    }

    /// A moment, in nanoseconds UTC.
    #[must_use]
    pub fn moment(time: i64) -> Self {
        Self { time: Some(time), ..Self::new(&crate::entry::rfc3339(time, 9)) }
    }
}

impl fmt::Display for Expr {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let list = |f: &mut fmt::Formatter<'_>, items: &[Self], word: &str| {
            for (at, item) in items.iter().enumerate() {
                if at > 0 {
                    f.write_str(word)?;
                }
                if item.is_compound() {
                    write!(f, "({item})")?;
                } else {
                    write!(f, "{item}")?;
                }
            }
            Ok(())
        };
        match self {
            Self::And(items) => list(f, items, " and "),
            Self::Or(items) => list(f, items, " or "),
            Self::Not(inner) => match &**inner {
                Self::Compare(path, Op::Equal, value) => write!(f, "{path} != {value}"),
                Self::Matches(path, pattern) => write!(f, "{path} !~ {pattern}"),
                inner if inner.is_compound() => write!(f, "not ({inner})"),
                inner => write!(f, "not {inner}"),
            },
            Self::Compare(path, op, value) => write!(f, "{path} {} {value}", op.sign()),
            Self::OneOf(path, values) => {
                write!(f, "{path} in (")?;
                for (at, value) in values.iter().enumerate() {
                    write!(f, "{}{value}", if at > 0 { ", " } else { "" })?;
                }
                f.write_str(")")
            }
            Self::Between(path, from, to) => write!(f, "{path} in {from}..{to}"),
            Self::Matches(path, pattern) => write!(f, "{path} ~ {pattern}"),
            Self::Has(path) => write!(f, "has {path}"),
            Self::Word(word) => write_text(f, word),
            Self::Id(id) => {
                f.write_str("id = ")?;
                write_text(f, id)
            }
        }
    }
}

impl fmt::Display for Literal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.anchor == Anchor::Mark {
            f.write_str("mark ")?;
            return write_quoted(f, &self.text);
        }
        // What looks like a quantity and is none reads back only in quotes.
        match super::units::unknown_unit(&self.text) {
            Some(_) => write_quoted(f, &self.text),
            None => write_text(f, &self.text),
        }
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write_quoted(f, self.0.as_str())
    }
}

/// Writes a text bare where it reads back as itself, else quoted.
fn write_text(f: &mut fmt::Formatter<'_>, text: &str) -> fmt::Result {
    if super::lexer::is_bare(text) { f.write_str(text) } else { write_quoted(f, text) }
}

fn write_quoted(f: &mut fmt::Formatter<'_>, text: &str) -> fmt::Result {
    write!(f, "\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}
