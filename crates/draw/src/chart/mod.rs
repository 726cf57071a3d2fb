//! A chart on a page: entries over time, values as bands, bars, a grid.

use cribrum_core::{
    chart::{Ask, Bar, Chart, Figures, Label, Series, Slices},
    entry::civil,
    tally::{Sketch, Unit, count_text},
    veil::Anyone,
    volume::Volume,
};
use jiff::tz::TimeZone;

use crate::{
    Error, Format, Palette, Scale,
    page::{Anchor, Page, Type},
    palette::{Colours, mixed},
    pdf, svg,
};

const WIDTH: f64 = 960.0;
const HEIGHT: f64 = 540.0;
const LEFT: f64 = 92.0;
const RIGHT: f64 = 920.0;
const TOP: f64 = 126.0;
const BOTTOM: f64 = 436.0;
/// Where the names of bars end.
const NAMES: f64 = 330.0;
/// Slices of time that a page has room for; finer ones would be thinner than a printed line.
pub const SLICES: usize = 160;

/// How a plate writes what is on it: as commands and screens do.
#[derive(Clone, Debug)]
pub struct ChartWords {
    /// What the chart is called.
    pub title: String,
    /// What it is of, a line each: how many entries, and which the sieve lets through.
    pub lines: Vec<String>,
    /// What the axis of values counts.
    pub axis: String,
    /// The names of its series or bars, in their order.
    pub names: Vec<String>,
    /// The zone of times.
    pub zone: TimeZone,
    /// Writes a value with its unit.
    pub value: fn(f64, Unit) -> String,
    /// Writes a span of nanoseconds.
    pub span: fn(i64) -> String,
}

/// A chart for a document.
#[derive(Clone, Debug)]
pub struct ChartPlate {
    chart: Chart<Anyone>,
    words: ChartWords,
    palette: Palette,
    /// Whether the axis of values is logarithmic; where that is not said, it follows from the values.
    log: Option<bool>,
}

impl ChartPlate {
    /// A plate of a chart.
    #[must_use]
    pub fn new(
        chart: &Chart<Anyone>,
        words: ChartWords,
        palette: Palette,
        log: Option<bool>,
    ) -> Self {
        Self { chart: chart.coarser(SLICES), words, palette, log }
    }

    /// The plate as a file.
    ///
    /// # Errors
    ///
    /// When the PDF can't be made.
    pub fn render(&self, format: Format) -> Result<Vec<u8>, Error> {
        let page = self.page();
        match format {
            Format::Svg => Ok(svg::write(&page).into_bytes()),
            Format::Pdf => pdf::write(&page),
        }
    }

