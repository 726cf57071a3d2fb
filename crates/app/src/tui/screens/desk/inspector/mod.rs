//! The inspector: one entry in full.

pub(super) mod layout;
pub(super) mod state;
mod text;
mod view;

pub(super) use view::{draw, value_room};
