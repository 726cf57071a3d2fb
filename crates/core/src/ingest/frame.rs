//! Which part of a file is read next.

use std::sync::Arc;

use super::{
    Sealed, Task, newest,
    reading::{Growing, Reading},
};
use crate::{limits, lines::Chunk};

/// What is to be done next for a file.
pub(super) enum Asked {
    Task(Task),
    /// Nothing is to be read for it: it is here.
    Known(Vec<Sealed>),
}

impl Reading {
    /// The next thing to do, if there is one.
    pub(super) fn ask(&mut self) -> Option<Asked> {
        if let Some(task) = self.anew.take() {
            return Some(Asked::Task(task));
        }
        if self.learning || self.changed {
            return None;
        }
        if let Some(task) = self.learn_first() {
            return Some(Asked::Task(task));
        }
        if self.next >= self.size {
            return None;
        }
        if self.asked == 0
            && let Some(task) = self.learn_more()
        {
            return Some(Asked::Task(task));
        }
        if let Some(range) = self.ask_newest() {
            let chunk = Chunk { print: self.print, ..Chunk::of(range, self.size) };
            return Some(Asked::Task(self.cut(newest::NUMBER, chunk)));
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
        let mut chunk = Chunk::of(start..end, self.size);
        if self.asked == 1 {
            self.go_on(&mut chunk);
        }
        (chunk.open, chunk.print) = (self.open, self.print);
        Some(Asked::Task(self.cut(self.asked - 1, chunk)))
    }

    /// Lets the first chunk of a run go on with what has been joined.
    fn go_on(&mut self, chunk: &mut Chunk) {
        chunk.searched = self.searched.max(chunk.range.start);
        if let Some(carry) = self.resume.take() {
            chunk.carry = Some(carry);
            return;
        }
        if chunk.range.start == 0 || self.begins_inside() {
            return;
        }
        chunk.carry = Some(std::mem::take(&mut self.carry));
        chunk.tail = self.tail.as_mut().and_then(super::join::Tail::lend);
    }

    /// Whether nothing was read before the place where only the end of the file was wanted.
    fn begins_inside(&self) -> bool {
        self.from > 0 && self.end == self.from
    }

    fn cut(&self, number: usize, chunk: Chunk) -> Task {
        Task::Cut {
            number,
            segment: Arc::clone(&self.segment),
            dialect: Arc::clone(&self.dialect),
            chunk: Box::new(chunk),
        }
    }

    /// Whether a line without an end stands at the end of all that has been read.
    pub(super) fn is_unfinished(&self) -> bool {
        self.open && self.idle() && self.end < self.size
    }

    /// Whether a line without an end is to be shown, or shown anew.
    pub(super) fn wants_growing(&self) -> bool {
        let known = matches!(self.growing, Growing::Asked)
            || matches!(self.growing, Growing::Shown(size) if size == self.size);
        self.is_unfinished() && !known
    }

    /// The task of cutting a line that has no end yet, so that it can be shown.
    pub(super) fn ask_growing(&mut self) -> Option<Task> {
        if !self.wants_growing() {
            return None;
        }
        self.growing = Growing::Asked;
        let until = self.size.min(self.end + limits::CHUNK_BYTES as u64);
        let mut chunk = Chunk::of(self.end..until, until);
        chunk.carry = Some(crate::lines::Carry::after(self.carry.time()));
        Some(self.cut(GROWING, chunk))
    }
}

/// The number of the chunk that holds a line without an end; no other has it.
pub(super) const GROWING: usize = usize::MAX - 1;
