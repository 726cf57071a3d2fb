//! The masthead, the footer, the prompt and the rules between regions.

use cribrum_core::{engine::Lens, entry::civil};
use ratatui::{
    buffer::Buffer,
    layout::{Position, Rect},
};

use super::{put, put_right};
use crate::tui::{
    keymap,
    prompt::{Prompt, Purpose},
    state::{App, Screen, Times},
    text::{cells, count_text},
    theme::Role,
};

/// The line on top: what is poured in, how far it is read, what is hidden, which day and zone.
pub(super) fn masthead(app: &App, area: Rect, buffer: &mut Buffer) {
    let theme = &app.theme;
    let band = theme.style(Role::Band);
    buffer.set_style(area, band);
    let accent = theme.style(Role::Accent).bg(band.bg.unwrap_or_default());
    let text = |role| theme.style(role).bg(band.bg.unwrap_or_default());
    let mut x = area.x + 1;
    x += put(buffer, x, area.y, 10, "cribrum", accent) + 2;
    x += put(buffer, x, area.y, area.width / 4, &app.title, text(Role::Text)) + 1;
    let sources = app.snapshot.sources.len();
    let label = format!("{sources} source{}", if sources == 1 { "" } else { "s" });
    x += put(buffer, x, area.y, 14, &label, band) + 3;
    let wide = area.width >= 110;
    let state = if wide { x.max(area.width * 3 / 8) } else { x };
    let progress = app.snapshot.progress;
    let (status, role) = match (progress.read, app.desk.follow) {
        ((read, size), _) if read < size => {
            let percent = read * 100 / size.max(1);
            (format!("reading {percent} %"), Role::Slow)
        }
        _ if progress.sifted.0 < progress.sifted.1 => {
            let percent = progress.sifted.0 * 100 / progress.sifted.1.max(1);
            (format!("sifting {percent} %"), Role::Slow)
        }
        _ if app.unseen() > 0 => {
            (format!("{} {} came · W", app.theme.glyphs.mark, count_text(app.unseen())), Role::Slow)
        }
        (_, true) => ("● following".to_owned(), Role::Accent),
        _ => (String::new(), Role::Dim),
    };
    let end = state + put(buffer, state, area.y, 20, &status, text(role)) + 3;
    let hidden: usize = app.read.values().flatten().map(|shown| shown.hidden).sum();
    let veil = match hidden {
        0 => "veil on".to_owned(),
        _ => format!("veil on · {} hidden here", count_text(hidden)),
    };
    let place = if wide { end.max(area.width * 17 / 32) } else { end };
    let veil_end = place + u16::try_from(cells(&veil)).unwrap_or(0);
    let zone = &zone_name(app);
    let day = app
        .desk
        .selected
        .and_then(|id| app.snapshot.time(id))
        .map(|time| civil(time, &app.zone).strftime("%a %d %b %Y").to_string());
    let right = match (&day, wide) {
        (Some(day), true) => format!("{day}  times in {zone}  "),
        (Some(day), false) if area.width >= 90 => format!("{day} {zone} "),
        (None, true) => format!("times in {zone}  "),
        _ => format!("{zone} "),
    };
    let room = area.right().saturating_sub(u16::try_from(cells(&right)).unwrap_or(0));
    if veil_end + 1 < room {
        put(buffer, place, area.y, 40, &veil, band);
    }
    put_right(buffer, area.right(), area.y, area.width / 2, &right, band);
}

/// The zone that times are shown in.
pub(in crate::tui) fn zone_name(app: &App) -> String {
    match (app.times, app.zone.iana_name()) {
        (Times::Written, _) => "as written".to_owned(),
        (Times::Zone, Some(name)) => name.to_owned(),
        (Times::Zone, None) if app.zone == jiff::tz::TimeZone::system() => "local".to_owned(),
        (Times::Zone, None) => civil_offset(app),
    }
}

fn civil_offset(app: &App) -> String {
    app.zone.to_offset(jiff::Timestamp::now()).to_string()
}

/// A moment with its day, where the data are of more than one.
pub(in crate::tui) fn moment(app: &App, time: i64) -> String {
    let day = |time| civil(time, &app.zone).date();
    let one = app.snapshot.span().is_some_and(|(first, last)| day(first) == day(last));
    let form = if one { "%H:%M:%S%.3f" } else { "%d %b %H:%M:%S%.3f" };
    civil(time, &app.zone).strftime(form).to_string()
}

