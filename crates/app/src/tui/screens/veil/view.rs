//! The rules as a table, and examples of the one under the cursor, everything hidden.

use cribrum_core::veil::{Action, Policy};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    found::{Example, Finder, Report},
    state::{Region, VeilView},
};
use crate::{
    present::count_text,
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{Scroll, heading, put, put_right, put_veiled, rule},
    },
};

/// Where the columns of the table end or begin.
struct Columns {
    hits: u16,
    near: u16,
    name: u16,
    class: u16,
    desk: u16,
    shared: u16,
}

impl Columns {
    fn of(area: Rect) -> Self {
        let name = if area.width >= 110 { 26 } else { 18 };
        let start = 24;
        let class = start + name + 2;
        Self { hits: 12, near: 21, name: start, class, desk: class + 12, shared: class + 23 }
    }
}

pub(super) fn draw(view: &VeilView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    heading(shared, "veil", &told(view, shared), area, buffer);
    if area.height < 8 {
        return;
    }
    let theme = &shared.theme;
    let dim = theme.style(Role::Dim);
    let columns = Columns::of(area);
    let head = area.y + 2;
    put_right(buffer, columns.hits, head, 9, "hits", dim);
    put_right(buffer, columns.near, head, 9, "nearly", dim);
    put(buffer, columns.name, head, 20, "rule", dim);
    put(buffer, columns.class, head, 10, "class", dim);
    put(buffer, columns.desk, head, 10, "desk", dim);
    put(buffer, columns.shared, head, 10, "shared", dim);
    rule(theme, Rect { y: head + 1, height: 1, ..area }, None, buffer);
    let finders = view.finders();
    let top = head + 2;
    let room = area.bottom().saturating_sub(top);
    let wanted = u16::try_from(finders.len()).unwrap_or(u16::MAX).max(1);
    let rows = wanted.min(room / 2).max(1);
    let table = Rect { y: top, height: rows, ..area };
    if finders.is_empty() {
        let text = match &view.report {
            None => "looking through all entries …",
            Some(_) => "Nothing is hidden: no rule finds anything in these entries.",
        };
        put(buffer, 3, top, area.width.saturating_sub(4), text, theme.style(Role::Text));
    }
    let scroll = Scroll::around(view.cursor, finders.len(), usize::from(rows));
    for ((number, finder), y) in
        finders.iter().enumerate().skip(scroll.from).zip(table.y..table.bottom())
    {
        row(view, shared, number, finder, (&columns, Rect { y, height: 1, ..area }), buffer);
    }
    let lower = Rect { y: table.bottom(), height: area.bottom() - table.bottom(), ..area };
    if lower.height > 2 {
        let below = finders.len().saturating_sub(scroll.from + usize::from(rows));
        rule(theme, Rect { height: 1, ..lower }, None, buffer);
        if below > 0 {
            put_right(buffer, lower.right() - 2, lower.y, 12, &format!(" {below} more "), dim);
        }
        let inner = Rect { y: lower.y + 1, height: lower.height - 1, ..lower };
        match &view.trial {
            Some(trial) => trying(shared, trial.found.as_ref(), inner, buffer),
            None => about(view, shared, inner, buffer),
        }
    }
}

/// What the heading says.
fn told(view: &VeilView, shared: &Shared) -> String {
    match &view.report {
        None => shared.title.clone(),
        Some(report) => format!(
            "{} hits in {} of {} entries",
            count_text(usize::try_from(report.hits).unwrap_or(usize::MAX)),
            count_text(report.holding),
            count_text(report.entries)
        ),
    }
}

fn row(
    view: &VeilView,
    shared: &Shared,
    number: usize,
    finder: &Finder,
    (columns, area): (&Columns, Rect),
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let y = area.y;
    if number == view.cursor {
        let role = if view.region == Region::Rules { Role::Selection } else { Role::Ground };
        buffer.set_style(area, theme.style(role));
        put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
    }
    let count = |count: u64| match count {
        0 => "·".to_owned(),
        count => count_text(usize::try_from(count).unwrap_or(usize::MAX)),
    };
    let lit = if finder.hits > 0 { Role::Text } else { Role::Faint };
    put_right(buffer, columns.hits, y, 11, &count(finder.hits), theme.style(lit));
    let role = if finder.near > 0 { Role::Slow } else { Role::Faint };
    put_right(buffer, columns.near, y, 9, &count(finder.near), theme.style(role));
    put(buffer, columns.name, y, columns.class - columns.name - 1, &finder.name, theme.style(lit));
    put(buffer, columns.class, y, 11, finder.class.name(), theme.style(Role::Hidden));
    let policy = shared.snapshot.veil().policy();
    let usual = Policy::default();
    let mut done = |x: u16, is: Action, usual: Action| {
        let role = if usual.is_stricter(is) { Role::Wrong } else { Role::Dim };
        put(buffer, x, y, 10, word(is), theme.style(role));
    };
    let class = finder.class;
    done(columns.desk, policy.at_the_desk(class), usual.at_the_desk(class));
    done(columns.shared, policy.for_anyone(class), usual.for_anyone(class));
    // How much of all that is hidden it hides.
    let from = columns.shared + 12;
    let room = area.right().saturating_sub(from + 3).min(48);
    let most =
        view.report.iter().flat_map(|report| &report.finders).map(|finder| finder.hits).max();
    if room > 12
        && let Some(most) = most.filter(|most| *most > 0)
    {
        let cells = (u64::from(room) * finder.hits).div_ceil(most);
        for x in (from..).take(usize::try_from(cells).unwrap_or(0)) {
            put(buffer, x, y, 1, theme.glyphs.bar, theme.style(Role::Hidden));
        }
    }
}

