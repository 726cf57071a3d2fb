//! What is known of entries beside what they say themselves.

use crate::entry::roles;

/// What is known of the entries of a block beside their own bytes.
pub(crate) trait Beside {
    /// The number of the run that an entry is from, and whether it is the latest. `program` names the program that the
    /// entry is from; it is asked only where that matters.
    fn run(&self, index: usize, program: &mut dyn FnMut() -> Option<String>) -> (usize, bool);

    /// Hands over what the exchanges tell that wanted entries of the block are halves of: the entry, a name for the
    /// value, and the value.
    fn told(
        &self,
        part: Part,
        wanted: &dyn Fn(usize) -> bool,
        hand: &mut dyn FnMut(usize, &str, &str),
    );
}

/// A part of an exchange, which both of its halves have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Part {
    Method,
    Path,
    Status,
    Took,
}

impl Part {
    /// The part that a field of this name holds.
    pub(crate) fn named(name: &str) -> Option<Self> {
        Some(match &roles::folded(name.as_bytes())[..] {
            b"method" | b"httpmethod" | b"requestmethod" | b"httprequestmethod" => Self::Method,
            b"path" | b"httppath" | b"requestpath" | b"urlpath" => Self::Path,
            b"status"
            | b"statuscode"
            | b"httpstatus"
            | b"httpstatuscode"
            | b"responsestatus"
            | b"responsestatuscode"
            | b"httpresponsestatuscode" => Self::Status,
            _ => return None,
        })
    }
}
