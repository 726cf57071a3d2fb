//! The ids of a block's entries: which entries have an id, and how the requests ended.
//!
//! Of each id six bytes of a hash are kept, once in a block, grouped by kind. Entries that have the same ids share a
//! set of them, and each entry has the number of its set: two bytes an entry, and a few for each request that
//! leaves entries in the block.

use std::ops::Range;

use crate::entry::ids::{ByKey, IdKey, KINDS};

/// What an entry says of how something ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Outcome {
    pub(crate) index: u16,
    /// The status of HTTP, or 0.
    pub(crate) status: u16,
    /// Seconds that it took, or less than 0.
    pub(crate) took: f32,
}

/// The ids of a block's entries.
#[derive(Debug, Default)]
pub(crate) struct IdColumn {
    /// The ids of each kind in turn, sorted within it.
    keys: Box<[[u8; 6]]>,
    /// Where those of each kind begin.
    kinds: [u32; KINDS.len() + 1],
    /// For each entry 0, or one more than the number of its only id, or, above those, of its set.
    sets: Numbers,
    /// Where the ids of each set begin among the members.
    bounds: Numbers,
    members: Numbers,
    outcomes: Box<[Outcome]>,
}

/// Numbers, as narrow as they can be.
#[derive(Debug)]
enum Numbers {
    Narrow(Box<[u16]>),
    Wide(Box<[u32]>),
}

impl Default for Numbers {
    fn default() -> Self {
        Self::Narrow(Box::default())
    }
}

impl Numbers {
    fn of(numbers: &[u32]) -> Self {
        let narrow: Result<Box<[u16]>, _> = numbers.iter().map(|n| u16::try_from(*n)).collect();
        narrow.map_or_else(|_| Self::Wide(numbers.into()), Self::Narrow)
    }

    fn get(&self, at: usize) -> usize {
        match self {
            Self::Narrow(numbers) => numbers.get(at).copied().unwrap_or(0).into(),
            Self::Wide(numbers) => numbers.get(at).copied().unwrap_or(0) as usize,
        }
    }

    fn len(&self) -> usize {
        match self {
            Self::Narrow(numbers) => numbers.len(),
            Self::Wide(numbers) => numbers.len(),
        }
    }

    fn bytes(&self) -> usize {
        match self {
            Self::Narrow(numbers) => numbers.len() * 2,
            Self::Wide(numbers) => numbers.len() * 4,
        }
    }
}

impl IdColumn {
    /// The bytes that it takes.
    pub(crate) fn bytes(&self) -> usize {
        size_of::<Self>()
            + self.keys.len() * 6
            + self.sets.bytes()
            + self.bounds.bytes()
            + self.members.bytes()
            + self.outcomes.len() * size_of::<Outcome>()
    }

    /// How many different ids there are, those of all kinds.
    pub(crate) fn len(&self) -> usize {
        self.keys.len()
    }

    /// The numbers of the ids of a kind.
    pub(crate) fn of_kind(&self, kind: usize) -> Range<usize> {
        self.kinds[kind] as usize..self.kinds[kind + 1] as usize
    }

    /// The kind of an id, by its number.
    pub(crate) fn kind(&self, id: usize) -> usize {
        self.kinds.partition_point(|start| *start as usize <= id) - 1
    }

    pub(crate) fn key(&self, id: usize) -> IdKey {
        IdKey::from_bytes(self.keys[id])
    }

