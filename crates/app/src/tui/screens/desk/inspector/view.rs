//! One entry in full: its parts as a tree, its text beside it or under it.

use cribrum_core::{
    engine::{Exchange, Lens, Side},
    entry::civil,
    veil::{CleanValue, Desk as Desked},
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::{
    layout::Panes,
    state::{Inspector, Row, View},
    text::Kind,
};
use crate::{
    present::{cells, count_text, counted, span_text},
    tui::{
        screens::desk::state::{Desk, Focus},
        shared::Shared,
        theme::Role,
        widgets::{Scroll, find_style, put, put_right, put_veiled, rule},
    },
};

pub(in crate::tui::screens::desk) fn draw(
    desk: &Desk,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let Some(inspector) = &desk.inspector else { return };
    let theme = &shared.theme;
    let view = match &inspector.view {
        Ok(view) => view,
        Err(error) => {
            let room = area.width.saturating_sub(2);
            put(buffer, area.x + 2, area.y + 1, room, error, theme.style(Role::Wrong));
            return;
        }
    };
    let panes = Panes::of(inspector, area);
    if inspector.raw {
        let title = "as written, secrets hidden · f its parts";
        put(buffer, area.x + 1, area.y, area.width - 1, title, theme.style(Role::Dim));
    } else {
        tree(desk, shared, (inspector, view), panes.tree, buffer);
    }
    if panes.text.height == 0 {
        return;
    }
    if panes.stacked {
        let line = Rect { y: panes.text.y - 1, height: 1, ..area };
        rule(theme, line, None, buffer);
    } else if !inspector.raw {
        for y in area.y..area.bottom() {
            put(buffer, panes.text.x - 2, y, 1, theme.glyphs.down, theme.style(Role::Rule));
        }
    }
    text(desk, shared, (inspector, view), panes.text, buffer);
}

/// How wide names are in the tree.
fn names_width(view: &View) -> u16 {
    let longest = view.rows.iter().map(|row| cells(row.name.as_str()) + row.depth * 2).max();
    u16::try_from(longest.unwrap_or(0).clamp(8, 22)).unwrap_or(22)
}

/// The cells that the tree has for a value.
pub(in crate::tui::screens::desk) fn value_room(inspector: &Inspector, tree: Rect) -> usize {
    let names = inspector.view.as_ref().map_or(8, names_width);
    usize::from(tree.width.saturating_sub(names + 5))
}

fn tree(
    desk: &Desk,
    shared: &Shared,
    (inspector, view): (&Inspector, &View),
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let (dim, faint) = (theme.style(Role::Dim), theme.style(Role::Faint));
    let entry = &view.entry;
    let source = &shared.snapshot.sources[entry.source].name;
    let place = match view.line {
        // What stands before it is still being read.
        0 => source.clone(),
        line => format!("{source}:{line}"),
    };
    let left = area.x + 1;
    let x = left + put(buffer, left, area.y, area.width.saturating_sub(2), &place, dim) + 2;
    let how = match entry.layout.understood() {
        true if entry.doubtful => {
            format!("{} · doubtful, unlike the other lines", entry.layout.name())
        }
        true => format!("{} · understood", entry.layout.name()),
        false => "no layout takes this line".to_owned(),
    };
    let rows = inspector.rows();
    let fixed = fixed(shared, view);
    let shown = usize::from(area.height).saturating_sub(1 + fixed.len());
    let scroll = Scroll::around(inspector.cursor, rows.len(), shown);
    let told = scroll.told(rows.len().saturating_sub(scroll.from + shown));
    let right = area.right().saturating_sub(1);
    let taken = if told.is_empty() { 0 } else { u16::try_from(cells(&told)).unwrap_or(0) + 2 };
    put(buffer, x, area.y, right.saturating_sub(x + taken), &how, faint);
    put_right(buffer, right, area.y, 24, &told, dim);
    let names = names_width(view);
    let value = area.x + 2 + names + 2;
    let room = area.right().saturating_sub(value + 1);
    let mut y = area.y + 1;
    for (name, text, style) in fixed {
        if y < area.bottom() {
            put(buffer, area.x + 2, y, names, name, dim);
            put(buffer, value, y, room, &text, style);
        }
        y += 1;
    }
    for (number, row) in rows.iter().enumerate().skip(scroll.from).take(shown) {
        if number == inspector.cursor {
            buffer.set_style(Rect { y, height: 1, ..area }, theme.style(Role::Selection));
            let here = desk.focus == Focus::Inspector;
            let role = if here { Role::Accent } else { Role::Faint };
            put(buffer, area.x, y, 1, theme.glyphs.pointer, theme.style(role));
        }
        let places = (area.x + 2, value, y, names, room);
        part(shared, (inspector, view), row, places, buffer);
        if let Some(words) = &desk.find.words {
            let line = Rect { x: value, y, width: room, height: 1 };
            find_style(words, line, theme.style(Role::Found), buffer);
        }
        y += 1;
    }
}

/// The parts that every entry has.
fn fixed(shared: &Shared, view: &View) -> Vec<(&'static str, String, Style)> {
    let theme = &shared.theme;
    let entry = &view.entry;
    let mut time = entry.time.map_or_else(
        || "none".to_owned(),
        |time| civil(time, &shared.clock.zone).strftime("%Y-%m-%d %H:%M:%S%.f").to_string(),
    );
    if entry.time_derived {
        time.push_str("  from the entry before");
    }
    let mut level =
        entry.level().map_or_else(|| "none".to_owned(), |level| level.name().to_owned());
    match &entry.level_raw {
        Some(raw) => level.push_str(&format!("  written {}", raw.for_terminal())),
        None if entry.level_derived => level.push_str("  from its status"),
        None => {}
    }
    let text = theme.style(Role::Text);
    let mut fixed = vec![("time", time, text), ("level", level, theme.level(entry.level()))];
    if let Some(exchange) = &entry.exchange {
        fixed.push(("exchange", exchanged(shared, view, exchange), theme.style(Role::Accent)));
    }
    fixed
}

/// What the other half of an exchange is, and how far away.
fn exchanged(shared: &Shared, view: &View, exchange: &Exchange<Desked>) -> String {
    let snapshot = &shared.snapshot;
    let source = snapshot.source_of(exchange.other);
    let source = (source != snapshot.source_of(view.entry.id))
        .then(|| snapshot.sources.get(source).map(|source| source.label.to_string()))
        .flatten();
    let told = |name: &str| {
        let field = exchange.told.iter().find(|field| field.name.as_str() == name);
        match &field?.value {
            CleanValue::Text(text) | CleanValue::Number(text) => {
                Some(text.for_terminal().into_owned())
            }
            _ => None,
        }
    };
    let took = exchange.took.map(span_text);
    let text = match exchange.side {
        Side::Request => {
            let status = told("status").unwrap_or_default();
            let after = took.map(|took| format!("after {took}"));
            ["answered".to_owned(), status, after.unwrap_or_default()]
        }
        Side::Either => {
            let status = told("status").unwrap_or_default();
            let after = took.map(|took| format!("after {took}"));
            ["told too:".to_owned(), status, after.unwrap_or_default()]
        }
        Side::Response => {
            let took = took.map(|took| format!("{took} after"));
            let asked = [told("method"), told("path")].into_iter().flatten();
            ["answers".to_owned(), took.unwrap_or_default(), asked.collect::<Vec<_>>().join(" ")]
        }
    };
    let place = source.map(|source| format!("in {source}"));
    let text: Vec<String> = text.into_iter().chain(place).filter(|part| !part.is_empty()).collect();
    format!("J  {}", text.join(" "))
}

/// One row of the tree.
fn part(
    shared: &Shared,
    (inspector, view): (&Inspector, &View),
    row: &Row,
    (name_x, value_x, y, names, room): (u16, u16, u16, u16, u16),
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let dim = theme.style(Role::Dim);
    let indent = u16::try_from(row.depth * 2).unwrap_or(0).min(names / 2);
    let name = row.name.for_terminal();
    let name = if name.is_empty() { theme.glyphs.dot.into() } else { name };
    put(buffer, name_x + indent, y, names.saturating_sub(indent), &name, dim);
    if let Some(parts) = row.parts {
        let closed = inspector.is_closed(row);
        let sign = if closed { theme.glyphs.right } else { theme.glyphs.place };
        let text = match closed {
            true => format!("{sign} {}", counted(parts, "part")),
            false => sign.to_owned(),
        };
        put(buffer, value_x, y, room, &text, theme.style(Role::Faint));
        return;
    }
    let style = match (row.id_kind, row.hidden) {
        _ if row.joined => theme.style(Role::Dim),
        (Some(_), _) => theme.id(row.value.as_str()),
        (None, true) => theme.style(Role::Hidden),
        (None, false) => theme.style(Role::Text),
    };
    let value = match row.joined {
        true => format!("{}  joined", row.value.for_terminal()).into(),
        false => row.value.for_terminal(),
    };
    let taken = put_veiled(theme, (value_x, y), room, &value, style, buffer);
    let first = view.entry.ids.first();
    let is_first = row.id_kind.is_some() && first.is_some_and(|(_, id)| *id == row.value);
    let searched = shared.lens(Lens::Id).filter(|_| is_first);
    let spread = row
        .spread
        .map(|(entries, sources)| (entries, sources, true))
        .or_else(|| searched.map(|lens| (lens.count, shared.snapshot.sources_in(lens), lens.done)));
    if let Some((entries, sources, done)) = spread {
        let more = if done { "" } else { "…" };
        let text = format!("{}{more} in {}", count_text(entries), counted(sources, "source"));
        let shift = taken + 2;
        let left = room.saturating_sub(shift);
        put(buffer, value_x + shift, y, left, &text, theme.style(Role::Accent));
    }
}

/// The lines to read, from the one at the top on.
fn text(
    desk: &Desk,
    shared: &Shared,
    (inspector, view): (&Inspector, &View),
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let lines = inspector.text();
    let shown = usize::from(area.height);
    let scroll = Scroll::around(inspector.line, lines.len(), shown);
    let here = desk.focus == Focus::Text;
    for (number, line) in lines.iter().enumerate().skip(scroll.from).take(shown) {
        let y = area.y + u16::try_from(number - scroll.from).unwrap_or(0);
        if here && number == inspector.line {
            let row = Rect { y, height: 1, ..area };
            buffer.set_style(row, theme.style(Role::Selection));
            put(buffer, area.x - 1, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        let style = match line.kind {
            Kind::Message => theme.level(view.entry.level()).add_modifier(Modifier::BOLD),
            Kind::Own => theme.style(Role::Text),
            Kind::Foreign => theme.style(Role::Faint),
            Kind::Title => theme.style(Role::Accent),
        };
        put_veiled(theme, (area.x, y), area.width, &line.text, style, buffer);
        if let Some(words) = &desk.find.words {
            let row = Rect { y, height: 1, ..area };
            find_style(words, row, theme.style(Role::Found), buffer);
        }
    }
    let below = lines.len().saturating_sub(scroll.from + shown);
    if scroll.from + below > 0 && area.height > 2 {
        let told = format!(" {} ", scroll.told(below));
        let y = area.bottom() - 1;
        put_right(buffer, area.right(), y, 30, &told, theme.style(Role::Dim));
    }
}
