//! The trail as it is drawn: a lane for each source, time downwards, waits between the steps.

use cribrum_core::{
    entry::Level,
    trail::{Step, Trail},
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::TrailView;
use crate::{
    present::{cells, count_text, counted, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{brief, heading, pair_text, put, put_right, put_veiled, rule},
    },
};

const SECOND: i64 = 1_000_000_000;

/// A line of the drawing.
enum Row {
    Step(usize),
    /// A wait before a step.
    Wait(usize),
    /// The end of what a step began.
    End(usize),
}

pub(super) fn draw(view: &TrailView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let Some(trail) = &view.trail else {
        heading(shared, "trail", "", area, buffer);
        let text = match shared.snapshot.loaded() {
            true => "looking through all sources …",
            false => "reading all sources first …",
        };
        put(buffer, 2, 3, area.width - 4, text, theme.style(Role::Dim));
        return;
    };
    let id = format!("{} {}", trail.kind, trail.id.for_terminal());
    heading(shared, "trail", &id, area, buffer);
    summary(shared, trail, area, buffer);
    rule(theme, Rect { y: area.y + 4, height: 1, ..area }, None, buffer);
    let detail = if area.height >= 29 { 9 } else { 0 };
    let top = area.y + 6;
    let bottom = area.bottom().saturating_sub(detail);
    let lanes = Lanes::of(trail, area.width);
    lanes.head(shared, trail, top - 1, buffer);
    let rows = rows(trail);
    let height = usize::from(bottom.saturating_sub(top));
    let at =
        rows.iter().position(|row| matches!(row, Row::Step(n) if *n == view.cursor)).unwrap_or(0);
    let from = at.saturating_sub(height * 2 / 3).min(rows.len().saturating_sub(height));
    for (place, row) in rows.iter().skip(from).take(height).enumerate() {
        let y = top + u16::try_from(place).unwrap_or(0);
        lanes.row(shared, trail, row, view.cursor, y, area, buffer);
    }
    if let (true, Some(step)) = (detail > 0, trail.steps.get(view.cursor)) {
        rule(theme, Rect { y: bottom, height: 1, ..area }, None, buffer);
        let below = Rect { y: bottom + 1, height: detail - 1, ..area };
        step_detail(shared, step, below, buffer);
    }
}

fn summary(shared: &Shared, trail: &Trail, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let y = area.y + 2;
    let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let mut x = 2 + put(buffer, 2, y, 20, &span_text(trail.duration), strong) + 3;
    let text = format!(
        "{} entries · {}",
        count_text(trail.steps.len()),
        counted(trail.lanes.len(), "lane")
    );
    x += put(buffer, x, y, 30, &text, theme.style(Role::Dim)) + 3;
    for level in [Level::Fatal, Level::Error, Level::Warn] {
        let count = trail.count(level);
        if count > 0 {
            let noun = match level {
                Level::Warn => "warning",
                Level::Error => "error",
                _ => "fatal",
            };
            let many = if count > 1 && level != Level::Fatal { "s" } else { "" };
            let text = format!("{count} {noun}{many}");
            x += put(buffer, x, y, 20, &text, theme.level(Some(level))) + 3;
        }
    }
    if trail.gone > 0 {
        let text = format!("{} can't be read any more", count_text(trail.gone));
        put(buffer, x, y, 40, &text, theme.style(Role::Wrong));
    }
    if let Some(longest) = trail.longest {
        let step = &trail.steps[longest];
        let lane = &shared.snapshot.sources[trail.lanes[step.lane]].label;
        let text = format!(
            "The longest wait, {}, is before {lane}: {}",
            span_text(step.gap),
            brief(&step.entry)
        );
        put(buffer, 2, y + 1, area.width - 4, &text, theme.style(Role::Slow));
    }
}

/// The lines of the drawing: long waits stand on lines of their own.
fn rows(trail: &Trail) -> Vec<Row> {
    let mut rows = Vec::new();
    let mut ends: Vec<(i64, usize)> = trail
        .steps
        .iter()
        .enumerate()
        .filter_map(|(at, step)| {
            let (_, to) = step.span?;
            // An end is worth a line where other steps come in between.
            let next = trail.steps.get(at + 1)?;
            (to > step.at && next.at <= to).then_some((to, at))
        })
        .collect();
    ends.sort_unstable();
    let mut ends = ends.into_iter().peekable();
    for (at, step) in trail.steps.iter().enumerate() {
        while let Some((_, end)) = ends.next_if(|(to, _)| *to < step.at) {
            rows.push(Row::End(end));
        }
        if at > 0 && (trail.longest == Some(at) || step.gap >= SECOND) {
            rows.push(Row::Wait(at));
        }
        rows.push(Row::Step(at));
    }
    rows.extend(ends.map(|(_, at)| Row::End(at)));
    rows
}

/// Where the lanes stand, and from when to when each is at work.
struct Lanes {
    first: u16,
    width: u16,
    spans: Vec<(i64, i64)>,
}

impl Lanes {
    fn of(trail: &Trail, width: u16) -> Self {
        let first = if width >= 100 { 26 } else { 22 };
        let count = u16::try_from(trail.lanes.len().max(1)).unwrap_or(1);
        let mut spans = vec![(i64::MAX, i64::MIN); trail.lanes.len()];
        for step in &trail.steps {
            let (from, to) = step.span.unwrap_or((step.at, step.at));
            let span = &mut spans[step.lane];
            *span = (span.0.min(from).min(step.at), span.1.max(to).max(step.at));
        }
        Self { first, width: (width.saturating_sub(first) / count).max(6), spans }
    }

    fn x(&self, lane: usize) -> u16 {
        self.first + self.width.saturating_mul(u16::try_from(lane).unwrap_or(u16::MAX))
    }

    fn head(&self, shared: &Shared, trail: &Trail, y: u16, buffer: &mut Buffer) {
        let dim = shared.theme.style(Role::Dim);
        put_right(buffer, 11, y, 10, "at", dim);
        put_right(buffer, 22, y, 10, "gap", dim);
        for (lane, source) in trail.lanes.iter().enumerate() {
            let style = shared.theme.lane(*source).add_modifier(Modifier::BOLD);
            let label = &shared.snapshot.sources[*source].label;
            put(buffer, self.x(lane), y, self.width - 1, label, style);
        }
    }

    #[expect(clippy::too_many_arguments, reason = "a row of a drawing, and the place for it")]
    fn row(
        &self,
        shared: &Shared,
        trail: &Trail,
        row: &Row,
        cursor: usize,
        y: u16,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let (number, at) = match row {
            Row::Step(number) => (*number, trail.steps[*number].at),
            Row::Wait(number) => (*number, trail.steps[*number].at - 1),
            Row::End(number) => (*number, trail.steps[*number].span.map_or(0, |(_, to)| to)),
        };
        let step = &trail.steps[number];
        if matches!(row, Row::Step(_)) && number == cursor {
            buffer.set_style(Rect { y, height: 1, ..area }, theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        for (lane, (from, to)) in self.spans.iter().enumerate() {
            let busy = *from <= at && at <= *to;
            let sign = if busy { theme.glyphs.lane } else { theme.glyphs.dot };
            let style = if busy { theme.lane(trail.lanes[lane]) } else { theme.style(Role::Rule) };
            put(buffer, self.x(lane), y, 1, sign, style);
        }
        let x = self.x(step.lane);
        let lane = theme.lane(trail.lanes[step.lane]);
        let slow = theme.style(Role::Slow);
        match row {
            Row::Wait(number) => {
                put(buffer, x, y, 1, theme.glyphs.wait, slow);
                let longest = trail.longest == Some(*number);
                let text = match longest {
                    true => format!("{} · the longest wait", span_text(step.gap)),
                    false => span_text(step.gap),
                };
                let wide = u16::try_from(cells(&text)).unwrap_or(u16::MAX);
                let from = match x + 2 + wide > area.width && wide + 1 < x {
                    true => x - wide - 1,
                    false => x + 2,
                };
                put(buffer, from, y, area.width.saturating_sub(from), &text, slow);
            }
            Row::End(_) => {
                put(buffer, x, y, 1, theme.glyphs.step, lane);
                put_right(buffer, 11, y, 10, &span_text(at), theme.style(Role::Dim));
                let took = step.span.map_or(0, |(from, to)| to - from);
                let text = format!("done after {}", span_text(took));
                put(
                    buffer,
                    x + 2,
                    y,
                    area.width.saturating_sub(x + 2),
                    &text,
                    theme.level(step.entry.level()),
                );
            }
            Row::Step(_) => {
                put(buffer, x, y, 1, theme.glyphs.step, lane);
                let role = if number == cursor { Role::Text } else { Role::Dim };
                put_right(buffer, 11, y, 10, &span_text(step.at), theme.style(role));
                if number > 0 {
                    let wait = trail.longest == Some(number) || step.gap >= SECOND;
                    let style = if wait { slow } else { theme.style(Role::Faint) };
                    put_right(buffer, 22, y, 10, &span_text(step.gap), style);
                }
                self.message(shared, step, x, y, area, buffer);
            }
        }
    }

    fn message(
        &self,
        shared: &Shared,
        step: &Step,
        x: u16,
        y: u16,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let level = step.entry.level();
        if let Some(level) = level {
            let glyph = theme.glyphs.severity[level.index()];
            put(
                buffer,
                x + 2,
                y,
                1,
                glyph,
                theme.level(Some(level)).remove_modifier(Modifier::BOLD),
            );
        }
        let style = match level {
            Some(level) if level >= Level::Warn => theme.level(Some(level)),
            Some(Level::Info) => theme.style(Role::Text),
            _ => theme.style(Role::Dim),
        };
        let text = brief(&step.entry);
        let text = match step.entry.lines {
            0 | 1 => text,
            lines => format!("{text} {} {lines}", theme.glyphs.more),
        };
        // A message may run over the lanes to its right: nothing stands there on this line. In the last
        // lane there may be no room but to the left.
        let room = area.width.saturating_sub(x + 5);
        let wide = u16::try_from(cells(&text)).unwrap_or(u16::MAX);
        if wide > room && room < 40 && wide.saturating_add(self.first + 2) < x {
            put_veiled(theme, (x - wide - 1, y), wide, &text, style, buffer);
            return;
        }
        let end = x + 4 + put_veiled(theme, (x + 4, y), room, &format!("{text} "), style, buffer);
        let mut at = end + 1;
        for field in step.entry.fields.iter().filter(|_| !step.entry.layout.is_access()) {
            let pair = pair_text(field);
            let wide = u16::try_from(cells(&pair)).unwrap_or(u16::MAX);
            if at.saturating_add(wide) + 1 < area.right() {
                let faint = theme.style(Role::Faint);
                at += put_veiled(theme, (at, y), wide, &pair, faint, buffer) + 2;
            }
        }
    }
}

/// The step under the cursor, in full as far as there is room.
fn step_detail(shared: &Shared, step: &Step, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let entry = &step.entry;
    let source = &shared.snapshot.sources[entry.source].name;
    let how = entry.logger.as_ref().map(|logger| logger.for_terminal().into_owned());
    let how = how.unwrap_or_default();
    let widest = cells(source).max(cells(&how));
    let label = u16::try_from(widest.clamp(8, 28)).unwrap_or(28) + 4;
    put(buffer, 2, area.y, label - 3, source, theme.style(Role::Dim));
    put(buffer, 2, area.y + 1, label - 3, &how, theme.style(Role::Faint));
    let room = area.width.saturating_sub(label + 2);
    let title = theme.level(entry.level()).add_modifier(Modifier::BOLD);
    put_veiled(theme, (label, area.y), room, &entry.message.for_terminal(), title, buffer);
    let body = entry.body.iter().flat_map(|body| body.as_str().lines());
    let mut y = area.y + 1;
    for line in body {
        if y >= area.bottom() {
            return;
        }
        let line = cribrum_core::veil::harmless(line).replace('\t', "    ");
        put_veiled(theme, (label, y), room, &line, theme.style(Role::Dim), buffer);
        y += 1;
    }
    if entry.body.is_none() {
        let mut x = label;
        for field in &entry.fields {
            let text = pair_text(field);
            if x + 4 < area.right() && y < area.bottom() {
                let room = area.right().saturating_sub(x);
                x += put_veiled(theme, (x, y), room, &text, theme.style(Role::Dim), buffer) + 3;
            }
        }
    }
}
