//! `cribrum intake`

use std::io::{self, Write};

use cribrum_core::{
    LayoutId,
    engine::{Explained, Snapshot, SourceStatus},
    entry::Level,
    export::{escaped, time_text},
    veil::{Anyone, CleanField, CleanValue, Shareable},
};
use serde_json::json;

use super::{
    args::{Intake, Table},
    exit::{Exit, Stop},
    pour,
};
use crate::{
    output::Output,
    present::{count_text, rate_text},
};

pub(super) fn run(args: &Intake) -> Result<Exit, Stop> {
    if let Some(place) = &args.explain {
        return explain(args, place);
    }
    let poured = pour::pour(&args.pour, None)?;
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
        "{:width$}  {:>11}  {:>10}  {:>16}  {:23}  {:23}  {:28}  levels",
        "source", "entries", "understood", "rate", "first", "last", "layouts"
    )?;
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        let time = |time: Option<i64>| {
            time.map_or_else(|| "-".to_owned(), |time| short_time(&time_text(time, Some(3))))
        };
        writeln!(
            out,
            "{:width$}  {:>11}  {:>10}  {:>16}  {:23}  {:23}  {:28}  {}",
            source.name,
            count_text(status.entries()),
            share(status.understood(), status.entries()),
            status.rate().map_or_else(|| "-".to_owned(), rate_text),
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
    )?;
    for (number, source) in snapshot.sources.iter().enumerate() {
        let status = &snapshot.status[number];
        for note in &status.notes {
            writeln!(out, "\n{}: {}", source.name, note.text)?;
        }
        let plain = (snapshot.first_plain(number), status.entries() - status.understood());
        let doubtful = (snapshot.first_doubtful(number), status.doubtful);
        let told = [(plain, "not understood"), (doubtful, "doubtful, unlike the other lines")];
        for ((first, count), what) in told {
            let Some(first) = first else { continue };
            let name = snapshot.file_of(first).unwrap_or(&source.name);
            let line = snapshot.line(first).unwrap_or(0);
            let count = count_text(count);
            writeln!(
                out,
                "\n{name}: {count} {what}, the first in line {line}: --explain {name}:{line}"
            )?;
        }
    }
    Ok(())
}

/// Explains one line.
fn explain(args: &Intake, place: &str) -> Result<Exit, Stop> {
    let form = || Stop::usage(format!("`{place}` names no line; write FILE:LINE, as app.log:12"));
    let (file, line) = place.rsplit_once(':').ok_or_else(form)?;
    let line: u64 = line.parse().ok().filter(|line| *line > 0).ok_or_else(form)?;
    let mut pour = args.pour.clone();
    if pour.sources.is_empty() {
        pour.sources.push(file.into());
    }
    let poured = pour::pour(&pour, None)?;
    let snapshot = &poured.snapshot;
    let name = std::path::Path::new(file)
        .file_name()
        .map_or_else(|| file.to_owned(), |name| name.to_string_lossy().into_owned());
    // The source of that name, or the only one; in a rotated set the file of that name.
    let source = snapshot.sources.iter().position(|source| {
        let files = match &source.origin {
            cribrum_core::source::Origin::Files(files) => files.as_slice(),
            cribrum_core::source::Origin::Stdin => &[],
        };
        source.name == file || source.name == name || files.iter().any(|f| f.ends_with(file))
    });
    let source = source.ok_or_else(|| {
        let names: Vec<&str> = snapshot.sources.iter().map(|s| s.name.as_str()).collect();
        Stop::usage(format!("`{file}` is no source here; the sources are {}", names.join(", ")))
    })?;
    let error = |error: io::Error| Stop::source(format!("can't read {file}: {error}"));
    let inner = match snapshot.explain(source, Some(&name), line).map_err(error)? {
        None => snapshot.explain(source, None, line).map_err(error)?,
        found => found,
    };
    let Some(found) = inner else {
        return Err(Stop::nothing(format!("{place}: no entry has this line")));
    };
    let mut out = Output::open(None).map_err(Stop::output)?;
    let written = match args.form {
        Table::Text => explained(&found, place, &mut out),
        Table::Jsonl => explained_as_json(&found, place, &mut out),
    };
    written.and_then(|()| out.finish()).map_err(Stop::output)?;
    Ok(Exit::Done)
}

