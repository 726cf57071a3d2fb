//! The ids of a block's entries: which entries have an id, and how the requests ended.
//!
//! Of each id six bytes of a hash are kept, once in a block, grouped by kind. Entries that have the same ids share a
//! set of them, and each entry has the number of its set: two bytes an entry, and a few for each request that
//! leaves entries in the block.

use std::ops::Range;

use super::bits::Bits;
use crate::entry::ids::{ByKey, IdKey, KINDS};

/// What an entry says of how something ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Outcome {
    /// The status of HTTP, 100 to 599, or 0.
    pub(crate) status: u16,
    /// Seconds that it took, or less than 0.
    pub(crate) took: f32,
}

impl Outcome {
    /// The statuses before the first one.
    const BEFORE: u64 = 99;
    /// Stands for no duration: no number.
    const NOTHING: u32 = i32::MAX.cast_unsigned();

    /// A duration needs no sign; its place and eight bits more are for the status.
    fn pack(self) -> [u8; 5] {
        let took = if self.took >= 0.0 { self.took.abs().to_bits() } else { Self::NOTHING };
        let status = u64::from(self.status).saturating_sub(Self::BEFORE).min(511);
        let [one, two, three, four, five, ..] = (status << 31 | u64::from(took)).to_le_bytes();
        [one, two, three, four, five]
    }

    fn unpack([one, two, three, four, five]: [u8; 5]) -> Self {
        let took = u32::from_le_bytes([one, two, three, four]) & Self::NOTHING;
        let status = u16::from(five) << 1 | u16::from(four >> 7);
        Self {
            status: if status == 0 { 0 } else { status + 99 },
            took: if took == Self::NOTHING { -1.0 } else { f32::from_bits(took) },
        }
    }
}

