//! `cribrum tally`

use std::io::Write;

use cribrum_core::{
    engine::{Of, Pass, Snapshot, Survey},
    export::time_text,
    query::{self, Path},
    tally::{
        By, Group, Key, MOST_BY, MOST_GROUPS, Measure, Order, Question, Shape, Tally, Unit,
        origin_of,
    },
    veil::{Anyone, harmless},
};
use serde_json::{Value, json};

use super::{
    args::{SortGroups, Tally as Arguments, Written},
    exit::{Exit, Stop, tell},
    pour,
    table::{self, Column, Row, rounded},
};
use crate::{
    output::Output,
    present::{
        Clock, bar_text, count_text, counted, fit, histogram_text, key_text, share, share_text,
        value_text,
    },
};

/// Groups that are listed for people unless more are asked for.
const LISTED: usize = 40;
/// Cells of a value for people.
const WIDEST: usize = 72;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let mut question = question(args)?;
    let mut asked = pour::Asked::of(&args.pour, args.table.output.as_deref())?;
    asked.beside |= question.by.contains(&By::Run);
    let poured = pour::pour_asked(asked)?;
    let snapshot = &*poured.snapshot;
    let first = snapshot.span().map_or(0, |(first, _)| first);
    question.origin = origin_of(poured.zone.as_ref(), first);
    let tally = Tally::<Anyone>::of(snapshot, Of::Pan, &question, &Pass::default())
        .ok_or_else(|| Stop::source("the count was ended"))?;
    if tally.groups.is_empty() {
        pour::explain(snapshot, poured.zone.as_ref());
        return Err(nothing(snapshot, &tally, poured.unread));
    }
    let rows = rows(args, &tally);
    let small = tally.groups.len() - rows.len();
    if let (Some(least), true) = (args.at_least, rows.is_empty()) {
        return Err(Stop::nothing(format!("no group has at least {}", counted_entries(least))));
    }
    let groups = Table { args, tally: &tally, snapshot, clock: Clock::new(poured.zone.clone()) };
    let mut out = Output::open(args.table.output.as_deref()).map_err(Stop::output)?;
    match args.table.form {
        Written::Text => writeln!(out, "{}", groups.head())
            .and_then(|()| table::text(&groups.columns(&rows), &mut out)),
        Written::Markdown => table::markdown(&groups.columns(&rows), &mut out),
        Written::Jsonl => table::jsonl(groups.rows(&rows, out.is_terminal()), &mut out),
        Written::Csv => table::csv(groups.rows(&rows, out.is_terminal()), &mut out),
    }
    .and_then(|()| out.finish())
    .map_err(Stop::output)?;
    tell_of(&tally);
    if let (Some(least), 1..) = (args.at_least, small) {
        let verb = if small == 1 { "has" } else { "have" };
        tell(&format!("{} {verb} fewer than {}", counted(small, "group"), counted_entries(least)));
    }
    Ok(Exit::of(true, poured.unread || tally.unread > 0))
}

fn counted_entries(count: u64) -> String {
    counted(usize::try_from(count).unwrap_or(usize::MAX), "entry")
}

/// What the arguments ask.
fn question(args: &Arguments) -> Result<Question, Stop> {
    let by: Result<Vec<By>, String> = args.by.iter().map(|by| By::parse(by)).collect();
    let by = by.map_err(Stop::usage)?;
    if by.len() > MOST_BY {
        return Err(Stop::usage(format!(
            "entries are grouped by {MOST_BY} things at most; --by names {}",
            by.len()
        )));
    }
    let of = args.of.as_deref().map(Measure::parse).transpose().map_err(Stop::usage)?;
    let needs = matches!(
        args.sort,
        Some(
            SortGroups::Min
                | SortGroups::Mean
                | SortGroups::P50
                | SortGroups::P95
                | SortGroups::P99
                | SortGroups::Max
                | SortGroups::Sum
        )
    );
    if needs && of.is_none() {
        return Err(Stop::usage(
            "there is nothing to sort by: say what is measured, as in --of took",
        ));
    }
    if args.sort == Some(SortGroups::Different) && args.different.is_none() {
        return Err(Stop::usage(
            "there is nothing to sort by: say what is counted, as in --different user",
        ));
    }
    Ok(Question { by, of, different: args.different.clone(), origin: 0 })
}

