//! The kinds: what is said, grouped by constant words.

mod naming;
mod only;
mod screen;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
