//! Charts in words: what each is called, the names of its parts, and its figures as a table.

use cribrum_core::{
    chart::{Ask, Chart, Figures, Label, QUANTILES, Series},
    engine::Snapshot,
    export::time_text,
    tally::Unit,
    veil::{Anyone, Audience},
};
use cribrum_draw::{ChartPlate, ChartWords, Palette};
use jiff::tz::TimeZone;

use super::{Clock, count_text, counted, key_text, span_text, value_text};

/// What a chart is called: `entries over time by status`.
pub(crate) fn chart_title(ask: &Ask) -> String {
    match ask {
        Ask::Volume => "entries over time by level".to_owned(),
        Ask::Groups(by) => format!("entries over time by {by}"),
        Ask::Rate => "share of all entries over time".to_owned(),
        Ask::Quantiles(of) => format!("{of} over time"),
        Ask::Spread(of) => format!("how {of} is distributed"),
        Ask::Bars(by, None) => format!("entries by {by}"),
        Ask::Bars(by, Some(of)) => format!("p95 of {of} by {by}"),
        Ask::Heat(of) => format!("{of} against time"),
        Ask::Overlay(_) => "two windows laid over each other".to_owned(),
    }
}

/// What its axis of values counts.
pub(crate) fn chart_axis(ask: &Ask) -> String {
    match ask {
        Ask::Quantiles(of) | Ask::Heat(of) => of.to_string(),
        Ask::Rate => "share".to_owned(),
        _ => "entries".to_owned(),
    }
}

/// The name of a series or of a bar.
pub(crate) fn label_text<A: Audience>(
    label: &Label<A>,
    snapshot: &Snapshot,
    clock: &Clock,
    sides: &[String],
) -> String {
    match label {
        Label::Level(level) => level.map_or("no level", |level| level.name()).to_owned(),
        Label::Key(by, key) => match key {
            cribrum_core::tally::Key::Text(text) if text.as_str().is_empty() => {
                "(empty)".to_owned()
            }
            cribrum_core::tally::Key::None => format!("no {by}"),
            key => key_text(key, by, &snapshot.sources, clock).into_owned(),
        },
        Label::Pan => "the pan".to_owned(),
        Label::Everything => "everything".to_owned(),
        Label::Side(side) => {
            sides.get(*side).cloned().unwrap_or_else(|| ["from", "with"][side % 2].to_owned())
        }
        Label::Others(count) => format!("{} others", count_text(*count)),
    }
}

/// The names of all series or bars of a chart.
pub(crate) fn names<A: Audience>(
    chart: &Chart<A>,
    snapshot: &Snapshot,
    clock: &Clock,
    sides: &[String],
) -> Vec<String> {
    let name = |label: &Label<A>| label_text(label, snapshot, clock, sides);
    match &chart.figures {
        Figures::Stacked(_, series) | Figures::Lines(_, series) => {
            series.iter().map(|one| name(&one.label)).collect()
        }
        Figures::Bars(bars) => bars.iter().chain(&chart.rest).map(|bar| name(&bar.label)).collect(),
        Figures::Values(..) | Figures::Spread(_) => Vec::new(),
    }
}

/// A chart for a document: titled by what the sieve says.
pub(crate) fn chart_plate(
    chart: &Chart<Anyone>,
    snapshot: &Snapshot,
    zone: Option<TimeZone>,
    (title, sides): (Option<String>, &[String]),
    (palette, log): (Palette, Option<bool>),
) -> ChartPlate {
    let clock = Clock::new(zone.clone());
    let conditions: Vec<String> = snapshot
        .sieve
        .meshes
        .iter()
        .filter(|mesh| mesh.counts())
        .map(|mesh| snapshot.label_to_share(mesh).as_str().to_owned())
        .collect();
    let sieve = match conditions.is_empty() {
        true => "everything that was poured in".to_owned(),
        false => conditions.join("  ·  "),
    };
    let named = title.unwrap_or_else(|| {
        let title = chart_title(&chart.ask);
        let mut letters = title.chars();
        letters
            .next()
            .map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
    });
    let words = ChartWords {
        title: snapshot.own_text_to_share(&named).as_str().to_owned(),
        lines: vec![summary(chart, snapshot, &clock), sieve],
        axis: snapshot.own_text_to_share(&chart_axis(&chart.ask)).as_str().to_owned(),
        names: names(chart, snapshot, &clock, sides),
        zone: zone.unwrap_or(TimeZone::UTC),
        value: tick_text,
        span: |nanos| without_zeros(span_text(nanos)),
    };
    ChartPlate::new(chart, words, palette, log)
}

