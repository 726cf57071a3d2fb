//! What the places under the cursor say.

use cribrum_core::{
    chart::{Ask, Bar, Chart, Figures, QUANTILES, Series, Slices},
    entry::Level,
    tally::{Sketch, Unit},
    veil::Desk,
};
use ratatui::style::Style;

use super::{axes::form, draw::style_of, state::PlateView};
use crate::{
    present::{count_text, counted, names, share_text, span_text, value_text},
    tui::{shared::Shared, theme::Role},
};

/// Words with how they are drawn.
type Words = Vec<(String, Style)>;

/// What the places from one to another say.
pub(super) fn under(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    (from, to): (usize, usize),
) -> Words {
    let theme = &shared.theme;
    let names = names(chart, &shared.snapshot, &shared.clock, &view.names);
    let mut words = Words::new();
    if let Some(slices) = chart.slices() {
        words.push((times(shared, &chart.ask, slices, (from, to)), theme.style(Role::Text)));
    }
    match &chart.figures {
        Figures::Stacked(_, series) => words.extend(counts(shared, series, &names, (from, to))),
        Figures::Lines(_, series) => {
            let sums: Vec<u64> = series.iter().map(|one| sum(one, (from, to))).collect();
            if let ([part, of], Ask::Rate) = (sums.as_slice(), &chart.ask) {
                words.push((share_text(*part, *of), theme.style(Role::Accent)));
            }
            for (sum, name) in sums.into_iter().zip(names) {
                words.push((
                    format!("{} {}", number(sum), shared.own_text(&name)),
                    theme.style(Role::Dim),
                ));
            }
        }
        Figures::Values(_, values) => {
            let mut all = Sketch::default();
            values[from..=to].iter().for_each(|values| all.merge(values));
            let count = counted(usize::try_from(all.count).unwrap_or(usize::MAX), "value");
            words.push((count, theme.style(Role::Text)));
            words.extend(quantiles(shared, &all, chart.unit));
        }
        Figures::Spread(_) => {
            let (low, high) = (view.bound(chart, from), view.bound(chart, to + 1));
            let count: u64 = view.counts(chart)[from..=to].iter().sum();
            let range =
                format!("{} … {}", value_text(low, chart.unit), value_text(high, chart.unit));
            words.push((range, theme.style(Role::Text)));
            let count = counted(usize::try_from(count).unwrap_or(usize::MAX), "value");
            words.push((count, theme.style(Role::Accent)));
        }
        Figures::Bars(bars) => {
            if let (Some(bar), Some(name)) = (bars.get(to), names.into_iter().nth(to)) {
                words.extend(of_bar(shared, bar, name, chart.unit));
            }
        }
    }
    words
}

fn number(count: u64) -> String {
    count_text(usize::try_from(count).unwrap_or(usize::MAX))
}

fn sum(series: &Series<Desk>, (from, to): (usize, usize)) -> u64 {
    series.counts[from..=to].iter().sum()
}

fn times(shared: &Shared, ask: &Ask, slices: Slices, (from, to): (usize, usize)) -> String {
    let (start, end) = (slices.from(from), slices.from(to + 1));
    if let Ask::Overlay(_) = ask {
        return format!("{} … {}", span_text(start), span_text(end));
    }
    let form = if form(slices) == "%H:%M" { "%H:%M:%S" } else { form(slices) };
    format!("{} … {}", shared.clock.format(start, form), shared.clock.format(end, form))
}

fn counts(
    shared: &Shared,
    series: &[Series<Desk>],
    names: &[String],
    places: (usize, usize),
) -> Words {
    let total: u64 = series.iter().map(|one| sum(one, places)).sum();
    let mut words = vec![(format!("{} entries", number(total)), shared.theme.style(Role::Text))];
    for (at, (one, name)) in series.iter().zip(names).enumerate().rev() {
        let count = sum(one, places);
        if count > 0 {
            words.push((format!("{} {name}", number(count)), style_of(shared, at, &one.label)));
        }
    }
    words
}

fn quantiles(shared: &Shared, values: &Sketch, unit: Unit) -> Words {
    let dim = shared.theme.style(Role::Dim);
    let told = |(name, share): (&str, f64)| {
        values.quantile(share).map(|value| (format!("{name} {}", value_text(value, unit)), dim))
    };
    QUANTILES.into_iter().filter_map(told).collect()
}

fn of_bar(shared: &Shared, bar: &Bar<Desk>, name: String, unit: Unit) -> Words {
    let theme = &shared.theme;
    let mut words = vec![
        (name, theme.style(Role::Text)),
        (format!("{} entries", number(bar.count)), theme.style(Role::Dim)),
    ];
    if bar.errors > 0 {
        words.push((format!("{} errors", number(bar.errors)), theme.level(Some(Level::Error))));
    }
    words.extend(quantiles(shared, &bar.values, unit));
    words
}