    fn colours(&self) -> &'static Colours {
        self.palette.colours()
    }

    fn page(&self) -> Page {
        let colours = self.colours();
        let mut page = Page::new(WIDTH, HEIGHT, colours.paper, &self.words.title);
        page.text(40.0, 48.0, style(22.0, colours.ink, Anchor::Start), &self.words.title);
        for (y, line) in [72.0, 92.0].into_iter().zip(&self.words.lines) {
            page.text(40.0, y, style(12.0, colours.dim, Anchor::Start), &shortened(line, 130));
        }
        match &self.chart.figures {
            Figures::Stacked(slices, series) => self.stacked(&mut page, *slices, series),
            Figures::Lines(slices, series) if self.chart.ask == Ask::Rate => {
                self.rate(&mut page, *slices, series);
            }
            Figures::Lines(slices, series) => self.lines(&mut page, *slices, series),
            Figures::Values(slices, values) if matches!(self.chart.ask, Ask::Heat(_)) => {
                self.grid(&mut page, *slices, values);
            }
            Figures::Values(slices, values) => self.bands(&mut page, *slices, values),
            Figures::Spread(values) => self.spread(&mut page, values),
            Figures::Bars(bars) => self.bars(&mut page, bars),
        }
        page.text(RIGHT, 522.0, style(10.0, colours.dim, Anchor::End), "drawn with Cribrum");
        page
    }

    /// The axis of values at the left, with its lines.
    fn rules(&self, page: &mut Page, scale: Scale, write: &dyn Fn(f64) -> String) {
        let colours = self.colours();
        for tick in scale.ticks(5) {
            let y = y(scale, tick);
            page.line(
                (LEFT, y),
                (RIGHT, y),
                if (y - BOTTOM).abs() < 0.1 { colours.dim } else { colours.rule },
            );
            page.text(LEFT - 10.0, y + 4.0, style(11.0, colours.dim, Anchor::End), &write(tick));
        }
        page.line((LEFT, BOTTOM), (RIGHT, BOTTOM), colours.dim);
        page.text(40.0, TOP - 14.0, style(11.0, colours.dim, Anchor::Start), &self.words.axis);
    }

    fn counts(&self, page: &mut Page, largest: u64) -> Scale {
        let scale = Scale::of_counts(largest, 5);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a whole count"
        )]
        let write =
            |tick: f64| if tick.fract() == 0.0 { count_text(tick as usize) } else { String::new() };
        self.rules(page, scale, &write);
        scale
    }

    /// The axis of values that are measured.
    fn values(&self, page: &mut Page, (low, high): (f64, f64)) -> Scale {
        let scale = Scale::between(low, high, self.log);
        self.rules(page, scale, &|tick| (self.words.value)(tick, self.chart.unit));
        scale
    }

    fn stacked(&self, page: &mut Page, slices: Slices, series: &[Series<Anyone>]) {
        let sums = (0..slices.count).map(|at| series.iter().map(|one| one.counts[at]).sum::<u64>());
        let scale = self.counts(page, sums.max().unwrap_or(0));
        for at in 0..slices.count {
            let (from, wide) = column(slices, at);
            let mut base = 0;
            for (number, one) in series.iter().enumerate().filter(|(_, one)| one.counts[at] > 0) {
                let next = base + one.counts[at];
                #[expect(clippy::cast_precision_loss, reason = "heights on paper")]
                let (low, high) = (y(scale, base as f64), y(scale, next as f64));
                page.rect(from, high, wide, low - high, &self.colour(number, &one.label));
                base = next;
            }
        }
        self.times(page, slices);
        self.legend(page, series);
    }

    fn lines(&self, page: &mut Page, slices: Slices, series: &[Series<Anyone>]) {
        let largest = series.iter().flat_map(|one| one.counts.iter().copied()).max().unwrap_or(0);
        let scale = self.counts(page, largest);
        for (number, one) in series.iter().enumerate() {
            // A selection that is shorter than the other ends where it does.
            let end = one.counts.iter().rposition(|count| *count > 0).map_or(0, |last| last + 1);
            #[expect(clippy::cast_precision_loss, reason = "heights on paper")]
            let values: Vec<Option<f64>> =
                one.counts.iter().take(end).map(|count| Some(*count as f64)).collect();
            let colour = self.colours().lanes[[0, 6][number % 2]];
            self.line(page, slices, scale, &values, colour, 1.8);
        }
        self.times(page, slices);
        self.legend(page, series);
    }

    fn rate(&self, page: &mut Page, slices: Slices, series: &[Series<Anyone>]) {
        let [pan, all] = series else { return };
        #[expect(clippy::cast_precision_loss, reason = "a share on paper")]
        let share = |(part, of): (&u64, &u64)| (*of > 0).then(|| *part as f64 * 100.0 / *of as f64);
        let shares: Vec<Option<f64>> = pan.counts.iter().zip(&all.counts).map(share).collect();
        let largest = shares.iter().flatten().copied().fold(0.0, f64::max);
        let scale = Scale::from_zero(largest, 5);
        self.rules(page, scale, &|tick| format!("{} %", (self.words.value)(tick, Unit::Number)));
        self.line(page, slices, scale, &shares, self.colours().lanes[0], 1.8);
        self.times(page, slices);
        self.legend(page, series);
    }

    /// A line through the middle of slices; it is broken where there is nothing.
    fn line(
        &self,
        page: &mut Page,
        slices: Slices,
        scale: Scale,
        values: &[Option<f64>],
        colour: &str,
        stroke: f64,
    ) {
        let middle = |at: usize| {
            let (from, wide) = column(slices, at);
            from + wide / 2.0
        };
        for (at, pair) in values.windows(2).enumerate() {
            if let [Some(one), Some(other)] = pair {
                page.stroke(
                    (middle(at), y(scale, *one)),
                    (middle(at + 1), y(scale, *other)),
                    colour,
                    stroke,
                );
            }
        }
        for (at, value) in values.iter().enumerate() {
            let alone = (at == 0 || values[at - 1].is_none())
                && values.get(at + 1).is_none_or(Option::is_none);
            if let (Some(value), true) = (value, alone) {
                page.rect(middle(at) - 1.2, y(scale, *value) - 1.2, 2.4, 2.4, colour);
            }
        }
    }

    fn bands(&self, page: &mut Page, slices: Slices, values: &[Sketch]) {
        let quantile = |values: &Sketch, share| values.quantile(share);
        let low =
            values.iter().filter_map(|values| quantile(values, 0.05)).fold(f64::INFINITY, f64::min);
        let high = values
            .iter()
            .filter_map(|values| quantile(values, 0.99))
            .fold(f64::NEG_INFINITY, f64::max);
        if low > high {
            return;
        }
        let scale = self.values(page, (low, high));
        let colours = self.colours();
        let accent = colours.lanes[0];
        let bands = [
            (0.95, 0.99, mixed(accent, colours.paper, 0.18), "p95 – p99"),
            (0.5, 0.95, mixed(accent, colours.paper, 0.42), "p50 – p95"),
            (0.05, 0.5, mixed(accent, colours.paper, 0.26), "p5 – p50"),
        ];
        for (at, values) in values.iter().enumerate() {
            let (from, _) = column(slices, at);
            // Bands have no gaps.
            let wide = column(slices, at + 1).0 - from;
            for (under, above, colour, _) in &bands {
                if let (Some(under), Some(above)) =
                    (quantile(values, *under), quantile(values, *above))
                {
                    let (low, high) = (y(scale, under), y(scale, above));
                    page.rect(from, high, wide, (low - high).max(0.6), colour);
                }
            }
        }
        let median: Vec<Option<f64>> = values.iter().map(|values| quantile(values, 0.5)).collect();
        self.line(page, slices, scale, &median, accent, 1.6);
        self.times(page, slices);
        let mut x = LEFT;
        page.stroke((x, 495.0), (x + 14.0, 495.0), accent, 1.6);
        page.text(x + 20.0, 499.0, style(12.0, colours.ink, Anchor::Start), "p50");
        x += 64.0;
        for (_, _, colour, name) in &bands {
            page.rect(x, 489.0, 14.0, 11.0, colour);
            page.text(x + 20.0, 499.0, style(12.0, colours.ink, Anchor::Start), name);
            x += 106.0;
        }
    }

    fn grid(&self, page: &mut Page, slices: Slices, values: &[Sketch]) {
        const ROWS: usize = 28;
        let bounds = self.chart.bounds();
        if bounds.0 > bounds.1 {
            return;
        }
        let scale = self.values(page, bounds);
        let bounds = scale.ends();
        let rows: Vec<Vec<u64>> =
            values.iter().map(|values| self.ranges(values, scale, bounds, ROWS)).collect();
        let peak = rows.iter().flatten().copied().max().unwrap_or(1).max(1);
        let colours = self.colours();
        #[expect(clippy::cast_precision_loss, reason = "shades and heights on paper")]
        for (at, row) in rows.iter().enumerate() {
            let (from, wide) = column(slices, at);
            for (range, count) in row.iter().enumerate().filter(|(_, count)| **count > 0) {
                let share = (*count as f64 / peak as f64).sqrt();
                let height = (BOTTOM - TOP) / ROWS as f64;
                let top = BOTTOM - height * (range + 1) as f64;
                let colour = mixed(colours.lanes[0], colours.paper, 0.12 + 0.88 * share);
                page.rect(from, top, wide, height, &colour);
            }
        }
        self.times(page, slices);
        let few = mixed(colours.lanes[0], colours.paper, 0.12);
        for (x, colour, name) in [
            (LEFT, few.as_str(), "one entry".to_owned()),
            (
                LEFT + 130.0,
                colours.lanes[0],
                format!("{} entries", count_text(usize::try_from(peak).unwrap_or(0))),
            ),
        ] {
            page.rect(x, 489.0, 14.0, 11.0, colour);
            page.text(x + 20.0, 499.0, style(12.0, colours.ink, Anchor::Start), &name);
        }
    }

    /// How many values lie in equal parts of the axis.
    fn ranges(&self, values: &Sketch, scale: Scale, bounds: (f64, f64), parts: usize) -> Vec<u64> {
        match scale.is_log() {
            true => values.histogram_between(bounds, parts),
            false => values.histogram_evenly(bounds, parts),
        }
    }

    fn spread(&self, page: &mut Page, values: &Sketch) {
        const PARTS: usize = 92;
        if values.count == 0 {
            return;
        }
        let across = Scale::between(values.min, values.max, self.log);
        let counts = self.ranges(values, across, across.ends(), PARTS);
        let colours = self.colours();
        let scale = self.counts(page, counts.iter().copied().max().unwrap_or(0));
        let x = |value: f64| LEFT + (RIGHT - LEFT) * across.place(value);
        #[expect(clippy::cast_precision_loss, reason = "places on paper")]
        for (at, count) in counts.iter().enumerate().filter(|(_, count)| **count > 0) {
            let wide = (RIGHT - LEFT) / PARTS as f64;
            let top = y(scale, *count as f64);
            page.rect(
                LEFT + wide * at as f64,
                top,
                wide - 1.0,
                (BOTTOM - top).max(0.8),
                colours.lanes[0],
            );
        }
        for tick in across.ticks(9) {
            page.line((x(tick), BOTTOM), (x(tick), BOTTOM + 6.0), colours.dim);
            let text = (self.words.value)(tick, self.chart.unit);
            page.text(x(tick), BOTTOM + 22.0, style(11.0, colours.dim, Anchor::Middle), &text);
        }
        let mut last = f64::NEG_INFINITY;
        for (at, (name, share)) in
            [("p50", 0.5), ("p95", 0.95), ("p99", 0.99)].into_iter().enumerate()
        {
            let Some(value) = values.quantile(share) else { continue };
            let x = x(value);
            page.stroke((x, TOP), (x, BOTTOM), colours.slow, 1.2);
            // Names that would stand on each other go below each other.
            let row = if x - last < 90.0 { at } else { 0 };
            last = x;
            let text = format!("{name} {}", (self.words.value)(value, self.chart.unit));
            let (place, anchor) =
                if x > RIGHT - 90.0 { (x - 5.0, Anchor::End) } else { (x + 5.0, Anchor::Start) };
            #[expect(clippy::cast_precision_loss, reason = "a row")]
            page.text(
                place,
                TOP + 12.0 + 15.0 * row as f64,
                style(11.0, colours.slow, anchor),
                &text,
            );
        }
        let kind = if across.is_log() { "logarithmic" } else { "linear" };
        page.text(RIGHT, BOTTOM + 42.0, style(11.0, colours.dim, Anchor::End), kind);
    }

    fn bars(&self, page: &mut Page, bars: &[Bar<Anyone>]) {
        let colours = self.colours();
        let measured = self.chart.ask.measure().is_some();
        #[expect(clippy::cast_precision_loss, reason = "lengths on paper")]
        let length = |bar: &Bar<Anyone>| match measured {
            true => bar.values.quantile(0.95).unwrap_or(0.0),
            false => bar.count as f64,
        };
        let longest = bars.iter().map(length).fold(0.0, f64::max);
        if longest <= 0.0 {
            return;
        }
        #[expect(clippy::cast_precision_loss, reason = "a height on paper")]
        let row = ((500.0 - TOP + 20.0) / bars.len().max(1) as f64).min(24.0);
        for (at, (bar, name)) in bars.iter().zip(&self.words.names).enumerate() {
            #[expect(clippy::cast_precision_loss, reason = "a height on paper")]
            let top = TOP - 14.0 + row * at as f64;
            let text_y = top + row * 0.68;
            let size = (row * 0.62).min(12.0);
            page.text(
                NAMES - 10.0,
                text_y,
                style(size, colours.ink, Anchor::End),
                &shortened(name, 44),
            );
            let room = RIGHT - NAMES - 90.0;
            let wide = room * length(bar) / longest;
            page.rect(NAMES, top + row * 0.14, wide.max(0.8), row * 0.72, colours.lanes[0]);
            if !measured && bar.errors > 0 {
                #[expect(clippy::cast_precision_loss, reason = "a length on paper")]
                let part = wide * bar.errors as f64 / bar.count.max(1) as f64;
                page.rect(NAMES, top + row * 0.14, part.max(0.8), row * 0.72, colours.levels[4]);
            }
            let text = match measured {
                true => format!("p95 {}", (self.words.value)(length(bar), self.chart.unit)),
                false => count_text(usize::try_from(bar.count).unwrap_or(usize::MAX)),
            };
            page.text(NAMES + wide + 8.0, text_y, style(size, colours.dim, Anchor::Start), &text);
        }
        if !measured && bars.iter().any(|bar| bar.errors > 0) {
            page.rect(NAMES, 512.0, 10.0, 10.0, colours.levels[4]);
            page.text(
                NAMES + 16.0,
                521.0,
                style(11.0, colours.dim, Anchor::Start),
                "of them errors",
            );
        }
    }

    fn times(&self, page: &mut Page, slices: Slices) {
        let colours = self.colours();
        let (start, end) = (slices.start, slices.end());
        #[expect(clippy::cast_precision_loss, reason = "a place on paper")]
        let x =
            |time: i64| LEFT + (RIGHT - LEFT) * (time - start) as f64 / (end - start).max(1) as f64;
        let ticks = Volume::over(start, end - 1, 9);
        let relative = matches!(self.chart.ask, Ask::Overlay(_));
        let fine = ticks.width < 60_000_000_000;
        let days = end - start > 2 * 86_400_000_000_000;
        let mut time = ticks.start;
        while time <= end && ticks.width > 0 {
            if time >= start {
                page.line((x(time), BOTTOM), (x(time), BOTTOM + 6.0), colours.dim);
                let moment = civil(time, &self.words.zone);
                let label = match (relative, days, fine) {
                    (true, ..) => (self.words.span)(time),
                    (_, true, _) => format!("{}", moment.strftime("%d %b %H:%M")),
                    (_, false, true) => format!("{}", moment.strftime("%H:%M:%S")),
                    (_, false, false) => format!("{}", moment.strftime("%H:%M")),
                };
                page.text(x(time), BOTTOM + 22.0, style(11.0, colours.dim, Anchor::Middle), &label);
            }
            time += ticks.width;
        }
        let zone = self.words.zone.iana_name().unwrap_or("local");
        let note = if relative {
            "from the beginning of each".to_owned()
        } else {
            format!("times in {zone}")
        };
        page.text(RIGHT, BOTTOM + 42.0, style(11.0, colours.dim, Anchor::End), &note);
    }

    fn legend(&self, page: &mut Page, series: &[Series<Anyone>]) {
        let colours = self.colours();
        let (mut x, mut y) = (LEFT, 484.0);
        let figure =
            |one: &Series<Anyone>| count_text(usize::try_from(one.total()).unwrap_or(usize::MAX));
        // Only the share is drawn, not what it is a share of.
        let whole = series.last().filter(|_| self.chart.ask == Ask::Rate);
        let drawn = if whole.is_some() { series.get(..1).unwrap_or(series) } else { series };
        for (number, (one, name)) in drawn.iter().zip(&self.words.names).enumerate() {
            let of = whole.map_or_else(String::new, |whole| format!(" of {}", figure(whole)));
            let label = format!("{} · {}{of}", shortened(name, 34), figure(one));
            #[expect(clippy::cast_precision_loss, reason = "a width on paper")]
            let advance = 44.0 + label.chars().count() as f64 * 7.2;
            if x + advance > RIGHT && x > LEFT {
                (x, y) = (LEFT, y + 18.0);
            }
            // The swatch of a level grows with severity, so that the order can be read without colour.
            let height = match one.label {
                Label::Level(level) => {
                    3.0 + 1.8
                        * level.map_or(0.0, |level| {
                            f64::from(u8::try_from(level.index()).unwrap_or(0)) + 1.0
                        })
                }
                _ => 11.0,
            };
            let colour = match self.chart.figures {
                Figures::Lines(..) => colours.lanes[[0, 6][number % 2]].to_owned(),
                _ => self.colour(number, &one.label),
            };
            page.rect(x, y - height, 10.0, height, &colour);
            page.text(x + 16.0, y - 1.0, style(12.0, colours.ink, Anchor::Start), &label);
            x += advance;
        }
    }

    fn colour(&self, number: usize, label: &Label<Anyone>) -> String {
        let colours = self.colours();
        match label {
            Label::Level(Some(level)) => colours.levels[level.index()].to_owned(),
            Label::Level(None) | Label::Others(_) => mixed(colours.dim, colours.paper, 0.4),
            _ => colours.lanes[number % colours.lanes.len()].to_owned(),
        }
    }
}

/// Where a value stands on the page.
fn y(scale: Scale, value: f64) -> f64 {
    BOTTOM - (BOTTOM - TOP) * scale.place(value)
}

/// Where a slice begins on the page, and how wide it is.
fn column(slices: Slices, at: usize) -> (f64, f64) {
    #[expect(clippy::cast_precision_loss, reason = "at most a few hundred slices")]
    let (count, at) = (slices.count.max(1) as f64, at as f64);
    let wide = (RIGHT - LEFT) / count;
    let gap = if wide > 4.0 { 1.0 } else { 0.0 };
    (LEFT + wide * at, wide - gap)
}

fn style(size: f64, colour: &'static str, anchor: Anchor) -> Type {
    Type { size, colour, anchor }
}

fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    text.chars().take(most - 1).chain(['…']).collect()
}

#[cfg(test)]
mod tests;
