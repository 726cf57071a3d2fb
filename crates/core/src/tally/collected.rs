//! What has been counted of groups. Texts are kept once and have numbers, and a group is known by the numbers of its values.

use std::cmp::Reverse;

use super::{
    By, Shape, Sketch, Unit,
    groups::{Group, Key, Question, Tally},
};
use crate::{
    entry::{Level, shaped},
    hash::{self, Map, Set},
    kinds::holes_for_words,
    layout::LayoutId,
    store::EntryId,
    veil::{Audience, Text},
};

/// Things that entries are grouped by at most.
pub const MOST_BY: usize = 3;
/// Groups that are kept one by one; of more the smallest are pooled.
pub const MOST_GROUPS: usize = if cfg!(test) { 200 } else { 1_000_000 };
/// Different values that are counted one by one, those of all groups together.
const MOST_DIFFERENT: usize = 4_000_000;
/// Bytes of a value that a group is named by.
const LONGEST: usize = 300;
/// Groups that one entry belongs to at most, by the items of its lists.
const COMBINED: usize = 64;
/// Stands for a value that an entry does not have.
const NOTHING: u64 = u64::MAX;

/// What is counted of a group.
#[derive(Clone, Debug)]
struct Stats {
    count: u64,
    errors: u64,
    span: Option<(i64, i64)>,
    /// What is measured, by its unit.
    values: [Option<Box<Sketch>>; 3],
    different: Option<Set<u64>>,
    largest: (f64, EntryId),
}

impl Stats {
    fn of(id: EntryId) -> Self {
        Self {
            count: 0,
            errors: 0,
            span: None,
            values: [const { None }; 3],
            different: None,
            largest: (f64::NEG_INFINITY, id),
        }
    }

    fn merge(&mut self, other: Self, different: &mut usize) {
        self.count += other.count;
        self.errors += other.errors;
        self.span = match (self.span, other.span) {
            (Some((first, last)), Some((from, to))) => Some((first.min(from), last.max(to))),
            (one, other) => one.or(other),
        };
        for (mine, theirs) in self.values.iter_mut().zip(other.values) {
            match (mine, theirs) {
                (Some(mine), Some(theirs)) => mine.merge(&theirs),
                (mine @ None, theirs) => *mine = theirs,
                (Some(_), None) => {}
            }
        }
        for hash in other.different.into_iter().flatten() {
            if *different < MOST_DIFFERENT && self.different.get_or_insert_default().insert(hash) {
                *different += 1;
            }
        }
        let after = |one: (f64, EntryId), other: (f64, EntryId)| {
            one.0 > other.0 || one.0.total_cmp(&other.0).is_eq() && one.1 < other.1
        };
        if after(other.largest, self.largest) {
            self.largest = other.largest;
        }
    }
}

