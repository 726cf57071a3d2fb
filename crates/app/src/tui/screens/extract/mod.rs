//! Extract: what a view shows, handed on in a form that others can use.

mod making;
mod screen;
mod state;
mod view;

#[cfg(test)]
mod tests;

pub(crate) use screen::OPENING;
