//! One source on its way into the index: which chunks are asked for, and how their results are joined in
//! order.

mod learn;
mod newest;

use std::{
    collections::{BTreeMap, VecDeque},
    fs::File,
    io,
    path::{Path, PathBuf},
    sync::Arc,
};

use newest::Newest;

use super::{Options, jobs::Job};
use crate::{
    entry::Correction,
    layout::Dialect,
    limits,
    lines::{Carry, Chunk, Cut, Cutter, Part},
    source::{self, Form, Origin, Segment, Source, Spool},
    store::Columns,
};

/// A finished part on its way to becoming a block.
pub(super) struct Sealed {
    pub(super) columns: Columns,
    pub(super) offset: u64,
    pub(super) len: u64,
    pub(super) first_line: u64,
    pub(super) segment: Arc<Segment>,
    /// The name of the file, where the source has several.
    pub(super) file: Option<Arc<str>>,
    pub(super) dialect: Arc<Dialect>,
    /// It takes the place of the source's last block.
    pub(super) replaces: bool,
    /// Bytes of the source before it, those of older files included.
    pub(super) place: u64,
    /// It was read ahead of what stands before it, and comes again in its turn.
    pub(super) early: bool,
}

/// The end of what has been read, which more bytes may change.
struct Tail {
    part: Part,
    first_line: u64,
    /// The time that an entry without one at its beginning takes.
    time: Option<i64>,
    /// It is in the store already, and takes its own place when it comes again.
    stored: bool,
}

/// The state of reading one source.
pub(super) struct Reading {
    /// The file that is read; nothing for a stream.
    path: Option<PathBuf>,
    /// The younger files of a rotated set.
    queue: VecDeque<PathBuf>,
    /// The name of the file, where the source has several.
    file: Option<Arc<str>>,
    form: Form,
    base: Dialect,
    /// How its clock is set right.
    correction: Correction,
    segment: Option<Arc<Segment>>,
    spool: Option<Arc<Spool>>,
    dialect: Arc<Dialect>,
    /// Bytes that the dialect was learnt from; nothing before that.
    learnt: Option<u64>,
    /// Times that the dialect was learnt anew on the way.
    relearnt: usize,
    newest: Newest,
    /// Bytes that are to be read, and the next that no chunk has been asked for.
    size: u64,
    next: u64,
    run: u32,
    /// Chunks asked for and joined in this run.
    asked: usize,
    joined: usize,
    waiting: BTreeMap<usize, Box<Cut>>,
    tail: Option<Tail>,
    /// What the first chunk of this run goes on from.
    resume: Option<Carry>,
    carry: Carry,
    /// Where what has been joined ends, in bytes and physical lines.
    end: u64,
    lines: u64,
    /// Bytes of segments that were replaced.
    before: u64,
    follow: bool,
    pub(super) problem: Option<String>,
}

impl Reading {
    pub(super) fn open(source: &Source, options: &Options) -> Self {
        let mut reading = Self {
            path: None,
            queue: match &source.origin {
                Origin::Files(paths) => paths.iter().cloned().collect(),
                Origin::Stdin => VecDeque::new(),
            },
            file: None,
            form: Form::Plain,
            base: options.dialect.clone(),
            correction: Correction::default(),
            segment: None,
            spool: None,
            dialect: Arc::new(options.dialect.clone()),
            learnt: None,
            relearnt: 0,
            newest: Newest::Off,
            size: 0,
            next: 0,
            run: 0,
            asked: 0,
            joined: 0,
            waiting: BTreeMap::new(),
            tail: None,
            resume: None,
            carry: Carry::default(),
            end: 0,
            lines: 0,
            before: 0,
            follow: options.follow,
            problem: None,
        };
        let mine =
            |(name, _): &&(String, Correction)| *name == source.name || *name == source.label;
        if let Some((_, correction)) = options.clocks.iter().rev().find(mine) {
            reading.correction = correction.clone();
            reading.base = reading.base.corrected(correction);
        }
        reading.path = reading.queue.pop_front();
        let several = !reading.queue.is_empty();
        reading.file = reading.path.as_deref().filter(|_| several).map(file_name);
        if let Err(error) = reading.connect() {
            reading.fail(&format!("can't be read: {error}"));
        }
        if options.eager && reading.is_long() {
            reading.newest = Newest::Wanted;
        }
        reading
    }

