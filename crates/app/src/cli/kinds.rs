//! `cribrum kinds`

use std::io::{self, Write};

use cribrum_core::{
    engine::{Of, Pass, Snapshot},
    entry::Level,
    export::time_text,
    kinds::{Fills, Kind, Kinds, MOST, Only, Order},
    query::{Context, Expr},
    veil::{Anyone, Shareable, harmless},
};
use serde_json::json;

use super::{
    args::{Kinds as Arguments, SortKinds, Written},
    exit::{Exit, Stop, tell},
    pour,
    table::{self, Column, Row, rounded},
};
use crate::{
    output::Output,
    present::{Clock, bar_text, count_text, counted, curve_text, fit, share, share_text},
};

/// Kinds that are listed for people unless more are asked for.
const LISTED: usize = 50;
/// Cells of a kind for people.
const WIDEST: usize = 100;
/// Values of a hole that are listed for people.
const VALUES: usize = 12;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let mut asked = pour::Asked::of(&args.pour, args.table.output.as_deref())?;
    asked.beside |=
        [&args.new_since, &args.gone_since].into_iter().flatten().any(|since| since == RUN);
    let poured = pour::pour_asked(asked)?;
    let snapshot = &*poured.snapshot;
    let only = only(args, snapshot, poured.zone.as_ref())?;
    let kinds = Kinds::<Anyone>::of(snapshot, Of::Pan, &Pass::default())
        .ok_or_else(|| Stop::source("the count was ended"))?;
    if kinds.kinds.is_empty() {
        pour::explain(snapshot, poured.zone.as_ref());
        let told = match kinds.entries {
            0 => "no entry is left to count".to_owned(),
            entries => format!("none of {} has a message", counted(entries, "entry")),
        };
        return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
    }
    let mut out = Output::open(args.table.output.as_deref()).map_err(Stop::output)?;
    if let Some(wanted) = &args.values {
        let fills = fills(&kinds, wanted, snapshot)?;
        write_fills(&fills, args, &mut out).and_then(|()| out.finish()).map_err(Stop::output)?;
        return Ok(Exit::of(true, poured.unread || fills.unread > 0));
    }
    let rows = sorted(args, only, &kinds);
    if rows.is_empty() {
        return Err(Stop::nothing(format!(
            "none of {} is {}",
            counted(kinds.kinds.len(), "kind"),
            said(only)
        )));
    }
    let list = List { args, kinds: &kinds, clock: Clock::new(poured.zone.clone()) };
    list.write(&rows, &mut out).and_then(|()| out.finish()).map_err(Stop::output)?;
    tell_of(&kinds);
    Ok(Exit::of(true, poured.unread || kinds.unread > 0))
}

/// What stands for the start of the latest run.
const RUN: &str = "run";

/// Which kinds are asked for.
fn only(
    args: &Arguments,
    snapshot: &Snapshot,
    zone: Option<&jiff::tz::TimeZone>,
) -> Result<Only, Stop> {
    let moment = |text: &str| {
        if text == RUN {
            let started = snapshot.runs().iter().filter(|run| run.seen).map(|run| run.start).max();
            return started
                .ok_or_else(|| Stop::nothing("no program is seen to start in these sources"));
        }
        let (start, last) = snapshot.span().unzip();
        let context = Context { zone: zone.cloned(), first: start, last, ..Context::default() };
        let quoted = text.replace('\\', "\\\\").replace('"', "\\\"");
        let expr = Expr::parse(&format!("time >= \"{quoted}\""), &context);
        let moment = expr.ok().and_then(|expr| expr.window()).and_then(|(from, _)| from);
        moment.ok_or_else(|| {
            Stop::usage(format!(
                "`{}` is no time; write 06:38, 2026-03-14T06:38:00Z, -15min, or run",
                harmless(text)
            ))
        })
    };
    Ok(match (&args.new_since, &args.gone_since, args.rare) {
        (Some(since), _, _) => Only::NewSince(moment(since)?),
        (_, Some(since), _) => Only::GoneSince(moment(since)?),
        (_, _, Some(most)) => Only::Rare(most),
        _ => Only::All,
    })
}

fn said(only: Only) -> String {
    match only {
        Only::All => "left".to_owned(),
        Only::NewSince(_) => "new since then".to_owned(),
        Only::GoneSince(_) => "gone since then".to_owned(),
        Only::Rare(most) => {
            format!("as rare as {}", counted(usize::try_from(most).unwrap_or(usize::MAX), "entry"))
        }
    }
}

