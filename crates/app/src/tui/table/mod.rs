//! Screens that are a table of what was found: rows in an order, narrowed by words, with a cursor on a row and on a
//! column. Asking for it, listing it, their keys and how they are drawn are the same everywhere; a screen says what is
//! asked ([`crate::results::Inquiry`]).

mod draw;
mod keys;
mod rows;
mod state;

pub(crate) use draw::{draw, narrowed, read, waiting};
pub(crate) use keys::{copy, drop_these, entries, keep_these, left, narrow, order, right};
pub(crate) use rows::{Found, OfEntries, Row, Table, extract};
pub(crate) use state::{Asked, Measured};
