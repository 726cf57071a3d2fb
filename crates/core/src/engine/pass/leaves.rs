//! The fields of an entry that say something of their own, one by one, without reading all of it.
//!
//! Time, level, message, logger and ids are told elsewhere, and left out where an entry that is read in full has fields
//! in these [`Role`]s. Where a name alone does not tell which it is, the entry is read in full. Builds with debug
//! assertions hold one against the other.

use std::{borrow::Cow, ops::Range};

use crate::{
    entry::{Entry, Role, roles},
    hash::{self, Map},
    layout::{Gist, LayoutId, Name, Says, Spot},
    store::Block,
};

/// Bytes of a value that is looked at.
const LONGEST: usize = 200;

/// The fields of the entry that was read last. Longer values than [`LONGEST`] have no text.
pub(crate) struct Leaves<'w> {
    /// Whether fields of a path are wanted.
    wanted: &'w dyn Fn(&str) -> bool,
    /// The same by the number of a path.
    is_wanted: Vec<bool>,
    /// Names and values.
    text: String,
    found: Vec<Found>,
    /// What names tell in a layout, by the hashes of both, and the numbers of their paths.
    names: Map<u64, (Tells, usize)>,
    /// The numbers of paths, by their hashes.
    numbers: Map<u64, usize>,
}

/// A field: the number of its path, and where path and value stand in the text.
struct Found {
    number: usize,
    path: Range<usize>,
    value: Range<usize>,
    is_long: bool,
    /// It is the message or the logger, or is not wanted.
    is_told: bool,
}

/// A field of an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Leaf<'l> {
    /// The number of its path among those of the block, from 0.
    pub(crate) number: usize,
    pub(crate) path: &'l str,
    /// Its value; none where that is long.
    pub(crate) value: Option<&'l str>,
}

/// What the name of a value tells in a layout.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Tells {
    Field,
    Id,
    /// An id where it stands by itself, a field where it stands in a pair.
    IdOutsidePairs,
    Time,
    Level,
    /// The message or the logger, the first of its name.
    Speaks,
    Unclear,
}

impl<'w> Leaves<'w> {
    /// None yet, and later those whose paths are wanted.
    pub(super) fn wanting(wanted: &'w dyn Fn(&str) -> bool) -> Self {
        Self {
            wanted,
            is_wanted: Vec::new(),
            text: String::new(),
            found: Vec::new(),
            names: Map::default(),
            numbers: Map::default(),
        }
    }

    /// The fields, in the order of the log.
    pub(crate) fn each(&self) -> impl Iterator<Item = Leaf<'_>> {
        let text = |span: &Range<usize>| self.text.get(span.clone()).unwrap_or_default();
        self.found.iter().filter(|found| !found.is_told).map(move |found| Leaf {
            number: found.number,
            path: text(&found.path),
            value: (!found.is_long).then(|| text(&found.value)),
        })
    }

    /// Takes the fields of an entry that was read in full.
    pub(super) fn of_entry(&mut self, entry: &Entry<'_>) {
        self.clear();
        entry.leaves(&mut |path, field| {
            let told = matches!(
                field.role,
                Role::Time | Role::Level | Role::Message | Role::Logger | Role::Id(_)
            );
            if let Some(value) = field.value.text().filter(|_| !told) {
                let number = self.number(path, hash::of(path));
                self.push(number, path, value);
            }
        });
    }

    /// Takes the fields of an entry by what its layout tells at a look, and gives its gist. `None` where it must be read in
    /// full.
    pub(super) fn by_a_look<'r>(
        &mut self,
        block: &Block,
        index: usize,
        raw: &'r [u8],
    ) -> Option<Gist<'r>> {
        let id = block.layout(index);
        if block.shared(index).is_some() {
            self.clear();
            return block.member_fields(index, raw, &mut |path, value| {
                let number = self.number(path, hash::of(path));
                self.push(number, path, value);
            });
        }
        let taken = is_known(id)
            && block.is_as_written(index, raw)
            && !is_escaped(raw)
            && !(id == LayoutId::JSON && holds_nested_lists(raw));
        taken.then(|| self.by_values(block, index, raw)).flatten()
    }

    /// The same by the values that its layout gives.
    fn by_values<'r>(&mut self, block: &Block, index: usize, raw: &'r [u8]) -> Option<Gist<'r>> {
        let id = block.layout(index);
        self.clear();
        let (mut clear, mut times, mut levels) = (true, 0, 0);
        let mut spots: Vec<Spot<'r>> = Vec::with_capacity(16);
        let gist = block.tell(index, raw, &mut |name, spot| {
            let Some(spot) = spot.filter(|_| clear) else { return };
            let key = hash::of(name.path);
            // A name with dots of its own is not one within an object.
            let named = key ^ u64::from(id.bits()) ^ (name.own.len() as u64) << 8;
            let known = self.names.get(&named).copied();
            let (tells, number) = known.unwrap_or_else(|| {
                let told = (Tells::of(id, name), self.number(name.path, key));
                self.names.insert(named, told);
                told
            });
            let field = match tells {
                Tells::Field => self.is_wanted[number],
                Tells::Speaks => {
                    clear &= !spot.written.is_empty();
                    true
                }
                Tells::Id => {
                    clear &= !is_text(id) || stands_for_itself(raw, spot.written);
                    matches!(spot.written, b"" | b"-")
                }
                Tells::IdOutsidePairs => {
                    is_paired(raw, spot.written) || !stands_for_itself(raw, spot.written)
                }
                Tells::Time | Tells::Level => {
                    times += u32::from(tells == Tells::Time);
                    levels += u32::from(tells == Tells::Level);
                    false
                }
                Tells::Unclear => {
                    clear = false;
                    false
                }
            };
            clear &= !spot.item;
            if field && clear {
                self.push(number, name.path, &spot.text());
                spots.push(spot);
            }
        })?;
        // Of several names for one thing, the first that can be read stands for it.
        let levelled = levels == 0 || levels == 1 && block.severity(index).is_some();
        (clear && times <= 1 && levelled && self.leave_out(&gist, &spots)).then_some(gist)
    }

    /// Takes message and logger away, which are told elsewhere; `false` where it is not certain which fields they are.
    fn leave_out(&mut self, gist: &Gist<'_>, spots: &[Spot<'_>]) -> bool {
        let said = if let Says::Message(message) = &gist.says { Some(message) } else { None };
        for text in [said, gist.logger.as_ref()].into_iter().flatten() {
            let is_it = |spot: &Spot<'_>| match text {
                Cow::Borrowed(text) => {
                    let (told, here) =
                        (text.as_bytes().as_ptr_range(), spot.written.as_ptr_range());
                    !spot.written.is_empty() && told == here
                }
                // What reads otherwise than it is written is known by its text.
                Cow::Owned(text) => spot.escaped && *text == spot.text(),
            };
            let mut found = (0..spots.len()).filter(|at| is_it(&spots[*at]));
            match (found.next(), found.next(), text) {
                (Some(at), None, _) => self.found[at].is_told = true,
                (None, _, Cow::Borrowed(_)) => {}
                _ => return false,
            }
        }
        true
    }

    /// Holds what was taken by values against the entry read in full.
    pub(super) fn check(&self, entry: &Entry<'_>) {
        let mut full = Self::wanting(self.wanted);
        full.of_entry(entry);
        let own = |leaves: &Self| {
            leaves.each().map(|leaf| format!("{}={:?}", leaf.path, leaf.value)).collect::<Vec<_>>()
        };
        debug_assert_eq!(own(self), own(&full), "fields of {}", entry.raw.escape_ascii());
    }

    fn clear(&mut self) {
        self.text.clear();
        self.found.clear();
    }

    fn number(&mut self, path: &str, key: u64) -> usize {
        let next = self.numbers.len();
        *self.numbers.entry(key).or_insert_with(|| {
            self.is_wanted.push((self.wanted)(path));
            next
        })
    }

    fn push(&mut self, number: usize, path: &str, value: &str) {
        let is_told = !self.is_wanted[number];
        let start = self.text.len();
        self.text.push_str(path);
        let middle = self.text.len();
        // A duration is short as well.
        let is_long = value.len() > LONGEST;
        if !is_long {
            self.text.push_str(value);
        }
        let value = middle..self.text.len();
        self.found.push(Found { number, path: start..middle, value, is_long, is_told });
    }
}

