//! The state machine that turns lines into columns of the index.

use std::{borrow::Cow, cell::LazyCell, ops::Range, sync::Arc};

use super::{armour, carry::Carry};
use crate::{
    entry::trim_cr,
    guard,
    layout::{
        Continues, Dialect, Head, Join, LayoutId, Open, Shared, colours, csv,
        quick::{self, Ahead},
        record, trace, wrap,
    },
    limits,
    store::{Columns, Flags, NO_TIME},
};

/// A run of bytes with the entries in it: a block to be.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    /// Where the part begins in its segment.
    pub(crate) offset: u64,
    pub(crate) columns: Columns,
    /// Line ends before the part, counted from where its cutter started.
    pub(crate) lines_before: u64,
    /// Entries of its first line that stand in parts before it: see [`crate::store::Block::piece`].
    pub(crate) piece: u32,
}

/// Cuts lines into entries.
pub(crate) struct Cutter<'d> {
    pub(super) dialect: &'d Dialect,
    /// Lines of usual forms need no second look.
    plain: bool,
    pub(super) carry: Carry,
    /// The parts that are finished, and the one that entries go to.
    parts: Vec<Part>,
    pub(super) part: Part,
    /// Line ends seen.
    lines: u64,
    /// Bytes that belong to what came before this cutter, while that can't be known here.
    lead: u64,
    pub(super) start: Start,
    /// Lines that the program failed at, and the place of the first.
    failed: Option<(u64, u64)>,
    /// See [`Cutter::long`].
    long: Option<u64>,
    guarded: bool,
    /// The layout of the entry before, and how its entries go on.
    continues: Option<(LayoutId, Continues)>,
    /// Bytes that were left out before the line; nothing where they were left out in its middle as well.
    pub(super) front: Option<u64>,
    /// Which of the entries of its line the next one is.
    pub(super) number: usize,
    /// Where a header of other columns stands, at which the cutter has stopped.
    turn: Option<u64>,
}

