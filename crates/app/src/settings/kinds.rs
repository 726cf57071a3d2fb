//! Kinds that a person gave a name.
//!
//! ```toml
//! [[kind]]
//! name = "lost holds"
//! words = "hold h-{number} not released: state unknown has no expiry"
//! ```

use serde::Deserialize;
use toml::Spanned;

/// The table as it stands in a file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    name: Spanned<String>,
    words: String,
}

/// A kind with its name; without one it has been taken away.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct NamedKind {
    pub(crate) name: String,
    pub(crate) words: String,
}

impl Table {
    /// The kind, or what is wrong and at which byte of the file.
    pub(super) fn named(&self) -> Result<NamedKind, (usize, String)> {
        let name = self.name.get_ref().trim();
        if name.is_empty() {
            return Err((self.name.span().start, "a kind needs a name".into()));
        }
        Ok(NamedKind { name: name.to_owned(), words: self.words.clone() })
    }
}