impl Tells {
    fn of(id: LayoutId, name: Name<'_>) -> Self {
        let takes = [LayoutId::JSON, LayoutId::CSV, LayoutId::W3C, LayoutId::PAIRS].contains(&id);
        let nested = name.path != name.own;
        // In objects, these may be the time or the level.
        const PARTS: [&str; 5] = ["name", "text", "label", "epochSecond", "nanoOfSecond"];
        let part = nested && PARTS.contains(&name.own) || name.own.ends_with("REALTIME_TIMESTAMP");
        match roles::role(name.own.as_bytes()) {
            _ if part && id == LayoutId::JSON => Self::Unclear,
            Role::Id(_) => Self::Id,
            Role::Plain if name.own == "id" && !takes && id != LayoutId::ACCESS => {
                Self::IdOutsidePairs
            }
            Role::Plain => Self::Field,
            // Only the entry's own members stand for it, and what a text holds does not.
            _ if !takes || nested => Self::Unclear,
            Role::Time => Self::Time,
            // A lone letter is a level's where its value is a word.
            Role::Level if name.own.len() <= 2 => Self::Unclear,
            Role::Level => Self::Level,
            Role::Message | Role::Logger => Self::Speaks,
        }
    }
}

/// The layouts whose values are fields in the roles that their names claim.
fn is_known(id: LayoutId) -> bool {
    is_text(id)
        || [
            LayoutId::JSON,
            LayoutId::CSV,
            LayoutId::W3C,
            LayoutId::PAIRS,
            LayoutId::ACCESS,
            LayoutId::DELIMITED,
        ]
        .contains(&id)
}

fn is_text(id: LayoutId) -> bool {
    id == LayoutId::TEXT
}

/// Whether a text of several lines may stand in it under an escape: a stack trace gives fields of its own.
fn is_escaped(raw: &[u8]) -> bool {
    memchr::memchr(b'\\', raw).is_some() && memchr::memmem::find(raw, b"\\n").is_some()
}

/// Whether an object may have lists of lists, or of objects: their values go by the numbers of items.
fn holds_nested_lists(raw: &[u8]) -> bool {
    memchr::memchr_iter(b'[', raw).any(|at| {
        let first = raw[at + 1..].iter().find(|byte| !byte.is_ascii_whitespace());
        matches!(first, Some(b'{' | b'['))
    })
}

/// The byte before a value in an entry, its quote left out.
fn before(raw: &[u8], written: &[u8]) -> Option<u8> {
    let at = written.as_ptr().addr().checked_sub(raw.as_ptr().addr())?;
    let front = raw.get(..at)?;
    let front = front.strip_suffix(b"\"").or(front.strip_suffix(b"'")).unwrap_or(front);
    front.last().copied()
}

/// Whether a value stands in a pair.
fn is_paired(raw: &[u8], written: &[u8]) -> bool {
    before(raw, written) == Some(b'=')
}

/// Whether an id in a text is none of the names and values at its end, whose names claim nothing.
fn stands_for_itself(raw: &[u8], written: &[u8]) -> bool {
    !matches!(before(raw, written), Some(b' ' | b':'))
}
