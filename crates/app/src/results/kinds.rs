//! Kinds of messages.

use cribrum_core::{
    engine::{Of, Pass, Snapshot},
    kinds::{Kind, Kinds, Only, Order, SoFar},
    veil::{Audience, Text},
};

use super::{
    cell::{Cell, Reader},
    inquiry::Inquiry,
    table::{Column, Findings, Trace},
};

/// What kinds of messages there are.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct AskKinds;

impl Inquiry for AskKinds {
    type Order = Order;
    type Only = Only;
    type Found<A: Audience> = Kinds<A>;
    type SoFar<A: Audience> = SoFar<A>;
    type Summary = ();

    fn begin<A: Audience>(&self) -> SoFar<A> {
        SoFar::default()
    }

    fn find<A: Audience>(
        &self,
        so_far: &mut SoFar<A>,
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Kinds<A>> {
        so_far.extend(snapshot, Of::Pan, pass)
    }

    fn rows<A: Audience>(
        found: &Kinds<A>,
        (by, descending): (Order, bool),
        only: &Only,
        _: &Snapshot,
        _: &Pass,
    ) -> Option<Vec<u32>> {
        Some(found.sorted(*only, by, descending))
    }

    fn summary<A: Audience>(_: &Kinds<A>, _: &[u32]) {}
}

impl<A: Audience> Findings for Kinds<A> {
    type Audience = A;
    type Row = Kind<A>;
    type Order = Order;

    fn row(&self, number: u32) -> &Kind<A> {
        &self.kinds[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        vec![
            Column::words("kind", |_: &Self, kind: &Kind<A>, _| Cell::Kind(&kind.text))
                .ordered(Order::Text)
                .behind(),
            Column::figure("count", |_: &Self, kind: &Kind<A>, _| Cell::Count(kind.count))
                .titled("entries")
                .strong()
                .cells(9)
                .ordered(Order::Count),
            Column::figure("share", |kinds: &Self, kind: &Kind<A>, _| {
                Cell::Share(kind.count, kinds.entries as u64)
            })
            .cells(7)
            .from(110)
            .second(Order::Count),
            // The longest is that of the most frequent kind: of hundreds none has a large share.
            Column::picture(10, |kinds: &Self, kind: &Kind<A>, _| {
                Cell::Bar(kind.count, kinds.kinds.first().map_or(1, |kind| kind.count))
            })
            .from(140),
            Column::figure("errors", |_: &Self, kind: &Kind<A>, _| Cell::Count(kind.errors))
                .for_programs(),
            Column::words("level", |_: &Self, kind: &Kind<A>, _| Cell::of(kind.level, Cell::Level))
                .cells(7)
                .ordered(Order::Level),
            Column::picture(10, |_: &Self, kind: &Kind<A>, _| {
                Cell::Curve(&kind.curve[..], kind.level)
            })
            .titled("over time")
            .wider(110, 16),
            Column::words("first", |_: &Self, kind: &Kind<A>, _| {
                Cell::of(kind.span, |span| Cell::Time(span.0))
            })
            .cells(12)
            .from(110)
            .ordered(Order::First),
            Column::words("last", |_: &Self, kind: &Kind<A>, _| {
                Cell::of(kind.span, |span| Cell::Time(span.1))
            })
            .cells(12)
            .from(140)
            .ordered(Order::Last),
            Column::words("loggers", |_: &Self, kind: &Kind<A>, _| {
                Cell::Texts(&kind.loggers, kind.more_loggers)
            })
            .titled("logger")
            .cells(18)
            .from(110),
        ]
    }

    fn is_same(one: &Kind<A>, other: &Kind<A>) -> bool {
        one.text == other.text
    }

    fn trace(&self, kind: &Kind<A>) -> Option<Trace> {
        Some((kind.first, [kind.count, kind.errors]))
    }

    fn text(&self, kind: &Kind<A>, _: &Reader<'_>) -> String {
        let loggers = kind.loggers.iter().map(Text::as_str);
        loggers.chain([kind.text.as_str()]).collect::<Vec<_>>().join(" ")
    }
}
