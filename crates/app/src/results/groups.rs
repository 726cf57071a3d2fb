//! Groups of entries with their counts and measures.

use cribrum_core::{
    engine::{Of, Pass, Snapshot, Survey},
    tally::{By, Group, Measure, Order, Question, SoFar, Tally, Unit, origin_of},
    veil::{Audience, Desk},
};
use jiff::tz::TimeZone;

use super::{
    cell::{Cell, Reader},
    inquiry::Inquiry,
    table::{Column, Findings, Trace},
};

/// What entries are grouped by and what is measured of them.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct AskGroups {
    pub(crate) question: Question,
    /// The zone that days are counted in.
    pub(crate) zone: Option<TimeZone>,
}

/// Names of fields that entries are grouped by where nothing was pointed at, the best first.
const USUAL: [&str; 6] = ["path", "url", "url.path", "http.path", "uri", "endpoint"];

/// A measure that is proposed where entries have it.
const DURATIONS: [&str; 4] = ["took", "duration", "elapsed", "latency"];

/// What is asked where nothing was pointed at: paths, or else levels; and how long they took, where entries say it.
fn usual(by: Option<By>, snapshot: &Snapshot, pass: &Pass) -> Option<Question> {
    let names = Survey::<Desk>::names(snapshot, pass)?;
    let has = |wanted: &str| names.found.iter().any(|(name, _)| name.as_str() == wanted);
    let by = by.unwrap_or_else(|| {
        let path = USUAL.into_iter().find(|name| has(name));
        path.map_or(By::Level, By::field)
    });
    let lasts = names.found.iter().any(|(name, _)| {
        let name = name.as_str().to_ascii_lowercase();
        DURATIONS.iter().any(|stem| name.starts_with(stem))
    });
    Some(Question { by: vec![by], of: lasts.then_some(Measure::Took), ..Question::default() })
}

impl Inquiry for AskGroups {
    type Order = Order;
    /// Entries that groups have at least.
    type Only = u64;
    type Found<A: Audience> = Tally<A>;
    type SoFar<A: Audience> = SoFar<A>;
    type Summary = ();

    fn begin<A: Audience>(&self) -> SoFar<A> {
        SoFar::of(&self.question)
    }

    fn settle(&mut self, open: bool, snapshot: &Snapshot, pass: &Pass) -> Option<()> {
        let counts_alone = self.question.of.is_none() && self.question.different.is_none();
        match self.question.by.as_slice() {
            [] if open => self.question = usual(None, snapshot, pass)?,
            [by] if open && counts_alone => {
                let by = by.clone();
                self.question = usual(Some(by), snapshot, pass)?;
            }
            _ => {}
        }
        let first = snapshot.span().map_or(0, |(first, _)| first);
        self.question.origin = origin_of(self.zone.as_ref(), first);
        Some(())
    }

    fn find<A: Audience>(
        &self,
        so_far: &mut SoFar<A>,
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Tally<A>> {
        so_far.extend(snapshot, Of::Pan, pass)
    }

    fn rows<A: Audience>(
        found: &Tally<A>,
        (by, descending): (Order, bool),
        least: &u64,
        _: &Snapshot,
        _: &Pass,
    ) -> Option<Vec<u32>> {
        let mut rows = found.sorted(by, descending);
        if *least > 1 {
            rows.retain(|row| found.groups[*row as usize].count >= *least);
        }
        Some(rows)
    }

    fn summary<A: Audience>(_: &Tally<A>, _: &[u32]) {}
}

impl<A: Audience> Findings for Tally<A> {
    type Audience = A;
    type Row = Group<A>;
    type Order = Order;

