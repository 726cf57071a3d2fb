//! `cribrum requests`

use std::io::{self, Write};

use cribrum_core::{
    engine::{Pass, Snapshot, id_kinds},
    entry::Level,
    export::time_text,
    requests::{Durations, Request, RequestText, Requests, SortBy, Texts},
    veil::Anyone,
};
use serde_json::json;

use super::{
    args::{Requests as Arguments, Rows, SortRequests},
    exit::{Exit, Stop, tell},
    pour,
};
use crate::{
    output::Output,
    present::{count_text, counted, in_order_of_text, span_text, step_text},
};

/// Requests that are listed as text unless more are asked for.
const LISTED: usize = 50;
/// Requests whose entries are read at a time.
const AT_A_TIME: usize = 4_096;

pub(super) fn run(args: &Arguments) -> Result<Exit, Stop> {
    let asked = args.kind.as_deref();
    if let Some(kind) = asked.filter(|kind| !id_kinds().contains(kind)) {
        let kinds = id_kinds().join(", ");
        return Err(Stop::usage(format!("`{kind}` is no kind of id; the kinds are {kinds}")));
    }
    let poured = pour::pour(&args.pour, args.output.as_deref())?;
    let (snapshot, pass) = (&*poured.snapshot, Pass::default());
    let kind = match asked {
        Some(kind) => Some(kind),
        None => Requests::usual_kind(snapshot, &pass),
    };
    let requests = kind.and_then(|kind| Requests::find(snapshot, kind, &pass));
    let order = (sort(args.sort), !args.ascending);
    let rows = requests.as_ref().map(|requests| {
        let rows = requests.sorted(order.0, order.1);
        match order.0.is_text() {
            true => {
                in_order_of_text::<Anyone>(snapshot, requests, &rows, order, &pass).unwrap_or(rows)
            }
            false => rows,
        }
    });
    let (Some(requests), Some(rows)) = (&requests, rows.filter(|rows| !rows.is_empty())) else {
        let told = match kind {
            Some(kind) => format!("no entry has an id of the kind {kind}"),
            None => "no entry has an id".to_owned(),
        };
        return Err(if poured.unread { Stop::source(told) } else { Stop::nothing(told) });
    };
    let most = match (args.top, args.form) {
        (Some(0), _) | (None, Rows::Jsonl | Rows::Csv) => rows.len(),
        (Some(top), _) => top,
        (None, Rows::Text) => LISTED,
    };
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    write(args.form, snapshot, requests, &rows, most, &mut out)
        .and_then(|()| out.finish())
        .map_err(Stop::output)?;
    pour::tell_clocks(snapshot, requests, &pass);
    if args.form == Rows::Text && rows.len() > most {
        tell(&format!("{} more; --top 0 lists all", count_text(rows.len() - most)));
    }
    Ok(Exit::of(true, poured.unread))
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

/// What the columns of a table in CSV, and the members of an object, are called.
const NAMES: [&str; 11] = [
    "id", "kind", "start", "duration", "entries", "sources", "level", "status", "first", "wait",
    "before",
];

fn write(
    form: Rows,
    snapshot: &Snapshot,
    requests: &Requests,
    rows: &[u32],
    most: usize,
    out: &mut Output,
) -> io::Result<()> {
    match form {
        Rows::Text => head(requests, rows, out)?,
        Rows::Csv => writeln!(out, "{}", NAMES.join(","))?,
        Rows::Jsonl => {}
    }
    for some in rows[..most.min(rows.len())].chunks(AT_A_TIME) {
        let of = some.iter().map(|row| &requests.rows[*row as usize]);
        let texts = Texts::<Anyone>::read(snapshot, requests, of.clone(), &Pass::default());
        let texts = texts.unwrap_or_default();
        for request in of {
            let told = Told::of(snapshot, requests.kind, request, texts.get(request.key));
            match form {
                Rows::Text => told.text(out)?,
                Rows::Jsonl => told.json(out)?,
                Rows::Csv => told.csv(out)?,
            }
        }
    }
    Ok(())
}

/// How many there are, and how long they took.
fn head(requests: &Requests, rows: &[u32], out: &mut Output) -> io::Result<()> {
    write!(out, "{} by {}", counted(rows.len(), "request"), requests.kind)?;
    if let Some(durations) = Durations::of(requests, rows) {
        write!(
            out,
            "   half within {} · p95 {} · p99 {}",
            span_text(durations.p50),
            span_text(durations.p95),
            span_text(durations.p99)
        )?;
    }
    writeln!(out)?;
    writeln!(
        out,
        "{:24}  {:>10}  {:>7}  {:>7}  {:5}  {:>6}  {:18}  first step",
        "start", "duration", "entries", "sources", "worst", "status", "id"
    )
}

/// A request as it is written.
struct Told<'r> {
    kind: &'static str,
    request: &'r Request,
    start: String,
    id: String,
    first: String,
    /// The longest wait, and the step behind it.
    before: Option<String>,
}

