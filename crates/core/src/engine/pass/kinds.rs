//! Entries read in full, and looked at with the veil only where that is asked for.

use std::{borrow::Cow, io, sync::Arc};

use super::entries::{Entries, values_within};
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
    /// A text of the entry as it may be shown. Cost: the entry is looked at with the veil.
    pub(crate) clean: &'s dyn Fn(&str) -> Text<'static, A>,
}

/// One of the values of a field by its dotted path, counted from 0, as it may be shown. Cost: the entry is looked at
/// with the veil.
pub(crate) type Value<'v, A> = dyn Fn(&str, usize) -> Option<Text<'static, A>> + 'v;

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
        hand: &mut dyn FnMut(EntryId, Option<&str>, &Said<'_, A>),
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
                hand(id, gist.logger.as_deref(), &Said { kind: &made, clean: &clean });
                return;
            }
            let entry = block.entry(index, raw);
            kind::push(&entry, &mut made);
            let clean = |text: &str| {
                veil.over::<A>(&entry, Some(place)).text(Cow::Borrowed(text)).into_owned()
            };
            hand(id, entry.logger.as_deref(), &Said { kind: &made, clean: &clean });
        })
    }
    /// Reads each entry in full. Only what is asked to be shown is looked at with the veil.
    pub(crate) fn each_lazily<A: Audience>(
        &mut self,
        hand: &mut dyn FnMut(EntryId, &Entry<'_>, &Value<'_, A>, &Said<'_, A>),
    ) -> io::Result<()> {
        let (number, block, veil) = (self.number, self.block, self.veil);
        let mut made = String::new();
        self.each_raw(&mut |index, raw| {
            let entry = block.entry(index, raw);
            made.clear();
            kind::push(&entry, &mut made);
            let place = block.place(index);
            let clean = |text: &str| {
                veil.over::<A>(&entry, Some(place)).text(Cow::Borrowed(text)).into_owned()
            };
            let value = |path: &str, wanted: usize| {
                let (mut at, mut found) = (0, None);
                let veiled = veil.over::<A>(&entry, Some(place));
                values_within(veiled.parts(true), path, &mut |text| {
                    if at == wanted {
                        found = Some(text.into_owned());
                    }
                    at += 1;
                });
                found
            };
            let said = Said { kind: &made, clean: &clean };
            hand(EntryId::new(number, index), &entry, &value, &said);
        })
    }
}
