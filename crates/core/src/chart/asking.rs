//! Charts out of the tally.

use std::collections::BTreeMap;

use super::{Ask, BARS, Bar, Chart, Figures, Label, SERIES, Series, Slices};
use crate::{
    compare::Side,
    engine::{Pass, Snapshot, pass::Selection},
    entry::Level,
    tally::{self, By, Group, Key, Measure, Order, Question, Tally, Unit},
    veil::Audience,
    volume::Volume,
};

/// What has been counted so far, for a chart that is extended as entries arrive.
pub struct SoFar<A: Audience> {
    ask: Ask,
    /// Those that the chart takes, in the order in which it asks for them.
    tallies: Vec<tally::SoFar<A>>,
}

impl<A: Audience> SoFar<A> {
    /// Nothing is counted yet of a chart.
    #[must_use]
    pub fn of(ask: &Ask) -> Self {
        Self { ask: ask.clone(), tallies: Vec::new() }
    }

    /// The chart of the entries there are now, as [`Chart::of`] has it. `None` when the pass was ended. Cost: that of the
    /// tallies that it takes, which are extended as long as slices of time have the same length.
    pub fn extend(&mut self, snapshot: &Snapshot, most: usize, pass: &Pass) -> Option<Chart<A>> {
        self.count(snapshot, most, BARS, pass)
    }

    /// The same with so many bars.
    fn count(
        &mut self,
        snapshot: &Snapshot,
        most: usize,
        bars: usize,
        pass: &Pass,
    ) -> Option<Chart<A>> {
        let ask = self.ask.clone();
        let mut slot = 0;
        Chart::put_together(snapshot, &ask, (most, bars), pass, &mut |by, of, selection| {
            let question = Question { by, of, different: None, origin: 0 };
            let same = self.tallies.get(slot).is_some_and(|known| *known.question() == question);
            if !same {
                self.tallies.truncate(slot);
                self.tallies.push(tally::SoFar::of(&question));
            }
            slot += 1;
            self.tallies[slot - 1].extend_by(snapshot, selection, pass)
        })
    }
}

/// Counts the entries of a selection, grouped and measured.
type Count<'c, A> = dyn FnMut(Vec<By>, Option<Measure>, &Selection) -> Option<Tally<A>> + 'c;

impl<A: Audience> Chart<A> {
    /// The figures of a chart of the pan, in at most so many slices of time, those of what is not drawn among them.
    /// `None` when the pass was ended. Cost: that of the tally that it takes.
    #[must_use]
    pub fn of(snapshot: &Snapshot, ask: &Ask, most: usize, pass: &Pass) -> Option<Self> {
        SoFar::of(ask).count(snapshot, most, usize::MAX, pass)
    }

