//! All entries that belong to one id, as steps in time across sources; what is usual for trails like it, and what
//! is not.

mod alike;
mod clocks;
mod compare;
mod lanes;
mod links;
mod neighbours;
mod resolve;
mod shortened;
mod tree;
mod usual;

use std::{io, marker::PhantomData};

pub use alike::{ALIKE, LOOKED_AT, alike};
pub use clocks::{ClockOff, clocks_off};
pub use compare::{Pair, align};
pub use lanes::{Lane, LaneBy};
pub use links::{Link, links, width, within};
pub use neighbours::{Neighbour, neighbours};
pub use resolve::{Named, nearest, resolve};
pub use shortened::{Shortened, shortened};
pub use tree::{Node, Tree};
pub use usual::{Missing, StepUsual, Usual};

use crate::{
    engine::{
        Id, LensView, Pass, Shown, Snapshot,
        pass::{self, Entries, Fold, Selection},
    },
    entry::{IdKey, Level},
    requests::covers,
    store::EntryId,
    veil::{Audience, Desk},
};

/// Steps that a trail shows. An id that occurs more often is that of no single request.
pub const MOST_STEPS: usize = 20_000;

/// One step.
#[derive(Clone, Debug)]
pub struct Step<A: Audience = Desk> {
    /// The entry.
    pub entry: Shown<A>,
    /// Which of [`Trail::lanes`] it belongs to.
    pub lane: usize,
    /// Nanoseconds since the first step.
    pub at: i64,
    /// Nanoseconds since the step before; 0 for the first.
    pub gap: i64,
    /// From when to when something lasted that the entry tells the duration of, in nanoseconds since the first step.
    pub span: Option<(i64, i64)>,
    /// The sieve lets it through.
    pub in_pan: bool,
}

/// The measure of a trail: its entries, and how many can't be read any more.
struct Steps<'k, A> {
    /// The keys of the ids that are followed.
    keys: &'k [IdKey],
    audience: PhantomData<A>,
}

impl<A: Audience> Fold for Steps<'_, A> {
    type Part = (Vec<Shown<A>>, usize);

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        entries.each_shown::<A>(&mut |read| match read {
            Ok(shown) => {
                let has = |key: &IdKey| shown.id_keys.contains(key);
                if self.keys.iter().any(has) {
                    part.0.push(shown);
                }
            }
            Err(_) => part.1 += 1,
        });
        Ok(())
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        whole.0.extend(part.0);
        whole.1 += part.1;
    }
}

/// The steps of one id, or of several.
#[derive(Clone, Debug)]
pub struct Trail<A: Audience = Desk> {
    /// The ids that are followed.
    pub ids: Vec<Id<A>>,
    /// The lanes, in the order in which they come in.
    pub lanes: Vec<Lane<A>>,
    /// What tells the lanes apart.
    pub by: LaneBy,
    /// The steps in the order of time.
    pub steps: Vec<Step<A>>,
    /// When the first step was that has a time, in nanoseconds UTC.
    pub(super) start: i64,
    /// From the first step to the answer, where a step with a status tells how long that took; else to the last step,
    /// spans included; in nanoseconds.
    pub duration: i64,
    /// The step that tells when it was answered.
    pub answer: Option<usize>,
    /// The step before which the longest wait lies.
    pub longest: Option<usize>,
    /// Steps that can't be read any more.
    pub gone: usize,
    /// Steps beyond those that are shown ([`MOST_STEPS`]).
    pub more: usize,
}

impl<A: Audience> Default for Trail<A> {
    fn default() -> Self {
        Self {
            ids: Vec::new(),
            lanes: Vec::new(),
            by: LaneBy::Source,
            steps: Vec::new(),
            start: 0,
            duration: 0,
            answer: None,
            longest: None,
            gone: 0,
            more: 0,
        }
    }
}

impl<A: Audience> Trail<A> {
    /// When it began, in nanoseconds UTC, where any of its steps has a time.
    #[must_use]
    pub fn start(&self) -> Option<i64> {
        self.steps.iter().any(|step| step.entry.time.is_some()).then_some(self.start)
    }

