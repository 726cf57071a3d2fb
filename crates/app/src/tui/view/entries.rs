//! The list of entries: time, gap, severity, source, id stripe and message.

use cribrum_core::{
    EntryId,
    engine::{Lens, Shown},
    entry::civil,
    veil::{CleanField, CleanValue},
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::{desk_areas, put, put_right};
use crate::tui::{
    columns::{Column, Placed, field_at},
    state::{App, Focus, Line, Screen, Times},
    text::{cells, gap_text, one_line, span_text},
    theme::Role,
};

const SECOND: i64 = 1_000_000_000;
/// A silence shorter than this is never drawn as one.
const QUIET: i64 = 60 * SECOND;

/// A program that says it starts, and says so again within this time, has started once.
const STARTING: i64 = 20 * SECOND;

/// Chooses the lines that are on the screen; their entries are read by somebody else. Cost: the rows of one screen.
pub(crate) fn prepare(app: &mut App) {
    if !matches!(app.screen, Screen::Desk) {
        return;
    }
    let height = usize::from(desk_areas(app).entries.height);
    app.desk.height = height;
    let len = app.snapshot.pan.len();
    if len == 0 || height == 0 {
        app.desk.lines.clear();
        return;
    }
    let cursor = app.row();
    app.go(cursor);
    let top = app.desk.top.map_or(0, |id| app.snapshot.row_of(id)).min(len - 1);
    let mut first = top.min(cursor);
    // A jump far away puts the cursor into the middle, a step to the edge keeps the page still.
    if cursor > top + 2 * height {
        first = cursor.saturating_sub(height / 2);
    }
    if app.desk.follow {
        first = cursor.saturating_sub(height.saturating_sub(1));
    }
    let mut lines = lines_from(app, first, height);
    while !shows(&lines, app.snapshot.pan.get(cursor)) && first < cursor {
        first += 1;
        lines = lines_from(app, first, height);
    }
    // The last page is full, as far as there are entries.
    while lines.len() < height && first > 0 {
        let more = lines_from(app, first - 1, height);
        if !shows(&more, app.snapshot.pan.get(cursor)) {
            break;
        }
        first -= 1;
        lines = more;
    }
    app.desk.top = app.snapshot.pan.get(first);
    app.desk.lines = lines;
}

fn shows(lines: &[Line], id: Option<EntryId>) -> bool {
    lines.iter().any(|line| matches!(line, Line::Entry { id: shown, .. } if Some(*shown) == id))
}

/// At most `height` lines from a row on, silences and new days between the entries.
fn lines_from(app: &App, first: usize, height: usize) -> Vec<Line> {
    let snapshot = &app.snapshot;
    let mut before =
        first.checked_sub(1).and_then(|row| snapshot.pan.get(row)).and_then(|id| snapshot.time(id));
    let entries: Vec<(EntryId, Option<i64>, Option<i64>)> = snapshot
        .pan
        .iter_from(first)
        .take(height)
        .map(|id| {
            let time = snapshot.time(id);
            let gap = time.zip(before).map(|(time, before)| time - before);
            before = time;
            (id, time, gap)
        })
        .collect();
    let mut gaps: Vec<i64> = entries.iter().filter_map(|(_, _, gap)| *gap).collect();
    gaps.sort_unstable();
    // Quiet is what is long beside most gaps: among sparse entries every gap is long.
    let usual = gaps.get(gaps.len() * 3 / 4).copied().unwrap_or(0);
    let quiet = QUIET.max(usual.saturating_mul(3));
    let starts = snapshot.lens(Lens::Start);
    let mut started: Vec<(usize, i64)> = Vec::new();
    let mut lines = Vec::with_capacity(height);
    for (id, time, gap) in entries {
        if let (Some(time), Some(gap)) = (time, gap)
            && !lines.is_empty()
        {
            let day = |time| civil(time, &app.zone).date();
            if day(time) != day(time - gap) {
                lines.push(Line::Day(time));
            } else if gap >= quiet {
                lines.push(Line::Quiet(gap));
            }
        }
        // What a program says while it starts is several lines as a rule.
        if starts.is_some_and(|starts| starts.has(id)) || snapshot.headed_again(id) {
            let (source, time) = (snapshot.source_of(id), time.unwrap_or(0));
            let just = |(of, at): &(usize, i64)| *of == source && time - at < STARTING;
            if !started.iter().any(just) && !lines.is_empty() {
                lines.push(Line::Restart(id));
            }
            started.push((source, time));
        }
        lines.push(Line::Entry { id, gap });
        if lines.len() >= height {
            break;
        }
    }
    lines.truncate(height);
    lines
}

/// The cells at which the columns of the list begin.
struct Places {
    gap: Option<u16>,
    /// Where each column begins and how wide it is, in the order of the columns; the message comes last.
    columns: Vec<(u16, u16)>,
    message: u16,
}

impl Places {
    fn of(app: &App, area: Rect) -> Self {
        let roomy = area.width >= 90;
        let space = if roomy { 2 } else { 1 };
        let mut x = if roomy { 24 } else { 14 };
        // The message keeps a third of the line.
        let most = area.width - area.width / 3;
        let mut columns = Vec::new();
        for placed in app.desk.columns.all() {
            let width = width_of(app, placed, roomy);
            let fits = x + width < most || placed.column == Column::Message;
            let width = if fits { width } else { 0 };
            columns.push((x, width));
            x += width + if width > 0 { space } else { 0 };
        }
        let message = columns.last().map_or(x, |(x, _)| *x);
        Self { gap: roomy.then_some(14), columns, message }
    }
}

/// How wide a column is drawn.
fn width_of(app: &App, placed: &Placed, roomy: bool) -> u16 {
    match (&placed.column, placed.width) {
        (Column::Level, _) => 7,
        (Column::Id, _) => {
            if roomy {
                5
            } else {
                6
            }
        }
        (Column::Message, _) => 0,
        (_, Some(width)) => width,
        (Column::Source, None) => {
            let widest = app.snapshot.sources.iter().map(|s| cells(&s.label)).max().unwrap_or(4);
            u16::try_from(widest.clamp(4, if roomy { 18 } else { 9 })).unwrap_or(9)
        }
        (Column::Field(_), None) => 14,
    }
}

/// How wide the chosen column is drawn.
pub(in crate::tui) fn column_width(app: &App) -> u16 {
    let roomy = desk_areas(app).entries.width >= 90;
    let columns = &app.desk.columns;
    let chosen = columns.all().iter().find(|placed| placed.column == *columns.chosen());
    chosen.map_or(0, |placed| width_of(app, placed, roomy))
}

/// Writes the names of the columns that are fields on the rule above the entries.
pub(super) fn names(app: &App, rule: Rect, entries: Rect, buffer: &mut Buffer) {
    let places = Places::of(app, entries);
    for (placed, (x, width)) in app.desk.columns.all().iter().zip(&places.columns) {
        if let Column::Field(path) = &placed.column {
            let chosen = app.desk.columns.chosen() == &placed.column;
            let role = if chosen { Role::Accent } else { Role::Dim };
            let name = app.snapshot.own_text(path);
            put(
                buffer,
                *x,
                rule.y,
                *width,
                &format!("{} ", name.for_terminal()),
                app.theme.style(role),
            );
        }
    }
}

pub(super) fn draw(app: &App, area: Rect, buffer: &mut Buffer) {
    let places = Places::of(app, area);
    for (at, line) in app.desk.lines.iter().enumerate().take(usize::from(area.height)) {
        let y = area.y + u16::try_from(at).unwrap_or(0);
        match line {
            Line::Quiet(gap) => {
                divider(app, &format!("quiet for {}", span_text(*gap)), y, &places, area, buffer);
            }
            Line::Day(time) => {
                let day = civil(*time, &app.zone).strftime("%A %d %B %Y").to_string();
                divider(app, &day, y, &places, area, buffer);
            }
            Line::Restart(id) => {
                let label = &app.snapshot.sources[app.snapshot.source_of(*id)].label;
                divider(app, &format!("{label} starts"), y, &places, area, buffer);
            }
            Line::Entry { id, gap } => entry(app, *id, *gap, y, &places, area, buffer),
        }
    }
}

fn divider(app: &App, text: &str, y: u16, places: &Places, area: Rect, buffer: &mut Buffer) {
    let dot = app.theme.glyphs.dot;
    let text = format!("{dot}  {dot}  {dot}  {text}  {dot}  {dot}  {dot}");
    let x = if places.gap.is_some() { 26 } else { 16 };
    put(buffer, x, y, area.width.saturating_sub(x), &text, app.theme.style(Role::Faint));
}

fn entry(
    app: &App,
    id: EntryId,
    gap: Option<i64>,
    y: u16,
    places: &Places,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &app.theme;
    let selected = app.desk.selected == Some(id);
    let here = app.desk.focus == Focus::Entries;
    if selected {
        buffer.set_style(Rect::new(0, y, area.width, 1), theme.style(Role::Selection));
        let role = if here { Role::Accent } else { Role::Faint };
        put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(role));
    }
    let shown = match app.shown(id) {
        Some(Ok(shown)) => shown,
        Some(Err(error)) => {
            put(
                buffer,
                places.message,
                y,
                area.width - places.message,
                error,
                theme.style(Role::Wrong),
            );
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
        put(buffer, 1, y, 12, &time_text(app, shown), theme.style(role));
    }
    if let (Some(place), Some(gap)) = (places.gap, gap) {
        let role = if gap >= SECOND { Role::Accent } else { Role::Faint };
        put_right(buffer, place + 8, y, 8, &gap_text(gap), theme.style(role));
    }
    for (placed, (x, width)) in app.desk.columns.all().iter().zip(&places.columns) {
        let chosen = selected && here && app.desk.columns.chosen() == &placed.column;
        cell(app, shown, &placed.column, (*x, y, *width), chosen, buffer);
    }
    message(app, shown, y, places.message, area, buffer);
    if app.lens(Lens::Find).is_some_and(|lens| lens.has(id)) {
        highlight(app, y, places.message, area, buffer);
    }
}

/// One column of an entry.
fn cell(
    app: &App,
    shown: &Shown,
    column: &Column,
    (x, y, width): (u16, u16, u16),
    chosen: bool,
    buffer: &mut Buffer,
) {
    if width == 0 {
        return;
    }
    let theme = &app.theme;
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
            let label = &app.snapshot.sources[shown.source].label;
            put(buffer, x, y, width, label, mark(theme.lane(shown.source)));
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
            let number = matches!(field.value, CleanValue::Number(_));
            let taken = u16::try_from(cells(text)).unwrap_or(width).min(width);
            let from = if number { x + width - taken } else { x };
            put_veiled(app, from, y, x + width - from, text, style, buffer);
        }
        Column::Message => {}
    }
}

