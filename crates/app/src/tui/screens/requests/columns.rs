//! The columns of the table of requests.

use std::borrow::Cow;

use cribrum_core::{
    engine::Shown,
    entry::Level,
    requests::{Request, RequestText, SortBy},
};

use super::state::RequestsView;
use crate::{
    present::{asked_text, count_text, span_text},
    tui::{shared::Shared, table, widgets::brief},
};

/// A column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Column {
    Start,
    Duration,
    Entries,
    Sources,
    Level,
    Status,
    Id,
    First,
    Wait,
    Slowest,
}

impl table::Column<RequestsView> for Column {
    /// The last takes what is left.
    fn fitting(view: &RequestsView) -> Vec<Self> {
        const ALL: &[Column] = &[
            Column::Start,
            Column::Duration,
            Column::Entries,
            Column::Sources,
            Column::Level,
            Column::Status,
            Column::Id,
            Column::First,
            Column::Wait,
            Column::Slowest,
        ];
        const NARROW: &[Column] = &[
            Column::Start,
            Column::Duration,
            Column::Entries,
            Column::Level,
            Column::Status,
            Column::First,
        ];
        let columns = match view.table.width {
            0..100 => NARROW,
            100..140 => &ALL[..8],
            _ => ALL,
        };
        columns.to_vec()
    }

    fn title(self, _: &RequestsView) -> Cow<'_, str> {
        Cow::Borrowed(match self {
            Self::Start => "start",
            Self::Duration => "duration",
            Self::Entries => "entries",
            Self::Sources => "sources",
            Self::Level => "worst",
            Self::Status => "status",
            Self::Id => "id",
            Self::First => "first step",
            Self::Wait => "longest wait",
            Self::Slowest => "before",
        })
    }

    fn order(self) -> Option<SortBy> {
        Some(match self {
            Self::Start => SortBy::Start,
            Self::Duration => SortBy::Duration,
            Self::Entries => SortBy::Entries,
            Self::Sources => SortBy::Sources,
            Self::Level => SortBy::Level,
            Self::Status => SortBy::Status,
            Self::Wait => SortBy::Wait,
            Self::Id => SortBy::Id,
            Self::First => SortBy::First,
            Self::Slowest => SortBy::Slowest,
        })
    }

    fn width(self, view: &RequestsView) -> u16 {
        match self {
            Self::Start => 12,
            Self::Duration => 11,
            Self::Entries | Self::Sources => 7,
            Self::Level => 8,
            Self::Status => 6,
            Self::Id => 18,
            Self::First if view.table.width >= 140 => 36,
            Self::Wait => 12,
            Self::First | Self::Slowest => 0,
        }
    }

    fn is_number(self) -> bool {
        matches!(self, Self::Duration | Self::Entries | Self::Sources | Self::Status | Self::Wait)
    }
}

impl Column {
    /// What stands in it.
    pub(super) fn text(
        self,
        shared: &Shared,
        request: &Request,
        read: Option<&RequestText>,
    ) -> String {
        match self {
            Self::Start => request.start().map_or_else(String::new, |start| shared.moment(start)),
            Self::Duration => request.duration().map_or_else(String::new, span_text),
            Self::Entries => count_text(request.entries as usize),
            Self::Sources => request.sources().to_string(),
            Self::Level => request.worst.map_or("", Level::name).to_owned(),
            Self::Status => request.status.map_or_else(String::new, |status| status.to_string()),
            Self::Id => read.map_or_else(|| "…".into(), |read| read.id.for_terminal().into_owned()),
            Self::First => read.map_or_else(|| "…".into(), |read| step_text(&read.first)),
            Self::Wait if request.wait > 0 => span_text(request.wait),
            Self::Wait => String::new(),
            Self::Slowest => {
                let slowest = read.and_then(|read| read.slowest.as_ref());
                slowest.map_or_else(String::new, |entry| {
                    format!("{}: {}", shared.label_of(entry.id), step_text(entry))
                })
            }
        }
    }
}

/// What a step says: the method and the path of a request, else its message.
pub(super) fn step_text(entry: &Shown) -> String {
    asked_text(entry).unwrap_or_else(|| brief(entry))
}
