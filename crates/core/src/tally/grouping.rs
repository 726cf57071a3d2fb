//! Entries become groups: a fold over blocks. Texts are kept once and have numbers, a group is known by the numbers of its
//! values, and the parts of blocks are put together in any order.

use std::{cmp::Reverse, io, marker::PhantomData, sync::Arc};

use super::{
    By, Measure, Shape, Sketch, Unit,
    groups::{Group, Key, Question, Tally},
    shorten::shaped,
};
use crate::{
    engine::{
        Of, Pass, Snapshot,
        pass::{self, Cell, Entries, Fold, Growing, Selection, Wanted},
    },
    entry::{Level, Severity},
    hash::{self, Map, Set},
    kinds::holes_for_words,
    layout::LayoutId,
    query::{behind, read},
    store::EntryId,
    veil::{Audience, Text},
};

/// Things that entries are grouped by at most.
pub const MOST_BY: usize = 3;
/// Groups that are kept one by one; of more the smallest are pooled.
pub const MOST_GROUPS: usize = if cfg!(test) { 200 } else { 1_000_000 };
/// Groups that are kept so that they can be counted further.
const MOST_KEPT: usize = 100_000;
/// Different values that are counted one by one, those of all groups together.
const MOST_DIFFERENT: usize = 4_000_000;
/// Bytes of a value that a group is named by.
const LONGEST: usize = 300;
/// Groups that one entry belongs to at most, by the items of its lists.
const COMBINED: usize = 64;
/// Stands for a value that an entry does not have.
const NOTHING: u64 = u64::MAX;

impl<A: Audience> Tally<A> {
    /// Groups entries. `None` when the pass was ended. Cost: the bytes of the entries, or none where the index tells what
    /// is asked; memory grows with the number of groups, up to a million.
    #[must_use]
    pub fn of(snapshot: &Snapshot, of: Of<'_>, question: &Question, pass: &Pass) -> Option<Self> {
        Self::of_selection(snapshot, &of.selection(snapshot), question, pass)
    }

    /// The same of any entries.
    pub(crate) fn of_selection(
        snapshot: &Snapshot,
        selection: &Selection,
        question: &Question,
        pass: &Pass,
    ) -> Option<Self> {
        let fold = Grouping::<A>::of(question);
        let measured = pass::run(snapshot, selection, &fold, pass)?;
        let mut tally = measured.part.finish(question);
        (tally.entries, tally.unread) = (measured.of, measured.unread);
        Some(tally)
    }
}

/// What has been counted so far, for a tally that is extended as entries arrive.
pub struct SoFar<A: Audience> {
    question: Question,
    kept: Growing<Groups<A>>,
}

impl<A: Audience> SoFar<A> {
    /// Nothing is counted yet of a question.
    #[must_use]
    pub fn of(question: &Question) -> Self {
        Self { question: question.clone(), kept: Growing::default() }
    }

    /// What is asked.
    #[must_use]
    pub fn question(&self) -> &Question {
        &self.question
    }