    /// The numbers of the ids with a key: one for each kind under which it occurs.
    pub(crate) fn find(&self, key: IdKey) -> impl Iterator<Item = usize> + '_ {
        let key = key.to_bytes();
        (0..KINDS.len()).filter_map(move |kind| {
            let range = self.of_kind(kind);
            let at = self.keys[range.clone()].binary_search(&key).ok()?;
            Some(range.start + at)
        })
    }

    /// The numbers of the ids of an entry, sorted.
    pub(crate) fn ids(&self, index: usize) -> impl Iterator<Item = usize> + '_ {
        let set = self.sets.get(index);
        let (single, members) = match set.checked_sub(1) {
            None => (None, 0..0),
            Some(id) if id < self.keys.len() => (Some(id), 0..0),
            Some(set) => (None, self.members_of(set - self.keys.len())),
        };
        single.into_iter().chain(members.map(|at| self.members.get(at)))
    }

    fn members_of(&self, set: usize) -> Range<usize> {
        self.bounds.get(set)..self.bounds.get(set + 1)
    }

    /// The entries that have one of some ids, by their numbers. Cost: a look at the set of each entry.
    pub(crate) fn entries(&self, ids: &[usize]) -> Vec<usize> {
        if ids.is_empty() {
            return Vec::new();
        }
        let keys = self.keys.len();
        let sets = self.bounds.len().saturating_sub(1);
        let mut wanted = vec![false; 1 + keys + sets];
        ids.iter().for_each(|id| wanted[1 + id] = true);
        for set in 0..sets {
            let mut members = self.members_of(set).map(|at| self.members.get(at));
            wanted[1 + keys + set] = members.any(|id| ids.contains(&id));
        }
        (0..self.sets.len()).filter(|index| wanted[self.sets.get(*index)]).collect()
    }

    /// The ids that stand beside some in an entry, by their numbers, those themselves left out. Cost: a look at
    /// each set.
    pub(crate) fn beside(&self, ids: &[usize]) -> Vec<usize> {
        let mut found = Vec::new();
        for set in 0..self.bounds.len().saturating_sub(1) {
            let members = || self.members_of(set).map(|at| self.members.get(at));
            if members().any(|id| ids.contains(&id)) {
                found.extend(members().filter(|id| !ids.contains(id)));
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// What entries say of how something ended, in the order of entries.
    pub(crate) fn outcomes(&self) -> &[Outcome] {
        &self.outcomes
    }
}

/// Takes the ids of one entry after the other.
#[derive(Default)]
pub(crate) struct IdBuilder {
    numbers: ByKey<(u8, IdKey), u32>,
    keys: Vec<(u8, IdKey)>,
    /// The sets of several ids, one behind the other, each sorted as they came, and where each ends.
    several: Vec<u32>,
    ends: Vec<u32>,
    /// Sets by their hash; one that shares it with another is kept as often as it comes.
    known: ByKey<IdKey, u32>,
    /// Of each entry: nothing, one id, or a set.
    entries: Vec<Option<Result<u32, u32>>>,
    /// The ids of the entry that is being taken.
    current: Vec<u32>,
    outcomes: Vec<Outcome>,
}

impl IdBuilder {
    /// Takes an id of the entry at hand.
    pub(crate) fn id(&mut self, kind: usize, key: IdKey) {
        let id = (u8::try_from(kind).unwrap_or(u8::MAX), key);
        let keys = &mut self.keys;
        let number = *self.numbers.entry(id).or_insert_with(|| {
            keys.push(id);
            u32::try_from(keys.len() - 1).unwrap_or(u32::MAX)
        });
        if !self.current.contains(&number) {
            self.current.push(number);
        }
    }

    /// Whether the entry at hand has this id, under whatever name.
    pub(crate) fn has(&self, key: IdKey) -> bool {
        self.current.iter().any(|number| self.keys[*number as usize].1 == key)
    }

    /// Whether the entries at hand of two builders have the same ids.
    pub(crate) fn is_at_same(&self, other: &Self) -> bool {
        let current = |builder: &Self| {
            let ids = builder.current.iter().map(|number| builder.keys[*number as usize]);
            let mut ids: Vec<_> = ids.collect();
            ids.sort_unstable();
            ids
        };
        current(self) == current(other)
    }

    /// The entry at hand is over.
    pub(crate) fn next(&mut self, status: u16, took: f32) {
        if status > 0 || took >= 0.0 {
            let index = u16::try_from(self.entries.len()).unwrap_or(u16::MAX);
            self.outcomes.push(Outcome { index, status, took });
        }
        let entry = match self.current.as_mut_slice() {
            [] => None,
            [one] => Some(Ok(*one)),
            several => {
                several.sort_unstable();
                let mix = |mixed: u64, id: &u32| {
                    (mixed ^ u64::from(*id)).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29)
                };
                let hash = IdKey(several.iter().fold(several.len() as u64, mix));
                let known = self.known.get(&hash).copied();
                let known = known.filter(|set| self.set(*set) == self.current);
                Some(Err(known.unwrap_or_else(|| {
                    let set = u32::try_from(self.ends.len()).unwrap_or(u32::MAX);
                    self.several.extend(&self.current);
                    self.ends.push(u32::try_from(self.several.len()).unwrap_or(u32::MAX));
                    self.known.insert(hash, set);
                    set
                })))
            }
        };
        self.entries.push(entry);
        self.current.clear();
    }

    /// The ids of a set.
    fn set(&self, set: u32) -> &[u32] {
        let set = set as usize;
        let end = |set: usize| self.ends.get(set).map_or(0, |end| *end as usize);
        &self.several[set.checked_sub(1).map_or(0, end)..end(set)]
    }

    pub(crate) fn finish(self) -> IdColumn {
        let count = self.keys.len();
        let mut order: Vec<u32> = (0..).take(count).collect();
        order.sort_unstable_by_key(|number| self.keys[*number as usize]);
        let mut places = vec![0u32; count];
        (0u32..).zip(&order).for_each(|(place, number)| places[*number as usize] = place);
        let mut kinds = [0u32; KINDS.len() + 1];
        for (kind, _) in &self.keys {
            kinds[usize::from(*kind) + 1..].iter_mut().for_each(|start| *start += 1);
        }
        let keys = order.iter().map(|number| self.keys[*number as usize].1.to_bytes()).collect();
        let (mut bounds, mut members) = (Vec::new(), Vec::new());
        for set in (0..).take(self.ends.len()) {
            bounds.push(u32::try_from(members.len()).unwrap_or(u32::MAX));
            let start = members.len();
            members.extend(self.set(set).iter().map(|number| places[*number as usize]));
            members[start..].sort_unstable();
        }
        if !bounds.is_empty() {
            bounds.push(u32::try_from(members.len()).unwrap_or(u32::MAX));
        }
        let above = u32::try_from(count).unwrap_or(u32::MAX);
        let sets = self.entries.iter().map(|entry| match entry {
            None => 0,
            Some(Ok(number)) => 1 + places[*number as usize],
            Some(Err(set)) => 1 + above + set,
        });
        IdColumn {
            keys,
            kinds,
            sets: Numbers::of(&sets.collect::<Vec<u32>>()),
            bounds: Numbers::of(&bounds),
            members: Numbers::of(&members),
            outcomes: self.outcomes.into(),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// What is put into a column comes out of it.
        #[test]
        fn ids_come_out_as_they_went_in(
            entries in proptest::collection::vec(proptest::collection::vec((0usize..KINDS.len(), 0u64..20), 0..5), 0..60),
        ) {
            let mut builder = IdBuilder::default();
            for ids in &entries {
                ids.iter().for_each(|(kind, key)| builder.id(*kind, IdKey(*key)));
                builder.next(0, -1.0);
            }
            let column = builder.finish();
            for (index, ids) in entries.iter().enumerate() {
                let mut want: Vec<(usize, IdKey)> = ids.iter().map(|(kind, key)| (*kind, IdKey(*key))).collect();
                want.sort_unstable();
                want.dedup();
                let got: Vec<(usize, IdKey)> = column.ids(index).map(|id| (column.kind(id), column.key(id))).collect();
                prop_assert_eq!(got, want);
            }
            for key in 0..20 {
                let numbers: Vec<usize> = column.find(IdKey(key)).collect();
                let has = |ids: &[(usize, u64)]| ids.iter().any(|(_, known)| *known == key);
                let want: Vec<usize> = (0..entries.len()).filter(|at| has(&entries[*at])).collect();
                prop_assert_eq!(column.entries(&numbers), want);
                let mut beside: Vec<(usize, u64)> = entries.iter().filter(|ids| has(ids)).flatten().copied().collect();
                beside.retain(|(_, other)| *other != key);
                beside.sort_unstable();
                beside.dedup();
                let got: Vec<(usize, u64)> =
                    column.beside(&numbers).iter().map(|id| (column.kind(*id), column.key(*id).0)).collect();
                prop_assert_eq!(got, beside);
            }
        }
    }

    #[test]
    fn a_column_of_single_ids_takes_few_bytes() {
        let mut builder = IdBuilder::default();
        for entry in 0..6_000u64 {
            builder.id(0, IdKey(entry / 3));
            builder.next(if entry % 3 == 0 { 200 } else { 0 }, -1.0);
        }
        let column = builder.finish();
        assert_eq!((column.len(), column.outcomes().len()), (2_000, 2_000));
        assert!(column.bytes() <= 6_000 * 2 + 2_000 * (6 + 8) + 256, "{}", column.bytes());
    }
}
