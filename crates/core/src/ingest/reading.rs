//! One file on its way into the index: what is known of it, what has been asked for, what has come back.

use std::{collections::BTreeMap, sync::Arc};

use super::{
    join::{Lead, Sealed, Tail},
    learn::Learnt,
    newest::Newest,
    task::{Arrived, Task},
};
use crate::{
    layout::Dialect,
    lines::{Carry, Cut},
    source::{Form, Print, Segment, Spool},
};

/// Bits of a place that count bytes within a file; the others count the files of the source.
pub(crate) const PLACE_BITS: u32 = 44;

/// The state of reading one file.
pub(crate) struct Reading {
    /// Its number in its source, from 0 for the oldest.
    pub(super) number: usize,
    /// Its name, where the source has several.
    pub(super) name: Option<Arc<str>>,
    pub(super) segment: Arc<Segment>,
    pub(super) spool: Option<Arc<Spool>>,
    pub(super) form: Form,
    /// What holds for the file before anything is learnt from it.
    pub(super) base: Dialect,
    pub(super) dialect: Arc<Dialect>,
    /// Bytes that the dialect was learnt from; nothing before that.
    pub(super) learnt: Option<u64>,
    pub(super) learning: bool,
    /// Places from which it was learnt anew.
    pub(super) asked_anew: Vec<u64>,
    /// Headers of other columns met so far.
    pub(super) turns: usize,
    pub(super) newest: Newest,
    /// Where reading began: behind the beginning if only the end is wanted.
    pub(super) from: u64,
    /// Bytes that are to be read, and the next that no chunk has been asked for.
    pub(super) size: u64,
    pub(super) next: u64,
    pub(super) run: u32,
    /// Chunks asked for and joined in this run.
    pub(super) asked: usize,
    pub(super) joined: usize,
    pub(super) waiting: BTreeMap<usize, Box<Cut>>,
    /// What must be done before anything else is joined.
    pub(super) anew: Option<Task>,
    /// The beginning of the chunk that is joined next is being cut again.
    pub(super) recutting: bool,
    pub(super) tail: Option<Tail>,
    /// What the first chunk of this run goes on from.
    pub(super) resume: Option<Carry>,
    pub(super) carry: Carry,
    /// Where what has been joined ends, in bytes and physical lines.
    pub(super) end: u64,
    pub(super) lines: u64,
    /// The same for what has been shown last; behind it while the tail is read again.
    pub(super) shown: (u64, u64),
    /// The file may grow: a last line without an end waits for it.
    pub(super) open: bool,
    /// The line at the end has none, and was shown as it is up to this size.
    pub(super) growing: Growing,
    /// A line without an end was met in this run.
    pub(super) unfinished: bool,
    /// Up to where no end was found for the line at the end.
    pub(super) searched: u64,
    /// What the bytes of a followed file look like up to its size.
    pub(super) print: Option<Print>,
    /// The bytes up to the end of the file have been cut away.
    pub(super) changed: bool,
    /// Lines that the program failed at.
    pub(super) failed_lines: u64,
    /// Where the first entry went on that was longer than an entry may be, until it is told.
    pub(super) long: Option<u64>,
    pub(super) told_long: bool,
    pub(super) problem: Option<String>,
}

/// A line whose end has not come yet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Growing {
    /// There is none, or it is not shown.
    #[default]
    Hidden,
    /// It is being cut, to be shown.
    Asked,
    /// It is shown as it was when the file had this size.
    Shown(u64),
}

impl Reading {
    pub(super) fn new(arrived: Arrived, base: Dialect, number: usize, open: bool) -> Self {
        let dialect = Arc::new(base.clone());
        let mut reading = Self {
            number,
            name: None,
            segment: arrived.segment,
            spool: arrived.spool,
            form: arrived.form,
            base,
            dialect,
            learnt: None,
            learning: false,
            asked_anew: Vec::new(),
            turns: 0,
            newest: Newest::Off,
            from: 0,
            size: arrived.size,
            next: 0,
            run: 0,
            asked: 0,
            joined: 0,
            waiting: BTreeMap::new(),
            anew: None,
            recutting: false,
            tail: None,
            resume: None,
            carry: Carry::default(),
            end: 0,
            lines: 0,
            shown: (0, 0),
            open,
            growing: Growing::Hidden,
            unfinished: false,
            searched: 0,
            print: arrived.print,
            changed: false,
            failed_lines: 0,
            long: None,
            told_long: false,
            problem: None,
        };
        if let Some(Learnt { dialect, bytes, .. }) = arrived.learnt {
            (reading.dialect, reading.learnt) = (Arc::new(dialect), Some(bytes));
        }
        // A file may have been copied while it was empty, or shorter than what its print was taken of.
        if reading.print.is_some_and(|print| print.end < reading.size) {
            reading.size = reading.print.map_or(0, |print| print.end);
        }
        if let Some(print) = reading.print {
            reading.segment.looks_like(print);
        }
        reading
    }

