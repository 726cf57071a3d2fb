//! Which lines of the list are on the screen: entries, and what stands between them.

use std::collections::HashMap;

use cribrum_core::EntryId;

use super::line::Line;
use crate::tui::{
    screens::desk::{layout::Areas, state::Desk},
    shared::Shared,
};

const SECOND: i64 = 1_000_000_000;
/// A silence shorter than this is never drawn as one.
const QUIET: i64 = 60 * SECOND;

/// Chooses the lines that are on the screen; the rows thread reads their entries. Cost: the rows of one screen.
pub(in crate::tui::screens::desk) fn choose(desk: &mut Desk, shared: &Shared) {
    let height = usize::from(Areas::of(desk, shared).entries.height);
    desk.list.height = height;
    let ordered = desk.is_ordered(shared);
    let len = desk.rows(shared).len();
    if len == 0 || height == 0 {
        desk.list.lines.clear();
        return;
    }
    let cursor = desk.row(shared);
    desk.go(cursor, shared);
    let top = match desk.list.top {
        Some((row, _)) if ordered => row,
        Some((_, id)) => shared.snapshot.row_of(id),
        None => 0,
    };
    let top = top.min(len - 1);
    let mut first = top.min(cursor);
    // A jump far away puts the cursor into the middle, a step to the edge keeps the page still.
    if cursor > top + 2 * height {
        first = cursor.saturating_sub(height / 2);
    }
    if desk.list.follow {
        first = cursor.saturating_sub(height.saturating_sub(1));
    }
    let selected = desk.rows(shared).get(cursor);
    let mut lines = lines_from(desk, shared, first, height);
    while !shows(&lines, selected) && first < cursor {
        first += 1;
        lines = lines_from(desk, shared, first, height);
    }
    // The last page is full, as far as there are entries.
    while lines.len() < height && first > 0 {
        let more = lines_from(desk, shared, first - 1, height);
        if !shows(&more, selected) {
            break;
        }
        first -= 1;
        lines = more;
    }
    desk.list.top = desk.rows(shared).get(first).map(|id| (first, id));
    desk.list.lines = lines;
}

fn shows(lines: &[Line], id: Option<EntryId>) -> bool {
    lines.iter().any(|line| matches!(line, Line::Entry { id: shown, .. } if Some(*shown) == id))
}

/// At most `height` lines from a row on, silences and new days between the entries.
fn lines_from(desk: &Desk, shared: &Shared, first: usize, height: usize) -> Vec<Line> {
    let (snapshot, rows) = (&shared.snapshot, desk.rows(shared));
    if desk.is_ordered(shared) {
        // In another order than that of time nothing can be said of what lies between two entries.
        let entry = |id| Line::Entry { id, gap: None };
        return rows.iter_from(first).take(height).map(entry).collect();
    }
    let mut before =
        first.checked_sub(1).and_then(|row| rows.get(row)).and_then(|id| snapshot.time(id));
    let entries: Vec<(EntryId, Option<i64>, Option<i64>)> = rows
        .iter_from(first)
        .take(height)
        .map(|id| {
            let time = snapshot.time(id);
            let gap = time.zip(before).map(|(time, before)| time - before);
            before = time;
            (id, time, gap)
        })
        .collect();
    let mut gaps: Vec<i64> = entries.iter().filter_map(|(_, _, gap)| *gap).collect();
    gaps.sort_unstable();
    // Quiet is what is long beside most gaps: among sparse entries every gap is long.
    let usual = gaps.get(gaps.len() * 3 / 4).copied().unwrap_or(0);
    let quiet = QUIET.max(usual.saturating_mul(3));
    let mut latest: HashMap<usize, EntryId> = HashMap::new();
    let mut lines = Vec::with_capacity(height);
    for (id, time, gap) in entries {
        if let (Some(time), Some(gap)) = (time, gap)
            && !lines.is_empty()
        {
            if shared.clock.days_differ(time, time - gap) {
                lines.push(Line::Day(time));
            } else if gap >= quiet {
                lines.push(Line::Quiet(gap));
            }
        }
        // Its first entry may be held back: the first that is shown of a run stands for it.
        let run = snapshot.run_from(id).or_else(|| snapshot.run_of(id));
        if let Some(run) = run {
            let before = latest.insert(run.source, run.first);
            let begins = run.first == id || before.is_some_and(|before| before != run.first);
            if begins && run.seen && !lines.is_empty() {
                lines.push(Line::Restart(id));
            }
        }
        lines.push(Line::Entry { id, gap });
        if lines.len() >= height {
            break;
        }
    }
    lines.truncate(height);
    lines
}
