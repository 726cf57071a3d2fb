//! The intake: everything that is poured in, how each source is read, and how well.

mod samples;
mod screen;
mod state;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
