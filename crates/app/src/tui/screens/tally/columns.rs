//! The columns of the tally.

use std::borrow::Cow;

use cribrum_core::{
    tally::{Group, Order, Unit},
    veil::Desk,
};

use super::state::TallyView;
use crate::{
    present::{bar_text, cells, count_text, histogram_text, share, share_text, value_text},
    tui::{
        shared::Shared,
        table::{self, Column as _, Table},
    },
};

/// A column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Column {
    Count,
    Share,
    /// The share as a bar.
    Bar,
    Errors,
    Rate,
    Different,
    P50,
    P95,
    P99,
    Max,
    /// How what is measured is spread.
    Spread,
    /// What the groups have in common, by its number.
    Key(usize),
}

impl table::Column<TallyView> for Column {
    /// What the groups have in common takes what is left.
    fn fitting(view: &TallyView) -> Vec<Self> {
        let measured = view.question.of.is_some();
        let (wide, large) = (view.table.width >= 110, view.table.width >= 130);
        let mut columns = vec![Self::Count];
        let mut add = |column, fits: bool| {
            if fits {
                columns.push(column);
            }
        };
        add(Self::Share, wide || !measured);
        add(Self::Bar, !measured || large);
        add(Self::Errors, true);
        add(Self::Rate, wide || !measured);
        add(Self::Different, view.question.different.is_some());
        add(Self::P50, measured);
        add(Self::P95, measured);
        add(Self::P99, measured && wide);
        add(Self::Max, measured && wide);
        add(Self::Spread, measured && large);
        columns.extend((0..view.question.by.len()).map(Self::Key));
        columns
    }

    fn title(self, view: &TallyView) -> Cow<'_, str> {
        match self {
            Self::Count => "entries".into(),
            Self::Share => "share".into(),
            Self::Bar | Self::Spread => "".into(),
            Self::Errors => "errors".into(),
            Self::Rate => "a minute".into(),
            Self::Different => {
                format!("≠ {}", view.question.different.as_deref().unwrap_or_default()).into()
            }
            Self::P50 => "p50".into(),
            Self::P95 => "p95".into(),
            Self::P99 => "p99".into(),
            Self::Max => "max".into(),
            Self::Key(at) => {
                view.question.by.get(at).map(ToString::to_string).unwrap_or_default().into()
            }
        }
    }

    fn order(self) -> Option<Order> {
        Some(match self {
            Self::Count | Self::Share | Self::Rate => Order::Count,
            Self::Errors => Order::ErrorShare,
            Self::Different => Order::Different,
            Self::P50 => Order::Quantile(500),
            Self::P95 => Order::Quantile(950),
            Self::P99 => Order::Quantile(990),
            Self::Max => Order::Max,
            Self::Key(at) => Order::Key(at),
            Self::Bar | Self::Spread => return None,
        })
    }

    fn is_second(self) -> bool {
        matches!(self, Self::Share | Self::Rate)
    }

    fn width(self, _: &TallyView) -> u16 {
        match self {
            Self::Count | Self::Rate => 10,
            Self::Share | Self::Errors => 8,
            Self::Bar | Self::Spread => 12,
            Self::Different => 12,
            Self::P50 | Self::P95 | Self::P99 | Self::Max => 10,
            Self::Key(_) => 0,
        }
    }

    /// The first of what groups have in common takes what the others, in sight, leave.
    fn of_what_is_left(self, view: &TallyView, shared: &Shared, left: u16) -> u16 {
        let Self::Key(at) = self else { return left };
        let needed = |at: usize| {
            let rows = view.in_sight().filter_map(|row| view.group(row));
            let longest = rows.map(|group| cells(&key_text(view, shared, group, at))).max();
            let title = cells(&Self::Key(at).title(view)) + 2;
            u16::try_from(longest.unwrap_or(0).max(title)).unwrap_or(u16::MAX)
        };
        let count = view.question.by.len();
        let share = left / u16::try_from(count - at).unwrap_or(1).max(1);
        let others: u16 = (at + 1..count).map(|at| needed(at).min(share) + 2).sum();
        left.saturating_sub(others)
    }

    fn is_number(self) -> bool {
        !matches!(self, Self::Bar | Self::Spread | Self::Key(_))
    }
}

impl Column {
    /// What stands in it; what groups have in common apart.
    pub(super) fn text(self, view: &TallyView, group: &Group<Desk>) -> String {
        let number = |count: u64| count_text(usize::try_from(count).unwrap_or(usize::MAX));
        let unit = view.listed.as_ref().map_or(Unit::Number, |listed| listed.tally.unit);
        let whole = view.whole().map_or(0, |all| all.count);
        match self {
            Self::Count => number(group.count),
            Self::Share => share_text(group.count, whole),
            Self::Bar => bar_text(share(group.count, whole), 12),
            Self::Errors if group.errors == 0 => "–".into(),
            Self::Errors => share_text(group.errors, group.count),
            Self::Rate => {
                let rate = view.whole().and_then(|all| all.span).map(|(first, last)| {
                    #[expect(clippy::cast_precision_loss, reason = "a rate for people")]
                    let (minutes, count) =
                        (last.saturating_sub(first) as f64 / 60e9, group.count as f64);
                    count / minutes
                });
                let rate = rate.filter(|rate| rate.is_finite());
                rate.map_or_else(|| "–".into(), |rate| value_text(rate, Unit::Number))
            }
            Self::Different => number(group.different),
            Self::P50 | Self::P95 | Self::P99 | Self::Max => {
                let value = self.order().and_then(|order| group.figure(order));
                value.map_or_else(|| "–".into(), |value| value_text(value, unit))
            }
            // All rows on one scale.
            Self::Spread => {
                let all = view.whole().map(|all| (all.values.min, all.values.max));
                histogram_text(&group.values, all.unwrap_or_default(), 12)
            }
            Self::Key(_) => String::new(),
        }
    }
}

/// What a group has in common, in one respect.
pub(super) fn key_text(
    view: &TallyView,
    shared: &Shared,
    group: &Group<Desk>,
    at: usize,
) -> String {
    let (Some(key), Some(by)) = (group.keys.get(at), view.question.by.get(at)) else {
        return String::new();
    };
    crate::present::key_text(key, by, &shared.snapshot.sources, &shared.clock).into_owned()
}