    /// The tally of the entries there are now, as [`Tally::of`] has it. `None` when the pass was ended; what was counted
    /// until then is kept. Cost: the bytes of entries that were not counted yet, of all where others fall through the
    /// sieve.
    pub fn extend(&mut self, snapshot: &Snapshot, of: Of<'_>, pass: &Pass) -> Option<Tally<A>> {
        let selection = of.selection(snapshot);
        let fold = Grouping::<A>::of(&self.question);
        let measured = self.kept.extend(snapshot, &[&selection], &fold, pass)?;
        // Which run an entry is of may become known later; and very many groups are not kept twice.
        if self.question.by.contains(&By::Run) || measured.part.groups.len() > MOST_KEPT {
            self.kept = Growing::default();
        }
        let mut tally = measured.part.finish(&self.question);
        (tally.entries, tally.unread) = (measured.of, measured.unread);
        Some(tally)
    }
}

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
struct Groups<A: Audience> {
    texts: Texts<A>,
    groups: Map<[u64; MOST_BY], Stats>,
    all: Option<Stats>,
    without: u64,
    left_out: (u64, Option<Text<'static, A>>),
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

/// The measure: what is read of entries, and what becomes of it.
struct Grouping<'q, A> {
    question: &'q Question,
    wanted: Vec<Wanted>,
    /// What each value that is read is for.
    roles: Vec<Role>,
    audience: PhantomData<A>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Role {
    /// One of the things that entries are grouped by.
    By(usize),
    Measured,
    Different,
}

impl<'q, A: Audience> Grouping<'q, A> {
    fn of(question: &'q Question) -> Self {
        let (mut wanted, mut roles) = (Vec::new(), Vec::new());
        let mut add = |what, role| {
            wanted.push(what);
            roles.push(role);
        };
        for (at, by) in question.by.iter().enumerate().take(MOST_BY) {
            match by {
                By::Field { path, .. } => add(Wanted::Field(path.clone()), Role::By(at)),
                By::Logger => add(Wanted::Logger, Role::By(at)),
                By::Kind => add(Wanted::Kind, Role::By(at)),
                By::Run => add(Wanted::Run, Role::By(at)),
                By::Level | By::Source | By::Layout | By::Slice(_) => {}
            }
        }
        match &question.of {
            Some(Measure::Took) => add(Wanted::Took, Role::Measured),
            Some(Measure::Field(path)) => add(Wanted::Field(path.clone()), Role::Measured),
            Some(Measure::After { .. }) => add(Wanted::Message, Role::Measured),
            None => {}
        }
        if let Some(path) = &question.different {
            add(Wanted::Field(path.clone()), Role::Different);
        }
        Self { question, wanted, roles, audience: PhantomData }
    }

    /// What the index alone tells of an entry.
    fn by_facts(&self, facts: &Facts, keys: &mut [Vec<u64>]) {
        for (by, keys) in self.question.by.iter().zip(keys) {
            let key = match by {
                By::Level => facts.level.map(|level| level as u64),
                By::Source => Some(facts.source as u64),
                By::Layout => Some(u64::from(facts.layout)),
                By::Slice(length) => {
                    let slice = facts.time.map(|time| time.div_euclid(*length));
                    slice.map(i64::cast_unsigned)
                }
                _ => continue,
            };
            keys.extend(key);
        }
    }
}

/// What the index tells of an entry.
struct Facts {
    level: Option<Level>,
    source: usize,
    layout: u8,
    time: Option<i64>,
}

/// What has been read of the entry at hand.
#[derive(Default)]
struct Current {
    keys: [Vec<u64>; MOST_BY],
    measured: Vec<(Unit, f64)>,
    different: Vec<u64>,
}

impl<A: Audience> Fold for Grouping<'_, A> {
    type Part = Groups<A>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Groups<A>) -> io::Result<()> {
        let mut now = Current::default();
        let (block, source) = (Arc::clone(entries.block()), entries.source());
        let end = |part: &mut Groups<A>, now: &mut Current, id: EntryId| {
            let time = block.time(id.index());
            let severity = block.severity(id.index());
            let facts = Facts {
                level: severity.map(Severity::level),
                source,
                layout: block.layout(id.index()).bits(),
                time: (time != crate::store::NO_TIME).then_some(time),
            };
            self.by_facts(&facts, &mut now.keys);
            part.add(id, &facts, now, self.question.by.len().min(MOST_BY));
            now.keys.iter_mut().for_each(Vec::clear);
            now.measured.clear();
            now.different.clear();
        };
        if self.wanted.is_empty() {
            let ids: Vec<EntryId> = entries.facts().map(|(id, ..)| id).collect();
            ids.into_iter().for_each(|id| end(part, &mut now, id));
            return Ok(());
        }
        // Without a value to be grouped by, an entry belongs to no group, whatever it has to be measured.
        let by = &self.question.by;
        let grouping = self.roles.iter().filter(|role| matches!(role, Role::By(_))).count();
        let needed = (!by.is_empty() && grouping == by.len()).then_some(grouping);
        entries.each_row::<A>((&self.wanted, needed), &mut |cell| match cell {
            Cell::End(id) => end(part, &mut now, id),
            Cell::Seconds(seconds) => part.take(&mut now, Unit::Seconds, seconds, None),
            Cell::Value(number, text) => match self.roles[number] {
                Role::By(at) => now.keys[at].push(part.key(&self.question.by[at], &text)),
                Role::Measured => self.read(part, &mut now, &text),
                Role::Different => {
                    now.different.push(hash::of(text.as_str()));
                }
            },
        })
    }

    fn merge(&self, whole: &mut Groups<A>, part: Groups<A>) {
        whole.merge(part, &self.question.by);
    }
}

impl<A: Audience> Grouping<'_, A> {
    /// Reads a value that is to be measured.
    fn read(&self, part: &mut Groups<A>, now: &mut Current, text: &Text<'_, A>) {
        let written = text.as_str();
        let (name, value) = match &self.question.of {
            Some(Measure::After { name, words }) => match behind(written, words) {
                Some(value) => (name.as_str(), value),
                None if written.contains(words.as_str()) => (name.as_str(), ""),
                None => return,
            },
            Some(of) => (of.name().rsplit('.').next().unwrap_or_default(), written),
            None => return,
        };
        match read(name, value) {
            Some((unit, number)) => part.take(now, unit, number, Some(text)),
            None => {
                part.left_out.0 += 1;
                if part.left_out.1.is_none() {
                    part.left_out.1 = Some(shown(text));
                }
            }
        }
    }
}

/// A value as an example of others.
fn shown<A: Audience>(text: &Text<'_, A>) -> Text<'static, A> {
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
    /// The number of the value that entries are grouped by.
    fn key(&mut self, by: &By, text: &Text<'_, A>) -> u64 {
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
    fn take(&mut self, now: &mut Current, unit: Unit, number: f64, text: Option<&Text<'_, A>>) {
        now.measured.push((unit, number));
        let example = &mut self.examples[unit as usize];
        if example.is_none() {
            *example = text.map(shown);
        }
    }

    /// Takes an entry in.
    fn add(&mut self, id: EntryId, facts: &Facts, now: &Current, by: usize) {
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

    fn merge(&mut self, part: Self, by: &[By]) {
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

    fn finish(mut self, question: &Question) -> Tally<A> {
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
                By::Slice(length) => Key::Time(number.cast_signed().saturating_mul(*length)),
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
