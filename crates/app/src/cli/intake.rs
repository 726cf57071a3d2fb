//! `cribrum intake`

use std::io::{self, Write};

use cribrum_core::{
    LayoutId,
    engine::{Snapshot, SourceStatus},
    entry::Level,
    export::time_text,
};
use serde_json::json;

use super::{
    args::{Intake, Table},
    exit::{Exit, Stop},
    pour,
};
use crate::{output::Output, tui::count_text};

pub(super) fn run(args: &Intake) -> Result<Exit, Stop> {
    let poured = pour::pour(&args.pour)?;
    let mut out = Output::open(None).map_err(Stop::output)?;
    match args.form {
        Table::Text => text(&poured.snapshot, &mut out),
        Table::Jsonl => jsonl(&poured.snapshot, &mut out),
    }
    .and_then(|()| out.finish())
    .map_err(Stop::output)?;
    Ok(Exit::of(!poured.snapshot.order.is_empty(), poured.unread))
}

fn text(snapshot: &Snapshot, out: &mut impl Write) -> io::Result<()> {
    let width = snapshot.sources.iter().map(|s| s.name.chars().count()).max().unwrap_or(0).max(6);
    writeln!(
        out,
        "{:width$}  {:>11}  {:>10}  {:23}  {:23}  {:28}  levels",
        "source", "entries", "understood", "first", "last", "layouts"
    )?;
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        let time = |time: Option<i64>| {
            time.map_or_else(|| "-".to_owned(), |time| short_time(&time_text(time, Some(3))))
        };
        writeln!(
            out,
            "{:width$}  {:>11}  {:>10}  {:23}  {:23}  {:28}  {}",
            source.name,
            count_text(status.entries()),
            share(status.understood(), status.entries()),
            time(status.span.map(|(first, _)| first)),
            time(status.span.map(|(_, last)| last)),
            layouts(status),
            levels(status),
        )?;
    }
    let entries: usize = snapshot.status.iter().map(SourceStatus::entries).sum();
    let understood: usize = snapshot.status.iter().map(SourceStatus::understood).sum();
    writeln!(
        out,
        "{:width$}  {:>11}  {:>10}",
        "all",
        count_text(entries),
        share(understood, entries)
    )
}

fn short_time(time: &str) -> String {
    time.trim_end_matches('Z').replace('T', " ")
}

/// A share in percent that says 100 only of all and 0 only of none.
fn share(part: usize, all: usize) -> String {
    if all == 0 {
        return "-".into();
    }
    let tenths = (part * 1_000 / all).clamp(usize::from(part > 0), 1_000 - usize::from(part < all));
    format!("{}.{} %", tenths / 10, tenths % 10)
}

fn layouts(status: &SourceStatus) -> String {
    let all = status.entries();
    let of = |(layout, count): &(LayoutId, usize)| match status.layouts.len() {
        1 => layout.name().to_owned(),
        _ => format!("{} {}", layout.name(), share(*count, all)),
    };
    status.layouts.iter().filter(|(_, n)| *n > 0).map(of).collect::<Vec<_>>().join(", ")
}

fn levels(status: &SourceStatus) -> String {
    let mut parts: Vec<String> = Level::ALL
        .iter()
        .zip(status.levels)
        .filter(|(_, count)| *count > 0)
        .map(|(level, count)| format!("{level} {}", count_text(count)))
        .collect();
    if status.unlevelled > 0 {
        parts.push(format!("none {}", count_text(status.unlevelled)));
    }
    parts.join(", ")
}

fn jsonl(snapshot: &Snapshot, out: &mut impl Write) -> io::Result<()> {
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        let layouts: serde_json::Map<_, _> =
            status.layouts.iter().map(|(l, n)| (l.name().to_owned(), json!(n))).collect();
        let levels: serde_json::Map<_, _> = Level::ALL
            .iter()
            .zip(status.levels)
            .map(|(level, count)| (level.name().to_owned(), json!(count)))
            .collect();
        let row = json!({
            "source": source.name,
            "layouts": layouts,
            "entries": status.entries(),
            "understood": status.understood(),
            "first": status.span.map(|(first, _)| time_text(first, None)),
            "last": status.span.map(|(_, last)| time_text(last, None)),
            "levels": levels,
            "unlevelled": status.unlevelled,
            "bytes": status.bytes.0,
        });
        writeln!(out, "{row}")?;
    }
    Ok(())
}
