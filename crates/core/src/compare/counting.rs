//! The fold: what both sides say, and the values that they have.

use std::{
    collections::hash_map::Entry as Slot,
    io,
    marker::PhantomData,
    sync::{Arc, Mutex, PoisonError},
};

use super::{Comparison, MOST_VALUES, Per, Side, tallied::Tallied};
use crate::{
    EntryId,
    engine::{
        Pass, Snapshot,
        pass::{Entries, Fold, Growing, Leaf, Told, Took},
    },
    entry::{Level, Severity, Shape, shaped},
    hash::{self, Map, Set},
    kinds::holes_for_words,
    query,
    store::Bits,
    tally::By,
    veil::{Audience, Text},
};

/// What has been counted so far, for a comparison that is extended as entries arrive.
pub struct SoFar<A: Audience> {
    sides: [Side; 2],
    per: Per,
    kept: Growing<Compared<A>>,
}

impl<A: Audience> SoFar<A> {
    /// Nothing of two sides is counted yet.
    #[must_use]
    pub fn of(sides: [Side; 2], per: Per) -> Self {
        Self { sides, per, kept: Growing::default() }
    }

    /// The comparison of the entries there are now, as [`Comparison::of`] has it. `None` when the pass was ended; what was
    /// counted until then is kept. Cost: the bytes of entries that were not counted yet, of all where a side has become
    /// another one; and those of all that a condition on a side must look at.
    pub fn extend(&mut self, snapshot: &Snapshot, pass: &Pass) -> Option<Comparison<A>> {
        let [first, second] = &self.sides;
        let first = first.selection(snapshot, pass)?;
        let second = second.selection(snapshot, pass)?;
        let bits = [&first, &second].map(|selection| selection.by_block(snapshot.blocks.len()));
        let fold = Comparing::<A> { bits, full: Mutex::default(), audience: PhantomData };
        let measured = self.kept.extend(snapshot, &[&first, &second], &fold, pass)?;
        Some(Comparison::put_together(snapshot, [&first, &second], self.per, measured))
    }
}

impl<A: Audience> Comparison<A> {
    /// Compares two selections. `None` when the pass was ended. Cost: the bytes of the entries of both.
    #[must_use]
    pub fn of(snapshot: &Snapshot, sides: [&Side; 2], per: Per, pass: &Pass) -> Option<Self> {
        SoFar::of(sides.map(Side::clone), per).extend(snapshot, pass)
    }
}

/// The values of a field.
#[derive(Clone)]
pub(super) struct Values<A: Audience> {
    pub(super) values: Map<Text<'static, A>, Tallied>,
    /// Its name, as it may be shown.
    name: Text<'static, A>,
    /// There were too many in one block.
    overflown: bool,
}

impl<A: Audience> Default for Values<A> {
    fn default() -> Self {
        let name = Text::default();
        Self { values: Map::default(), name, overflown: false }
    }
}

impl<A: Audience> Values<A> {
    /// Takes in that there are too many of them, or may be, of a field of this name.
    fn overflows(&mut self, overflown: bool, name: &Text<'static, A>) {
        self.overflown |= overflown;
        if self.name.as_str().is_empty() {
            self.name = name.clone();
        }
    }

    /// Whether there are too many to be compared.
    pub(super) fn is_full(&self) -> bool {
        self.overflown || self.values.len() > MOST_VALUES
    }
}

#[derive(Clone)]
pub(super) struct Compared<A: Audience> {
    pub(super) kinds: Map<Text<'static, A>, Tallied>,
    pub(super) fields: Map<By, Values<A>>,
}

impl<A: Audience> Default for Compared<A> {
    fn default() -> Self {
        Self { kinds: Map::default(), fields: Map::default() }
    }
}

struct Comparing<A> {
    /// The entries of both sides, by the number of their block.
    bits: [Vec<Option<Arc<Bits>>>; 2],
    /// Fields that are known to have too many values.
    full: Mutex<Set<u64>>,
    audience: PhantomData<A>,
}

/// A field of a block, by how its values stand in the log.
struct Field {
    by: By,
    shape: Shape,
    /// The numbers of its values; none of those beyond the most that are compared.
    values: Map<u64, Option<usize>>,
}

impl Field {
    fn of(by: By) -> Self {
        let shape = if let By::Field { shape, .. } = &by { *shape } else { Shape::Whole };
        Self { by, shape, values: Map::default() }
    }
}

/// A field of a block that was seen, by the number of its path.
struct Seen<A: Audience> {
    /// The hash of its path; none before it is seen.
    key: Option<u64>,
    /// None where it is not compared.
    field: Option<Field>,
    /// Its name as it may be shown, where it is compared.
    name: Option<Text<'static, A>>,
    /// A value of it was taken in, with its name.
    named: bool,
    /// It says something of how long an entry took.
    times: bool,
    /// The entry that had it last, and how often.
    last: (usize, usize),
}