/// Why there is no group.
fn nothing(snapshot: &Snapshot, tally: &Tally<Anyone>, unread: bool) -> Stop {
    let stop = |told: String| if unread { Stop::source(told) } else { Stop::nothing(told) };
    if tally.entries == 0 {
        return stop("no entry is left to count".to_owned());
    }
    let wanted: Vec<&str> = tally.question.by.iter().map(By::name).collect();
    let names = Survey::<Anyone>::names(snapshot, &Pass::default()).unwrap_or_default();
    let names: Vec<&str> = names.found.iter().map(|(name, _)| name.as_str()).collect();
    let near = wanted.iter().find_map(|name| query::nearest_field(name, names.iter().copied()));
    let form = wanted.iter().any(|name| name.contains(':'));
    let near = match near {
        _ if form => {
            "; values have the forms whole, template, class, family and crawler".to_owned()
        }
        Some(near) => format!("; did you mean {}?", harmless(near)),
        None => String::new(),
    };
    stop(format!("none of {} has {}{near}", counted(tally.entries, "entry"), wanted.join(" or ")))
}

/// The groups that are asked for, in their order.
fn rows(args: &Arguments, tally: &Tally<Anyone>) -> Vec<u32> {
    let order = match args.sort.unwrap_or(SortGroups::Count) {
        SortGroups::Count => Order::Count,
        SortGroups::Errors => Order::ErrorShare,
        SortGroups::First => Order::First,
        SortGroups::Last => Order::Last,
        SortGroups::Min => Order::Min,
        SortGroups::Mean => Order::Mean,
        SortGroups::P50 => Order::Quantile(500),
        SortGroups::P95 => Order::Quantile(950),
        SortGroups::P99 => Order::Quantile(990),
        SortGroups::Max => Order::Max,
        SortGroups::Sum => Order::Sum,
        SortGroups::Different => Order::Different,
        SortGroups::Value => Order::Key(0),
    };
    // Names and times read from the first to the last.
    let natural = matches!(order, Order::Key(_) | Order::First | Order::Last);
    let mut rows = tally.sorted(order, natural == args.reverse);
    let least = args.at_least.unwrap_or(1);
    rows.retain(|row| tally.groups[*row as usize].count >= least);
    rows
}

/// Tells of what is not in the table.
fn tell_of(tally: &Tally<Anyone>) {
    let question = &tally.question;
    if tally.without > 0 {
        let names: Vec<&str> = question.by.iter().map(By::name).collect();
        let count = count_text(usize::try_from(tally.without).unwrap_or(usize::MAX));
        tell(&format!(
            "{count} of {} have no {}",
            counted(tally.entries, "entry"),
            names.join(" and no ")
        ));
    }
    if let (count @ 1.., example) = &tally.left_out {
        let of = question.of.as_ref().map(ToString::to_string).unwrap_or_default();
        let example = example.as_ref().map(|text| match text.as_str() {
            "" => ": they are empty".to_owned(),
            _ => format!(", such as {}", fit(&text.for_terminal(), 60)),
        });
        let what = match tally.unit {
            Unit::Number => "a number",
            Unit::Seconds => "a duration",
            Unit::Bytes => "a size",
        };
        let count = counted(usize::try_from(*count).unwrap_or(usize::MAX), "value");
        tell(&format!(
            "{count} of {of} left out, not read as {what}{}",
            example.unwrap_or_default()
        ));
    }
    if let (groups @ 1.., entries) = tally.pooled {
        let number = |count: u64| usize::try_from(count).unwrap_or(usize::MAX);
        tell(&format!(
            "more than {} groups: {} of the smallest, with {}, are in none of the rows; counts of small groups may be too low",
            count_text(MOST_GROUPS),
            count_text(number(groups)),
            counted(number(entries), "entry")
        ));
    }
    if tally.different_cut {
        tell(
            "there are too many different values to count them all: read the counts as at least so many",
        );
    }
    if tally.unread > 0 {
        tell(&format!("{} could not be read", counted(tally.unread, "entry")));
    }
}

/// A table of groups.
struct Table<'t> {
    args: &'t Arguments,
    tally: &'t Tally<Anyone>,
    snapshot: &'t Snapshot,
    clock: Clock,
}