    /// Begins at the line after this place instead of at the beginning.
    pub(super) fn begin_at(&mut self, from: u64) {
        (self.from, self.next, self.end, self.searched) = (from, from, from, from);
    }

    /// There are more bytes.
    pub(super) fn grow(&mut self, size: u64, print: Option<Print>) {
        (self.size, self.print) = (size, print);
        if let Some(print) = print {
            self.segment.looks_like(print);
        }
        self.start_run();
        self.next = self.end;
    }

    /// No more bytes will come: a last line without an end is whole.
    pub(super) fn close(&mut self) {
        if std::mem::replace(&mut self.open, false) && self.end < self.size {
            self.start_run();
            (self.next, self.searched) = (self.end, self.end);
        }
    }

    /// The bytes behind what has been read are no longer there.
    pub(super) fn cut_off(&mut self) {
        self.start_run();
        self.waiting.clear();
        if self.shown.0 > self.end {
            (self.end, self.lines) = self.shown;
        }
        // What was read of an unfinished line is in the copy.
        let unfinished = self.searched.max(self.end).min(self.size);
        (self.size, self.next) = (unfinished, self.end);
        (self.print, self.changed) = (None, false);
        self.open = false;
        self.searched = self.end;
    }

    /// Goes back to the beginning of the tail, to read it again.
    pub(super) fn rewind(&mut self) {
        self.start_run();
        match &self.tail {
            None => self.next = self.end,
            Some(tail) => {
                self.next = tail.part.offset;
                self.end = self.next;
                self.lines = tail.first_line - 1;
                self.carry = Carry::after(tail.time);
                self.resume = Some(self.carry.clone());
            }
        }
        self.searched = self.end;
    }

    /// Drops what was asked for, and goes on with what has been joined.
    pub(super) fn start_run(&mut self) {
        self.run += 1;
        (self.asked, self.joined) = (0, 0);
        self.waiting.clear();
        self.newest = Newest::Off;
        (self.resume, self.anew) = (None, None);
        if self.growing == Growing::Asked {
            self.growing = Growing::Hidden;
        }
        (self.recutting, self.learning, self.unfinished) = (false, false, false);
    }

    /// Whether all that there is has been asked for and joined.
    pub(super) fn idle(&self) -> bool {
        self.next >= self.size && self.rests()
    }

    /// Whether all that has been asked for is joined.
    pub(super) fn rests(&self) -> bool {
        self.asked == self.joined && !self.learning && !self.recutting && self.anew.is_none()
    }

    /// Whether more can come without a change of the file system.
    pub(super) fn streaming(&self) -> bool {
        self.spool.as_ref().is_some_and(|spool| !spool.ended() || spool.len() > self.size)
    }

    /// Bytes read and bytes there are.
    pub(super) fn bytes(&self) -> (u64, u64) {
        // A file that became shorter while it was read has nothing left to wait for.
        (if self.idle() { self.size } else { self.end.min(self.size.saturating_sub(1)) }, self.size)
    }

    /// The share of the file that has been asked for; `None` when all of it has.
    pub(super) fn asked_share(&self) -> Option<f64> {
        #[expect(clippy::cast_precision_loss, reason = "a share for choosing what to read next")]
        let share = self.next as f64 / self.size as f64;
        let more = self.next < self.size && !self.learning && !self.changed;
        (more || self.anew.is_some()).then_some(share)
    }

    /// Looks what a stream has brought. Says whether that is anything new.
    pub(super) fn poll_stream(&mut self) -> bool {
        let Some(spool) = self.spool.clone() else { return false };
        // Whether it ended is asked first: what comes before the end is then seen.
        let (ended, len) = (spool.ended(), spool.len());
        let mut news = false;
        if len > self.size && self.idle() {
            self.grow(len, None);
            news = true;
        }
        if ended && len == self.size && self.idle() {
            if let Some(failure) = spool.failure() {
                self.problem = Some(match self.form.name() {
                    Some(form) => format!(
                        "the {form} file is broken after {len} bytes of text: {failure}; what stands \
                         before that was read"
                    ),
                    None => format!("the stream broke off: {failure}"),
                });
                news = true;
            }
            news |= self.open;
            self.close();
        }
        news
    }

    /// What is taken into the store of the line that has no end yet is taken out again.
    pub(super) fn hide_growing(&mut self, sealed: &mut Vec<Sealed>) {
        if std::mem::take(&mut self.growing) != Growing::Hidden {
            sealed.push(Sealed::no_growing(self));
        }
    }

    /// Takes back the beginning of a chunk, cut again.
    pub(super) fn take_recut(&mut self, lead: Lead) -> Vec<Sealed> {
        self.recutting = false;
        let mut sealed = Vec::new();
        self.put_lead(lead, &mut sealed);
        sealed.extend(self.join_waiting());
        sealed
    }
}
