//! What the veil finds, made ready to be drawn.

use cribrum_core::{
    EntryId,
    engine::{Hidden, Pass, Snapshot},
    veil::{By, Class, Hit, Rule, Shareable, detectors},
};

/// What one detector, or one rule, has found.
#[derive(Clone, Debug)]
pub(super) struct Finder {
    pub(super) name: String,
    pub(super) what: String,
    pub(super) class: Class,
    pub(super) hits: u64,
    pub(super) near: u64,
    pub(super) examples: Vec<Example>,
    /// A hit and a near miss as the table has them.
    pub(super) known: Option<(&'static str, &'static str)>,
}

/// A hit, or what was nearly one, where it stands.
#[derive(Clone, Debug)]
pub(super) struct Example {
    pub(super) id: EntryId,
    pub(super) place: String,
    pub(super) excerpt: Shareable<'static>,
    pub(super) near: Option<&'static str>,
    /// Characters of the excerpt before the hit.
    pub(super) before: usize,
}

/// All of it.
#[derive(Clone, Debug, Default)]
pub(super) struct Report {
    pub(super) finders: Vec<Finder>,
    pub(super) hits: u64,
    pub(super) holding: usize,
    pub(super) entries: usize,
}

/// What the veil finds in all entries.
pub(super) fn report(snapshot: &Snapshot, pass: &Pass) -> Option<Report> {
    Some(told(snapshot, &Hidden::of(snapshot, pass)?))
}

/// What a rule would find.
pub(super) fn trial(snapshot: &Snapshot, rule: &Rule, pass: &Pass) -> Option<Report> {
    let hidden = Hidden::trial(snapshot, rule.clone(), pass)?;
    let mut report = told(snapshot, &hidden);
    report.finders.retain(|finder| finder.hits > 0);
    Some(report)
}

fn told(snapshot: &Snapshot, hidden: &Hidden) -> Report {
    let veil = snapshot.veil();
    let mut finders: Vec<Finder> =
        veil.finders().into_iter().map(|(by, class)| finder(snapshot, hidden, by, class)).collect();
    // A rule that is tried is not among those of the veil.
    if let Some((by, found)) =
        hidden.by.iter().find(|(by, _)| !veil.finders().iter().any(|(known, _)| known == *by))
    {
        finders.push(finder(snapshot, hidden, *by, found.class));
    }
    finders.sort_by_key(|finder| {
        (
            finder.hits == 0,
            finder.hits == 0 && finder.near == 0,
            finder.class.group() as u8,
            std::cmp::Reverse(finder.hits),
        )
    });
    Report { finders, hits: hidden.hits(), holding: hidden.holding, entries: hidden.entries }
}

fn finder(snapshot: &Snapshot, hidden: &Hidden, by: By, class: Class) -> Finder {
    let veil = snapshot.veil();
    let name = veil.name_of(by).to_owned();
    let known = detectors().find(|detector| detector.name == name);
    let found = hidden.by.get(&by);
    let all = found.iter().flat_map(|found| found.shown.iter().chain(&found.nearly));
    Finder {
        known: known.map(|detector| (detector.hit, detector.miss)),
        name,
        what: veil.what(by).to_owned(),
        class,
        hits: found.map_or(0, |found| found.hits),
        near: found.map_or(0, |found| found.near),
        examples: all.map(|(id, hit)| example(snapshot, *id, hit)).collect(),
    }
}

fn example(snapshot: &Snapshot, id: EntryId, hit: &Hit) -> Example {
    let label = &snapshot.sources[snapshot.source_of(id)].label;
    let file = snapshot.file_of(id).unwrap_or(label);
    let line = snapshot.line(id).map_or(0, |line| line + u64::from(hit.line));
    let place = format!("{file}:{line}:{}", hit.column);
    Example { id, place, excerpt: hit.excerpt.clone(), near: hit.near, before: hit.before }
}
