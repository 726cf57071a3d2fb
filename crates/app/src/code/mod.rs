//! From a place that a log names to a file on this disk, and to the editor that opens it.

mod editor;
mod find;

pub(crate) use editor::{Editor, command};
pub(crate) use find::{Found, find};