fn explained(found: &Explained, place: &str, out: &mut impl Write) -> io::Result<()> {
    let entry = &found.entry;
    let (first, lines) = found.lines;
    let last = first + lines as u64 - 1;
    match lines {
        1 => writeln!(out, "{place}: line {first} is one entry")?,
        _ => writeln!(out, "{place}: lines {first} to {last} are one entry")?,
    }
    let mut row = |name: &str, text: &str| {
        writeln!(out, "  {name:12}  {}", cribrum_core::veil::harmless(text))
    };
    if found.coloured {
        row("dropped", "colour codes")?;
    }
    if found.wrapped {
        row("taken off", "what another program put around it")?;
    }
    let tried: Vec<String> = found
        .tried
        .iter()
        .map(|tried| format!("{} {}", tried.layout.name(), if tried.fits { "yes" } else { "no" }))
        .collect();
    let none = "no layout begins with such a character";
    row("tried", if tried.is_empty() { none.to_owned() } else { tried.join(", ") }.as_str())?;
    let doubt = if entry.doubtful { "  (doubtful: it contradicts the other lines)" } else { "" };
    row("layout", &format!("{}{doubt}", entry.layout.name()))?;
    let time = entry.time.map_or_else(|| "none".to_owned(), |t| time_text(t, Some(entry.digits)));
    let derived = |is: bool, why: &str| if is { format!("  ({why})") } else { String::new() };
    row("time", &format!("{time}{}", derived(entry.time_derived, "of the entry before")))?;
    let level = entry.level().map_or("none", Level::name);
    let written = entry.level_raw.as_ref().map(|raw| format!(", written {raw}"));
    let why = derived(entry.level_derived, "worked out");
    row("level", &format!("{level}{}{why}", written.unwrap_or_default()))?;
    if let Some(logger) = &entry.logger {
        row("logger", logger.as_str())?;
    }
    row("message", entry.message.as_str())?;
    for (kind, id) in &entry.ids {
        row(kind, id.as_str())?;
    }
    for field in &entry.fields {
        row(field.name.as_str(), &field_text(field))?;
    }
    for line in entry.body.iter().flat_map(|body| body.as_str().lines()) {
        row("", line)?;
    }
    Ok(())
}

fn field_text(field: &CleanField<Anyone>) -> String {
    match &field.value {
        CleanValue::Text(text) | CleanValue::Number(text) => text.as_str().to_owned(),
        CleanValue::Map(fields) | CleanValue::List(fields) => {
            let parts: Vec<String> = fields
                .iter()
                .map(|field| match field.name.as_str() {
                    "" => field_text(field),
                    name => format!("{name}={}", field_text(field)),
                })
                .collect();
            parts.join("  ")
        }
        other => other.word().as_str().to_owned(),
    }
}

fn explained_as_json(found: &Explained, place: &str, out: &mut impl Write) -> io::Result<()> {
    let entry = &found.entry;
    let tried: Vec<_> = found
        .tried
        .iter()
        .map(|tried| json!({"layout": tried.layout.name(), "fits": tried.fits}))
        .collect();
    let row = json!({
        "place": place,
        "line": found.lines.0,
        "lines": found.lines.1,
        "wrapped": found.wrapped,
        "coloured": found.coloured,
        "tried": tried,
        "layout": entry.layout.name(),
        "doubtful": entry.doubtful,
        "time": entry.time.map(|time| time_text(time, Some(entry.digits))),
        "level": entry.level().map(Level::name),
        "level_raw": entry.level_raw.as_ref().map(Shareable::as_str),
        "logger": entry.logger.as_ref().map(Shareable::as_str),
        "message": entry.message.as_str(),
        "raw": found.raw.as_str(),
    });
    writeln!(out, "{}", escaped(&row.to_string()))
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
    let mut parts: Vec<String> = status.layouts.iter().filter(|(_, n)| *n > 0).map(of).collect();
    parts.extend(status.form.name().map(str::to_owned));
    parts.join(", ")
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
            "doubtful": status.doubtful,
            "notes": status.notes.iter().map(|note| &note.text).collect::<Vec<_>>(),
            "first": status.span.map(|(first, _)| time_text(first, None)),
            "last": status.span.map(|(_, last)| time_text(last, None)),
            "levels": levels,
            "unlevelled": status.unlevelled,
            "bytes": status.bytes.0,
            "form": status.form.name(),
            "rate": status.rate(),
            "clock": (!status.clock.is_none()).then(|| status.clock.to_string()),
        });
        writeln!(out, "{}", escaped(&row.to_string()))?;
    }
    Ok(())
}
