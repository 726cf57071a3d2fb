//! What the veil hides: how often each detector hits, where, and what was nearly a hit.

use std::{collections::BTreeMap, io};

use super::{
    Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
};
use crate::{
    source::SourceId,
    store::EntryId,
    veil::{Anyone, By, Class, Hit, Rule, Veil},
};

/// Hits that are kept of each detector to be shown.
const SHOWN: usize = 20;

/// What the veil hides in all entries.
#[derive(Clone, Debug, Default)]
pub struct Hidden {
    /// By who found it.
    pub by: BTreeMap<By, Found>,
    /// Entries that were looked at.
    pub entries: usize,
    /// Entries in which something was found.
    pub holding: usize,
    /// Entries that could not be read.
    pub unread: usize,
}

/// What one detector has found.
#[derive(Clone, Debug)]
pub struct Found {
    /// The class of what it finds.
    pub class: Class,
    /// How often it hit.
    pub hits: u64,
    /// How often it nearly did.
    pub near: u64,
    /// Some of the hits.
    pub shown: Vec<(EntryId, Hit)>,
    /// Some of what was nearly a hit.
    pub nearly: Vec<(EntryId, Hit)>,
}

impl Hidden {
    /// Looks at all entries, whatever the sieve lets through. `None` when the pass was ended. Cost: a look at every
    /// entry, and reading those that hold something.
    #[must_use]
    pub fn of(snapshot: &Snapshot, pass: &Pass) -> Option<Self> {
        Self::by(snapshot, &snapshot.veil, None, pass)
    }

    /// What a rule would find that is not kept yet.
    #[must_use]
    pub fn trial(snapshot: &Snapshot, rule: Rule, pass: &Pass) -> Option<Self> {
        let veil = snapshot.veil.clone().with_rules(vec![rule]);
        veil.know(snapshot.sources.iter().map(|source| source.name.clone()));
        let only = veil.finders().first().map(|(by, _)| *by);
        Self::by(snapshot, &veil, only, pass)
    }

    fn by(snapshot: &Snapshot, veil: &Veil, only: Option<By>, pass: &Pass) -> Option<Self> {
        let places = snapshot.blocks.iter().map(|block| (block.source, block.place)).collect();
        let fold = Looking { veil: veil.blind(), only, places };
        let measured = pass::run(snapshot, &Selection::all(snapshot), &fold, pass)?;
        Some(Self { entries: measured.of, unread: measured.unread, ..measured.part })
    }

    /// How many hits there are.
    #[must_use]
    pub fn hits(&self) -> u64 {
        self.by.values().map(|found| found.hits).sum()
    }

    fn add(&mut self, id: EntryId, hit: Hit) {
        let found = self.by.entry(hit.by).or_insert_with(|| Found {
            class: hit.class,
            hits: 0,
            near: 0,
            shown: Vec::new(),
            nearly: Vec::new(),
        });
        let (count, kept) = match hit.near {
            None => (&mut found.hits, &mut found.shown),
            Some(_) => (&mut found.near, &mut found.nearly),
        };
        *count += 1;
        if kept.len() < SHOWN {
            kept.push((id, hit));
        }
    }
}

/// The measure.
struct Looking {
    veil: Veil,
    only: Option<By>,
    /// Where each block stands in its source. Which comes first is a matter of chance.
    places: Vec<(SourceId, u64)>,
}

impl Looking {
    /// Puts hits together. The first of each source are kept, then the second ones: so much is seen of all.
    fn join(&self, kept: &mut Vec<(EntryId, Hit)>, more: Vec<(EntryId, Hit)>) {
        let place = |id: EntryId| self.places.get(id.block()).copied();
        let mut all = std::mem::take(kept);
        all.extend(more);
        all.sort_by_key(|(id, _)| (place(*id), id.index()));
        let mut counts: BTreeMap<Option<SourceId>, usize> = BTreeMap::new();
        let mut ranked: Vec<_> = all
            .into_iter()
            .map(|(id, hit)| {
                let source = place(id).map(|(source, _)| source);
                let count = counts.entry(source).or_default();
                *count += 1;
                ((*count, source), (id, hit))
            })
            .collect();
        ranked.sort_by_key(|(rank, _)| *rank);
        kept.extend(ranked.into_iter().take(SHOWN).map(|(_, hit)| hit));
    }
}

impl Fold for Looking {
    type Part = Hidden;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Hidden) -> io::Result<()> {
        let block = entries.block().clone();
        entries.each::<Anyone>(&mut |id, entry, _| {
            let before = part.hits();
            for hit in self.veil.hits(entry, Some(block.place(id.index()))) {
                if self.only.is_none_or(|only| only == hit.by) {
                    part.add(id, hit);
                }
            }
            part.holding += usize::from(part.hits() > before);
        })
    }

    fn merge(&self, whole: &mut Hidden, part: Hidden) {
        whole.holding += part.holding;
        for (by, found) in part.by {
            match whole.by.get_mut(&by) {
                None => {
                    whole.by.insert(by, found);
                }
                Some(known) => {
                    known.hits += found.hits;
                    known.near += found.near;
                    self.join(&mut known.shown, found.shown);
                    self.join(&mut known.nearly, found.nearly);
                }
            }
        }
    }
}

impl Snapshot {
    /// Calls `hand` with every hit in the entries of the pan, in their order. Cost: reads each entry.
    ///
    /// # Errors
    ///
    /// Those of `hand`.
    pub fn each_hit<E>(
        &self,
        hand: &mut dyn FnMut(EntryId, &Hit) -> Result<(), E>,
    ) -> Result<Vec<io::Error>, E> {
        let veil = self.veil.blind();
        let mut reader = super::Reader::new(self);
        let mut unread = Vec::new();
        for id in self.pan.iter_from(0) {
            let hits = reader.with(id, |entry, _, placed| {
                veil.hits(entry, Some(placed.block.place(placed.index)))
            });
            match hits {
                Ok(hits) => {
                    for hit in &hits {
                        hand(id, hit)?;
                    }
                }
                Err(error) => unread.push(error),
            }
        }
        Ok(unread)
    }

    /// The veil that everything is shown under.
    #[must_use]
    pub fn veil(&self) -> &Veil {
        &self.veil
    }
}