/// What a cutter knows of the lines before its own.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Start {
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
        let plain = dialect.is_plain();
        Self {
            dialect,
            plain,
            carry,
            lines: 0,
            parts: Vec::new(),
            part,
            lead: 0,
            start: Start::Known,
            failed: None,
            long: None,
            guarded: false,
            continues: None,
            front: None,
            number: 0,
            turn: None,
        }
    }

    /// Starts at a line in the middle of a file.
    pub(crate) fn adrift(dialect: &'d Dialect, at: u64) -> Self {
        Self { start: Start::Unknown, ..Self::resume(dialect, Carry::default(), None, at) }
    }

    /// The same, and a line that the program fails at becomes text. Slower: no line is read by a quick look.
    pub(crate) fn guarded(self) -> Self {
        Self { plain: false, guarded: true, ..self }
    }

    /// Where the first entry went on that was longer than an entry may be.
    pub(crate) fn long(&self) -> Option<u64> {
        self.long
    }

    /// How many lines the program failed at, and where the first of them stands.
    pub(crate) fn failed(&self) -> Option<(u64, u64)> {
        self.failed
    }

    /// Where the header of other columns stands that the cutter has stopped at.
    pub(crate) fn turn(&self) -> Option<u64> {
        self.turn
    }

    /// Cuts whole lines that begin at `base`, up to a header of other columns.
    pub(crate) fn run(&mut self, bytes: &[u8], base: u64) {
        self.lines_from(bytes, base);
        let bytes = &bytes[..self.turn.map_or(bytes.len(), |at| within(at - base, bytes))];
        // Too few lines to tell that no stack trace from further up goes on behind them.
        if matches!(self.start, Start::Entered { lines } if lines <= limits::TORN_LINES) {
            self.start = Start::Unknown;
            self.lead = bytes.len() as u64;
        }
    }

    fn lines_from(&mut self, bytes: &[u8], base: u64) {
        let coloured = LazyCell::new(|| memchr::memchr2(0x1b, 0, bytes).is_some());
        let mut ahead = Ahead::over(bytes, self.dialect);
        let mut at = self.skipped(bytes);
        while at < bytes.len() {
            let (length, several) = quick::end(&bytes[at..]);
            let mut end = at + length;
            let line = trim_cr(&bytes[at..end]);
            if self.carry.quoted {
                // As the search for the end of a quote counts them: colours included.
                self.carry.quoted = memchr::memchr_iter(b'"', line).count().is_multiple_of(2);
                self.next_line(&mut at, end, bytes.len());
                continue;
            }
            let key = line.ends_with(b"-----") && armour::begins(line);
            // What is dropped of a line may be what closes its object.
            let odd = line.first() == Some(&b'{') && *coloured && colours::is_coloured(line);
            if self.plain && !several && !odd && !key && self.quick(line, at, &mut ahead, base) {
                self.next_line(&mut at, end, bytes.len());
                continue;
            }
            let bare = line.strip_prefix(b"\xef\xbb\xbf");
            // Whatever is open here ends: what that is, a chunk that begins in the middle does not know.
            if self.dialect.turns(bare.unwrap_or(line)) {
                self.turn = Some(base + at as u64);
                return;
            }
            self.front = Some(if bare.is_some() { 3 } else { 0 });
            let line = trim_cr(bare.unwrap_or(line));
            let line = match *coloured && colours::is_coloured(line) {
                true => {
                    self.front = None;
                    colours::strip(line)
                }
                false => Cow::Borrowed(line),
            };
            let quote = match self.guarded {
                true => self.line_safely(&line, base + at as u64),
                false => self.line(&line, base + at as u64),
            };
            if key && let Some(owner) = self.carry.current {
                let lane = self.carry.lanes.iter().find(|lane| lane.owner == owner);
                self.carry.key = Some((lane.map_or(0, |lane| lane.lane), owner));
            }
            if matches!(self.carry.gather, Some((_, LayoutId::RECORD)))
                && record::is_name_alone(&line)
            {
                self.carry.length = Some(Vec::new());
                self.next_line(&mut at, end, bytes.len());
                at += self.skipped(&bytes[at.min(bytes.len())..]);
                continue;
            }
            if quote == Quote::Open {
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
            self.next_line(&mut at, end, bytes.len());
        }
    }

    /// Leaves out the length of a value, and the value: how many bytes that takes. What is not here yet is left out
    /// of the next chunk.
    fn skipped(&mut self, bytes: &[u8]) -> usize {
        let mut at = 0;
        if let Some(mut length) = self.carry.length.take() {
            at = (record::LENGTH - length.len()).min(bytes.len());
            length.extend_from_slice(&bytes[..at]);
            match record::length_of(&length) {
                // The line end behind the value is a line end like others.
                Some(length) => self.carry.skip = length.saturating_add(1),
                None => self.carry.length = Some(length),
            }
        }
        let more = self.carry.skip.min(bytes.len() - at);
        self.carry.skip -= more;
        at += more;
        self.lines += memchr::memchr_iter(b'\n', &bytes[..at]).count() as u64;
        at
    }

    /// Goes on behind a line that ends at `end`.
    #[inline]
    fn next_line(&mut self, at: &mut usize, end: usize, length: usize) {
        self.lines += u64::from(end < length);
        *at = end + 1;
        if self.start == Start::Unknown {
            self.lead = (*at).min(length) as u64;
        }
    }

    /// The parts, the carry for the next chunk, the line ends seen, and the bytes of the lead.
    pub(crate) fn finish(self) -> (Vec<Part>, Carry, u64, u64) {
        let mut parts = self.parts;
        parts.push(self.part);
        (parts, self.carry, self.lines, self.lead)
    }

    /// Takes a line of a usual form as the entry that it is. Says whether it is one.
    fn quick(&mut self, line: &[u8], from: usize, ahead: &mut Ahead<'_>, base: u64) -> bool {
        let at = base + from as u64;
        if self.carry.waits() || self.carry.object.is_some() || self.carry.gather.is_some() {
            return false;
        }
        // A line indented by three blanks or a tab starts no entry but in columns, and has no wrapper.
        let deep =
            line.starts_with(b"   ") || line.first() == Some(&b'\t') && !line.starts_with(b"\t\t ");
        if deep && !ahead.usual {
            return false;
        }
        if deep {
            let blank = line.iter().all(u8::is_ascii_whitespace);
            // Columns may leave a time blank that repeats.
            if blank || self.carry.dump.is_some() || self.dialect.may_be_columns(line) {
                return false;
            }
            #[cfg(debug_assertions)]
            assert!(
                wrap::peel(line, self.dialect).is_none() && self.dialect.detect(line).is_none()
            );
            self.count();
            self.loose(line, at);
            return true;
        }
        let Some((layout, head)) = quick::head(line, from, ahead) else {
            return ahead.usual && self.words(line, at);
        };
        #[cfg(debug_assertions)]
        {
            let line = colours::strip(line);
            assert!(wrap::peel(&line, self.dialect).is_none(), "{}", line.escape_ascii());
            assert_eq!(Some((layout, head)), self.dialect.detect(&line));
        }
        self.count();
        self.begin(at, layout, head, 0, Flags::default());
        true
    }

    /// Takes a line that is nothing but words. Says whether it is one.
    fn words(&mut self, line: &[u8], at: u64) -> bool {
        if self.carry.dump.is_some() || !quick::is_words(line) {
            return false;
        }
        #[cfg(debug_assertions)]
        {
            assert!(wrap::peel(line, self.dialect).is_none(), "{}", line.escape_ascii());
            assert_eq!(self.dialect.detect(line), None, "{}", line.escape_ascii());
        }
        self.count();
        self.loose(line, at);
        true
    }

    /// Counts a line that says something.
    pub(super) fn count(&mut self) {
        self.carry.count();
        if let Start::Entered { lines } = &mut self.start {
            *lines += 1;
        }
    }

    /// Takes a line; one that the program fails at becomes text.
    fn line_safely(&mut self, line: &[u8], at: u64) -> Quote {
        let taken = guard::catch(|| self.line(line, at));
        taken.unwrap_or_else(|| {
            let (count, first) = self.failed.unwrap_or((0, at));
            self.failed = Some((count + 1, first));
            self.carry.object = None;
            // It may have begun its entry before it failed.
            if self.part.columns.last_start() != Some(offset_in(&self.part, at)) {
                self.begin(at, LayoutId::PLAIN, Head::default(), 0, Flags::default());
            }
            Quote::Closed
        })
    }

    fn line(&mut self, line: &[u8], at: u64) -> Quote {
        if let Some(quote) = self.object_line(line, at) {
            return quote;
        }
        if self.gathered(line) {
            return Quote::Closed;
        }
        self.count();
        if line.first().is_none_or(u8::is_ascii_whitespace)
            && line.iter().all(u8::is_ascii_whitespace)
        {
            if self.part.columns.is_empty() && self.start != Start::Unknown {
                self.furniture(at);
            }
            return Quote::Closed;
        }
        if self.dialect.is_furniture(line) {
            if self.start != Start::Unknown {
                self.furniture(at);
            }
            self.carry.current = None;
            return Quote::Closed;
        }
        if let Some(owner) = self.carry.awaits.take() {
            if let Some(severity) = crate::layout::level_of_second(line) {
                self.part.columns.set_severity(owner, severity);
                return Quote::Closed;
            }
            // The message of a crash may look like anything, but an entry with a time of its own.
            if self.dialect.detect(line).is_none_or(|(_, head)| head.stamp.is_none()) {
                return Quote::Closed;
            }
        }
        match wrap::peel(line, self.dialect) {
            Some(peeled) => self.wrapped(line, &peeled, at),
            None => self.bare(line, at),
        }
    }

    /// A line without a wrapper.
    pub(super) fn bare(&mut self, line: &[u8], at: u64) -> Quote {
        let (listed, many) = self.element(line);
        let found = self.dialect.detect(listed);
        if let Some(owner) = self.carry.dump.filter(|owner| self.carry.current == Some(*owner))
            && found.is_none_or(|(_, head)| head.stamp.is_none() && head.severity.is_none())
            && crate::layout::belongs_to_dump(listed)
        {
            self.extend(owner, at);
            return Quote::Closed;
        }
        match found {
            Some((_, head)) if head.join == Join::Before && self.carry.current.is_some() => {
                Quote::Closed
            }
            Some((_, head)) if head.join == Join::Before && self.start == Start::Unknown => {
                Quote::Closed
            }
            Some((layout, head)) if head.many => {
                self.several(layout, many, at);
                Quote::Closed
            }
            // It may belong to the entry above, which is in the chunk before.
            Some((_, head))
                if matches!(head.open, Open::Object(_))
                    && self.start == Start::Unknown
                    && self.dialect.runs_on() =>
            {
                Quote::Closed
            }
            Some((layout, head)) => {
                let above = self.above();
                let index = self.begin(at, layout, head, 0, Flags::default());
                self.opened(index, above, &head, listed)
            }
            None => {
                self.loose(line, at);
                Quote::Closed
            }
        }
    }

    /// Begins the entries of a line that holds several, each where it stands. Where that can't be told, since
    /// something was left out of the line, all begin with it.
    pub(super) fn several(&mut self, layout: LayoutId, line: &[u8], at: u64) {
        let Some(known) = layout.layout() else { return };
        let members = known.members(line).unwrap_or_default();
        let mut last: Option<([Range<usize>; 2], Arc<Shared>)> = None;
        for (number, member) in members.iter().enumerate() {
            let place = self.front.map_or(0, |front| front + member.span.start as u64);
            if number == 0 && place > 0 {
                self.enter(at);
                self.furniture(at);
            }
            let listed = self.front.is_some();
            // Those of an object over several lines may begin on lines of their own.
            let before = number.checked_sub(1).map(|before| members[before].span.start);
            let beside = before.and_then(|before| line.get(before..member.span.start));
            let within = beside.is_some_and(|between| memchr::memchr(b'\n', between).is_none());
            let flags = Flags { listed, within, ..Flags::default() };
            self.number = if within { self.number + 1 } else { 0 };
            let shared = match last.take() {
                Some((spans, shared)) if spans == member.shared => shared,
                _ => Arc::new(member.shared(line)),
            };
            if listed {
                self.share(at + place, &shared);
            }
            last = Some((member.shared.clone(), shared));
            self.begin(at + place, layout, known.member_head(line, member), 0, flags);
        }
        self.number = 0;
    }

    /// Says what the entry that begins next shares with those behind it.
    fn share(&mut self, at: u64, shared: &Arc<Shared>) {
        self.enter(at);
        self.room_for(at);
        self.part.columns.share(shared);
    }

    /// Adds a line to an entry that other lines may have come between.
    pub(super) fn extend(&mut self, owner: usize, at: u64) {
        let start = self.part.columns.starts().nth(owner).unwrap_or(0);
        if at.saturating_sub(self.part.offset + u64::from(start)) >= limits::ENTRY_BYTES {
            // Without a bound one line with a time would hold all that follows it in memory.
            let head = Head { doubtful: true, ..Head::default() };
            self.long.get_or_insert(at);
            self.begin(at, LayoutId::PLAIN, head, 0, Flags::default());
            return;
        }
        if self.carry.current != Some(owner) {
            let part = &mut self.part;
            let start = offset_in(part, at);
            part.columns.push_extra(start, Some(owner));
            self.carry.current = Some(owner);
        }
        if let Some(lane) = self.carry.lanes.iter_mut().find(|lane| lane.owner == owner) {
            lane.since = 0;
        }
    }

    /// Bytes between entries that belong to none.
    pub(super) fn furniture(&mut self, at: u64) {
        let part = &mut self.part;
        let start = offset_in(part, at);
        part.columns.push_extra(start, None);
    }

    /// A line that no layout takes: it continues an entry, or it is one of its own.
    fn loose(&mut self, line: &[u8], at: u64) {
        if let Some(owner) = self.carry.keyed(0, line) {
            return self.extend(owner, at);
        }
        let place = LazyCell::new(|| trace::Place::of(line));
        let mut anew = false;
        if let Some(owner) = self.carry.current {
            let continues = self.carry.lane(0).filter(|lane| lane.owner == owner);
            match continues.map(|lane| lane.continues) {
                Some(Continues::Always) if !self.dialect.mixed() => return self.extend(owner, at),
                Some(Continues::Always | Continues::Indented) if *place != trace::Place::Own => {
                    anew = self.traces_anew(0, owner, line);
                    if !anew {
                        return self.extend(owner, at);
                    }
                }
                _ => {}
            }
        }
        if self.start == Start::Unknown && (!self.dialect.is_prose() || *place != trace::Place::Own)
        {
            return;
        }
        if *place == trace::Place::Middle && !anew {
            if let Some(owner) = self.carry.accepting(0) {
                return self.extend(owner, at);
            }
            if self.carry.lane(0).is_none() && self.give_back() {
                return;
            }
        }
        self.begin(at, LayoutId::PLAIN, Head::default(), 0, Flags::default());
        if *place != trace::Place::Own {
            self.carry.traces_anew(0, line);
        }
    }

    /// Whether the head of a stack trace begins an entry of its own: below one that no layout took, whose
    /// trace has come to its end.
    pub(super) fn traces_anew(&mut self, lane: u32, owner: usize, line: &[u8]) -> bool {
        self.part.columns.layout(owner) == LayoutId::PLAIN && self.carry.traces_anew(lane, line)
    }

    /// A line belongs to an entry before this cutter's first: so does all up to here. Says whether that
    /// may be.
    pub(super) fn give_back(&mut self) -> bool {
        if !matches!(self.start, Start::Entered { lines } if lines <= limits::TORN_LINES) {
            return false;
        }
        self.start = Start::Unknown;
        self.carry = Carry::default();
        let first = self.parts.first().unwrap_or(&self.part).offset;
        self.parts.clear();
        self.part = Part::at(first, 0);
        true
    }

    #[inline]
    pub(super) fn begin(
        &mut self,
        at: u64,
        layout: LayoutId,
        head: Head,
        lane: u32,
        flags: Flags,
    ) -> usize {
        self.begin_dated(at, layout, head, lane, flags, None)
    }

    /// Begins an entry. `date` is the time of what is around it, for a time that lacks its date.
    #[inline]
    pub(super) fn begin_dated(
        &mut self,
        at: u64,
        layout: LayoutId,
        head: Head,
        lane: u32,
        flags: Flags,
        date: Option<i64>,
    ) -> usize {
        self.enter(at);
        self.room_for(at);
        let clock = &self.dialect.clock;
        let time = head.stamp.and_then(|stamp| match date {
            None => stamp.order(clock),
            Some(_) => stamp.order(&crate::entry::Clock { date, ..clock.clone() }),
        });
        let time = match time {
            Some(time) => {
                self.carry.time = Some(time);
                Ok(time)
            }
            None => Err(self.carry.time.unwrap_or(NO_TIME)),
        };
        let part = &mut self.part;
        let start = offset_in(part, at);
        let flags = Flags { level_derived: head.derived, doubtful: head.doubtful, ..flags };
        let index = part.columns.push(start, time, layout, head.severity, flags);
        let continues = match self.continues {
            Some((known, continues)) if known == layout => continues,
            _ => {
                let continues = layout.continues(self.dialect);
                self.continues = Some((layout, continues));
                continues
            }
        };
        self.carry.enter(lane, index, continues);
        index
    }

    /// Meets the first entry of a cutter that started in the middle.
    fn enter(&mut self, at: u64) {
        if self.start == Start::Unknown {
            self.start = Start::Entered { lines: 0 };
            self.part = Part::at(at, self.lines);
        }
    }

    /// Begins a part where the present one is long enough.
    #[inline]
    fn room_for(&mut self, at: u64) {
        let part = &self.part;
        let wide = at - part.offset >= 2 * limits::CHUNK_BYTES as u64;
        if wide || part.columns.len() >= limits::BLOCK_ENTRIES / 2 {
            self.perhaps_part(at);
        }
    }

    /// Begins a part with the entry at `at`, unless one is under way that must stay in the last.
    fn perhaps_part(&mut self, at: u64) {
        let busy = self.carry.busy();
        let part = &mut self.part;
        let full = part.columns.len() >= limits::BLOCK_ENTRIES - 1;
        // Entries of one record stay together, unless there are too many.
        let beside = part.columns.last_start() == Some(offset_in(part, at));
        if full || !busy && !beside {
            let mut next = Part::at(at, self.lines);
            next.piece = u32::try_from(self.number).unwrap_or(u32::MAX);
            let done = std::mem::replace(&mut self.part, next);
            self.parts.push(done);
            self.carry.leave_part();
            self.carry.object = None;
            self.carry.pieces.clear();
        }
    }
}