/// An entry's time in the zone shown, or as its log has it.
fn time_text(app: &App, shown: &Shown) -> String {
    let written = shown.written.filter(|_| app.times == Times::Written && !shown.time_derived);
    let moment = match written {
        Some(written) => civil(written, &jiff::tz::TimeZone::UTC),
        None => civil(shown.time.unwrap_or(0), &app.zone),
    };
    moment.strftime("%H:%M:%S%.3f").to_string()
}

/// The message, then the lines behind it, then the fields as far as there is room.
fn message(app: &App, shown: &Shown, y: u16, x: u16, area: Rect, buffer: &mut Buffer) {
    let theme = &app.theme;
    let role = match shown.layout.understood() {
        true => Role::Text,
        false => Role::Dim,
    };
    let text = without_tail(shown);
    let mut at =
        x + put_veiled(app, x, y, area.width.saturating_sub(x), &text, theme.style(role), buffer);
    fade_pairs(app, &text, (x, y, at), shown, buffer);
    if shown.lines > 1 || shown.cut {
        let more = match shown.cut {
            true => "long".to_owned(),
            false => format!("{} {} lines", theme.glyphs.more, shown.lines),
        };
        at += 2;
        at += put(buffer, at, y, area.width.saturating_sub(at), &more, theme.style(Role::Faint));
    }
    for field in &shown.fields {
        if at + 6 >= area.width {
            break;
        }
        // What a column or the message has said already need not be said again.
        let shown_apart = app
            .desk
            .columns
            .all()
            .iter()
            .any(|placed| placed.column == Column::Field(field.name.as_str().to_owned()));
        if shown_apart || is_said(&text, field) {
            continue;
        }
        at += 2;
        let style = theme.style(Role::Faint);
        at +=
            put_veiled(app, at, y, area.width.saturating_sub(at), &pair_text(field), style, buffer);
    }
}

