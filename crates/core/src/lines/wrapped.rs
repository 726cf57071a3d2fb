//! Lines in the wrapper of another program: whole ones, and pieces of long ones.

use std::borrow::Cow;

use super::{
    armour,
    carry::Pieces,
    cutter::{Cutter, Quote, Start},
};
use crate::{
    layout::{Continues, Head, Join, LayoutId, colours, trace, wrap::Peeled},
    limits,
    store::Flags,
};

impl Cutter<'_> {
    /// A line in a wrapper.
    pub(super) fn wrapped(&mut self, line: &[u8], peeled: &Peeled<'_>, at: u64) -> Quote {
        let inner: Cow<'_, [u8]> = if colours::is_coloured(&peeled.inner) {
            Cow::Owned(colours::strip(&peeled.inner).into_owned())
        } else {
            Cow::Borrowed(&peeled.inner)
        };
        if self.piece(&inner, peeled, at) {
            return Quote::Closed;
        }
        if let Some(owner) = self.carry.keyed(peeled.lane, &inner) {
            self.extend(owner, at);
            return Quote::Closed;
        }
        let found = if inner.is_empty() { None } else { self.dialect.detect(&inner) };
        if let Some((layout, head)) = found {
            self.wrapped_entry(&inner, (layout, head), peeled, at);
            return Quote::Closed;
        }
        let continuation = inner.is_empty() || trace::is_continuation(&inner);
        let current = self.carry.current;
        match self.carry.lane(peeled.lane) {
            Some(lane) if lane.since > limits::TORN_LINES && current != Some(lane.owner) => {}
            Some(lane)
                if continuation && lane.continues != Continues::Never
                    || lane.continues == Continues::Always && !self.dialect.mixed() =>
            {
                let owner = lane.owner;
                if !(continuation && self.traces_anew(peeled.lane, owner, &inner)) {
                    self.extend(owner, at);
                    return Quote::Closed;
                }
            }
            _ => {}
        }
        // It may belong to an entry of its lane in the chunk before.
        let whole = peeled.soft && !continuation && !armour::is_base64(&inner);
        if self.start == Start::Unknown && !whole {
            return Quote::Closed;
        }
        if (continuation || !self.dialect.mixed())
            && self.carry.lane(peeled.lane).is_none()
            && self.give_back()
        {
            return Quote::Closed;
        }
        if peeled.soft {
            return self.bare(line, at);
        }
        if inner.is_empty() {
            self.furniture(at);
            self.carry.current = None;
            return Quote::Closed;
        }
        let head = Head { stamp: peeled.stamp, severity: peeled.severity, ..Head::default() };
        let flags = Flags { wrapped: true, ..Flags::default() };
        self.begin(at, LayoutId::PLAIN, head, peeled.lane, flags);
        if continuation {
            self.carry.traces_anew(peeled.lane, &inner);
        }
        Quote::Closed
    }

    /// A line that a layout takes once its wrapper is off.
    fn wrapped_entry(
        &mut self,
        inner: &[u8],
        (layout, mut head): (LayoutId, Head),
        peeled: &Peeled<'_>,
        at: u64,
    ) {
        let flags = Flags { wrapped: true, ..Flags::default() };
        let mut clock = None;
        if let (Some(outer), Some(own)) = (peeled.stamp, head.stamp)
            && own.missing != crate::entry::Missing::Nothing
        {
            clock = outer.order(&self.dialect.clock);
        }
        head.stamp = head.stamp.or(peeled.stamp);
        head.severity = head.severity.or(peeled.severity);
        if head.join == Join::Before
            && let Some(lane) = self.carry.lane(peeled.lane)
        {
            let owner = lane.owner;
            self.extend(owner, at);
            return;
        }
        if head.many {
            let Some(known) = layout.layout() else { return };
            for (number, member) in known.members(inner).unwrap_or_default().iter().enumerate() {
                let mut part = known.member_head(inner, member);
                part.stamp = part.stamp.or(peeled.stamp);
                self.number = number;
                let flags = Flags { within: number > 0, ..flags };
                self.begin_dated(at, layout, part, peeled.lane, flags, clock);
            }
            self.number = 0;
        } else {
            self.begin_dated(at, layout, head, peeled.lane, flags, clock);
        }
    }

    /// A piece of a line: says whether it was taken in.
    pub(super) fn piece(&mut self, inner: &[u8], peeled: &Peeled<'_>, at: u64) -> bool {
        let known = self.carry.pieces.iter().position(|pieces| pieces.lane == peeled.lane);
        match (known, peeled.partial) {
            (None, false) => false,
            (None, true) => {
                if self.start == Start::Unknown
                    && self.dialect.detect(inner).is_none()
                    && inner.first() != Some(&b'{')
                {
                    return true;
                }
                let head = Head { stamp: peeled.stamp, ..Head::default() };
                let flags = Flags { wrapped: true, ..Flags::default() };
                let owner = self.begin(at, LayoutId::PLAIN, head, peeled.lane, flags);
                let text = inner.to_vec();
                self.carry.pieces.push(Pieces { lane: peeled.lane, owner, text });
                true
            }
            (Some(known), partial) => {
                let pieces = &mut self.carry.pieces[known];
                let owner = pieces.owner;
                if pieces.text.len() + inner.len() <= limits::LINE_HELD_BYTES {
                    pieces.text.extend_from_slice(inner);
                }
                self.extend(owner, at);
                if !partial {
                    let pieces = self.carry.pieces.swap_remove(known);
                    let found = self.dialect.detect(&pieces.text);
                    let layout = found.map_or(LayoutId::PLAIN, |(layout, _)| layout);
                    self.fill(owner, found, peeled.stamp);
                    self.carry.enter(pieces.lane, owner, layout.continues(self.dialect));
                }
                true
            }
        }
    }
}
