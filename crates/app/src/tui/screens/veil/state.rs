//! What the veil's screen shows.

use cribrum_core::veil::Rule;

use super::found::{Finder, Report};

/// Where the cursor is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Region {
    /// Among the rules.
    #[default]
    Rules,
    /// Among the examples of the one under the cursor.
    Examples,
}

/// The veil's screen.
#[derive(Default)]
pub(super) struct VeilView {
    /// What was found; nothing until it has been looked for.
    pub(super) report: Option<Report>,
    /// It has been asked for.
    pub(super) asked: bool,
    /// How many entries and rules of one's own there were when it was asked for.
    pub(super) looked_at: (usize, usize),
    /// Rules that find nothing are shown as well.
    pub(super) all: bool,
    pub(super) region: Region,
    /// The rule under the cursor, among those that are shown.
    pub(super) cursor: usize,
    /// The example under the cursor.
    pub(super) example: usize,
    pub(super) trial: Option<Trial>,
}

/// A rule that is being typed.
pub(super) struct Trial {
    /// The rule; nothing while what is typed is none.
    pub(super) rule: Option<Rule>,
    /// What it finds; that of the text before until it has been looked for.
    pub(super) found: Option<Report>,
    /// It has been asked for.
    pub(super) asked: bool,
}

impl VeilView {
    /// The rules that are shown.
    pub(super) fn finders(&self) -> Vec<&Finder> {
        let shown = |finder: &&Finder| self.all || finder.hits + finder.near > 0;
        self.report.iter().flat_map(|report| &report.finders).filter(shown).collect()
    }

    /// The rule under the cursor.
    pub(super) fn finder(&self) -> Option<&Finder> {
        self.finders().get(self.cursor).copied()
    }
}
