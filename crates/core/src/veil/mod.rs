//! The veil: what is hidden, and the only door through which text of a log leaves the core.
//!
//! [`Clean`] is made here and nowhere else. The veil looks at whole entries, since a value cut out of
//! one says nothing of its key: secrets are first found in all of an entry, by the names of its fields
//! and by the form of its texts, and then hidden in whatever is taken out of it.
//!
//! A secret is replaced by a stand-in such as `«card·4e1b»`: its class, and sixteen bits of a keyed hash,
//! so that the same secret has the same stand-in everywhere and can be followed. The key is the user's
//! own; without it one cannot try out which secret a stand-in stands for.

mod clean;
mod fields;
mod forms;
mod fragments;
mod names;
mod scan;
mod typed;
mod veiled;

use std::{
    borrow::Cow,
    hash::Hasher as _,
    ops::Range,
    sync::{Arc, PoisonError, RwLock},
};

use siphasher::sip::SipHasher13;

pub(crate) use clean::is_harmful;
pub use clean::{Clean, harmless};
pub use fields::{CleanField, CleanValue};
pub(crate) use fields::{Fields, PartValue};
pub(crate) use veiled::Veiled;

use crate::entry::Entry;

/// What kind of secret is hidden.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Class {
    /// A payment card's number.
    Card,
    /// A JSON Web Token (RFC 7519).
    Jwt,
    /// A password, in a field or in a URL.
    Password,
    /// An access token, sent as bearer or held in a field.
    Token,
    /// User and password of HTTP basic authentication (RFC 7617).
    Basic,
    /// The value of a cookie.
    Cookie,
    /// An API key or a private key.
    Key,
    /// A short number that only its owner knows.
    Pin,
    /// Anything else whose name says that it is secret.
    Secret,
}

impl Class {
    /// The word in the stand-in.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Card => "card",
            Self::Jwt => "jwt",
            Self::Password => "password",
            Self::Token => "token",
            Self::Basic => "basic",
            Self::Cookie => "cookie",
            Self::Key => "key",
            Self::Pin => "pin",
            Self::Secret => "secret",
        }
    }
}

/// The bytes of an entry in which a look has found no secret.
#[derive(Clone, Copy)]
pub(crate) struct Clear<'r>(&'r [u8]);

impl<'r> Clear<'r> {
    /// All of them as text.
    pub(crate) fn raw(self) -> Clean<'r> {
        Clean::new(String::from_utf8_lossy(self.0))
    }

    /// A value that was read out of them.
    pub(crate) fn value<'t>(self, value: Cow<'t, str>) -> Clean<'t> {
        Clean::new(value)
    }
}

/// The veil with the key that its stand-ins are made with.
///
/// Copies share what was typed and turned out to be a secret: `gull-tide` says nothing by itself, but is
/// hidden from the funnel and from kept sieves once an entry shows it as the value of a password.
#[derive(Clone)]
pub struct Veil {
    key: [u8; 16],
    typed: Arc<RwLock<Vec<(Class, String)>>>,
}

impl std::fmt::Debug for Veil {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Veil")
    }
}

impl Veil {
    /// A veil whose stand-ins are made with `key`.
    #[must_use]
    pub fn new(key: [u8; 16]) -> Self {
        Self { key, typed: Arc::default() }
    }

    /// Hides the secrets in a text that a person typed or pasted, such as a condition, by their form, the
    /// names before them, and what is known to be hidden in the entries.
    #[must_use]
    pub fn typed(&self, text: &str) -> Clean<'static> {
        let mut out = String::with_capacity(text.len());
        let mut at = 0;
        for mark in self.typed_marks(text) {
            out.push_str(&String::from_utf8_lossy(&text.as_bytes()[at..mark.span.start]));
            out.push_str(&self.stand_in(mark.class, &text.as_bytes()[mark.span.clone()]));
            at = mark.span.end;
        }
        out.push_str(&String::from_utf8_lossy(&text.as_bytes()[at..]));
        Clean::new(out.into())
    }

    /// Where secrets stand in a text that a person types, in bytes, in their order.
    pub(crate) fn secrets_in(&self, text: &str) -> Vec<Range<usize>> {
        self.typed_marks(text).into_iter().map(|mark| mark.span).collect()
    }

    fn typed_marks(&self, text: &str) -> Vec<scan::Mark> {
        let mut marks = typed::typed(text.as_bytes());
        let known = self.typed.read().unwrap_or_else(PoisonError::into_inner);
        for (class, secret) in known.iter() {
            let found = memchr::memmem::find_iter(text.as_bytes(), secret.as_bytes());
            marks.extend(found.map(|at| scan::Mark { span: at..at + secret.len(), class: *class }));
        }
        scan::apart(marks)
    }

    /// Hides from now on what was typed and is hidden in an entry.
    fn learn(&self, class: Class, secret: &str) {
        let mut known = self.typed.write().unwrap_or_else(PoisonError::into_inner);
        if !known.iter().any(|(_, other)| other == secret) {
            known.push((class, secret.to_owned()));
        }
    }

    /// Finds the secrets of an entry.
    pub(crate) fn over<'e, 'a>(&'e self, entry: &'e Entry<'a>) -> Veiled<'e, 'a> {
        Veiled::new(self, entry)
    }

    /// The text of an entry whose names all stand in it, where one look at its bytes says that it holds no
    /// secret; `None` where it must be read to know.
    #[expect(
        clippy::unused_self,
        reason = "what is hidden may come to depend on the person's settings"
    )]
    pub(crate) fn clear<'r>(&self, raw: &'r [u8]) -> Option<Clear<'r>> {
        let (marks, named) = scan::look(raw);
        let clear = marks.is_empty()
            && !named
            && memchr::memchr(b'\\', raw).is_none()
            && !names::has_a_parted_one(raw);
        clear.then_some(Clear(raw))
    }

    /// The same for an entry of which [`Veil::clear`] is known to have said so.
    pub(crate) fn known_clear<'r>(&self, raw: &'r [u8]) -> Clear<'r> {
        debug_assert!(self.clear(raw).is_some());
        Clear(raw)
    }

    fn stand_in(&self, class: Class, secret: &[u8]) -> String {
        let mut hasher = SipHasher13::new_with_key(&self.key);
        // A card's number is the same with and without the gaps that people write.
        for byte in secret {
            if class != Class::Card || byte.is_ascii_digit() {
                hasher.write_u8(*byte);
            }
        }
        format!("«{}·{:04x}»", class.name(), hasher.finish() & 0xffff)
    }
}

#[cfg(test)]
mod tests;
