//! `cribrum compare`

use cribrum_core::{
    compare::{Per, Side, Whole},
    engine::Snapshot,
    query::Context,
    veil::harmless,
};

use super::{
    args::{Compare as Arguments, PerWhat},
    exit::{Exit, Stop, tell},
    pour,
    table::answer,
};
use crate::{
    present::{Clock, counted, fit, side, span_text},
    results::{AskDifferences, Listing, Which},
};

/// Differences that are listed for people unless more are asked for.
const LISTED: usize = 40;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let mut from = args.pour.clone();
    // `--from` is one of the sides here, not a bound of the time.
    let first = from.from.take();
    if first.is_none() && args.with.is_none() {
        return Err(Stop::usage("say what to compare: --from 'before 06:38' --with 'after 06:38'"));
    }
    let mut asked = pour::Asked::of(&from, args.table.output.as_deref())?;
    // Runs are looked for only where a side names them.
    let sides = [first.as_deref(), args.with.as_deref()];
    asked.beside |= sides.into_iter().flatten().any(|side| side.contains("run"));
    let kinds = asked.conditions.kinds.clone();
    let poured = pour::pour_asked(asked)?;
    let snapshot = &poured.snapshot;
    let (start, last) = snapshot.span().unzip();
    let context =
        Context { zone: poured.zone.clone(), first: start, last, kinds, ..Context::default() };
    let read = |text: &str| {
        side(text, snapshot, &context)
            .map_err(|message| Stop::usage(format!("`{}`: {message}", harmless(text))))
    };
    let given = [first.as_deref(), args.with.as_deref()];
    let sides = match given {
        [Some(first), Some(second)] => [read(first)?, read(second)?],
        [Some(first), None] => {
            let first = read(first)?;
            let other = others(&first)?;
            [first, other]
        }
        [None, Some(second)] => {
            let second = read(second)?;
            [others(&second)?, second]
        }
        [None, None] => return Ok(Exit::Done),
    };
    let per = match args.per {
        PerWhat::Entry => Per::Entry,
        PerWhat::Minute => Per::Minute,
    };
    // A program gets each of them by itself.
    let only = Which { all: args.all, alone: !args.table.form.is_for_people() };
    let listing = Listing { order: ((), true), only, words: String::new() };
    let mut answer = answer(AskDifferences { sides, per }, &listing, &poured)?;
    let compared = &answer.found.compared;
    let names =
        [first.as_deref().unwrap_or("the others"), args.with.as_deref().unwrap_or("the others")];
    for (whole, name) in compared.wholes.iter().zip(names) {
        if whole.entries == 0 {
            let told = format!("no entry is in `{}`", harmless(name));
            return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
        }
    }
    if answer.rows.is_empty() {
        return Err(Stop::nothing(
            "nothing differs more than by chance; --all lists what is alike as well",
        ));
    }
    let head = |wholes: &[Whole; 2], clock: &Clock| {
        let lines = ["from", "with"].into_iter().zip(names.into_iter().zip(wholes));
        let lines =
            lines.map(|(word, (name, of))| format!("{word}  {}", whole(name, of, snapshot, clock)));
        lines.collect::<Vec<_>>().join("\n")
    };
    answer.write(
        &args.table,
        LISTED,
        &|answer, clock| head(&answer.found.compared.wholes, clock),
        &poured,
    )?;
    let compared = &answer.found.compared;
    if !compared.left_out.is_empty() {
        let names: Vec<String> =
            compared.left_out.iter().map(|name| name.for_terminal().into_owned()).collect();
        tell(&format!(
            "not compared, since they have too many values: {}",
            fit(&names.join(", "), 200)
        ));
    }
    if compared.unread > 0 {
        tell(&format!("{} could not be read", counted(compared.unread, "entry")));
    }
    Ok(Exit::of(true, poured.unread || compared.unread > 0))
}

/// All entries of the pan that are not on a side.
fn others(side: &Side) -> Result<Side, Stop> {
    match side {
        Side::Where(expr) => Ok(Side::Where(expr.clone().negated())),
        Side::Everything | Side::Pan => Err(Stop::usage(
            "say both sides: there is nothing beside everything, as in --from everything --with 'level >= warn'",
        )),
    }
}

/// A side: its name, how many entries it has, and from when to when.
fn whole(name: &str, whole: &Whole, snapshot: &Snapshot, clock: &Clock) -> String {
    let name = snapshot.own_text_to_share(name);
    let entries = counted(usize::try_from(whole.entries).unwrap_or(usize::MAX), "entry");
    let span = whole.span.map_or_else(String::new, |(first, last)| {
        let days = clock.days_differ(first, last);
        let (from, to) = (clock.moment(first, days), clock.moment(last, days));
        format!(", {from} … {to}, {}", span_text(last - first))
    });
    format!("{}: {entries}{span}", fit(&name.for_terminal(), 60))
}
