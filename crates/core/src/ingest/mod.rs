//! From names to entries: which files there are, when they change, and the way of their bytes into blocks.
//!
//! ```text
//! discover → Feed (a source: its files, oldest first) → Reading (a file: chunks out, blocks back) → Sealed
//!            follow (what has become of a file)          frame: which chunk next · join: in their order
//! ```
//!
//! Nothing here waits: whatever touches the file system is a `Task` that a worker runs, and its result, a
//! `Done`, is taken back by the feed that asked for it.

mod changes;
mod days;
pub(crate) mod discover;
mod feed;
mod file;
mod follow;
mod frame;
mod join;
mod learn;
mod newest;
mod plain;
mod reading;
pub(crate) mod rotated;
mod task;
pub(crate) mod watch;

#[cfg(test)]
mod follow_tests;
#[cfg(test)]
mod tests;

pub use changes::Note;
pub use discover::{Discovery, Gravity, Place, Problem, Wanted, discover, discover_wanted};
pub(crate) use feed::{Feed, Manner};
pub(crate) use follow::KnownFiles;
pub(crate) use join::{Sealed, Slot, record_end};
pub(crate) use plain::{PlainFile, plain_files};
pub(crate) use task::{Done, Task, Ticket};
