//! Objects by plan.
//!
//! Between the values of one program's lines stand the same bytes, line after line. A plan knows, for each place
//! of a value in an object ([`Slot`]), which bytes may stand between it and the next value ([`Step`]), and what
//! follows from the names in them. An entry is read by comparing these bytes, and its values are found where they
//! end: nothing is copied, decoded or looked up. Optional members and any order of them are further steps; bytes
//! that no step knows are read as JSON and become one. What a plan gives is what reading in full gives: builds
//! with debug assertions and a property test hold one against the other.

use std::cell::RefCell;

use super::{cursor::Cursor, scan::Inside};
use crate::layout::gist::Claim;
use crate::{
    entry::{Role, roles, value::is_number},
    limits,
};

/// Steps and slots that a worker remembers.
const STEPS: usize = 2_048;
/// Steps that may be learnt in vain before that is left for a while.
const PATIENCE: u32 = 512;
/// Entries that no step fits before one more may be learnt.
const REST: u32 = 64;

/// The object itself.
pub(super) const ROOT: usize = 0;

/// What is known of a value by the names that lead to it.
pub(super) struct Slot {
    /// The object that it stands in.
    pub(super) parent: usize,
    /// Its own name, and the names that lead to it with dots between them.
    pub(super) name: Box<str>,
    pub(super) path: Box<str>,
    /// What its name claims.
    pub(super) role: Role,
    /// The same of its part in the gist.
    pub(super) claim: Claim,
    /// It stands where the entry itself may be told of.
    pub(super) speaks: bool,
    /// The same as far as the index looks, and how.
    pub(super) inside: Option<Inside>,
    pub(super) depth: usize,
}

/// How a value is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Written {
    /// In quotes, which belong to the bytes around it.
    Text,
    /// A number, `true`, `false` or `null`.
    Bare,
    List,
    /// An object without members.
    Empty,
    /// There is no further value: the object is closed.
    End,
}

/// Bytes between two values, and the value behind them.
pub(super) struct Step {
    literal: Box<[u8]>,
    /// Behind each object that is closed, from the beginning of the literal.
    pub(super) closes: Box<[usize]>,
    /// The objects that are opened.
    pub(super) opens: Box<[Opened]>,
    /// Where the value's own name stands, quotes left out.
    pub(super) key: std::ops::Range<usize>,
    pub(super) slot: usize,
    pub(super) written: Written,
}

/// An object that a step opens.
pub(super) struct Opened {
    pub(super) slot: usize,
    pub(super) key: std::ops::Range<usize>,
    /// Its brace.
    pub(super) brace: usize,
}

/// A value of an entry.
#[derive(Clone, Copy, Debug)]
pub(super) struct Place {
    pub(super) step: usize,
    /// Where the bytes before it begin.
    pub(super) from: usize,
    /// The value, quotes left out.
    pub(super) start: usize,
    pub(super) end: usize,
    /// An escape stands in it.
    pub(super) escaped: bool,
}

/// What a worker knows of the objects it has read.
pub(super) struct Plan {
    pub(super) slots: Vec<Slot>,
    pub(super) steps: Vec<Step>,
    /// The steps that lead on from each slot, those that were taken last first.
    next: Vec<Vec<usize>>,
    patience: u32,
    missed: u32,
    /// The values of the entry that was walked last, the end among them.
    pub(super) places: Vec<Place>,
}

thread_local! {
    static PLAN: RefCell<Plan> = RefCell::new(Plan::new());
}

/// Walks an entry that is one object, with blanks or a list's comma behind it, and hands the plan over with the
/// places of its values. `None` where it must be read in full.
pub(super) fn with<T>(raw: &[u8], hand: impl FnOnce(&Plan) -> Option<T>) -> Option<T> {
    PLAN.with(|plan| {
        // A nested call reads in full.
        let mut plan = plan.try_borrow_mut().ok()?;
        let lead = raw.len() - raw.trim_ascii_start().len();
        if raw.get(lead) != Some(&b'{') {
            return None;
        }
        let end = plan.walk(raw, lead)?;
        let rest = raw.get(end..)?;
        let rest = rest.strip_prefix(b",").unwrap_or(rest);
        if !rest.trim_ascii_start().is_empty() {
            return None;
        }
        hand(&plan)
    })
}

