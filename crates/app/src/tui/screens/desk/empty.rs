//! What the middle of the desk says when there is nothing to show, and why; and the remedies that it offers.

use cribrum_core::{
    engine::{Finding, Remedy, diagnose},
    sieve::Sieve,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    funnel,
    state::{Desk, Focus},
};
use crate::{
    present::{cause, count_text},
    tui::{context::Context, shared::Shared, theme::Role, widgets::put},
};

pub(super) fn draw(desk: &Desk, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let lines = explanation(desk, shared);
    let height = u16::try_from(lines.len()).unwrap_or(u16::MAX);
    let top = area.y + area.height.saturating_sub(height) / 3;
    let left = area.x + if area.width >= 90 { 14 } else { 3 };
    for (at, (role, text)) in lines.iter().enumerate() {
        let y = top + u16::try_from(at).unwrap_or(0);
        if y < area.bottom() {
            let width = area.right().saturating_sub(left);
            put(buffer, left, y, width, text, shared.theme.style(*role));
        }
    }
}

fn explanation(desk: &Desk, shared: &Shared) -> Vec<(Role, String)> {
    let snapshot = &shared.snapshot;
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
    let findings = desk.empty.findings.iter().flat_map(|(_, findings)| findings);
    let mut remedies = 0;
    let mut keyed = Vec::new();
    for finding in findings {
        let name = label(shared, finding.mesh);
        let text =
            cause(&|text| shared.own_text(text), finding, &name, &|time| shared.moment(time));
        match &finding.remedy {
            None => say(Role::Text, text),
            Some((remedy, sieve)) => {
                let here = remedies == desk.empty.remedy && desk.focus == Focus::Entries;
                remedies += 1;
                if !matches!(remedy, Remedy::Off(_)) {
                    keyed.push((Role::Text, text));
                }
                let pointer = if here { shared.theme.glyphs.pointer } else { " " };
                let role = if here { Role::Accent } else { Role::Dim };
                keyed.push((
                    role,
                    format!("{pointer} {}", remedy_text(shared, finding, *remedy, sieve)),
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
    let keys = if remedies > 0 { "⏎ applies it   ↑ ↓ chooses   " } else { "" };
    say(Role::Dim, format!("{keys}u undoes the last change"));
    lines
}

fn label(shared: &Shared, mesh: usize) -> String {
    let meshes = &shared.snapshot.sieve.meshes;
    meshes.get(mesh).map_or_else(String::new, |mesh| funnel::label(shared, mesh))
}

fn remedy_text(shared: &Shared, finding: &Finding, remedy: Remedy, sieve: &Sieve) -> String {
    match remedy {
        Remedy::Off(count) => {
            let number = match finding.mesh {
                at @ 0..9 => (at + 1).to_string(),
                _ => " ".to_owned(),
            };
            format!(
                "{number}  off  {}   gives back {}",
                label(shared, finding.mesh),
                count_text(count)
            )
        }
        Remedy::PassUnlevelled => ".  let them pass".to_owned(),
        Remedy::Rewrite => {
            let mesh = sieve.meshes.get(finding.mesh);
            format!("   use  {}", mesh.map_or_else(String::new, |mesh| funnel::label(shared, mesh)))
        }
    }
}

impl Desk {
    /// Finds out why nothing is left, once for each sieve that leaves nothing.
    pub(super) fn explain_when_empty(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let empty = snapshot.pan.is_empty() && !snapshot.order.is_empty() && snapshot.settled();
        if !empty {
            self.empty.findings = None;
            return;
        }
        let sieve = snapshot.sieve.clone();
        if self.empty.findings.as_ref().is_some_and(|(of, _)| *of == sieve) {
            return;
        }
        self.empty.remedy = 0;
        self.empty.findings = Some((sieve.clone(), Vec::new()));
        cx.look("diagnosis", true, diagnose, move |desk: &mut Self, _, findings| {
            desk.empty.findings = Some((sieve, findings));
        });
    }

    /// How many remedies an empty pan offers.
    pub(super) fn remedies(&self, shared: &Shared) -> usize {
        let here = shared.snapshot.pan.is_empty() && self.focus == Focus::Entries;
        let findings = self.empty.findings.iter().filter(|_| here).flat_map(|(_, found)| found);
        findings.filter(|finding| finding.remedy.is_some()).count()
    }

    pub(super) fn apply_remedy(&mut self, cx: &mut Context) {
        let findings = self.empty.findings.iter().flat_map(|(_, findings)| findings);
        let mut remedies = findings.filter_map(|finding| finding.remedy.clone());
        if let Some((_, sieve)) = remedies.nth(self.empty.remedy) {
            cx.alter(|now| *now = sieve);
        }
    }
}
