//! `cribrum requests`

use cribrum_core::{
    engine::{Pass, id_kinds},
    requests::SortBy,
    veil::Anyone,
};

use super::{
    args::{Requests as Arguments, SortRequests},
    exit::{Exit, Stop},
    pour,
    table::{Answer, answer},
};
use crate::{
    present::{counted, span_text},
    results::{AskRequests, Inquiry, Listing},
};

/// Requests that are listed for people unless more are asked for.
const LISTED: usize = 50;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let asked = args.kind.as_deref();
    let kind = asked.map(|asked| {
        let known = id_kinds().iter().copied().find(|kind| *kind == asked);
        known.ok_or_else(|| {
            let kinds = id_kinds().join(", ");
            Stop::usage(format!("`{asked}` is no kind of id; the kinds are {kinds}"))
        })
    });
    let kind = kind.transpose()?;
    let poured = pour::pour(&args.pour, args.table.output.as_deref())?;
    let listing =
        Listing { order: (sort(args.sort), !args.ascending), only: (), words: String::new() };
    let mut answer = answer(AskRequests(kind), &listing, &poured)?;
    let Some(requests) = answer.found.requests.clone().filter(|_| !answer.rows.is_empty()) else {
        let told = match kind {
            Some(kind) => format!("no entry has an id of the kind {kind}"),
            None => "no entry has an id".to_owned(),
        };
        return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
    };
    answer.write(&args.table, LISTED, &|answer, _| head(answer), &poured)?;
    pour::tell_clocks(&poured.snapshot, &requests, &Pass::default());
    Ok(Exit::of(true, poured.unread))
}

/// How many there are, and how long they took.
fn head(answer: &Answer<AskRequests>) -> String {
    let kind = answer.found.requests.as_ref().map_or("", |requests| requests.kind);
    let count = format!("{} by {kind}", counted(answer.rows.len(), "request"));
    match AskRequests::summary::<Anyone>(&answer.found, &answer.rows).durations {
        Some(durations) => format!(
            "{count}   half within {} · p95 {} · p99 {}",
            span_text(durations.p50),
            span_text(durations.p95),
            span_text(durations.p99)
        ),
        None => count,
    }
}

fn sort(by: SortRequests) -> SortBy {
    match by {
        SortRequests::Start => SortBy::Start,
        SortRequests::Duration => SortBy::Duration,
        SortRequests::Wait => SortBy::Wait,
        SortRequests::Entries => SortBy::Entries,
        SortRequests::Sources => SortBy::Sources,
        SortRequests::Level => SortBy::Level,
        SortRequests::Status => SortBy::Status,
        SortRequests::Id => SortBy::Id,
        SortRequests::First => SortBy::First,
        SortRequests::Before => SortBy::Slowest,
    }
}
