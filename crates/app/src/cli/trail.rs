//! `cribrum trail ID`

use std::io::Write;

use cribrum_core::{
    engine::{Lens, Pass},
    entry::Level,
    export::{Exporter, Format},
    query::Expr,
    trail::{self, Trail as Steps},
    veil::Anyone,
};

use super::{
    args::{Table, Trail},
    exit::{Exit, Stop},
    pour::{self, Poured},
};
use crate::{output::Output, present::span_text};

pub(super) fn run(args: &Trail) -> Result<Exit, Stop> {
    if args.id.trim().is_empty() {
        return Err(Stop::usage("an id was expected"));
    }
    let poured = pour::pour(&args.pour, args.output.as_deref())?;
    let read = |error| Stop::source(format!("can't read: {error}"));
    let look = |expr: Expr| {
        let text = expr.to_string();
        poured.engine.set_lens(Lens::Trail, Some(expr));
        poured.engine.wait(move |snapshot| {
            snapshot.lens(Lens::Trail).is_some_and(|lens| lens.text == text && lens.done)
        })
    };
    let snapshot = look(Expr::Word(args.id.clone()));
    let ids = match snapshot.lens(Lens::Trail) {
        Some(lens) => trail::resolve(&snapshot, lens, &args.id).map_err(read)?,
        None => Vec::new(),
    };
    let id = match ids.as_slice() {
        [] => {
            return Err(match poured.unread {
                true => Stop::source(format!("no entry has the id {}", args.id)),
                false => Stop::nothing(format!("no entry has the id {}", args.id)),
            });
        }
        [one] => one.clone(),
        several => {
            return Err(Stop::usage(format!(
                "{} is part of {} ids; write more of it",
                args.id,
                several.len()
            )));
        }
    };
    let (id, _) = id;
    let snapshot = look(Expr::Id(id.clone()));
    let Some(lens) = snapshot.lens(Lens::Trail) else {
        return Err(Stop::nothing("no entry has this id"));
    };
    let steps = Steps::<Anyone>::build(&snapshot, lens, &id, &Pass::default())
        .ok_or_else(|| Stop::nothing("no entry has this id"))?;
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    match args.form {
        Table::Text => text(&steps, &mut out),
        Table::Jsonl => jsonl(&steps, &poured, &mut out),
    }
    .and_then(|()| out.finish())
    .map_err(Stop::output)?;
    Ok(Exit::of(true, poured.unread || steps.gone > 0))
}

fn text(trail: &Steps<Anyone>, out: &mut Output) -> std::io::Result<()> {
    let errors = trail.count(Level::Error) + trail.count(Level::Fatal);
    let ids = trail.ids.iter().map(|id| format!("{} {}", id.kind, id.text.for_terminal()));
    writeln!(
        out,
        "{}   {} · {} entries · {} lanes · {errors} errors",
        ids.collect::<Vec<_>>().join(" · "),
        span_text(trail.duration),
        trail.steps.len(),
        trail.lanes.len(),
    )?;
    let labels: Vec<_> = trail.lanes.iter().map(|lane| lane.name.for_terminal()).collect();
    let width = labels.iter().map(|label| label.chars().count()).max().unwrap_or(0);
    writeln!(out, "{:>10}  {:>10}    {:width$}  {:5}", "at", "gap", "lane", "level")?;
    for (number, step) in trail.steps.iter().enumerate() {
        let gap = if number == 0 { String::new() } else { span_text(step.gap) };
        let mark = if trail.longest == Some(number) { '*' } else { ' ' };
        let level = step.entry.level().map_or("-", Level::name);
        let more = match step.entry.lines {
            0 | 1 => String::new(),
            lines => format!("  +{} lines", lines - 1),
        };
        writeln!(
            out,
            "{:>10}  {gap:>10} {mark}  {:width$}  {level:5}  {}{more}",
            span_text(step.at),
            labels[step.lane],
            step.entry.message.for_terminal(),
        )?;
    }
    if trail.longest.is_some() {
        writeln!(out, "* the longest wait")?;
    }
    Ok(())
}

fn jsonl(trail: &Steps<Anyone>, poured: &Poured, out: &mut Output) -> std::io::Result<()> {
    let mut exporter = Exporter::new(&poured.snapshot, Format::Jsonl, None, false);
    for step in &trail.steps {
        let mut line = Vec::new();
        exporter.write(step.entry.id, &mut line).map_err(std::io::Error::other)?;
        line.truncate(line.trim_ascii_end().len() - 1);
        #[expect(clippy::cast_precision_loss, reason = "seconds with nine digits fit")]
        let seconds = |nanos: i64| nanos as f64 / 1e9;
        out.write_all(&line)?;
        writeln!(out, ",\"at\":{},\"gap\":{}}}", seconds(step.at), seconds(step.gap))?;
    }
    Ok(())
}
