//! The trail of one id: its entries as steps in time, across all sources.

mod detail;
mod lanes;
mod saving;
mod screen;
mod state;
mod tree;
mod view;
mod walking;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