impl Plan {
    fn new() -> Self {
        let root = Slot {
            parent: ROOT,
            name: "".into(),
            path: "".into(),
            role: Role::Plain,
            claim: Claim::Nothing,
            speaks: true,
            inside: Some(Inside::Entry),
            depth: 0,
        };
        Self {
            slots: vec![root],
            steps: Vec::new(),
            next: vec![Vec::new()],
            patience: PATIENCE,
            missed: 0,
            places: Vec::new(),
        }
    }

    /// The places of an object's values, and where the object ends.
    fn walk(&mut self, raw: &[u8], mut at: usize) -> Option<usize> {
        self.places.clear();
        let (mut slot, mut quoted) = (ROOT, false);
        loop {
            let number = self.step(raw, at, slot, quoted)?;
            let step = &self.steps[number];
            let start = at + step.literal.len();
            let mut escaped = false;
            let end = match step.written {
                Written::Text => {
                    let mut to = start;
                    loop {
                        to += memchr::memchr2(b'"', b'\\', raw.get(to..)?)?;
                        if raw[to] == b'"' {
                            break to;
                        }
                        escaped = true;
                        to += 2;
                    }
                }
                Written::Bare => start + bare(&raw[start..])?.len(),
                Written::List => {
                    let mut cursor = Cursor { bytes: raw, at: start };
                    cursor.value(self.slots[step.slot].depth)?;
                    cursor.at
                }
                Written::Empty => start + 2,
                Written::End => start,
            };
            (slot, quoted) = (step.slot, step.written == Written::Text);
            self.places.push(Place { step: number, from: at, start, end, escaped });
            if step.written == Written::End {
                self.patience = (self.patience + 1).min(PATIENCE);
                return Some(end);
            }
            at = end;
        }
    }

    /// The step that leads on from a value.
    fn step(&mut self, raw: &[u8], at: usize, slot: usize, quoted: bool) -> Option<usize> {
        let rest = raw.get(at..)?;
        let next = &mut self.next[slot];
        if let Some(place) = next.iter().position(|number| self.steps[*number].fits(rest)) {
            if place > 0 {
                next.swap(place, place - 1);
                return Some(next[place - 1]);
            }
            return Some(next[0]);
        }
        if self.patience == 0 {
            self.missed += 1;
            if self.missed == REST {
                (self.missed, self.patience) = (0, 1);
            }
            return None;
        }
        self.patience -= 1;
        if self.steps.len() >= STEPS || self.slots.len() >= STEPS {
            // Objects with ever new names: what they have is not worth keeping.
            let patience = self.patience;
            *self = Self { patience, ..Self::new() };
            return None;
        }
        let step = self.learn(raw, at, slot, quoted)?;
        self.steps.push(step);
        self.next[slot].insert(0, self.steps.len() - 1);
        Some(self.steps.len() - 1)
    }

