//! The plate: a chart of the pan, read on the screen and saved for a document.

mod areas;
mod asking;
mod axes;
mod draw;
mod reading;
mod saving;
mod screen;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
