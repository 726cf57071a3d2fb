//! What entries say without its variable parts.

use std::{borrow::Cow, io, sync::Arc};

use super::entries::Entries;
use crate::{
    entry::{Entry, kind},
    query::Predicate,
    store::EntryId,
    veil::{Audience, Text, Veiled},
};

/// What an entry says, and who says it: as it stands in the log, to be compared and nothing else.
pub(crate) struct Said<'s, A: Audience> {
    /// Its constant words; empty where it says nothing.
    pub(crate) kind: &'s str,
    pub(crate) logger: Option<&'s str>,
    /// A text of the entry as it may be shown. Cost: the entry is read in full.
    pub(crate) clean: &'s dyn Fn(&str) -> Text<'static, A>,
}

impl Entries<'_> {
    /// Reads each entry in full for which a condition holds.
    pub(crate) fn each_passing<A: Audience>(
        &mut self,
        predicate: &Predicate,
        hand: &mut dyn FnMut(&Entry<'_>, &Veiled<'_, '_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        let Some(source) = self.snapshot.sources.get(block.source.index()) else { return Ok(()) };
        let mut passing = predicate.judge(block, source, veil, None);
        passing.keep(self.within);
        let passing = Arc::new(passing);
        let mut few = Entries::new(self.snapshot, number, block, &passing, self.buffer);
        few.each(&mut |_, entry, veiled| hand(entry, veiled))
    }

    /// Hands over what each entry says. Only what is asked to be shown is looked at with the veil.
    pub(crate) fn each_kind<A: Audience>(
        &mut self,
        hand: &mut dyn FnMut(EntryId, Said<'_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        let mut made = String::new();
        self.each_raw(&mut |index, raw| {
            let entry = block.entry(index, raw);
            made.clear();
            kind::push(&entry, &mut made);
            let clean = |text: &str| {
                let veiled = veil.over::<A>(&entry, Some(block.place(index)));
                veiled.text(Cow::Borrowed(text)).into_owned()
            };
            let logger = entry.logger.as_deref();
            hand(EntryId::new(number, index), Said { kind: &made, logger, clean: &clean });
        })
    }
}
