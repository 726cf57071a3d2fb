//! Ids that the settings declare.

use cribrum_core::entry::OwnId;
use serde::Deserialize;

/// `"booking_ref"`, `{ name = "booking_ref", kind = "order_id" }` or `{ form = "BK-[0-9]{6}" }`.
#[derive(Debug, Deserialize)]
#[serde(
    untagged,
    expecting = "expected a name, { name = \"booking_ref\", kind = \"order_id\" } or { form = \"BK-[0-9]{6}\", kind = \"order_id\" }"
)]
pub(super) enum Table {
    Name(String),
    Sign(Sign),
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Sign {
    name: Option<String>,
    form: Option<String>,
    kind: Option<String>,
}

/// What the entries of a list declare.
///
/// # Errors
///
/// What is wrong with the first that is wrong.
pub(super) fn declared(tables: &[toml::Spanned<Table>]) -> Result<Vec<OwnId>, (usize, String)> {
    let declared = tables.iter().map(|table| {
        let id = match table.get_ref() {
            Table::Name(name) => OwnId::named(name, None),
            Table::Sign(Sign { name: Some(name), form: None, kind }) => {
                OwnId::named(name, kind.as_deref())
            }
            Table::Sign(Sign { name: None, form: Some(form), kind }) => {
                OwnId::formed(form, kind.as_deref())
            }
            Table::Sign(_) => Err("an id is told by a name or by a form".to_owned()),
        };
        id.map_err(|message| (table.span().start, message))
    });
    declared.collect()
}
