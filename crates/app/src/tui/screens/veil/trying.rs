//! A rule as it is typed: names of fields, or an expression between slashes.

use cribrum_core::veil::{Class, Parts, Rule};

use crate::tui::context::Wrong;

/// The parts of a rule that is typed as `/BC-[0-9]{6}/` or `berth_code, hold_ref`.
pub(super) fn parts(text: &str) -> Parts {
    let text = text.trim();
    match text.strip_prefix('/') {
        Some(expression) => Parts {
            expression: Some(expression.strip_suffix('/').unwrap_or(expression).to_owned()),
            ..Parts::default()
        },
        None => Parts {
            names: text
                .split([',', ' '])
                .filter(|name| !name.is_empty())
                .map(str::to_owned)
                .collect(),
            ..Parts::default()
        },
    }
}

/// The rule that is typed.
///
/// # Errors
///
/// What is wrong with it, at the end of the text.
pub(super) fn rule(text: &str) -> Result<Rule, Wrong> {
    let rule = Rule::new(text.trim(), &parts(text), Class::Secret, None);
    rule.map_err(|message| (text.len(), message.lines().last().unwrap_or_default().to_owned()))
}
