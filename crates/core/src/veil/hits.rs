//! What the veil finds in an entry, told one by one: where, by whom, and the line around it with everything hidden.

use std::ops::Range;

use super::{
    Anyone, Class, Place, Policy, Shareable, Veil, Veiled,
    detectors::detector,
    found::{Mark, Number, Want},
    scan,
};
use crate::entry::Entry;

/// Characters that are shown on either side of a hit.
const AROUND: usize = 40;

/// A hit in an entry, or what was nearly one.
#[derive(Clone, Debug)]
pub struct Hit {
    /// Who found it.
    pub by: By,
    /// What it is.
    pub class: Class,
    /// The line of the entry that it begins in, from 0.
    pub line: u32,
    /// The character of the line that it begins at, from 1.
    pub column: u32,
    /// What keeps it from being a hit.
    pub near: Option<&'static str>,
    /// The line around it, with everything hidden that the veil finds.
    pub excerpt: Shareable<'static>,
    /// Characters of the excerpt before the hit.
    pub before: usize,
}

/// Who finds something: a detector, or a rule of one's own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct By(Number);

impl Veil {
    /// The name of who finds something.
    #[must_use]
    pub fn name_of(&self, by: By) -> &str {
        let own = || self.rules.get(by.0).map(|rule| rule.name.as_str());
        detector(by.0).map(|detector| detector.name).or_else(own).unwrap_or("typed before")
    }

    /// What they find, as the end of a sentence that begins with "finds".
    #[must_use]
    pub fn what(&self, by: By) -> &'static str {
        detector(by.0).map_or("what a rule of one's own names", |detector| detector.what)
    }

    /// All who may find something, the rules of one's own first.
    #[must_use]
    pub fn finders(&self) -> Vec<(By, Class)> {
        let own = self.rules.numbered().map(|(number, rule)| (By(number), rule.class));
        let table = (0..).zip(super::detectors());
        own.chain(table.map(|(number, detector)| (By(number), detector.class))).collect()
    }

    /// A veil that hides everything it finds, for looking at what that is.
    pub(crate) fn blind(&self) -> Self {
        let mut policy = Policy::strictest();
        policy.entropy = self.policy.entropy;
        Self { policy: policy.into(), ..self.clone() }
    }

    /// What a blind veil finds in an entry.
    pub(crate) fn hits(&self, entry: &Entry<'_>, place: Option<Place>) -> Vec<Hit> {
        let veiled: Veiled<'_, '_, Anyone> = self.over(entry, place);
        let marks = veiled.marks_of_raw();
        let want = Want { near: true, ..self.want(super::Who::Anyone) };
        let (_, near, _) = self.look_for(entry.raw, want);
        let mut lines = Lines::of(entry.raw);
        let mut hits = Vec::new();
        for mark in &marks {
            hits.push(self.hit(&mark.span, mark, None, &marks, &mut lines));
        }
        let mut told: Vec<Range<usize>> = Vec::new();
        for near in near {
            let overlaps =
                |span: &Range<usize>| near.span.start < span.end && span.start < near.span.end;
            if marks.iter().any(|mark| overlaps(&mark.span)) || told.iter().any(overlaps) {
                continue;
            }
            let class = detector(near.by).map_or(Class::Secret, |detector| detector.class);
            let mark = Mark { span: near.span.clone(), class, by: near.by, named: false };
            // What is nearly a secret is hidden too: it may be one that was cut.
            let mut all = marks.clone();
            all.push(mark.clone());
            hits.push(self.hit(&near.span, &mark, Some(near.why), &scan::apart(all), &mut lines));
            told.push(near.span);
        }
        hits
    }

    fn hit(
        &self,
        span: &Range<usize>,
        mark: &Mark,
        near: Option<&'static str>,
        hidden: &[Mark],
        lines: &mut Lines<'_>,
    ) -> Hit {
        let (line, within) = lines.at(span.start);
        let (excerpt, before) = self.excerpt(lines.raw, &within, span, hidden);
        let column =
            String::from_utf8_lossy(&lines.raw[within.start..span.start]).chars().count() + 1;
        let small = |number: usize| u32::try_from(number).unwrap_or(u32::MAX);
        Hit {
            by: By(mark.by),
            class: mark.class,
            line: small(line),
            column: small(column),
            near,
            excerpt,
            before,
        }
    }

    /// The part of a line around a hit.
    fn excerpt(
        &self,
        raw: &[u8],
        line: &Range<usize>,
        span: &Range<usize>,
        hidden: &[Mark],
    ) -> (Shareable<'static>, usize) {
        let is_start = |at: &usize| raw.get(*at).is_none_or(|b| b & 0xc0 != 0x80);
        let least = line.start.max(span.start.saturating_sub(AROUND));
        let most = line.end.min(span.end + AROUND).max(span.end.min(line.end));
        let mut start = (least..=span.start).find(is_start).unwrap_or(span.start);
        let mut end = (most..=line.end.max(most)).find(is_start).unwrap_or(most).min(raw.len());
        // Nothing that is hidden is cut.
        for mark in hidden {
            if mark.span.start < start && start < mark.span.end {
                start = mark.span.end.min(span.start);
            }
            if mark.span.start < end && end < mark.span.end {
                end = mark.span.start.max(span.end);
            }
        }
        let part = |mark: &Mark| {
            let (from, to) = (mark.span.start.max(start), mark.span.end.min(end));
            (from < to).then(|| Mark { span: from - start..to - start, ..mark.clone() })
        };
        let marks: Vec<Mark> = hidden.iter().filter_map(part).collect();
        let flat = |text: String| text.replace(['\n', '\r'], " ");
        let cut = span.start - start;
        let earlier: Vec<Mark> =
            marks.iter().filter(|mark| mark.span.end <= cut).cloned().collect();
        let ahead = flat(self.replaced::<Anyone>(&raw[start..span.start], &earlier));
        let text = flat(self.replaced::<Anyone>(&raw[start..end], &marks));
        let before = if start > line.start { "… " } else { "" };
        let after = if end < line.end { " …" } else { "" };
        let length = before.chars().count() + ahead.chars().count();
        (Shareable::new(format!("{before}{text}{after}").into()), length)
    }
}

/// The lines of an entry, walked forwards.
struct Lines<'r> {
    raw: &'r [u8],
    /// The line that was asked for last: its number and where it begins.
    last: (usize, usize),
}

impl<'r> Lines<'r> {
    fn of(raw: &'r [u8]) -> Self {
        Self { raw, last: (0, 0) }
    }

    /// The number of the line that a place is in, and where that begins and ends.
    fn at(&mut self, place: usize) -> (usize, Range<usize>) {
        if place < self.last.1 {
            self.last = (0, 0);
        }
        let (mut number, mut start) = self.last;
        for end in memchr::memchr_iter(b'\n', &self.raw[start..place]).map(|to| self.last.1 + to) {
            (number, start) = (number + 1, end + 1);
        }
        self.last = (number, start);
        let rest = memchr::memchr(b'\n', &self.raw[place..]);
        (number, start..rest.map_or(self.raw.len(), |to| place + to))
    }
}