/// How many entries are in a chart, over which time, and what is left out.
fn summary(chart: &Chart<Anyone>, snapshot: &Snapshot, clock: &Clock) -> String {
    let entries = usize::try_from(chart.entries).unwrap_or(usize::MAX);
    let mut text =
        format!("{} of {} entries", count_text(entries), count_text(snapshot.order.len()));
    if let Some(slices) = chart.slices().filter(|slices| slices.count > 0) {
        if slices.start != 0 {
            let moment = |time: i64| clock.format(time, "%d %b %Y %H:%M:%S");
            text.push_str(&format!(" · {} to {}", moment(slices.start), moment(slices.end())));
        }
        let coarse = chart.coarser(cribrum_draw::SLICES);
        let width = coarse.slices().map_or(slices.width, |slices| slices.width);
        text.push_str(&format!(" · a column is {}", width_text(width)));
    }
    if chart.without > 0 {
        let count = usize::try_from(chart.without).unwrap_or(usize::MAX);
        text.push_str(&format!(" · {} without it", counted(count, "entry")));
    }
    if chart.left_out > 0 {
        let count = usize::try_from(chart.left_out).unwrap_or(usize::MAX);
        text.push_str(&format!(" · {} could not be measured", counted(count, "value")));
    }
    if chart.undrawn > 0 && matches!(chart.figures, Figures::Bars(_)) {
        text.push_str(&format!(" · {} more not drawn", counted(chart.undrawn, "group")));
    }
    text
}

/// Ranges of values in each slice of a grid, for its figures.
const HEAT_ROWS: usize = 40;