/// The heading of a screen other than the desk.
pub(super) fn heading(app: &App, name: &str, detail: &str, area: Rect, buffer: &mut Buffer) {
    let theme = &app.theme;
    let band = theme.style(Role::Band);
    let line = Rect { height: 1, ..area };
    buffer.set_style(line, band);
    let ground = band.bg.unwrap_or_default();
    let mut x = area.x + 1;
    x += put(buffer, x, area.y, 10, "cribrum", theme.style(Role::Accent).bg(ground)) + 2;
    x += put(buffer, x, area.y, 20, name, theme.style(Role::Text).bg(ground)) + 2;
    put(buffer, x, area.y, area.width.saturating_sub(x + 20), detail, band);
    let zone = zone_name(app);
    put_right(buffer, area.right(), area.y, 30, &format!("times in {zone}  "), band);
}

/// A line across, with a joint where another line meets it.
pub(super) fn rule(app: &App, area: Rect, joint: Option<(u16, &str)>, buffer: &mut Buffer) {
    if area.height == 0 {
        return;
    }
    let style = app.theme.style(Role::Rule);
    let glyphs = app.theme.glyphs;
    for x in area.x..area.right() {
        put(buffer, x, area.y, 1, glyphs.across, style);
    }
    if let Some((x, sign)) = joint
        && glyphs.across == "─"
    {
        put(buffer, x, area.y, 1, sign, style);
    }
}

/// The last line: the keys, a message, or the prompt with a line of help above it. Gives the place of the
/// cursor while something is typed.
pub(super) fn footer(app: &App, area: Rect, buffer: &mut Buffer) -> Option<Position> {
    let theme = &app.theme;
    let band = theme.style(Role::Band);
    buffer.set_style(area, band);
    let ground = band.bg.unwrap_or_default();
    if app.prompt.is_some() {
        return prompt(app, area, buffer);
    }
    if let Some(message) = &app.message {
        let role = if message.wrong { Role::Wrong } else { Role::Text };
        put(
            buffer,
            area.x + 1,
            area.y,
            area.width - 2,
            &message.text,
            theme.style(role).bg(ground),
        );
        return None;
    }
    if let Some(picker) = &app.picker {
        let mut x = area.x + 1;
        for (key, word) in picker.keys() {
            x += put(buffer, x, area.y, 6, key, theme.style(Role::Accent).bg(ground)) + 1;
            x += put(buffer, x, area.y, 40, word, band) + 3;
        }
        return None;
    }
    let right = corner(app);
    let room = area.width.saturating_sub(u16::try_from(cells(&right)).unwrap_or(0) + 3);
    let keys = theme.style(Role::Accent).bg(ground);
    let gap = if area.width < 100 { 2 } else { 3 };
    let mut x = area.x + 1;
    let tail = match app.screen {
        Screen::Desk => ("?", "all keys"),
        _ => ("Esc", "back"),
    };
    let tail_width = u16::try_from(cells(tail.0) + cells(tail.1) + 1).unwrap_or(0);
    for (key, word) in keymap::footer(app.mode()).chain([tail]) {
        let needs = u16::try_from(cells(key) + cells(word) + 1).unwrap_or(u16::MAX);
        let keep = if (key, word) == tail { 0 } else { tail_width + gap };
        if x + needs + keep > room {
            continue;
        }
        x += put(buffer, x, area.y, 6, key, keys) + 1;
        x += put(buffer, x, area.y, 24, word, band) + gap;
    }
    put_right(buffer, area.right() - 1, area.y, 40, &right, band);
    None
}

/// What stands in the corner of the footer.
fn corner(app: &App) -> String {
    let snapshot = &app.snapshot;
    match &app.screen {
        Screen::Desk => match (&app.found, app.lens(Lens::Find)) {
            (Some(words), Some(lens)) => {
                let more = if lens.done { "" } else { " so far" };
                let words = snapshot.own_text(words);
                format!("\"{words}\" in {}{more} · n N", count_text(lens.in_pan))
            }
            _ => format!(
                "{} of {}",
                count_text(if snapshot.pan.is_empty() { 0 } else { app.row() + 1 }),
                count_text(snapshot.pan.len())
            ),
        },
        Screen::Trail(view) => view.trail.as_ref().map_or_else(String::new, |trail| {
            format!("step {} of {}", view.cursor + 1, trail.steps.len())
        }),
        _ => String::new(),
    }
}

