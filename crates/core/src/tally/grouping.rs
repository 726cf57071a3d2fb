//! Entries become groups: a fold over blocks, whose parts are put together in any order.

use std::{io, marker::PhantomData, sync::Arc};

use super::{
    By, Measure,
    collected::{Current, Facts, Groups, MOST_BY, shown, slice_number},
    groups::{Question, Tally},
};
use crate::{
    engine::{
        Of, Pass, Snapshot,
        pass::{self, Cell, Entries, Fold, Growing, Selection, Wanted},
    },
    entry::Severity,
    hash,
    query::{behind, read},
    store::EntryId,
    veil::{Audience, Text},
};

/// Groups that are kept so that they can be counted further.
const MOST_KEPT: usize = 100_000;

impl<A: Audience> Tally<A> {
    /// Groups entries. `None` when the pass was ended. Cost: the bytes of the entries, or none where the index tells what
    /// is asked; memory grows with the number of groups, up to a million.
    #[must_use]
    pub fn of(snapshot: &Snapshot, of: Of<'_>, question: &Question, pass: &Pass) -> Option<Self> {
        let fold = Grouping::<A>::of(question);
        let measured = pass::run(snapshot, &of.selection(snapshot), &fold, pass)?;
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
        self.extend_by(snapshot, &of.selection(snapshot), pass)
    }

    /// The same of any entries.
    pub(crate) fn extend_by(
        &mut self,
        snapshot: &Snapshot,
        selection: &Selection,
        pass: &Pass,
    ) -> Option<Tally<A>> {
        let fold = Grouping::<A>::of(&self.question);
        let measured = self.kept.extend(snapshot, &[selection], &fold, pass)?;
        // Which run an entry is of may become known later; and very many groups are not kept twice.
        if self.question.by.contains(&By::Run) || measured.part.len() > MOST_KEPT {
            self.kept = Growing::default();
        }
        let mut tally = measured.part.finish(&self.question);
        (tally.entries, tally.unread) = (measured.of, measured.unread);
        Some(tally)
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
                    let origin = self.question.origin;
                    facts
                        .time
                        .map(|time| slice_number(time.saturating_sub(origin).div_euclid(*length)))
                }
                _ => continue,
            };
            keys.extend(key);
        }
    }
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
            Cell::Took(unit, number) => part.take(&mut now, unit, number, None),
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
