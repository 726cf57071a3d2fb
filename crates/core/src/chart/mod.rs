//! Charts: the figures behind each, for the screen and for documents. All of them come from the tally, so that counts are
//! exact and quantiles within one per cent at any size.

mod asking;

use crate::{
    compare::Side,
    engine::Snapshot,
    entry::Level,
    query::{Expr, Path},
    tally::{By, Key, Measure, Sketch, Unit},
    veil::Audience,
};

pub use asking::SoFar;

/// Groups that are drawn apart; the others are drawn as one.
pub const SERIES: usize = 7;
/// Bars that are drawn.
pub const BARS: usize = 24;

/// What a chart shows.
#[derive(Clone, Debug, PartialEq)]
pub enum Ask {
    /// Entries over time by level.
    Volume,
    /// Entries over time by the groups of something.
    Groups(By),
    /// The share of the pan in everything, over time.
    Rate,
    /// What the values of a measure were over time: quantiles as bands.
    Quantiles(Measure),
    /// How the values of a measure lie.
    Spread(Measure),
    /// The groups of something beside each other: their entries, or the 95th percentile of a measure.
    Bars(By, Option<Measure>),
    /// The values of a measure against time, as a grid.
    Heat(Measure),
    /// Two selections laid over each other, from the beginning of each.
    Overlay(Box<[Side; 2]>),
}

/// Slices of time, one behind the other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Slices {
    /// Where the first begins, in nanoseconds UTC; 0 where each selection begins at its own time.
    pub start: i64,
    /// Nanoseconds of each.
    pub width: i64,
    /// How many there are.
    pub count: usize,
}

impl Slices {
    /// Where a slice begins.
    #[must_use]
    pub fn from(&self, slice: usize) -> i64 {
        self.start
            .saturating_add(self.width.saturating_mul(i64::try_from(slice).unwrap_or(i64::MAX)))
    }

    /// Where the last ends.
    #[must_use]
    pub fn end(&self) -> i64 {
        self.from(self.count)
    }

    /// The slice of a time; none outside of them.
    fn of(&self, time: i64) -> Option<usize> {
        let at = time.checked_sub(self.start)?.checked_div_euclid(self.width)?;
        usize::try_from(at).ok().filter(|at| *at < self.count)
    }
}

/// What a series or a bar is of.
#[derive(Clone, Debug, PartialEq)]
pub enum Label<A: Audience> {
    /// A level, or entries without one.
    Level(Option<Level>),
    /// A group.
    Key(By, Key<A>),
    /// What the sieve lets through.
    Pan,
    /// All there is.
    Everything,
    /// One of two selections: the first, or the second.
    Side(usize),
    /// So many groups that are drawn as one.
    Others(usize),
}

impl<A: Audience> Label<A> {
    /// The condition that its entries pass, where there is one.
    #[must_use]
    pub fn condition(&self, snapshot: &Snapshot) -> Option<Expr> {
        match self {
            Self::Level(Some(level)) => Some(Expr::equals(Path::Level, level.name())),
            Self::Level(None) => Some(Expr::Has(Path::Level).negated()),
            Self::Key(by, key) => crate::tally::condition_of(by, key, snapshot),
            Self::Pan | Self::Everything | Self::Side(_) | Self::Others(_) => None,
        }
    }
}

/// Counts in slices of time.
#[derive(Clone, Debug, PartialEq)]
pub struct Series<A: Audience> {
    /// What it is of.
    pub label: Label<A>,
    /// A count for each slice.
    pub counts: Vec<u64>,
}

impl<A: Audience> Series<A> {
    /// All of it.
    #[must_use]
    pub fn total(&self) -> u64 {
        self.counts.iter().sum()
    }
}

/// A group beside others.
#[derive(Clone, Debug, PartialEq)]
pub struct Bar<A: Audience> {
    /// What it is of.
    pub label: Label<A>,
    /// How many entries it has.
    pub count: u64,
    /// How many of them are errors.
    pub errors: u64,
    /// What is measured of it, where something is.
    pub values: Sketch,
}

/// The figures of a chart.
#[derive(Clone, Debug, PartialEq)]
pub enum Figures<A: Audience> {
    /// Counts that are stacked, those at the foot first.
    Stacked(Slices, Vec<Series<A>>),
    /// Counts as lines; of the share of the pan, the pan and everything.
    Lines(Slices, Vec<Series<A>>),
    /// Values in slices of time.
    Values(Slices, Vec<Sketch>),
    /// Values.
    Spread(Sketch),
    /// Groups beside each other, the longest first.
    Bars(Vec<Bar<A>>),
}