/// What fits of a prompt's text before the cursor, and behind it, with secrets as dots: the end of a text that is
/// too long is what is being typed.
fn around_cursor(app: &App, prompt: &Prompt, room: usize) -> (String, String) {
    let text = prompt.text();
    let secrets = app.snapshot.secrets_in(&text);
    let mut secrets = secrets.iter().peekable();
    let dotted = |(at, c): (usize, char)| {
        while secrets.next_if(|span| span.end <= at).is_some() {}
        if secrets.peek().is_some_and(|span| span.contains(&at)) { '•' } else { c }
    };
    let shown: Vec<char> = text.char_indices().map(dotted).collect();
    let (before, after) = shown.split_at(prompt.cursor().min(shown.len()));
    let mut taken = 0;
    let fits = before.iter().rev().take_while(|c| {
        taken += unicode_width::UnicodeWidthChar::width(**c).unwrap_or(0);
        taken < room
    });
    let from = before.len() - fits.count();
    (before[from..].iter().collect(), after.iter().take(room).collect())
}

fn prompt(app: &App, area: Rect, buffer: &mut Buffer) -> Option<Position> {
    let prompt = app.prompt.as_ref()?;
    let theme = &app.theme;
    let band = theme.style(Role::Band);
    let ground = band.bg.unwrap_or_default();
    let above = Rect { y: area.y - 1, ..area };
    buffer.set_style(above, band);
    let label = prompt.purpose.label();
    let mut x = area.x + 1;
    x += put(buffer, x, area.y, 12, label, theme.style(Role::Accent).bg(ground)) + 1;
    let start = x;
    let text = theme.style(Role::Text).bg(ground);
    let room = usize::from(area.width.saturating_sub(start + 2));
    let (before, after) = around_cursor(app, prompt, room);
    x += put(buffer, x, area.y, area.width, &before, text);
    let cursor = Position::new(x, area.y);
    put(buffer, x, area.y, area.width.saturating_sub(x), &after, text);
    match &prompt.error {
        Some((at, message)) => {
            let place = start.saturating_add(u16::try_from(*at).unwrap_or(u16::MAX));
            let mark = place.min(area.right().saturating_sub(4));
            let wrong = theme.style(Role::Wrong).bg(ground);
            let width = u16::try_from(cells(message)).unwrap_or(u16::MAX);
            put(buffer, mark, above.y, 1, "▾", wrong);
            if mark + 2 + width < area.right() {
                put(buffer, mark + 2, above.y, width, message, wrong);
            } else if width + 1 < mark {
                put(buffer, mark - width - 1, above.y, width, message, wrong);
            } else {
                put(buffer, area.x + 1, above.y, area.width - 2, message, wrong);
            }
        }
        None => {
            let empty = prompt.text().is_empty();
            let count = match (&prompt.purpose, app.lens(Lens::Sift)) {
                (Purpose::Save, _) | (_, None) => None,
                (_, Some(lens)) => Some(format!(
                    "{}{} of {} in the pan",
                    if lens.done { "" } else { "at least " },
                    count_text(lens.in_pan),
                    count_text(app.snapshot.pan.len()),
                )),
            };
            let hint = match (app.hint(), count) {
                (Some(hint), _) => hint,
                (None, Some(count)) if !empty => {
                    let more =
                        if prompt.completion.items.is_empty() { "" } else { "   Tab complete" };
                    format!("{count}{more}   ⏎ take it   Esc leave")
                }
                _ if !empty && !prompt.completion.items.is_empty() => {
                    "Tab complete   Esc leave".to_owned()
                }
                _ => prompt.purpose.hint().to_owned(),
            };
            put(buffer, start, above.y, area.width.saturating_sub(start), &hint, band);
        }
    }
    super::picker::completion(app, Rect { y: above.y, ..area }, start, buffer);
    Some(cursor)
}
