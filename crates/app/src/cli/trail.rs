//! `cribrum trail ID`

use std::{io::Write, sync::Arc};

use cribrum_core::{
    EntryId,
    engine::{self, Lens, Pass, Snapshot},
    entry::Level,
    export::{Exporter, Format as Form},
    query::Expr,
    requests::Requests,
    sieve::{Mesh, Sieve},
    trail::{self, MOST_STEPS, Named, Trail as Steps, Usual},
    veil::Anyone,
};

use cribrum_draw::Format;

use super::{
    args::{Table, Trail},
    exit::{Exit, Stop, tell},
    pour::{self, Asked, Poured},
};
use crate::{
    output::{self, Output},
    present::{
        Clock, count_text, counted, one_line, span_text, trail_plate, unusual_text, usual_text,
    },
};

pub(super) fn run(args: &Trail) -> Result<Exit, Stop> {
    let ids: Vec<&str> = std::iter::once(&args.id).chain(&args.also).map(|id| id.trim()).collect();
    if ids.contains(&"") {
        return Err(Stop::usage("an id was expected"));
    }
    let drawn = args.output.as_deref().and_then(Format::of);
    let asked = Asked::of(&args.pour, args.output.as_deref())?;
    if let ([id], false, None) = (ids.as_slice(), args.usual, drawn)
        && let Some((snapshot, mut steps)) = searched(&asked, id, args)
    {
        if let Some(by) = args.lanes {
            steps.arrange(&snapshot, by.into());
        }
        let gone = steps.gone > 0;
        write(args, &snapshot, &steps, None)?;
        return Ok(Exit::of(true, asked.unread() || gone));
    }
    let poured = pour::pour_asked(asked)?;
    let named: Vec<Named> = ids
        .iter()
        .map(|id| resolved(&poured, id, args.kind.as_deref()))
        .collect::<Result<_, _>>()?;
    let snapshot =
        look(&poured, Expr::any(named.iter().map(|id| Expr::Id(id.text.clone())).collect()));
    let keys: Vec<_> = named.iter().map(|id| id.key).collect();
    let pass = Pass::default();
    let found = snapshot.lens(Lens::Trail);
    let steps = found.and_then(|lens| Steps::<Anyone>::build(&snapshot, lens, &keys, &pass));
    let mut steps = steps.ok_or_else(|| Stop::nothing("no entry has this id"))?;
    if let Some(by) = args.lanes {
        steps.arrange(&snapshot, by.into());
    }
    if steps.more > 0 {
        tell(&format!(
            "this id stands in {} entries: it is that of no single request; the first {} are written",
            count_text(steps.steps.len() + steps.more),
            count_text(steps.steps.len())
        ));
    }
    let compared = args.usual || drawn.is_some();
    let usual = if compared { usual(&snapshot, &steps, &pass) } else { None };
    if let (Some(format), Some(path)) = (drawn, &args.output) {
        let gone = steps.gone > 0;
        let clock = Clock::new(poured.zone.clone());
        let plate = trail_plate(steps, usual, &clock, args.palette.into());
        let bytes = plate.render(format).map_err(|error| Stop::source(error.to_string()))?;
        output::write_file(path, &bytes).map_err(Stop::output)?;
        return Ok(Exit::of(true, poured.unread || gone));
    }
    write(args, &snapshot, &steps, usual.as_ref())?;
    Ok(Exit::of(true, poured.unread || steps.gone > 0))
}

/// Writes the steps.
fn write(
    args: &Trail,
    snapshot: &Snapshot,
    steps: &Steps<Anyone>,
    usual: Option<&Usual<Anyone>>,
) -> Result<(), Stop> {
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    match args.form {
        Table::Text => text(steps, usual, &mut out),
        Table::Jsonl => jsonl(steps, snapshot, &mut out),
    }
    .and_then(|()| out.finish())
    .map_err(Stop::output)
}

/// The trail of an id by a search for its text, where nothing is asked for that takes reading everything: first as it is
/// typed, then as a part of another one. Nothing where that does not lead to one id.
fn searched(asked: &Asked, id: &str, args: &Trail) -> Option<(Snapshot, Steps<Anyone>)> {
    if !asked.fixed()?.meshes.is_empty() || id.contains('«') {
        return None;
    }
    let numbered = args.form == Table::Jsonl;
    [Expr::Id(id.to_owned()), Expr::Word(id.to_owned())].into_iter().find_map(|expr| {
        let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
        let (found, options, veil) = (&asked.found, &asked.options, &asked.veil);
        let snapshot = engine::search(found, options, &sieve, veil, numbered)?;
        let entries: Vec<EntryId> = snapshot.pan.iter_from(0).collect();
        let kind = args.kind.as_deref().filter(|kind| engine::id_kinds().contains(kind));
        if kind.is_none() && args.kind.is_some() || entries.len() > MOST_STEPS {
            return None;
        }
        let named = trail::resolve(&snapshot, entries.iter().copied(), id, kind).ok()?;
        let [named] = named.as_slice() else { return None };
        let steps = Steps::among(&snapshot, &entries, &[named.key], &Pass::default())?;
        Some((snapshot, steps)).filter(|(_, steps)| !steps.steps.is_empty())
    })
}

