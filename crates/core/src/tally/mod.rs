//! Counts over time.

mod volume;

pub use volume::{Slice, Volume};
