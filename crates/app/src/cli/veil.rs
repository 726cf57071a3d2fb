//! `cribrum veil`: what is hidden, by which rule, and where. It never writes what it found.

use std::io::{self, Write};

use cribrum_core::{
    engine::{Found, Hidden, Pass, Snapshot},
    export::escaped,
    veil::{Action, By, Class, Hit, Veil},
};
use serde_json::json;

use super::{
    args::{Report, Veil as Arguments},
    exit::{Exit, Stop, tell},
    pour::{self, Poured},
};
use crate::{
    output::Output,
    present::{count_text, counted},
};

/// Examples of each detector.
const EXAMPLES: usize = 3;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let poured = pour::pour(&args.pour, args.output.as_deref())?;
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let found = match args.form {
        Report::Text => text(args, &poured, &mut out),
        Report::Jsonl => rows(args, &poured, &mut out, &mut json_row),
        Report::Csv => {
            let head = writeln!(out, "file,line,column,rule,class,near,source");
            head.and_then(|()| rows(args, &poured, &mut out, &mut csv_row))
        }
    };
    let found = found.and_then(|found| out.finish().map(|()| found)).map_err(Stop::output)?;
    Ok(Exit::of(!args.check || found == 0, poured.unread))
}

/// Counts and examples. Gives how many hits there are.
fn text(args: &Arguments, poured: &Poured, out: &mut impl Write) -> io::Result<u64> {
    let snapshot = &poured.snapshot;
    let hidden = Hidden::of(snapshot, &Pass::default()).unwrap_or_default();
    let veil = snapshot.veil();
    let mut found: Vec<(&By, &Found)> =
        hidden.by.iter().filter(|(_, found)| found.hits > 0).collect();
    found.sort_by_key(|(by, found)| {
        (found.class.group() as u8, std::cmp::Reverse(found.hits), **by)
    });
    let width =
        found.iter().map(|(by, _)| veil.name_of(**by).chars().count()).max().unwrap_or(0).max(4);
    writeln!(
        out,
        "{} in {} of {} entries",
        counted(usize::try_from(hidden.hits()).unwrap_or(usize::MAX), "hit"),
        count_text(hidden.holding),
        count_text(hidden.entries),
    )?;
    if !found.is_empty() {
        writeln!(
            out,
            "\n{:>9}  {:width$}  {:10}  {:8}  in exports",
            "hits", "rule", "class", "desk"
        )?;
    }
    for (by, of) in &found {
        let (desk, anyone) = done(veil, of.class);
        writeln!(
            out,
            "{:>9}  {:width$}  {:10}  {desk:8}  {anyone}",
            count_text(usize::try_from(of.hits).unwrap_or(usize::MAX)),
            veil.name_of(**by),
            of.class.name(),
        )?;
        examples(snapshot, &of.shown, out)?;
    }
    if args.near {
        near(snapshot, &hidden, out)?;
    }
    if hidden.unread > 0 {
        tell(&format!("{} entries could not be read", count_text(hidden.unread)));
    }
    Ok(hidden.hits())
}

/// What was nearly a hit, and why it was none.
fn near(snapshot: &Snapshot, hidden: &Hidden, out: &mut impl Write) -> io::Result<()> {
    let near: Vec<(&By, &Found)> = hidden.by.iter().filter(|(_, found)| found.near > 0).collect();
    if near.is_empty() {
        return Ok(());
    }
    writeln!(out, "\nnearly a hit, and not hidden")?;
    for (by, of) in near {
        let count = count_text(usize::try_from(of.near).unwrap_or(usize::MAX));
        writeln!(out, "{count:>9}  {}", snapshot.veil().name_of(*by))?;
        for (id, hit) in of.nearly.iter().take(EXAMPLES) {
            let place = place(snapshot, *id, hit);
            let why = hit.near.unwrap_or_default();
            writeln!(out, "           {place}  {}  ({why})", hit.excerpt.for_terminal())?;
        }
    }
    Ok(())
}

fn examples(
    snapshot: &Snapshot,
    shown: &[(cribrum_core::EntryId, Hit)],
    out: &mut impl Write,
) -> io::Result<()> {
    for (id, hit) in shown.iter().take(EXAMPLES) {
        writeln!(out, "           {}  {}", place(snapshot, *id, hit), hit.excerpt.for_terminal())?;
    }
    Ok(())
}

/// `gate.log:12:40`
fn place(snapshot: &Snapshot, id: cribrum_core::EntryId, hit: &Hit) -> String {
    let source = &snapshot.sources[snapshot.source_of(id)].name;
    let file = snapshot.file_of(id).unwrap_or(source);
    let line = snapshot.line(id).map_or(0, |line| line + u64::from(hit.line));
    cribrum_core::veil::harmless(&format!("{file}:{line}:{}", hit.column)).into_owned()
}

/// What is done about a class, at the desk and in what leaves it.
fn done(veil: &Veil, class: Class) -> (&'static str, &'static str) {
    let word = |action: Action| match action {
        Action::Hide => "hidden",
        Action::Shorten => "shortened",
        Action::Keep => "shown",
    };
    (word(veil.policy().at_the_desk(class)), word(veil.policy().for_anyone(class)))
}

/// A row for each hit.
struct Row<'r> {
    file: &'r str,
    source: &'r str,
    line: u64,
    column: u32,
    rule: &'r str,
    class: &'static str,
    near: Option<&'static str>,
}

type Write1<'w> = &'w mut dyn FnMut(&Row<'_>, &mut Output) -> io::Result<()>;

fn rows(args: &Arguments, poured: &Poured, out: &mut Output, write: Write1<'_>) -> io::Result<u64> {
    let snapshot = &poured.snapshot;
    let mut found = 0;
    let unread = snapshot.each_hit(&mut |id, hit| {
        if hit.near.is_some() && !args.near {
            return Ok(());
        }
        found += u64::from(hit.near.is_none());
        let source = &snapshot.sources[snapshot.source_of(id)].name;
        let row = Row {
            file: snapshot.file_of(id).unwrap_or(source),
            source,
            line: snapshot.line(id).map_or(0, |line| line + u64::from(hit.line)),
            column: hit.column,
            rule: snapshot.veil().name_of(hit.by),
            class: hit.class.name(),
            near: hit.near,
        };
        write(&row, out)
    })?;
    for error in unread.iter().take(1) {
        tell(&format!("{} entries could not be read: {error}", count_text(unread.len())));
    }
    Ok(found)
}

fn json_row(row: &Row<'_>, out: &mut Output) -> io::Result<()> {
    let line = json!({
        "file": row.file,
        "line": row.line,
        "column": row.column,
        "rule": row.rule,
        "class": row.class,
        "near": row.near,
        "source": row.source,
    });
    writeln!(out, "{}", escaped(&line.to_string()))
}

fn csv_row(row: &Row<'_>, out: &mut Output) -> io::Result<()> {
    let mut line = csv::WriterBuilder::new().has_headers(false).from_writer(Vec::new());
    let (number, column) = (row.line.to_string(), row.column.to_string());
    let near = row.near.unwrap_or_default();
    line.write_record([row.file, &number, &column, row.rule, row.class, near, row.source])
        .map_err(io::Error::other)?;
    out.write_all(&line.into_inner().map_err(csv::IntoInnerError::into_error)?)
}