/// The figures behind a chart: a header and rows. Times are RFC 3339; of two selections laid over each other they are seconds
/// from the beginning of each.
pub(crate) fn chart_table<A: Audience>(chart: &Chart<A>, names: &[String]) -> Vec<Vec<String>> {
    let text = |text: &str| text.to_owned();
    let value = |value: Option<f64>| value.map_or_else(String::new, |value| format!("{value}"));
    let mut rows = Vec::new();
    match &chart.figures {
        Figures::Stacked(slices, series) | Figures::Lines(slices, series) => {
            let relative = matches!(chart.ask, Ask::Overlay(_));
            let head = std::iter::once(text(if relative { "seconds" } else { "time" }));
            rows.push(head.chain(names.iter().cloned()).collect());
            for at in 0..slices.count {
                let time = match relative {
                    #[expect(clippy::cast_precision_loss, reason = "seconds of a window")]
                    true => format!("{}", slices.from(at) as f64 / 1e9),
                    false => time_text(slices.from(at), None),
                };
                let counts = series.iter().map(|one: &Series<A>| one.counts[at].to_string());
                rows.push(std::iter::once(time).chain(counts).collect());
            }
        }
        Figures::Values(slices, values) if matches!(chart.ask, Ask::Heat(_)) => {
            rows.push(["time", "from", "to", "count"].map(text).to_vec());
            for (at, values) in values.iter().enumerate() {
                for (from, to, count) in values.bins(HEAT_ROWS).into_iter().filter(|bin| bin.2 > 0)
                {
                    let time = time_text(slices.from(at), None);
                    rows.push(vec![time, from.to_string(), to.to_string(), count.to_string()]);
                }
            }
        }
        Figures::Values(slices, values) => {
            let quantiles = QUANTILES.iter().map(|(name, _)| text(name));
            let head = [text("time"), text("values"), text("min")].into_iter();
            rows.push(head.chain(quantiles).chain([text("max")]).collect());
            for (at, values) in values.iter().enumerate() {
                let some = |value: f64| (values.count > 0).then_some(value);
                let mut row = vec![
                    time_text(slices.from(at), None),
                    values.count.to_string(),
                    value(some(values.min)),
                ];
                row.extend(QUANTILES.iter().map(|(_, share)| value(values.quantile(*share))));
                row.push(value(some(values.max)));
                rows.push(row);
            }
        }
        Figures::Spread(values) => {
            const PARTS: usize = 92;
            rows.push(vec![text("from"), text("to"), text("count")]);
            for (from, to, count) in values.bins(PARTS) {
                rows.push(vec![from.to_string(), to.to_string(), count.to_string()]);
            }
        }
        Figures::Bars(bars) => {
            rows.push(["name", "count", "errors", "p50", "p95", "p99", "max"].map(text).to_vec());
            for (bar, name) in bars.iter().chain(&chart.rest).zip(names) {
                let of = |share| value(bar.values.quantile(share));
                let max = value((bar.values.count > 0).then_some(bar.values.max));
                rows.push(vec![
                    name.clone(),
                    bar.count.to_string(),
                    bar.errors.to_string(),
                    of(0.5),
                    of(0.95),
                    of(0.99),
                    max,
                ]);
            }
        }
    }
    rows
}

/// The same as CSV.
pub(crate) fn chart_csv<A: Audience>(
    chart: &Chart<A>,
    names: &[String],
) -> Result<Vec<u8>, String> {
    let mut table = csv::Writer::from_writer(Vec::new());
    for row in chart_table(chart, names) {
        table.write_record(row).map_err(|error| error.to_string())?;
    }
    table.into_inner().map_err(|error| error.to_string())
}

/// A value without digits that say nothing: `1 s`, not `1.000 s`.
fn tick_text(value: f64, unit: Unit) -> String {
    without_zeros(value_text(value, unit))
}

fn without_zeros(text: String) -> String {
    match text.split_once(".000 ") {
        Some((whole, unit)) => format!("{whole} {unit}"),
        None => text,
    }
}

/// The width of a column.
pub(crate) fn width_text(nanos: i64) -> String {
    without_zeros(span_text(nanos))
}

/// A value of a chart's axis.
pub(crate) fn axis_text(ask: &Ask, value: f64, unit: Unit) -> String {
    match ask {
        Ask::Rate => format!("{} %", tick_text(value, Unit::Number)),
        Ask::Quantiles(_) | Ask::Heat(_) | Ask::Spread(_) => tick_text(value, unit),
        _ => value_text(value, Unit::Number),
    }
}

#[cfg(test)]
mod tests {
    use cribrum_core::{
        chart::{Bar, Slices},
        entry::Level,
        tally::{By, Measure, Sketch},
        veil::Desk,
    };

    use super::*;

    fn chart(ask: Ask, figures: Figures<Desk>) -> Chart<Desk> {
        Chart {
            ask,
            figures,
            unit: Unit::Seconds,
            entries: 5,
            left_out: 0,
            without: 0,
            undrawn: 0,
            rest: Vec::new(),
            unread: 0,
        }
    }

    fn sketch(values: &[f64]) -> Sketch {
        let mut sketch = Sketch::default();
        values.iter().for_each(|value| sketch.add(*value));
        sketch
    }

    fn text(chart: &Chart<Desk>, names: &[&str]) -> String {
        let names: Vec<String> = names.iter().map(|name| (*name).to_owned()).collect();
        String::from_utf8(chart_csv(chart, &names).unwrap()).unwrap()
    }

