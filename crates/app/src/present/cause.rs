//! Why nothing is left, in words, for the desk and for commands.

use cribrum_core::engine::{Cause, Finding};
use cribrum_core::tally::count_text;

/// What is the matter with a mesh, which is called `name`; `moment` writes a time, `own` puts what was typed under
/// the veil.
pub(crate) fn cause(
    own: &dyn Fn(&str) -> String,
    finding: &Finding,
    name: &str,
    moment: &dyn Fn(i64) -> String,
) -> String {
    match &finding.cause {
        Cause::TookTheLast(held) => {
            format!("No entry passes {name}: {} reach it.", count_text(*held))
        }
        Cause::NoLevels(held) => {
            format!(
                "No entry passes {name}: {} reach it, none of them with a level.",
                count_text(*held)
            )
        }
        Cause::Outside(first, last) => {
            format!("The window lies outside the data: {} … {}.", moment(*first), moment(*last))
        }
        Cause::NoField(field, looked) => {
            format!("No entry has the field {} ({} looked at).", own(field), count_text(*looked))
        }
        Cause::NoValue { value, occur, .. } if occur.is_empty() => {
            format!("{} was looked for as a word.", value.for_terminal())
        }
        Cause::NoValue { path, value, occur, .. } => {
            let occur: Vec<_> = occur.iter().map(|known| known.for_terminal()).collect();
            let path = own(&path.to_string());
            format!("{path} is never {}; it is {} …", value.for_terminal(), occur.join(", "))
        }
        Cause::NeverBelow(Some(source), level) => {
            format!("{} never wrote anything below {level}.", own(source))
        }
        Cause::NeverBelow(None, level) => format!("No source wrote anything below {level}."),
    }
}
