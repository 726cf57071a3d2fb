//! The tally: counts and measures of the pan, grouped by fields.

mod grouping;
mod screen;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
