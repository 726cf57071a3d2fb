//! Entries of a selection, read as they may be shown.

use std::{collections::HashMap, io, marker::PhantomData};

use super::{Entries, Fold, Pass, Selection, run};
use crate::{
    engine::{Shown, Snapshot},
    store::EntryId,
    veil::Audience,
};

struct Reading<A>(PhantomData<A>);

impl<A: Audience> Fold for Reading<A> {
    type Part = HashMap<EntryId, Shown<A>>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        entries.each_shown::<A>(&mut |read| {
            if let Ok(shown) = read {
                part.insert(shown.id, shown);
            }
        });
        Ok(())
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        whole.extend(part);
    }
}

/// The entries that can be read, by their identities. `None` when the pass was ended. Cost: reads each of them.
pub(crate) fn read_entries<A: Audience>(
    snapshot: &Snapshot,
    selection: &Selection,
    pass: &Pass,
) -> Option<HashMap<EntryId, Shown<A>>> {
    run(snapshot, selection, &Reading::<A>(PhantomData), pass).map(|measured| measured.part)
}

impl Snapshot {
    /// Entries as they may be shown, by their identities; those that can't be read any more are left out. `None` when the
    /// pass was ended. Cost: the bytes of each.
    #[must_use]
    pub fn read_all<A: Audience>(
        &self,
        ids: impl Iterator<Item = EntryId>,
        pass: &Pass,
    ) -> Option<HashMap<EntryId, Shown<A>>> {
        let mut read = read_entries::<A>(self, &Selection::of(self, ids), pass)?;
        if self.has_exchanges() {
            for shown in read.values_mut() {
                // What can't be read of the other half is missed there, not here.
                if let Ok(Some(exchange)) = self.exchange_of(shown.id) {
                    shown.join(exchange);
                }
            }
        }
        Some(read)
    }
}
