//! The trail as it is drawn: what is unusual in words, a lane for each service or source, time downwards.

use cribrum_core::{
    entry::Level,
    trail::{Trail, width},
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::{
    detail,
    lanes::{Lanes, Row, rows},
    state::{Compared, Followed, TrailView},
    tree,
};
use crate::{
    present::{clock_off_text, count_text, counted, span_text, unusual_text, usual_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{brief, heading, put, put_veiled, rule},
    },
};

pub(super) fn draw(view: &TrailView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let Some(trail) = &view.trail else {
        heading(shared, "trail", "", area, buffer);
        put(buffer, 2, area.y + 2, area.width - 4, &waiting(view, shared), theme.style(Role::Dim));
        return;
    };
    let id = trail.ids.first();
    let id = id.map_or_else(String::new, |id| format!("{} {}", id.kind, id.text.for_terminal()));
    let more = match trail.ids.len() {
        0 | 1 => String::new(),
        more => format!(" with {}", counted(more - 1, "id")),
    };
    heading(shared, "trail", &format!("{id}{more}"), area, buffer);
    if let Some(off) = view.clocks.first() {
        let text = clock_off_text(&shared.snapshot.sources, off);
        let text = format!("{text} · o sets it right");
        put(buffer, 2, area.y + 1, area.width.saturating_sub(4), &text, theme.style(Role::Wrong));
    }
    summary(view, shared, trail, area, buffer);
    rule(theme, Rect { y: area.y + 4, height: 1, ..area }, None, buffer);
    let detail = if area.height >= 29 { 9 } else { 0 };
    let top = area.y + 6;
    let bottom = area.bottom().saturating_sub(detail);
    let below = Rect { y: top - 1, height: bottom.saturating_sub(top - 1), ..area };
    match view.shown_tree() {
        Some(tree) => tree::draw(view, tree, trail, shared, below, buffer),
        None => drawn(view, trail, shared, below, buffer),
    }
    if let (true, Some(step)) = (detail > 0, trail.steps.get(view.cursor)) {
        rule(theme, Rect { y: bottom, height: 1, ..area }, None, buffer);
        let below = Rect { y: bottom + 1, height: detail - 1, ..area };
        detail::draw(view, shared, step, below, buffer);
    }
}

/// The lanes with their steps; their names stand in the first line.
fn drawn(view: &TrailView, trail: &Trail, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let lanes = Lanes::of(trail, area.width);
    lanes.head(shared, trail, area.y, buffer);
    let rows = rows(trail, view.usual(), view.neighbours.as_deref().unwrap_or_default());
    let height = usize::from(area.height.saturating_sub(1));
    let at =
        rows.iter().position(|row| matches!(row, Row::Step(n) if *n == view.cursor)).unwrap_or(0);
    let from = at.saturating_sub(height * 2 / 3).min(rows.len().saturating_sub(height));
    for (y, row) in (area.y + 1..area.bottom()).zip(rows.iter().skip(from)) {
        lanes.row(shared, view, trail, row, Rect { y, height: 1, ..area }, buffer);
    }
}

/// What the trail is waited for.
fn waiting(view: &TrailView, shared: &Shared) -> String {
    let (read, of) = shared.snapshot.progress.read;
    match &view.followed {
        _ if !shared.snapshot.loaded() && of > 0 => {
            format!("reading all sources first … {} %", read.saturating_mul(100) / of)
        }
        Followed::Text { .. } => match shared.lens(cribrum_core::engine::Lens::Trail) {
            Some(lens) if lens.progress().1 > 0 => {
                let (done, of) = lens.progress();
                format!("looking through all sources … {} %", done * 100 / of)
            }
            _ => "looking through all sources …".to_owned(),
        },
        _ => "gathering the steps …".to_owned(),
    }
}

/// How long it took and how that compares; what is unusual, in words.
fn summary(view: &TrailView, shared: &Shared, trail: &Trail, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let y = area.y + 2;
    let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let dim = theme.style(Role::Dim);
    let mut x = 2 + put(buffer, 2, y, 20, &span_text(trail.duration), strong) + 3;
    let mut tell = |text: &str, style| {
        x += put(buffer, x, y, area.right().saturating_sub(x), text, style) + 3;
    };
    match &view.usual {
        Compared::Known(usual) => tell(&usual_text(usual), dim),
        Compared::Few if area.width >= 100 && width(view.kind()) < 4 => {
            tell("too few alike to compare", theme.style(Role::Faint));
        }
        Compared::NotYet if view.beside => tell("comparing …", theme.style(Role::Faint)),
        _ => {}
    }
    tell(
        &format!(
            "{} entries · {}",
            count_text(trail.steps.len()),
            counted(trail.lanes.len(), "lane")
        ),
        dim,
    );
    if trail.after() > 0 {
        tell(&format!("{} after the answer", count_text(trail.after())), theme.style(Role::Faint));
    }
    for level in [Level::Fatal, Level::Error, Level::Warn] {
        let count = trail.count(level);
        if count > 0 {
            let noun = match level {
                Level::Warn => "warning",
                Level::Error => "error",
                _ => "fatal",
            };
            let many = if count > 1 && level != Level::Fatal { "s" } else { "" };
            tell(&format!("{count} {noun}{many}"), theme.level(Some(level)));
        }
    }
    if trail.held_back() > 0 {
        tell(
            &format!("{} held back by the sieve", count_text(trail.held_back())),
            theme.style(Role::Faint),
        );
    }
    if trail.gone > 0 {
        tell(
            &format!("{} can't be read any more", count_text(trail.gone)),
            theme.style(Role::Wrong),
        );
    }
    let line = Rect { x: 2, y: y + 1, width: area.width - 4, height: 1 };
    told(view, trail, shared, line, buffer);
}

/// What is unusual; where nothing is known of that, the longest wait.
fn told(view: &TrailView, trail: &Trail, shared: &Shared, line: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    if trail.more > 0 {
        let text = format!(
            "This id stands in {} entries: it is that of no single request. The first {} are shown.",
            count_text(trail.steps.len() + trail.more),
            count_text(trail.steps.len())
        );
        put(buffer, line.x, line.y, line.width, &text, theme.style(Role::Wrong));
        return;
    }
    if let Some(usual) = view.usual() {
        let (text, role) = match unusual_text(trail, usual) {
            Some(text) => (format!("Unusual: {text}"), Role::Slow),
            None => (
                "Nothing unusual: its steps and waits are those of trails alike.".to_owned(),
                Role::Dim,
            ),
        };
        put_veiled(theme, (line.x, line.y), line.width, &text, theme.style(role), buffer);
        return;
    }
    let Some(longest) = trail.longest else { return };
    let step = &trail.steps[longest];
    let lane = trail.lanes[step.lane].name.for_terminal();
    let text = format!(
        "The longest wait, {}, is before {lane}: {}",
        span_text(step.gap),
        brief(&step.entry)
    );
    put_veiled(theme, (line.x, line.y), line.width, &text, theme.style(Role::Slow), buffer);
}
