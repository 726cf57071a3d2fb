//! Entries read in full, and looked at with the veil only where that is asked for.

use std::{borrow::Cow, cell::OnceCell, io, sync::Arc};

use super::{
    entries::{Entries, values_within},
    leaves::Leaves,
};
use crate::{
    entry::{Entry, kind},
    guard,
    query::Predicate,
    store::EntryId,
    veil::{Audience, Text, Veiled},
};

/// What an entry says: as it stands in the log, to be compared and nothing else.
pub(crate) struct Said<'s, A: Audience> {
    /// Its constant words; empty where it says nothing.
    pub(crate) kind: &'s str,
    /// Who says it.
    pub(crate) logger: Option<&'s str>,
    /// A text of the entry as it may be shown. Cost: the entry is looked at with the veil.
    pub(crate) clean: &'s dyn Fn(&str) -> Text<'static, A>,
    /// Its kind as it may be shown, at the same cost.
    pub(crate) clean_kind: &'s dyn Fn() -> Text<'static, A>,
}

/// What an entry tells: what it says, and its fields, all of it as it stands in the log.
pub(crate) struct Told<'t, A: Audience> {
    pub(crate) said: Said<'t, A>,
    pub(crate) leaves: &'t Leaves<'t>,
    /// One of the values of a field by its dotted path, counted from 0, as it may be shown. Cost: the entry is looked at
    /// with the veil.
    pub(crate) value: &'t dyn Fn(&str, usize) -> Option<Text<'static, A>>,
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

    /// Hands over what each entry says and who says it. It is read in full only where its layout can't tell that by a
    /// look, and looked at with the veil only for what is asked to be shown.
    pub(crate) fn each_gist<A: Audience>(
        &mut self,
        hand: &mut dyn FnMut(EntryId, &Said<'_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        let mut made = String::new();
        self.each_raw(&mut |index, raw| {
            let id = EntryId::new(number, index);
            let place = block.place(index);
            made.clear();
            let gist = guard::catch(|| block.gist(index, raw)).flatten();
            if let Some(gist) = &gist {
                gist.says.push_kind(&mut made);
            }
            if let Some(gist) = gist.filter(|_| !made.is_empty()) {
                let clean = |text: &str| {
                    let entry = block.entry(index, raw);
                    veil.over::<A>(&entry, Some(place)).text(Cow::Borrowed(text)).into_owned()
                };
                let clean_kind = || {
                    let entry = block.entry(index, raw);
                    veil.over::<A>(&entry, Some(place)).kind()
                };
                let logger = gist.logger.as_deref();
                let (clean, clean_kind) = (&clean, &clean_kind);
                hand(id, &Said { kind: &made, logger, clean, clean_kind });
                return;
            }
            let entry = block.entry(index, raw);
            kind::push(&entry, &mut made);
            let clean = |text: &str| {
                veil.over::<A>(&entry, Some(place)).text(Cow::Borrowed(text)).into_owned()
            };
            let clean_kind = || veil.over::<A>(&entry, Some(place)).kind();
            let logger = entry.logger.as_deref();
            let (clean, clean_kind) = (&clean, &clean_kind);
            hand(id, &Said { kind: &made, logger, clean, clean_kind });
        })
    }

    /// The same, with the fields that say something of their own and whose paths are wanted.
    pub(crate) fn each_telling<A: Audience>(
        &mut self,
        wanted: &dyn Fn(&str) -> bool,
        hand: &mut dyn FnMut(EntryId, &Told<'_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        let (mut made, mut leaves) = (String::new(), Leaves::wanting(wanted));
        self.each_raw(&mut |index, raw| {
            let id = EntryId::new(number, index);
            let place = block.place(index);
            let gist = guard::catch(|| {
                let gist = leaves.by_a_look(block, index, raw)?;
                made.clear();
                gist.says.push_kind(&mut made);
                (!made.is_empty()).then_some(gist)
            });
            let planned = gist.flatten();
            // Read in full at once where that is needed, else only for what is shown.
            let read = OnceCell::new();
            let entry = || read.get_or_init(|| block.entry(index, raw));
            match &planned {
                Some(_) if cfg!(debug_assertions) => leaves.check(entry()),
                Some(_) => {}
                None => {
                    made.clear();
                    kind::push(entry(), &mut made);
                    leaves.of_entry(entry());
                }
            }
            let logger = match &planned {
                Some(gist) => gist.logger.as_deref(),
                None => entry().logger.as_deref(),
            };
            // One look tells of all values that are new.
            let looked = OnceCell::new();
            let veiled = || looked.get_or_init(|| veil.over::<A>(entry(), Some(place)));
            let clean = |text: &str| veiled().text(Cow::Borrowed(text)).into_owned();
            let value = |path: &str, wanted: usize| {
                let (mut at, mut found) = (0, None);
                values_within(veiled().parts(true), path, &mut |text| {
                    if at == wanted {
                        found = Some(text.into_owned());
                    }
                    at += 1;
                });
                found
            };
            let clean_kind = || veiled().kind();
            let (clean, clean_kind) = (&clean, &clean_kind);
            let said = Said { kind: &made, logger, clean, clean_kind };
            hand(id, &Told { said, leaves: &leaves, value: &value });
        })
    }
}
