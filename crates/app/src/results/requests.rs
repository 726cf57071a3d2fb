//! Requests: every id of a kind, with its duration and outcome.

use std::{collections::HashMap, sync::Arc};

use cribrum_core::{
    engine::{Pass, Snapshot},
    entry::{IdKey, Level},
    requests::{Durations, Request, RequestText, Requests, SortBy, Texts},
    veil::Audience,
};

use super::{
    cell::{Cell, Reader},
    inquiry::{AT_A_TIME, Inquiry},
    table::{Column, Findings, Trace},
};
use crate::present::step_text;

/// Texts that are kept.
const KEPT: usize = 4_096;

/// Which kind of id requests go by; `None` for the one that names a single request best.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct AskRequests(pub(crate) Option<&'static str>);

/// Requests, and what was read of some of them.
#[derive(Clone, Debug)]
pub(crate) struct RequestTable<A: Audience> {
    /// `None` where no entry has an id.
    pub(crate) requests: Option<Arc<Requests>>,
    labels: Arc<[String]>,
    /// `None` for those that can't be read any more.
    texts: HashMap<IdKey, Option<Arc<RequestText<A>>>>,
}

/// What is told of all requests that are listed.
#[derive(Clone, Debug)]
pub(crate) struct Summary {
    pub(crate) durations: Option<Durations>,
    /// How many of them have errors.
    pub(crate) errors: usize,
}

impl<A: Audience> RequestTable<A> {
    /// Its id, and what its first and its slowest step say, where that was read.
    pub(crate) fn read_of(&self, request: &Request) -> Option<&RequestText<A>> {
        self.texts.get(&request.key)?.as_deref()
    }

    /// The step before which it waited longest, behind the label of its source.
    fn slowest(&self, request: &Request) -> Option<String> {
        let step = self.read_of(request)?.slowest.as_ref()?;
        let label = self.labels.get(step.source).map_or("?", String::as_str);
        Some(format!("{label}: {}", step_text(step)))
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.requests().is_empty()
    }

    fn requests(&self) -> &[Request] {
        self.requests.as_ref().map_or(&[], |requests| &requests.rows)
    }
}

impl Inquiry for AskRequests {
    type Order = SortBy;
    type Only = ();
    type Found<A: Audience> = RequestTable<A>;
    type SoFar<A: Audience> = ();
    type Summary = Summary;
    const OF_ALL: bool = true;

    fn begin<A: Audience>(&self) {}

    fn settle(&mut self, _: bool, snapshot: &Snapshot, pass: &Pass) -> Option<()> {
        if self.0.is_none() {
            self.0 = Requests::usual_kind(snapshot, pass);
        }
        (!pass.is_cancelled()).then_some(())
    }

    fn find<A: Audience>(
        &self,
        (): &mut (),
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<RequestTable<A>> {
        let requests = match self.0 {
            Some(kind) => Some(Arc::new(Requests::find(snapshot, kind, pass)?)),
            None => None,
        };
        let labels = snapshot.sources.iter().map(|source| source.label.clone()).collect();
        Some(RequestTable { requests, labels, texts: HashMap::new() })
    }

    /// Cost where they are put in order by what they say: two entries of each are read.
    fn rows<A: Audience>(
        found: &RequestTable<A>,
        (by, descending): (SortBy, bool),
        (): &(),
        snapshot: &Snapshot,
        pass: &Pass,
    ) -> Option<Vec<u32>> {
        let Some(requests) = &found.requests else { return Some(Vec::new()) };
        let rows = requests.sorted(by, descending);
        if !by.is_text() {
            return Some(rows);
        }
        let mut keyed: Vec<(String, u32)> = Vec::with_capacity(rows.len());
        let mut read = RequestTable { texts: HashMap::new(), ..found.clone() };
        for some in rows.chunks(AT_A_TIME) {
            read.read(some, snapshot, pass)?;
            keyed.extend(some.iter().map(|row| {
                let request = read.row(*row);
                let text = match (by, read.read_of(request)) {
                    (_, None) => String::new(),
                    (SortBy::First, Some(text)) => step_text(&text.first),
                    (SortBy::Slowest, _) => read.slowest(request).unwrap_or_default(),
                    (_, Some(text)) => text.id.as_str().to_owned(),
                };
                (text, *row)
            }));
        }
        keyed.sort_by(
            |(one, _), (other, _)| if descending { other.cmp(one) } else { one.cmp(other) },
        );
        Some(keyed.into_iter().map(|(_, row)| row).collect())
    }

    fn summary<A: Audience>(found: &RequestTable<A>, rows: &[u32]) -> Summary {
        let grave = |row: &&u32| found.row(**row).worst >= Some(Level::Error);
        Summary {
            durations: found.requests.as_ref().and_then(|all| Durations::of(all, rows)),
            errors: rows.iter().filter(grave).count(),
        }
    }
}

impl<A: Audience> Findings for RequestTable<A> {
    type Audience = A;
    type Row = Request;
    type Order = SortBy;
    const READS: bool = true;

