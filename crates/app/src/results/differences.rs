//! What differs between two selections.

use cribrum_core::{
    compare::{Comparison, Difference, Per, Side, SoFar, Told, What},
    engine::{Pass, Snapshot},
    query::Path,
    tally::{By, Unit},
    veil::Audience,
};

use super::{
    cell::{Cell, Reader},
    inquiry::Inquiry,
    table::{Column, Findings, Trace},
};
use crate::present::{rate_pair, times_text, took_pair};

/// Two selections, and what their counts are of.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct AskDifferences {
    pub(crate) sides: [Side; 2],
    pub(crate) per: Per,
}

/// The width of a table that has room for what is of the same entries.
const WITH_ALIKE: u16 = 200;

/// Which differences are listed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Which {
    /// What is alike on both sides as well.
    pub(crate) all: bool,
    /// Each by itself, also where several are of the same entries: for programs.
    pub(crate) alone: bool,
}

/// What was found, with the rows of each way to list it.
#[derive(Clone, Debug)]
pub(crate) struct Differences<A: Audience> {
    pub(crate) compared: Comparison<A>,
    /// The rows of each [`Which`], one behind the other, and where each begins.
    rows: Vec<Told>,
    begins: [u32; 5],
    /// What is compared, of each difference: a person may have typed the names of fields.
    of: Vec<String>,
}

impl Which {
    const ALL: [Self; 4] = [
        Self { all: false, alone: false },
        Self { all: true, alone: false },
        Self { all: false, alone: true },
        Self { all: true, alone: true },
    ];
}

impl<A: Audience> Differences<A> {
    fn new(compared: Comparison<A>, snapshot: &Snapshot) -> Self {
        let (mut rows, mut begins) = (Vec::new(), [0; 5]);
        // Beside nothing, everything differs.
        let empty = compared.wholes.iter().any(|whole| whole.entries == 0);
        for (at, which) in Which::ALL.iter().enumerate().filter(|_| !empty) {
            rows.extend(match which.alone {
                true => (0..compared.differences.len())
                    .filter(|number| which.all || compared.differences[*number].is_surprising())
                    .map(|number| Told { number, alike: Vec::new() })
                    .collect(),
                false => compared.told(which.all),
            });
            begins[at + 1] = u32::try_from(rows.len()).unwrap_or(u32::MAX);
        }
        let of = compared.differences.iter().map(|row| what_kind(snapshot, row)).collect();
        Self { compared, rows, begins, of }
    }

    /// The difference that a row is of.
    pub(crate) fn difference(&self, told: &Told) -> &Difference<A> {
        &self.compared.differences[told.number]
    }

    /// What kind of thing a row is of.
    pub(crate) fn of_what(&self, told: &Told) -> &str {
        &self.of[told.number]
    }

    /// What a row stands for beside itself, of the same entries: kinds, and fields with their values.
    pub(crate) fn alike<'r>(&'r self, told: &'r Told) -> Cell<'r, A> {
        let each = told.alike.iter().map(|number| {
            let row = &self.compared.differences[*number];
            let name = match row.what {
                What::Value(..) => self.of[*number].as_str(),
                _ => "",
            };
            (name, difference_text(row))
        });
        if told.alike.is_empty() { Cell::None } else { Cell::Many(each.collect()) }
    }
}

/// What kind of thing differs.
fn what_kind<A: Audience>(snapshot: &Snapshot, row: &Difference<A>) -> String {
    let own = |text: String| snapshot.own_text_for::<A>(&text).for_terminal().into_owned();
    match &row.what {
        What::Kind(_) => "kind".to_owned(),
        What::Took(_) => "took".to_owned(),
        What::Value(By::Field { path, .. }, _) => own(Path::field(path).to_string()),
        What::Value(by, _) => own(by.to_string()),
    }
}

/// What differs, by its own name.
pub(crate) fn difference_text<A: Audience>(row: &Difference<A>) -> Cell<'_, A> {
    match &row.what {
        What::Kind(text) | What::Took(text) => Cell::Kind(text),
        What::Value(by, key) => Cell::Key(key, by),
    }
}

impl Inquiry for AskDifferences {
    type Order = ();
    type Only = Which;
    type Found<A: Audience> = Differences<A>;
    type SoFar<A: Audience> = SoFar<A>;
    type Summary = ();

    fn begin<A: Audience>(&self) -> SoFar<A> {
        SoFar::of(self.sides.clone(), self.per)
    }

