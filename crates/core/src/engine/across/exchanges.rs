//! Requests and responses that were printed apart: each response is joined to the request that it answers, by an id
//! that both have, else by the thread, the connection or the process that both name, else where nothing lies between.

use std::{
    collections::{HashMap, HashSet, hash_map::Entry as Place},
    io,
    sync::Arc,
};

use crate::{
    engine::{Snapshot, hints::told_in},
    entry::ids::{self, IdKey},
    limits,
    store::{Block, EntryId, Half, IdColumn, NO_TIME, Says},
    veil::{Audience, CleanField, CleanValue},
};

/// Requests that wait for a response under one key; of more the oldest is given up.
const WAITING: usize = 64;

/// Keys under which requests wait, above which those that were answered are let go of, for the first time.
const KEYS: usize = 1 << 20;

/// Kinds of ids that a request and its response share, the surest first.
const KINDS: [&str; 8] = [
    "request_id",
    "correlation_id",
    "span_id",
    "job_id",
    "connection_id",
    "trace_id",
    "id",
    "session",
];

/// Those of which two that differ are of different requests.
const SURE: [&str; 2] = ["request_id", "correlation_id"];

/// One half of an exchange.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Pair {
    /// The entry, by its number in its block.
    pub(crate) index: u16,
    /// It is the response.
    pub(crate) answers: bool,
    /// The other half.
    pub(crate) other: EntryId,
}

/// Which half of an exchange an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// What is asked for.
    Request,
    /// How it ended.
    Response,
    /// The same as the other, as another program sees it.
    Either,
}

/// A request and its response that were printed apart, or one request as two programs tell it, as one of them is told of the other.
#[derive(Clone, Debug)]
pub struct Exchange<A: Audience> {
    /// Which half the entry is.
    pub side: Side,
    /// The other half.
    pub other: EntryId,
    /// What was asked for, and how it ended: `method`, `path`, `status`, as far as either of them tells, and `took`.
    pub told: Vec<CleanField<A>>,
    /// How long it took, in nanoseconds: as one of them says, else the time between them.
    pub took: Option<i64>,
}

/// What two halves have in common.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Key {
    Id(IdKey),
    Number(u32),
    Thread(u32),
    /// Nothing but the place where they stand.
    Nothing,
}

/// A request that has not been answered.
#[derive(Clone, Copy)]
struct Asked {
    id: EntryId,
    target: u32,
    /// Its surest id, where it has one.
    sure: Option<IdKey>,
}

/// Joins the halves in the blocks of a source.
pub(super) fn join(blocks: &[(usize, &Arc<Block>)], pairs: &mut [Box<[Pair]>]) {
    let mut found: Vec<Vec<Pair>> = vec![Vec::new(); blocks.len()];
    let place: HashMap<usize, usize> =
        (0..).zip(blocks).map(|(at, (number, _))| (*number, at)).collect();
    let mut waiting: HashMap<Key, Vec<Asked>> = HashMap::new();
    // A request waits under several keys, and no more under any once it was answered.
    let mut open: HashSet<EntryId> = HashSet::new();
    let (mut keys, mut limit) = (Vec::new(), KEYS);
    for (number, block) in blocks {
        let (Some(hints), Some(column)) = (block.hints.get(), block.ids.get()) else { continue };
        for half in &hints.halves {
            let id = EntryId::new(*number, usize::from(half.index));
            keys_of(half, column, &mut keys);
            let sure = sure_of(half, column);
            if half.says != Says::Request
                && let Some(asked) = answered(&mut waiting, &mut open, &keys, half, sure)
            {
                let mut add = |of: EntryId, answers: bool, other: EntryId| {
                    let index = u16::try_from(of.index()).unwrap_or(u16::MAX);
                    if let Some(at) = place.get(&of.block()) {
                        found[*at].push(Pair { index, answers, other });
                    }
                };
                add(asked.id, false, id);
                add(id, true, asked.id);
            } else if half.says == Says::Request {
                let asked = Asked { id, target: half.target, sure };
                open.insert(id);
                for key in &keys {
                    let waiting = waiting.entry(*key).or_default();
                    if waiting.len() >= WAITING {
                        waiting.remove(0);
                    }
                    waiting.push(asked);
                }
            }
        }
        if waiting.len() > limit {
            waiting.retain(|_, asked| asked.iter().any(|asked| open.contains(&asked.id)));
            limit = KEYS.max(waiting.len() * 2);
        }
    }
    for ((number, _), mut of_block) in blocks.iter().zip(found) {
        of_block.sort_unstable_by_key(|pair| pair.index);
        pairs[*number] = of_block.into();
    }
}

/// What a half may be joined by, the surest first.
fn keys_of(half: &Half, column: &IdColumn, keys: &mut Vec<Key>) {
    keys.clear();
    let of_entry: Vec<usize> = column.ids(usize::from(half.index)).collect();
    for kind in KINDS.map(ids::number_of) {
        let of_kind = of_entry.iter().filter(|id| column.kind(**id) == kind);
        keys.extend(of_kind.map(|id| Key::Id(column.key(*id))));
    }
    if half.number > 0 {
        keys.push(Key::Number(half.number));
    }
    if half.thread > 0 {
        keys.push(Key::Thread(half.thread));
    }
    if keys.is_empty() {
        keys.push(Key::Nothing);
    }
}

fn sure_of(half: &Half, column: &IdColumn) -> Option<IdKey> {
    let mut of_entry = column.ids(usize::from(half.index));
    let sure = SURE.map(ids::number_of);
    of_entry.find(|id| sure.contains(&column.kind(*id))).map(|id| column.key(id))
}

