//! The plate: a chart that is looked at before it is saved.

mod screen;
mod view;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
