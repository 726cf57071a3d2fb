//! The list of entries.

pub(super) mod line;
mod lines;
mod places;
mod view;

pub(super) use lines::choose;
pub(super) use places::column_width;
pub(super) use view::{draw, names};
