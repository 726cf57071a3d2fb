//! Screens that are a table of what was counted: rows in an order, narrowed by words, with a cursor on a row and on a
//! column. Their state, their keys and how they are drawn are the same everywhere; a screen says what its rows and its
//! columns are.

mod draw;
mod keys;
mod rows;
mod state;

pub(crate) use draw::{cell, columns, ground, head, narrowed, rows, waiting};
pub(crate) use keys::{drop_these, entries, keep_these, left, narrow, order, right};
pub(crate) use rows::{Column, OfEntries, Table};
pub(crate) use state::{Asked, State, Words};
