//! What a step of a request says, in a few words.

use cribrum_core::{
    engine::{Pass, Shown, Snapshot},
    requests::{RequestText, Requests, SortBy, Texts},
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

/// Requests that are read at a time.
const AT_A_TIME: usize = 4_096;

/// Puts requests into the order of their texts. `None` when the pass was ended. Cost: two entries of each are read.
pub(crate) fn in_order_of_text<A: Audience>(
    snapshot: &Snapshot,
    requests: &Requests,
    rows: &[u32],
    (by, descending): (SortBy, bool),
    pass: &Pass,
) -> Option<Vec<u32>> {
    let text = |read: &RequestText<A>| match by {
        SortBy::First => step_text(&read.first),
        SortBy::Slowest => read.slowest.as_ref().map_or_else(String::new, |step| {
            format!("{}: {}", snapshot.sources[step.source].label, step_text(step))
        }),
        _ => read.id.as_str().to_owned(),
    };
    let mut keyed: Vec<(String, u32)> = Vec::with_capacity(rows.len());
    for some in rows.chunks(AT_A_TIME) {
        let of = some.iter().map(|row| &requests.rows[*row as usize]);
        let texts = Texts::<A>::read(snapshot, requests, of, pass)?;
        keyed.extend(some.iter().map(|row| {
            let read = texts.get(requests.rows[*row as usize].key);
            (read.map_or_else(String::new, text), *row)
        }));
    }
    keyed.sort_by(|(one, _), (other, _)| if descending { other.cmp(one) } else { one.cmp(other) });
    Some(keyed.into_iter().map(|(_, row)| row).collect())
}
