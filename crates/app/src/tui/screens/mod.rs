//! The register of all screens: a screen is a folder here and one line.

mod compare;
mod desk;
mod extract;
mod help;
mod intake;
mod kinds;
mod plate;
mod requests;
mod tally;
mod trail;
mod veil;

use super::screen::Opening;

/// Every screen; the first is the one that the program opens with.
pub(crate) static REGISTER: &[Opening] = &[
    desk::OPENING,
    trail::OPENING,
    requests::OPENING,
    tally::OPENING,
    kinds::OPENING,
    compare::OPENING,
    plate::OPENING,
    extract::OPENING,
    intake::OPENING,
    veil::OPENING,
    help::OPENING,
];

#[cfg(test)]
mod tests;