fn sorted(args: &Arguments, only: Only, kinds: &Kinds<Anyone>) -> Vec<u32> {
    let rare = matches!(only, Only::Rare(_));
    let order = match args.sort.unwrap_or(SortKinds::Count) {
        SortKinds::Count => Order::Count,
        SortKinds::Level => Order::Level,
        SortKinds::First => Order::First,
        SortKinds::Last => Order::Last,
        SortKinds::Kind => Order::Text,
    };
    // Words and times read from the first to the last; what is rare, from the rarest.
    let natural =
        matches!(order, Order::Text | Order::First | Order::Last) || rare && order == Order::Count;
    kinds.sorted(only, order, natural == args.reverse)
}

/// Tells of what is not in the list.
fn tell_of(kinds: &Kinds<Anyone>) {
    let number = |count: u64| usize::try_from(count).unwrap_or(usize::MAX);
    if kinds.without > 0 {
        let count = count_text(number(kinds.without));
        tell(&format!("{count} of {} have no message", counted(kinds.entries, "entry")));
    }
    if let (pooled @ 1.., entries) = kinds.pooled {
        tell(&format!(
            "more than {} kinds: {} of the rarest, with {}, are in none of the rows; counts of rare kinds may be too low",
            count_text(MOST),
            count_text(number(pooled)),
            counted(number(entries), "entry")
        ));
    }
    if kinds.unread > 0 {
        tell(&format!("{} could not be read", counted(kinds.unread, "entry")));
    }
}

struct List<'l> {
    args: &'l Arguments,
    kinds: &'l Kinds<Anyone>,
    clock: Clock,
}

impl List<'_> {
    fn write(&self, rows: &[u32], out: &mut Output) -> io::Result<()> {
        let most = self.args.table.most(LISTED);
        let listed = &rows[..most.min(rows.len())];
        match self.args.table.form {
            Written::Text => {
                let kinds = counted(self.kinds.kinds.len(), "kind");
                writeln!(out, "{} in {}", counted(self.kinds.entries, "entry"), kinds)?;
                table::text(&self.columns(listed), out)?;
            }
            Written::Markdown => table::markdown(&self.columns(listed), out)?,
            Written::Jsonl => {
                let terminal = out.is_terminal();
                table::jsonl(listed.iter().map(|row| self.row(self.kind(*row), terminal)), out)?;
            }
            Written::Csv => {
                let terminal = out.is_terminal();
                table::csv(listed.iter().map(|row| self.row(self.kind(*row), terminal)), out)?;
            }
        }
        if matches!(self.args.table.form, Written::Text) && rows.len() > most {
            tell(&format!("{} more; --top 0 lists all", count_text(rows.len() - most)));
        }
        Ok(())
    }

    fn kind(&self, row: u32) -> &Kind<Anyone> {
        &self.kinds.kinds[row as usize]
    }

    fn columns(&self, rows: &[u32]) -> Vec<Column> {
        let whole = self.kinds.entries as u64;
        let most = self.kinds.kinds.first().map_or(1, |kind| kind.count);
        let each = |cell: &dyn Fn(&Kind<Anyone>) -> String| {
            rows.iter().map(|row| cell(self.kind(*row))).collect()
        };
        let days = self.kinds.span.is_some_and(|(first, last)| self.clock.days_differ(first, last));
        let time = |time: Option<i64>| {
            time.map_or_else(|| "–".to_owned(), |time| self.clock.moment(time, days))
        };
        let mut columns = vec![
            Column::figures(
                "count",
                each(&|kind| count_text(usize::try_from(kind.count).unwrap_or(usize::MAX))),
            ),
            Column::figures("share", each(&|kind| share_text(kind.count, whole))),
            Column::words(
                "level",
                each(&|kind| kind.level.map_or("–", |level| level.name()).to_owned()),
            ),
            Column::words("first", each(&|kind| time(kind.span.map(|span| span.0)))),
            Column::words("last", each(&|kind| time(kind.span.map(|span| span.1)))),
            Column::words(
                "logger",
                each(&|kind| match kind.loggers.as_slice() {
                    [] => "–".to_owned(),
                    [one] if !kind.more_loggers => fit(&one.for_terminal(), 24),
                    [first, rest @ ..] => {
                        let more = if kind.more_loggers { "+" } else { "" };
                        format!("{} +{}{more}", fit(&first.for_terminal(), 20), rest.len())
                    }
                }),
            ),
            Column::words("kind", each(&|kind| fit(&kind.text.for_terminal(), WIDEST))),
        ];
        if self.args.table.form == Written::Text {
            columns
                .insert(2, Column::words("", each(&|kind| bar_text(share(kind.count, most), 8))));
            columns.insert(
                4,
                Column::words("over time", each(&|kind| curve_text(&kind.curve[..], 16))),
            );
        }
        columns
    }

    /// What a program gets of a kind. A terminal gets nothing that it would obey.
    fn row(&self, kind: &Kind<Anyone>, terminal: bool) -> Row {
        let time = |time: Option<i64>| time.map(|time| time_text(time, None));
        let text = |text: &Shareable<'static>| match terminal {
            true => text.for_terminal().into_owned(),
            false => text.as_str().to_owned(),
        };
        let loggers: Vec<String> = kind.loggers.iter().map(text).collect();
        let row = [
            ("kind", json!(text(&kind.text))),
            ("count", json!(kind.count)),
            ("share", json!(rounded(share(kind.count, self.kinds.entries as u64)))),
            ("errors", json!(kind.errors)),
            ("level", json!(kind.level.map(Level::name))),
            ("first", json!(time(kind.span.map(|span| span.0)))),
            ("last", json!(time(kind.span.map(|span| span.1)))),
            ("loggers", json!(loggers)),
        ];
        row.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
    }
}

