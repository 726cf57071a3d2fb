//! Saltmarsh Ferries: a made-up morning at a made-up ferry line, as logs of seven programs.
//!
//! On the morning of 14 March 2026 the 06:40 crossing shows as full though seats are free, and a few
//! passengers are charged twice. The acquirer answers late, payments give up after three tries, booking
//! keeps the hold because it can't know whether the charge went through, and the sweeper that should
//! release holds skips every hold in that state. Only a request followed across the programs shows it.
//!
//! Everything comes from a seed: the same seed and size give the same bytes. People, cards, tokens and
//! hosts are invented; hosts end in `.example.test`.

mod event;
mod flows;
mod leaks;
mod random;
mod scenario;
mod secrets;
mod services;
mod spans;
mod writer;

pub use event::Event;
pub use scenario::{Pace, Scenario};
pub use secrets::Planted;
pub use services::Service;
pub use writer::{Knowledge, Writer};