/// Texts that are kept once.
#[derive(Clone, Debug)]
struct Texts<A: Audience> {
    numbers: Map<Box<str>, u64>,
    texts: Vec<(Text<'static, A>, bool)>,
}

impl<A: Audience> Default for Texts<A> {
    fn default() -> Self {
        Self { numbers: Map::default(), texts: Vec::new() }
    }
}

impl<A: Audience> Texts<A> {
    /// The number of a text; `make` makes it where it is new, and says whether it was cut.
    fn number(&mut self, text: &str, make: impl FnOnce() -> (Text<'static, A>, bool)) -> u64 {
        if let Some(number) = self.numbers.get(text) {
            return *number;
        }
        let number = self.texts.len() as u64;
        self.numbers.insert(text.into(), number);
        self.texts.push(make());
        number
    }
}

/// The groups of some entries.
#[derive(Clone)]
pub(super) struct Groups<A: Audience> {
    texts: Texts<A>,
    groups: Map<[u64; MOST_BY], Stats>,
    all: Option<Stats>,
    without: u64,
    pub(super) left_out: (u64, Option<Text<'static, A>>),
    /// One value of each unit.
    examples: [Option<Text<'static, A>>; 3],
    pooled: (u64, u64),
    /// Different values that are kept.
    different: usize,
}

impl<A: Audience> Default for Groups<A> {
    fn default() -> Self {
        Self {
            texts: Texts::default(),
            groups: Map::default(),
            all: None,
            without: 0,
            left_out: (0, None),
            examples: [const { None }; 3],
            pooled: (0, 0),
            different: 0,
        }
    }
}

/// The number that stands for a slice of time; those before 1970 are negative.
pub(super) fn slice_number(slice: i64) -> u64 {
    slice.cast_unsigned() ^ (1 << 63)
}

/// The slice that a number stands for.
fn slice_of_number(number: u64) -> i64 {
    (number ^ (1 << 63)).cast_signed()
}

/// What the index tells of an entry.
pub(super) struct Facts {
    pub(super) level: Option<Level>,
    pub(super) source: usize,
    pub(super) layout: u8,
    pub(super) time: Option<i64>,
}

/// What has been read of the entry at hand.
#[derive(Default)]
pub(super) struct Current {
    pub(super) keys: [Vec<u64>; MOST_BY],
    pub(super) measured: Vec<(Unit, f64)>,
    pub(super) different: Vec<u64>,
}

/// A value as an example of others.
pub(super) fn shown<A: Audience>(text: &Text<'_, A>) -> Text<'static, A> {
    let (short, cut) = shortened(text.as_str(), 60);
    text.made_into(if cut { format!("{short}…") } else { short.to_owned() })
}

/// The beginning of a text of at most so many bytes, and whether that is not all of it.
fn shortened(text: &str, most: usize) -> (&str, bool) {
    let most = most.min(text.len());
    let end = (0..=most).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    (text.get(..end).unwrap_or(text), end < text.len())
}

impl<A: Audience> Groups<A> {
    /// How many there are.
    pub(super) fn len(&self) -> usize {
        self.groups.len()
    }

    /// The number of the value that entries are grouped by.
    pub(super) fn key(&mut self, by: &By, text: &Text<'_, A>) -> u64 {
        let written = text.as_str();
        let shape = if let By::Field { shape, .. } = by { *shape } else { Shape::Whole };
        let short = shaped(shape, written);
        if short.len() > LONGEST {
            // Long values that begin alike are told apart by what follows.
            let (front, _) = shortened(&short, LONGEST);
            let named = format!("{front}\0{:x}", hash::of(&*short));
            return self.texts.number(&named, || (text.made_into(format!("{front}…")), true));
        }
        self.texts.number(&short, || (text.made_into(short.clone().into_owned()), false))
    }

    /// Takes in a value that is measured.
    pub(super) fn take(
        &mut self,
        now: &mut Current,
        unit: Unit,
        number: f64,
        text: Option<&Text<'_, A>>,
    ) {
        now.measured.push((unit, number));
        let example = &mut self.examples[unit as usize];
        if example.is_none() {
            *example = text.map(shown);
        }
    }

    /// Takes an entry in.
    pub(super) fn add(&mut self, id: EntryId, facts: &Facts, now: &Current, by: usize) {
        if by > 0 && now.keys[..by].iter().all(Vec::is_empty) {
            self.without += 1;
            return;
        }
        let count = |stats: &mut Stats, different: &mut usize| {
            stats.count += 1;
            stats.errors += u64::from(facts.level >= Some(Level::Error));
            if let Some(time) = facts.time {
                let (first, last) = stats.span.unwrap_or((time, time));
                stats.span = Some((first.min(time), last.max(time)));
            }
            for (unit, number) in &now.measured {
                stats.values[*unit as usize].get_or_insert_default().add(*number);
                if *number > stats.largest.0 {
                    stats.largest = (*number, id);
                }
            }
            for hash in &now.different {
                if *different < MOST_DIFFERENT
                    && stats.different.get_or_insert_default().insert(*hash)
                {
                    *different += 1;
                }
            }
        };
        count(self.all.get_or_insert_with(|| Stats::of(id)), &mut self.different);
        let none = [NOTHING];
        let values = |at: usize| match now.keys[at].as_slice() {
            _ if at >= by => &none[..],
            [] => &none[..],
            some => some,
        };
        let mut combined = 0;
        for first in values(0) {
            for second in values(1) {
                for third in values(2) {
                    combined += 1;
                    if combined > COMBINED {
                        return;
                    }
                    let stats = self.groups.entry([*first, *second, *third]);
                    count(stats.or_insert_with(|| Stats::of(id)), &mut self.different);
                }
            }
        }
    }

    pub(super) fn merge(&mut self, part: Self, by: &[By]) {
        let Self { texts, groups, all, without, left_out, examples, pooled, .. } = part;
        let mut names: Vec<Option<Box<str>>> = vec![None; texts.texts.len()];
        for (name, number) in texts.numbers {
            if let Ok(at) = usize::try_from(number) {
                names[at] = Some(name);
            }
        }
        let named = names.into_iter().zip(texts.texts);
        let numbers: Vec<u64> = named
            .map(|(name, text)| {
                let name = name.unwrap_or_default();
                self.texts.number(&name, || text)
            })
            .collect();
        let is_text: Vec<bool> = (0..MOST_BY)
            .map(|at| {
                matches!(by.get(at), Some(By::Field { .. } | By::Logger | By::Kind | By::Run))
            })
            .collect();
        for (mut key, stats) in groups {
            for (number, _) in key.iter_mut().zip(&is_text).filter(|(_, is_text)| **is_text) {
                let known = usize::try_from(*number).ok().and_then(|at| numbers.get(at));
                *number = known.copied().unwrap_or(NOTHING);
            }
            let id = stats.largest.1;
            let whole = self.groups.entry(key).or_insert_with(|| Stats::of(id));
            whole.merge(stats, &mut self.different);
        }
        if let Some(all) = all {
            let id = all.largest.1;
            self.all.get_or_insert_with(|| Stats::of(id)).merge(all, &mut self.different);
        }
        self.without += without;
        self.left_out.0 += left_out.0;
        if self.left_out.1.is_none() {
            self.left_out.1 = left_out.1;
        }
        for (mine, theirs) in self.examples.iter_mut().zip(examples) {
            if mine.is_none() {
                *mine = theirs;
            }
        }
        self.pooled.0 += pooled.0;
        self.pooled.1 += pooled.1;
        if self.groups.len() > MOST_GROUPS + MOST_GROUPS / 4 {
            self.pool();
        }
    }

    /// Lets go of the smallest groups until there are not too many.
    fn pool(&mut self) {
        if self.groups.len() <= MOST_GROUPS {
            return;
        }
        let mut counts: Vec<u64> = self.groups.values().map(|stats| stats.count).collect();
        counts.sort_unstable_by(|one, other| other.cmp(one));
        let least = counts[MOST_GROUPS - 1];
        // Of those that are equally small, as many stay as there is room for.
        let larger = counts.iter().take_while(|count| **count > least).count();
        let mut room = MOST_GROUPS - larger;
        let pooled = &mut self.pooled;
        self.groups.retain(|_, stats| {
            let stays = stats.count > least || stats.count == least && room > 0;
            if !stays {
                pooled.0 += 1;
                pooled.1 += stats.count;
            } else if stats.count == least {
                room -= 1;
            }
            stays
        });
    }

    /// Puts groups together whose kinds differ in words that vary.
    fn find_words(&mut self, by: &[By]) {
        let Some(at) = by.iter().position(|by| *by == By::Kind) else { return };
        let of = |number: u64| usize::try_from(number).unwrap_or(usize::MAX);
        let mut kinds: Vec<u64> =
            self.groups.keys().map(|key| key[at]).filter(|n| *n != NOTHING).collect();
        kinds.sort_unstable();
        kinds.dedup();
        let become_of = {
            let texts: Vec<&str> =
                kinds.iter().map(|n| self.texts.texts[of(*n)].0.as_str()).collect();
            holes_for_words(&texts)
        };
        let mut numbers: Map<u64, u64> = Map::default();
        for (number, text) in kinds.into_iter().zip(become_of) {
            let Some(text) = text else { continue };
            let clean = self.texts.texts[of(number)].0.made_into(text.to_string());
            numbers.insert(number, self.texts.number(&text, || (clean, false)));
        }
        if numbers.is_empty() {
            return;
        }
        for (mut key, stats) in std::mem::take(&mut self.groups) {
            key[at] = numbers.get(&key[at]).copied().unwrap_or(key[at]);
            let id = stats.largest.1;
            let whole = self.groups.entry(key).or_insert_with(|| Stats::of(id));
            whole.merge(stats, &mut self.different);
        }
    }

    pub(super) fn finish(mut self, question: &Question) -> Tally<A> {
        self.find_words(&question.by);
        self.pool();
        let measured = |unit: Unit| {
            let all = self.all.as_ref().and_then(|all| all.values[unit as usize].as_ref());
            all.map_or(0, |values| values.count)
        };
        // What most of the values count.
        let unit = Unit::ALL.into_iter().max_by_key(|unit| (measured(*unit), Reverse(*unit)));
        let unit = unit.unwrap_or(Unit::Number);
        for other in Unit::ALL.into_iter().filter(|other| *other != unit) {
            let count = measured(other);
            if count > 0 {
                self.left_out.0 += count;
                let example = self.examples[other as usize].take();
                self.left_out.1 = self.left_out.1.take().or(example);
            }
        }
        let texts = self.texts.texts;
        let different_cut = self.different >= MOST_DIFFERENT;
        let group = |keys: Vec<Key<A>>, mut stats: Stats| Group {
            keys,
            count: stats.count,
            errors: stats.errors,
            span: stats.span,
            values: stats.values[unit as usize].take().map(|values| *values).unwrap_or_default(),
            different: stats.different.map_or(0, |set| set.len() as u64),
            largest: stats.largest.1,
        };
        let key = |by: &By, number: u64| {
            if number == NOTHING {
                return Key::None;
            }
            let at = usize::try_from(number).unwrap_or(usize::MAX);
            match by {
                By::Level => Level::ALL.get(at).copied().map_or(Key::None, Key::Level),
                By::Source => Key::Source(at),
                By::Layout => {
                    let bits = u8::try_from(number).unwrap_or(u8::MAX);
                    Key::Layout(LayoutId::from_bits(bits).name())
                }
                By::Slice(length) => {
                    let from = slice_of_number(number).saturating_mul(*length);
                    Key::Time(from.saturating_add(question.origin))
                }
                _ => match texts.get(at) {
                    Some((text, true)) => Key::Cut(text.clone()),
                    Some((text, false)) => Key::Text(text.clone()),
                    None => Key::None,
                },
            }
        };
        let mut groups: Vec<Group<A>> = self
            .groups
            .into_iter()
            .map(|(numbers, stats)| {
                let keys = question.by.iter().zip(numbers).map(|(by, number)| key(by, number));
                group(keys.collect(), stats)
            })
            .collect();
        groups.sort_by(|one, other| {
            other.count.cmp(&one.count).then_with(|| one.keys.cmp(&other.keys))
        });
        Tally {
            question: question.clone(),
            groups,
            all: self.all.map(|stats| group(Vec::new(), stats)),
            pooled: self.pooled,
            without: self.without,
            unit,
            left_out: self.left_out,
            different_cut,
            entries: 0,
            unread: 0,
        }
    }
}
