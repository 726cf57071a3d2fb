//! What a file says about itself, learnt from its beginning, and learnt anew where that proves wrong.

use std::sync::Arc;

use super::{Task, reading::Reading};
use crate::{
    layout::Dialect,
    limits,
    lines::{Carry, Cut},
    source::Segment,
};

/// Times that one file is looked at anew: more would say that there is nothing to learn.
const TIMES: usize = 16;
/// The share of lines that must mean something under what was learnt anew, above the share that did before.
const BETTER: f64 = 0.25;

/// What was learnt.
#[derive(Debug)]
pub(crate) struct Learnt {
    pub(crate) dialect: Dialect,
    /// From where, and from how many bytes.
    pub(crate) from: u64,
    pub(crate) bytes: u64,
    /// What was known before reads the lines otherwise, and no better.
    pub(crate) better: bool,
}

impl Learnt {
    pub(crate) fn nothing(dialect: Dialect, from: u64) -> Self {
        Self { dialect, from, bytes: 0, better: false }
    }
}

/// Learns from the bytes from a place on, and holds the result against what is known. What can't be read here
/// fails again, and is told, when the chunk is read.
pub(crate) fn learn(segment: &Segment, from: u64, now: Option<&Dialect>, base: &Dialect) -> Learnt {
    let mut bytes = vec![0; limits::PROBE_BYTES];
    let got = segment.read_at(from, &mut bytes).unwrap_or(0);
    bytes.truncate(got);
    let dialect = base.learn(&bytes);
    let better = match now {
        None => true,
        Some(now) if from == 0 => !dialect.reads_as(now),
        Some(now) => dialect.share_of(&bytes) >= now.share_of(&bytes) + BETTER,
    };
    Learnt { dialect, from, bytes: got as u64, better }
}

impl Reading {
    /// The task of learning from the beginning, where nothing is known yet.
    pub(super) fn learn_first(&mut self) -> Option<Task> {
        if self.learnt.is_some() || self.learning || self.size == 0 {
            return None;
        }
        Some(self.learn(0, None))
    }

    /// Learns again from a file that was just beginning when it was learnt from, and has grown since.
    pub(super) fn learn_more(&mut self) -> Option<Task> {
        let learnt = self.learnt.filter(|learnt| *learnt < limits::PROBE_BYTES as u64)?;
        let fresh = self.tail.as_ref().is_none_or(|tail| tail.part.offset == 0);
        if self.learning || !fresh || self.size < learnt * 2 || self.base.forced().is_some() {
            return None;
        }
        Some(self.learn(0, self.now()))
    }

    /// Looks at lines in a row that no layout took: they may make sense under a header, or with a prefix, that
    /// the file had not shown before.
    pub(super) fn learn_anew(&mut self, cut: &Cut) -> Option<Task> {
        let from = cut.strange.filter(|from| !self.asked_anew.contains(from))?;
        if self.asked_anew.len() >= TIMES || self.base.forced().is_some() {
            return None;
        }
        self.asked_anew.push(from);
        Some(self.learn(from, self.now()))
    }

    /// Goes on under the header of other columns that stands at a place, behind everything that is read.
    pub(super) fn turn_at(&mut self, at: u64) {
        self.start_run();
        (self.next, self.end, self.searched) = (at, at, at);
        self.carry = Carry::after(self.carry.time());
        self.learnt = Some(limits::PROBE_BYTES as u64);
        self.turns += 1;
        if self.turns > limits::HEADERS {
            let dialect = Dialect::clone(&self.dialect).without_turns();
            self.dialect = dialect.into();
            self.problem = Some(format!(
                "its columns change more than {} times; headers from byte {at} on are shown as text",
                limits::HEADERS
            ));
            return;
        }
        let task = self.learn(at, None);
        self.anew = Some(task);
    }

    fn learn(&mut self, from: u64, now: Option<Arc<Dialect>>) -> Task {
        self.learning = true;
        Task::Learn { segment: self.segment.clone(), from, now, base: Box::new(self.base.clone()) }
    }

    /// How the file is read by now.
    fn now(&self) -> Option<Arc<Dialect>> {
        self.learnt.map(|_| Arc::clone(&self.dialect))
    }

    /// Takes in what was learnt. What was read is read again where it proves wrong.
    pub(super) fn take_learnt(&mut self, learnt: Learnt) {
        self.learning = false;
        let first = self.learnt.is_none();
        if learnt.from == 0 {
            // Of a file that was truncated meanwhile fewer bytes were there; they are not asked for again.
            self.learnt = Some(learnt.bytes.max(self.size));
        }
        if !learnt.better && !first {
            return;
        }
        self.dialect = learnt.dialect.into();
        if !first {
            self.rewind();
        }
    }
}
