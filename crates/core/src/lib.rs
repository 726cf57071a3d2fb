//! Everything Cribrum computes: reading, sifting, veiling, following and measuring logs.
//!
//! This crate knows no terminal, parses no arguments and opens no sockets. Bytes fall one way:
//!
//! ```text
//! source → lines → layout → entry → store → query/sieve → { trail, requests, tally, kinds, compare } → veil → out
//! ```
//!
//! Text of a log leaves it only as [`veil::Clean`].

pub mod chart;
pub mod code;
pub mod compare;
pub mod engine;
pub mod entry;
pub mod export;
#[doc(hidden)]
pub mod fuzz;
mod guard;
mod hash;
pub mod ingest;
pub mod kinds;
mod layout;
pub mod limits;
mod lines;
pub mod query;
pub mod requests;
mod scan;
pub mod sieve;
pub mod source;
mod store;
pub mod tally;
pub mod trail;
pub mod veil;
pub mod volume;

pub use guard::is_guarded;
pub use layout::{Dialect, LayoutId, Tried, own};
pub use store::{EntryId, Rows};
