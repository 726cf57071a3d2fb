//! The fold that counts kinds: a part for each block, put together in any order.

use std::{collections::hash_map::Entry as Slot, io, marker::PhantomData};

use super::{Kind, Kinds, LOGGERS, MOST, SLICES, vary};
use crate::{
    EntryId,
    engine::{
        Of, Pass, Snapshot,
        pass::{self, Entries, Fold, Growing},
    },
    entry::Severity,
    hash::{self, Map},
    veil::{Audience, Text},
};

/// What has been counted so far, for kinds that are extended as entries arrive.
pub struct SoFar<A: Audience> {
    /// The time over which the curves go.
    span: Option<(i64, i64)>,
    kept: Growing<Counted<A>>,
}

impl<A: Audience> Default for SoFar<A> {
    fn default() -> Self {
        Self { span: None, kept: Growing::default() }
    }
}

impl<A: Audience> SoFar<A> {
    /// The kinds of the entries there are now, as [`Kinds::of`] has them, but that curves may go beyond the last entry: by
    /// a quarter at most. `None` when the pass was ended; what was counted until then is kept. Cost: the bytes of entries
    /// that were not counted yet; of all where others fall through the sieve, or where the time of all has grown by a
    /// quarter.
    pub fn extend(&mut self, snapshot: &Snapshot, of: Of<'_>, pass: &Pass) -> Option<Kinds<A>> {
        let selection = of.selection(snapshot);
        let span = selection.span(snapshot);
        let fits = match (self.span, span) {
            (Some((from, to)), Some((first, last))) => from == first && last <= to,
            (None, None) => true,
            _ => false,
        };
        if !fits {
            // The first time, curves go as far as the entries do.
            let more = |(first, last): (i64, i64)| (first, last.saturating_add((last - first) / 4));
            self.span = if self.span.is_some() { span.map(more) } else { span };
            self.kept = Growing::default();
        }
        let fold = Counting::<A> { span: self.span, audience: PhantomData };
        let measured = self.kept.extend(snapshot, &[&selection], &fold, pass)?;
        Some(measured.part.finish(self.span, measured.of, measured.unread))
    }
}

pub(super) fn count<A: Audience>(snapshot: &Snapshot, of: Of<'_>, pass: &Pass) -> Option<Kinds<A>> {
    let selection = of.selection(snapshot);
    let span = selection.span(snapshot);
    let fold = Counting::<A> { span, audience: PhantomData };
    let measured = pass::run(snapshot, &selection, &fold, pass)?;
    Some(measured.part.finish(span, measured.of, measured.unread))
}

struct Counting<A> {
    span: Option<(i64, i64)>,
    audience: PhantomData<A>,
}

/// Kinds of some blocks.
#[derive(Clone)]
struct Counted<A: Audience> {
    kinds: Vec<Kind<A>>,
    numbers: Map<Box<str>, usize>,
    without: u64,
    pooled: (u64, u64),
}

impl<A: Audience> Default for Counted<A> {
    fn default() -> Self {
        Self { kinds: Vec::new(), numbers: Map::default(), without: 0, pooled: (0, 0) }
    }
}

impl<A: Audience> Fold for Counting<A> {
    type Part = Counted<A>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Counted<A>) -> io::Result<()> {
        let block = std::sync::Arc::clone(entries.block());
        // What entries say by itself, and who says it, leads to the kind; a new one is looked at with the veil.
        let mut known: Map<u64, (usize, Vec<u64>)> = Map::default();
        let span = self.span;
        entries.each_gist::<A>(&mut |id, said| {
            if said.kind.is_empty() {
                part.without += 1;
                return;
            }
            let time = block.time(id.index());
            let time = (time != crate::store::NO_TIME).then_some(time);
            let (number, loggers) = known
                .entry(hash::of(said.kind))
                .or_insert_with(|| (part.number((said.clean_kind)(), id), Vec::new()));
            let kind = &mut part.kinds[*number];
            if let Some(logger) = said.logger {
                let name = hash::of(logger);
                if !loggers.contains(&name) && loggers.len() < LOGGERS * 2 {
                    loggers.push(name);
                    kind.said_by((said.clean)(logger));
                }
            }
            kind.add(id, time, block.severity(id.index()), span);
        })
    }

    fn merge(&self, whole: &mut Counted<A>, part: Counted<A>) {
        let mut part = part;
        for kind in part.kinds.drain(..) {
            whole.take(kind);
        }
        whole.without += part.without;
        if whole.kinds.len() > MOST + MOST / 4 {
            whole.find_words();
            whole.pool(MOST);
        }
    }
}

impl<A: Audience> Counted<A> {
    fn finish(mut self, span: Option<(i64, i64)>, entries: usize, unread: usize) -> Kinds<A> {
        self.find_words();
        self.pool(MOST);
        let mut kinds = self.kinds;
        kinds.sort_by(|one, other| {
            other.count.cmp(&one.count).then_with(|| one.text.cmp(&other.text))
        });
        for kind in &mut kinds {
            kind.loggers.sort_unstable();
        }
        Kinds { kinds, span, entries, without: self.without, pooled: self.pooled, unread }
    }

