//! An entry without the veil, for the person at the desk alone, where the program was started for it.

use std::borrow::Cow;

use super::harmless;

/// An entry as it is written. It can be drawn, and nothing else: it is no [`Clean`](super::Clean), can't be copied, and
/// can't be shared.
///
/// ```compile_fail
/// fn share(text: cribrum_core::veil::Shareable<'_>) {}
/// fn reveal(text: cribrum_core::veil::Revealed) { share(text) }
/// ```
///
/// ```compile_fail
/// fn twice(text: &cribrum_core::veil::Revealed) -> cribrum_core::veil::Revealed { text.clone() }
/// ```
pub struct Revealed(String);

impl Revealed {
    pub(super) fn of(raw: &[u8]) -> Self {
        Self(String::from_utf8_lossy(raw).into_owned())
    }

    /// The text as a terminal may get it.
    #[must_use]
    pub fn for_terminal(&self) -> Cow<'_, str> {
        harmless(&self.0)
    }
}

impl std::fmt::Debug for Revealed {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Revealed")
    }
}
