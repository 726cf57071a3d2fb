//! The sources as a table, and lines of the one under the cursor.

use std::ops::Range;

use cribrum_core::{
    engine::SourceStatus,
    entry::{Correction, Level, zone_name},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    samples::{Sample, taught},
    state::IntakeView,
};
use crate::{
    present::{count_text, rate_text, size_text},
    settings,
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{heading, put, put_right, rule},
    },
};

pub(super) fn draw(view: &IntakeView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let (cursor, samples) = (view.cursor, view.samples.as_slice());
    let theme = &shared.theme;
    let snapshot = &shared.snapshot;
    heading(shared, "intake", &shared.title, area, buffer);
    let wide = area.width >= 120;
    let names = snapshot.sources.iter().map(|s| s.name.chars().count()).max().unwrap_or(8);
    let name = u16::try_from(names.clamp(8, if wide { 32 } else { 14 })).unwrap_or(14);
    let (entries, share) = (name + 15, name + 28);
    let span = share + 3;
    let layouts = span + if wide { 24 } else { 20 };
    let dim = theme.style(Role::Dim);
    let head = area.y + 2;
    put(buffer, 3, head, name, "source", dim);
    put_right(buffer, entries, head, 11, "entries", dim);
    put_right(buffer, share, head, 10, "understood", dim);
    put(buffer, span, head, 20, "from … to", dim);
    put(buffer, layouts, head, 20, "layouts", dim);
    let levels = layouts + 38;
    if wide {
        put(buffer, levels, head, 20, "levels", dim);
    }
    rule(theme, Rect { y: head + 1, height: 1, ..area }, None, buffer);
    let top = head + 2;
    let problems = shared.problems.len() + snapshot.waiting.len();
    let problems = u16::try_from(problems.min(6)).unwrap_or(0);
    let noted = snapshot.status.iter().map(|status| status.notes.len().min(1)).sum::<usize>();
    let noted = u16::try_from(noted.min(8)).unwrap_or(0);
    // The table takes what it needs, up to half of the screen where there are lines to show.
    let wanted = u16::try_from(snapshot.sources.len()).unwrap_or(u16::MAX);
    let lower = if samples.is_empty() { 0 } else { area.height / 2 };
    let room = area.height.saturating_sub(top + 2 + problems + noted + lower).max(3);
    let rows = usize::from(room.min(wanted).max(1));
    let from = cursor.saturating_sub(rows.saturating_sub(1));
    let all = snapshot.sources.iter().zip(&snapshot.status).enumerate().skip(from).take(rows);
    let mut y = top;
    for (number, (source, status)) in all {
        if number == cursor {
            buffer.set_style(Rect { y, height: 1, ..area }, theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        put(buffer, 3, y, name, &source.name, theme.lane(number));
        put_right(buffer, entries, y, 11, &count_text(status.entries()), theme.style(Role::Text));
        let plain = status.entries() - status.understood();
        let text = match (status.entries(), plain) {
            (0, _) => "-".to_owned(),
            (_, 0) if status.doubtful >= 1_000 => format!("{} ?", count_text(status.doubtful)),
            (_, 0) if status.doubtful > 0 => format!("{} doubtful", status.doubtful),
            (_, 0) => "all".to_owned(),
            _ => format!("−{}", count_text(plain)),
        };
        let role = if plain + status.doubtful > 0 { Role::Slow } else { Role::Text };
        put_right(buffer, share, y, 12, &text, theme.style(role));
        if let Some((first, last)) = status.span {
            let form = if wide { "%H:%M:%S" } else { "%H:%M" };
            let time = |time| shared.clock.format(time, form);
            put(buffer, span, y, 22, &format!("{} … {}", time(first), time(last)), dim);
        }
        let room = if wide { 36 } else { area.width.saturating_sub(layouts) };
        put(buffer, layouts, y, room, &layout_shares(status), theme.style(Role::Text));
        if wide {
            level_counts(shared, &status.levels, (levels, y), area.right(), buffer);
        }
        y += 1;
        y += told(shared, status, number == cursor, Rect { y, ..area }, buffer);
    }
    y += 1;
    let waiting = snapshot.waiting.iter();
    for problem in waiting.chain(&shared.problems).take(usize::from(problems)) {
        let role = if problem.is_fatal() { Role::Wrong } else { Role::Dim };
        let text = format!("{}: {}", problem.source, problem.message);
        put(buffer, 3, y, area.width - 4, &text, theme.style(role));
        y += 1;
    }
    let bottom = area.bottom();
    if y + 5 < bottom && !samples.is_empty() {
        rule(theme, Rect { y, height: 1, ..area }, None, buffer);
        let text = about(&snapshot.status[cursor], samples);
        put(buffer, 3, y + 1, area.width - 4, &text, theme.style(Role::Text));
        sample(view, shared, Rect { y: y + 2, height: bottom - y - 2, ..area }, buffer);
    }
}

/// What is wrong with a source, and what has happened to its files. Says how many rows that takes.
fn told(
    shared: &Shared,
    status: &SourceStatus,
    chosen: bool,
    area: Rect,
    buffer: &mut Buffer,
) -> u16 {
    let theme = &shared.theme;
    let problem = status.problem.iter().map(|problem| (Role::Wrong, problem.clone()));
    let notes = status.notes.iter().rev().take(if chosen { 3 } else { 1 });
    let notes = notes.map(|note| {
        let at = shared.clock.format(note.time, "%H:%M:%S");
        (if note.lossy { Role::Slow } else { Role::Dim }, format!("{at}  {}", note.text))
    });
    let mut rows = 0;
    for (role, text) in problem.chain(notes) {
        let width = area.width.saturating_sub(6);
        put(buffer, 5, area.y.saturating_add(rows), width, &text, theme.style(role));
        rows += 1;
    }
    rows
}

/// How a source is written, in a line: size, encoding, rate, zone and clock.
fn about(status: &SourceStatus, samples: &[Sample]) -> String {
    let mut parts = vec![size_text(status.bytes.1)];
    parts.push(status.form.name().unwrap_or("UTF-8").to_owned());
    parts.extend(status.rate().map(rate_text));
    let zone = status.clock.zone.as_ref().map_or_else(|| "UTC".to_owned(), zone_name);
    let zoned: Vec<bool> = samples.iter().filter_map(|sample| sample.zoned).collect();
    parts.push(match (zoned.is_empty(), zoned.iter().all(|zoned| *zoned)) {
        (true, _) => "no times".to_owned(),
        (_, true) => "times name their zone".to_owned(),
        _ => format!("times name no zone: {zone}"),
    });
    if status.doubtful > 0 {
        parts.push(format!("{} doubtful, unlike the other lines", count_text(status.doubtful)));
    }
    if status.clock.shift != 0 {
        let shift = Correction { zone: None, ..status.clock.clone() };
        parts.push(format!("clock {shift}"));
    }
    parts.join(" · ")
}

/// The places that are captured of a line, with their names; nothing where it doesn't fit.
type Captured = Option<Vec<(Range<usize>, String)>>;

/// Lines of the source under the cursor, with what is captured of them: by its layouts, or by the template
/// that is being typed.
fn sample(view: &IntakeView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let samples = &view.samples;
    let own = view.template.as_deref().map(taught);
    let captured: Vec<Captured> = samples
        .iter()
        .map(|sample| match &own {
            None => sample.understood.then(|| sample.taken.clone()),
            Some(Ok(own)) => own
                .captures(sample.text.as_bytes())
                .map(|taken| taken.into_iter().map(|(name, place)| (place, name)).collect()),
            Some(Err(_)) => None,
        })
        .collect();
    let names = names_of(&captured);
    let fits = captured.iter().flatten().count();
    let dim = theme.style(Role::Dim);
    let title = match &own {
        None => "lines as they are read".to_owned(),
        Some(Ok(own)) if samples.iter().any(|s| own.wrong_time(s.text.as_bytes())) => {
            format!(
                "fits {fits} of {} lines; {{time}} is in no usual form: its own goes into {}",
                samples.len(),
                settings::NAME
            )
        }
        Some(_) => format!("fits {fits} of {} lines", samples.len()),
    };
    let mut x = 3 + put(buffer, 3, area.y, area.width - 6, &title, dim) + 3;
    for (number, name) in names.iter().enumerate() {
        if x + 4 >= area.right() {
            break;
        }
        x += put(buffer, x, area.y, area.right() - x - 1, name, theme.lane(number)) + 2;
    }
    let rows = usize::from(area.height.saturating_sub(1));
    for ((sample, taken), y) in samples.iter().zip(&captured).take(rows).zip(area.y + 1..) {
        let number = count_text(usize::try_from(sample.line).unwrap_or(usize::MAX));
        put_right(buffer, 8, y, 8, &number, theme.style(Role::Faint));
        let role = if taken.is_some() { Role::Dim } else { Role::Slow };
        let mut x = 10;
        let mut at = 0;
        let room = |x: u16| area.right().saturating_sub(x + 1);
        for (place, name) in taken.iter().flatten() {
            let before = sample.text.get(at..place.start).unwrap_or_default();
            x += put(buffer, x, y, room(x), before, theme.style(role));
            let number = names.iter().position(|known| known == name).unwrap_or(0);
            let text = sample.text.get(place.clone()).unwrap_or_default();
            x += put(buffer, x, y, room(x), text, theme.lane(number));
            at = place.end;
        }
        let rest = sample.text.get(at..).unwrap_or_default();
        put(buffer, x, y, room(x), rest, theme.style(role));
    }
}

/// The names of what is captured, in the order in which they are met.
fn names_of(captured: &[Captured]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for (_, name) in captured.iter().flatten().flatten() {
        if !names.contains(name) {
            names.push(name.clone());
        }
    }
    names
}

/// The layouts of a source, with their shares where there are several.
fn layout_shares(status: &SourceStatus) -> String {
    let total = status.entries().max(1);
    let kinds: Vec<String> = status
        .layouts
        .iter()
        .filter(|(_, count)| *count > 0)
        .map(|(layout, count)| match status.layouts.len() {
            1 => layout.name().to_owned(),
            _ => format!("{} {} %", layout.name(), (count * 100 / total).max(1)),
        })
        .collect();
    kinds.join("  ")
}

fn level_counts(
    shared: &Shared,
    counts: &[usize; 6],
    (x, y): (u16, u16),
    right: u16,
    buffer: &mut Buffer,
) {
    let mut x = x;
    for level in Level::ALL {
        let count = counts[level.index()];
        if count > 0 && x + 12 < right {
            let style = shared.theme.level(Some(level));
            x += put(buffer, x, y, 1, shared.theme.glyphs.severity[level.index()], style) + 1;
            x += put(buffer, x, y, 12, &count_text(count), style) + 2;
        }
    }
}
