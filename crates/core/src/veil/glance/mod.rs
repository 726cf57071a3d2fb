//! One look at all bytes of a text, sixty-four at a time, that tells where a secret may begin.
//!
//! What is asked of each byte is answered with a bit, so that whether a number, an address or a token may begin
//! somewhere takes a few operations for sixty-four places at once. Where a processor can look up thirty-two bytes at
//! once (AVX2) it does; elsewhere the same is computed byte by byte.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod portable;

use super::{
    filter::{BANKS, Filter},
    fragments::{Fragments, PREFIXES, Places},
};

/// Bytes that are looked at in one go, a bit each.
pub(super) const STRETCH: usize = 64;
/// Those and what a fragment that begins in them needs.
const WINDOW: usize = STRETCH + 2;

/// What the bytes of a stretch are: the lowest bit is the first byte's.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Stretch {
    /// Where a fragment may stand: everywhere one does, and at few other places.
    pub(super) fragments: u64,
    /// Where the prefix of a token may stand, in the same way.
    pub(super) prefixes: u64,
    /// `0` to `9`
    pub(super) digits: u64,
    /// Letters, digits, `_`
    pub(super) words: u64,
    pub(super) dots: u64,
    pub(super) colons: u64,
    /// What a telephone number may begin with: `+`, `(`
    pub(super) dials: u64,
    /// `@`
    pub(super) ats: u64,
    /// Blanks and dashes
    pub(super) gaps: u64,
    /// What begins an escape: a backslash, `%`, `&`
    pub(super) escapes: u64,
}

impl Stretch {
    /// The same from one of its bytes on.
    #[inline(always)]
    fn from(self, first: usize) -> Self {
        Self {
            fragments: self.fragments >> first,
            prefixes: self.prefixes >> first,
            digits: self.digits >> first,
            words: self.words >> first,
            dots: self.dots >> first,
            colons: self.colons >> first,
            dials: self.dials >> first,
            ats: self.ats >> first,
            gaps: self.gaps >> first,
            escapes: self.escapes >> first,
        }
    }
}

/// What fragments and prefixes are looked for.
pub(super) struct Tables<'t> {
    fragments: (&'t Places, &'t Filter<BANKS>),
    prefixes: (&'t Places, &'t Filter<1>),
}

impl<'t> Tables<'t> {
    pub(super) fn of<T>(fragments: &'t Fragments<T>) -> Self {
        let prefixes = &*PREFIXES;
        Self {
            fragments: (&fragments.places, &fragments.filter),
            prefixes: (&prefixes.places, &prefixes.filter),
        }
    }
}

/// Calls `visit` with each stretch of a text: where it begins, what it is, and what the next one is. Behind the end of
/// the text stand zeros.
#[inline]
pub(super) fn each_stretch(
    text: &[u8],
    tables: &Tables<'_>,
    visit: impl FnMut(usize, &Stretch, &Stretch),
) {
    #[cfg(target_arch = "x86_64")]
    if std::arch::is_x86_feature_detected!("avx2") {
        #[expect(unsafe_code, reason = "four times as fast as byte by byte: `cargo xtask bench`")]
        // SAFETY: the processor has what the function is compiled for.
        return unsafe { avx2::each_stretch(text, tables, visit) };
    }
    portable::each_stretch(text, tables, visit);
}

/// Goes through a text with one way to look at a stretch of it.
#[inline(always)]
fn each(
    text: &[u8],
    look: impl Fn(&[u8; WINDOW]) -> Stretch,
    mut visit: impl FnMut(usize, &Stretch, &Stretch),
) {
    // The last stretch is looked at from sixty-four bytes before the end on, which costs less than a copy of it.
    let last = |at: usize| {
        let mut window = [0; WINDOW];
        match text.last_chunk::<STRETCH>() {
            Some(end) if at + STRETCH >= text.len() => {
                window[..STRETCH].copy_from_slice(end);
                look(&window).from(at + STRETCH - text.len())
            }
            _ => {
                window[..text.len() - at].copy_from_slice(&text[at..]);
                look(&window)
            }
        }
    };
    let look_at = |at: usize| match text[at..].first_chunk() {
        Some(window) => look(window),
        None => last(at),
    };
    if text.is_empty() {
        return;
    }
    let (mut at, mut now) = (0, look_at(0));
    while at + STRETCH < text.len() {
        let next = look_at(at + STRETCH);
        visit(at, &now, &next);
        (at, now) = (at + STRETCH, next);
    }
    visit(at, &now, &Stretch::default());
}