/// A chart: what it shows, and its figures.
#[derive(Clone, Debug, PartialEq)]
pub struct Chart<A: Audience> {
    /// What it shows.
    pub ask: Ask,
    /// Its figures.
    pub figures: Figures<A>,
    /// What the values measured count.
    pub unit: Unit,
    /// Entries that are in it.
    pub entries: u64,
    /// Values that could not be measured.
    pub left_out: u64,
    /// Entries that have nothing of what is grouped by, which are not drawn.
    pub without: u64,
    /// Groups that are not drawn.
    pub undrawn: usize,
    /// The bars that are not drawn, of a chart whose figures are written.
    pub rest: Vec<Bar<A>>,
    /// Entries that could not be read.
    pub unread: usize,
}

/// The quantiles that bands are drawn of, from the lowest.
pub const QUANTILES: [(&str, f64); 5] =
    [("p5", 0.05), ("p50", 0.5), ("p75", 0.75), ("p95", 0.95), ("p99", 0.99)];

impl<A: Audience> Chart<A> {
    /// Whether there is anything to draw.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        match &self.figures {
            Figures::Stacked(_, series) | Figures::Lines(_, series) => {
                series.iter().all(|series| series.total() == 0)
            }
            Figures::Values(_, values) => values.iter().all(|values| values.count == 0),
            Figures::Spread(values) => values.count == 0,
            Figures::Bars(bars) => bars.is_empty(),
        }
    }

    /// Its slices of time, where it has some.
    #[must_use]
    pub fn slices(&self) -> Option<Slices> {
        match &self.figures {
            Figures::Stacked(slices, _)
            | Figures::Lines(slices, _)
            | Figures::Values(slices, _) => Some(*slices),
            Figures::Spread(_) | Figures::Bars(_) => None,
        }
    }

    /// The same figures in at most so many slices: several become one.
    #[must_use]
    pub fn coarser(&self, most: usize) -> Self {
        let Some(slices) = self.slices().filter(|slices| slices.count > most) else {
            return self.clone();
        };
        let each = slices.count.div_ceil(most.max(1));
        let coarse = Slices {
            width: slices.width.saturating_mul(i64::try_from(each).unwrap_or(1)),
            count: slices.count.div_ceil(each),
            ..slices
        };
        let series = |series: &[Series<A>]| {
            let sums = |series: &Series<A>| {
                series.counts.chunks(each).map(|some| some.iter().sum()).collect()
            };
            series
                .iter()
                .map(|one| Series { label: one.label.clone(), counts: sums(one) })
                .collect()
        };
        let figures = match &self.figures {
            Figures::Stacked(_, all) => Figures::Stacked(coarse, series(all)),
            Figures::Lines(_, all) => Figures::Lines(coarse, series(all)),
            Figures::Values(_, values) => {
                let together = values.chunks(each).map(|some| {
                    let mut all = Sketch::default();
                    some.iter().for_each(|values| all.merge(values));
                    all
                });
                Figures::Values(coarse, together.collect())
            }
            other => other.clone(),
        };
        Self { figures, ..self.clone() }
    }

    /// The smallest and the largest of all values.
    #[must_use]
    pub fn bounds(&self) -> (f64, f64) {
        let join =
            |(low, high): (f64, f64), values: &Sketch| (low.min(values.min), high.max(values.max));
        let none = (f64::INFINITY, f64::NEG_INFINITY);
        match &self.figures {
            Figures::Values(_, values) => values.iter().fold(none, join),
            Figures::Spread(values) => (values.min, values.max),
            _ => none,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::Desk;

    #[test]
    fn coarser_slices_have_the_same_sums() {
        let slices = Slices { start: 100, width: 10, count: 7 };
        let series = Series::<Desk> { label: Label::Pan, counts: (1..=7).collect() };
        let chart = Chart {
            ask: Ask::Volume,
            figures: Figures::Stacked(slices, vec![series]),
            unit: Unit::Number,
            entries: 28,
            left_out: 0,
            without: 0,
            undrawn: 0,
            rest: Vec::new(),
            unread: 0,
        };
        let coarse = chart.coarser(3);
        let Figures::Stacked(slices, series) = &coarse.figures else { panic!("{coarse:?}") };
        assert_eq!(*slices, Slices { start: 100, width: 30, count: 3 });
        assert_eq!(series[0].counts, [6, 15, 7]);
        assert_eq!(chart.coarser(7), chart);
        assert_eq!((slices.of(99), slices.of(100), slices.of(190)), (None, Some(0), None));
    }
}
