//! What the middle of the desk says when there is nothing to show, and why.

use ratatui::{buffer::Buffer, layout::Rect};

use super::put;
use crate::tui::{state::App, text::count_text, theme::Role};

pub(super) fn draw(app: &App, area: Rect, buffer: &mut Buffer) {
    let lines = explanation(app);
    let height = u16::try_from(lines.len()).unwrap_or(u16::MAX);
    let top = area.y + area.height.saturating_sub(height) / 3;
    let left = area.x + if area.width >= 90 { 14 } else { 3 };
    for (at, (role, text)) in lines.iter().enumerate() {
        let y = top + u16::try_from(at).unwrap_or(0);
        if y < area.bottom() {
            let width = area.right().saturating_sub(left);
            put(buffer, left, y, width, text, app.theme.style(*role));
        }
    }
}

fn explanation(app: &App) -> Vec<(Role, String)> {
    let snapshot = &app.snapshot;
    let mut lines = Vec::new();
    let mut say = |role, text: String| lines.push((role, text));
    if !snapshot.loaded() && snapshot.order.is_empty() {
        let waiting = match snapshot.progress.streaming {
            true => "waiting for the first entry …",
            false => "reading …",
        };
        say(Role::Dim, waiting.into());
        return lines;
    }
    if snapshot.order.is_empty() {
        say(Role::Text, "There is nothing in what was poured in.".into());
        say(Role::Dim, String::new());
        for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
            let reason = status.problem.clone().unwrap_or_else(|| "is empty".into());
            say(Role::Dim, format!("{}  {reason}", source.name));
        }
        return lines;
    }
    if snapshot.progress.sifted.0 < snapshot.progress.sifted.1 {
        say(Role::Dim, "sifting …".into());
        return lines;
    }
    say(Role::Text, "Nothing is left.".into());
    say(Role::Dim, String::new());
    let rows = &snapshot.funnel.rows;
    let taker =
        rows.iter().zip(&snapshot.sieve.meshes).find(|(row, mesh)| mesh.on && row.left == 0);
    if let Some((row, mesh)) = taker {
        let label = snapshot.label(mesh);
        let held = count_text(row.held);
        say(Role::Text, format!("{} took the last {held} entries.", label.for_terminal()));
        if row.unlevelled > 0 && row.unlevelled == row.held {
            say(Role::Dim, "None of them has a level; press . to let them pass.".into());
        }
    }
    if let (Some((first, last)), Some(window)) = (
        snapshot.span(),
        snapshot.sieve.meshes.iter().filter(|m| m.on).find_map(cribrum_core::sieve::Mesh::window),
    ) && (window.0.is_some_and(|from| from > last) || window.1.is_some_and(|to| to < first))
    {
        let time = |time| {
            cribrum_core::entry::civil(time, &app.zone).strftime("%d %b %H:%M:%S").to_string()
        };
        say(
            Role::Text,
            format!("The window lies outside the data: {} … {}.", time(first), time(last)),
        );
    }
    say(Role::Dim, String::new());
    for (number, (row, mesh)) in rows.iter().zip(&snapshot.sieve.meshes).enumerate().take(9) {
        if mesh.on && row.gives_back > 0 {
            let label = snapshot.label(mesh);
            say(
                Role::Accent,
                format!(
                    "{}  off gives back {:>8}   {}",
                    number + 1,
                    count_text(row.gives_back),
                    label.for_terminal()
                ),
            );
        }
    }
    if snapshot.sieve.meshes.iter().filter(|mesh| mesh.on).count() > 1
        && rows.iter().all(|row| row.gives_back == 0)
    {
        say(Role::Dim, "No mesh alone would give any back.".into());
    }
    say(Role::Dim, "u  takes the last change back".into());
    lines
}
