//! `cribrum kinds`

use cribrum_core::{
    engine::{Of, Pass, Snapshot},
    kinds::{Fills, Kinds, MOST, Only, Order},
    query::{Context, Expr},
    veil::{Anyone, harmless},
};

use super::{
    args::{Kinds as Arguments, SortKinds},
    exit::{Exit, Stop, tell},
    pour,
    table::{answer, write_rows},
};
use crate::{
    present::{Clock, count_text, counted},
    results::{AskKinds, Fillings, Listing},
};

/// Kinds that are listed for people unless more are asked for.
const LISTED: usize = 50;
/// Values of a hole that are listed for people.
const VALUES: usize = 12;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let mut asked = pour::Asked::of(&args.pour, args.table.output.as_deref())?;
    asked.beside |=
        [&args.new_since, &args.gone_since].into_iter().flatten().any(|since| since == RUN);
    let poured = pour::pour_asked(asked)?;
    let snapshot = &*poured.snapshot;
    let only = only(args, snapshot, poured.zone.as_ref())?;
    let listing = Listing { order: order(args, only), only, words: String::new() };
    let mut answer = answer(AskKinds, &listing, &poured)?;
    let kinds = &answer.found;
    if kinds.kinds.is_empty() {
        pour::explain(snapshot, poured.zone.as_ref());
        let told = match kinds.entries {
            0 => "no entry is left to count".to_owned(),
            entries => format!("none of {} has a message", counted(entries, "entry")),
        };
        return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
    }
    if let Some(wanted) = &args.values {
        let fills = fills(kinds, wanted, snapshot)?;
        let unread = fills.unread > 0;
        write_fills(fills, args, &poured)?;
        return Ok(Exit::of(true, poured.unread || unread));
    }
    if answer.rows.is_empty() {
        return Err(Stop::nothing(format!(
            "none of {} is {}",
            counted(kinds.kinds.len(), "kind"),
            said(only)
        )));
    }
    let head = |kinds: &Kinds<Anyone>| {
        format!("{} in {}", counted(kinds.entries, "entry"), counted(kinds.kinds.len(), "kind"))
    };
    answer.write(&args.table, LISTED, &|answer, _| head(&answer.found), &poured)?;
    tell_of(&answer.found);
    Ok(Exit::of(true, poured.unread || answer.found.unread > 0))
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

/// What kinds are put in order by, and whether the largest comes first.
fn order(args: &Arguments, only: Only) -> (Order, bool) {
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
    (order, natural == args.reverse)
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

fn write_fills(fills: Fills<Anyone>, args: &Arguments, poured: &pour::Poured) -> Result<(), Stop> {
    let most = args.table.most(VALUES);
    let head = counted(fills.entries, "entry");
    let mut fillings = Fillings::new(fills, most);
    let rows = fillings.rows();
    let clock = Clock::new(poured.zone.clone());
    write_rows(&mut fillings, (&rows, usize::MAX), &args.table, &head, (poured, &clock))?;
    for (at, hole) in fillings.fills.holes.iter().enumerate() {
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
