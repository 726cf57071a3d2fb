//! What the plate shows.

use std::sync::{Arc, Mutex};

use cribrum_core::{
    chart::{Ask, Chart, Figures, SoFar},
    query::{Expr, Literal, Op, Path},
    tally::{Measure, Unit, bound_of},
    veil::Desk,
};
use cribrum_draw::Scale;
use ratatui::layout::Rect;

use crate::tui::{shared::Shared, table::Asked};

/// A chart that is looked at.
pub(super) struct PlateView {
    pub(super) ask: Ask,
    /// What both sides are called, where two are laid over each other.
    pub(super) names: Vec<String>,
    /// What was counted, once it is.
    pub(super) chart: Option<Chart<Desk>>,
    /// The chart with no more slices than the screen has columns, and for how many columns that is.
    pub(super) fitted: Option<(usize, Chart<Desk>)>,
    pub(super) asked: Asked,
    /// What has been counted of the chart.
    pub(super) so_far: Arc<Mutex<SoFar<Desk>>>,
    /// The column or bar under the cursor, once it is moved.
    pub(super) cursor: Option<usize>,
    /// Where a window was begun.
    pub(super) begun: Option<usize>,
    /// Whether the axis of values is logarithmic, where that was chosen.
    pub(super) log: Option<bool>,
    pub(super) area: Rect,
}

impl PlateView {
    pub(super) fn new(ask: Ask, names: Vec<String>) -> Self {
        let so_far = Arc::new(Mutex::new(SoFar::of(&ask)));
        Self {
            ask,
            names,
            chart: None,
            fitted: None,
            asked: Asked::default(),
            so_far,
            cursor: None,
            begun: None,
            log: None,
            area: Rect::default(),
        }
    }

    /// What was counted is of something else.
    pub(super) fn forget(&mut self) {
        (self.chart, self.fitted, self.asked) = (None, None, Asked::default());
        self.so_far = Arc::new(Mutex::new(SoFar::of(&self.ask)));
    }

    /// Takes the figures in.
    pub(super) fn take(&mut self, chart: Chart<Desk>) {
        (self.chart, self.fitted) = (Some(chart), None);
        self.fit();
    }

    /// Makes slices as wide as the columns of the screen, and leaves the cursor where it was in the whole.
    pub(super) fn fit(&mut self) {
        let columns = usize::from(super::areas::plot_area(self.area).width).max(1);
        if self.fitted.as_ref().is_none_or(|(known, _)| *known != columns) {
            let before = self.drawn().and_then(Chart::slices).map(|slices| slices.count);
            self.fitted = self.chart.as_ref().map(|chart| (columns, chart.coarser(columns)));
            let now = self.drawn().and_then(Chart::slices).map(|slices| slices.count);
            if let (Some(before @ 1..), Some(now)) = (before, now) {
                self.move_marks(|at| at * now / before);
            }
        }
        if let Some(places) = self.drawn().map(|chart| self.places(chart)) {
            self.move_marks(|at| at.min(places.saturating_sub(1)));
        }
    }

    /// Moves the cursor, and where a window was begun.
    fn move_marks(&mut self, to: impl Fn(usize) -> usize) {
        (self.cursor, self.begun) = (self.cursor.map(&to), self.begun.map(&to));
    }

    /// The chart as it is drawn.
    pub(super) fn drawn(&self) -> Option<&Chart<Desk>> {
        self.fitted.as_ref().map(|(_, chart)| chart)
    }

    /// Columns or bars that a cursor can stand on.
    pub(super) fn places(&self, chart: &Chart<Desk>) -> usize {
        match &chart.figures {
            Figures::Bars(bars) => {
                bars.len().min(usize::from(super::areas::bars_area(self.area).height))
            }
            Figures::Spread(_) => self.parts(),
            _ => chart.slices().map_or(0, |slices| slices.count),
        }
    }

    /// Ranges of values that a distribution is drawn in.
    pub(super) fn parts(&self) -> usize {
        usize::from(super::areas::plot_area(self.area).width / 2).clamp(8, 72)
    }

    /// The axis of a distribution's values.
    pub(super) fn across(&self, chart: &Chart<Desk>) -> Scale {
        let (low, high) = chart.bounds();
        Scale::between(low, high, self.log)
    }

    /// Counts of a distribution's ranges.
    pub(super) fn counts(&self, chart: &Chart<Desk>) -> Vec<u64> {
        let Figures::Spread(values) = &chart.figures else { return Vec::new() };
        let scale = self.across(chart);
        match scale.is_log() {
            true => values.histogram_between(scale.ends(), self.parts()),
            false => values.histogram_evenly(scale.ends(), self.parts()),
        }
    }

    /// Where one of a distribution's ranges begins.
    pub(super) fn bound(&self, chart: &Chart<Desk>, at: usize) -> f64 {
        let scale = self.across(chart);
        match scale.is_log() {
            true => bound_of(at, scale.ends(), self.parts()),
            #[expect(clippy::cast_precision_loss, reason = "the number of a range")]
            false => scale.value(at as f64 / self.parts() as f64),
        }
    }

    /// The places from where a window was begun to the cursor.
    pub(super) fn chosen(&self) -> Option<(usize, usize)> {
        let cursor = self.cursor?;
        let begun = self.begun.unwrap_or(cursor);
        Some((cursor.min(begun), cursor.max(begun)))
    }

    /// The condition that the entries pass that are under the cursor, or in the window that was cut.
    pub(super) fn condition(&self, shared: &Shared) -> Option<Expr> {
        let (chart, (from, to)) = (self.drawn()?, self.chosen()?);
        match &chart.figures {
            Figures::Bars(bars) => {
                let chosen =
                    bars.get(from..=to)?.iter().map(|bar| bar.label.condition(&shared.snapshot));
                let all: Option<Vec<Expr>> = chosen.collect();
                all.filter(|all| !all.is_empty()).map(Expr::any)
            }
            Figures::Spread(_) => {
                let path = match chart.ask.measure()? {
                    Measure::Took => Path::Took,
                    Measure::Field(path) => Path::field(path),
                    Measure::After { .. } => return None,
                };
                let least = written(self.bound(chart, from), chart.unit);
                let most = written(self.bound(chart, to + 1), chart.unit);
                let last = to + 1 == self.parts();
                let least = Expr::Compare(path.clone(), Op::AtLeast, Literal::new(&least));
                let most = Expr::Compare(path, Op::AtMost, Literal::new(&most));
                Some(if last { least } else { least.and(most) })
            }
            _ if matches!(chart.ask, Ask::Overlay(_)) => None,
            _ => {
                let slices = chart.slices()?;
                Some(Expr::within(slices.from(from), slices.from(to + 1) - 1))
            }
        }
    }
}

/// A value as a condition has it.
fn written(value: f64, unit: Unit) -> String {
    match unit {
        Unit::Seconds => format!("{:.6}ms", value * 1_000.0),
        Unit::Bytes | Unit::Number => format!("{value}"),
    }
}