    fn find<A: Audience>(
        &self,
        so_far: &mut SoFar<A>,
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Differences<A>> {
        Some(Differences::new(so_far.extend(snapshot, pass)?, snapshot))
    }

    /// In their own order: by how surprising they are.
    fn rows<A: Audience>(
        found: &Differences<A>,
        _: ((), bool),
        only: &Which,
        _: &Snapshot,
        _: &Pass,
    ) -> Option<Vec<u32>> {
        let at = Which::ALL.iter().position(|which| which == only).unwrap_or(0);
        Some((found.begins[at]..found.begins[at + 1]).collect())
    }

    fn summary<A: Audience>(_: &Differences<A>, _: &[u32]) {}
}

impl<A: Audience> Findings for Differences<A> {
    type Audience = A;
    type Row = Told;
    type Order = ();

    fn row(&self, number: u32) -> &Told {
        &self.rows[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        let mut columns: Vec<Column<Self>> = vec![
            Column::words("change", |found: &Self, told, _| {
                Cell::Word(found.difference(told).change.name().into())
            })
            .cells(6),
            Column::words("of", |found: &Self, told: &Told, _| {
                Cell::Said(found.of[told.number].clone())
            })
            .cells(9)
            .wider(150, 18)
            .behind(),
            Column::words("what", |found: &Self, told, _| difference_text(found.difference(told)))
                .behind(),
            Column::words("level", |found: &Self, told, _| {
                Cell::of(found.difference(told).level, Cell::Level)
            })
            .cells(7)
            .from(120),
        ];
        columns.extend([pair("from", 0), pair("with", 1).strong()]);
        columns.extend([
            Column::for_people("times", 7, |found: &Self, told: &Told, _| {
                Cell::Said(times_text(&found.compared, found.difference(told)))
            })
            .numeric()
            .from(120),
            Column::figure("from_count", |found: &Self, told: &Told, _| count(found, told, 0))
                .for_programs(),
            Column::figure("with_count", |found: &Self, told: &Told, _| count(found, told, 1))
                .for_programs(),
            Column::figure("from_rate", |found: &Self, told: &Told, _| rate(found, told, 0))
                .for_programs(),
            Column::figure("with_rate", |found: &Self, told: &Told, _| rate(found, told, 1))
                .for_programs(),
        ]);
        for (name, of) in [("from_p50", 0), ("with_p50", 1), ("from_p95", 2), ("with_p95", 3)] {
            columns.push(Column::figure(name, quantile).numbered(of).for_programs());
        }
        columns.push(
            Column::figure("surprise", |found: &Self, told: &Told, _| {
                Cell::Score(found.difference(told).surprise)
            })
            .cells(8)
            .from(120),
        );
        let alike = Column::words("alike", |found: &Self, told, _| found.alike(told));
        columns.push(alike.titled("and of the same entries").from(WITH_ALIKE).behind());
        columns
    }

    fn is_same(one: &Told, other: &Told) -> bool {
        one == other
    }

    fn trace(&self, told: &Told) -> Option<Trace> {
        let row = self.difference(told);
        Some((row.entry, row.counts))
    }

    fn text(&self, told: &Told, reader: &Reader<'_>) -> String {
        let numbers = std::iter::once(&told.number).chain(&told.alike);
        let texts = numbers.map(|number| {
            let row = &self.compared.differences[*number];
            let what = difference_text(row).for_people(reader, 0);
            format!("{} {} {what}", row.change.name(), self.of[*number])
        });
        texts.collect::<Vec<_>>().join(" ")
    }
}

/// Count and rate of a side, or how long its entries took: for people.
fn pair<A: Audience>(title: &'static str, side: usize) -> Column<Differences<A>> {
    let text = |found: &Differences<A>, told: &Told, side: usize| {
        let row = found.difference(told);
        let [from, with] = took_pair(row).unwrap_or_else(|| rate_pair(&found.compared, row));
        Cell::Said(if side == 0 { from } else { with })
    };
    Column::for_people(title, 16, text).numbered(side).numeric().wider(150, 21)
}

fn count<'r, A: Audience>(found: &'r Differences<A>, told: &'r Told, side: usize) -> Cell<'r, A> {
    Cell::Count(found.difference(told).counts[side])
}

fn rate<'r, A: Audience>(found: &'r Differences<A>, told: &'r Told, side: usize) -> Cell<'r, A> {
    let rate = found.compared.rate(side, found.difference(told).counts[side]);
    Cell::Figure(rate, Unit::Number)
}

/// The median of a side, or its 95th percentile.
fn quantile<'r, A: Audience>(found: &'r Differences<A>, told: &'r Told, of: usize) -> Cell<'r, A> {
    let took = found.difference(told).took.as_ref();
    let value = took.and_then(|took| took[of % 2].quantile(if of < 2 { 0.5 } else { 0.95 }));
    Cell::of(value, |value| Cell::Figure(value, Unit::Seconds))
}