/// The message without the pairs in it, which are fields anyway; all of it where nothing else is in it.
pub(super) fn brief(shown: &Shown) -> String {
    let mut text = one_line(&shown.message.for_terminal()).into_owned();
    for pair in pairs(shown) {
        text = text.replace(&pair, "");
    }
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if text.is_empty() { shown.message.for_terminal().into_owned() } else { text }
}

/// The message without the pairs that it ends with: they are shown behind it, like all fields.
fn without_tail(shown: &Shown) -> String {
    let mut text = one_line(&shown.message.for_terminal()).into_owned();
    let pairs: Vec<String> = pairs(shown).collect();
    loop {
        let trimmed = text.trim_end();
        let tail = pairs.iter().find_map(|pair| {
            let (name, value) = pair.split_once('=')?;
            trimmed
                .strip_suffix(pair)
                .or_else(|| trimmed.strip_suffix(&format!("{name}=\"{value}\"")))
        });
        match tail {
            Some(rest) if !rest.trim().is_empty() && rest.ends_with(' ') => {
                text = rest.trim_end().to_owned();
            }
            _ => return text,
        }
    }
}

/// The fields and ids of an entry as `name=value`.
fn pairs(shown: &Shown) -> impl Iterator<Item = String> + '_ {
    let ids = shown.ids.iter().map(|(kind, id)| format!("{kind}={}", id.for_terminal()));
    shown.fields.iter().map(pair_text).chain(ids)
}

