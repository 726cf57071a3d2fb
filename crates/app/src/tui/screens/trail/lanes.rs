//! The lanes of a trail, and the lines of the drawing.

use cribrum_core::{
    entry::Level,
    trail::{LaneBy, Neighbour, Step, StepUsual, Trail, Usual},
    veil::Desk,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::state::TrailView;
use crate::{
    present::{cells, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{brief, pair_text, put, put_right, put_veiled},
    },
};

const SECOND: i64 = 1_000_000_000;

/// A line of the drawing.
pub(super) enum Row {
    Step(usize),
    /// A wait before a step.
    Wait(usize),
    /// The end of what a step began.
    End(usize),
    /// What may belong to it, before a step: by its number among those.
    Beside(usize, usize),
}

/// The lines of the drawing: long waits stand on lines of their own.
pub(super) fn rows(
    trail: &Trail,
    usual: Option<&Usual<Desk>>,
    beside: &[Neighbour<Desk>],
) -> Vec<Row> {
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
    let mut beside = beside.iter().enumerate().peekable();
    for (at, step) in trail.steps.iter().enumerate() {
        while let Some((_, end)) = ends.next_if(|(to, _)| *to < step.at) {
            rows.push(Row::End(end));
        }
        while let Some((number, _)) = beside.next_if(|(_, neighbour)| neighbour.before <= at) {
            rows.push(Row::Beside(number, at));
        }
        let excess =
            usual.and_then(|usual| usual.steps.get(at)).is_some_and(|step| step.excess > 0);
        let long = trail.longest == Some(at) && usual.is_none() || step.gap >= SECOND;
        if at > 0 && (long || excess) {
            rows.push(Row::Wait(at));
        }
        rows.push(Row::Step(at));
    }
    rows.extend(ends.map(|(_, at)| Row::End(at)));
    rows
}

/// Where the lanes stand, and from when to when each is at work.
pub(super) struct Lanes {
    first: u16,
    width: u16,
    spans: Vec<(i64, i64)>,
    /// The first step of each lane, and the lane that was at work around it.
    calls: Vec<(usize, Option<usize>)>,
}

impl Lanes {
    pub(super) fn of(trail: &Trail, width: u16) -> Self {
        let first = if width >= 100 { 26 } else { 24 };
        let count = u16::try_from(trail.lanes.len().max(1)).unwrap_or(1);
        let mut spans = vec![(i64::MAX, i64::MIN); trail.lanes.len()];
        for step in &trail.steps {
            let (from, to) = step.span.unwrap_or((step.at, step.at));
            let span = &mut spans[step.lane];
            *span = (span.0.min(from).min(step.at), span.1.max(to).max(step.at));
        }
        let calls = (0..trail.lanes.len()).map(|lane| {
            let first = trail.steps.iter().position(|step| step.lane == lane).unwrap_or(0);
            let at = trail.steps[first].at;
            // The one that began last of those that last longer.
            let around = spans.iter().enumerate().filter(|(other, (from, to))| {
                *other != lane
                    && *from <= at
                    && *to >= spans[lane].1
                    && *from < spans[lane].0.max(at)
            });
            (first, around.max_by_key(|(_, (from, _))| *from).map(|(other, _)| other))
        });
        let calls = calls.collect();
        Self { first, width: (width.saturating_sub(first) / count).max(6), spans, calls }
    }

    fn x(&self, lane: usize) -> u16 {
        self.first + self.width.saturating_mul(u16::try_from(lane).unwrap_or(u16::MAX))
    }

    pub(super) fn head(&self, shared: &Shared, trail: &Trail, y: u16, buffer: &mut Buffer) {
        let dim = shared.theme.style(Role::Dim);
        put_right(buffer, 11, y, 10, "at", dim);
        put_right(buffer, 22, y, 10, "gap", dim);
        for (number, lane) in trail.lanes.iter().enumerate() {
            let style = colour(shared, trail, number).add_modifier(Modifier::BOLD);
            put(buffer, self.x(number), y, self.width - 1, &lane.name.for_terminal(), style);
        }
    }

    pub(super) fn row(
        &self,
        shared: &Shared,
        view: &TrailView,
        trail: &Trail,
        row: &Row,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let (number, at) = match row {
            Row::Step(number) => (*number, trail.steps[*number].at),
            Row::Beside(beside, number) => {
                let neighbour = view.neighbours.iter().flatten().nth(*beside);
                (*number, neighbour.map_or(0, |neighbour| neighbour.at))
            }
            Row::Wait(number) => (*number, trail.steps[*number].at - 1),
            Row::End(number) => (*number, trail.steps[*number].span.map_or(0, |(_, to)| to)),
        };
        let step = &trail.steps[number];
        let chosen = matches!(row, Row::Step(_)) && number == view.cursor;
        if chosen {
            buffer.set_style(area, theme.style(Role::Selection));
            put(buffer, 0, area.y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        for (lane, (from, to)) in self.spans.iter().enumerate() {
            let busy = *from <= at && at <= *to;
            let sign = if busy { theme.glyphs.lane } else { theme.glyphs.dot };
            let style = if busy { colour(shared, trail, lane) } else { theme.style(Role::Rule) };
            put(buffer, self.x(lane), area.y, 1, sign, style);
        }
        let usual = view.usual().and_then(|usual| usual.steps.get(number)).copied();
        match row {
            Row::Wait(_) => self.wait(shared, trail, number, usual, area, buffer),
            Row::End(_) => self.end(shared, trail, step, at, area, buffer),
            Row::Beside(beside, _) => {
                if let Some(neighbour) = view.neighbours.iter().flatten().nth(*beside) {
                    self.beside(shared, trail, neighbour, area, buffer);
                }
            }
            Row::Step(_) => {
                self.call(shared, number, area.y, buffer);
                put(
                    buffer,
                    self.x(step.lane),
                    area.y,
                    1,
                    theme.glyphs.step,
                    colour(shared, trail, step.lane),
                );
                let role = if chosen { Role::Text } else { Role::Dim };
                put_right(buffer, 11, area.y, 10, &span_text(step.at), theme.style(role));
                if number > 0 {
                    let slow = step.gap >= SECOND || usual.is_some_and(|usual| usual.excess > 0);
                    let style = theme.style(if slow { Role::Slow } else { Role::Faint });
                    put_right(buffer, 22, area.y, 10, &span_text(step.gap), style);
                }
                self.message(shared, step, usual, area, buffer);
            }
        }
    }

    /// A line from the lane that was at work to one whose first step this is.
    fn call(&self, shared: &Shared, number: usize, y: u16, buffer: &mut Buffer) {
        let Some(lane) = self.calls.iter().position(|(first, _)| *first == number) else { return };
        let Some(from) = self.calls[lane].1 else { return };
        let (from, to) = (self.x(from), self.x(lane));
        let (left, right) = if from < to { (from + 1, to) } else { (to + 1, from) };
        for x in left..right {
            let free = buffer.cell((x, y)).is_some_and(|cell| cell.symbol() == " ");
            if free {
                put(buffer, x, y, 1, shared.theme.glyphs.across, shared.theme.style(Role::Rule));
            }
        }
    }

    fn wait(
        &self,
        shared: &Shared,
        trail: &Trail,
        number: usize,
        usual: Option<StepUsual>,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let step = &trail.steps[number];
        let slow = theme.style(Role::Slow);
        let x = self.x(step.lane);
        put(buffer, x, area.y, 1, theme.glyphs.wait, slow);
        let gap = span_text(step.gap);
        let text = match usual.and_then(|usual| usual.wait) {
            Some((0, _)) => format!("{gap} · usually no such wait"),
            Some((p50, _)) => format!("{gap} · usually {}", span_text(p50)),
            None if trail.longest == Some(number) => format!("{gap} · the longest wait"),
            None => gap,
        };
        let wide = u16::try_from(cells(&text)).unwrap_or(u16::MAX);
        let from = match x + 2 + wide > area.width && wide + 1 < x {
            true => x - wide - 1,
            false => x + 2,
        };
        put(buffer, from, area.y, area.width.saturating_sub(from), &text, slow);
    }

    /// An entry that may belong to it, in the lane of its source.
    fn beside(
        &self,
        shared: &Shared,
        trail: &Trail,
        neighbour: &Neighbour<Desk>,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let faint = shared.theme.style(Role::Faint);
        put_right(buffer, 11, area.y, 10, &span_text(neighbour.at), faint);
        let same = |step: &&Step| step.entry.source == neighbour.entry.source;
        let lane = trail.steps.iter().find(same).map_or(0, |step| step.lane);
        let x = self.x(lane);
        put(buffer, x, area.y, 1, shared.theme.glyphs.dot, faint);
        let room = area.width.saturating_sub(x + 5);
        let text = brief(&neighbour.entry);
        put_veiled(&shared.theme, (x + 4, area.y), room, &text, faint, buffer);
    }

    fn end(
        &self,
        shared: &Shared,
        trail: &Trail,
        step: &Step,
        at: i64,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let x = self.x(step.lane);
        put(buffer, x, area.y, 1, theme.glyphs.step, colour(shared, trail, step.lane));
        put_right(buffer, 11, area.y, 10, &span_text(at), theme.style(Role::Dim));
        let took = step.span.map_or(0, |(from, to)| to - from);
        let text = format!("done after {}", span_text(took));
        let room = area.width.saturating_sub(x + 2);
        put(buffer, x + 2, area.y, room, &text, said(shared, step));
    }

    fn message(
        &self,
        shared: &Shared,
        step: &Step,
        usual: Option<StepUsual>,
        area: Rect,
        buffer: &mut Buffer,
    ) {
        let theme = &shared.theme;
        let (x, y) = (self.x(step.lane), area.y);
        if let Some(level) = step.entry.level() {
            let glyph = theme.glyphs.severity[level.index()];
            let style =
                if step.in_pan { theme.level(Some(level)) } else { theme.style(Role::Faint) };
            put(buffer, x + 2, y, 1, glyph, style.remove_modifier(Modifier::BOLD));
        }
        let style = said(shared, step);
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
        let mark = usual.and_then(mark);
        if let Some(mark) = &mark {
            let wide = u16::try_from(cells(mark)).unwrap_or(u16::MAX);
            if at.saturating_add(wide) + 1 < area.right() {
                at += put(buffer, at, y, wide, mark, theme.style(Role::Slow)) + 2;
            }
        }
        // Of a span the bar says how long it took; what else it has stands below.
        if let (true, Some((from, to))) = (step.entry.layout.is_span(), step.span) {
            put(buffer, at - 1, y, 1, " ", style);
            let text = format!("took {}", span_text(to - from));
            put(buffer, at, y, area.right().saturating_sub(at), &text, theme.style(Role::Faint));
            return;
        }
        for field in step.entry.own_fields().iter().filter(|_| !step.entry.layout.is_access()) {
            let pair = pair_text(field);
            let wide = u16::try_from(cells(&pair)).unwrap_or(u16::MAX);
            if at.saturating_add(wide) + 1 < area.right() {
                let faint = theme.style(Role::Faint);
                put(buffer, at - 1, y, 1, " ", faint);
                at += put_veiled(theme, (at, y), wide, &pair, faint, buffer) + 2;
            }
        }
    }
}

/// What is unusual of a step beside the wait before it.
fn mark(usual: StepUsual) -> Option<String> {
    match usual {
        StepUsual { again: Some(times), .. } => Some(format!("time {times}")),
        StepUsual { early: true, .. } => Some("before its turn".into()),
        StepUsual { share: 0, .. } => Some("in no other".into()),
        StepUsual { share, .. } if share < 20 => Some(format!("in {share} of 100")),
        _ => None,
    }
}

/// The colour of a lane: that of its source as on other screens, where lanes are sources.
pub(super) fn colour(shared: &Shared, trail: &Trail, lane: usize) -> Style {
    let number = match trail.by {
        LaneBy::Source => trail.lanes[lane].source,
        _ => lane,
    };
    shared.theme.lane(number)
}

/// How the message of a step is written: dim where the sieve holds it back.
fn said(shared: &Shared, step: &Step) -> Style {
    let theme = &shared.theme;
    match step.entry.level() {
        _ if !step.in_pan => theme.style(Role::Faint),
        Some(level) if level >= Level::Warn => theme.level(Some(level)),
        Some(Level::Info) => theme.style(Role::Text),
        _ => theme.style(Role::Dim),
    }
}