    const SLICES: Slices =
        Slices { start: 1_773_470_460_000_000_000, width: 60_000_000_000, count: 2 };

    #[test]
    fn charts_are_called_by_what_they_show() {
        let by = || By::parse("status:class").unwrap();
        let of = || Measure::parse("wait after \"waited\"").unwrap();
        for (ask, want) in [
            (Ask::Volume, "entries over time by level"),
            (Ask::Groups(by()), "entries over time by status:class"),
            (Ask::Quantiles(Measure::Took), "took over time"),
            (Ask::Spread(of()), "how wait after \"waited\" is distributed"),
            (Ask::Bars(by(), Some(Measure::Took)), "p95 of took by status:class"),
            (Ask::Heat(Measure::Took), "took against time"),
        ] {
            assert_eq!(chart_title(&ask), want);
        }
        assert_eq!(
            (chart_axis(&Ask::Volume), chart_axis(&Ask::Heat(Measure::Took))),
            ("entries".into(), "took".into())
        );
        assert_eq!(axis_text(&Ask::Rate, 12.5, Unit::Number), "12.5 %");
        assert_eq!(axis_text(&Ask::Heat(Measure::Took), 1.0, Unit::Seconds), "1 s");
        assert_eq!(
            (width_text(15_000_000_000), width_text(1_500_000_000)),
            ("15 s".into(), "1.500 s".into())
        );
    }

    #[test]
    fn the_figures_behind_a_chart_are_a_table() {
        let series = |level, counts: [u64; 2]| Series {
            label: Label::Level(Some(level)),
            counts: counts.to_vec(),
        };
        let all = vec![series(Level::Info, [3, 0]), series(Level::Error, [1, 2])];
        let stacked = chart(Ask::Volume, Figures::Stacked(SLICES, all));
        assert_eq!(
            text(&stacked, &["info", "error"]),
            "time,info,error\n2026-03-14T06:41:00Z,3,1\n2026-03-14T06:42:00Z,0,2\n"
        );
        let values = vec![sketch(&[0.5, 0.5]), Sketch::default()];
        let over = chart(Ask::Quantiles(Measure::Took), Figures::Values(SLICES, values));
        assert_eq!(
            text(&over, &[]),
            "time,values,min,p5,p50,p75,p95,p99,max\n\
             2026-03-14T06:41:00Z,2,0.5,0.5,0.5,0.5,0.5,0.5,0.5\n\
             2026-03-14T06:42:00Z,0,,,,,,,\n"
        );
        let bar = Bar { label: Label::Pan, count: 4, errors: 1, values: sketch(&[2.0]) };
        let bars = chart(Ask::Bars(By::Kind, None), Figures::Bars(vec![bar]));
        assert_eq!(
            text(&bars, &["hold, placed"]),
            "name,count,errors,p50,p95,p99,max\n\"hold, placed\",4,1,2,2,2,2\n"
        );
        let spread =
            text(&chart(Ask::Spread(Measure::Took), Figures::Spread(sketch(&[1.0, 4.0]))), &[]);
        let counts: u64 = spread
            .lines()
            .skip(1)
            .map(|line| line.rsplit(',').next().unwrap().parse::<u64>().unwrap())
            .sum();
        assert!(spread.starts_with("from,to,count\n") && counts == 2, "{spread}");
    }

    #[test]
    fn windows_over_each_other_are_in_seconds_of_their_own() {
        let sides =
            Box::new([cribrum_core::compare::Side::Pan, cribrum_core::compare::Side::Everything]);
        let slices = Slices { start: 0, width: 1_500_000_000, count: 2 };
        let series = |side| Series { label: Label::Side(side), counts: vec![1, 2] };
        let over = chart(Ask::Overlay(sides), Figures::Lines(slices, vec![series(0), series(1)]));
        assert_eq!(text(&over, &["before", "after"]), "seconds,before,after\n0,1,1\n1.5,2,2\n");
    }
}
