//! What a look through a text finds.

use std::ops::Range;

pub(super) use super::kind::Number;
use super::{Class, kind::Kind, rules::Rules};

/// A secret within a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Mark {
    pub(super) span: Range<usize>,
    pub(super) class: Class,
    /// Which detector found it.
    pub(super) by: Number,
    /// What stands around it says what it is, and not what it looks like.
    pub(super) named: bool,
}

/// What was nearly a hit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Near {
    pub(super) span: Range<usize>,
    pub(super) by: Number,
    /// What keeps it from being one.
    pub(super) why: &'static str,
}

/// What is looked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Want {
    /// What tells who somebody is.
    pub(super) personal: bool,
    /// Words without a pattern.
    pub(super) entropy: bool,
    /// What is nearly a hit.
    pub(super) near: bool,
}

/// What was found in a text.
#[derive(Debug, Default)]
pub(super) struct Found<'r> {
    pub(super) marks: Vec<Mark>,
    pub(super) near: Vec<Near>,
    /// A secret's name stands in the text whose value was not found: only a layout can tell what it is.
    pub(super) open: bool,
    /// The value of the present name was found, secret or not.
    pub(super) judged: bool,
    pub(super) want: Want,
    /// Rules of one's own.
    pub(super) rules: Option<&'r Rules>,
    /// Who looks.
    pub(super) by: Number,
    /// The class of what they find.
    pub(super) class: Class,
    /// How far the values of a rule of one's own reach, where a detector knows it.
    pub(super) extent: Option<Kind>,
    /// All before this place that stands in brackets has been walked.
    pub(super) walked: usize,
    /// Something in the text may begin an escape.
    pub(super) escapes: bool,
    /// All before this place that may be base64 has been looked at.
    pub(super) decoded: usize,
    /// Letters before this place are known to lead to no token.
    pub(super) dotless: usize,
}

impl Found<'_> {
    /// Hides a part of the text.
    pub(super) fn hide(&mut self, span: Range<usize>) {
        if !span.is_empty() {
            self.marks.push(Mark { span, class: self.class, by: self.by, named: false });
        }
    }

    /// Hides a value whose name, or what stands around it, says what it is. Its class may follow its form.
    pub(super) fn hide_value(&mut self, span: Range<usize>) {
        if span.is_empty() {
            return;
        }
        self.marks.push(Mark { span, class: self.class, by: self.by, named: true });
    }

    /// Tells what was nearly a hit.
    pub(super) fn nearly(&mut self, span: Range<usize>, why: &'static str) {
        if self.want.near && !span.is_empty() {
            self.near.push(Near { span, by: self.by, why });
        }
    }
}