    /// Tells of a problem, with the name of the file where the source has several.
    fn fail(&mut self, problem: &str) {
        self.problem = Some(match &self.file {
            Some(file) => format!("{file}: {problem}"),
            None => problem.to_owned(),
        });
    }

    fn connect(&mut self) -> io::Result<()> {
        let segment = match &self.path {
            Some(path) => {
                let opened = source::open(path)?;
                (self.spool, self.form) = (opened.spool, opened.form);
                opened.segment
            }
            None => {
                let (spool, file) = Spool::start(stdin()?)?;
                self.spool = Some(spool);
                Segment::of(file)
            }
        };
        self.segment = Some(Arc::new(segment));
        self.grow()?;
        Ok(())
    }

    /// Goes on with the next file of a rotated set. Says whether there is one.
    fn next_file(&mut self) -> bool {
        let unpacked =
            self.spool.as_ref().is_none_or(|spool| spool.ended() && spool.len() <= self.size);
        if !self.idle() || !unpacked {
            return false;
        }
        let Some(path) = self.queue.pop_front() else { return false };
        self.before += self.size;
        self.file = Some(file_name(&path));
        self.path = Some(path);
        (self.segment, self.spool) = (None, None);
        (self.size, self.next, self.end, self.lines) = (0, 0, 0, 0);
        self.tail = None;
        self.learnt = None;
        self.start_run(None);
        self.carry = Carry::after(self.carry.time());
        if let Err(error) = self.connect() {
            self.fail(&format!("can't be read: {error}"));
        }
        true
    }

    /// Whether files of a rotated set wait, or an archive is still being unpacked.
    pub(super) fn pending(&self) -> bool {
        !self.queue.is_empty() || self.streaming()
    }

    /// The zone of times that name none, and what is added to all.
    pub(super) fn correction(&self) -> Correction {
        Correction { zone: self.base.clock.zone.clone(), ..self.correction.clone() }
    }

    /// How the bytes of the source become text.
    pub(super) fn form(&self) -> Form {
        self.form
    }

    /// Looks whether there is more to read. Says whether there is.
    ///
    /// # Errors
    ///
    /// Those of asking for the file's size.
    fn grow(&mut self) -> io::Result<bool> {
        let Some(segment) = &self.segment else {
            return Ok(false);
        };
        let size = match &self.spool {
            Some(spool) => spool.len(),
            None => segment.size()?,
        };
        if size <= self.size {
            return Ok(false);
        }
        self.size = size;
        Ok(true)
    }

    /// Looks for more bytes, for a file that was cut short, and for one that was put in its place. Only
    /// while nothing is being read. Says whether anything changed.
    pub(super) fn poll(&mut self) -> bool {
        if !self.idle() {
            return false;
        }
        if let Some(failure) = self.spool.as_ref().and_then(|spool| spool.failure()) {
            match self.form.name() {
                Some(form) if self.path.is_some() => {
                    let held = self.spool.as_ref().map_or(0, |spool| spool.len());
                    self.fail(&format!(
                        "the {form} file is broken after {held} bytes of text: {failure}; what stands \
                         before that was read"
                    ));
                }
                _ => self.fail(&format!("the stream broke off: {failure}")),
            }
            return true;
        }
        match self.grow() {
            Ok(true) => {
                self.learn_more();
                self.rewind();
                return true;
            }
            Ok(false) => {}
            Err(error) => {
                self.problem = Some(format!("can't be read: {error}"));
                return true;
            }
        }
        if self.next_file() {
            return true;
        }
        // What is unpacked is whole: there is nothing to follow.
        let Some(path) = self.path.clone().filter(|_| self.spool.is_none() && self.follow) else {
            return false;
        };
        let Some(segment) = self.segment.clone() else {
            return self.connect().is_ok_and(|()| {
                self.problem = None;
                true
            });
        };
        let shorter = segment.size().is_ok_and(|size| size < self.size);
        if shorter || !segment.is_at(&path) {
            self.begin_again(&path, shorter);
            return true;
        }
        false
    }

    /// Starts over with the file that the path names now. What was read stays, as long as its bytes do.
    fn begin_again(&mut self, path: &Path, shorter: bool) {
        let Ok(opened) = source::open(path) else {
            return;
        };
        (self.spool, self.form) = (opened.spool, opened.form);
        let segment = opened.segment;
        if let Some(old) = self.segment.as_ref().filter(|_| shorter) {
            old.lose();
        }
        self.before += self.size;
        self.segment = Some(Arc::new(segment));
        (self.size, self.next, self.end, self.lines) = (0, 0, 0, 0);
        self.tail = None;
        self.learnt = None;
        self.carry = Carry::default();
        self.start_run(None);
        self.problem = shorter
            .then(|| "the file was cut short; entries whose bytes are gone can't be opened".into());
        if let Err(error) = self.grow() {
            self.problem = Some(format!("can't be read: {error}"));
        }
    }