/// What stands in the holes of the kind that is asked for.
fn fills(kinds: &Kinds<Anyone>, wanted: &str, snapshot: &Snapshot) -> Result<Fills<Anyone>, Stop> {
    let exact = kinds.kinds.iter().position(|kind| kind.text.as_str() == wanted);
    let number = match exact {
        Some(number) => number,
        None => {
            let mut like =
                (0..kinds.kinds.len()).filter(|at| kinds.kinds[*at].text.as_str().contains(wanted));
            match (like.next(), like.count()) {
                (Some(only), 0) => only,
                (Some(first), more) => {
                    let first = kinds.kinds[first].text.for_terminal().into_owned();
                    return Err(Stop::usage(format!(
                        "{} have `{}` in their words; write the whole kind, such as \"{first}\"",
                        counted(more + 1, "kind"),
                        harmless(wanted)
                    )));
                }
                (None, _) => {
                    return Err(Stop::nothing(format!(
                        "no kind has `{}` in its words",
                        harmless(wanted)
                    )));
                }
            }
        }
    };
    kinds
        .fills(number, snapshot, Of::Pan, &Pass::default())
        .ok_or_else(|| Stop::nothing("the holes of this kind can't be read"))
}

fn write_fills(fills: &Fills<Anyone>, args: &Arguments, out: &mut Output) -> io::Result<()> {
    let most = args.table.most(VALUES);
    let whole = fills.entries as u64;
    let each = || {
        fills.holes.iter().enumerate().flat_map(|(at, hole)| {
            hole.values.iter().take(most).map(move |value| (at, hole, value))
        })
    };
    let terminal = out.is_terminal();
    let rows = || {
        each().map(|(at, hole, (text, count))| -> Row {
            let plain = |text: &Shareable<'static>| match terminal {
                true => text.for_terminal().into_owned(),
                false => text.as_str().to_owned(),
            };
            let value = plain(text);
            vec![
                ("hole".into(), json!(at + 1)),
                ("in".into(), json!(plain(&hole.hole))),
                ("value".into(), json!(value)),
                ("count".into(), json!(count)),
            ]
        })
    };
    let columns = || {
        vec![
            Column::figures("hole", each().map(|(at, ..)| (at + 1).to_string()).collect()),
            Column::words(
                "in",
                each().map(|(_, hole, _)| hole.hole.for_terminal().into_owned()).collect(),
            ),
            Column::figures(
                "count",
                each()
                    .map(|(.., (_, count))| {
                        count_text(usize::try_from(*count).unwrap_or(usize::MAX))
                    })
                    .collect(),
            ),
            Column::figures(
                "share",
                each().map(|(.., (_, count))| share_text(*count, whole)).collect(),
            ),
            Column::words(
                "value",
                each().map(|(.., (text, _))| fit(&text.for_terminal(), WIDEST)).collect(),
            ),
        ]
    };
    match args.table.form {
        Written::Text => {
            writeln!(out, "{}", counted(fills.entries, "entry"))?;
            table::text(&columns(), out)?;
        }
        Written::Markdown => table::markdown(&columns(), out)?,
        Written::Jsonl => table::jsonl(rows(), out)?,
        Written::Csv => table::csv(rows(), out)?,
    }
    for (at, hole) in
        fills.holes.iter().enumerate().filter(|(_, hole)| hole.more || hole.values.len() > most)
    {
        let (all, more) = (hole.values.len(), hole.values.len().saturating_sub(most));
        if hole.more {
            let all = count_text(all);
            tell(&format!(
                "hole {}: more than {all} different values; only those that came first are counted",
                at + 1
            ));
        }
        if more > 0 {
            tell(&format!("hole {}: {} more; --top 0 lists all", at + 1, count_text(more)));
        }
    }
    Ok(())
}
