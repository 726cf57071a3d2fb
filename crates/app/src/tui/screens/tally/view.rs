//! The tally as it is drawn: what is asked and the values of one group on top, the groups below.

use cribrum_core::{
    entry::Level,
    tally::{Tally, Unit, bound_of, range_of},
    veil::Desk,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::state::TallyView;
use crate::{
    present::{count_text, counted, value_text},
    results::Cell,
    tui::{
        shared::Shared,
        table,
        theme::Role,
        widgets::{Part, heading, put, put_right, rule, stack},
    },
};

/// Lines above the table: with the values of the group under the cursor, or without.
fn above(area: Rect, measured: bool) -> u16 {
    if area.height >= 30 && measured { 14 } else { 5 }
}

/// Rows that the table shows; the last line is that of all entries.
pub(super) fn table_height(area: Rect) -> usize {
    usize::from(area.height.saturating_sub(above(area, true) + 2))
}

pub(super) fn draw(view: &TallyView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let question = view.question();
    let by: Vec<String> = question.by.iter().map(ToString::to_string).collect();
    let of = question.of.as_ref().map_or_else(String::new, |of| format!(" · {of}"));
    let by = match by.is_empty() {
        true => String::new(),
        false => format!("by {}", by.join(", ")),
    };
    let asked = shared.own_text(&format!("{by}{of}"));
    let twice = if view.table.listing.only > 1 { " · of more than one entry" } else { "" };
    heading(
        shared,
        "tally",
        &format!("{asked}{twice}{}", table::narrowed(view, shared)),
        area,
        buffer,
    );
    let Some(tally) = view.table.found() else {
        table::waiting("counting …", shared, (2, area.y + 2), area, buffer);
        return;
    };
    summary(view, shared, tally, area, buffer);
    let measured = question.of.is_some();
    let top = area.y + above(area, measured);
    if above(area, measured) > 5 {
        let chart = Rect { x: 2, y: area.y + 4, width: area.width - 4, height: 8 };
        values(view, shared, tally, chart, buffer);
    }
    rule(theme, Rect { y: top - 2, height: 1, ..area }, None, buffer);
    let lines = Rect { y: top - 1, height: area.bottom() - (top - 1), ..area };
    table::draw(view, shared, lines, buffer);
    if view.table.len() == 0 {
        let text = nothing(view, shared, tally);
        put(buffer, 2, top + 1, area.width - 4, &text, theme.style(Role::Dim));
    }
}

/// Why there is no group.
fn nothing(view: &TallyView, shared: &Shared, tally: &Tally<Desk>) -> String {
    if !view.table.listing.words.is_empty() {
        return "No group has these words; Esc takes them away.".into();
    }
    if view.table.listing.only > 1 && !tally.groups.is_empty() {
        return "No group has more than one entry; Esc shows all of them.".into();
    }
    if tally.entries == 0 {
        return "No entry is in the pan: the sieve holds all of them back.".into();
    }
    let names: Vec<String> = view.question().by.iter().map(ToString::to_string).collect();
    let names = shared.own_text(&names.join(" or "));
    format!(
        "None of the {} has {names}; b groups by something else.",
        counted(tally.entries, "entry")
    )
}

/// How many groups there are, and what is in none of them.
fn summary(
    view: &TallyView,
    shared: &Shared,
    tally: &Tally<Desk>,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let y = area.y + 2;
    let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let dim = theme.style(Role::Dim);
    let number = |count: u64| count_text(usize::try_from(count).unwrap_or(usize::MAX));
    let mut x = 2;
    let mut say = |text: &str, style: Style| {
        let room = area.right().saturating_sub(x + 1);
        x += put(buffer, x, y, room, text, style) + 1;
    };
    say(&count_text(view.table.len()), strong);
    say(if view.table.len() == 1 { "group " } else { "groups " }, dim);
    if let Some(all) = &tally.all {
        say(&number(all.count), strong);
        say(if all.count == 1 { "entry " } else { "entries " }, dim);
    }
    if tally.without > 0 {
        say(&number(tally.without), strong);
        let names: Vec<String> = view.question().by.iter().map(ToString::to_string).collect();
        say(&format!("without {} ", shared.own_text(&names.join(" and "))), dim);
    }
    if tally.left_out.0 > 0 {
        let warn = theme.level(Some(Level::Warn));
        say(&number(tally.left_out.0), warn);
        let example = tally.left_out.1.as_ref().map(|text| text.for_terminal());
        let example = example.filter(|text| !text.is_empty());
        let example = example.map_or_else(String::new, |text| format!(", such as {text}"));
        let what = match tally.unit {
            Unit::Number => "number",
            Unit::Seconds => "duration",
            Unit::Bytes => "size",
        };
        say(&format!("values are no {what}{example} "), warn);
    }
    if tally.pooled.0 > 0 {
        let text = format!("{} of the smallest groups are in no row ", number(tally.pooled.0));
        say(&text, theme.level(Some(Level::Warn)));
    }
    if tally.unread > 0 {
        let text = format!("{} could not be read", counted(tally.unread, "entry"));
        say(&text, theme.level(Some(Level::Error)));
    }
}

/// How the values of the group under the cursor lie, between the smallest and the largest of all.
fn values(view: &TallyView, shared: &Shared, tally: &Tally<Desk>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (Some(group), Some(all)) = (view.table.chosen(), &tally.all) else { return };
    let (dim, faint) = (theme.style(Role::Dim), theme.style(Role::Faint));
    if group.values.count == 0 {
        put(buffer, area.x, area.y + 2, area.width, "no entry of this group has a value", dim);
        return;
    }
    // Whose values they are, where the bars leave room.
    let keys = group.keys.iter().zip(&view.question().by);
    let keys = keys.map(|(key, by)| table::read(shared, &Cell::Key(key, by)));
    let keys = keys.collect::<Vec<_>>().join("  ");
    put_right(buffer, area.right(), area.y, area.width / 3, &keys, theme.style(Role::Text));
    let unit = tally.unit;
    let columns = (area.width / 4).min(32);
    let width = (area.width / columns.max(1)).clamp(2, 5);
    let bounds = (all.values.min, all.values.max);
    let counts = group.values.histogram_between(bounds, usize::from(columns));
    let peak = counts.iter().copied().max().unwrap_or(1).max(1);
    let bars = Rect { y: area.y + 1, height: area.height - 2, ..area };
    let quantile = |share| group.values.quantile(share).unwrap_or_default();
    let mut marks: Vec<(u16, &str)> = Vec::new();
    for (name, share) in [("p50", 0.5), ("p95", 0.95), ("p99", 0.99)] {
        let at = range_of(quantile(share), bounds, usize::from(columns));
        let at = u16::try_from(at).unwrap_or(0);
        // Names that would stand on each other are left out.
        if marks.last().is_none_or(|(last, _)| (at - last) * width >= 4) {
            marks.push((at, name));
        }
    }
    let slow = range_of(quantile(0.95), bounds, usize::from(columns));
    for (at, count) in (0u16..).zip(&counts) {
        let style = theme.style(if usize::from(at) > slow { Role::Slow } else { Role::Accent });
        let part = Part { count: *count, style, fill: theme.glyphs.bar };
        let bar = Rect { x: area.x + at * width, width: width.saturating_sub(1).max(1), ..bars };
        stack(&[part], peak, bar, theme.is_unicode(), buffer);
    }
    for (at, name) in marks {
        put(buffer, area.x + at * width, area.y, 4, name, dim);
    }
    // Round places would be in other ranges: the bounds are those of the ranges.
    let every = (12 / width).max(1);
    for at in (0..columns).step_by(usize::from(every)) {
        let from = bound_of(usize::from(at), bounds, usize::from(columns));
        put(
            buffer,
            area.x + at * width,
            bars.bottom(),
            every * width - 1,
            &value_text(from, unit),
            faint,
        );
    }
}
