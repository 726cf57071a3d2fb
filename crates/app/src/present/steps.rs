//! What a step of a request says, in a few words.

use cribrum_core::{
    engine::Shown,
    veil::{Audience, CleanValue},
};

use super::one_line;

/// The method and the path of a request, else nothing.
pub(crate) fn asked_text<A: Audience>(entry: &Shown<A>) -> Option<String> {
    let field = |name: &str| {
        let own = entry.own_fields();
        let field = own.iter().find(|field| field.name.as_str() == name)?;
        match &field.value {
            CleanValue::Text(text) | CleanValue::Number(text) => {
                Some(text.for_terminal().into_owned())
            }
            _ => None,
        }
    };
    Some(format!("{} {}", field("method")?, field("path")?))
}

/// The method and the path of a request, else the message on one line.
pub(crate) fn step_text<A: Audience>(entry: &Shown<A>) -> String {
    asked_text(entry).unwrap_or_else(|| one_line(&entry.message.for_terminal()).into_owned())
}
