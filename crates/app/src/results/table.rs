//! What was found, as rows and columns.

use std::borrow::Cow;

use cribrum_core::{
    EntryId,
    engine::{Pass, Snapshot},
    veil::Audience,
};

use super::cell::{Cell, Reader};

/// What was found out about the pan: rows, told by their numbers, and the columns that they have.
pub(crate) trait Findings: Sized + Send + Sync + 'static {
    type Audience: Audience;
    /// What a row is of.
    type Row;
    /// What rows are put in order by.
    type Order: Copy + PartialEq + Send + 'static;

    /// Cells say what must be read first, see [`Findings::read`].
    const READS: bool = false;

    fn row(&self, number: u32) -> &Self::Row;

    /// The columns in the order in which programs get them.
    fn columns(&self) -> Vec<Column<Self>>;

    /// Whether two rows, of this and of later findings, are of the same thing.
    fn is_same(one: &Self::Row, other: &Self::Row) -> bool;

    /// What tells a row from others under another veil, where its text may be another: one of its entries, and counts.
    fn trace(&self, _row: &Self::Row) -> Option<Trace> {
        None
    }

    /// The text that words are looked for in.
    fn text(&self, row: &Self::Row, reader: &Reader<'_>) -> String;

    /// Whether cells of a row say what was not read yet.
    fn misses(&self, _row: &Self::Row) -> bool {
        false
    }

    /// Reads what cells of some rows say, where that is not known without. `None` when the pass was ended.
    fn read(&mut self, _rows: &[u32], _snapshot: &Snapshot, _pass: &Pass) -> Option<()> {
        Some(())
    }

    /// All rows as one.
    fn all(&self) -> Option<&Self::Row> {
        None
    }

    /// Some rows as one.
    fn together(&self, _rows: &[u32]) -> Option<Self::Row> {
        None
    }
}

/// One of the entries of a row, and its counts.
pub(crate) type Trace = (EntryId, [u64; 2]);

type Of<F> =
    for<'r> fn(&'r F, &'r <F as Findings>::Row, usize) -> Cell<'r, <F as Findings>::Audience>;

/// A column: what it is called, what stands in it, and how much room it takes.
pub(crate) struct Column<F: Findings> {
    /// Its name for programs; none for pictures.
    pub(crate) name: Cow<'static, str>,
    /// Its title for people; `None` where only programs get it.
    pub(crate) title: Option<Cow<'static, str>>,
    pub(crate) order: Option<F::Order>,
    /// Another column stands for the same order.
    pub(crate) is_second: bool,
    /// Its values end under each other.
    pub(crate) is_number: bool,
    /// It is drawn out of signs, and left out where text has no fixed cells.
    pub(crate) is_picture: bool,
    /// It is what people look for first.
    pub(crate) is_strong: bool,
    /// For people it stands behind the others.
    behind: bool,
    /// Cells, 0 for what is left; and from which width of the table on it takes others.
    width: u16,
    wide: Option<(u16, u16)>,
    /// The width of a table from which on it is shown.
    from: u16,
    /// Its number among columns of one kind.
    at: usize,
    of: Of<F>,
}

impl<F: Findings> Column<F> {
    fn new(name: &'static str, is_number: bool, width: u16, of: Of<F>) -> Self {
        Self {
            name: Cow::Borrowed(name),
            title: Some(Cow::Borrowed(name)),
            order: None,
            is_second: false,
            is_number,
            is_picture: false,
            is_strong: false,
            behind: false,
            width,
            wide: None,
            from: 0,
            at: 0,
            of,
        }
    }

    /// A column of figures, ten cells wide.
    pub(super) fn figure(name: &'static str, of: Of<F>) -> Self {
        Self::new(name, true, 10, of)
    }

    /// A column of words, which takes what is left.
    pub(super) fn words(name: &'static str, of: Of<F>) -> Self {
        Self::new(name, false, 0, of)
    }

    /// A column that only people get.
    pub(super) fn for_people(title: &'static str, width: u16, of: Of<F>) -> Self {
        Self::new("", false, width, of).titled(title)
    }

    /// A column of pictures.
    pub(super) fn picture(width: u16, of: Of<F>) -> Self {
        Self { is_picture: true, ..Self::new("", false, width, of) }
    }

    /// What it is called where another name is better for people.
    pub(super) fn titled(mut self, title: impl Into<Cow<'static, str>>) -> Self {
        self.title = Some(title.into());
        self
    }

    pub(super) fn named(mut self, name: impl Into<Cow<'static, str>>) -> Self {
        self.name = name.into();
        self
    }

    pub(super) fn numbered(mut self, at: usize) -> Self {
        self.at = at;
        self
    }

    pub(super) fn ordered(mut self, order: F::Order) -> Self {
        self.order = Some(order);
        self
    }

    /// Ordered by what another column stands for.
    pub(super) fn second(mut self, order: F::Order) -> Self {
        (self.order, self.is_second) = (Some(order), true);
        self
    }

    pub(super) fn cells(mut self, width: u16) -> Self {
        self.width = width;
        self
    }

    /// So many cells where the table is at least so wide.
    pub(super) fn wider(mut self, from: u16, width: u16) -> Self {
        self.wide = Some((from, width));
        self
    }

    /// Left out where the table is narrower.
    pub(super) fn from(mut self, width: u16) -> Self {
        self.from = width;
        self
    }

    /// Its values end under each other.
    pub(super) fn numeric(mut self) -> Self {
        self.is_number = true;
        self
    }

    pub(super) fn strong(mut self) -> Self {
        self.is_strong = true;
        self
    }

    pub(super) fn behind(mut self) -> Self {
        self.behind = true;
        self
    }

    pub(super) fn for_programs(mut self) -> Self {
        self.title = None;
        self
    }

    /// What stands in it.
    pub(crate) fn cell<'r>(&self, found: &'r F, row: &'r F::Row) -> Cell<'r, F::Audience> {
        (self.of)(found, row, self.at)
    }

    /// Cells in a table of some width; 0 for what is left.
    pub(crate) fn width(&self, table: u16) -> u16 {
        match self.wide {
            Some((from, width)) if table >= from => width,
            _ => self.width,
        }
    }

    /// The columns that people get in a table of some width, from left to right.
    pub(crate) fn fitting(found: &F, width: u16) -> Vec<Self> {
        let fits = |column: &Self| column.title.is_some() && column.from <= width;
        let mut columns: Vec<Self> = found.columns().into_iter().filter(fits).collect();
        columns.sort_by_key(|column| column.behind);
        columns
    }

    /// The columns that programs get.
    pub(crate) fn for_all_programs(found: &F) -> Vec<Self> {
        let mut columns = found.columns();
        columns.retain(|column| !column.name.is_empty());
        columns
    }
}
