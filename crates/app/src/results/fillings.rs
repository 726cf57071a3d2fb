//! What stands in the holes of a kind.

use cribrum_core::{
    kinds::{Fill, Fills},
    veil::Audience,
};

use super::{
    cell::{Cell, Reader},
    table::{Column, Findings},
};

/// The values of each hole, the most frequent first.
#[derive(Clone, Debug)]
pub(crate) struct Fillings<A: Audience> {
    pub(crate) fills: Fills<A>,
    /// The hole of each row, and the number of the value in it.
    rows: Vec<(usize, usize)>,
}

impl<A: Audience> Fillings<A> {
    /// So many values of each hole.
    pub(crate) fn new(fills: Fills<A>, most: usize) -> Self {
        let values = |(at, hole): (usize, &Fill<A>)| {
            (0..hole.values.len().min(most)).map(move |value| (at, value))
        };
        let rows = fills.holes.iter().enumerate().flat_map(values).collect();
        Self { fills, rows }
    }

    pub(crate) fn rows(&self) -> Vec<u32> {
        (0u32..).take(self.rows.len()).collect()
    }
}

impl<A: Audience> Findings for Fillings<A> {
    type Audience = A;
    type Row = (usize, usize);
    type Order = ();

    fn row(&self, number: u32) -> &(usize, usize) {
        &self.rows[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        vec![
            Column::figure("hole", |_: &Self, row: &(usize, usize), _| {
                Cell::Count(row.0 as u64 + 1)
            }),
            Column::words("in", |found: &Self, row: &(usize, usize), _| {
                Cell::Text(&found.fills.holes[row.0].hole)
            })
            .cells(18),
            Column::words("value", |found: &Self, (hole, value): &(usize, usize), _| {
                Cell::Text(&found.fills.holes[*hole].values[*value].0)
            })
            .behind(),
            Column::figure("count", |found: &Self, (hole, value): &(usize, usize), _| {
                Cell::Count(found.fills.holes[*hole].values[*value].1)
            }),
            Column::figure("share", |found: &Self, (hole, value): &(usize, usize), _| {
                let count = found.fills.holes[*hole].values[*value].1;
                Cell::Share(count, found.fills.entries as u64)
            }),
        ]
    }

    fn is_same(one: &Self::Row, other: &Self::Row) -> bool {
        one == other
    }

    fn text(&self, (hole, value): &Self::Row, _: &Reader<'_>) -> String {
        self.fills.holes[*hole].values[*value].0.as_str().to_owned()
    }
}
