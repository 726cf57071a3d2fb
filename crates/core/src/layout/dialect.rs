//! What has been learnt or set for one source, and does not change while it is read.

use std::{borrow::Cow, sync::Arc};

use jiff::tz::TimeZone;

use super::{
    Continues, LayoutId, Open, colours, csv, delimited, own::Own, prefix::Habits, record, text,
    wrap,
};
use crate::entry::{Clock, Correction, trim_cr};

/// Lines without a layout from which on a source is taken for prose.
const PROSE: usize = 32;
/// Lines that are looked at to learn.
const SAMPLE: usize = 256;

/// How a source is read.
#[derive(Clone, Debug, Default)]
pub struct Dialect {
    pub(crate) clock: Clock,
    /// Layouts that were taught, in the order in which they are tried.
    pub(crate) own: Vec<Arc<Own>>,
    /// The only layout to be tried, where one is forced.
    forced: Option<LayoutId>,
    /// The columns of a separated file.
    pub(crate) header: Option<csv::Header>,
    /// What the columns of delimited lines hold.
    pub(super) columns: Option<delimited::Plan>,
    /// What the prefixes of its text lines are like.
    pub(super) habits: Habits,
    /// The column where a prefix with a program's name ends on every line.
    pub(crate) prefixed: bool,
    /// Several programs write to the source in turn.
    mixed: bool,
    /// No layout takes any of its lines: each is an entry, but for those of stack traces.
    prose: bool,
    /// One program writes to the source, and lines of any form go on with its entries.
    runs_on: bool,
    /// Blanks before the elements of a list that fills the source.
    pub(crate) list: Option<usize>,
    /// The name that each record of a source of `NAME=value` lines begins with.
    pub(crate) record: Option<Arc<[u8]>>,
    /// Headers of other columns are no longer taken for such: there were too many.
    headers_end: bool,
}

impl Dialect {
    /// What is set for a source before anything is learnt from it.
    #[must_use]
    pub fn new(zone: Option<TimeZone>, forced: Option<LayoutId>) -> Self {
        Self { clock: Clock { zone, ..Clock::default() }, forced, ..Self::default() }
    }

    /// The same for a source whose clock is set right.
    #[must_use]
    pub(crate) fn corrected(mut self, correction: &Correction) -> Self {
        self.clock.zone = correction.zone.clone().or(self.clock.zone);
        self.clock.shift = correction.shift;
        self
    }

    /// The same with layouts that were taught.
    #[must_use]
    pub fn taught(mut self, own: Vec<Arc<Own>>) -> Self {
        self.own = own;
        self
    }

    /// The same for a file of this name: layouts that hold for others are left out.
    #[must_use]
    pub(crate) fn for_file(mut self, name: &str) -> Self {
        if !self.forced.is_some_and(LayoutId::is_own) {
            self.own.retain(|own| own.holds_for(name));
        }
        self
    }

    /// The same for a source whose own date is known: its times don't lie after it.
    #[must_use]
    pub fn dated(mut self, date: Option<i64>) -> Self {
        self.clock.date = self.clock.date.or(date);
        self
    }

