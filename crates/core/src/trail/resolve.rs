//! The ids that a text names, as a person types it.

use std::io;

use crate::{
    engine::{LensView, Reader, Snapshot},
    entry::IdKey,
};

/// The ids that a text names among the entries that a lens on that text has found: the text itself, or
/// ids that begin or end with it. Several mean that the text is too short. Each is as it is shown, with its key.
///
/// # Errors
///
/// Those of reading the entries.
pub fn resolve(
    snapshot: &Snapshot,
    lens: &LensView,
    text: &str,
) -> io::Result<Vec<(String, IdKey)>> {
    let mut reader = Reader::new(snapshot);
    let mut found: Vec<(String, IdKey)> = Vec::new();
    for id in lens.ids() {
        // What is typed may be an id that is shown shortened, or its stand-in.
        let ids = reader.with(id, |entry, veiled, _| {
            let written = entry.ids().into_iter().map(|(kind, id)| (kind, id.into_owned()));
            let shown = veiled.ids().into_iter().map(|(_, id)| id.as_str().to_owned());
            written.zip(shown).collect::<Vec<_>>()
        })?;
        for ((kind, written), shown) in ids {
            let key = IdKey::of(kind, &written);
            if written == text || shown == text {
                return Ok(vec![(shown, key)]);
            }
            let part = |value: &str| value.starts_with(text) || value.ends_with(text);
            if (part(&written) || part(&shown)) && !found.iter().any(|(known, _)| *known == shown) {
                found.push((shown, key));
            }
        }
    }
    Ok(found)
}
