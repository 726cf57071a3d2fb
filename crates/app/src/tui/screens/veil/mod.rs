//! The veil: what is hidden, by which rule, and where; what was nearly hidden; a place to try a rule.

mod found;
mod screen;
mod state;
mod trying;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
