//! All entries that belong to one id, as steps in time across sources.

use std::{io, marker::PhantomData};

use crate::{
    engine::{
        LensView, Pass, Reader, Shown, Snapshot,
        pass::{self, Entries, Fold, Selection},
    },
    entry::Level,
    veil::{Audience, Desk, Text},
};

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
    /// From when to when an access entry says that its request took, in nanoseconds since the first step.
    pub span: Option<(i64, i64)>,
}

/// The measure of a trail: its entries, and how many can't be read any more.
struct Steps<A>(PhantomData<A>);

impl<A: Audience> Fold for Steps<A> {
    type Part = (Vec<Shown<A>>, usize);

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        entries.each_shown::<A>(&mut |read| match read {
            Ok(shown) => part.0.push(shown),
            Err(_) => part.1 += 1,
        });
        Ok(())
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        whole.0.extend(part.0);
        whole.1 += part.1;
    }
}

/// The steps of one id.
#[derive(Clone, Debug, Default)]
pub struct Trail<A: Audience = Desk> {
    /// The kind of id, such as `request_id`.
    pub kind: &'static str,
    /// The id.
    pub id: Text<'static, A>,
    /// The numbers of the sources that took part, in the order in which they came in.
    pub lanes: Vec<usize>,
    /// The steps in the order of time.
    pub steps: Vec<Step<A>>,
    /// When the first step was, in nanoseconds UTC.
    pub start: i64,
    /// From the first step to the last, spans included, in nanoseconds.
    pub duration: i64,
    /// The step before which the longest wait lies.
    pub longest: Option<usize>,
    /// Steps that can't be read any more.
    pub gone: usize,
}

impl<A: Audience> Trail<A> {
    /// Reads the steps of the entries that a lens has found. `None` when the pass was ended. Cost: reads each of
    /// them.
    #[must_use]
    pub fn build(snapshot: &Snapshot, lens: &LensView, id: &str, pass: &Pass) -> Option<Self> {
        let measured = pass::run(snapshot, &Selection::lens(lens), &Steps::<A>(PhantomData), pass)?;
        let (mut entries, gone) = measured.part;
        entries.sort_by_key(|entry| snapshot.place_of(entry.id));
        let mut trail = Self { gone: gone + measured.unread, ..Self::default() };
        for entry in &entries {
            if trail.id.as_str().is_empty()
                && let Some((kind, value)) =
                    entry.ids.iter().find(|(_, value)| value.as_str() == id)
            {
                trail.kind = kind;
                trail.id = value.clone();
            }
        }
        trail.start = entries.iter().find_map(|entry| entry.time).unwrap_or_default();
        let times: Vec<i64> =
            entries.iter().map(|entry| entry.time.unwrap_or(trail.start)).collect();
        let spans: Vec<_> = entries.iter().enumerate().map(|(at, e)| span(e, at, &times)).collect();
        // What took until an entry was written began before it.
        trail.start = spans
            .iter()
            .flatten()
            .map(|(from, _)| *from)
            .chain([trail.start])
            .min()
            .unwrap_or_default();
        let mut before = trail.start;
        for ((entry, time), span) in entries.into_iter().zip(times).zip(spans) {
            let lane = trail.lane(entry.source);
            trail.steps.push(Step {
                lane,
                at: time - trail.start,
                gap: time - before,
                span: span.map(|(from, to)| (from - trail.start, to - trail.start)),
                entry,
            });
            before = time;
        }
        trail.duration = trail
            .steps
            .iter()
            .map(|step| step.span.map_or(step.at, |(_, to)| to.max(step.at)))
            .max()
            .unwrap_or_default();
        trail.longest = trail
            .steps
            .iter()
            .enumerate()
            .skip(1)
            .max_by_key(|(at, step)| (step.gap, std::cmp::Reverse(*at)))
            .filter(|(_, step)| step.gap > 0)
            .map(|(at, _)| at);
        Some(trail)
    }

    fn lane(&mut self, source: usize) -> usize {
        self.lanes.iter().position(|lane| *lane == source).unwrap_or_else(|| {
            self.lanes.push(source);
            self.lanes.len() - 1
        })
    }

    /// How many steps are of a level.
    #[must_use]
    pub fn count(&self, level: Level) -> usize {
        self.steps.iter().filter(|step| step.entry.level() == Some(level)).count()
    }
}

/// From when to when an access entry says that its request took. Some servers stamp it with the time at
/// which the request came in and some with that of the answer: the side on which more of the other steps
/// lie is taken.
fn span<A: Audience>(entry: &Shown<A>, at: usize, times: &[i64]) -> Option<(i64, i64)> {
    let seconds = entry.took().filter(|_| entry.layout.is_access())?;
    let time = entry.time?;
    #[expect(clippy::cast_possible_truncation, reason = "a saturating conversion of nanoseconds")]
    let took = (seconds * 1e9).round() as i64;
    if took <= 0 {
        return None;
    }
    let within = |from: i64, to: i64| {
        times
            .iter()
            .enumerate()
            .filter(|(other, time)| *other != at && (from..=to).contains(*time))
            .count()
    };
    let (after, before) =
        (within(time, time.saturating_add(took)), within(time.saturating_sub(took), time));
    Some(if before > after {
        (time.saturating_sub(took), time)
    } else {
        (time, time.saturating_add(took))
    })
}

/// The ids that a text names among the entries that a lens on that text has found: the text itself, or
/// ids that begin or end with it. Several mean that the text is too short.
///
/// # Errors
///
/// Those of reading the entries.
pub fn resolve(snapshot: &Snapshot, lens: &LensView, text: &str) -> io::Result<Vec<String>> {
    let mut reader = Reader::new(snapshot);
    let mut found: Vec<String> = Vec::new();
    for id in lens.ids() {
        // What is typed may be an id that is shown shortened, or its stand-in.
        let ids = reader.with(id, |entry, veiled, _| {
            let written = entry.ids().into_iter().map(|(_, id)| id.into_owned());
            let shown = veiled.ids().into_iter().map(|(_, id)| id.as_str().to_owned());
            written.zip(shown).collect::<Vec<_>>()
        })?;
        for (written, shown) in ids {
            if written == text || shown == text {
                return Ok(vec![shown]);
            }
            let part = |value: &str| value.starts_with(text) || value.ends_with(text);
            if (part(&written) || part(&shown)) && !found.contains(&shown) {
                found.push(shown);
            }
        }
    }
    Ok(found)
}
