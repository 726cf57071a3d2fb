//! The ids that a text names, as a person types it.

use std::io;

use crate::{
    engine::{Pass, Reader, Snapshot, Survey},
    entry::IdKey,
    query::{self, Path},
    store::EntryId,
    veil::Anyone,
};

/// An id that a text names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Named {
    /// The id as it is shown.
    pub text: String,
    /// The kind under which it was met first.
    pub kind: &'static str,
    /// What tells it from others.
    pub key: IdKey,
}

/// The ids that a text names among the entries in which it stands: the text itself, or ids that begin or end with it. Several mean that the text is too short, or that it is short enough to be the id
/// of different things. `kind` leaves all others out.
///
/// # Errors
///
/// Those of reading the entries.
pub fn resolve(
    snapshot: &Snapshot,
    entries: impl Iterator<Item = EntryId>,
    text: &str,
    kind: Option<&str>,
) -> io::Result<Vec<Named>> {
    let mut reader = Reader::new(snapshot);
    let mut exact: Vec<Named> = Vec::new();
    let mut parts: Vec<Named> = Vec::new();
    for id in entries {
        // What is typed may be an id that is shown shortened, or its stand-in.
        let ids = reader.with(id, |entry, veiled, _| {
            let written = entry.ids().into_iter().map(|(kind, id)| (kind, id.into_owned()));
            let shown = veiled.ids().into_iter().map(|(_, id)| id.as_str().to_owned());
            written.zip(shown).collect::<Vec<_>>()
        })?;
        for ((of_kind, written), shown) in ids {
            if kind.is_some_and(|kind| kind != of_kind) {
                continue;
            }
            let whole = written == text || shown == text;
            let part = |value: &str| value.starts_with(text) || value.ends_with(text);
            let found = if whole { &mut exact } else { &mut parts };
            if !whole && !part(&written) && !part(&shown) {
                continue;
            }
            let key = IdKey::of(of_kind, &written);
            if !found.iter().any(|known| known.key == key) {
                found.push(Named { text: shown, kind: of_kind, key });
            }
        }
    }
    Ok(if exact.is_empty() { parts } else { exact })
}

/// The id that a text was perhaps meant to be, among those of a few thousand entries.
#[must_use]
pub fn nearest(snapshot: &Snapshot, text: &str) -> Option<String> {
    let ids = Survey::<Anyone>::values(snapshot, &Path::Id, &Pass::default())?;
    let known = ids.found.iter().map(|(id, _)| id.as_str());
    query::nearest(text, known).map(str::to_owned)
}
