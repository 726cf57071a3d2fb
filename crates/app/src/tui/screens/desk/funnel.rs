//! The sieve as a funnel: what is left after each mesh, as a figure and as a bar; and what its keys do.

use cribrum_core::{
    query::{Expr, Path},
    sieve::{Kind, Mesh},
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::{Desk, Focus};
use crate::{
    present::{cells, count_text, span_text},
    tui::{
        context::Context,
        shared::Shared,
        theme::Role,
        widgets::{put, put_right},
    },
};

pub(super) fn draw(desk: &Desk, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let snapshot = &shared.snapshot;
    let theme = &shared.theme;
    let sieve = shared.sieve();
    // The figures may be those of the sieve before, until the new ones are there.
    let current = snapshot.sieve == *sieve;
    let poured = snapshot.funnel.poured;
    let label = if area.width >= 120 { 34 } else { area.width * 3 / 8 };
    let figure = label + 12;
    let bar = figure + if area.width >= 120 { 6 } else { 2 };
    // Room for the widest figure of what is held back.
    let room = area.width.saturating_sub(bar + 13);
    put(buffer, 3, area.y, label, "poured in", theme.style(Role::Dim));
    put_right(buffer, figure, area.y, 12, &count_text(poured), theme.style(Role::Text));
    draw_bar(shared, (bar, area.y), (poured, poured.max(1)), room, Role::Rule, buffer);
    let rows = usize::from(area.height).saturating_sub(1);
    let from = desk.mesh.saturating_sub(rows.saturating_sub(1));
    let from = if desk.focus == Focus::Funnel { from } else { 0 };
    let meshes = sieve.meshes.iter().enumerate().skip(from);
    for (place, (number, mesh)) in meshes.take(rows).enumerate() {
        let y = area.y + 1 + u16::try_from(place).unwrap_or(0);
        let focused = desk.focus == Focus::Funnel && desk.mesh == number;
        if focused {
            buffer.set_style(Rect::new(0, y, area.width, 1), theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        let key = if number < 9 { (number + 1).to_string() } else { theme.glyphs.dot.to_owned() };
        put(buffer, 1, y, 1, &key, theme.style(Role::Accent));
        let text = plain_label(shared, mesh);
        let style = match mesh.counts() {
            true => theme.style(Role::Text),
            false if mesh.on => theme.style(Role::Faint),
            false => theme.style(Role::Faint).add_modifier(Modifier::CROSSED_OUT),
        };
        let last = place + 1 == rows && sieve.meshes.len() > from + rows;
        let name = match last {
            true => format!("{text} … {} more", sieve.meshes.len() - from - rows),
            false => text,
        };
        put(buffer, 3, y, label, &window_text(shared, mesh).unwrap_or(name), style);
        let Some(row) = snapshot.funnel.rows.get(number).filter(|_| current) else {
            put_right(buffer, figure, y, 12, "…", theme.style(Role::Dim));
            continue;
        };
        if !mesh.counts() {
            let word = if mesh.on { "waits" } else { "off" };
            put_right(buffer, figure, y, 12, word, theme.style(Role::Faint));
            continue;
        }
        let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
        put_right(buffer, figure, y, 12, &count_text(row.left), strong);
        let role = if row.left == 0 { Role::Wrong } else { Role::Accent };
        let end = draw_bar(shared, (bar, y), (row.left, poured.max(1)), room, role, buffer);
        if row.held > 0 {
            let mut held = format!("−{}", count_text(row.held));
            if row.unlevelled > 0 {
                held.push_str(&without(row.unlevelled, "level"));
            }
            if let Some(unitless @ 1..) = snapshot.unitless.get(number) {
                held.push_str(&without(*unitless, "unit"));
            }
            let x = end + 2;
            let width = u16::try_from(cells(&held)).unwrap_or(0);
            put(
                buffer,
                x,
                y,
                width.min(area.right().saturating_sub(x)),
                &held,
                theme.style(Role::Faint),
            );
        }
    }
}

/// How many of the entries that a mesh holds back have nothing that it could judge.
fn without(count: usize, what: &str) -> String {
    let verb = if count == 1 { "has" } else { "have" };
    format!("  {} {verb} no {what}", count_text(count))
}

/// A mesh in words, its times in the zone shown.
pub(super) fn label(shared: &Shared, mesh: &Mesh) -> String {
    window_text(shared, mesh).unwrap_or_else(|| plain_label(shared, mesh))
}

/// A mesh in words; kinds go by the names that they were given.
fn plain_label(shared: &Shared, mesh: &Mesh) -> String {
    let mut text = shared.snapshot.label(mesh).for_terminal().into_owned();
    for named in &shared.settings.kinds {
        let written = |words: &str| {
            let equals = Expr::equals(Path::Kind, words);
            [equals.to_string(), equals.negated().to_string()]
        };
        for (words, name) in written(&named.words).iter().zip(written(&named.name)) {
            if text.contains(words) {
                text = text.replace(words, &shared.own_text(&name));
            }
        }
    }
    text
}

/// Draws a bar and gives the cell where it ends.
fn draw_bar(
    shared: &Shared,
    (x, y): (u16, u16),
    (part, all): (usize, usize),
    room: u16,
    role: Role,
    buffer: &mut Buffer,
) -> u16 {
    let length = usize::from(room) * part / all;
    let length = u16::try_from(length).unwrap_or(room).max(u16::from(part > 0));
    let style = shared.theme.style(role);
    for cell in 0..length {
        put(buffer, x + cell, y, 1, shared.theme.glyphs.bar, style);
    }
    x + length
}

/// A time window as its clock times, where all of it lies on one day.
fn window_text(shared: &Shared, mesh: &Mesh) -> Option<String> {
    match &mesh.kind {
        Kind::Around { at, half } => {
            let half = span_text(*half).replace(".000", "");
            return Some(format!("around {} ± {half}", shared.moment(*at)));
        }
        Kind::Swept(arrival) => {
            let time = cribrum_core::entry::civil(arrival.at(), &jiff::tz::TimeZone::system());
            return Some(format!("swept at {}", time.strftime("%H:%M:%S")));
        }
        _ => {}
    }
    let (Some(from), Some(to)) = mesh.window()? else {
        return None;
    };
    let (from, to) = (
        cribrum_core::entry::civil(from, &shared.clock.zone),
        cribrum_core::entry::civil(to, &shared.clock.zone),
    );
    let short = |time: jiff::civil::DateTime| match (time.second(), time.subsec_nanosecond()) {
        (0, 0) => time.strftime("%H:%M").to_string(),
        (_, 0) => time.strftime("%H:%M:%S").to_string(),
        _ => time.strftime("%H:%M:%S%.3f").to_string(),
    };
    // The last nanosecond of a slice is where the next begins.
    let to = match to.subsec_nanosecond() {
        999_999_999 => to.checked_add(jiff::SignedDuration::from_nanos(1)).unwrap_or(to),
        _ => to,
    };
    (from.date() == to.date()).then(|| format!("{} … {}", short(from), short(to)))
}

/// What the funnel's keys do with the mesh under its cursor.
impl Desk {
    pub(super) fn edit_mesh(&mut self, cx: &mut Context) {
        let at = self.mesh;
        let Some(mesh) = cx.shared.sieve().meshes.get(at) else { return };
        match (&mesh.kind, mesh.expr()) {
            (Kind::Quiet { logger, level }, _) => {
                let text = format!("{logger}={level}");
                cx.ask_quiet(&text);
            }
            // A secret that was typed shows as its stand-in, which finds the same entries.
            (_, Some(expr)) => {
                let text = cx.shared.snapshot.own_text(&expr.to_string()).as_str().to_owned();
                cx.ask_edit(at, &text);
            }
            (_, None) => cx.tell("a sweep can't be edited; w sweeps anew, - drops it"),
        }
    }

    pub(super) fn negate_mesh(&mut self, cx: &mut Context) {
        let at = self.mesh;
        let Some(mesh) = cx.shared.sieve().meshes.get(at) else { return };
        let Some(expr) = mesh.expr() else {
            return cx.tell("a sweep can't be negated");
        };
        cx.alter(|sieve| {
            // A look around a moment lets the others count again when it is gone.
            if matches!(sieve.meshes[at].kind, Kind::Around { .. }) {
                sieve.toggle(at);
            }
            sieve.meshes[at] = Mesh::of(expr.negated());
        });
    }

    pub(super) fn drop_mesh(&mut self, cx: &mut Context) {
        let at = self.mesh;
        cx.alter(|sieve| sieve.drop_mesh(at));
    }

    pub(super) fn move_mesh(&mut self, down: bool, cx: &mut Context) {
        let at = self.mesh;
        let to = if down { at + 1 } else { at.wrapping_sub(1) };
        if at.max(to) < cx.shared.sieve().meshes.len() {
            self.mesh = to;
            cx.alter(|sieve| sieve.meshes.swap(at, to));
        }
    }
}
