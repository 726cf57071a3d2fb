//! The list of entries as it is drawn: time, gap, severity, source, id stripe, columns and message.

use cribrum_core::{
    EntryId,
    engine::{Lens, Shown},
    entry::civil,
    veil::CleanValue,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::{line::Line, places::Places};
use crate::{
    present::{Times, cells, counted, gap_text, span_text},
    tui::{
        columns::{Column, field_at},
        screens::desk::state::{Desk, Focus},
        shared::Shared,
        theme::Role,
        widgets::{
            find_style, is_said, pair_text, pairs, put, put_right, put_veiled, without_tail,
        },
    },
};

const SECOND: i64 = 1_000_000_000;

/// Writes the names of the columns that do not explain themselves on the rule above the entries, and how many columns
/// are out of sight.
pub(in crate::tui::screens::desk) fn names(
    shared: &Shared,
    rule: Rect,
    entries: Rect,
    buffer: &mut Buffer,
) {
    let places = Places::of(shared, entries);
    let theme = &shared.theme;
    for (placed, (x, width)) in shared.columns.all().iter().zip(&places.columns) {
        if matches!(placed.column, Column::Field(_) | Column::Logger) {
            let chosen = shared.columns.chosen() == &placed.column;
            let role = if chosen { Role::Accent } else { Role::Dim };
            let name = shared.own_text(placed.column.name());
            put(buffer, *x, rule.y, *width, &name, theme.style(role));
        }
    }
    let (left, right) = places.hidden;
    if left > 0 {
        let text = format!(" {} {left} ", theme.glyphs.left);
        put(buffer, 2, rule.y, 10, &text, theme.style(Role::Accent));
    }
    if right > 0 {
        let text = format!(" {} {} ", counted(right, "more column"), theme.glyphs.right);
        put(buffer, places.message, rule.y, 24, &text, theme.style(Role::Accent));
    }
}

pub(in crate::tui::screens::desk) fn draw(
    desk: &Desk,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let list = List { desk, shared, places: Places::of(shared, area), width: area.width };
    for (line, y) in desk.list.lines.iter().zip(area.y..area.bottom()) {
        match line {
            Line::Quiet(gap) => list.divider(&format!("quiet for {}", span_text(*gap)), y, buffer),
            Line::Day(time) => {
                list.divider(&shared.clock.format(*time, "%A %d %B %Y"), y, buffer);
            }
            Line::Restart(id) => {
                list.divider(&started(shared, *id), y, buffer);
            }
            Line::Entry { id, gap } => list.entry(*id, *gap, y, buffer),
        }
    }
}

/// That a program starts: which of its runs that is, the version that it names, and how long after the entry before.
fn started(shared: &Shared, id: EntryId) -> String {
    let (label, snapshot) = (shared.label_of(id), &shared.snapshot);
    let Some(run) = snapshot.run_from(id).or_else(|| snapshot.run_of(id)) else {
        return format!("{label} starts");
    };
    let mut text = format!("{label} starts");
    if run.number > 1 {
        text = format!("{text}: run {}", run.number);
    }
    let shown = shared.shown(run.first).and_then(|shown| shown.as_ref().ok());
    if let Some(version) = shown.and_then(|shown| version_in(shown.message.as_str())) {
        text = format!("{text}, version {version}");
    }
    if run.number > 1 && run.since > 0 {
        text = format!("{text}, after {}", span_text(run.since));
    }
    text
}

/// The version that a message names: `starting booking 4.7.1`.
fn version_in(message: &str) -> Option<&str> {
    message.split([' ', ',', '(', ')', '"', '=']).find_map(|word| {
        let number = word.strip_prefix('v').unwrap_or(word);
        let parts = || number.split(['.', '-', '+']);
        let numbers = parts()
            .take(2)
            .all(|part| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit()));
        // An address has four numbers, and a duration a unit.
        let plain = number.split('.').count() <= 3 && !number.contains([':', '/', '_']);
        (numbers && parts().count() >= 2 && plain && number.len() <= 24).then_some(number)
    })
}

