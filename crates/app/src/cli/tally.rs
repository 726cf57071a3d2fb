//! `cribrum tally`

use cribrum_core::{
    engine::{Pass, Snapshot, Survey},
    query,
    tally::{By, MOST_BY, MOST_GROUPS, Measure, Order, Question, Tally, Unit},
    veil::{Anyone, harmless},
};

use super::{
    args::{SortGroups, Tally as Arguments},
    exit::{Exit, Stop, tell},
    pour,
    table::answer,
};
use crate::{
    present::{count_text, counted, fit},
    results::{AskGroups, Listing},
};

/// Groups that are listed for people unless more are asked for.
const LISTED: usize = 40;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let question = question(args)?;
    let mut asked = pour::Asked::of(&args.pour, args.table.output.as_deref())?;
    asked.beside |= question.by.contains(&By::Run);
    let poured = pour::pour_asked(asked)?;
    let snapshot = &*poured.snapshot;
    let least = args.at_least.unwrap_or(1);
    let listing = Listing { order: order(args), only: least, words: String::new() };
    let inquiry = AskGroups { question, zone: poured.zone.clone() };
    let mut groups = answer(inquiry, &listing, &poured)?;
    if groups.found.groups.is_empty() {
        pour::explain(snapshot, poured.zone.as_ref());
        return Err(nothing(snapshot, &groups.found, poured.unread));
    }
    if least > 1 && groups.rows.is_empty() {
        return Err(Stop::nothing(format!("no group has at least {}", counted_entries(least))));
    }
    groups.write(&args.table, LISTED, &|groups, _| head(&groups.found), &poured)?;
    let tally = &groups.found;
    tell_of(tally);
    let small = tally.groups.len() - groups.rows.len();
    if small > 0 {
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

/// What groups are put in order by, and whether the largest comes first.
fn order(args: &Arguments) -> (Order, bool) {
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
    (order, natural == args.reverse)
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

/// What the table is of.
fn head(tally: &Tally<Anyone>) -> String {
    let by: Vec<String> = tally.question.by.iter().map(ToString::to_string).collect();
    let entries = counted(tally.entries, "entry");
    let groups = match by.is_empty() {
        true => entries,
        false => {
            format!("{entries} in {} by {}", counted(tally.groups.len(), "group"), by.join(", "))
        }
    };
    match (&tally.question.of, &tally.all) {
        (Some(of), Some(all)) => {
            let values = usize::try_from(all.values.count).unwrap_or(usize::MAX);
            format!("{groups} · {of}: {}", counted(values, "value"))
        }
        _ => groups,
    }
}
