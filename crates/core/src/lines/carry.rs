//! What the lines so far mean for the next.

use super::armour;
use crate::{
    layout::{Continues, LayoutId, trace},
    limits,
};

/// What the lines so far mean for the next.
#[derive(Clone, Debug, Default)]
pub(crate) struct Carry {
    /// The time that an entry without one takes.
    pub(super) time: Option<i64>,
    /// The entry that the line before belongs to.
    pub(super) current: Option<usize>,
    /// The last entry of each lane that lines of the lane may belong to.
    pub(super) lanes: Vec<Lane>,
    /// A quote of the current entry is open.
    pub(super) quoted: bool,
    /// An object over several lines.
    pub(super) object: Option<Pretty>,
    /// The current entry waits for its level on the next line.
    pub(super) awaits: Option<usize>,
    /// The current entry prints a request or a response.
    pub(super) dump: Option<usize>,
    /// The current entry, whose layout says which lines belong to it.
    pub(super) gather: Option<(usize, LayoutId)>,
    /// Bytes of a value that go on into the next chunk, whatever they are.
    pub(super) skip: usize,
    /// The length of a value of which only so many bytes are known yet.
    pub(super) length: Option<Vec<u8>>,
    /// Lines of a container that came in pieces.
    pub(super) pieces: Vec<Pieces>,
    /// A lane and its entry in which a private key has begun, and not ended.
    pub(super) key: Option<(u32, usize)>,
}

/// One of several outputs that share a source; 0 is the source itself.
#[derive(Clone, Debug)]
pub(super) struct Lane {
    pub(super) lane: u32,
    pub(super) owner: usize,
    pub(super) continues: Continues,
    /// Lines since the entry took one.
    pub(super) since: u32,
    /// How far the entry's stack trace has come, where no layout took the entry.
    pub(super) trace: trace::Progress,
}

/// An object whose end has not come yet.
#[derive(Clone, Debug)]
pub(super) struct Pretty {
    pub(super) owner: usize,
    /// The entry right above, where lines of any form may belong to it.
    pub(super) above: Option<usize>,
    pub(super) depth: i32,
    pub(super) text: Vec<u8>,
}

/// A line whose end has not come yet.
#[derive(Clone, Debug)]
pub(super) struct Pieces {
    pub(super) lane: u32,
    pub(super) owner: usize,
    pub(super) text: Vec<u8>,
}

/// Lanes that are kept at a time.
const LANES: usize = 64;

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

    pub(super) fn lane(&self, lane: u32) -> Option<&Lane> {
        self.lanes.iter().find(|known| known.lane == lane)
    }

    /// Takes in a line of a stack trace in a lane. Says whether another trace begins with it than that of
    /// the lane's entry.
    pub(super) fn traces_anew(&mut self, lane: u32, line: &[u8]) -> bool {
        self.lanes.iter_mut().find(|known| known.lane == lane).is_some_and(|l| l.trace.next(line))
    }

    /// Makes an entry the last of its lane.
    pub(super) fn enter(&mut self, lane: u32, owner: usize, continues: Continues) {
        if lane != 0 || continues != Continues::Never {
            let entered = Lane { lane, owner, continues, since: 0, trace: Default::default() };
            match self.lanes.iter_mut().find(|known| known.lane == lane) {
                Some(known) => *known = entered,
                None => {
                    if self.lanes.len() >= LANES {
                        self.lanes.remove(0);
                    }
                    self.lanes.push(entered);
                }
            }
        }
        self.current = Some(owner);
        (self.dump, self.gather) = (None, None);
        if self.key.is_some_and(|(of, _)| of == lane) {
            self.key = None;
        }
    }

    /// The entry that a line is a part of the private key of, whatever the line would mean by itself.
    pub(super) fn keyed(&mut self, lane: u32, line: &[u8]) -> Option<usize> {
        let (_, owner) = self.key.filter(|(of, _)| *of == lane)?;
        if armour::ends(line) || !armour::goes_on(line) {
            self.key = None;
        }
        (armour::ends(line) || armour::goes_on(line)).then_some(owner)
    }

    /// Forgets all entries, since a new part begins; an entry that is under way is told to go on.
    pub(super) fn leave_part(&mut self) {
        self.lanes.clear();
        self.current = None;
        self.awaits = None;
        (self.dump, self.gather) = (None, None);
        self.key = None;
    }

    /// Whether the next line means something else than it would by itself.
    pub(crate) fn waits(&self) -> bool {
        self.awaits.is_some()
            || self.dump.is_some()
            || !self.pieces.is_empty()
            || self.quoted
            || self.skip > 0
            || self.length.is_some()
    }

    /// Whether an entry is under way that must stay in its part.
    pub(super) fn busy(&self) -> bool {
        self.object.is_some() || !self.pieces.is_empty()
    }

    /// Counts a line of the source itself.
    pub(super) fn count(&mut self) {
        for lane in &mut self.lanes {
            lane.since = lane.since.saturating_add(1);
        }
    }

    /// The entry of a lane that may still own a stack trace.
    pub(super) fn accepting(&self, lane: u32) -> Option<usize> {
        self.lane(lane)
            .filter(|known| {
                known.continues != Continues::Never && known.since <= limits::TORN_LINES
            })
            .map(|known| known.owner)
    }
}