/// The ids of a block's entries.
#[derive(Debug, Default)]
pub(crate) struct IdColumn {
    /// The ids of each kind in turn, sorted within it.
    keys: Box<[[u8; 6]]>,
    /// Where those of each kind begin.
    kinds: [u32; KINDS.len() + 1],
    /// For each entry 0, or one more than the number of its only id, or, above those, than where its set begins among
    /// the members.
    sets: Numbers,
    /// The ids of each set in turn, each doubled, with one more for the last of its set.
    members: Numbers,
    /// The entries that say how something ended, and what they say, each in five bytes.
    ends: Bits,
    outcomes: Box<[[u8; 5]]>,
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
            + self.members.bytes()
            + self.ends.bytes()
            + self.outcomes.len() * size_of::<[u8; 5]>()
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
        let (single, start) = match set.checked_sub(1) {
            None => (None, None),
            Some(id) if id < self.keys.len() => (Some(id), None),
            Some(start) => (None, Some(start - self.keys.len())),
        };
        single.into_iter().chain(start.into_iter().flat_map(|start| self.set(start)))
    }

    /// The ids of a set, by where it begins.
    fn set(&self, start: usize) -> impl Iterator<Item = usize> + '_ {
        let mut over = false;
        (start..self.members.len()).map_while(move |at| {
            let member = self.members.get(at);
            let begun_behind = std::mem::replace(&mut over, member % 2 == 1);
            (!begun_behind).then_some(member / 2)
        })
    }

    /// Where the sets begin.
    fn starts(&self) -> impl Iterator<Item = usize> + '_ {
        let mut begins = true;
        (0..self.members.len())
            .filter(move |at| std::mem::replace(&mut begins, self.members.get(*at) % 2 == 1))
    }

    /// The entries that have one of some ids, by their numbers. Cost: a look at the set of each entry.
    pub(crate) fn entries(&self, ids: &[usize]) -> Vec<usize> {
        if ids.is_empty() {
            return Vec::new();
        }
        let keys = self.keys.len();
        let mut wanted = vec![false; 1 + keys + self.members.len()];
        ids.iter().for_each(|id| wanted[1 + id] = true);
        for start in self.starts() {
            wanted[1 + keys + start] = self.set(start).any(|id| ids.contains(&id));
        }
        (0..self.sets.len()).filter(|index| wanted[self.sets.get(*index)]).collect()
    }

    /// The ids that stand beside some in an entry, by their numbers, those themselves left out. Cost: a look at
    /// each set.
    pub(crate) fn beside(&self, ids: &[usize]) -> Vec<usize> {
        let mut found = Vec::new();
        for start in self.starts() {
            if self.set(start).any(|id| ids.contains(&id)) {
                found.extend(self.set(start).filter(|id| !ids.contains(id)));
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// What entries say of how something ended, in the order of entries: those with an id or a status.
    pub(crate) fn outcomes(&self) -> impl Iterator<Item = (usize, Outcome)> + '_ {
        self.ends.iter().zip(self.outcomes.iter().map(|packed| Outcome::unpack(*packed)))
    }

    /// What an entry says of how something ended.
    pub(crate) fn outcome(&self, index: usize) -> Option<Outcome> {
        let packed = self.ends.has(index).then(|| self.outcomes.get(self.ends.rank(index)));
        packed.flatten().map(|packed| Outcome::unpack(*packed))
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
    outcomes: Vec<(usize, Outcome)>,
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
        // A duration alone ends nothing that could be asked for.
        if status > 0 || took >= 0.0 && !self.current.is_empty() {
            self.outcomes.push((self.entries.len(), Outcome { status, took }));
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
        let number = |number: usize| u32::try_from(number).unwrap_or(u32::MAX);
        let (mut starts, mut members) = (Vec::new(), Vec::new());
        for set in (0..).take(self.ends.len()) {
            let start = members.len();
            starts.push(number(start));
            members.extend(self.set(set).iter().map(|number| places[*number as usize] * 2));
            members[start..].sort_unstable();
            if let Some(last) = members.last_mut() {
                *last += 1;
            }
        }
        let above = number(count);
        let sets = self.entries.iter().map(|entry| match entry {
            None => 0,
            Some(Ok(number)) => 1 + places[*number as usize],
            Some(Err(set)) => 1 + above + starts[*set as usize],
        });
        let some = if self.outcomes.is_empty() { 0 } else { self.entries.len() };
        let mut ends = Bits::none(some);
        self.outcomes.iter().for_each(|(index, _)| ends.set(*index));
        IdColumn {
            keys,
            kinds,
            sets: Numbers::of(&sets.collect::<Vec<u32>>()),
            members: Numbers::of(&members),
            ends,
            outcomes: self.outcomes.iter().map(|(_, outcome)| outcome.pack()).collect(),
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

    proptest! {
        #[test]
        fn outcomes_come_out_as_they_went_in(
            told in proptest::collection::vec((prop_oneof![Just(0u16), 100u16..=599], prop_oneof![Just(-1.0f32), 0f32..1e9]), 0..200),
        ) {
            let mut builder = IdBuilder::default();
            for (entry, (status, took)) in (0u64..).zip(&told) {
                // Every third entry has no id.
                if entry % 3 > 0 {
                    builder.id(0, IdKey(entry));
                }
                builder.next(*status, *took);
            }
            let column = builder.finish();
            let ends = |at: &usize| told[*at].0 > 0 || told[*at].1 >= 0.0 && !at.is_multiple_of(3);
            let want: Vec<(usize, Outcome)> = (0..told.len())
                .filter(ends)
                .map(|at| (at, Outcome { status: told[at].0, took: told[at].1 }))
                .collect();
            prop_assert_eq!(column.outcomes().collect::<Vec<_>>(), &want[..]);
            for at in 0..told.len() {
                let known = want.iter().find(|(index, _)| *index == at).map(|(_, outcome)| *outcome);
                prop_assert_eq!(column.outcome(at), known);
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
        assert_eq!((column.len(), column.outcomes().count()), (2_000, 2_000));
        assert!(
            column.bytes() <= 6_000 * 2 + 2_000 * (6 + 5) + 6_000 / 8 + 256,
            "{}",
            column.bytes()
        );
    }
}