impl Table<'_> {
    fn is_measured(&self) -> bool {
        self.tally.question.of.is_some()
    }

    /// Entries a minute, over the time from the first entry to the last.
    fn per_minute(&self, group: &Group<Anyone>) -> Option<f64> {
        let (first, last) = self.tally.all.as_ref()?.span?;
        #[expect(clippy::cast_precision_loss, reason = "a rate for people")]
        let (minutes, count) = (last.saturating_sub(first) as f64 / 60e9, group.count as f64);
        (minutes > 0.0).then(|| count / minutes)
    }

    fn key(&self, at: usize, key: &Key<Anyone>) -> String {
        let by = &self.tally.question.by[at];
        key_text(key, by, &self.snapshot.sources, &self.clock).into_owned()
    }

    /// The rows for people, those that are not listed as one, and all of them as one.
    fn columns(&self, rows: &[u32]) -> Vec<Column> {
        let groups: Vec<&Group<Anyone>> =
            rows.iter().map(|row| &self.tally.groups[*row as usize]).collect();
        let most = match self.args.table.top {
            Some(0) => groups.len(),
            Some(top) => top,
            None => LISTED,
        };
        let rest = groups.get(most..).filter(|rest| !rest.is_empty());
        let rest_group = rest.and_then(Group::together);
        let all = self.tally.all.as_ref().filter(|_| !self.tally.question.by.is_empty());
        let shown = &groups[..most.min(groups.len())];
        let lines = || shown.iter().copied().chain(rest_group.as_ref()).chain(all);
        let whole = self.tally.all.as_ref().map_or(0, |all| all.count);
        let number = |count: u64| count_text(usize::try_from(count).unwrap_or(usize::MAX));
        let mut columns = Vec::new();
        let mut add = |name: &str, cells: Vec<String>| {
            columns.push(Column { name: name.to_owned(), right: true, cells });
        };
        add("count", lines().map(|group| number(group.count)).collect());
        add("share", lines().map(|group| share_text(group.count, whole)).collect());
        let errors = lines().map(|group| match group.errors {
            0 => "–".to_owned(),
            errors => share_text(errors, group.count),
        });
        add("errors", errors.collect());
        let rates = lines().map(|group| {
            let rate = self.per_minute(group);
            rate.map_or_else(|| "–".to_owned(), |rate| value_text(rate, Unit::Number))
        });
        add("a minute", rates.collect());
        if let Some(different) = &self.tally.question.different {
            add(
                &format!("different {different}"),
                lines().map(|group| number(group.different)).collect(),
            );
        }
        if self.is_measured() {
            let value = |group: &Group<Anyone>, order| {
                let value = group.figure(order);
                value.map_or_else(|| "–".to_owned(), |value| value_text(value, self.tally.unit))
            };
            for (name, order) in [
                ("p50", Order::Quantile(500)),
                ("p95", Order::Quantile(950)),
                ("p99", Order::Quantile(990)),
                ("max", Order::Max),
            ] {
                add(name, lines().map(|group| value(group, order)).collect());
            }
        }
        let left = |name: &str, cells| Column { name: name.to_owned(), right: false, cells };
        if self.args.table.form == Written::Text {
            let bars: Vec<String> = match self.is_measured() {
                // All rows on one scale.
                true => {
                    let all = self.tally.all.as_ref().map(|all| (all.values.min, all.values.max));
                    let bounds = all.unwrap_or_default();
                    lines().map(|group| histogram_text(&group.values, bounds, 12)).collect()
                }
                false => {
                    let bar = |group: &Group<Anyone>| bar_text(share(group.count, whole), 10);
                    shown.iter().copied().chain(rest_group.as_ref()).map(bar).collect()
                }
            };
            columns.insert(if self.is_measured() { columns.len() } else { 2 }, left("", bars));
        }
        for (at, by) in self.tally.question.by.iter().enumerate() {
            let mut cells: Vec<String> =
                shown.iter().map(|group| fit(&self.key(at, &group.keys[at]), WIDEST)).collect();
            if let Some(rest) = rest.filter(|_| at == 0) {
                cells.push(format!("the other {}", counted(rest.len(), "group")));
            } else if rest.is_some() {
                cells.push(String::new());
            }
            cells.push(if at == 0 { "all".to_owned() } else { String::new() });
            columns.push(left(&by.to_string(), cells));
        }
        columns
    }

    /// What the table is of.
    fn head(&self) -> String {
        let tally = self.tally;
        let by: Vec<String> = tally.question.by.iter().map(ToString::to_string).collect();
        let entries = counted(tally.entries, "entry");
        let groups = match by.is_empty() {
            true => entries,
            false => format!(
                "{entries} in {} by {}",
                counted(tally.groups.len(), "group"),
                by.join(", ")
            ),
        };
        match (&tally.question.of, &tally.all) {
            (Some(of), Some(all)) => {
                let values = usize::try_from(all.values.count).unwrap_or(usize::MAX);
                format!("{groups} · {of}: {}", counted(values, "value"))
            }
            _ => groups,
        }
    }

    /// The groups that a program gets, with the names of their figures.
    fn figures(&self, group: &Group<Anyone>) -> Vec<(&'static str, Value)> {
        let time = |time: Option<i64>| time.map(|time| time_text(time, None));
        let whole = self.tally.all.as_ref().map_or(0, |all| all.count);
        let mut figures = vec![
            ("count", json!(group.count)),
            ("share", json!(rounded(share(group.count, whole)))),
            ("errors", json!(group.errors)),
            ("per_minute", json!(self.per_minute(group).map(rounded))),
            ("first", json!(time(group.span.map(|(first, _)| first)))),
            ("last", json!(time(group.span.map(|(_, last)| last)))),
        ];
        if self.tally.question.different.is_some() {
            figures.push(("different", json!(group.different)));
        }
        if self.is_measured() {
            let unit = match self.tally.unit {
                Unit::Number => None,
                Unit::Seconds => Some("s"),
                Unit::Bytes => Some("B"),
            };
            figures.push(("values", json!(group.values.count)));
            for (name, order) in [
                ("min", Order::Min),
                ("mean", Order::Mean),
                ("p50", Order::Quantile(500)),
                ("p95", Order::Quantile(950)),
                ("p99", Order::Quantile(990)),
                ("max", Order::Max),
                ("sum", Order::Sum),
            ] {
                figures.push((name, json!(group.figure(order).map(rounded))));
            }
            figures.push(("unit", json!(unit)));
        }
        figures
    }

    /// What a group has in common as a program gets it. A terminal gets nothing that it would obey.
    fn plain(&self, at: usize, key: &Key<Anyone>, terminal: bool) -> Option<String> {
        match key {
            Key::None => None,
            Key::Text(text) | Key::Cut(text) if terminal => Some(text.for_terminal().into_owned()),
            Key::Text(text) | Key::Cut(text) => Some(text.as_str().to_owned()),
            Key::Source(number) => {
                self.snapshot.sources.get(*number).map(|source| source.name.clone())
            }
            Key::Time(time) => Some(time_text(*time, None)),
            Key::Level(_) | Key::Layout(_) => Some(self.key(at, key)),
        }
    }

    fn listed<'r>(&self, rows: &'r [u32]) -> &'r [u32] {
        let most = self.args.table.top.filter(|top| *top > 0).unwrap_or(rows.len());
        &rows[..most.min(rows.len())]
    }

    fn rows<'r>(&'r self, rows: &'r [u32], terminal: bool) -> impl Iterator<Item = Row> + 'r {
        self.listed(rows).iter().map(move |row| {
            let group = &self.tally.groups[*row as usize];
            let keys = self.tally.question.by.iter().zip(&group.keys).enumerate();
            let keys = keys.map(|(at, (by, key))| {
                let text = self.plain(at, key, terminal);
                (by.to_string(), status(by, text.as_deref()).unwrap_or_else(|| json!(text)))
            });
            keys.chain(
                self.figures(group).into_iter().map(|(name, value)| (name.to_owned(), value)),
            )
            .collect()
        })
    }
}

/// A status as the number that it is in the log, where entries are grouped by one.
fn status(by: &By, text: Option<&str>) -> Option<Value> {
    let By::Field { path, shape: Shape::Whole } = by else { return None };
    let classed = |path: &Path| matches!(path, Path::Shaped { shape: Shape::Class, .. });
    let number: u16 = text?.parse().ok()?;
    (By::shaped(path).any(|path| classed(&path)) && number.to_string() == text?)
        .then(|| json!(number))
}
