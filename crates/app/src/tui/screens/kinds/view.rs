//! The kinds as they are drawn: one of them over time and what stands in its holes on top, all of them below.

use cribrum_core::{
    entry::Level,
    kinds::{Fills, Kind, Kinds, SLICES},
    veil::Desk,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::state::KindsView;
use crate::{
    present::{cells, count_text, counted, share_text},
    results::Cell,
    tui::{
        shared::Shared,
        table,
        theme::Role,
        widgets::{Part, heading, put, put_kind, put_right, put_veiled, round_ticks, rule, stack},
    },
};

/// Lines of the kind under the cursor.
const ABOVE: u16 = 9;

/// Lines above the table.
fn above(view: &KindsView, area: Rect) -> u16 {
    if area.height >= 30 || view.values && area.height >= 16 { 5 + ABOVE } else { 5 }
}

/// Rows that the table shows.
pub(super) fn table_height(view: &KindsView, area: Rect) -> usize {
    usize::from(area.height.saturating_sub(above(view, area) + 1))
}

pub(super) fn draw(view: &KindsView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let narrowed = table::narrowed(view, shared);
    heading(shared, "kinds", &format!("{}{narrowed}", view.shown), area, buffer);
    let Some(kinds) = view.table.found() else {
        table::waiting("reading what is said …", shared, (2, area.y + 2), area, buffer);
        return;
    };
    summary(view, shared, kinds, area, buffer);
    let top = area.y + above(view, area);
    if above(view, area) > 5
        && let Some(kind) = view.chosen()
    {
        let panel = Rect { x: 2, y: area.y + 4, width: area.width - 4, height: ABOVE - 1 };
        one(view, shared, kind, panel, buffer);
    }
    rule(theme, Rect { y: top - 2, height: 1, ..area }, None, buffer);
    let lines = Rect { y: top - 1, height: area.bottom().saturating_sub(top - 1), ..area };
    table::draw(view, shared, lines, buffer);
    if view.table.len() == 0 {
        let text = nothing(view, kinds);
        put(buffer, 2, top + 1, area.width - 4, &text, theme.style(Role::Dim));
    }
}

/// Why there is no kind.
fn nothing(view: &KindsView, kinds: &Kinds<Desk>) -> String {
    if !view.table.listing.words.is_empty() {
        return "No kind has these words; Esc takes them away.".into();
    }
    if kinds.entries == 0 {
        return "No entry is in the pan: the sieve holds all of them back.".into();
    }
    if kinds.kinds.is_empty() {
        return format!("None of the {} has a message.", counted(kinds.entries, "entry"));
    }
    format!("No kind is {}; Esc shows all of them.", view.shown)
}

/// How many kinds there are, and what is in none of them.
fn summary(
    view: &KindsView,
    shared: &Shared,
    kinds: &Kinds<Desk>,
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
    if view.table.len() == kinds.kinds.len() {
        say(if view.table.len() == 1 { "kind " } else { "kinds " }, dim);
    } else {
        say(&format!("of {} ", counted(kinds.kinds.len(), "kind")), dim);
    }
    say(&count_text(kinds.entries), strong);
    say(if kinds.entries == 1 { "entry " } else { "entries " }, dim);
    if kinds.without > 0 {
        say(&number(kinds.without), strong);
        say("without a message ", dim);
    }
    if kinds.pooled.0 > 0 {
        let text = format!(
            "{} of the rarest are in no row ",
            counted(usize::try_from(kinds.pooled.0).unwrap_or(usize::MAX), "kind")
        );
        say(&text, theme.level(Some(Level::Warn)));
    }
    if kinds.unread > 0 {
        let text = format!("{} could not be read", counted(kinds.unread, "entry"));
        say(&text, theme.level(Some(Level::Error)));
    }
}

/// The kind under the cursor: when it was said, by whom, and what stands in its holes.
fn one(view: &KindsView, shared: &Shared, kind: &Kind<Desk>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let words = table::read(shared, &Cell::Kind(&kind.text));
    let bold = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    put_kind(theme, (area.x, area.y), area.width, &words, bold, buffer);
    let body = Rect { y: area.y + 1, height: area.height - 1, ..area };
    let narrow = area.width < 110;
    let left = if narrow && view.values { 0 } else { area.width.min(SLICES_CELLS) };
    if left > 0 {
        curve(shared, view, kind, Rect { width: left, ..body }, buffer);
    }
    let x = if left > 0 { area.x + left + 4 } else { area.x };
    if x + 20 >= area.right() {
        return;
    }
    let right = Rect { x, width: area.right() - x, ..body };
    match &view.filled {
        Some(filled) if view.values => holes(shared, filled.fills.as_ref(), right, buffer),
        _ => said_by(shared, kind, right, buffer),
    }
}

/// Cells of the curve of one kind, with the figures at its side.
const SLICES_CELLS: u16 = 74;

/// Entries of a kind over time.
fn curve(shared: &Shared, view: &KindsView, kind: &Kind<Desk>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let Some((first, last)) = view.table.found().and_then(|kinds| kinds.span) else {
        return;
    };
    let faint = theme.style(Role::Faint);
    let peak = kind.curve.iter().copied().max().unwrap_or(0);
    let ticks = round_ticks(u64::from(peak), 2);
    let top = ticks.last().copied().unwrap_or(1);
    let figures =
        u16::try_from(cells(&count_text(usize::try_from(top).unwrap_or(0)))).unwrap_or(6) + 1;
    let plot = Rect {
        x: area.x + figures + 1,
        y: area.y,
        width: area.width.saturating_sub(figures + 1),
        height: area.height - 2,
    };
    let slices = u16::try_from(SLICES).unwrap_or(32);
    let each = (plot.width / slices).max(1);
    let style = theme.level(kind.level);
    for (at, count) in (0u16..).zip(kind.curve.iter()) {
        let bar = Rect { x: plot.x + at * each, width: each.min(2), ..plot };
        if bar.x < plot.right() {
            let part = Part { count: u64::from(*count), style, fill: theme.glyphs.bar };
            stack(&[part], top, bar, theme.is_unicode(), buffer);
        }
    }
    put_right(
        buffer,
        plot.x - 1,
        plot.y,
        figures,
        &count_text(usize::try_from(top).unwrap_or(0)),
        faint,
    );
    put_right(buffer, plot.x - 1, plot.bottom() - 1, figures, "0", faint);
    let end = plot.x + slices * each;
    put(buffer, plot.x, plot.bottom(), 14, &shared.moment(first), faint);
    let middle = first + (last - first) / 2;
    put(buffer, plot.x + slices / 2 * each, plot.bottom(), 14, &shared.moment(middle), faint);
    put_right(buffer, end.min(area.right()), plot.bottom(), 14, &shared.moment(last), faint);
}

/// Who says it, and when.
fn said_by(shared: &Shared, kind: &Kind<Desk>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (dim, text) = (theme.style(Role::Dim), theme.style(Role::Text));
    let time = |time: Option<i64>| time.map_or_else(|| "–".to_owned(), |time| shared.moment(time));
    let mut lines = vec![
        ("first", time(kind.span.map(|span| span.0))),
        ("last", time(kind.span.map(|span| span.1))),
    ];
    if kind.errors > 0 {
        lines.push(("errors", share_text(kind.errors, kind.count)));
    }
    let names: Vec<String> =
        kind.loggers.iter().map(|logger| logger.for_terminal().into_owned()).collect();
    let more = if kind.more_loggers { " and others" } else { "" };
    if !names.is_empty() {
        lines.push(("said by", format!("{}{more}", names.join(", "))));
    }
    if kind.text.as_str().contains('{') {
        lines.push(("holes", "h shows what stands in them".to_owned()));
    }
    for (y, (name, value)) in (area.y..area.bottom()).zip(lines) {
        put(buffer, area.x, y, 8, name, dim);
        put_veiled(theme, (area.x + 9, y), area.width.saturating_sub(9), &value, text, buffer);
    }
}

/// The most frequent values of each hole, a hole a column.
fn holes(shared: &Shared, fills: Option<&Fills<Desk>>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (dim, faint) = (theme.style(Role::Dim), theme.style(Role::Faint));
    let Some(fills) = fills else {
        put(buffer, area.x, area.y, area.width, "looking into the holes …", dim);
        return;
    };
    if fills.holes.is_empty() {
        put(
            buffer,
            area.x,
            area.y,
            area.width,
            "this kind has no holes: it is said in the same words each time",
            dim,
        );
        return;
    }
    let most = (area.width / 26).max(1);
    let shown = u16::try_from(fills.holes.len()).unwrap_or(u16::MAX).min(most);
    let each = area.width / shown;
    for (at, hole) in (0..shown).zip(&fills.holes) {
        let x = area.x + at * each;
        let width = each.saturating_sub(2);
        let different = match hole.more {
            true => format!("over {} different", count_text(hole.values.len())),
            false => format!("{} different", count_text(hole.values.len())),
        };
        let title = hole.hole.for_terminal();
        let used = put(buffer, x, area.y, width, &title, theme.style(Role::Accent));
        put(buffer, x + used + 1, area.y, width.saturating_sub(used + 1), &different, faint);
        for (y, (text, count)) in (area.y + 1..area.bottom()).zip(&hole.values) {
            let share = share_text(*count, fills.entries as u64);
            put_right(buffer, x + 8, y, 8, &share, dim);
            let value = match text.for_terminal() {
                empty if empty.is_empty() => "(nothing)".into(),
                value => value,
            };
            put_veiled(
                theme,
                (x + 9, y),
                width.saturating_sub(9),
                &value,
                theme.style(Role::Text),
                buffer,
            );
        }
    }
    let more = fills.holes.len() - usize::from(shown);
    if more > 0 {
        let text = format!(
            "{} more to the right; cribrum kinds --values lists them",
            counted(more, "hole")
        );
        put_right(buffer, area.right(), area.y - 1, area.width, &text, faint);
    }
}
