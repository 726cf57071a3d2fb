//! What is to be written, in which form, and how it will look.

use std::sync::Arc;

use cribrum_core::veil::{Class, Shareable};

use crate::results::{Extract, ExtractForm};

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Forms,
}

/// How it will look.
pub(super) struct Preview {
    /// Rows that there are.
    pub(super) rows: usize,
    /// The first lines, as they will be.
    pub(super) lines: Vec<Shareable<'static>>,
    /// Hidden values by class, the most frequent first; each counted as often as it stands there.
    pub(super) hidden: Vec<(Class, usize)>,
    /// So many rows were looked at for them; all, or the first.
    pub(super) counted: usize,
}

/// The screen.
pub(super) struct ExtractView {
    pub(super) what: Arc<dyn Extract>,
    /// The number of the form.
    pub(super) form: usize,
    /// What tells who somebody is stays as it is seen on the desk.
    pub(super) personal: bool,
    /// `None` while it is made.
    pub(super) preview: Option<Result<Preview, String>>,
    /// It has been asked for.
    pub(super) asked: bool,
    pub(super) scroll: usize,
    pub(super) height: usize,
}

impl ExtractView {
    pub(super) fn of(what: Arc<dyn Extract>) -> Self {
        Self { what, form: 0, personal: false, preview: None, asked: false, scroll: 0, height: 20 }
    }

    pub(super) fn chosen(&self) -> ExtractForm {
        let forms = self.what.forms();
        forms[self.form.min(forms.len() - 1)]
    }

    /// The name that is proposed for a file.
    pub(super) fn file_name(&self) -> String {
        format!("{}.{}", self.what.name(), self.chosen().name().1)
    }
}
