//! The columns of the kinds.

use std::borrow::Cow;

use cribrum_core::{
    kinds::{Kind, Order},
    veil::Desk,
};

use super::state::KindsView;
use crate::{
    present::{bar_text, count_text, curve_text, share, share_text},
    tui::{
        shared::Shared,
        table::{self, Column as _},
    },
};

/// A column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Column {
    Count,
    Share,
    /// The share as a bar.
    Bar,
    Level,
    /// Entries over time.
    Curve,
    First,
    Last,
    Logger,
    Words,
}

impl table::Column<KindsView> for Column {
    /// The words take what is left.
    fn fitting(view: &KindsView) -> Vec<Self> {
        let (wide, large) = (view.table.width >= 110, view.table.width >= 140);
        let mut columns = vec![Self::Count];
        let mut add = |column, fits: bool| {
            if fits {
                columns.push(column);
            }
        };
        add(Self::Share, wide);
        add(Self::Bar, large);
        add(Self::Level, true);
        add(Self::Curve, true);
        add(Self::First, wide);
        add(Self::Last, large);
        add(Self::Logger, wide);
        add(Self::Words, true);
        columns
    }

    fn title(self, _: &KindsView) -> Cow<'_, str> {
        Cow::Borrowed(match self {
            Self::Count => "entries",
            Self::Share => "share",
            Self::Bar => "",
            Self::Level => "level",
            Self::Curve => "over time",
            Self::First => "first",
            Self::Last => "last",
            Self::Logger => "logger",
            Self::Words => "kind",
        })
    }

    fn order(self) -> Option<Order> {
        Some(match self {
            Self::Count | Self::Share => Order::Count,
            Self::Level => Order::Level,
            Self::First => Order::First,
            Self::Last => Order::Last,
            Self::Words => Order::Text,
            Self::Bar | Self::Curve | Self::Logger => return None,
        })
    }

    fn is_second(self) -> bool {
        self == Self::Share
    }

    fn width(self, view: &KindsView) -> u16 {
        match self {
            Self::Count => 9,
            Self::Share => 7,
            Self::Bar => 10,
            Self::Level => 7,
            Self::Curve => {
                if view.table.width >= 110 {
                    16
                } else {
                    10
                }
            }
            Self::First | Self::Last => 12,
            Self::Logger => 18,
            Self::Words => 0,
        }
    }

    fn is_number(self) -> bool {
        matches!(self, Self::Count | Self::Share)
    }
}

impl Column {
    /// What stands in it.
    pub(super) fn text(self, view: &KindsView, shared: &Shared, kind: &Kind<Desk>) -> String {
        let whole = view.listed.as_ref().map_or(0, |listed| listed.kinds.entries as u64);
        let most = view.listed.as_ref().and_then(|listed| listed.kinds.kinds.first());
        let most = most.map_or(1, |kind| kind.count);
        let time =
            |time: Option<i64>| time.map_or_else(|| "–".to_owned(), |time| shared.moment(time));
        match self {
            Self::Count => count_text(usize::try_from(kind.count).unwrap_or(usize::MAX)),
            Self::Share => share_text(kind.count, whole),
            // The longest is that of the most frequent kind: of hundreds none has a large share.
            Self::Bar => bar_text(share(kind.count, most), 10),
            Self::Level => kind.level.map_or_else(
                || "–".to_owned(),
                |level| format!("{} {}", shared.theme.glyphs.severity[level.index()], level.name()),
            ),
            Self::Curve => curve_text(&kind.curve[..], usize::from(self.width(view))),
            Self::First => time(kind.span.map(|span| span.0)),
            Self::Last => time(kind.span.map(|span| span.1)),
            Self::Logger => loggers(kind),
            Self::Words => named(shared, kind),
        }
    }
}

/// Who says it: the first by name, and how many more there are.
fn loggers(kind: &Kind<Desk>) -> String {
    match kind.loggers.as_slice() {
        [] => "–".to_owned(),
        [one] if !kind.more_loggers => one.for_terminal().into_owned(),
        [first, rest @ ..] => {
            let more = if kind.more_loggers { "+" } else { "" };
            format!("{} +{}{more}", first.for_terminal(), rest.len())
        }
    }
}

/// The words of a kind, behind the name that it was given.
pub(super) fn named(shared: &Shared, kind: &Kind<Desk>) -> String {
    let words = kind.text.for_terminal();
    let given = shared.settings.kinds.iter().find(|named| named.words == kind.text.as_str());
    match given {
        Some(given) => format!("{} · {words}", shared.own_text(&given.name)),
        None => words.into_owned(),
    }
}