    /// Learns from the first bytes of a source what its lines don't say one by one.
    pub(crate) fn learn(&self, beginning: &[u8]) -> Self {
        let plain: Vec<Cow<'_, [u8]>> = beginning
            .split(|byte| *byte == b'\n')
            .map(trim_cr)
            .map(|line| line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line))
            .map(|line| match colours::is_coloured(line) {
                true => colours::strip(line),
                false => line.into(),
            })
            .filter(|line| !line.trim_ascii().is_empty())
            .take(SAMPLE)
            .collect();
        let lines: Vec<&[u8]> = plain.iter().map(AsRef::as_ref).collect();
        let mut learnt = Self { prefixed: wrap::prefixed(&lines), ..self.clone() };
        learnt.list = list(&lines);
        learnt.record = record::learn(beginning).map(Into::into);
        let inner: Vec<Cow<'_, [u8]>> = lines
            .iter()
            .map(|line| wrap::peel(line, &learnt).map_or((*line).into(), |peeled| peeled.inner))
            .map(|line| match colours::is_coloured(&line) {
                true => colours::strip(&line).into_owned().into(),
                false => line,
            })
            .collect();
        learnt.header = inner.iter().take(64).find_map(|line| csv::Header::read(line));
        let unread = inner.iter().filter(|line| learnt.detect(line).is_none()).count();
        if learnt.header.is_none() && unread * 2 > inner.len() {
            let rows: Vec<&[u8]> = inner.iter().map(AsRef::as_ref).collect();
            learnt.header = csv::Header::infer(&rows);
        }
        learnt.habits = text::habits(inner.iter().map(AsRef::as_ref));
        let met: Vec<(LayoutId, &[u8])> = inner
            .iter()
            .filter_map(|line| {
                // What only begins on a line is no entry yet.
                let (layout, head) = learnt.detect(line)?;
                (head.open == Open::Nothing).then_some((layout, &**line))
            })
            .collect();
        learnt.prose = met.is_empty() && lines.len() >= PROSE;
        learnt.mixed = learnt.prose || met.iter().any(|(layout, _)| *layout != met[0].0);
        let always =
            |(layout, _): &(LayoutId, &[u8])| layout.continues(&learnt) == Continues::Always;
        learnt.runs_on = !learnt.mixed && met.first().is_some_and(always);
        let rows: Vec<&[u8]> = met
            .iter()
            .filter(|(layout, _)| *layout == LayoutId::DELIMITED)
            .map(|(_, line)| *line)
            .collect();
        learnt.columns = delimited::Plan::learn(&rows);
        learnt
    }

    /// The share of the lines at the beginning of a text that mean something, from 0 to 1.
    pub(crate) fn share_of(&self, text: &[u8]) -> f64 {
        let (mut lines, mut read) = (0.0, 0.0);
        for line in text.split(|byte| *byte == b'\n').map(trim_cr).take(SAMPLE) {
            if line.trim_ascii().is_empty() {
                continue;
            }
            lines += 1.0;
            let inner = wrap::peel(line, self);
            let told = self.is_furniture(line)
                || inner.as_ref().is_some_and(|inner| !inner.soft)
                || self.detect(inner.as_ref().map_or(line, |inner| &*inner.inner)).is_some();
            if told {
                read += 1.0;
            }
        }
        if lines > 0.0 { read / lines } else { 1.0 }
    }

    /// Whether no layout takes the lines of the source, so that a line in its middle begins an entry whatever
    /// stands before it.
    pub(crate) fn is_prose(&self) -> bool {
        self.prose
    }

    /// Whether two dialects, learnt from parts of the same file, read every line alike.
    pub(crate) fn reads_as(&self, other: &Self) -> bool {
        let learnt = |of: &Self| (of.habits, of.prefixed, of.mixed, of.runs_on, of.list, of.prose);
        let header = |of: &Self| of.header.as_ref().map(|header| header.line.clone());
        learnt(self) == learnt(other)
            && self.record == other.record
            && self.columns == other.columns
            && header(self) == header(other)
    }

    /// Whether several programs write to the source in turn: then a line that no layout takes need not
    /// belong to the entry before.
    pub(crate) fn mixed(&self) -> bool {
        self.mixed
    }

    /// Whether one program writes to the source, and lines of any form go on with its entries.
    pub(crate) fn runs_on(&self) -> bool {
        self.runs_on
    }

    pub(crate) fn forced(&self) -> Option<LayoutId> {
        self.forced
    }

    /// Whether a line is the header of other columns than those that hold for the source so far.
    pub(crate) fn turns(&self, line: &[u8]) -> bool {
        !self.headers_end && self.header.as_ref().is_some_and(|header| header.changes(line))
    }

    /// The same, whose columns stay what they are.
    #[must_use]
    pub(crate) fn without_turns(mut self) -> Self {
        self.headers_end = true;
        self
    }

    /// Whether the line is no entry but furniture: the header of the columns, a directive, the brackets
    /// of a list.
    pub(crate) fn is_furniture(&self, line: &[u8]) -> bool {
        let header = self.header.as_ref().is_some_and(|header| {
            header.line == line && !line.is_empty()
                || header.separator() == b' ' && line.first() == Some(&b'#')
        });
        header || self.list.is_some() && matches!(line, b"[" | b"]" | b",")
    }
}

/// The indentation of the objects in a list that fills a source, its brackets on lines of their own.
fn list(lines: &[&[u8]]) -> Option<usize> {
    let (first, second) = (lines.first()?, lines.get(1)?);
    if *first != b"[" {
        return None;
    }
    let blanks = second.iter().take_while(|b| **b == b' ' || **b == b'\t').count();
    (second.get(blanks) == Some(&b'{')).then_some(blanks)
}
