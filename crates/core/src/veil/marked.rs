//! What is hidden in the bytes of an entry, for values that are cut out of them without reading it in full.
//!
//! A value may be shown as it is written where nothing of what is hidden in the entry lies in it, is repeated in it, or
//! holds it. Whatever is in any doubt is left to the veil over the whole entry ([`super::Veiled`]): secrets under escapes,
//! entries of several lines. It is for entries all of whose names stand in their bytes: what is secret by its name is then
//! found there as well.

use std::{borrow::Cow, marker::PhantomData, ops::Range};

use super::{Audience, Place, Text, Veil, decoded, found::Mark, veiled::SPREADS};

/// What is hidden in an entry's bytes from its audience.
pub(crate) struct Marked<'r, A: Audience> {
    raw: &'r [u8],
    marks: Vec<Mark>,
    audience: PhantomData<A>,
}

impl Veil {
    /// What is hidden in the bytes of an entry; `None` where only reading it in full tells.
    pub(crate) fn marked<'r, A: Audience>(
        &self,
        raw: &'r [u8],
        place: Place,
    ) -> Option<Marked<'r, A>> {
        if self.rules.has_paths() || memchr::memchr(b'\n', raw).is_some() {
            return None;
        }
        let (marks, open) = self.look(raw, A::WHO, Some(place));
        let plain = |mark: &Mark| {
            raw.get(mark.span.clone())
                .is_some_and(|secret| matches!(decoded::plain(secret), Cow::Borrowed(_)))
        };
        let known = !open && marks.iter().all(plain);
        known.then_some(Marked { raw, marks, audience: PhantomData })
    }
}

impl<A: Audience> Marked<'_, A> {
    /// A value that reads as it is written in the entry; `None` where something in it may have to be hidden.
    pub(crate) fn value<'t>(&self, written: &'t [u8]) -> Option<Text<'t, A>> {
        let span = self.place_of(written)?;
        let touched = self.marks.iter().any(|mark| {
            let over = mark.span.start < span.end && span.start < mark.span.end;
            let secret = self.raw.get(mark.span.clone()).unwrap_or_default();
            // Shorter values are no sign of what they may be a part of.
            let part = written.len() >= SPREADS && within(written, secret);
            over || within(secret, written) || part
        });
        (!touched).then(|| Text::new(String::from_utf8_lossy(written)))
    }

    fn place_of(&self, written: &[u8]) -> Option<Range<usize>> {
        let at = written.as_ptr().addr().checked_sub(self.raw.as_ptr().addr())?;
        (at + written.len() <= self.raw.len()).then(|| at..at + written.len())
    }
}

/// Whether a text holds another. Most of both are short, and not worth preparing a search for.
fn within(part: &[u8], whole: &[u8]) -> bool {
    const SHORT: usize = 64;
    match (part.first(), whole.len()) {
        (None, _) => true,
        (Some(first), ..=SHORT) => {
            let last = (whole.len() + 1).saturating_sub(part.len());
            memchr::memchr_iter(*first, whole)
                .take_while(|at| *at < last)
                .any(|at| whole[at..].starts_with(part))
        }
        _ => memchr::memmem::find(whole, part).is_some(),
    }
}