impl<'r> Told<'r> {
    fn of(
        snapshot: &Snapshot,
        kind: &'static str,
        request: &'r Request,
        read: Option<&RequestText<Anyone>>,
    ) -> Self {
        let slowest = read.and_then(|read| read.slowest.as_ref());
        Self {
            kind,
            request,
            start: request.start().map_or_else(String::new, |start| time_text(start, Some(3))),
            // What can't be read any more has no name.
            id: read.map_or_else(|| "?".into(), |read| read.id.for_terminal().into_owned()),
            first: read.map_or_else(String::new, |read| step_text(&read.first)),
            before: slowest.map(|step| {
                format!("{}: {}", snapshot.sources[step.source].label, step_text(step))
            }),
        }
    }

    fn text(&self, out: &mut Output) -> io::Result<()> {
        let request = self.request;
        let wait = match &self.before {
            Some(before) if request.duration().is_some_and(|took| request.wait > took / 2) => {
                format!("   {} before {before}", span_text(request.wait))
            }
            _ => String::new(),
        };
        writeln!(
            out,
            "{:24}  {:>10}  {:>7}  {:>7}  {:5}  {:>6}  {:18}  {}{wait}",
            self.start,
            request.duration().map_or_else(|| "-".into(), span_text),
            request.entries,
            request.sources(),
            request.worst.map_or("-", Level::name),
            request.status.map_or_else(|| "-".into(), |status| status.to_string()),
            self.id,
            self.first,
        )
    }

    fn json(&self, out: &mut Output) -> io::Result<()> {
        let request = self.request;
        let line = json!({
            "id": self.id,
            "kind": self.kind,
            "start": (!self.start.is_empty()).then_some(&self.start),
            "duration": request.duration().map(seconds),
            "entries": request.entries,
            "sources": request.sources(),
            "level": request.worst.map(Level::name),
            "status": request.status,
            "first": self.first,
            "wait": seconds(request.wait),
            "before": self.before,
        });
        writeln!(out, "{line}")
    }

    fn csv(&self, out: &mut Output) -> io::Result<()> {
        let request = self.request;
        let mut line = csv::WriterBuilder::new().has_headers(false).from_writer(Vec::new());
        let numbers = [
            request.duration().map_or_else(String::new, |took| seconds(took).to_string()),
            request.entries.to_string(),
            request.sources().to_string(),
            request.status.map_or_else(String::new, |status| status.to_string()),
            seconds(request.wait).to_string(),
        ];
        let [duration, entries, sources, status, wait] = numbers;
        let record: [&str; NAMES.len()] = [
            &self.id,
            self.kind,
            &self.start,
            &duration,
            &entries,
            &sources,
            request.worst.map_or("", Level::name),
            &status,
            &self.first,
            &wait,
            self.before.as_deref().unwrap_or_default(),
        ];
        line.write_record(record).map_err(io::Error::other)?;
        out.write_all(&line.into_inner().map_err(csv::IntoInnerError::into_error)?)
    }
}

#[expect(clippy::cast_precision_loss, reason = "seconds with nine digits fit")]
fn seconds(nanos: i64) -> f64 {
    nanos as f64 / 1e9
}