impl<A: Audience> Default for Seen<A> {
    fn default() -> Self {
        Self { key: None, field: None, name: None, named: false, times: false, last: (0, 0) }
    }
}

/// A value of a field that was found in a block.
struct Found<A: Audience> {
    by: By,
    name: Text<'static, A>,
    text: Text<'static, A>,
    tallied: Tallied,
}

/// What is found in the entries of a block.
struct Finding<A: Audience> {
    kinds: Vec<(Text<'static, A>, Tallied)>,
    known: Map<u64, usize>,
    values: Vec<Found<A>>,
    /// Level, source and logger; then fields.
    own: [Field; 3],
    fields: Vec<Seen<A>>,
    /// The number of the entry at hand, from 1.
    now: usize,
    /// Fields that are known to have too many values.
    full: Set<u64>,
}

/// An entry, and what is known of it.
struct At<'e, A: Audience> {
    id: EntryId,
    sides: [bool; 2],
    level: Option<Level>,
    told: &'e Told<'e, A>,
}

impl<A: Audience> Finding<A> {
    fn new(full: Set<u64>) -> Self {
        Self {
            full,
            kinds: Vec::new(),
            known: Map::default(),
            values: Vec::new(),
            own: [By::Level, By::Source, By::Logger].map(Field::of),
            fields: Vec::new(),
            now: 0,
        }
    }

    /// The number of the kind of an entry.
    fn kind(&mut self, at: &At<'_, A>) -> Option<usize> {
        if at.told.said.kind.is_empty() {
            return None;
        }
        let number = *self.known.entry(hash::of(at.told.said.kind)).or_insert_with(|| {
            self.kinds.push(((at.told.said.clean_kind)(), Tallied::default()));
            self.kinds.len() - 1
        });
        self.kinds[number].1.add(at.id, at.sides, at.level);
        Some(number)
    }

    /// A part that every entry may have, by its place in `own`.
    fn own(&mut self, at: &At<'_, A>, which: usize, text: &str) {
        let field = &mut self.own[which];
        let make = || {
            let shown = (at.told.said.clean)(text);
            Some((shown.made_into(String::new()), shown))
        };
        if let Some(number) = value(field, &mut self.values, text, make) {
            self.values[number].tallied.add(at.id, at.sides, at.level);
        }
    }

    fn field(&mut self, at: &At<'_, A>, leaf: Leaf<'_>, took: &mut Took) {
        let (Leaf { number, path, .. }, Some(raw)) = (leaf, leaf.value) else { return };
        if self.fields.len() <= number {
            self.fields.resize_with(number + 1, Seen::default);
        }
        let seen = &mut self.fields[number];
        if seen.key.is_none() {
            let compared = is_compared(path, &self.full);
            seen.key = Some(hash::of(path));
            seen.field = compared.then(|| Field::of(By::field(path)));
            // A field's name is looked at once a block: also that of one whose values can't be shown.
            seen.name = compared.then(|| (at.told.said.clean)(path));
            seen.times = Took::is_told_by(path);
        }
        if seen.times {
            took.look_at(path, raw);
        }
        let Some(field) = &mut seen.field else { return };
        // A field that is there several times goes by the place of its value among them.
        let place = if seen.last.0 == self.now { seen.last.1 } else { 0 };
        seen.last = (self.now, place + 1);
        let shape = field.shape;
        let name = seen.name.clone().filter(|_| !seen.named);
        let named = &mut seen.named;
        let make = || {
            let text = (at.told.value)(path, place)?;
            *named = true;
            let made = shaped(shape, text.as_str()).into_owned();
            let name = name.unwrap_or_else(|| text.made_into(String::new()));
            Some((name, text.made_into(made)))
        };
        if let Some(number) = value(field, &mut self.values, &shaped(shape, raw), make) {
            self.values[number].tallied.add(at.id, at.sides, at.level);
        }
    }
}

/// Whether the values of a field are compared, where those of some are known to be too many.
fn is_compared(path: &str, full: &Set<u64>) -> bool {
    let own = path.rsplit('.').next().unwrap_or(path);
    !query::is_duration_name(own)
        && !own.bytes().all(|b| b.is_ascii_digit())
        && !full.contains(&hash::of(path))
}

/// The number of a value; `make` makes the names of its field and itself where it is new.
fn value<A: Audience>(
    field: &mut Field,
    values: &mut Vec<Found<A>>,
    written: &str,
    make: impl FnOnce() -> Option<(Text<'static, A>, Text<'static, A>)>,
) -> Option<usize> {
    // One more than are compared, so that it is known to have too many.
    let full = field.values.len() > MOST_VALUES;
    match field.values.entry(hash::of(written)) {
        Slot::Occupied(known) => *known.get(),
        Slot::Vacant(_) if full => None,
        Slot::Vacant(new) => {
            let number = make().map(|(name, text)| {
                values.push(Found {
                    by: field.by.clone(),
                    name,
                    text,
                    tallied: Tallied::default(),
                });
                values.len() - 1
            });
            *new.insert(number)
        }
    }
}

