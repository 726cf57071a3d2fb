//! The columns of the comparison.

use std::borrow::Cow;

use cribrum_core::{
    compare::{Difference, What},
    query::Path,
    tally::By,
    veil::Desk,
};

use super::state::CompareView;
use crate::{
    present::{count_text, key_text, rate_pair, times_text, took_pair},
    tui::{shared::Shared, table},
};

/// A column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Column {
    Change,
    Level,
    From,
    With,
    Times,
    Surprise,
    Of,
    What,
}

impl table::Column<CompareView> for Column {
    /// What differs takes what is left.
    fn fitting(view: &CompareView) -> Vec<Self> {
        let wide = view.table.width >= 120;
        let mut columns = vec![Self::Change];
        if wide {
            columns.push(Self::Level);
        }
        columns.extend([Self::From, Self::With]);
        if wide {
            columns.extend([Self::Times, Self::Surprise]);
        }
        columns.extend([Self::Of, Self::What]);
        columns
    }

    fn title(self, _: &CompareView) -> Cow<'_, str> {
        Cow::Borrowed(match self {
            Self::Change => "change",
            Self::Level => "level",
            Self::From => "from",
            Self::With => "with",
            Self::Times => "times",
            Self::Surprise => "surprise",
            Self::Of => "of",
            Self::What => "what",
        })
    }

    fn width(self, view: &CompareView) -> u16 {
        match self {
            Self::Change => 6,
            Self::Level => 7,
            // What differs needs the room first.
            Self::From | Self::With => {
                if view.table.width >= 150 {
                    21
                } else {
                    16
                }
            }
            Self::Times => 7,
            Self::Surprise => 8,
            Self::Of => {
                if view.table.width >= 150 {
                    18
                } else {
                    9
                }
            }
            Self::What => 0,
        }
    }

    fn is_number(self) -> bool {
        matches!(self, Self::From | Self::With | Self::Times | Self::Surprise)
    }
}

impl Column {
    /// What stands in it.
    pub(super) fn text(
        self,
        view: &CompareView,
        shared: &Shared,
        row: &Difference<Desk>,
    ) -> String {
        let Some(listed) = &view.listed else { return String::new() };
        let compared = &listed.compared;
        let pair = || took_pair(row).unwrap_or_else(|| rate_pair(compared, row));
        match self {
            Self::Change => row.change.name().to_owned(),
            Self::Level => row.level.map_or_else(
                || "–".to_owned(),
                |level| format!("{} {}", shared.theme.glyphs.severity[level.index()], level.name()),
            ),
            Self::From => pair()[0].clone(),
            Self::With => pair()[1].clone(),
            Self::Times => times_text(compared, row),
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "a figure for people, not below zero"
            )]
            Self::Surprise => count_text(row.surprise.max(0.0).round() as usize),
            Self::Of => of(shared, row),
            Self::What => what(shared, row),
        }
    }
}

/// What kind of thing differs.
pub(super) fn of(shared: &Shared, row: &Difference<Desk>) -> String {
    match &row.what {
        What::Kind(_) => "kind".to_owned(),
        What::Took(_) => "took".to_owned(),
        What::Value(By::Field { path, .. }, _) => shared.own_text(&Path::field(path).to_string()),
        What::Value(by, _) => by.to_string(),
    }
}

/// What differs, by its own name.
pub(super) fn what(shared: &Shared, row: &Difference<Desk>) -> String {
    match &row.what {
        What::Kind(text) | What::Took(text) => text.for_terminal().into_owned(),
        What::Value(by, key) => {
            key_text(key, by, &shared.snapshot.sources, &shared.clock).into_owned()
        }
    }
}