    /// Reads the steps of ids among the entries that a lens has found, which looks for their texts. `None` when the pass
    /// was ended. Cost: reads each of them.
    #[must_use]
    pub fn build(
        snapshot: &Snapshot,
        lens: &LensView,
        keys: &[IdKey],
        pass: &Pass,
    ) -> Option<Self> {
        let entries: Vec<EntryId> = snapshot.first_found(lens, MOST_STEPS + 1);
        let mut trail = Self::among(snapshot, &entries, keys, pass)?;
        trail.more = lens.count.saturating_sub(MOST_STEPS);
        Some(trail)
    }

    /// Reads the steps of ids by the index of ids. `None` when the pass was ended. Cost: a search in each block, and
    /// reads each step.
    #[must_use]
    pub fn follow(snapshot: &Snapshot, keys: &[IdKey], pass: &Pass) -> Option<Self> {
        Self::follow_with(snapshot, keys, &[], pass)
    }

    /// The same, with the entries of other writings of these ids ([`shortened()`]).
    #[must_use]
    pub fn follow_with(
        snapshot: &Snapshot,
        keys: &[IdKey],
        writings: &[IdKey],
        pass: &Pass,
    ) -> Option<Self> {
        let all = [keys, writings].concat();
        let entries = snapshot.entries_with(&all);
        let mut trail = Self::among(snapshot, &entries, &all, pass)?;
        trail.ids = trail.followed(keys);
        trail.close();
        Some(trail)
    }

    /// What takes in several requests is not over with one answer.
    fn close(&mut self) {
        self.answered();
        if self.ids.len() > 1 || self.ids.first().is_some_and(|id| width(id.kind) >= 4) {
            (self.answer, self.duration) = (None, self.whole());
        }
    }

    /// Reads the steps of ids among entries that are in the order of time. `None` when the pass was ended. Cost: reads each
    /// of them.
    #[must_use]
    pub fn among(
        snapshot: &Snapshot,
        entries: &[EntryId],
        keys: &[IdKey],
        pass: &Pass,
    ) -> Option<Self> {
        let selection = Selection::of(snapshot, entries.iter().copied().take(MOST_STEPS));
        let fold = Steps::<A> { keys, audience: PhantomData };
        let measured = pass::run(snapshot, &selection, &fold, pass)?;
        let (mut shown, gone) = measured.part;
        shown.sort_by_key(|entry| snapshot.place_of(entry.id));
        let mut trail = Self::timed(shown);
        trail.ids = trail.followed(keys);
        trail.close();
        trail.gone = gone + measured.unread;
        trail.more = entries.len().saturating_sub(MOST_STEPS);
        for step in &mut trail.steps {
            step.in_pan = snapshot.is_in_pan(step.entry.id);
        }
        trail.arrange(snapshot, lanes::best(&trail.steps));
        Some(trail)
    }

    /// The ids that are followed, each under the best kind under which it occurs.
    fn followed(&self, keys: &[IdKey]) -> Vec<Id<A>> {
        let kinds = crate::engine::id_kinds();
        let rank = |kind: &str| kinds.iter().position(|known| *known == kind);
        let of_key = |key: &IdKey| {
            let ids =
                self.steps.iter().flat_map(|step| step.entry.ids.iter().zip(&step.entry.id_keys));
            let own = ids.filter(|(_, of)| *of == key);
            let ((kind, text), _) = own.min_by_key(|((kind, _), _)| rank(kind))?;
            Some(Id { kind, text: text.clone(), key: *key })
        };
        keys.iter().filter_map(of_key).collect()
    }