/// The list while it is drawn.
struct List<'a> {
    desk: &'a Desk,
    shared: &'a Shared,
    places: Places,
    width: u16,
}

impl List<'_> {
    fn divider(&self, text: &str, y: u16, buffer: &mut Buffer) {
        let theme = &self.shared.theme;
        let dot = theme.glyphs.dot;
        let text = format!("{dot}  {dot}  {dot}  {text}  {dot}  {dot}  {dot}");
        let x = if self.places.gap.is_some() { 26 } else { 16 };
        put(buffer, x, y, self.width.saturating_sub(x), &text, theme.style(Role::Faint));
    }

    fn entry(&self, id: EntryId, gap: Option<i64>, y: u16, buffer: &mut Buffer) {
        let (desk, theme) = (self.desk, &self.shared.theme);
        let selected = desk.list.selected == Some(id);
        let here = desk.focus == Focus::Entries;
        if selected {
            buffer.set_style(Rect::new(0, y, self.width, 1), theme.style(Role::Selection));
            let role = if here { Role::Accent } else { Role::Faint };
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(role));
        }
        let message = self.places.message;
        let room = self.width.saturating_sub(message);
        let shown = match self.shared.shown(id) {
            Some(Ok(shown)) => shown,
            Some(Err(error)) => {
                put(buffer, message, y, room, error, theme.style(Role::Wrong));
                return;
            }
            None => return,
        };
        if shown.time.is_some() {
            let role = match (shown.time_derived, selected) {
                (true, _) => Role::Faint,
                (_, true) => Role::Text,
                _ => Role::Dim,
            };
            put(buffer, 1, y, 12, &time_text(self.shared, shown), theme.style(role));
        }
        if let (Some(place), Some(gap)) = (self.places.gap, gap) {
            let role = if gap >= SECOND { Role::Accent } else { Role::Faint };
            put_right(buffer, place + 8, y, 8, &gap_text(gap), theme.style(role));
        }
        for (placed, (x, width)) in self.shared.columns.all().iter().zip(&self.places.columns) {
            let chosen = selected && here && self.shared.columns.chosen() == &placed.column;
            cell(self.shared, shown, &placed.column, (*x, y, *width), chosen, buffer);
        }
        self.message(shown, y, buffer);
        if let Some(words) = &desk.find.words
            && self.shared.lens(Lens::Find).is_some_and(|lens| lens.has(id))
        {
            let row = Rect::new(message, y, room, 1);
            find_style(words, row, theme.style(Role::Found), buffer);
        }
    }

    /// The message, then the lines behind it, then the fields as far as there is room.
    fn message(&self, shown: &Shown, y: u16, buffer: &mut Buffer) {
        let theme = &self.shared.theme;
        let (x, width) = (self.places.message, self.width);
        let role = if shown.layout.understood() { Role::Text } else { Role::Dim };
        let text = without_tail(shown);
        let room = width.saturating_sub(x);
        let mut at = x + put_veiled(theme, (x, y), room, &text, theme.style(role), buffer);
        fade_pairs(self.shared, &text, (x, y, at), shown, buffer);
        if shown.lines > 1 || shown.cut {
            let more = match shown.cut {
                true => "long".to_owned(),
                false => format!("{} {} lines", theme.glyphs.more, shown.lines),
            };
            at += 2;
            at += put(buffer, at, y, width.saturating_sub(at), &more, theme.style(Role::Faint));
        }
        for field in &shown.fields {
            if at + 6 >= width {
                break;
            }
            // What a column or the message has said already need not be said again.
            let columns = self.shared.columns.all();
            let name = Column::Field(field.name.as_str().to_owned());
            if columns.iter().any(|placed| placed.column == name) || is_said(&text, field) {
                continue;
            }
            at += 2;
            let (room, faint) = (width.saturating_sub(at), theme.style(Role::Faint));
            at += put_veiled(theme, (at, y), room, &pair_text(field), faint, buffer);
        }
    }
}

