//! What the index of ids tells: which entries have an id, and which ids stand together.

use std::{collections::HashMap, io};

use super::{
    Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
    sorted_ids,
};
use crate::{
    entry::ids::{IdKey, KINDS},
    limits,
    store::{Block, EntryId, Hints, IdColumn},
    veil::{Audience, Text},
};

/// An id of an entry, as it may be shown.
#[derive(Clone, Debug)]
pub struct Id<A: Audience> {
    /// What kind of id it is, such as `request_id`.
    pub kind: &'static str,
    /// The id.
    pub text: Text<'static, A>,
    /// What tells it from others.
    pub key: IdKey,
}

/// The kinds of ids, the one that names a single request best first.
#[must_use]
pub fn id_kinds() -> &'static [&'static str] {
    &KINDS
}

impl Snapshot {
    /// Whether the ids of all entries are known.
    #[must_use]
    pub fn is_identified(&self) -> bool {
        self.loaded() && self.progress.identified.0 == self.progress.identified.1
    }

    /// Looks for the ids of all entries, those that are not known. `None` when the pass was ended. Cost: the bytes
    /// of all blocks that are not known.
    #[must_use]
    pub fn identify(&self, pass: &Pass) -> Option<()> {
        struct Identify;
        impl Fold for Identify {
            type Part = ();
            fn measure(&self, entries: &mut Entries<'_>, (): &mut ()) -> io::Result<()> {
                entries.identify().map(|_| ())
            }
            fn merge(&self, (): &mut (), (): ()) {}
        }
        let unknown = self.blocks.iter().enumerate().filter(|(_, block)| block.ids.get().is_none());
        let first =
            unknown.filter(|(_, block)| block.len() > 0).map(|(number, _)| EntryId::new(number, 0));
        pass::run(self, &Selection::of(self, first), &Identify, pass).map(|_| ())
    }

    /// The bytes that the index of ids takes, and the entries that it knows.
    #[must_use]
    pub fn size_of_ids(&self) -> (usize, usize) {
        let known = self.blocks.iter().filter_map(|block| {
            let hints = block.hints.get().map_or(0, Hints::bytes);
            Some((block.ids.get()?.bytes() + hints, block.len()))
        });
        known.fold((0, 0), |(bytes, entries), (more, len)| (bytes + more, entries + len))
    }

    /// The ids of an entry, the best one first.
    ///
    /// # Errors
    ///
    /// As [`Snapshot::row`].
    pub fn ids_of<A: Audience>(&self, id: EntryId) -> io::Result<Vec<Id<A>>> {
        let block = self.block(id).ok_or(io::ErrorKind::NotFound)?;
        let (bytes, _) = block.read(id.index(), limits::INSPECT_BYTES)?;
        let entry = block.entry(id.index(), &bytes);
        let veiled = self.veil.over::<A>(&entry, Some(block.place(id.index())));
        let ids = sorted_ids(&entry).into_iter().map(|(kind, value)| Id {
            kind,
            key: IdKey::of(kind, &value),
            text: veiled.text(value.into()),
        });
        Ok(ids.collect())
    }

    /// The ids of an entry as they are written: for what compares them, and never shows them.
    pub(crate) fn written_ids(&self, id: EntryId) -> io::Result<Vec<(&'static str, String)>> {
        let block = self.block(id).ok_or(io::ErrorKind::NotFound)?;
        let (bytes, _) = block.read(id.index(), limits::INSPECT_BYTES)?;
        Ok(sorted_ids(&block.entry(id.index(), &bytes)))
    }