    /// Goes back to the beginning of the tail, whose last entry may have grown.
    fn rewind(&mut self) {
        if self.tail.is_none() {
            self.next = self.end;
        }
        let resume = self.tail.as_ref().map(|tail| {
            self.next = tail.part.offset;
            self.end = self.next;
            self.lines = tail.first_line - 1;
            Carry::after(tail.time)
        });
        if let Some(resume) = &resume {
            self.carry = resume.clone();
        }
        self.start_run(resume);
    }

    fn start_run(&mut self, resume: Option<Carry>) {
        self.run += 1;
        (self.asked, self.joined) = (0, 0);
        self.waiting.clear();
        self.newest = Newest::Off;
        self.resume = resume;
    }

    /// Whether all that there is has been asked for and joined.
    pub(super) fn idle(&self) -> bool {
        self.next >= self.size && self.asked == self.joined
    }

    /// Whether more can come without a change of the file system.
    pub(super) fn streaming(&self) -> bool {
        self.spool.as_ref().is_some_and(|spool| !spool.ended() || spool.len() > self.size)
    }

    /// Whether more can come while nobody follows: of a stream, an archive, or a rotated set.
    pub(super) fn is_stream(&self) -> bool {
        self.spool.is_some() || !self.queue.is_empty()
    }

    /// Bytes read and bytes there are.
    pub(super) fn bytes(&self) -> (u64, u64) {
        // A file that became shorter while it was read has nothing left to wait for.
        let read = if self.idle() { self.size } else { self.end };
        // What waits counts at least for something, so that nobody takes the source for read.
        let waiting = self.queue.len() as u64;
        (self.before + read, self.before + self.size + waiting)
    }

    /// The share of the source that has been asked for; `None` when all of it has.
    pub(super) fn asked_share(&self) -> Option<f64> {
        #[expect(clippy::cast_precision_loss, reason = "a share for choosing what to read next")]
        (self.next < self.size && self.segment.is_some())
            .then(|| self.next as f64 / self.size as f64)
    }

    /// The next chunk to read, or what is finished without one.
    pub(super) fn ask(&mut self, source: usize) -> Option<Asked> {
        let segment = self.segment.clone().filter(|_| self.next < self.size)?;
        if self.learnt.is_none() {
            self.learn(&segment);
        }
        let job = |number, range, carry, reading: &Self| Job::Read {
            source,
            run: reading.run,
            number,
            segment,
            dialect: Arc::clone(&reading.dialect),
            chunk: Chunk { range, size: reading.size, carry },
        };
        if let Some(range) = self.ask_newest() {
            return Some(Asked::Job(Box::new(job(newest::NUMBER, range, None, self))));
        }
        let start = self.next;
        let size = limits::CHUNK_BYTES as u64;
        let end = ((start / size + 1) * size).min(self.size);
        self.asked += 1;
        if self.is_newest(start) {
            self.next = self.size;
            return Some(Asked::Known(self.turn_of_newest()));
        }
        self.next = end;
        let carry = self.resume.take();
        Some(Asked::Job(Box::new(job(self.asked - 1, start..end, carry, self))))
    }

    /// Takes a result in; what is finished by it comes back.
    pub(super) fn take(
        &mut self,
        run: u32,
        number: usize,
        cut: io::Result<Box<Cut>>,
    ) -> Vec<Sealed> {
        if run != self.run {
            return Vec::new();
        }
        let cut = match cut {
            Ok(cut) => cut,
            Err(error) => {
                self.problem = Some(format!("can't be read on: {error}"));
                Box::new(Cut {
                    lead: Vec::new(),
                    lead_at: self.size,
                    parts: Vec::new(),
                    carry: Carry::default(),
                    lines: 0,
                    end: self.size,
                    strange: None,
                })
            }
        };
        if number == newest::NUMBER {
            return self.take_newest(cut);
        }
        self.waiting.insert(number, cut);
        self.join_waiting()
    }

