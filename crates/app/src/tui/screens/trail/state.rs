//! A trail, or the wait for one.

use cribrum_core::{
    EntryId,
    engine::Lens,
    entry::IdKey,
    query::Expr,
    trail::{ClockOff, LaneBy, Link, Neighbour, Trail, Tree, Usual},
    veil::Desk,
};

use crate::tui::shared::Shared;

/// How the entries of the trail are found.
#[derive(Clone, Debug)]
pub(super) enum Followed {
    /// Nothing is known of the id yet.
    Unknown,
    /// By a search for the id's text, since the ids of all entries are not known yet.
    Text { key: IdKey, expr: Expr },
    /// By the index of ids: the id, and its kind.
    Keys(IdKey, &'static str),
}

/// What is known of trails alike.
#[derive(Debug)]
pub(super) enum Compared {
    /// They have not been read yet.
    NotYet,
    /// There are too few.
    Few,
    Known(Box<Usual<Desk>>),
}

/// A trail that is open.
pub(super) struct TrailView {
    pub(super) followed: Followed,
    pub(super) trail: Option<Trail>,
    /// The trail has been asked for.
    pub(super) asked: bool,
    /// How many entries there were when it was asked for.
    pub(super) entries: usize,
    pub(super) usual: Compared,
    /// What stands beside its ids has been asked for.
    pub(super) beside: bool,
    pub(super) links: Vec<Link<Desk>>,
    /// Other writings of the id whose entries are among its steps.
    pub(super) writings: Vec<IdKey>,
    /// Entries that may belong to it, where they are shown.
    pub(super) neighbours: Option<Vec<Neighbour<Desk>>>,
    /// Sources whose clocks seem to be off.
    pub(super) clocks: Vec<ClockOff>,
    pub(super) cursor: usize,
    /// The entry that the cursor begins at.
    pub(super) from: Option<EntryId>,
    /// Its spans, where it has some.
    pub(super) tree: Option<Tree>,
    /// The spans are shown as a tree, in the place of lanes.
    pub(super) as_tree: bool,
    /// What the lanes are told apart by, where a person has chosen.
    pub(super) by: Option<LaneBy>,
}

impl TrailView {
    pub(super) fn new(from: EntryId) -> Self {
        Self {
            followed: Followed::Unknown,
            trail: None,
            asked: false,
            entries: 0,
            usual: Compared::NotYet,
            beside: false,
            links: Vec::new(),
            writings: Vec::new(),
            neighbours: None,
            clocks: Vec::new(),
            cursor: 0,
            from: Some(from),
            tree: None,
            as_tree: false,
            by: None,
        }
    }

    /// The entry of the step under the cursor.
    pub(super) fn entry(&self) -> Option<EntryId> {
        let step = self.trail.as_ref()?.steps.get(self.cursor)?;
        Some(step.entry.id)
    }

    /// The kind of the id that is followed.
    pub(super) fn kind(&self) -> &'static str {
        match (&self.followed, &self.trail) {
            (Followed::Keys(_, kind), _) => kind,
            (_, Some(trail)) => trail.ids.first().map_or("id", |id| id.kind),
            (_, None) => "id",
        }
    }

    /// The id that is followed, once it is known.
    pub(super) fn key(&self) -> Option<IdKey> {
        match (&self.followed, &self.trail) {
            (Followed::Keys(key, _) | Followed::Text { key, .. }, _) => Some(*key),
            (_, Some(trail)) => trail.ids.first().map(|id| id.key),
            (_, None) => None,
        }
    }

    /// The tree, where it is what is shown.
    pub(super) fn shown_tree(&self) -> Option<&Tree> {
        self.tree.as_ref().filter(|_| self.as_tree)
    }

    /// What is usual of the trail.
    pub(super) fn usual(&self) -> Option<&Usual<Desk>> {
        match &self.usual {
            Compared::Known(usual) => Some(usual),
            _ => None,
        }
    }

    /// Whether the search for the id's text is over.
    pub(super) fn is_found(&self, shared: &Shared) -> bool {
        let Followed::Text { expr, .. } = &self.followed else { return false };
        let text = expr.to_string();
        shared.snapshot.loaded()
            && shared.lens(Lens::Trail).is_some_and(|lens| lens.done && lens.text == text)
    }
}
