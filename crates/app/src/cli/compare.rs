//! `cribrum compare`

use std::io::{self, Write};

use cribrum_core::{
    compare::{Comparison, Difference, Per, Side, Told, What, Whole},
    engine::{Pass, Snapshot},
    query::{Context, Path},
    tally::{By, Order},
    veil::{Anyone, harmless},
};
use serde_json::json;

use super::{
    args::{Compare as Arguments, PerWhat, Written},
    exit::{Exit, Stop, tell},
    pour,
    table::{self, Column, Row, rounded},
};
use crate::{
    output::Output,
    present::{
        Clock, count_text, counted, fit, key_text, rate_pair, side, span_text, times_text,
        took_pair,
    },
};

/// Differences that are listed for people unless more are asked for.
const LISTED: usize = 40;
/// Cells of what differs, for people.
const WIDEST: usize = 90;

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
    let compared =
        Comparison::<Anyone>::of(snapshot, [&sides[0], &sides[1]], per, &Pass::default())
            .ok_or_else(|| Stop::source("the comparison was ended"))?;
    let names =
        [first.as_deref().unwrap_or("the others"), args.with.as_deref().unwrap_or("the others")];
    for (whole, name) in compared.wholes.iter().zip(names) {
        if whole.entries == 0 {
            let told = format!("no entry is in `{}`", harmless(name));
            return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
        }
    }
    let people = args.table.is_for_people();
    let rows = match people {
        true => compared.told(args.all),
        // A program gets each of them.
        false => (0..compared.differences.len())
            .filter(|number| args.all || compared.differences[*number].is_surprising())
            .map(|number| Told { number, alike: Vec::new() })
            .collect(),
    };
    if rows.is_empty() {
        return Err(Stop::nothing(
            "nothing differs more than by chance; --all lists what is alike as well",
        ));
    }
    let listing =
        Listing { args, compared: &compared, snapshot, clock: Clock::new(poured.zone.clone()) };
    let mut out = Output::open(args.table.output.as_deref()).map_err(Stop::output)?;
    listing.write(&rows, names, &mut out).and_then(|()| out.finish()).map_err(Stop::output)?;
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

struct Listing<'l> {
    args: &'l Arguments,
    compared: &'l Comparison<Anyone>,
    snapshot: &'l Snapshot,
    clock: Clock,
}