    fn row(&self, number: u32) -> &Group<A> {
        &self.groups[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        let measured = self.question.of.is_some();
        let wide = if measured { 110 } else { 0 };
        let mut columns: Vec<Column<Self>> = Vec::new();
        for (at, by) in self.question.by.iter().enumerate() {
            let key = Column::words("", |tally: &Self, group: &Group<A>, at| {
                let keys = group.keys.get(at).zip(tally.question.by.get(at));
                Cell::of(keys, |(key, by)| Cell::Key(key, by))
            });
            let name = by.to_string();
            columns.push(
                key.named(name.clone()).titled(name).numbered(at).ordered(Order::Key(at)).behind(),
            );
        }
        columns.extend([
            Column::figure("count", |_: &Tally<A>, group: &Group<A>, _| Cell::Count(group.count))
                .titled("entries")
                .strong()
                .ordered(Order::Count),
            Column::figure("share", |tally: &Tally<A>, group: &Group<A>, _| {
                Cell::Share(group.count, whole(tally))
            })
            .cells(8)
            .from(wide)
            .second(Order::Count),
        ]);
        let bar = Column::picture(12, |tally: &Self, group: &Group<A>, _| match &tally.all {
            Some(all) if std::ptr::eq(all, group) => Cell::Word("".into()),
            _ => Cell::Bar(group.count, whole(tally)),
        });
        columns.push(bar.from(if measured { 130 } else { 0 }));
        columns.extend([
            Column::figure("errors", |_: &Tally<A>, group: &Group<A>, _| Cell::Count(group.errors))
                .for_programs(),
            Column::figure("", |_: &Tally<A>, group: &Group<A>, _| match group.errors {
                0 => Cell::None,
                errors => Cell::Share(errors, group.count),
            })
            .titled("errors")
            .cells(8)
            .ordered(Order::ErrorShare),
            Column::figure("per_minute", |tally: &Tally<A>, group: &Group<A>, _| {
                Cell::of(per_minute(tally, group), |rate| Cell::Figure(rate, Unit::Number))
            })
            .titled("a minute")
            .from(wide)
            .second(Order::Count),
            Column::words("first", |_: &Tally<A>, group: &Group<A>, _| {
                Cell::of(group.span, |span| Cell::Time(span.0))
            })
            .for_programs(),
            Column::words("last", |_: &Tally<A>, group: &Group<A>, _| {
                Cell::of(group.span, |span| Cell::Time(span.1))
            })
            .for_programs(),
        ]);
        if let Some(field) = &self.question.different {
            let different = Column::figure("different", |_: &Self, group: &Group<A>, _| {
                Cell::Count(group.different)
            });
            columns
                .push(different.titled(format!("≠ {field}")).cells(12).ordered(Order::Different));
        }
        if measured {
            columns.extend(measures());
        }
        columns
    }

    fn is_same(one: &Group<A>, other: &Group<A>) -> bool {
        one.keys == other.keys
    }

    fn trace(&self, group: &Group<A>) -> Option<Trace> {
        Some((group.largest, [group.count, group.errors]))
    }

    fn text(&self, group: &Group<A>, reader: &Reader<'_>) -> String {
        let keys = group.keys.iter().zip(&self.question.by);
        let texts = keys.map(|(key, by)| Cell::Key(key, by).for_people(reader, 0));
        texts.collect::<Vec<_>>().join(" ")
    }

    fn all(&self) -> Option<&Group<A>> {
        self.all.as_ref().filter(|_| !self.question.by.is_empty())
    }

    fn together(&self, rows: &[u32]) -> Option<Group<A>> {
        Group::together(&rows.iter().map(|row| self.row(*row)).collect::<Vec<_>>())
    }
}

/// The columns of what is measured. Its unit, for programs, is that of all of them.
fn measures<A: Audience>() -> Vec<Column<Tally<A>>> {
    type Tallied<'r, A> = (&'r Tally<A>, &'r Group<A>);
    fn figure<'r, A: Audience>((tally, group): Tallied<'r, A>, order: Order) -> Cell<'r, A> {
        Cell::of(group.figure(order), |value| Cell::Figure(value, tally.unit))
    }
    let quantile = Order::Quantile;
    vec![
        Column::figure("values", |_: &Tally<A>, group: &Group<A>, _| {
            Cell::Count(group.values.count)
        })
        .for_programs(),
        Column::figure("min", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Min)
        })
        .for_programs(),
        Column::figure("mean", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Mean)
        })
        .for_programs(),
        Column::figure("p50", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Quantile(500))
        })
        .ordered(quantile(500)),
        Column::figure("p95", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Quantile(950))
        })
        .strong()
        .ordered(quantile(950)),
        Column::figure("p99", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Quantile(990))
        })
        .from(110)
        .ordered(quantile(990)),
        Column::figure("max", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Max)
        })
        .from(110)
        .ordered(Order::Max),
        // All rows on one scale.
        Column::picture(12, |tally: &Tally<A>, group: &Group<A>, _| {
            let all = tally.all.as_ref().map(|all| (all.values.min, all.values.max));
            Cell::Histogram(&group.values, all.unwrap_or_default())
        })
        .from(130),
        Column::figure("sum", |tally: &Tally<A>, group: &Group<A>, _| {
            figure((tally, group), Order::Sum)
        })
        .for_programs(),
        Column::words("unit", |tally: &Tally<A>, _, _| match tally.unit {
            Unit::Number => Cell::None,
            Unit::Seconds => Cell::Word("s".into()),
            Unit::Bytes => Cell::Word("B".into()),
        })
        .for_programs(),
    ]
}

fn whole<A: Audience>(tally: &Tally<A>) -> u64 {
    tally.all.as_ref().map_or(0, |all| all.count)
}

/// Entries a minute, over the time from the first entry to the last.
fn per_minute<A: Audience>(tally: &Tally<A>, group: &Group<A>) -> Option<f64> {
    let (first, last) = tally.all.as_ref()?.span?;
    #[expect(clippy::cast_precision_loss, reason = "a rate for people")]
    let (minutes, count) = (last.saturating_sub(first) as f64 / 60e9, group.count as f64);
    (minutes > 0.0).then(|| count / minutes)
}
