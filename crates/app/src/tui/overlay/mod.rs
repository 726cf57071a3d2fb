//! What lies over a screen while it is open: a prompt, a list to choose from, the prompt that finds actions.

mod completion;
mod finder;
mod line;
mod list;
mod prompt;

pub(crate) use finder::{Finder, Offer, Outcome as FinderOutcome};
pub(crate) use list::{OpenList, Outcome as ListOutcome};
pub(crate) use prompt::{Outcome as PromptOutcome, Prompt};

#[cfg(test)]
mod tests;