    /// Reads what stands between a value and the next as JSON.
    fn learn(&mut self, raw: &[u8], at: usize, slot: usize, quoted: bool) -> Option<Step> {
        let mut cursor = Cursor { bytes: raw, at: at + usize::from(quoted) };
        let mut closes = Vec::new();
        let mut opens = Vec::new();
        let mut within = self.slots[slot].parent;
        if slot == ROOT {
            cursor.byte(b'{')?;
        } else {
            loop {
                match cursor.next()? {
                    b',' => break,
                    b'}' => {
                        closes.push(cursor.at - at);
                        if within == ROOT {
                            return Some(Step {
                                literal: raw[at..cursor.at].into(),
                                closes: closes.into(),
                                opens: Box::default(),
                                key: 0..0,
                                slot: ROOT,
                                written: Written::End,
                            });
                        }
                        within = self.slots[within].parent;
                    }
                    _ => return None,
                }
            }
        }
        loop {
            let key = cursor.string()?;
            let key_end = cursor.at - 1 - at;
            let key = (key, key_end - key.len()..key_end);
            cursor.byte(b':')?;
            let start = cursor.start()?;
            let slot = self.slot(within, key.0)?;
            let first = raw[start];
            let nested = matches!(first, b'{' | b'[');
            if nested && self.slots[slot].depth >= limits::NESTING {
                return None;
            }
            let (written, quote) = match first {
                b'{' if raw.get(start + 1) != Some(&b'}') => {
                    opens.push(Opened { slot, key: key.1, brace: start - at });
                    cursor.at = start + 1;
                    within = slot;
                    continue;
                }
                b'{' => (Written::Empty, 0),
                b'[' => (Written::List, 0),
                b'"' => (Written::Text, 1),
                _ => (Written::Bare, 0),
            };
            return Some(Step {
                literal: raw[at..start + quote].into(),
                closes: closes.into(),
                opens: opens.into(),
                key: key.1,
                slot,
                written,
            });
        }
    }

    /// The slot of a member of an object.
    fn slot(&mut self, parent: usize, key: &[u8]) -> Option<usize> {
        // A name with an escape is not what it seems.
        if memchr::memchr(b'\\', key).is_some() {
            return None;
        }
        let name = String::from_utf8_lossy(key);
        let of = &self.slots[parent];
        let known = |slot: &Slot| slot.parent == parent && *slot.name == *name && slot.depth > 0;
        if let Some(known) = self.slots.iter().position(known) {
            return Some(known);
        }
        let path = if parent == ROOT { name.to_string() } else { format!("{}.{name}", of.path) };
        // Whether the object that it stands in may tell of the entry.
        let shell = parent == ROOT || roles::is_shell(of.name.as_bytes());
        let slot = Slot {
            parent,
            role: roles::role(key),
            claim: claim_of(Claim::of(key), of.speaks && shell, parent),
            speaks: of.speaks && shell,
            inside: match parent {
                ROOT => of.inside,
                _ => {
                    of.inside.and_then(|inside| inside.of_members(of.name.as_bytes(), of.depth - 1))
                }
            },
            depth: of.depth + 1,
            path: path.into(),
            name: name.into(),
        };
        self.slots.push(slot);
        self.next.push(Vec::new());
        Some(self.slots.len() - 1)
    }
}

/// What a name claims in an object of the entry.
fn claim_of(claim: Claim, speaks: bool, parent: usize) -> Claim {
    match claim {
        // A template may be kept at any depth.
        Claim::Unclear => Claim::Unclear,
        Claim::Message | Claim::Logger if speaks => claim,
        Claim::WeakMessage(_) | Claim::WeakLogger(_) if parent == ROOT => claim,
        _ => Claim::Nothing,
    }
}

impl Step {
    /// Whether a text begins with it and the value that it expects.
    fn fits(&self, text: &[u8]) -> bool {
        let Some(value) = text.strip_prefix(&*self.literal) else { return false };
        match self.written {
            Written::Text | Written::End => true,
            Written::Bare => value.first().is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'-'),
            Written::List => value.first() == Some(&b'['),
            Written::Empty => value.starts_with(b"{}"),
        }
    }
}

/// The number, or the word without quotes, that a text begins with.
fn bare(text: &[u8]) -> Option<&[u8]> {
    let inside = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.');
    let length = text.iter().position(|b| !inside(b)).unwrap_or(text.len());
    let written = &text[..length];
    let known = is_number(written) || matches!(written, b"true" | b"false" | b"null");
    let other = || {
        let text = std::str::from_utf8(written).ok()?;
        serde_json::from_str::<serde_json::Number>(text).ok()
    };
    (known || other().is_some()).then_some(written)
}
