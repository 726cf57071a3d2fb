//! One entry of the morning, with what is known of it.

use crate::{
    secrets::Planted,
    services::{Service, rfc3339},
};

pub(crate) const MILLI: i64 = 1_000_000;
pub(crate) const SECOND: i64 = 1_000_000_000;

/// One entry of a log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Event {
    /// Which program writes it.
    pub service: Service,
    /// Nanoseconds UTC.
    pub time: i64,
    /// Its lines, without the last line end.
    pub text: String,
    /// Its level in lower case.
    pub level: &'static str,
    /// The request it belongs to.
    pub request_id: Option<String>,
    /// The secrets in it.
    pub secrets: Vec<Planted>,
    /// What looks like a secret in it and is none.
    pub decoys: Vec<String>,
    /// Another program's line comes in between after this many of its lines.
    pub torn: Option<usize>,
}

impl Event {
    /// The time as RFC 3339, as precise as the log has it.
    #[must_use]
    pub fn time_text(&self) -> String {
        rfc3339(self.time, usize::from(self.service.digits()))
    }
}
