//! What a screen works with: the state that all screens share, and what it can ask for. A request is carried out by
//! the application once the screen is done, an effect by the runtime.

mod keeping;
mod requests;
mod sieving;
mod starting;
mod typing;
mod watching;

pub(crate) use requests::{
    Choice, Context, Input, List, ListKey, Question, Request, Step, Target, Then, Wrong,
};
pub(crate) use sieving::words;
pub(crate) use watching::now;
