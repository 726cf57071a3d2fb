//! The inspector: one entry in full.

pub(super) mod state;
mod view;

pub(super) use view::draw;
