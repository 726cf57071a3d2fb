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
        Figures::Bars(bars) => bars.iter().map(|bar| name(&bar.label)).collect(),
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
            let bounds = (values.min, values.max);
            for (at, count) in values.histogram(PARTS).into_iter().enumerate() {
                let bound = |at| format!("{}", cribrum_core::tally::bound_of(at, bounds, PARTS));
                rows.push(vec![bound(at), bound(at + 1), count.to_string()]);
            }
        }
        Figures::Bars(bars) => {
            rows.push(["name", "count", "errors", "p50", "p95", "p99", "max"].map(text).to_vec());
            for (bar, name) in bars.iter().zip(names) {
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