    fn put_together(
        snapshot: &Snapshot,
        ask: &Ask,
        (most, most_bars): (usize, usize),
        pass: &Pass,
        tally: &mut Count<'_, A>,
    ) -> Option<Self> {
        let pan = Selection::pan(snapshot);
        let over = |span: Option<(i64, i64)>| {
            let Some((first, last)) = span else { return Slices::default() };
            let volume = Volume::over(first, last, most);
            Slices { start: volume.start, width: volume.width, count: volume.slices.len() }
        };
        let mut chart = Self {
            ask: ask.clone(),
            figures: Figures::Bars(Vec::new()),
            unit: Unit::Number,
            entries: pan.len() as u64,
            left_out: 0,
            without: 0,
            undrawn: 0,
            rest: Vec::new(),
            unread: 0,
        };
        match ask {
            Ask::Volume => {
                let slices = over(pan.span(snapshot));
                let found = tally(vec![By::Slice(slices.width.max(1)), By::Level], None, &pan)?;
                chart.figures = Figures::Stacked(slices, by_level(&found, slices));
                chart.unread = found.unread;
            }
            Ask::Groups(by) => {
                let slices = over(pan.span(snapshot));
                let found = tally(vec![By::Slice(slices.width.max(1)), by.clone()], None, &pan)?;
                let (series, undrawn) = by_group(&found, slices, by);
                let drawn: u64 = series.iter().map(Series::total).sum();
                chart.without = chart.entries.saturating_sub(drawn);
                chart.figures = Figures::Stacked(slices, series);
                (chart.unread, chart.undrawn) = (found.unread, undrawn);
            }
            Ask::Rate => {
                let all = Selection::all(snapshot);
                let slices = over(all.span(snapshot));
                let mut series = Vec::new();
                for (label, selection) in [(Label::Pan, &pan), (Label::Everything, &all)] {
                    let found = tally(vec![By::Slice(slices.width.max(1))], None, selection)?;
                    series.push(Series { label, counts: counts_of(&found.groups, slices) });
                }
                chart.figures = Figures::Lines(slices, series);
            }
            Ask::Quantiles(of) | Ask::Heat(of) => {
                let slices = over(pan.span(snapshot));
                let found = tally(vec![By::Slice(slices.width.max(1))], Some(of.clone()), &pan)?;
                let mut values = vec![crate::tally::Sketch::default(); slices.count];
                for group in &found.groups {
                    if let Some(slice) = slice_of(group, slices) {
                        values[slice].merge(&group.values);
                    }
                }
                chart.figures = Figures::Values(slices, values);
                chart.take(&found);
            }
            Ask::Spread(of) => {
                let found = tally(Vec::new(), Some(of.clone()), &pan)?;
                let values = found.all.as_ref().map(|all| all.values.clone()).unwrap_or_default();
                chart.figures = Figures::Spread(values);
                chart.take(&found);
            }
            Ask::Bars(by, of) => {
                let found = tally(vec![by.clone()], of.clone(), &pan)?;
                let mut all = bars(&found, by, most_bars);
                chart.rest = all.split_off(all.len().min(BARS));
                chart.figures = Figures::Bars(all);
                chart.undrawn = found.groups.len().saturating_sub(BARS);
                chart.without = found.without;
                chart.take(&found);
            }
            Ask::Overlay(sides) => {
                let figures = overlay(snapshot, sides, most, pass)?;
                chart.entries = figures.1.iter().map(Series::total).sum();
                chart.figures = Figures::Lines(figures.0, figures.1);
            }
        }
        Some(chart)
    }

    fn take(&mut self, found: &Tally<A>) {
        (self.unit, self.left_out, self.unread) = (found.unit, found.left_out.0, found.unread);
    }
}

/// The slice that a group is of, which is the first of what it has in common.
fn slice_of<A: Audience>(group: &Group<A>, slices: Slices) -> Option<usize> {
    match group.keys.first() {
        Some(Key::Time(time)) => slices.of(*time),
        _ => None,
    }
}

fn counts_of<A: Audience>(groups: &[Group<A>], slices: Slices) -> Vec<u64> {
    let mut counts = vec![0; slices.count];
    for group in groups {
        if let Some(slice) = slice_of(group, slices) {
            counts[slice] += group.count;
        }
    }
    counts
}

/// A series a level, the mildest at the foot.
fn by_level<A: Audience>(found: &Tally<A>, slices: Slices) -> Vec<Series<A>> {
    let levels = std::iter::once(None).chain(Level::ALL.into_iter().map(Some));
    let mut series: Vec<Series<A>> = levels
        .map(|level| Series { label: Label::Level(level), counts: vec![0; slices.count] })
        .collect();
    for group in &found.groups {
        let level = match group.keys.get(1) {
            Some(Key::Level(level)) => level.index() + 1,
            _ => 0,
        };
        if let Some(slice) = slice_of(group, slices) {
            series[level].counts[slice] += group.count;
        }
    }
    series.retain(|series| series.total() > 0);
    series
}

/// A series a group, the largest at the foot, and one of all others.
fn by_group<A: Audience>(found: &Tally<A>, slices: Slices, by: &By) -> (Vec<Series<A>>, usize) {
    let mut sums: BTreeMap<&Key<A>, u64> = BTreeMap::new();
    for group in &found.groups {
        if let Some(key) = group.keys.get(1).filter(|key| **key != Key::None) {
            *sums.entry(key).or_default() += group.count;
        }
    }
    let mut keys: Vec<(&Key<A>, u64)> = sums.into_iter().collect();
    keys.sort_by(|one, other| (other.1, one.0).cmp(&(one.1, other.0)));
    let others = keys.len().saturating_sub(SERIES);
    keys.truncate(SERIES);
    let mut series: Vec<Series<A>> = keys
        .iter()
        .map(|(key, _)| Label::Key(by.clone(), (*key).clone()))
        .chain((others > 0).then_some(Label::Others(others)))
        .map(|label| Series { label, counts: vec![0; slices.count] })
        .collect();
    for group in found.groups.iter().filter(|group| group.keys.get(1) != Some(&Key::None)) {
        let at =
            keys.iter().position(|(key, _)| Some(*key) == group.keys.get(1)).unwrap_or(keys.len());
        if let (Some(slice), Some(series)) = (slice_of(group, slices), series.get_mut(at)) {
            series.counts[slice] += group.count;
        }
    }
    (series, others)
}

