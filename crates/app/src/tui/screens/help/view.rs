//! The help as it is drawn, in columns that read downwards.

use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use crate::tui::{
    shared::Shared,
    theme::Role,
    widgets::{Scroll, heading, put, put_right},
};

/// The product's own words.
const WORDS: [(&str, &str); 12] = [
    ("intake", "everything that is poured in: the sources, and how each is read"),
    ("layout", "how a line is to be read: JSON, access log, delimited, …"),
    ("mesh", "one condition; it lets entries through or holds them back"),
    ("sieve", "all meshes in a row; the funnel shows what each leaves"),
    ("pan", "what the whole sieve lets through; every screen shows it"),
    ("rail", "the time axis beside the entries: volume and gravest level"),
    ("sweep", "empties the view from now on; nothing is deleted"),
    ("trail", "all entries of one id, as steps in time across sources"),
    ("run", "one life of a program within a source, until it starts again"),
    ("exchange", "a request and its response, joined although logged apart"),
    ("veil", "what hides secrets: a stand-in is shown in the place of each"),
    ("plate", "a drawing for a document, as SVG or PDF"),
];

/// What the signs mean.
const SIGNS: [(&str, &str); 3] = [
    ("▁ ▂ ▃ ▅ ▇ █", "trace, debug, info, warn, error, fatal: severity is a height"),
    ("▌d86f", "the end of the request id, in a colour of its own"),
    ("«card·4e1b»", "the stand-in of a secret; the same secret has the same one"),
];

/// A line of the help.
#[derive(Clone, Copy)]
enum Line {
    Title(&'static str, &'static str),
    Row(&'static str, &'static str),
    Space,
}

fn lines(shared: &Shared) -> Vec<Line> {
    let keys =
        shared.manual.iter().map(|section| (section.title, section.about, section.rows.as_slice()));
    let more: [(_, _, &[(&'static str, &'static str)]); 2] =
        [("the words of Cribrum", "", &WORDS), ("signs", "", &SIGNS)];
    let mut lines = Vec::new();
    for (title, about, rows) in keys.chain(more) {
        if !lines.is_empty() {
            lines.push(Line::Space);
        }
        lines.push(Line::Title(title, about));
        lines.extend(rows.iter().map(|(keys, help)| Line::Row(keys, help)));
    }
    lines
}

/// The columns that there is room for, the lines in each, and how many of these are shown.
fn columns(count: usize, area: Rect) -> (u16, usize, usize) {
    let columns = if area.width >= 130 { 2 } else { 1 };
    (columns, count.div_ceil(usize::from(columns)), usize::from(area.height.saturating_sub(4)))
}

/// How far the help can be scrolled.
pub(super) fn most(shared: &Shared, area: Rect) -> usize {
    let (_, each, rows) = columns(lines(shared).len(), area);
    each.saturating_sub(rows)
}

pub(super) fn draw(from: usize, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    heading(shared, "help", "what every key does, and what the words mean", area, buffer);
    let lines = lines(shared);
    let (columns, each, rows) = columns(lines.len(), area);
    let width = area.width / columns;
    let from = from.min(each.saturating_sub(rows));
    let told = Scroll { from }.told(each.saturating_sub(from + rows));
    put(buffer, 16, area.bottom().saturating_sub(1), 40, &told, theme.style(Role::Dim));
    for column in 0..columns {
        let start = usize::from(column) * each;
        let mine = lines.iter().take((start + each).min(lines.len())).skip(start + from);
        let x = column * width;
        for (line, y) in mine.take(rows).zip(area.y + 2..) {
            let room = width.saturating_sub(17);
            match line {
                Line::Space => {}
                Line::Title(title, about) => {
                    let style = theme.style(Role::Dim).add_modifier(Modifier::BOLD);
                    let taken = put(buffer, x + 16, y, room, title, style) + 2;
                    let room = room.saturating_sub(taken);
                    put(buffer, x + 16 + taken, y, room, about, theme.style(Role::Faint));
                }
                Line::Row(keys, help) => {
                    put_right(buffer, x + 14, y, 13, keys, theme.style(Role::Accent));
                    put(buffer, x + 16, y, room, help, theme.style(Role::Text));
                }
            }
        }
    }
}
