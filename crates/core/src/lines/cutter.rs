//! The state machine that turns lines into columns of the index.

use crate::{
    entry::trim_cr,
    layout::{Continues, Dialect, Head, LayoutId, csv},
    limits,
    store::{Columns, NO_TIME},
};

/// What the lines so far mean for the next.
#[derive(Clone, Debug, Default)]
pub(crate) struct Carry {
    /// The time that an entry without one takes.
    time: Option<i64>,
    /// The entry that the line before belongs to, and which lines it takes next.
    adjacent: Option<(usize, Continues)>,
    /// The last entry that may own a stack trace, and the lines since.
    accepting: Option<(usize, u32)>,
    /// A quote of the adjacent entry is open.
    quoted: bool,
}

/// A run of bytes with the entries in it: a block to be.
#[derive(Debug)]
pub(crate) struct Part {
    /// Where the part begins in its segment.
    pub(crate) offset: u64,
    pub(crate) columns: Columns,
    /// Line ends before the part, counted from where its cutter started.
    pub(crate) lines_before: u64,
}

/// Cuts lines into entries.
pub(crate) struct Cutter<'d> {
    dialect: &'d Dialect,
    carry: Carry,
    parts: Vec<Part>,
    /// Line ends seen.
    lines: u64,
    /// Bytes that belong to what came before this cutter, while that can't be known here.
    lead: u64,
    start: Start,
}

/// What a cutter knows of the lines before its own.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Start {
    /// It has the carry.
    Known,
    /// It started in the middle and has met no entry yet.
    Unknown,
    /// It started in the middle and has met an entry; a torn stack trace may still belong further up.
    Entered { lines: u32 },
}

impl<'d> Cutter<'d> {
    /// Starts where nothing, or everything, is known of what came before.
    pub(crate) fn resume(dialect: &'d Dialect, carry: Carry, tail: Option<Part>, at: u64) -> Self {
        let part = tail.unwrap_or_else(|| Part::at(at, 0));
        Self { dialect, carry, lines: 0, parts: vec![part], lead: 0, start: Start::Known }
    }

    /// Starts at a line in the middle of a file.
    pub(crate) fn adrift(dialect: &'d Dialect, at: u64) -> Self {
        Self { start: Start::Unknown, ..Self::resume(dialect, Carry::default(), None, at) }
    }

    /// Cuts whole lines that begin at `base`.
    pub(crate) fn run(&mut self, bytes: &[u8], base: u64) {
        self.lines_from(bytes, base);
        // Too few lines to tell that no stack trace from further up goes on behind them.
        if matches!(self.start, Start::Entered { lines } if lines <= limits::TORN_LINES)
            && self.carry.accepting.is_none()
        {
            self.start = Start::Unknown;
            self.lead = bytes.len() as u64;
        }
    }