/// Whether a message holds the value of a field as a word of its own.
fn is_said(message: &str, field: &CleanField) -> bool {
    let (CleanValue::Text(value) | CleanValue::Number(value)) = &field.value else {
        return false;
    };
    let value = value.as_str();
    // A short number is in many a message that says something else.
    if value.len() < 3 {
        return message.contains(&pair_text(field));
    }
    let bounded = |c: Option<char>| !c.is_some_and(char::is_alphanumeric);
    message.match_indices(value).any(|(at, _)| {
        let (before, after) = (message.get(..at), message.get(at + value.len()..));
        bounded(before.and_then(|text| text.chars().next_back()))
            && bounded(after.and_then(|text| text.chars().next()))
    })
}

/// Pairs within a message are read second, like the fields that they are.
fn fade_pairs(
    app: &App,
    text: &str,
    (x, y, end): (u16, u16, u16),
    shown: &Shown,
    buffer: &mut Buffer,
) {
    let dim = app.theme.style(Role::Dim);
    for pair in pairs(shown) {
        if let Some(at) = text.find(&pair) {
            let from = x + u16::try_from(cells(text.get(..at).unwrap_or_default())).unwrap_or(0);
            let to = from.saturating_add(u16::try_from(cells(&pair)).unwrap_or(0)).min(end);
            for cell in from..to {
                if let Some(cell) = buffer.cell_mut((cell, y))
                    && cell.fg == app.theme.style(Role::Text).fg.unwrap_or_default()
                {
                    cell.set_style(dim);
                }
            }
        }
    }
}

pub(super) fn pair_text(field: &CleanField) -> String {
    let name = field.name.for_terminal();
    match &field.value {
        CleanValue::Text(text) | CleanValue::Number(text) => {
            format!("{name}={}", one_line(&text.for_terminal()))
        }
        CleanValue::List(items) => format!("{name}=[{}]", items.len()),
        CleanValue::Map(fields) => format!("{name}={{{}}}", fields.len()),
        word => format!("{name}={}", word.word()),
    }
}

/// Writes text in which stand-ins have a colour of their own.
pub(super) fn put_veiled(
    app: &App,
    x: u16,
    y: u16,
    width: u16,
    text: &str,
    style: Style,
    buffer: &mut Buffer,
) -> u16 {
    let taken = put(buffer, x, y, width, text, style);
    if text.contains('«') {
        let hidden = app.theme.style(Role::Hidden);
        let mut within = false;
        for cell in x..x + taken {
            let Some(cell) = buffer.cell_mut((cell, y)) else {
                continue;
            };
            within |= cell.symbol() == "«";
            if within {
                cell.set_style(hidden);
            }
            within &= cell.symbol() != "»";
        }
    }
    taken
}

/// Marks the words that find looks for.
fn highlight(app: &App, y: u16, x: u16, area: Rect, buffer: &mut Buffer) {
    let Some(words) = &app.found else { return };
    let any_case = !words.chars().any(char::is_uppercase);
    let fold = |text: &str| {
        if any_case { text.to_lowercase() } else { text.to_owned() }
    };
    let want: Vec<String> = words.chars().map(|c| fold(&c.to_string())).collect();
    let row: Vec<String> = (x..area.width)
        .map(|x| buffer.cell((x, y)).map_or_else(String::new, |cell| fold(cell.symbol())))
        .collect();
    for at in 0..row.len().saturating_sub(want.len().saturating_sub(1)) {
        if row[at..at + want.len()] == want[..] {
            let from = x + u16::try_from(at).unwrap_or(0);
            let width = u16::try_from(want.len()).unwrap_or(0);
            buffer.set_style(Rect::new(from, y, width, 1), app.theme.style(Role::Found));
        }
    }
}