    /// The entries of a source between two of its entries, in the order in which they stand there; none where they are
    /// more than `most`.
    pub(crate) fn between(&self, from: EntryId, to: EntryId, most: usize) -> Vec<EntryId> {
        let (Some(first), Some(last)) = (self.block(from), self.block(to)) else {
            return Vec::new();
        };
        let within = |block: &Block| {
            block.source == first.source && (first.place..=last.place).contains(&block.place)
        };
        let mut blocks: Vec<usize> =
            (0..self.blocks.len()).filter(|number| within(&self.blocks[*number])).collect();
        blocks.sort_by_key(|number| self.blocks[*number].place);
        let mut found = Vec::new();
        for number in blocks {
            let start = if number == from.block() { from.index() + 1 } else { 0 };
            let end = if number == to.block() { to.index() } else { self.blocks[number].len() };
            if end.saturating_sub(start) + found.len() > most {
                return Vec::new();
            }
            found.extend((start..end).map(|index| EntryId::new(number, index)));
        }
        found
    }

    /// The entries that have one of some ids, in the order of time. Cost: a search in each block, and a look at
    /// the set of each entry of those that have one.
    #[must_use]
    pub fn entries_with(&self, keys: &[IdKey]) -> Vec<EntryId> {
        let mut found = Vec::new();
        self.each_column_with(keys, &mut |number, column, ids| {
            found.extend(column.entries(ids).into_iter().map(|index| EntryId::new(number, index)));
        });
        found.sort_by_cached_key(|id| self.place_of(*id));
        found
    }

    /// The entries of each of several ids, by the number that each has; in the order of blocks. Cost: a look at all ids
    /// of all blocks.
    pub(crate) fn entries_with_each(&self, keys: &HashMap<IdKey, usize>) -> Vec<Vec<EntryId>> {
        let mut found = vec![Vec::new(); keys.len()];
        for (number, block) in self.blocks.iter().enumerate() {
            let Some(column) = block.ids.get() else { continue };
            let wanted: Vec<Option<usize>> =
                (0..column.len()).map(|id| keys.get(&column.key(id)).copied()).collect();
            if wanted.iter().all(Option::is_none) {
                continue;
            }
            for index in 0..block.len() {
                let id = EntryId::new(number, index);
                for of in column.ids(index).filter_map(|id| wanted[id]) {
                    // One id may be there under two names.
                    if found[of].last() != Some(&id) {
                        found[of].push(id);
                    }
                }
            }
        }
        found
    }

    /// How many entries have an id. Cost: as [`Snapshot::entries_with`].
    #[must_use]
    pub fn count_with(&self, key: IdKey) -> usize {
        let mut count = 0;
        self.each_column_with(&[key], &mut |_, column, ids| count += column.entries(ids).len());
        count
    }

    /// How many entries have an id, and in how many sources. Cost: as [`Snapshot::entries_with`].
    #[must_use]
    pub fn spread_of(&self, key: IdKey) -> (usize, usize) {
        let (mut entries, mut sources) = (0, vec![false; self.sources.len()]);
        self.each_column_with(&[key], &mut |number, column, ids| {
            entries += column.entries(ids).len();
            sources[self.blocks[number].source.index()] = true;
        });
        (entries, sources.into_iter().filter(|is| *is).count())
    }

    /// The ids that stand beside some in an entry: the kind of each, its key, and an entry that has it.
    pub(crate) fn ids_beside(&self, keys: &[IdKey]) -> Vec<(&'static str, IdKey, EntryId)> {
        let mut found: HashMap<(usize, IdKey), EntryId> = HashMap::new();
        self.each_column_with(keys, &mut |number, column, ids| {
            for id in column.beside(ids) {
                let known = found.entry((column.kind(id), column.key(id)));
                known.or_insert_with(|| {
                    let index = column.entries(&[id]).first().copied().unwrap_or(0);
                    EntryId::new(number, index)
                });
            }
        });
        let mut found: Vec<_> =
            found.into_iter().map(|((kind, key), entry)| (KINDS[kind], key, entry)).collect();
        found.sort_unstable();
        found
    }

    fn each_column_with(&self, keys: &[IdKey], hand: &mut dyn FnMut(usize, &IdColumn, &[usize])) {
        for (number, block) in self.blocks.iter().enumerate() {
            let Some(column) = block.ids.get() else { continue };
            let ids: Vec<usize> = keys.iter().flat_map(|key| column.find(*key)).collect();
            if !ids.is_empty() {
                hand(number, column, &ids);
            }
        }
    }
}