/// Looks for the entries of a condition.
fn look(poured: &Poured, expr: Expr) -> Arc<Snapshot> {
    let text = expr.to_string();
    poured.engine.set_lens(Lens::Trail, Some(expr));
    poured.engine.wait(move |snapshot| {
        snapshot.lens(Lens::Trail).is_some_and(|lens| lens.text == text && lens.done)
    })
}

/// The one id that a text names.
fn resolved(poured: &Poured, text: &str, kind: Option<&str>) -> Result<Named, Stop> {
    let kinds = cribrum_core::engine::id_kinds();
    if let Some(kind) = kind.filter(|kind| !kinds.contains(kind)) {
        return Err(Stop::usage(format!(
            "`{kind}` is no kind of id; the kinds are {}",
            kinds.join(", ")
        )));
    }
    let read = |error| Stop::source(format!("can't read: {error}"));
    let snapshot = look(poured, Expr::Word(text.to_owned()));
    let mut found = match snapshot.lens(Lens::Trail) {
        Some(lens) => trail::resolve(&snapshot, lens.ids(), text, kind).map_err(read)?,
        None => Vec::new(),
    };
    let shown = snapshot.own_text_to_share(text);
    let shown = shown.for_terminal();
    match found.len() {
        1 => Ok(found.remove(0)),
        0 => {
            let near = trail::nearest(&snapshot, text);
            let near = near.map_or_else(String::new, |near| format!("; did you mean {near}?"));
            let told = format!("no entry has the id {shown}{near}");
            Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) })
        }
        _ if found.iter().all(|id| id.text == found[0].text) => {
            let kinds: Vec<&str> = found.iter().map(|id| id.kind).collect();
            Err(Stop::usage(format!(
                "{shown} is the id of different things: {}; say which with --kind",
                kinds.join(", ")
            )))
        }
        many => Err(Stop::usage(format!("{shown} is part of {many} ids; write more of it"))),
    }
}

/// What is usual of trails that begin alike.
fn usual(snapshot: &Snapshot, steps: &Steps<Anyone>, pass: &Pass) -> Option<Usual<Anyone>> {
    let kind = steps.ids.first()?.kind;
    let requests = Requests::find(snapshot, kind, pass)?;
    pour::tell_clocks(snapshot, &requests, pass);
    let (alike, looked) = trail::alike(snapshot, steps, &requests, pass)?;
    let usual = Usual::of(steps, &alike, looked);
    if usual.is_none() {
        tell("too few requests begin as this one does to say what is usual");
    }
    usual
}

fn text(
    trail: &Steps<Anyone>,
    usual: Option<&Usual<Anyone>>,
    out: &mut Output,
) -> std::io::Result<()> {
    let errors = trail.count(Level::Error) + trail.count(Level::Fatal);
    let ids = trail.ids.iter().map(|id| format!("{} {}", id.kind, id.text.for_terminal()));
    let took = match usual {
        Some(usual) => format!("{}, {}", span_text(trail.duration), usual_text(usual)),
        None => span_text(trail.duration),
    };
    writeln!(
        out,
        "{}   {took} · {} entries · {} · {}",
        ids.collect::<Vec<_>>().join(" · "),
        count_text(trail.steps.len()),
        counted(trail.lanes.len(), "lane"),
        counted(errors, "error"),
    )?;
    if let Some(unusual) = usual.and_then(|usual| unusual_text(trail, usual)) {
        writeln!(out, "Unusual: {unusual}")?;
    }
    let labels: Vec<_> = trail.lanes.iter().map(|lane| lane.name.for_terminal()).collect();
    let width = labels.iter().map(|label| label.chars().count()).max().unwrap_or(0);
    let head = if usual.is_some() { "   usually" } else { "" };
    writeln!(out, "{:>10}  {:>10}{head}    {:width$}  {:5}", "at", "gap", "lane", "level")?;
    for (number, step) in trail.steps.iter().enumerate() {
        let gap = if number == 0 { String::new() } else { span_text(step.gap) };
        let known = usual.and_then(|usual| usual.steps.get(number));
        let slow = match known {
            Some(known) => known.excess > 0,
            None => trail.longest == Some(number),
        };
        let wait = match (usual, known.and_then(|known| known.wait)) {
            (None, _) => String::new(),
            (Some(_), Some((p50, _))) if number > 0 => format!("{:>10}", span_text(p50)),
            _ => " ".repeat(10),
        };
        let level = step.entry.level().map_or("-", Level::name);
        let more = match step.entry.lines {
            0 | 1 => String::new(),
            lines => format!("  +{} lines", lines - 1),
        };
        writeln!(
            out,
            "{:>10}  {gap:>10}{wait} {}  {:width$}  {level:5}  {}{more}",
            span_text(step.at),
            if slow { '*' } else { ' ' },
            labels[step.lane],
            one_line(&step.entry.message.for_terminal()),
        )?;
    }
    let marked = match usual {
        Some(usual) if usual.steps.iter().any(|step| step.excess > 0) => {
            "* longer than usual for such a step"
        }
        None if trail.longest.is_some() => "* the longest wait",
        _ => return Ok(()),
    };
    writeln!(out, "{marked}")
}

fn jsonl(trail: &Steps<Anyone>, snapshot: &Snapshot, out: &mut Output) -> std::io::Result<()> {
    let mut exporter = Exporter::new(snapshot, Form::Jsonl, None, false);
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
