//! What is compared: windows of time, runs, sources, the pan, everything.

use crate::{
    engine::{
        Pass, Snapshot,
        pass::{Selection, passing},
    },
    query::{Expr, Predicate},
};

/// One of two selections.
#[derive(Clone, Debug, PartialEq)]
pub enum Side {
    /// All entries, whatever the sieve says.
    Everything,
    /// What fell through the sieve.
    Pan,
    /// Entries of the pan for which a condition holds.
    Where(Expr),
}

impl Side {
    /// The bounds of time that it names, in nanoseconds UTC.
    pub(crate) fn window(&self) -> Option<(Option<i64>, Option<i64>)> {
        match self {
            Self::Where(expr) => expr.window(),
            Self::Everything | Self::Pan => None,
        }
    }

    pub(crate) fn selection(&self, snapshot: &Snapshot, pass: &Pass) -> Option<Selection> {
        match self {
            Self::Everything => Some(Selection::all(snapshot)),
            Self::Pan => Some(Selection::pan(snapshot)),
            Self::Where(expr) => {
                passing(snapshot, &Selection::pan(snapshot), &Predicate::new(expr.clone()), pass)
            }
        }
    }
}
