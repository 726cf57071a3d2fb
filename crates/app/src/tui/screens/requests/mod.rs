//! Requests: every id of a kind with its duration and outcome, the slowest first; two of them side by side.

mod compared;
mod screen;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
