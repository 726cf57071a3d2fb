//! Two selections of entries beside each other.

mod screen;
mod sides;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
