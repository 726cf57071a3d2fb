//! Who speaks in an entry and what is said, without the rest of it.
//!
//! Counting kinds and loggers asks for nothing else, and asks it of every entry. A layout that can tell it by a look
//! at a few values ([`super::Layout::gist`]) saves reading all of them. Builds with debug assertions hold each gist
//! against reading in full.

use std::borrow::Cow;

use super::Spot;
use crate::entry::{Role, kind, roles};

/// Who speaks in an entry, and what is said.
#[derive(Clone, Debug)]
pub(crate) struct Gist<'r> {
    pub(crate) logger: Option<Cow<'r, str>>,
    pub(crate) says: Says<'r>,
}

/// What is said.
#[derive(Clone, Debug)]
pub(crate) enum Says<'r> {
    /// A message, which is not empty.
    Message(Cow<'r, str>),
    /// The request that a server answered: its method, its target with and without a query, and the status.
    Request { method: Cow<'r, str>, target: Cow<'r, str>, path: Cow<'r, str>, status: u16 },
}

impl<'r> Gist<'r> {
    /// `None` where the message says nothing: what stands below it may do so.
    pub(super) fn of(logger: Option<Cow<'r, str>>, message: Cow<'r, str>) -> Option<Self> {
        let says = Says::Message(message);
        (!says.message().trim_ascii().is_empty()).then_some(Self { logger, says })
    }

    /// Holds a gist against the entry read in full.
    #[cfg(debug_assertions)]
    pub(crate) fn check(gist: Option<&Self>, entry: &crate::entry::Entry<'_>) {
        let Some(gist) = gist else { return };
        let mut says = String::new();
        gist.says.push_kind(&mut says);
        let told = (gist.logger.as_deref(), &*gist.says.message());
        let raw = entry.raw.escape_ascii();
        assert_eq!(told, (entry.logger.as_deref(), &*entry.message), "the gist of {raw}");
        if !says.is_empty() {
            assert_eq!(says, kind::of(entry), "the kind of {raw}");
        }
    }
}

impl Says<'_> {
    /// The message as reading in full has it.
    pub(crate) fn message(&self) -> Cow<'_, str> {
        match self {
            Self::Message(message) => Cow::Borrowed(message),
            Self::Request { method, target, status, .. } => {
                Cow::Owned(format!("{method} {target} {status}"))
            }
        }
    }

    /// Adds what is said without its variable parts to a text; nothing where only the whole entry tells.
    pub(crate) fn push_kind(&self, out: &mut String) {
        match self {
            Self::Message(message) => kind::push_message(message, out),
            Self::Request { method, path, .. } => kind::push_request(method, path, out),
        }
    }
}

/// What the name of a value says of its part in the gist.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Claim {
    #[default]
    Nothing,
    Message,
    Logger,
    /// Where no other has a better claim; the best first.
    WeakMessage(u8),
    WeakLogger(u8),
    /// Only reading in full tells.
    Unclear,
}

impl Claim {
    pub(super) fn of(name: &[u8]) -> Self {
        if kind::keeps_template(name) {
            return Self::Unclear;
        }
        match (roles::role(name), roles::weak_role(name)) {
            (Role::Message, _) => Self::Message,
            (Role::Logger, _) => Self::Logger,
            (Role::Plain, Some((Role::Message, rank))) => Self::WeakMessage(rank),
            (Role::Plain, Some((_, rank))) => Self::WeakLogger(rank),
            (_, Some(_)) => Self::Unclear,
            _ => Self::Nothing,
        }
    }
}

/// Message and logger among values with names, as [`crate::entry::Entry::take`] and
/// [`crate::entry::Entry::settle`] choose them.
#[derive(Default)]
pub(super) struct Gathering<'r> {
    message: Option<Spot<'r>>,
    logger: Option<Spot<'r>>,
    weak_message: Option<(u8, Spot<'r>)>,
    weak_logger: Option<(u8, Spot<'r>)>,
}

impl<'r> Gathering<'r> {
    /// Takes a text in. `None` where its name makes the whole entry unclear.
    pub(super) fn take(&mut self, claim: Claim, spot: Spot<'r>) -> Option<()> {
        let empty = spot.written.is_empty();
        let better = |known: &Option<(u8, Spot<'r>)>, rank: u8| {
            !empty && known.is_none_or(|(known, _)| rank < known)
        };
        match claim {
            Claim::Nothing => {}
            Claim::Message if self.message.is_none() && !empty => self.message = Some(spot),
            Claim::Logger if self.logger.is_none() => self.logger = Some(spot),
            Claim::WeakMessage(rank) if better(&self.weak_message, rank) => {
                self.weak_message = Some((rank, spot));
            }
            Claim::WeakLogger(rank) if better(&self.weak_logger, rank) => {
                self.weak_logger = Some((rank, spot));
            }
            Claim::Unclear => return None,
            _ => {}
        }
        Some(())
    }

    /// Whether both have been told by names that leave no doubt.
    pub(super) fn is_complete(&self) -> bool {
        self.message.is_some() && self.logger.is_some()
    }

    /// What was gathered; `None` where nothing is said. `weak` says whether weaker claims hold.
    pub(super) fn gist(self, weak: bool) -> Option<Gist<'r>> {
        let or = |strong: Option<Spot<'r>>, other: Option<(u8, Spot<'r>)>| {
            strong.or_else(|| other.filter(|_| weak).map(|(_, spot)| spot))
        };
        let logger = or(self.logger, self.weak_logger);
        let message = or(self.message, self.weak_message)?;
        Gist::of(logger.map(|spot| spot.text()), message.text())
    }
}
