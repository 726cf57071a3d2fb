//! What the middle of the desk says when there is nothing to show, and why.

use cribrum_core::{
    engine::{Finding, Remedy},
    sieve::Sieve,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::put;
use crate::tui::{
    state::{App, Focus},
    text::count_text,
    theme::Role,
};

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
        say(
            Role::Text,
            match snapshot.waiting.is_empty() {
                true => "There is nothing in what was poured in.",
                false => "There is nothing yet; entries are shown as soon as they arrive.",
            }
            .into(),
        );
        say(Role::Dim, String::new());
        for waiting in &snapshot.waiting {
            say(Role::Dim, format!("{}  {}", waiting.source, waiting.message));
        }
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
    let findings = app.findings.iter().flat_map(|(_, findings)| findings);
    let mut remedies = 0;
    let mut keyed = Vec::new();
    for finding in findings {
        let name = label(app, finding.mesh);
        let text = crate::why::cause(snapshot, finding, &name, &|time| super::moment(app, time));
        match &finding.remedy {
            None => say(Role::Text, text),
            Some((remedy, sieve)) => {
                let here = remedies == app.desk.remedy && app.desk.focus == Focus::Entries;
                remedies += 1;
                if !matches!(remedy, Remedy::Off(_)) {
                    keyed.push((Role::Text, text));
                }
                let pointer = if here { app.theme.glyphs.pointer } else { " " };
                let role = if here { Role::Accent } else { Role::Dim };
                keyed.push((
                    role,
                    format!("{pointer} {}", remedy_text(app, finding, *remedy, sieve)),
                ));
            }
        }
    }
    say(Role::Dim, String::new());
    for (role, text) in keyed {
        say(role, text);
    }
    let counting = || snapshot.sieve.meshes.iter().filter(|mesh| mesh.counts());
    let rows = &snapshot.funnel.rows;
    if counting().count() > 1 && rows.iter().all(|row| row.gives_back == 0) {
        say(Role::Dim, "No mesh alone would give any back.".into());
    }
    say(Role::Dim, String::new());
    let keys = if remedies > 0 { "⏎ takes it   ↑ ↓ chooses   " } else { "" };
    say(Role::Dim, format!("{keys}u undoes the last change"));
    lines
}

fn label(app: &App, mesh: usize) -> String {
    let meshes = &app.snapshot.sieve.meshes;
    meshes.get(mesh).map_or_else(String::new, |mesh| super::funnel::label(app, mesh))
}

fn remedy_text(app: &App, finding: &Finding, remedy: Remedy, sieve: &Sieve) -> String {
    match remedy {
        Remedy::Off(count) => {
            let number = match finding.mesh {
                at @ 0..9 => (at + 1).to_string(),
                _ => " ".to_owned(),
            };
            format!(
                "{number}  off  {}   gives back {}",
                label(app, finding.mesh),
                count_text(count)
            )
        }
        Remedy::PassUnlevelled => ".  let them pass".to_owned(),
        Remedy::Rewrite => {
            let mesh = sieve.meshes.get(finding.mesh);
            format!(
                "   use  {}",
                mesh.map_or_else(String::new, |mesh| super::funnel::label(app, mesh))
            )
        }
    }
}