    /// Entries in the order of time as steps, without lanes.
    fn timed(entries: Vec<Shown<A>>) -> Self {
        let start = entries.iter().find_map(|entry| entry.time).unwrap_or_default();
        let mut trail = Self { start, ..Self::default() };
        let times: Vec<i64> =
            entries.iter().map(|entry| entry.time.unwrap_or(trail.start)).collect();
        let spans: Vec<_> = entries.iter().enumerate().map(|(at, e)| span(e, at, &times)).collect();
        // A request that was answered when its entry was written began before it. What else took that long is no reason
        // to begin earlier: nothing of a request comes before it.
        let asked = entries.iter().zip(&spans).filter(|(entry, _)| {
            let whole = entry.layout.is_access() || entry.layout.is_span();
            whole || entry.status().is_some() || entry.closes_span()
        });
        let begun = asked.filter_map(|(_, span)| Some(span.as_ref()?.0));
        trail.start = begun.chain([trail.start]).min().unwrap_or_default();
        let mut before = trail.start;
        for ((entry, time), span) in entries.into_iter().zip(times).zip(spans) {
            trail.steps.push(Step {
                lane: 0,
                at: time - trail.start,
                gap: time - before,
                span: span.map(|(from, to)| ((from - trail.start).max(0), to - trail.start)),
                in_pan: true,
                entry,
            });
            before = time;
        }
        trail.answered();
        let steps = trail.steps.iter().enumerate().skip(1);
        trail.longest = steps
            .max_by_key(|(at, step)| (step.gap, std::cmp::Reverse(*at)))
            .filter(|(_, step)| step.gap > 0)
            .map(|(at, _)| at);
        trail
    }

    /// Finds the step that tells when it was answered, and how long that took.
    fn answered(&mut self) {
        self.duration = self.whole();
        let answers = self.steps.iter().enumerate().filter_map(|(at, step)| {
            let (from, to) = step.span.filter(|_| step.entry.status().is_some())?;
            Some((to - from, to, at)).filter(|_| covers(from, to, 0))
        });
        if let Some((_, to, at)) = answers.max() {
            (self.duration, self.answer) = (to, Some(at));
        }
    }

    /// From the first step to the last, spans included.
    fn whole(&self) -> i64 {
        let ends =
            self.steps.iter().map(|step| step.span.map_or(step.at, |(_, to)| to.max(step.at)));
        ends.max().unwrap_or_default()
    }

    /// Puts the steps into other lanes.
    pub fn arrange(&mut self, snapshot: &Snapshot, by: LaneBy) {
        self.lanes = lanes::arrange(snapshot, &mut self.steps, by);
        self.by = by;
    }

    /// How many steps are of a level.
    #[must_use]
    pub fn count(&self, level: Level) -> usize {
        self.steps.iter().filter(|step| step.entry.level() == Some(level)).count()
    }

    /// How many steps came after the answer.
    #[must_use]
    pub fn after(&self) -> usize {
        let late = |step: &&Step<A>| step.at > self.duration;
        self.steps.iter().filter(late).count()
    }

    /// How many steps the sieve holds back.
    #[must_use]
    pub fn held_back(&self) -> usize {
        self.steps.iter().filter(|step| !step.in_pan).count()
    }

    /// What its first step says, without its variable parts, and the source of it: what makes trails alike.
    fn beginning(&self) -> Option<(usize, u64)> {
        self.steps.first().map(|step| (step.entry.source, step.entry.template))
    }
}

/// From when to when something lasted that an entry tells the duration of. An entry is written when it is over, but
/// for access entries: some servers stamp them with the time at which the request came in and some with that of the
/// answer, so that the side is taken on which more of the other steps lie.
fn span<A: Audience>(entry: &Shown<A>, at: usize, times: &[i64]) -> Option<(i64, i64)> {
    let seconds = entry.took()?;
    let time = entry.time?;
    #[expect(clippy::cast_possible_truncation, reason = "a saturating conversion of nanoseconds")]
    let took = (seconds * 1e9).round() as i64;
    if took <= 0 {
        return None;
    }
    if entry.layout.is_span() {
        return Some((time, time.saturating_add(took)));
    }
    let ended = (time.saturating_sub(took), time);
    if !entry.layout.is_access() {
        return Some(ended);
    }
    let within = |from: i64, to: i64| {
        let others = times.iter().enumerate().filter(|(other, _)| *other != at);
        others.filter(|(_, time)| (from..=to).contains(*time)).count()
    };
    let (after, before) = (within(time, time.saturating_add(took)), within(ended.0, time));
    Some(if before > after { ended } else { (time, time.saturating_add(took)) })
}