fn bars<A: Audience>(found: &Tally<A>, by: &By, most: usize) -> Vec<Bar<A>> {
    let order = if found.question.of.is_some() { Order::Quantile(950) } else { Order::Count };
    // Slices of time read from the first to the last.
    let rows = match by {
        By::Slice(_) => found.sorted(Order::Key(0), false),
        _ => found.sorted(order, true),
    };
    let group = |row: &u32| found.groups.get(*row as usize);
    rows.iter()
        .filter_map(group)
        .take(most)
        .map(|group| Bar {
            label: Label::Key(by.clone(), group.keys.first().cloned().unwrap_or(Key::None)),
            count: group.count,
            errors: group.errors,
            values: group.values.clone(),
        })
        .collect()
}

/// Two selections, each from its own beginning.
fn overlay<A: Audience>(
    snapshot: &Snapshot,
    sides: &[Side; 2],
    most: usize,
    pass: &Pass,
) -> Option<(Slices, Vec<Series<A>>)> {
    let first = sides[0].selection(snapshot, pass)?;
    let second = sides[1].selection(snapshot, pass)?;
    // A window begins where it says, not at its first entry: silence before that is a part of it.
    let span = |selection: &Selection, side: &Side| {
        let found = selection.span(snapshot);
        let (from, to) = side.window().unwrap_or_default();
        let (from, to) = (from.or(found.map(|span| span.0))?, to.or(found.map(|span| span.1))?);
        (from <= to).then_some((from, to))
    };
    let spans = [span(&first, &sides[0]), span(&second, &sides[1])];
    let longest =
        spans.iter().flatten().map(|(from, to)| to.saturating_sub(*from)).max().unwrap_or(0);
    let volume = Volume::over(0, longest, most);
    let slices = Slices { start: 0, width: volume.width, count: volume.slices.len() };
    let mut series = Vec::new();
    for (at, (selection, span)) in [&first, &second].into_iter().zip(spans).enumerate() {
        let mut counts = vec![0; slices.count];
        let from = span.map_or(0, |(from, _)| from);
        selection.times(snapshot, &mut |time| {
            if let Some(slice) = slices.of(time.saturating_sub(from)) {
                counts[slice] += 1;
            }
        });
        series.push(Series { label: Label::Side(at), counts });
    }
    Some((slices, series))
}

impl Ask {
    /// Charts that suit the entries: by level always; values where they say how long something took; groups by fields that
    /// they have.
    #[must_use]
    pub fn suited(fields: &[&str], lasts: bool, several_sources: bool) -> Vec<Self> {
        let mut asks = vec![Self::Volume];
        if lasts {
            asks.extend([
                Self::Quantiles(Measure::Took),
                Self::Spread(Measure::Took),
                Self::Heat(Measure::Took),
            ]);
        }
        if several_sources {
            asks.push(Self::Groups(By::Source));
        }
        let has = |name: &str| fields.contains(&name);
        if has("status") {
            asks.push(Self::Groups(By::field("status")));
        }
        asks.push(Self::Groups(By::Logger));
        if let Some(path) =
            ["path", "url", "url.path", "http.path", "endpoint"].into_iter().find(|name| has(name))
        {
            asks.push(Self::Bars(By::field(path), None));
            if lasts {
                asks.push(Self::Bars(By::field(path), Some(Measure::Took)));
            }
        }
        asks.extend([Self::Bars(By::Kind, None), Self::Rate]);
        asks
    }

    /// The measure that it is of.
    #[must_use]
    pub fn measure(&self) -> Option<&Measure> {
        match self {
            Self::Quantiles(of) | Self::Spread(of) | Self::Heat(of) | Self::Bars(_, Some(of)) => {
                Some(of)
            }
            _ => None,
        }
    }
}