/// The request that a response answers, which then waits no more.
fn answered(
    waiting: &mut HashMap<Key, Vec<Asked>>,
    open: &mut HashSet<EntryId>,
    keys: &[Key],
    half: &Half,
    sure: Option<IdKey>,
) -> Option<Asked> {
    for key in keys {
        let Place::Occupied(mut place) = waiting.entry(*key) else { continue };
        let asked = place.get_mut();
        asked.retain(|asked| open.contains(&asked.id));
        let fits = |asked: &Asked| {
            let same = half.target == 0 || asked.target == half.target;
            let other = matches!((asked.sure, sure), (Some(one), Some(other)) if one != other);
            same && !other
        };
        // Where nothing names a request, one that waits beside others may be any of them.
        let sole = *key != Key::Nothing || asked.iter().filter(|asked| fits(asked)).count() == 1;
        let found = asked.iter().rposition(fits).filter(|_| sole);
        let found = found.map(|at| asked.remove(at));
        if asked.is_empty() {
            place.remove();
        }
        if let Some(found) = found {
            open.remove(&found.id);
            return Some(found);
        }
    }
    None
}

impl Snapshot {
    /// The exchange that an entry is a half of, once that is known ([`Snapshot::is_related`]).
    ///
    /// # Errors
    ///
    /// Those of reading the two.
    pub fn exchange_of<A: Audience>(&self, id: EntryId) -> io::Result<Option<Exchange<A>>> {
        let Some(pair) = self.across.other_half(id) else { return Ok(None) };
        let side = if pair.answers { Side::Response } else { Side::Request };
        self.told_by_both(id, side, pair.other).map(Some)
    }

    /// What an entry and another tell of a request.
    pub(super) fn told_by_both<A: Audience>(
        &self,
        id: EntryId,
        side: Side,
        other: EntryId,
    ) -> io::Result<Exchange<A>> {
        // Of what another program tells as well, that is told of which the entry itself says nothing.
        let (request, response) = if side == Side::Request { (id, other) } else { (other, id) };
        let said = match side {
            Side::Either => self.took_of(other),
            _ => self.took_of(response).or_else(|| self.took_of(request)),
        };
        let between = || {
            if side == Side::Either {
                return None;
            }
            Some(self.time(response)?.saturating_sub(self.time(request)?)).filter(|took| *took >= 0)
        };
        let took = said.or_else(between);
        let mut told: Vec<CleanField<A>> = Vec::new();
        for half in [request, response] {
            let block = self.block(half).ok_or(io::ErrorKind::NotFound)?;
            let (raw, _) = block.read(half.index(), limits::INSPECT_BYTES)?;
            let entry = block.entry(half.index(), &raw);
            let veiled = self.veil.over::<A>(&entry, Some(block.place(half.index())));
            told_in(&entry, &mut |name, value| {
                // The status is that of the response.
                if told.iter().any(|known| known.name.as_str() == name) {
                    return;
                }
                let text = veiled.text(value).into_owned();
                let is_number = text.as_str().bytes().all(|b| b.is_ascii_digit());
                let value =
                    if is_number { CleanValue::Number(text) } else { CleanValue::Text(text) };
                told.push(CleanField {
                    name: veiled.text(name.into()).into_owned(),
                    value,
                    hidden: false,
                });
            });
            if half == response
                && let Some(took) = took
            {
                let micros = took / 1_000;
                let text = match micros % 1_000 {
                    0 => format!("{}ms", micros / 1_000),
                    rest => format!("{}.{rest:03}ms", micros / 1_000),
                };
                let text = veiled.text(text.into()).into_owned();
                let name = veiled.text("took".into()).into_owned();
                told.push(CleanField { name, value: CleanValue::Text(text), hidden: false });
            }
        }
        Ok(Exchange { side, other, told, took })
    }

    /// How long an entry says that something took.
    fn took_of(&self, id: EntryId) -> Option<i64> {
        took_in(self.blocks.get(id.block())?, id.index())
    }

    /// Whether requests and responses were printed apart, as far as that is known.
    #[must_use]
    pub fn has_exchanges(&self) -> bool {
        (0..self.blocks.len()).any(|number| !self.across.pairs(number).is_empty())
    }

    /// The other half of an exchange.
    #[must_use]
    pub fn other_half(&self, id: EntryId) -> Option<EntryId> {
        self.across.other_half(id).map(|pair| pair.other)
    }
}

/// How long an entry says that something took, in nanoseconds.
pub(crate) fn took_in(block: &Block, index: usize) -> Option<i64> {
    let seconds = block.ids.get()?.outcome(index)?.took;
    #[expect(clippy::cast_possible_truncation, reason = "whole microseconds of a duration")]
    let micros = (f64::from(seconds) * 1e6).round() as i64;
    (seconds >= 0.0).then_some(micros * 1_000)
}

/// The status that an entry tells.
pub(crate) fn status_in(block: &Block, index: usize) -> Option<u16> {
    Some(block.ids.get()?.outcome(index)?.status).filter(|status| *status > 0)
}

/// The time between two entries, in nanoseconds.
pub(crate) fn between(request: (&Block, usize), response: (&Block, usize)) -> Option<i64> {
    let time =
        |(block, index): (&Block, usize)| Some(block.time(index)).filter(|time| *time != NO_TIME);
    Some(time(response)?.saturating_sub(time(request)?)).filter(|took| *took >= 0)
}
