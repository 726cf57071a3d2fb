//! The screen on top, what lies over it, and the footer.

use ratatui::{
    Frame,
    buffer::Buffer,
    layout::{Position, Rect},
};

use super::{App, Overlay, offers::Run};
use crate::{
    present::cells,
    tui::{
        theme::Role,
        widgets::{ascii, masthead_style, put, put_right},
    },
};

/// The smallest terminal that everything fits on.
const SMALLEST: (u16, u16) = (60, 15);

/// Draws whatever is open.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>) {
    let area = frame.area();
    let cursor = on_buffer(app, area, frame.buffer_mut());
    if let Some(place) = cursor.filter(|place| area.contains(*place)) {
        frame.set_cursor_position(place);
    }
}

fn on_buffer(app: &App, area: Rect, buffer: &mut Buffer) -> Option<Position> {
    let shared = &app.cx.shared;
    let theme = &shared.theme;
    buffer.set_style(area, theme.style(Role::Ground));
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        let text = format!("Cribrum needs {} columns and {} rows", SMALLEST.0, SMALLEST.1);
        put(buffer, 0, 0, area.width, &text, theme.style(Role::Text));
        return None;
    }
    if let Some(open) = app.stack.last() {
        open.screen.view(shared, app.area(), buffer);
    }
    let footer = Rect::new(0, area.height - 1, area.width, 1);
    buffer.set_style(footer, theme.style(Role::Band));
    let above = Rect { height: area.height - 1, ..area };
    let cursor = match &app.overlay {
        Some(Overlay::Prompt(prompt)) => Some(prompt.view(shared, area, buffer)),
        Some(Overlay::Finder(finder)) => Some(finder.view(shared, area, buffer)),
        Some(Overlay::List(list)) => {
            list.view(shared, above, buffer);
            keys(app, footer, &list.keys(), "", buffer);
            None
        }
        None => {
            plain_footer(app, footer, buffer);
            None
        }
    };
    if !theme.is_unicode() {
        ascii(buffer);
    }
    cursor
}

/// The last line while nothing lies over the screen: a message, or the keys.
fn plain_footer(app: &App, area: Rect, buffer: &mut Buffer) {
    let shared = &app.cx.shared;
    if let Some(message) = &shared.message {
        let role = if message.wrong { Role::Wrong } else { Role::Text };
        let style = masthead_style(&shared.theme, role);
        put(buffer, area.x + 1, area.y, area.width - 2, &message.text, style);
        return;
    }
    let Some(open) = app.stack.last() else { return };
    let tail = match app.stack.len() {
        1 => ("?", "all keys"),
        _ => ("Esc", "back"),
    };
    let offers = app.offers().into_iter().filter(|offer| offer.here && offer.action.here);
    let mut offers: Vec<_> = offers.filter(|offer| offer.action.footer.is_some()).collect();
    // A key that means something of its own here opens no other screen.
    let own: Vec<&str> = offers
        .iter()
        .filter(|offer| matches!(offer.run, Run::Own(_)))
        .map(|offer| offer.action.shown)
        .collect();
    offers.retain(|o| !matches!(o.run, Run::Open(_)) || !own.contains(&o.action.shown));
    // What is meant in this region only comes first, then what changes the sieve.
    offers.sort_by_key(|offer| match (offer.action.leads, offer.run) {
        (true, _) => 0,
        (_, Run::Common(..)) => 1,
        _ => 2,
    });
    let words = offers.iter().filter_map(|o| Some((o.action.shown, o.action.footer?)));
    let words: Vec<_> = words.chain([tail]).collect();
    keys(app, area, &words, &open.screen.corner(shared), buffer);
}

/// Keys with their words as far as there is room, the last of them always; then the text in the corner.
fn keys(app: &App, area: Rect, all: &[(&str, &str)], corner: &str, buffer: &mut Buffer) {
    let theme = &app.cx.shared.theme;
    let (band, key_style) = (theme.style(Role::Band), masthead_style(theme, Role::Accent));
    let wide = |text: &str| u16::try_from(cells(text)).unwrap_or(u16::MAX);
    let room = area.width.saturating_sub(wide(corner) + 3);
    let gap = if area.width < 100 { 2 } else { 3 };
    let needs = |(key, word): &(&str, &str)| wide(key) + wide(word) + 1;
    let tail = all.last().map_or(0, needs);
    let mut x = area.x + 1;
    for (at, pair) in all.iter().enumerate() {
        let keep = if at + 1 == all.len() { 0 } else { tail + gap };
        if x + needs(pair) + keep > room {
            continue;
        }
        x += put(buffer, x, area.y, wide(pair.0), pair.0, key_style) + 1;
        x += put(buffer, x, area.y, wide(pair.1), pair.1, band) + gap;
    }
    put_right(buffer, area.right() - 1, area.y, 40, corner, band);
}
