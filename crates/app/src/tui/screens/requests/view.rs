//! The table of requests as it is drawn: how long they took on top, the list below.

use cribrum_core::{entry::Level, requests::Durations};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::RequestsView;
use crate::{
    present::{count_text, span_text},
    results::Summary,
    tui::{
        shared::Shared,
        table,
        theme::Role,
        widgets::{Part, heading, put, rule, stack},
    },
};

/// Lines above the table.
fn above(area: Rect) -> u16 {
    if area.height >= 30 { 13 } else { 5 }
}

/// Rows that the table shows.
pub(super) fn table_height(area: Rect) -> usize {
    usize::from(area.height.saturating_sub(above(area)))
}

pub(super) fn draw(view: &RequestsView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let kind = view.table.inquiry.0.unwrap_or_default();
    let narrowed = table::narrowed(view, shared);
    heading(shared, "requests", &format!("{kind}{narrowed}"), area, buffer);
    let dim = theme.style(Role::Dim);
    let Some(listed) = view.table.listed.as_ref().filter(|listed| !listed.found.is_empty()) else {
        put(buffer, 2, area.y + 2, area.width - 4, &waiting(view, shared), dim);
        return;
    };
    summary(view, shared, &listed.summary, area, buffer);
    if let (true, Some(durations)) = (above(area) > 5, &listed.summary.durations) {
        let chart = Rect { x: 2, y: area.y + 4, width: area.width - 4, height: 7 };
        histogram(shared, durations, chart, buffer);
    }
    let top = area.y + above(area);
    rule(theme, Rect { y: top - 2, height: 1, ..area }, None, buffer);
    let lines = Rect { y: top - 1, height: area.bottom().saturating_sub(top - 1), ..area };
    table::draw(view, shared, lines, buffer);
    if view.table.len() == 0 {
        let text = match view.table.listing.words.as_str() {
            "" => "No request has an entry in the pan: the sieve holds all of them back.",
            _ => "No request has these words; Esc takes them away.",
        };
        put(buffer, 2, top + 1, area.width - 4, text, dim);
    }
}

/// Why there is no table.
fn waiting(view: &RequestsView, shared: &Shared) -> String {
    let progress = &shared.snapshot.progress;
    if view.table.listed.is_some() {
        return match view.table.inquiry.0 {
            Some(kind) => format!("No entry has an id of the kind {kind}; b chooses another kind."),
            None => "No entry has an id: neither a field that is named as one nor a value of such a form.".into(),
        };
    }
    let percent = |(done, of): (u64, u64)| done.saturating_mul(100) / of.max(1);
    if !shared.snapshot.loaded() {
        return format!("reading all sources first … {} %", percent(progress.read));
    }
    let (done, of) = progress.identified;
    if done < of {
        return format!("looking for ids … {} %", percent((done as u64, of as u64)));
    }
    "putting requests together …".into()
}

/// How many there are, and how long they took.
fn summary(
    view: &RequestsView,
    shared: &Shared,
    listed: &Summary,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let y = area.y + 2;
    let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let dim = theme.style(Role::Dim);
    let count = count_text(view.table.len());
    let mut x = 2 + put(buffer, 2, y, 20, &count, strong) + 1;
    x += put(buffer, x, y, 12, "requests", dim) + 3;
    if let Some(durations) = &listed.durations {
        for (name, nanos) in
            [("half within", durations.p50), ("p95", durations.p95), ("p99", durations.p99)]
        {
            x += put(buffer, x, y, 12, name, dim) + 1;
            x += put(buffer, x, y, 14, &span_text(nanos), strong) + 3;
        }
    }
    let errors = listed.errors;
    if errors > 0 {
        let text = format!("{} with errors", count_text(errors));
        x += put(
            buffer,
            x,
            y,
            area.right().saturating_sub(x),
            &text,
            theme.level(Some(Level::Error)),
        ) + 3;
    }
    if !view.marked.is_empty() {
        let text = format!("{} marked", view.marked.len());
        put(buffer, x, y, area.right().saturating_sub(x), &text, theme.style(Role::Accent));
    }
}

/// How many requests took how long, a column for each range of durations.
fn histogram(shared: &Shared, durations: &Durations, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let buckets = &durations.buckets;
    let columns = u16::try_from(buckets.len()).unwrap_or(1).max(1);
    let width = (area.width / columns).clamp(3, 12);
    let peak = buckets.iter().map(|bucket| bucket.count).max().unwrap_or(1).max(1);
    let bars = Rect { height: area.height - 2, y: area.y + 1, ..area };
    let marks = [(durations.p50, "p50"), (durations.p95, "p95"), (durations.p99, "p99")];
    for (at, bucket) in (0u16..).zip(buckets) {
        let x = area.x + at * width;
        if x + width > area.right() {
            break;
        }
        let until = buckets.get(usize::from(at) + 1).map_or(i64::MAX, |next| next.from);
        let has = |nanos: i64| nanos >= bucket.from && nanos < until;
        let slow = bucket.from > durations.p95;
        let style = theme.style(if slow { Role::Slow } else { Role::Accent });
        let part = Part { count: bucket.count as u64, style, fill: theme.glyphs.bar };
        let bar = Rect { x, width: width - 1, ..bars };
        stack(&[part], peak as u64, bar, theme.is_unicode(), buffer);
        put(buffer, x, bars.bottom(), width - 1, &bound(bucket.from), theme.style(Role::Faint));
        let told: Vec<&str> =
            marks.iter().filter(|(nanos, _)| has(*nanos)).map(|(_, name)| *name).collect();
        if !told.is_empty() {
            put(buffer, x, area.y, width.max(11), &told.join(" "), theme.style(Role::Dim));
        }
    }
}

/// Where a range of durations begins: `50 ms`, `2 s`.
fn bound(nanos: i64) -> String {
    let (millis, seconds) = (nanos / 1_000_000, nanos / 1_000_000_000);
    match nanos {
        0 => "0".into(),
        1..1_000_000 => format!("{} µs", nanos / 1_000),
        1_000_000..1_000_000_000 => format!("{millis} ms"),
        _ => format!("{seconds} s"),
    }
}