impl<A: Audience> Fold for Comparing<A> {
    type Part = Compared<A>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Compared<A>) -> io::Result<()> {
        let block = Arc::clone(entries.block());
        let (number, source) = (entries.number(), entries.source());
        let has = |side: usize, index: usize| -> bool {
            self.bits[side].get(number).and_then(Option::as_ref).is_some_and(|bits| bits.has(index))
        };
        let source = source.to_string();
        let full = || self.full.lock().unwrap_or_else(PoisonError::into_inner);
        let known = full().clone();
        let mut finding = Finding::new(known.clone());
        let wanted = |path: &str| is_compared(path, &known) || Took::is_told_by(path);
        entries.each_telling::<A>(&wanted, &mut |id, told| {
            let index = id.index();
            let at = At {
                id,
                sides: [has(0, index), has(1, index)],
                level: block.severity(index).map(Severity::level),
                told,
            };
            let kind = finding.kind(&at);
            if let Some(level) = at.level {
                finding.own(&at, 0, level.name());
            }
            finding.own(&at, 1, &source);
            if let Some(logger) = told.said.logger {
                finding.own(&at, 2, logger);
            }
            finding.now += 1;
            let mut took = Took::default();
            for leaf in told.leaves.each() {
                finding.field(&at, leaf, &mut took);
            }
            if let (Some(kind), Some(seconds)) = (kind, took.seconds()) {
                let took = &mut finding.kinds[kind].1.took;
                (0..2).filter(|side| at.sides[*side]).for_each(|side| took[side].add(seconds));
            }
        })?;
        let overflown = |seen: &&Seen<A>| {
            seen.field.as_ref().is_some_and(|field| field.values.len() > MOST_VALUES)
        };
        full().extend(finding.fields.iter().filter(overflown).filter_map(|seen| seen.key));
        let overflown = finding.fields.iter().filter(overflown);
        let overflown: Vec<(By, Text<'static, A>)> = overflown
            .filter_map(|seen| Some((seen.field.as_ref()?.by.clone(), seen.name.clone()?)))
            .collect();
        for (text, tallied) in finding.kinds {
            part.take_kind(text, &tallied);
        }
        for found in finding.values {
            part.take_value(found.by, found.name, found.text, &found.tallied);
        }
        for (by, name) in overflown {
            part.fields.entry(by).or_default().overflows(true, &name);
        }
        Ok(())
    }

    fn merge(&self, whole: &mut Compared<A>, part: Compared<A>) {
        for (text, tallied) in part.kinds {
            whole.take_kind(text, &tallied);
        }
        for (by, field) in part.fields {
            let known = whole.fields.entry(by.clone()).or_default();
            known.overflows(field.overflown, &field.name);
            for (text, tallied) in field.values {
                whole.take_value(by.clone(), field.name.clone(), text, &tallied);
            }
        }
    }
}

impl<A: Audience> Compared<A> {
    fn take_kind(&mut self, text: Text<'static, A>, tallied: &Tallied) {
        match self.kinds.entry(text) {
            Slot::Occupied(mut known) => known.get_mut().merge(tallied),
            Slot::Vacant(new) => drop(new.insert(tallied.clone())),
        }
    }

    fn take_value(
        &mut self,
        by: By,
        name: Text<'static, A>,
        text: Text<'static, A>,
        tallied: &Tallied,
    ) {
        let field = self.fields.entry(by).or_default();
        if field.name.as_str().is_empty() {
            field.name = name;
        }
        // With too many of them it is not compared, and needs no more.
        let full = field.is_full();
        match field.values.entry(text) {
            Slot::Occupied(mut known) => known.get_mut().merge(tallied),
            Slot::Vacant(_) if full => {}
            Slot::Vacant(new) => drop(new.insert(tallied.clone())),
        }
    }

    /// Puts kinds together that differ in words that vary.
    pub(super) fn find_words(&mut self) {
        let kinds: Vec<(Text<'static, A>, Tallied)> = self.kinds.drain().collect();
        let texts: Vec<&str> = kinds.iter().map(|(text, _)| text.as_str()).collect();
        let become_of = holes_for_words(&texts);
        for ((text, tallied), words) in kinds.into_iter().zip(become_of) {
            let text = words.map_or(text.clone(), |words| text.made_into(words.into()));
            self.take_kind(text, &tallied);
        }
    }

    pub(super) fn left_out(&self) -> Vec<Text<'static, A>> {
        let large = self.fields.values().filter(|field| field.is_full());
        let mut names: Vec<Text<'static, A>> = large.map(|field| field.name.clone()).collect();
        names.sort_unstable();
        names
    }
}
