//! Text at a place of the screen.

use ratatui::{buffer::Buffer, layout::Rect, style::Style};
use unicode_segmentation::UnicodeSegmentation;

use crate::{
    present::{cells, fit},
    tui::theme::{Role, Theme},
};

/// Writes text at a place, in at most `width` cells; gives the cells it took.
pub(crate) fn put(
    buffer: &mut Buffer,
    x: u16,
    y: u16,
    width: u16,
    text: &str,
    style: Style,
) -> u16 {
    let area = buffer.area;
    if width == 0 || !area.contains((x, y).into()) {
        return 0;
    }
    let width = width.min(area.right() - x);
    let shown = fit(text, usize::from(width));
    let (end, _) = buffer.set_stringn(x, y, shown, usize::from(width), style);
    end - x
}

/// Writes text so that it ends before `right`.
pub(crate) fn put_right(
    buffer: &mut Buffer,
    right: u16,
    y: u16,
    width: u16,
    text: &str,
    style: Style,
) {
    let taken = u16::try_from(cells(text)).unwrap_or(width).min(width);
    put(buffer, right.saturating_sub(taken), y, width, text, style);
}

/// Writes text in which stand-ins have a colour of their own.
pub(crate) fn put_veiled(
    theme: &Theme,
    (x, y): (u16, u16),
    width: u16,
    text: &str,
    style: Style,
    buffer: &mut Buffer,
) -> u16 {
    let taken = put(buffer, x, y, width, text, style);
    if text.contains('«') {
        let hidden = theme.style(Role::Hidden);
        let mut within = false;
        for cell in x..x + taken {
            let Some(cell) = buffer.cell_mut((cell, y)) else { continue };
            within |= cell.symbol() == "«";
            if within {
                cell.set_style(hidden);
            }
            within &= cell.symbol() != "»";
        }
    }
    taken
}

/// Writes the words of a kind: what stands for something that varies has a colour of its own.
pub(crate) fn put_kind(
    theme: &Theme,
    (x, y): (u16, u16),
    width: u16,
    text: &str,
    style: Style,
    buffer: &mut Buffer,
) -> u16 {
    let taken = put(buffer, x, y, width, text, style);
    let (hole, hidden) = (theme.style(Role::Accent), theme.style(Role::Hidden));
    let (mut at, mut rest) = (x, text);
    while let Some((before, from)) = rest.split_once('{') {
        let Some((name, after)) = from.split_once('}') else { break };
        let start = at + u16::try_from(cells(before)).unwrap_or(u16::MAX - at);
        let width = u16::try_from(cells(name)).unwrap_or(0) + 2;
        let end = start.saturating_add(width).min(x + taken);
        let role = if name == "hidden" { hidden } else { hole };
        if start < end && !name.contains([' ', '{']) {
            buffer.set_style(Rect::new(start, y, end - start, 1), role);
        }
        (at, rest) = (start.saturating_add(width), after);
        if at >= x + taken {
            break;
        }
    }
    taken
}

/// Gives a style to every place in a row of the screen where words stand; all lower case ignores case.
pub(crate) fn find_style(words: &str, row: Rect, style: Style, buffer: &mut Buffer) {
    let any_case = !words.chars().any(char::is_uppercase);
    let fold = |text: &str| if any_case { text.to_lowercase() } else { text.to_owned() };
    // A wide character stands in its first cell; the next one is empty.
    let want: Vec<String> = words
        .graphemes(true)
        .flat_map(|cluster| {
            let rest = std::iter::repeat_n(" ".to_owned(), cells(cluster).saturating_sub(1));
            std::iter::once(fold(cluster)).chain(rest)
        })
        .collect();
    let row_of: Vec<String> = (row.x..row.right())
        .map(|x| buffer.cell((x, row.y)).map_or_else(String::new, |cell| fold(cell.symbol())))
        .collect();
    if want.is_empty() {
        return;
    }
    for at in 0..(row_of.len() + 1).saturating_sub(want.len()) {
        if row_of[at..at + want.len()] == want[..] {
            let from = row.x + u16::try_from(at).unwrap_or(0);
            let width = u16::try_from(want.len()).unwrap_or(0);
            buffer.set_style(Rect::new(from, row.y, width, 1), style);
        }
    }
}
