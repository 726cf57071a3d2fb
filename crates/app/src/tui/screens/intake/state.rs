//! What the intake screen shows.

use super::samples::Sample;

/// The intake screen.
#[derive(Default)]
pub(super) struct IntakeView {
    /// The source under the cursor.
    pub(super) cursor: usize,
    /// Lines of that source; those of the one before until they are read.
    pub(super) samples: Vec<Sample>,
    /// Those of the source under the cursor have been asked for.
    pub(super) asked: bool,
    /// The template that is being typed.
    pub(super) template: Option<String>,
}
