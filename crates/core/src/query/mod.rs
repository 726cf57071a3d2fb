//! The filter language: what people type into a mesh and behind `-w`.
//!
//! ```text
//! expr    = and { "or" and }
//! and     = not { [ "and" ] not }
//! not     = [ "not" ] term
//! term    = "(" expr ")" | "has" path | path op value | path [ "not" ] "in" set | word | phrase
//! op      = "=" | "!=" | "<" | "<=" | ">" | ">=" | "~" | "!~"
//! set     = "(" value { "," value } ")" | value ".." value
//! value   = word | phrase | "mark" phrase
//! path    = word [ "after" phrase ]
//! ```
//!
//! Two-valued: comparing a field that is not there is false, and `!=` is `not =`.
//!
//! ```
//! use cribrum_core::query::{Context, Expr};
//! for text in [
//!     "level >= warn",
//!     r#"path ~ "^/crossings" and status >= 500"#,
//!     "took > 250ms",
//!     "status in (502, 503, 504)",
//!     r#"not logger ~ "^http\\.""#,
//!     "has user.id",
//!     r#""seat hold" timeout"#,
//! ] {
//!     let expr = Expr::parse(text, &Context::default())?;
//!     assert_eq!(expr, Expr::parse(&expr.to_string(), &Context::default())?);
//! }
//! # Ok::<(), cribrum_core::query::Error>(())
//! ```

mod ast;
mod beside;
mod complete;
mod eval;
mod lexer;
mod needle;
mod numbers;
mod parse;
mod predicate;
mod quantity;
mod units;
mod words;

pub use ast::{Anchor, Expr, Literal, Op, Path, Pattern};
pub(crate) use beside::{Beside, Part};
pub use complete::{Hole, Slot, hole};
pub use numbers::Unit;
pub(crate) use numbers::{behind, read};
pub(crate) use predicate::{Judged, Needs, Predicate, Sought};
pub(crate) use quantity::{Quantity, quantity};
pub(crate) use units::{BUSY, IDLE, is_duration_name, is_without_unit, seconds};

use jiff::tz::TimeZone;

/// What clock times and relative times in an expression refer to.
#[derive(Clone, Debug, Default)]
pub struct Context {
    /// The zone of clock times; UTC where none is given.
    pub zone: Option<TimeZone>,
    /// The time of the first entry, in nanoseconds UTC.
    pub first: Option<i64>,
    /// The time of the last entry, in nanoseconds UTC: its day is the day of clock times.
    pub last: Option<i64>,
    /// Marks by name, in nanoseconds UTC.
    pub marks: Vec<(String, i64)>,
    /// Kinds that have a name: the name, and their words.
    pub kinds: Vec<(String, String)>,
}

/// An expression that can't be understood.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct Error {
    /// What was expected, and what to write instead.
    pub message: String,
    /// The place in the text, in bytes.
    pub at: usize,
}

/// What a number with an optional unit amounts to: `250`, `1.5s` in seconds, `4KiB` in bytes.
pub(crate) fn amount(text: &str) -> Option<f64> {
    quantity(text).map(Quantity::amount)
}

/// A duration as people write it, in seconds: `250ms`, `1.5s`, `2min`.
#[must_use]
pub fn duration(text: &str) -> Option<f64> {
    match quantity(text)? {
        Quantity::Duration(seconds) => Some(seconds),
        _ => None,
    }
}

/// The name that is most like a misspelt one, if one is like it.
#[must_use]
pub fn nearest<'n>(wrong: &str, names: impl Iterator<Item = &'n str>) -> Option<&'n str> {
    // A text of this length is no misspelt name, and would take long to compare.
    if wrong.len() > 80 {
        return None;
    }
    let wrong = wrong.to_lowercase();
    // A letter in three may be wrong.
    let most = wrong.chars().count().div_ceil(3);
    let far = |name: &&str| strsim::osa_distance(&wrong, &name.to_lowercase());
    names.filter(|name| far(name) <= most).min_by_key(far)
}

/// The field that is perhaps meant by a name that no entry has: one that is spelt almost so, or has it as a part:
/// `user_agent` for `agent`.
#[must_use]
pub fn nearest_field<'n>(wrong: &str, names: impl Iterator<Item = &'n str>) -> Option<&'n str> {
    let names: Vec<&str> = names.collect();
    let near = nearest(wrong, names.iter().copied());
    let part = |name: &&&str| {
        name.split(['.', '_', '-', '[']).any(|part| part.eq_ignore_ascii_case(wrong))
    };
    let of_parts = names.iter().filter(part).min_by_key(|name| (name.len(), **name));
    near.or_else(|| of_parts.copied())
}

impl Error {
    pub(crate) fn new(at: usize, message: impl Into<String>) -> Self {
        Self { message: message.into(), at }
    }
}

#[cfg(test)]
mod tests;