impl Listing<'_> {
    fn write(&self, rows: &[Told], names: [&str; 2], out: &mut Output) -> io::Result<()> {
        let people = self.args.table.is_for_people();
        let most = self.args.table.most(LISTED);
        let listed = &rows[..most.min(rows.len())];
        let terminal = out.is_terminal();
        match self.args.table.form {
            Written::Text => {
                for (word, (name, whole)) in
                    ["from", "with"].into_iter().zip(names.into_iter().zip(&self.compared.wholes))
                {
                    writeln!(out, "{word}  {}", self.whole(name, whole))?;
                }
                table::text(&self.columns(listed), out)?;
            }
            Written::Markdown => table::markdown(&self.columns(listed), out)?,
            Written::Jsonl => table::jsonl(
                listed.iter().map(|told| self.row(self.of_number(told.number), terminal)),
                out,
            )?,
            Written::Csv => table::csv(
                listed.iter().map(|told| self.row(self.of_number(told.number), terminal)),
                out,
            )?,
        }
        if people && rows.len() > most {
            tell(&format!("{} more; --top 0 lists all", count_text(rows.len() - most)));
        }
        Ok(())
    }

    fn whole(&self, name: &str, whole: &Whole) -> String {
        let name = self.snapshot.own_text_to_share(name);
        let entries = counted(usize::try_from(whole.entries).unwrap_or(usize::MAX), "entry");
        let span = whole.span.map_or_else(String::new, |(first, last)| {
            let days = self.clock.days_differ(first, last);
            let (from, to) = (self.clock.moment(first, days), self.clock.moment(last, days));
            format!(", {from} … {to}, {}", span_text(last - first))
        });
        format!("{}: {entries}{span}", fit(&name.for_terminal(), 60))
    }

    fn columns(&self, rows: &[Told]) -> Vec<Column> {
        let each = |cell: &dyn Fn(&Difference<Anyone>) -> String| {
            rows.iter().map(|told| cell(self.of_number(told.number))).collect()
        };
        let pair = |row: &Difference<Anyone>| {
            took_pair(row).unwrap_or_else(|| rate_pair(self.compared, row))
        };
        vec![
            Column::words("change", each(&|row| row.change.name().to_owned())),
            Column::words(
                "level",
                each(&|row| row.level.map_or("–", |level| level.name()).to_owned()),
            ),
            Column::figures("from", each(&|row| pair(row)[0].clone())),
            Column::figures("with", each(&|row| pair(row)[1].clone())),
            Column::figures("times", each(&|row| times_text(self.compared, row))),
            Column::figures("surprise", each(&|row| count_text(rounded_up(row.surprise)))),
            Column::words("of", each(&|row| self.of(row))),
            Column::words("what", each(&|row| fit(&self.what(row, true), WIDEST))),
            Column::words(
                "and of the same entries",
                rows.iter().map(|told| self.alike(told)).collect(),
            ),
        ]
    }

    fn of_number(&self, number: usize) -> &Difference<Anyone> {
        &self.compared.differences[number]
    }

    /// What a difference stands for beside itself.
    fn alike(&self, told: &Told) -> String {
        let each = told.alike.iter().map(|number| {
            let row = self.of_number(*number);
            match row.what {
                What::Value(..) => format!("{}={}", self.of(row), self.what(row, true)),
                _ => self.what(row, true),
            }
        });
        fit(&each.collect::<Vec<_>>().join(", "), WIDEST)
    }

    /// What kind of thing differs.
    fn of(&self, row: &Difference<Anyone>) -> String {
        match &row.what {
            What::Kind(_) => "kind".to_owned(),
            What::Took(_) => "took".to_owned(),
            What::Value(By::Field { path, .. }, _) => fit(
                &self.snapshot.own_text_to_share(&Path::field(path).to_string()).for_terminal(),
                24,
            ),
            What::Value(by, _) => {
                fit(&self.snapshot.own_text_to_share(&by.to_string()).for_terminal(), 24)
            }
        }
    }

    fn what(&self, row: &Difference<Anyone>, terminal: bool) -> String {
        let written = |text: &cribrum_core::veil::Shareable<'static>| match terminal {
            true => text.for_terminal().into_owned(),
            false => text.as_str().to_owned(),
        };
        match &row.what {
            What::Kind(text) | What::Took(text) => written(text),
            What::Value(by, key) => match key {
                cribrum_core::tally::Key::Text(text) => written(text),
                _ => key_text(key, by, &self.snapshot.sources, &self.clock).into_owned(),
            },
        }
    }

    /// What a program gets of a difference. A terminal gets nothing that it would obey.
    fn row(&self, row: &Difference<Anyone>, terminal: bool) -> Row {
        let quantile = |side: usize, order: Order| {
            let values = row.took.as_ref().map(|took| &took[side])?;
            match order {
                Order::Quantile(of) => values.quantile(f64::from(of) / 1_000.0).map(rounded),
                _ => None,
            }
        };
        let rate = |side: usize| rounded(self.compared.rate(side, row.counts[side]));
        let (p50, p95) = (Order::Quantile(500), Order::Quantile(950));
        let figures = [
            ("change", json!(row.change.name())),
            ("of", json!(self.of(row))),
            ("what", json!(self.what(row, terminal))),
            ("level", json!(row.level.map(cribrum_core::entry::Level::name))),
            ("from_count", json!(row.counts[0])),
            ("with_count", json!(row.counts[1])),
            ("from_rate", json!(rate(0))),
            ("with_rate", json!(rate(1))),
            ("from_p50", json!(quantile(0, p50))),
            ("with_p50", json!(quantile(1, p50))),
            ("from_p95", json!(quantile(0, p95))),
            ("with_p95", json!(quantile(1, p95))),
            ("surprise", json!(rounded(row.surprise))),
        ];
        figures.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
    }
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a figure for people, not below zero"
)]
fn rounded_up(value: f64) -> usize {
    value.max(0.0).round() as usize
}