    /// Joins what has come in its turn.
    fn join_waiting(&mut self) -> Vec<Sealed> {
        let mut sealed = Vec::new();
        while let Some(cut) = self.waiting.remove(&self.joined) {
            if self.learn_anew(&cut) {
                return sealed;
            }
            self.joined += 1;
            self.join(cut, &mut sealed);
        }
        sealed.extend(self.show_newest());
        if self.idle()
            && let Some(tail) = &mut self.tail
        {
            let replaces = std::mem::replace(&mut tail.stored, true);
            let part = Part { columns: tail.part.columns.clone(), ..tail.part };
            let (first_line, end) = (tail.first_line, self.end);
            sealed.push(self.seal(part, first_line, end, replaces));
        }
        sealed
    }

    fn join(&mut self, mut cut: Box<Cut>, sealed: &mut Vec<Sealed>) {
        let resumed = self.joined == 1;
        if self.carry.waits()
            && !resumed
            && !cut.parts.is_empty()
            && let Some(segment) = &self.segment
            && let Err(error) = cut.give_back(segment)
        {
            self.problem = Some(format!("can't be read on: {error}"));
        }
        let base_line = self.lines;
        if !cut.lead.is_empty() {
            let tail = self.tail.take();
            let (first_line, stored) =
                tail.as_ref().map_or((base_line + 1, false), |tail| (tail.first_line, tail.stored));
            let time = tail.as_ref().and_then(|tail| tail.time);
            let carry = std::mem::take(&mut self.carry);
            let mut cutter =
                Cutter::resume(&self.dialect, carry, tail.map(|tail| tail.part), cut.lead_at);
            cutter.run(&cut.lead, cut.lead_at);
            let (parts, carry, ..) = cutter.finish();
            self.carry = carry;
            self.put(parts, first_line, base_line, time, stored, sealed);
        }
        self.lines = base_line + cut.lines;
        self.end = self.end.max(cut.end);
        if cut.parts.is_empty() {
            return;
        }
        // A run that resumes begins with the tail itself, which is in the store already.
        let stored = match self.tail.take() {
            Some(tail) if resumed && tail.part.offset == cut.parts[0].offset => tail.stored,
            Some(tail) => {
                let end = cut.parts[0].offset;
                let sealed_tail = self.seal(tail.part, tail.first_line, end, tail.stored);
                sealed.push(sealed_tail);
                false
            }
            None => false,
        };
        let time = self.carry.time();
        self.carry = cut.carry.or_time(time);
        let first_line = base_line + cut.parts[0].lines_before + 1;
        self.put(cut.parts, first_line, base_line, time, stored, sealed);
    }

    /// Seals all parts but the last, which becomes the tail.
    fn put(
        &mut self,
        parts: Vec<Part>,
        first_line: u64,
        base_line: u64,
        mut time: Option<i64>,
        mut stored: bool,
        sealed: &mut Vec<Sealed>,
    ) {
        let mut line = first_line;
        let mut parts = parts.into_iter().peekable();
        while let Some(mut part) = parts.next() {
            part.columns.settle(time);
            let last_time = part.columns.last_time().or(time);
            match parts.peek() {
                Some(next) => {
                    let (end, next_line) = (next.offset, base_line + next.lines_before + 1);
                    sealed.push(self.seal(part, line, end, stored));
                    line = next_line;
                    stored = false;
                }
                None => {
                    self.tail = Some(Tail { part, first_line: line, time, stored });
                }
            }
            time = last_time;
        }
    }

    fn seal(&self, mut part: Part, first_line: u64, end: u64, replaces: bool) -> Sealed {
        part.columns.finish();
        Sealed {
            columns: part.columns,
            offset: part.offset,
            len: end - part.offset,
            first_line,
            segment: self
                .segment
                .clone()
                .unwrap_or_else(|| unreachable!("a part was read from a segment")),
            file: self.file.clone(),
            dialect: Arc::clone(&self.dialect),
            replaces,
            place: self.before + part.offset,
            early: false,
        }
    }
}

#[cfg(test)]
mod tests;

/// What is to be done next for a source.
pub(super) enum Asked {
    Job(Box<Job>),
    /// Nothing is to be read for it: it is here.
    Known(Vec<Sealed>),
}

fn file_name(path: &Path) -> Arc<str> {
    path.file_name().map(|name| name.to_string_lossy()).unwrap_or_default().into()
}

/// Standard input as a file of its own, so that the terminal can take its place for keys.
fn stdin() -> io::Result<File> {
    use std::os::fd::AsFd;
    Ok(File::from(io::stdin().as_fd().try_clone_to_owned()?))
}
