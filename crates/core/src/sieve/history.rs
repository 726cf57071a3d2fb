//! Undo and redo: every change of the sieve is a step.

use super::Sieve;

/// Steps that are kept.
const STEPS: usize = 200;

/// A sieve with the ones before and, after an undo, the ones that followed.
#[derive(Clone, Debug, Default)]
pub struct History {
    past: Vec<Sieve>,
    now: Sieve,
    future: Vec<Sieve>,
}

impl History {
    /// Starts with a sieve; there is nothing to undo.
    #[must_use]
    pub fn new(sieve: Sieve) -> Self {
        Self { now: sieve, ..Self::default() }
    }

    /// The sieve as it is.
    #[must_use]
    pub fn sieve(&self) -> &Sieve {
        &self.now
    }

    /// Changes the sieve; a change that changes nothing is no step. Says whether it was one.
    pub fn change(&mut self, change: impl FnOnce(&mut Sieve)) -> bool {
        let mut next = self.now.clone();
        change(&mut next);
        if next == self.now {
            return false;
        }
        self.past.push(std::mem::replace(&mut self.now, next));
        if self.past.len() > STEPS {
            self.past.remove(0);
        }
        self.future.clear();
        true
    }

    /// Changes the sieve within the last step: undo takes back both. Without a step it is one.
    pub fn amend(&mut self, change: impl FnOnce(&mut Sieve)) -> bool {
        if self.past.is_empty() {
            return self.change(change);
        }
        let before = self.now.clone();
        change(&mut self.now);
        self.future.clear();
        self.now != before
    }

    /// Changes the sieve and all steps before and after it.
    pub fn change_all(&mut self, change: impl Fn(&mut Sieve)) {
        let now = std::iter::once(&mut self.now);
        self.past.iter_mut().chain(&mut self.future).chain(now).for_each(change);
    }

    /// Takes the last step back. Says whether there was one.
    pub fn undo(&mut self) -> bool {
        let Some(before) = self.past.pop() else {
            return false;
        };
        self.future.push(std::mem::replace(&mut self.now, before));
        true
    }

    /// Takes the last undone step again. Says whether there was one.
    pub fn redo(&mut self) -> bool {
        let Some(after) = self.future.pop() else {
            return false;
        };
        self.past.push(std::mem::replace(&mut self.now, after));
        true
    }
}