    fn lines_from(&mut self, bytes: &[u8], base: u64) {
        let mut at = 0;
        while at < bytes.len() {
            let mut end = memchr::memchr(b'\n', &bytes[at..]).map_or(bytes.len(), |to| at + to);
            let line = &bytes[at..end];
            let line = trim_cr(line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line));
            if self.line(line, base + at as u64) == Quote::Open {
                match csv::closing(bytes, end, limits::QUOTED_LINES) {
                    Some(close) => {
                        self.lines += memchr::memchr_iter(b'\n', &bytes[end..close]).count() as u64;
                        end = close;
                    }
                    // The rest may close it, unless there was room enough to close it here.
                    None => {
                        self.carry.quoted = memchr::memchr_iter(b'\n', &bytes[end..])
                            .take(limits::QUOTED_LINES)
                            .count()
                            < limits::QUOTED_LINES;
                    }
                }
            }
            self.lines += u64::from(end < bytes.len());
            at = end + 1;
            if self.start == Start::Unknown {
                self.lead = at.min(bytes.len()) as u64;
            }
        }
    }

    /// The parts, the carry for whoever comes next, the line ends seen, and the bytes of the lead.
    pub(crate) fn finish(self) -> (Vec<Part>, Carry, u64, u64) {
        (self.parts, self.carry, self.lines, self.lead)
    }

    fn line(&mut self, line: &[u8], at: u64) -> Quote {
        if self.carry.quoted {
            let odd = memchr::memchr_iter(b'"', line).count() % 2 == 1;
            self.carry.quoted = !odd;
            return Quote::Closed;
        }
        if let Some((_, since)) = &mut self.carry.accepting {
            *since += 1;
        }
        if let Start::Entered { lines } = &mut self.start {
            *lines += 1;
        }
        if line.iter().all(u8::is_ascii_whitespace) {
            if self.part().columns.is_empty() && self.start != Start::Unknown {
                self.furniture(at);
            }
            return Quote::Closed;
        }
        if self.dialect.is_header(line) {
            if self.start != Start::Unknown {
                self.furniture(at);
            }
            self.carry.adjacent = None;
            return Quote::Closed;
        }
        match self.dialect.detect(line) {
            Some((layout, head)) => {
                self.begin(at, layout, head);
                if head.open { Quote::Open } else { Quote::Closed }
            }
            None => {
                self.loose(line, at);
                Quote::Closed
            }
        }
    }

    /// Bytes between entries that belong to none.
    fn furniture(&mut self, at: u64) {
        let part = self.part();
        let start = offset_in(part, at);
        part.columns.push_extra(start, None);
    }

    /// A line that no layout takes: it continues an entry, or it is one of its own.
    fn loose(&mut self, line: &[u8], at: u64) {
        let continuation = super::is_continuation(line);
        match self.carry.adjacent {
            Some((_, Continues::Always)) if !self.dialect.mixed() => return,
            Some((_, Continues::Always | Continues::Indented)) if continuation => return,
            _ => {}
        }
        if self.start == Start::Unknown {
            return;
        }
        if super::is_trace(line) {
            match self.carry.accepting {
                Some((owner, since)) if since <= limits::TORN_LINES => {
                    let part = self.part();
                    let start = offset_in(part, at);
                    part.columns.push_extra(start, Some(owner));
                    self.carry.adjacent = Some((owner, Continues::Indented));
                    self.carry.accepting = Some((owner, 0));
                    return;
                }
                None if matches!(self.start, Start::Entered { lines } if lines <= limits::TORN_LINES) =>
                {
                    // It belongs to an entry before this cutter's first: so does all up to here.
                    self.start = Start::Unknown;
                    self.carry = Carry::default();
                    self.parts.truncate(1);
                    self.parts[0] = Part::at(self.parts[0].offset, 0);
                    return;
                }
                _ => {}
            }
        }
        self.begin(at, LayoutId::PLAIN, Head::default());
    }

    fn begin(&mut self, at: u64, layout: LayoutId, head: Head) {
        if self.start == Start::Unknown {
            self.start = Start::Entered { lines: 0 };
            self.parts[0] = Part::at(at, self.lines);
        }
        let full = {
            let part = self.part();
            part.columns.len() >= limits::BLOCK_ENTRIES
                || at - part.offset >= 2 * limits::CHUNK_BYTES as u64
        };
        if full {
            self.parts.push(Part::at(at, self.lines));
            self.carry.accepting = None;
        }
        let time = head.stamp.map(|stamp| stamp.nanos(self.dialect.zone.as_ref()));
        if time.is_some() {
            self.carry.time = time;
        }
        let carried = self.carry.time.unwrap_or(NO_TIME);
        let part = self.part();
        let start = offset_in(part, at);
        let index =
            part.columns.push(start, time.ok_or(carried), layout, head.severity, head.derived);
        let continues = layout.continues();
        self.carry.adjacent = Some((index, continues));
        if continues != Continues::Never {
            self.carry.accepting = Some((index, 0));
        }
    }

    fn part(&mut self) -> &mut Part {
        let last = self.parts.len() - 1;
        &mut self.parts[last]
    }
}

#[derive(PartialEq, Eq)]
enum Quote {
    Open,
    Closed,
}

impl Part {
    fn at(offset: u64, lines_before: u64) -> Self {
        Self { offset, columns: Columns::default(), lines_before }
    }
}

/// Blocks are far shorter than 4 GiB, but for one line that is longer; an offset can't pass it, since no
/// entry starts within a line.
fn offset_in(part: &Part, at: u64) -> u32 {
    u32::try_from(at - part.offset).unwrap_or(u32::MAX)
}

impl Carry {
    /// Where nothing but the time of the entry before is known.
    pub(crate) fn after(time: Option<i64>) -> Self {
        Self { time, ..Self::default() }
    }

    /// The time of the last entry.
    pub(crate) fn time(&self) -> Option<i64> {
        self.time
    }

    /// The carry, with a time for want of its own.
    pub(crate) fn or_time(mut self, time: Option<i64>) -> Self {
        self.time = self.time.or(time);
        self
    }
}