    /// The number of a kind, which is a new one or not.
    fn number(&mut self, text: Text<'static, A>, id: EntryId) -> usize {
        match self.numbers.entry(text.as_str().into()) {
            Slot::Occupied(known) => *known.get(),
            Slot::Vacant(new) => {
                self.kinds.push(Kind::new(text, id));
                *new.insert(self.kinds.len() - 1)
            }
        }
    }

    fn take(&mut self, kind: Kind<A>) {
        match self.numbers.entry(kind.text.as_str().into()) {
            Slot::Occupied(known) => self.kinds[*known.get()].merge(kind),
            Slot::Vacant(new) => {
                new.insert(self.kinds.len());
                self.kinds.push(kind);
            }
        }
    }

    /// Puts kinds together that differ in words that vary.
    fn find_words(&mut self) {
        let texts: Vec<&str> = self.kinds.iter().map(|kind| kind.text.as_str()).collect();
        let become_of = vary::holes_for_words(&texts);
        if become_of.iter().all(Option::is_none) {
            return;
        }
        let kinds = std::mem::take(&mut self.kinds);
        self.numbers.clear();
        for (mut kind, text) in kinds.into_iter().zip(become_of) {
            if let Some(text) = text {
                kind.text = kind.text.made_into(text.into());
            }
            self.take(kind);
        }
    }

    /// Lets go of the rarest kinds until there are not too many.
    fn pool(&mut self, most: usize) {
        if self.kinds.len() <= most {
            return;
        }
        self.kinds.sort_by(|one, other| {
            other.count.cmp(&one.count).then_with(|| one.text.cmp(&other.text))
        });
        for kind in self.kinds.drain(most..) {
            self.pooled.0 += 1;
            self.pooled.1 += kind.count;
        }
        self.numbers = self
            .kinds
            .iter()
            .enumerate()
            .map(|(at, kind)| (kind.text.as_str().into(), at))
            .collect();
    }
}

impl<A: Audience> Kind<A> {
    fn new(text: Text<'static, A>, id: EntryId) -> Self {
        Self {
            text,
            count: 0,
            errors: 0,
            level: None,
            span: None,
            curve: Box::new([0; SLICES]),
            loggers: Vec::new(),
            more_loggers: false,
            first: id,
            last: id,
        }
    }

    fn add(
        &mut self,
        id: EntryId,
        time: Option<i64>,
        severity: Option<Severity>,
        whole: Option<(i64, i64)>,
    ) {
        let level = severity.map(Severity::level);
        self.count += 1;
        self.errors += u64::from(level >= Some(crate::entry::Level::Error));
        self.level = self.level.max(level);
        let Some(time) = time else { return };
        if let Some(slice) = whole.and_then(|whole| slice(time, whole)) {
            self.curve[slice] = self.curve[slice].saturating_add(1);
        }
        self.seen((time, id), (time, id));
    }

    /// Takes in when some entries were written.
    fn seen(&mut self, from: (i64, EntryId), to: (i64, EntryId)) {
        let (mut first, mut last) = match self.span {
            Some((first, last)) => ((first, self.first), (last, self.last)),
            None => (from, to),
        };
        (first, last) = (first.min(from), last.max(to));
        self.span = Some((first.0, last.0));
        (self.first, self.last) = (first.1, last.1);
    }

    fn said_by(&mut self, logger: Text<'_, A>) {
        if self.loggers.iter().any(|known| known.as_str() == logger.as_str()) {
            return;
        }
        self.loggers.push(logger.into_owned());
        // Which of them are kept is not a matter of which came first.
        if self.loggers.len() > LOGGERS {
            self.loggers.sort_unstable();
            self.loggers.truncate(LOGGERS);
            self.more_loggers = true;
        }
    }

    fn merge(&mut self, other: Self) {
        self.count += other.count;
        self.errors += other.errors;
        self.level = self.level.max(other.level);
        self.more_loggers |= other.more_loggers;
        for (mine, theirs) in self.curve.iter_mut().zip(other.curve.iter()) {
            *mine = mine.saturating_add(*theirs);
        }
        match (self.span, other.span) {
            (_, Some((first, last))) => self.seen((first, other.first), (last, other.last)),
            (None, None) => self.first = self.first.min(other.first),
            (Some(_), None) => {}
        }
        other.loggers.into_iter().for_each(|logger| self.said_by(logger));
    }
}

/// The slice of all the time in which a moment lies.
fn slice(time: i64, (from, to): (i64, i64)) -> Option<usize> {
    let (at, of) = (i128::from(time) - i128::from(from), i128::from(to) - i128::from(from) + 1);
    let slice = at.checked_mul(SLICES as i128)?.checked_div(of)?;
    usize::try_from(slice).ok().filter(|slice| *slice < SLICES)
}
