//! The same request as another program tells it: what a client says of its call, and what the server says of it.
//!
//! Looked for when an entry is looked at: by an id that both have, where method and path are the same, each in a source
//! of its own. Where several sources tell it, or one of them tells it more often than the other, nothing is joined.

use std::io;

use super::exchanges::{Exchange, Side};
use crate::{
    engine::{Snapshot, hints::told_in, sorted_ids},
    entry::ids::IdKey,
    limits,
    store::EntryId,
    veil::Audience,
};

/// Kinds of ids that travel with a request from program to program.
const KINDS: [&str; 3] = ["request_id", "correlation_id", "trace_id"];
/// Entries with such an id that are read; one that has more is no request.
const MOST: usize = 500;

/// A request, and how it ended, as an entry tells it.
#[derive(Debug, Default, PartialEq)]
struct Told {
    method: String,
    path: String,
    ended: bool,
}

impl Snapshot {
    /// What another source tells of the request that an entry tells of, if the entry is no half of an exchange that
    /// was printed in two. Cost: a search in the index of ids, and reading the entries that have the id.
    ///
    /// # Errors
    ///
    /// Those of reading the two.
    pub fn counterpart_of<A: Audience>(&self, id: EntryId) -> io::Result<Option<Exchange<A>>> {
        let Some((side, other)) = self.find_counterpart(id)? else { return Ok(None) };
        self.told_by_both(id, side, other).map(Some)
    }

    /// The other half of an exchange, or the entry in which another source tells of the same request.
    #[must_use]
    pub fn other_side(&self, id: EntryId) -> Option<EntryId> {
        self.other_half(id).or_else(|| Some(self.find_counterpart(id).ok()??.1))
    }

    fn find_counterpart(&self, id: EntryId) -> io::Result<Option<(Side, EntryId)>> {
        if !self.is_identified() {
            return Ok(None);
        }
        let (Some(own), ids) = self.read_told(id)? else { return Ok(None) };
        for kind in KINDS {
            let Some((_, value)) = ids.iter().find(|(known, _)| *known == kind) else { continue };
            let key = IdKey::of(kind, value);
            if self.count_with(key) > MOST {
                continue;
            }
            let mut alike: Vec<(EntryId, bool)> = Vec::new();
            for other in self.entries_with(&[key]) {
                // The response of an exchange that was printed in two tells nothing that its request does not.
                if self.across.other_half(other).is_some_and(|pair| pair.answers) {
                    continue;
                }
                if let (Some(told), _) = self.read_told(other)?
                    && (&told.method, &told.path) == (&own.method, &own.path)
                {
                    alike.push((other, told.ended));
                }
            }
            let (here, there): (Vec<_>, Vec<_>) = alike
                .into_iter()
                .partition(|(other, _)| self.source_of(*other) == self.source_of(id));
            let Some((first, _)) = there.first() else { continue };
            let one = there.iter().all(|(at, _)| self.source_of(*at) == self.source_of(*first));
            let Some(number) = here.iter().position(|(at, _)| *at == id) else { return Ok(None) };
            if !one || here.len() != there.len() {
                return Ok(None);
            }
            let (other, ended) = there[number];
            let side = match (own.ended, ended) {
                (false, true) => Side::Request,
                (true, false) => Side::Response,
                _ => Side::Either,
            };
            return Ok(Some((side, other)));
        }
        Ok(None)
    }

    /// The request that an entry tells of, and its ids.
    #[expect(clippy::type_complexity, reason = "two things that one reading gives")]
    fn read_told(&self, id: EntryId) -> io::Result<(Option<Told>, Vec<(&'static str, String)>)> {
        let block = self.block(id).ok_or(io::ErrorKind::NotFound)?;
        let (raw, _) = block.read(id.index(), limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &raw);
        let mut told = Told::default();
        told_in(&entry, &mut |name, value| match name {
            "method" => told.method = value.to_ascii_uppercase(),
            "path" => told.path = value.into_owned(),
            "status" => told.ended = true,
            _ => {}
        });
        // What a log of requests tells as a whole may have no path of its own, but a message.
        let known = !told.method.is_empty() && !told.path.is_empty();
        Ok((known.then_some(told), sorted_ids(&entry)))
    }
}
