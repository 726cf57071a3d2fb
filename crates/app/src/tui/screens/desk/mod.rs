//! The desk: the sieve as a funnel, the entries, the rail, the inspector.

mod arranging;
mod bare;
mod empty;
mod entries;
mod finding;
mod funnel;
mod inspector;
mod keys;
mod layout;
mod masthead;
mod order;
mod pointer;
mod pointing;
mod rail;
mod reading;
mod revealing;
mod running;
mod screen;
mod state;
mod strip;
mod timing;

pub(crate) use screen::OPENING;

#[cfg(test)]
mod tests;
