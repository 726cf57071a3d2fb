//! Objects that go on over several lines, and what else an entry leaves open at the end of its first.

use super::{
    carry::Pretty,
    cutter::{Cutter, Quote},
};
use crate::{
    layout::{Below, Continues, Head, Join, LayoutId, Open, json},
    limits,
};

impl Cutter<'_> {
    /// An element of a list that fills the source, its indentation and its comma left out.
    pub(super) fn element<'l>(&self, line: &'l [u8]) -> (&'l [u8], &'l [u8]) {
        let Some(blanks) = self.dialect.list else { return (line, line) };
        let blank = |b: &u8| matches!(b, b' ' | b'\t');
        let lead = line.iter().take_while(|b| blank(b)).count();
        // The comma may stand before it.
        let comma = usize::from(lead <= blanks && line.get(lead) == Some(&b','));
        let lead = match comma {
            0 => lead,
            _ => lead + 1 + line[lead + 1..].iter().take_while(|b| blank(b)).count(),
        };
        if comma == 0 && lead != blanks || line.get(lead) != Some(&b'{') {
            return (line, line);
        }
        let bare = &line[lead..];
        (bare.strip_suffix(b",").filter(|line| line.ends_with(b"}")).unwrap_or(bare), line)
    }

    /// Remembers what an entry leaves open at the end of its first line.
    pub(super) fn opened(
        &mut self,
        index: usize,
        above: Option<usize>,
        head: &Head,
        line: &[u8],
    ) -> Quote {
        if head.join == Join::After {
            self.carry.awaits = Some(index);
        }
        if head.dump {
            self.carry.dump = Some(index);
        }
        if head.gathers {
            self.carry.gather = Some((index, self.part.columns.layout(index)));
        }
        match head.open {
            Open::Nothing => Quote::Closed,
            Open::Quote => Quote::Open,
            Open::Object(depth) => {
                let mut text = line.to_vec();
                text.push(b'\n');
                // Until its end has come it is a beginning, and no object.
                self.part.columns.set_layout(index, LayoutId::PLAIN);
                let above = above.filter(|above| *above + 1 == index);
                self.carry.object = Some(Pretty { owner: index, above, depth, text });
                Quote::Closed
            }
        }
    }

    /// Takes a line that the layout of the current entry says is its own.
    pub(super) fn gathered(&mut self, line: &[u8]) -> bool {
        let Some((owner, layout)) = self.carry.gather else { return false };
        let below = layout.layout().filter(|_| self.carry.current == Some(owner));
        let (stamp, severity) = match below.map_or(Below::Over, |layout| layout.below(line)) {
            Below::Over => {
                self.carry.gather = None;
                return false;
            }
            Below::Within(stamp, severity) => (stamp, severity),
            Below::Last(stamp, severity) => {
                self.carry.gather = None;
                (stamp, severity)
            }
        };
        self.count();
        let time = stamp.and_then(|stamp| stamp.order(&self.dialect.clock));
        let columns = &mut self.part.columns;
        if let Some(time) = time.filter(|_| columns.time_is_derived(owner)) {
            self.carry.time = Some(time);
            columns.set_time(owner, time);
        }
        if let Some(severity) = severity
            && columns.severity(owner).is_none()
        {
            columns.set_severity(owner, severity);
        }
        true
    }

    /// A line while an object is open: takes it in, or gives the object up.
    pub(super) fn object_line(&mut self, line: &[u8], at: u64) -> Option<Quote> {
        let object = self.carry.object.as_mut()?;
        let lead = line.iter().take_while(|b| **b == b' ' || **b == b'\t').count();
        let anew = line.get(lead) == Some(&b'{') && lead <= self.dialect.list.unwrap_or(0);
        // At the margin stand the brackets that close, and names where nothing is indented.
        let strange = lead == 0
            && line.first().is_some_and(|b| !matches!(b, b'}' | b']' | b'"' | b',' | b'\r'));
        let depth = json::brackets(line).filter(|_| !anew && !strange);
        let room = object.text.len() + line.len() <= limits::OBJECT_BYTES;
        let Some(depth) = depth.filter(|_| room) else {
            let (owner, above) = (object.owner, object.above);
            self.carry.object = None;
            if self.merged(owner, above) {
                return None;
            }
            let part = &mut self.part;
            part.columns.set_layout(owner, LayoutId::PLAIN);
            self.carry.enter(0, owner, Continues::Indented);
            return None;
        };
        object.text.extend_from_slice(line);
        object.text.push(b'\n');
        object.depth += depth;
        if object.depth > 0 {
            return Some(Quote::Closed);
        }
        let object = self.carry.object.take()?;
        let text = object.text.trim_ascii();
        let text = text.strip_suffix(b",").unwrap_or(text);
        let found = self.dialect.detect(text).filter(|(_, head)| head.open == Open::Nothing);
        if let Some((layout, _)) = found.filter(|(_, head)| head.many)
            && self.unfold(
                object.owner,
                layout,
                text,
                at + line.len() as u64 + 1,
                object.text.len(),
            )
        {
            return Some(Quote::Closed);
        }
        // An object that says neither when nor how grave is what the entry above prints.
        let entry = found.is_some_and(|(_, head)| head.stamp.is_some() || head.severity.is_some());
        if entry || !self.merged(object.owner, object.above) {
            self.fill(object.owner, found, None);
        }
        Some(Quote::Closed)
    }

    /// Puts the entries that an object over several lines holds in its place, each where it stands; `end` is where the
    /// next line begins, `length` the bytes of the object's lines as they were taken in. Says whether that can be: not
    /// where something was left out of its lines.
    fn unfold(
        &mut self,
        owner: usize,
        layout: LayoutId,
        text: &[u8],
        end: u64,
        length: usize,
    ) -> bool {
        let start = self.part.columns.last_start();
        let Some(start) = start.filter(|_| owner + 1 == self.part.columns.len()) else {
            return false;
        };
        let at = self.part.offset + u64::from(start);
        if end - at != length as u64 {
            return false;
        }
        self.part.columns.pop();
        self.front = Some(0);
        self.several(layout, text, at);
        true
    }

    /// The entry that the line before belongs to, where lines of any form may go on with it.
    pub(super) fn above(&self) -> Option<usize> {
        let owner = self.carry.current?;
        let lane = self.carry.lane(0).filter(|lane| lane.owner == owner)?;
        (lane.continues == Continues::Always && self.dialect.runs_on()).then_some(owner)
    }

    /// Gives the lines of the last entry to the one above it. Says whether that is to be.
    pub(super) fn merged(&mut self, owner: usize, above: Option<usize>) -> bool {
        let Some(above) = above.filter(|_| owner + 1 == self.part.columns.len()) else {
            return false;
        };
        self.part.columns.pop();
        self.carry.enter(0, above, Continues::Always);
        true
    }

    /// Gives an entry what became known of it after it had begun.
    pub(super) fn fill(
        &mut self,
        owner: usize,
        found: Option<(LayoutId, Head)>,
        stamp: Option<crate::entry::Stamp>,
    ) {
        let (layout, head) = found.unwrap_or((LayoutId::PLAIN, Head::default()));
        let time = head.stamp.or(stamp).and_then(|stamp| stamp.order(&self.dialect.clock));
        if time.is_some() {
            self.carry.time = time;
        }
        let columns = &mut self.part.columns;
        columns.set_layout(owner, layout);
        if let Some(time) = time {
            columns.set_time(owner, time);
        }
        if let Some(severity) = head.severity {
            columns.set_severity(owner, severity);
        }
    }
}
