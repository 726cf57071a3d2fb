//! The condition that the entries of a group pass, and no others.

use super::{By, Group, Key, Shape, Tally};
use crate::{
    engine::Snapshot,
    query::{Expr, Path, Pattern},
    veil::Audience,
};

impl<A: Audience> Tally<A> {
    /// The condition that a group's entries pass. `None` where none tells them from all others.
    #[must_use]
    pub fn condition(&self, group: &Group<A>, snapshot: &Snapshot) -> Option<Expr> {
        let both = self.question.by.iter().zip(&group.keys);
        let mut parts = both.map(|(by, key)| condition(by, key, snapshot));
        let first = parts.next()??;
        parts.try_fold(first, |all, part| Some(all.and(part?)))
    }
}

fn path_of(by: &By) -> Path {
    match by {
        By::Level => Path::Level,
        By::Logger => Path::Logger,
        By::Source => Path::Source,
        By::Layout => Path::Layout,
        By::Kind => Path::Kind,
        By::Run => Path::Run,
        By::Slice(_) => Path::Time,
        By::Field { path, shape: Shape::Whole } => Path::field(path),
        By::Field { path, shape } => Path::Shaped { path: path.clone(), shape: *shape },
    }
}

/// The condition that entries pass that have something in common.
pub(crate) fn condition<A: Audience>(by: &By, key: &Key<A>, snapshot: &Snapshot) -> Option<Expr> {
    let path = path_of(by);
    let matches = |pattern: &str| Some(Expr::Matches(path.clone(), Pattern::new(pattern)?));
    let text = match (by, key) {
        (By::Field { path, .. }, Key::None) => {
            return Some(Expr::Has(Path::field(path)).negated());
        }
        (_, Key::None) => return Some(Expr::Has(path).negated()),
        (_, Key::Level(level)) => return Some(Expr::equals(path, level.name())),
        (_, Key::Source(number)) => {
            return Some(Expr::equals(path, &snapshot.sources.get(*number)?.name));
        }
        (_, Key::Layout(name)) => return Some(Expr::equals(path, name)),
        (By::Slice(length), Key::Time(from)) => {
            return Some(Expr::within(*from, from.saturating_add(length - 1)));
        }
        (_, Key::Time(_)) => return None,
        (_, Key::Cut(text)) => {
            let front = text.as_str().trim_end_matches('…');
            return matches(&format!("^{}", regex::escape(front)));
        }
        (_, Key::Text(text)) => text.as_str(),
    };
    Some(Expr::equals(path, text))
}