fn word(action: Action) -> &'static str {
    match action {
        Action::Hide => "hidden",
        Action::Shorten => "shortened",
        Action::Keep => "shown",
    }
}

/// What the rule under the cursor finds, in words and in examples.
fn about(view: &VeilView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let Some(finder) = view.finder() else { return };
    let theme = &shared.theme;
    let width = area.width.saturating_sub(5);
    let text = format!("finds {}", finder.what);
    put(buffer, 3, area.y, width, &text, theme.style(Role::Text));
    let mut y = area.y + 1;
    if let Some((hit, miss)) = finder.known
        && y + 3 < area.bottom()
    {
        let shown = hit.replace(['\n', '\r'], "⏎");
        let x = 3 + put(buffer, 3, y, 9, "hides", theme.style(Role::Faint));
        marked(theme, (x + 4, y), width.saturating_sub(9), &shown, buffer);
        let miss = miss.replace(['\n', '\r'], "⏎");
        put(buffer, 3, y + 1, 9, "leaves", theme.style(Role::Faint));
        put(buffer, x + 4, y + 1, width.saturating_sub(9), &miss, theme.style(Role::Dim));
        y += 3;
    }
    let at = (view.region == Region::Examples).then_some(view.example);
    examples(
        shared,
        &finder.examples,
        at,
        Rect { y, height: area.bottom().saturating_sub(y), ..area },
        buffer,
    );
}

/// Writes an example whose secret stands between marks, the secret in its colour and without them.
fn marked(
    theme: &crate::tui::theme::Theme,
    (x, y): (u16, u16),
    width: u16,
    text: &str,
    buffer: &mut Buffer,
) {
    let right = x + width;
    let mut at = x;
    for (number, part) in text.split(['⟦', '⟧']).enumerate() {
        let role = if number % 2 == 1 { Role::Hidden } else { Role::Dim };
        at += put(buffer, at, y, right.saturating_sub(at), part, theme.style(role));
    }
}

fn examples(
    shared: &Shared,
    examples: &[Example],
    cursor: Option<usize>,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let widest = examples.iter().map(|example| example.place.chars().count()).max().unwrap_or(0);
    let place = u16::try_from(widest.clamp(8, usize::from(area.width / 3))).unwrap_or(24);
    let ahead = examples.iter().map(|example| example.before).max().unwrap_or(0);
    let ahead = ahead.min(usize::from(area.width / 3));
    let scroll = Scroll::around(cursor.unwrap_or(0), examples.len(), usize::from(area.height));
    for ((number, example), y) in
        examples.iter().enumerate().skip(scroll.from).zip(area.y..area.bottom())
    {
        if cursor == Some(number) {
            buffer.set_style(Rect { y, height: 1, ..area }, theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        put(buffer, 3, y, place, &example.place, theme.style(Role::Faint));
        // The hits stand below each other.
        let pad = u16::try_from(ahead.saturating_sub(example.before)).unwrap_or(0);
        let x = 3 + place + 2 + pad;
        let room = area.right().saturating_sub(x + 1);
        let text = example.excerpt.for_terminal();
        let taken = put_veiled(theme, (x, y), room, &text, theme.style(Role::Dim), buffer);
        if let Some(why) = example.near {
            let room = room.saturating_sub(taken + 2);
            put(buffer, x + taken + 2, y, room, why, theme.style(Role::Slow));
        }
    }
}

/// What a rule finds that is being typed.
fn trying(shared: &Shared, found: Option<&Report>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (text, role) = match found {
        None => ("what the rule finds is shown here while it is typed".to_owned(), Role::Dim),
        Some(report) if report.hits == 0 => {
            (format!("finds nothing in {} entries", count_text(report.entries)), Role::Slow)
        }
        Some(report) => (
            format!(
                "finds {} in {} of {} entries",
                count_text(usize::try_from(report.hits).unwrap_or(usize::MAX)),
                count_text(report.holding),
                count_text(report.entries)
            ),
            Role::Text,
        ),
    };
    put(buffer, 3, area.y, area.width.saturating_sub(4), &text, theme.style(role));
    let all: Vec<Example> = found
        .iter()
        .flat_map(|report| &report.finders)
        .flat_map(|finder| finder.examples.clone())
        .collect();
    let lower = Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area };
    examples(shared, &all, None, lower, buffer);
}
