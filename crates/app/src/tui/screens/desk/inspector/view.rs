//! One entry in full: its parts on the left, its lines on the right, and what a key does with a part.

use cribrum_core::{engine::Lens, entry::civil};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::{Inspector, View};
use crate::{
    present::{cells, count_text, wrapped},
    tui::{
        screens::desk::state::{Desk, Focus},
        shared::Shared,
        theme::Role,
        widgets::{put, put_veiled},
    },
};

pub(in crate::tui::screens::desk) fn draw(
    desk: &Desk,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let Some(inspector) = &desk.inspector else {
        return;
    };
    let view = match &inspector.view {
        Ok(view) => view,
        Err(error) => {
            put(buffer, 2, area.y + 1, area.width - 2, error, shared.theme.style(Role::Wrong));
            return;
        }
    };
    if inspector.raw {
        return raw(shared, inspector, view, area, buffer);
    }
    let has_body = view.entry.body.is_some() || view.entry.message.as_str().len() > 60;
    let left = match (area.width, has_body) {
        (0..100, true) => area.width / 2,
        (0..100, false) => area.width,
        (width, _) => width * 3 / 8,
    };
    parts(desk, shared, inspector, view, Rect { width: left, ..area }, buffer);
    if left == area.width {
        return;
    }
    for y in area.y..area.bottom() {
        put(buffer, left, y, 1, shared.theme.glyphs.down, shared.theme.style(Role::Rule));
    }
    let actions = if area.width >= 130 { 24 } else { 0 };
    let right = Rect { x: left + 2, width: area.width.saturating_sub(left + 2 + actions), ..area };
    body(shared, view, right, buffer);
    if actions > 0 {
        let x = area.right() - actions;
        let (dim, keys) = (shared.theme.style(Role::Dim), shared.theme.style(Role::Accent));
        put(buffer, x, area.y, actions, "with this value", dim);
        let all = [
            ("=", "keep only"),
            ("-", "drop"),
            ("t", "trail"),
            ("y", "copy the entry"),
            ("o", "more with it"),
            ("⏎", "as written"),
        ];
        for (at, (key, word)) in all.iter().enumerate() {
            let y = area.y + 1 + u16::try_from(at).unwrap_or(0);
            if y < area.bottom() {
                put(buffer, x, y, 2, key, keys);
                put(buffer, x + 3, y, actions, word, dim);
            }
        }
    }
}