#[derive(PartialEq, Eq)]
pub(super) enum Quote {
    Open,
    Closed,
}

impl Part {
    /// Whether it goes on with the entries of a record in the part before, and has the same bytes.
    pub(crate) fn shares_its_record(&self, before: &Self) -> bool {
        self.piece > 0
            && before.columns.last_start().map(|start| before.offset + u64::from(start))
                == Some(self.offset)
    }

    fn at(offset: u64, lines_before: u64) -> Self {
        Self { offset, columns: Columns::default(), lines_before, piece: 0 }
    }

    /// A further piece of a line that is longer than a line may be: an entry of its own, shown as text.
    pub(super) fn piece(offset: u64, lines_before: u64, number: usize) -> Self {
        let mut part = Self::at(offset, lines_before);
        part.piece = u32::try_from(number).unwrap_or(u32::MAX);
        part.columns.push(0, Err(NO_TIME), LayoutId::PLAIN, None, Flags::default());
        part
    }
}

/// A place within bytes, or their end.
fn within(at: u64, bytes: &[u8]) -> usize {
    usize::try_from(at).unwrap_or(usize::MAX).min(bytes.len())
}

/// Blocks are far shorter than 4 GiB, but for one line that is longer; an offset can't pass it, since no
/// entry starts within a line.
fn offset_in(part: &Part, at: u64) -> u32 {
    u32::try_from(at - part.offset).unwrap_or(u32::MAX)
}