    fn row(&self, number: u32) -> &Request {
        &self.requests()[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        vec![
            Column::words("id", |found: &Self, request: &Request, _| {
                match found.read_of(request) {
                    Some(read) => Cell::Id(&read.id),
                    None if found.misses(request) => Cell::Word("…".into()),
                    // What can't be read any more has no name.
                    None => Cell::Word("?".into()),
                }
            })
            .cells(18)
            .from(100)
            .ordered(SortBy::Id)
            .behind(),
            Column::words("kind", |found: &Self, _, _| {
                Cell::of(found.requests.as_ref(), |all| Cell::Word(all.kind.into()))
            })
            .for_programs(),
            Column::words("start", |_: &Self, request: &Request, _| {
                Cell::of(request.start(), Cell::Time)
            })
            .cells(12)
            .ordered(SortBy::Start),
            Column::figure("duration", |_: &Self, request: &Request, _| {
                Cell::of(request.duration(), Cell::Span)
            })
            .strong()
            .cells(11)
            .ordered(SortBy::Duration),
            Column::figure("entries", |_: &Self, request: &Request, _| {
                Cell::Count(request.entries.into())
            })
            .cells(7)
            .ordered(SortBy::Entries),
            Column::figure("sources", |_: &Self, request: &Request, _| {
                Cell::Count(request.sources().into())
            })
            .cells(7)
            .from(100)
            .ordered(SortBy::Sources),
            Column::words("level", |_: &Self, request: &Request, _| {
                Cell::of(request.worst, Cell::Level)
            })
            .titled("worst")
            .cells(8)
            .ordered(SortBy::Level),
            Column::figure("status", |_: &Self, request: &Request, _| {
                Cell::of(request.status, Cell::Status)
            })
            .cells(6)
            .ordered(SortBy::Status),
            Column::words("first", |found: &Self, request: &Request, _| {
                match found.read_of(request) {
                    Some(read) => Cell::Said(step_text(&read.first)),
                    None if found.misses(request) => Cell::Word("…".into()),
                    None => Cell::Word("".into()),
                }
            })
            .titled("first step")
            .strong()
            .wider(140, 36)
            .ordered(SortBy::First)
            .behind(),
            Column::figure("wait", |_: &Self, request: &Request, _| {
                Cell::of((request.wait > 0).then_some(request.wait), Cell::Span)
            })
            .titled("longest wait")
            .cells(12)
            .from(140)
            .ordered(SortBy::Wait)
            .behind(),
            Column::words("before", |found: &Self, request: &Request, _| {
                Cell::of(found.slowest(request), Cell::Said)
            })
            .from(140)
            .ordered(SortBy::Slowest)
            .behind(),
        ]
    }

    fn is_same(one: &Request, other: &Request) -> bool {
        one.key == other.key
    }

    fn trace(&self, request: &Request) -> Option<Trace> {
        Some((request.first, [request.entries.into(), request.in_pan.into()]))
    }

    fn text(&self, request: &Request, _: &Reader<'_>) -> String {
        let Some(read) = self.read_of(request) else { return String::new() };
        let status = request.status.map_or_else(String::new, |status| status.to_string());
        let level = request.worst.map_or("", Level::name);
        let slowest = self.slowest(request).unwrap_or_default();
        format!("{} {} {slowest} {status} {level}", read.id, step_text(&read.first))
    }

    fn misses(&self, request: &Request) -> bool {
        !self.texts.contains_key(&request.key)
    }

    fn read(&mut self, rows: &[u32], snapshot: &Snapshot, pass: &Pass) -> Option<()> {
        let Some(requests) = self.requests.clone() else { return Some(()) };
        if self.texts.len() + rows.len() > KEPT {
            self.texts.clear();
        }
        let of = || rows.iter().map(|row| &requests.rows[*row as usize]);
        let missing: Vec<Request> =
            of().filter(|request| !self.texts.contains_key(&request.key)).copied().collect();
        let texts = Texts::<A>::read(snapshot, &requests, missing.iter(), pass)?;
        let got = |row: &Request| texts.get(row.key).cloned().map(Arc::new);
        self.texts.extend(missing.iter().map(|row| (row.key, got(row))));
        Some(())
    }
}