/// One column of an entry.
fn cell(
    shared: &Shared,
    shown: &Shown,
    column: &Column,
    (x, y, width): (u16, u16, u16),
    chosen: bool,
    buffer: &mut Buffer,
) {
    if width == 0 {
        return;
    }
    let theme = &shared.theme;
    let mark = |style: Style| if chosen { style.add_modifier(Modifier::UNDERLINED) } else { style };
    match column {
        Column::Level => {
            let level = shown.level();
            let style = theme.level(level);
            let (glyph, word) = match level {
                Some(level) => (theme.glyphs.severity[level.index()], level.name()),
                None => (" ", theme.glyphs.dot),
            };
            put(buffer, x, y, 1, glyph, style.remove_modifier(Modifier::BOLD));
            put(buffer, x + 2, y, 5, word, mark(style));
        }
        Column::Source => {
            let label = &shared.snapshot.sources[shown.source].label;
            put(buffer, x, y, width, label, mark(theme.lane(shown.source)));
        }
        Column::Logger => {
            if let Some(logger) = &shown.logger {
                let text = ending(&logger.for_terminal(), width);
                put(buffer, x, y, width, &text, mark(theme.style(Role::Dim)));
            }
        }
        Column::Id => {
            if let Some((_, value)) = shown.ids.first() {
                let value = value.for_terminal();
                let style = theme.id(&value);
                let tail: Vec<char> = value.chars().rev().take(4).collect();
                let tail: String = tail.into_iter().rev().collect();
                put(buffer, x, y, 1, theme.glyphs.stripe, style);
                put(buffer, x + 1, y, 4, &tail, mark(style));
            }
        }
        Column::Field(path) => {
            let Some(field) = field_at(shown, path) else { return };
            let text = pair_text(field);
            let text = text.split_once('=').map_or(text.as_str(), |(_, value)| value);
            let style = mark(theme.style(Role::Text));
            // Figures line up at their end.
            let number = match &field.value {
                CleanValue::Number(_) => true,
                CleanValue::Text(text) => cribrum_core::query::duration(text.as_str()).is_some(),
                _ => false,
            };
            let taken = u16::try_from(cells(text)).unwrap_or(width).min(width);
            let from = if number { x + width - taken } else { x };
            put_veiled(theme, (from, y), x + width - from, text, style, buffer);
        }
        Column::Message => {}
    }
}

/// The end of a name that is too long: `booking.holds.Sweeper` is told by its last parts.
fn ending(name: &str, width: u16) -> String {
    let width = usize::from(width);
    if cells(name) <= width {
        return name.to_owned();
    }
    let parts = name.match_indices(['.', ':', '/']).map(|(at, sign)| name.get(at + sign.len()..));
    let fits = |part: &&str| cells(part) < width && !part.is_empty();
    match parts.flatten().find(fits) {
        Some(part) => format!("…{part}"),
        None => name.to_owned(),
    }
}

/// An entry's time in the zone shown, or as its log has it.
fn time_text(shared: &Shared, shown: &Shown) -> String {
    let clock = &shared.clock;
    let written = shown.written.filter(|_| clock.times == Times::Written && !shown.time_derived);
    let moment = match written {
        Some(written) => civil(written, &jiff::tz::TimeZone::UTC),
        None => civil(shown.time.unwrap_or(0), &clock.zone),
    };
    moment.strftime("%H:%M:%S%.3f").to_string()
}

/// Pairs within a message are read second, like the fields that they are.
fn fade_pairs(
    shared: &Shared,
    text: &str,
    (x, y, end): (u16, u16, u16),
    shown: &Shown,
    buffer: &mut Buffer,
) {
    let dim = shared.theme.style(Role::Dim);
    for pair in pairs(shown) {
        if let Some(at) = text.find(&pair) {
            let from = x + u16::try_from(cells(text.get(..at).unwrap_or_default())).unwrap_or(0);
            let to = from.saturating_add(u16::try_from(cells(&pair)).unwrap_or(0)).min(end);
            for cell in from..to {
                if let Some(cell) = buffer.cell_mut((cell, y))
                    && cell.fg == shared.theme.style(Role::Text).fg.unwrap_or_default()
                {
                    cell.set_style(dim);
                }
            }
        }
    }
}