fn parts(
    desk: &Desk,
    shared: &Shared,
    inspector: &Inspector,
    view: &View,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let entry = &view.entry;
    let (dim, faint, text) =
        (theme.style(Role::Dim), theme.style(Role::Faint), theme.style(Role::Text));
    let source = &shared.snapshot.sources[entry.source].name;
    let place = match view.line {
        // What stands before it is still being read.
        0 => source.clone(),
        line => format!("{source}:{line}"),
    };
    let x = 1 + put(buffer, 1, area.y, area.width - 1, &place, dim);
    let how = match entry.layout.understood() {
        true if entry.doubtful => {
            format!("{} · doubtful, unlike the other lines", entry.layout.name())
        }
        true => format!("{} · understood", entry.layout.name()),
        false => "no layout took this line".to_owned(),
    };
    put(buffer, x + 2, area.y, area.width.saturating_sub(x + 2), &how, faint);
    let longest = view.rows.iter().map(|row| cells(row.name.as_str()) + row.depth * 2).max();
    let names = u16::try_from(longest.unwrap_or(0).clamp(8, 22)).unwrap_or(22);
    let value = 2 + names + 2;
    let room = area.width.saturating_sub(value + 1);
    let time = entry.time.map_or_else(
        || "none".to_owned(),
        |time| civil(time, &shared.clock.zone).strftime("%Y-%m-%d %H:%M:%S%.f").to_string(),
    );
    let mut fixed = vec![("time", time, text)];
    if entry.time_derived {
        fixed[0].1.push_str("  from the entry before");
    }
    let mut level =
        entry.level().map_or_else(|| "none".to_owned(), |level| level.name().to_owned());
    match &entry.level_raw {
        Some(raw) => level.push_str(&format!("  written {}", raw.for_terminal())),
        None if entry.level_derived => level.push_str("  from its status"),
        None => {}
    }
    fixed.push(("level", level, theme.level(entry.level())));
    let mut y = area.y + 1;
    for (name, text, style) in fixed {
        if y < area.bottom() {
            put(buffer, 2, y, names, name, dim);
            put(buffer, value, y, room, &text, style);
        }
        y += 1;
    }
    let rows = usize::from(area.bottom().saturating_sub(y));
    let from = inspector.cursor.saturating_sub(rows.saturating_sub(1));
    for (number, row) in view.rows.iter().enumerate().skip(from).take(rows) {
        if number == inspector.cursor {
            buffer.set_style(Rect::new(0, y, area.width, 1), theme.style(Role::Selection));
            let here = desk.focus == Focus::Inspector;
            let role = if here { Role::Accent } else { Role::Faint };
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(role));
        }
        let indent = 2 + u16::try_from(row.depth * 2).unwrap_or(0);
        let name = row.name.for_terminal();
        let name = if name.is_empty() { theme.glyphs.dot.into() } else { name };
        put(buffer, indent, y, names, &name, dim);
        let style = match (row.id_kind, row.hidden) {
            (Some(_), _) => theme.id(row.value.as_str()),
            (None, true) => theme.style(Role::Hidden),
            (None, false) => text,
        };
        let taken = put_veiled(theme, (value, y), room, &row.value.for_terminal(), style, buffer);
        let counted = shared.lens(Lens::Id).filter(|_| {
            row.id_kind.is_some() && view.entry.ids.first().is_some_and(|(_, id)| *id == row.value)
        });
        if let Some(lens) = counted {
            let sources = shared.snapshot.sources_in(lens);
            let more = if lens.done { "" } else { "…" };
            let noun = if sources == 1 { "source" } else { "sources" };
            let text = format!("{}{more} in {sources} {noun}", count_text(lens.count));
            let x = value + taken + 2;
            put(buffer, x, y, area.width.saturating_sub(x + 1), &text, theme.style(Role::Accent));
        }
        y += 1;
    }
}

/// The message and the lines behind it.
fn body(shared: &Shared, view: &View, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let entry = &view.entry;
    let title = theme.level(entry.level()).add_modifier(Modifier::BOLD);
    let mut y = area.y;
    for line in wrapped(&entry.message.for_terminal(), usize::from(area.width)) {
        if y < area.bottom() {
            put_veiled(theme, (area.x, y), area.width, &line, title, buffer);
        }
        y += 1;
    }
    let lines = entry.body.iter().flat_map(|body| body.as_str().lines());
    for line in lines {
        if y >= area.bottom() {
            break;
        }
        let own = !line.starts_with([' ', '\t']);
        let style = theme.style(if own { Role::Text } else { Role::Dim });
        let line = cribrum_core::veil::harmless(line).replace('\t', "    ");
        put_veiled(theme, (area.x, y), area.width, &line, style, buffer);
        y += 1;
    }
}

/// The entry as it stands in its source.
fn raw(shared: &Shared, inspector: &Inspector, view: &View, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let title = "as written, secrets hidden · ⏎ its parts";
    put(buffer, 1, area.y, area.width - 1, title, theme.style(Role::Dim));
    let text = view.raw.for_terminal();
    let width = usize::from(area.width.saturating_sub(3));
    let lines: Vec<String> = text.lines().flat_map(|line| wrapped(line, width)).collect();
    let rows = usize::from(area.height.saturating_sub(1));
    let from = inspector.scroll.min(lines.len().saturating_sub(rows));
    for (at, line) in lines.iter().skip(from).take(rows).enumerate() {
        let y = area.y + 1 + u16::try_from(at).unwrap_or(0);
        put_veiled(theme, (2, y), area.width - 2, line, theme.style(Role::Text), buffer);
    }
}
