//! What is read of requests: their ids, and what their first and slowest steps say.

use std::collections::HashMap;

use super::{Request, Requests};
use crate::{
    engine::{
        Pass, Shown, Snapshot,
        pass::{Selection, read_entries},
    },
    entry::IdKey,
    veil::{Audience, Desk, Text},
};

/// What is read of one request.
#[derive(Clone, Debug)]
pub struct RequestText<A: Audience = Desk> {
    /// Its id.
    pub id: Text<'static, A>,
    /// Its first entry.
    pub first: Shown<A>,
    /// The entry before which it waited longest, if that is another one.
    pub slowest: Option<Shown<A>>,
}

/// What is read of some requests.
#[derive(Clone, Debug)]
pub struct Texts<A: Audience = Desk>(HashMap<IdKey, RequestText<A>>);

impl<A: Audience> Default for Texts<A> {
    fn default() -> Self {
        Self(HashMap::new())
    }
}

impl<A: Audience> Texts<A> {
    /// Reads some requests. `None` when the pass was ended. Cost: two entries a request.
    #[must_use]
    pub fn read<'r>(
        snapshot: &Snapshot,
        requests: &Requests,
        of: impl Iterator<Item = &'r Request> + Clone,
        pass: &Pass,
    ) -> Option<Self> {
        let wanted = of.clone().flat_map(|request| [request.first, request.slowest]);
        let selection = Selection::of(snapshot, wanted);
        let mut read = read_entries::<A>(snapshot, &selection, pass)?;
        let mut texts = HashMap::new();
        for request in of {
            let slowest = (request.slowest != request.first && request.wait > 0)
                .then(|| read.get(&request.slowest).cloned())
                .flatten();
            // Several ids may begin with one entry.
            let Some(first) = read.get(&request.first).cloned() else { continue };
            let ids = first.ids.iter().zip(&first.id_keys);
            let own = ids.filter(|(_, key)| **key == request.key);
            let own = own.min_by_key(|((kind, _), _)| *kind != requests.kind);
            let Some(((_, id), _)) = own else { continue };
            texts.insert(request.key, RequestText { id: id.clone(), first, slowest });
        }
        read.clear();
        Some(Self(texts))
    }

    /// What was read of a request.
    #[must_use]
    pub fn get(&self, key: IdKey) -> Option<&RequestText<A>> {
        self.0.get(&key)
    }

    /// How many were read.
    #[must_use]
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether none was read.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}
