//! The trail as a screen.

use std::sync::Arc;

use cribrum_core::{
    engine::{Id, Lens, Pass, Snapshot},
    entry::{Correction, IdKey},
    query::Expr,
    requests::Requests,
    source::Origin,
    trail::{self, LaneBy, Shortened, Trail, Tree, Usual, width},
    veil::{Audience, Desk},
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    state::{Compared, Followed, TrailView},
    view,
};
use crate::present::counted;
use crate::results::{EntryColumn, EntryExtract, Extract, WhichEntries};
use crate::tui::{
    context::{Context, Request, Step, Target},
    effect::Effect,
    keys::{ENTER, Key},
    screen::{
        Action, Binding,
        Group::{Closer, Saving},
        Opened, Opening, Screen, actions_of,
    },
    shared::{Here, Shared, gone},
};

pub(crate) const OPENING: Opening = Opening {
    name: TrailView::NAME,
    about: TrailView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('t')],
        "t",
        "trail: one request through all sources",
        Some("trail"),
    )),
    open,
    actions: actions_of::<TrailView>,
    anywhere: false,
};

/// Opens the trail of the id of the entry under the cursor, or of the id itself.
fn open(cx: &mut Context) -> Opened {
    let here = cx.shared.here.clone();
    let Some(from) = here.entry else {
        cx.tell("there is no entry here to follow");
        return None;
    };
    if cx.shared.selected(from).is_some_and(|shown| shown.ids.is_empty()) {
        cx.tell("this entry has no id to follow");
        return None;
    }
    let mut view = TrailView::new(from);
    match here.id {
        Some(key) if cx.shared.snapshot.is_identified() => {
            view.follow(cx, key, here.id_kind.unwrap_or("id"));
        }
        _ => cx.look(
            "id",
            true,
            move |snapshot, _| Some(chosen(snapshot, &here).map_err(|error| gone(&error))),
            TrailView::found,
        ),
    }
    Some(Box::new(view))
}

/// The id to follow, and the condition that finds it by its text.
fn chosen(snapshot: &Snapshot, here: &Here) -> std::io::Result<Option<(Id<Desk>, Expr)>> {
    let Some(from) = here.entry else { return Ok(None) };
    let ids = snapshot.ids_of::<Desk>(from)?;
    let id = ids.into_iter().find(|id| match here.id {
        Some(key) => id.key == key,
        None => here.id_kind.is_none_or(|kind| kind == id.kind),
    });
    Ok(id.map(|id| {
        let expr = Expr::Id(id.text.as_str().to_owned());
        (id, expr)
    }))
}

static KEYS: &[Binding<TrailView>] = &[
    Binding::new(
        Closer,
        &[ENTER],
        "⏎",
        "open the step on the desk",
        |view: &mut TrailView, cx| {
            if let Some(id) = view.entry() {
                cx.request(Request::GoTo(Target::Entry(id)));
            }
        },
    )
    .footer("desk"),
    Binding::new(
        Closer,
        &[Key::Char('(')],
        "(",
        "widen: to the session or user of a request",
        TrailView::widen,
    )
    .footer("widen"),
    Binding::new(
        Closer,
        &[Key::Char(')')],
        ")",
        "narrow: to one request, or one span",
        TrailView::narrow,
    )
    .footer("narrow"),
    Binding::new(
        Closer,
        &[Key::Char(']')],
        "]",
        "the next trail of the list",
        |view: &mut TrailView, cx| {
            view.walk(cx, 1);
        },
    )
    .footer("next"),
    Binding::new(Closer, &[Key::Char('[')], "[", "the trail before", |view: &mut TrailView, cx| {
        view.walk(cx, -1);
    }),
    Binding::new(
        Closer,
        &[Key::Char('l')],
        "l",
        "lanes by service, source, container or host",
        TrailView::turn_lanes,
    )
    .footer("lanes"),
    Binding::new(
        Closer,
        &[Key::Char('v')],
        "v",
        "its spans as a tree with their own times, or lanes again",
        TrailView::turn_tree,
    )
    .footer("spans"),
    Binding::new(
        Closer,
        &[Key::Char('n')],
        "n",
        "what stands between its steps without an id, or not",
        TrailView::turn_neighbours,
    ),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "set the clock right that seems to be off",
        TrailView::set_clocks,
    ),
    Binding::new(
        Saving,
        &[Key::Char('d')],
        "d",
        "draw the trail: save it as SVG or PDF",
        TrailView::ask_path,
    )
    .footer("save SVG or PDF"),
    Binding::new(
        Saving,
        &[Key::Char('y')],
        "y",
        "copy the step, secrets hidden",
        |view: &mut TrailView, cx| {
            if let Some(id) = view.entry() {
                cx.copy_entry(id);
            }
        },
    )
    .footer("copy"),
];

/// What is usual of trails that begin as one does; nothing in it where they are too few.
pub(super) fn usual<A: Audience>(
    snapshot: &Snapshot,
    trail: &Trail<A>,
    kind: &str,
    pass: &Pass,
) -> Option<Option<Usual<A>>> {
    let requests = Requests::find(snapshot, kind, pass)?;
    let (alike, looked) = trail::alike(snapshot, trail, &requests, pass)?;
    Some(Usual::of(trail, &alike, looked))
}

impl Screen for TrailView {
    type Region = ();
    const NAME: &'static str = "trail";
    const ABOUT: &'static str = "all entries of one id, as steps in time across sources";
    const EXTRACTS: bool = true;

    fn keys() -> &'static [Binding<Self>] {
        KEYS
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, _: Rect, cx: &mut Context) {
        self.look(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        // Entries that arrive may belong to it.
        let snapshot = &cx.shared.snapshot;
        if snapshot.order.len() != self.entries && self.trail.is_some() && snapshot.is_identified()
        {
            self.asked = false;
        }
        self.look(cx);
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        if let Some(tree) = self.shown_tree() {
            let at = tree.nodes.iter().position(|node| node.step == self.cursor);
            let to = step.from(at.unwrap_or(0), tree.nodes.len(), 20);
            self.cursor = tree.nodes.get(to).map_or(0, |node| node.step);
            return;
        }
        let len = self.trail.as_ref().map_or(0, |trail| trail.steps.len());
        self.cursor = step.from(self.cursor, len, 20);
    }

    fn extract(&self, _: &Shared) -> Option<Arc<dyn Extract>> {
        let ids = self.trail.as_ref()?.steps.iter().map(|step| step.entry.id).collect();
        let columns = EntryColumn::usual().into();
        let entries = WhichEntries::Ids(ids);
        Some(Arc::new(EntryExtract { name: "trail", entries, columns }))
    }

    fn here(&self, _: &Shared) -> Here {
        Here { entry: self.entry(), ..Here::default() }
    }

    fn corner(&self, _: &Shared) -> String {
        let told = |trail: &Trail| format!("step {} of {}", self.cursor + 1, trail.steps.len());
        self.trail.as_ref().map_or_else(String::new, told)
    }

    fn read_again(&mut self) {
        // Entries have other numbers and times now; the id is the same.
        if let Some(key) = self.key() {
            self.followed = Followed::Keys(key, self.kind());
        }
        (self.asked, self.beside) = (false, false);
        (self.trail, self.tree, self.from) = (None, None, None);
        self.usual = Compared::NotYet;
        self.links.clear();
        self.clocks.clear();
    }

    fn closed(&mut self, cx: &mut Context) {
        cx.set_lens(Lens::Trail, None);
    }
}

impl TrailView {
    /// The id to follow is known.
    fn found(&mut self, cx: &mut Context, found: Result<Option<(Id<Desk>, Expr)>, String>) {
        match found {
            Ok(Some((id, _))) if cx.shared.snapshot.is_identified() => {
                self.follow(cx, id.key, id.kind);
            }
            Ok(Some((id, expr))) => {
                cx.set_lens(Lens::Trail, Some(expr.clone()));
                self.followed = Followed::Text { key: id.key, expr };
            }
            Ok(None) => {
                cx.tell("this entry has no id to follow");
                cx.request(Request::Close);
            }
            Err(error) => {
                cx.shared.warn(error);
                cx.request(Request::Close);
            }
        }
    }

    /// Follows an id, and those that it takes in, by the index of ids.
    pub(super) fn follow(&mut self, cx: &mut Context, key: IdKey, kind: &'static str) {
        self.followed = Followed::Keys(key, kind);
        self.usual = Compared::NotYet;
        self.links.clear();
        self.writings.clear();
        self.neighbours = None;
        (self.asked, self.beside) = (false, false);
        self.look(cx);
    }

    /// Asks for what is missing and can be had now.
    fn look(&mut self, cx: &mut Context) {
        if !self.asked {
            match &self.followed {
                Followed::Keys(key, kind) => {
                    let (key, kind, writings) = (*key, *kind, self.writings.clone());
                    self.build(cx, move |snapshot, pass| {
                        let keys = trail::within(snapshot, key, kind);
                        Trail::follow_with(snapshot, &keys, &writings, pass)
                    });
                }
                Followed::Text { key, .. } if self.is_found(&cx.shared) => {
                    let key = *key;
                    self.build(cx, move |snapshot, pass| {
                        Trail::build(snapshot, snapshot.lens(Lens::Trail)?, &[key], pass)
                    });
                }
                _ => {}
            }
        }
        if !self.beside && self.trail.is_some() && cx.shared.snapshot.is_identified() {
            self.beside = true;
            let (key, kind) = (self.key(), self.kind());
            cx.look(
                "links",
                true,
                move |snapshot, _| {
                    Some(trail::links::<Desk>(snapshot, &trail::within(snapshot, key?, kind)))
                },
                |view: &mut Self, _, links| view.links = links,
            );
            cx.look(
                "writings",
                true,
                move |snapshot, pass| trail::shortened::<Desk>(snapshot, key?, kind, pass),
                |view: &mut Self, cx, found| view.join_writings(cx, &found),
            );
            cx.look(
                "clocks",
                true,
                move |snapshot, pass| {
                    let requests = Requests::find(snapshot, kind, pass)?;
                    trail::clocks_off(snapshot, &requests, pass)
                },
                |view: &mut Self, _, clocks| view.clocks = clocks,
            );
            self.compare(cx);
        }
    }

    fn build(
        &mut self,
        cx: &mut Context,
        build: impl FnOnce(&Snapshot, &Pass) -> Option<Trail> + Send + 'static,
    ) {
        self.asked = true;
        self.entries = cx.shared.snapshot.order.len();
        let by = self.by;
        let build = move |snapshot: &Snapshot, pass: &Pass| {
            let mut trail = build(snapshot, pass)?;
            if let Some(by) = by {
                trail.arrange(snapshot, by);
            }
            Some(trail)
        };
        cx.look("trail", true, build, |view: &mut Self, cx, trail| {
            let from = view.entry().or(view.from);
            let place = trail.steps.iter().position(|step| Some(step.entry.id) == from);
            view.cursor = place.unwrap_or(0);
            view.from = None;
            // What is usual of its steps is told by their places.
            let same =
                view.trail.as_ref().is_some_and(|before| before.steps.len() == trail.steps.len());
            if !same {
                view.usual = Compared::NotYet;
                view.beside = false;
            }
            // What stands between them is looked for again where it is wanted.
            let beside = view.neighbours.take().is_some();
            view.tree = Tree::of(&trail);
            view.as_tree &= view.tree.is_some();
            view.trail = Some(trail);
            if beside {
                view.turn_neighbours(cx);
            }
            view.look(cx);
        });
    }

    /// Compares the trail with those that begin as it does.
    fn compare(&mut self, cx: &mut Context) {
        let Some(trail) = self.trail.clone() else { return };
        let kind = self.kind();
        // What takes in several requests has no usual steps.
        if width(kind) >= 4 {
            self.usual = Compared::Few;
            return;
        }
        let compare = move |snapshot: &Snapshot, pass: &Pass| usual(snapshot, &trail, kind, pass);
        cx.look("usual", true, compare, |view: &mut Self, _, usual| {
            view.usual = match usual {
                Some(usual) => Compared::Known(Box::new(usual)),
                None => Compared::Few,
            };
        });
    }

    /// Takes in the entries that have only a part of the id, where no other id has the same.
    fn join_writings(&mut self, cx: &mut Context, found: &[Shortened<Desk>]) {
        if let Some(several) = found.iter().find(|part| part.others > 0) {
            cx.tell(format!(
                "{} with {}, which may be this id or {}, are left out",
                counted(several.entries, "entry"),
                several.id.text.for_terminal(),
                counted(several.others, "other"),
            ));
        }
        let alone = found.iter().filter(|part| part.others == 0);
        let keys: Vec<IdKey> = alone.clone().map(|part| part.id.key).collect();
        if keys == self.writings || !matches!(self.followed, Followed::Keys(..)) {
            return;
        }
        if let Some(part) = alone.clone().next() {
            let entries = alone.map(|part| part.entries).sum();
            let text = part.id.text.for_terminal();
            cx.tell(format!("{} with {text}, a part of this id", counted(entries, "more entry")));
        }
        self.writings = keys;
        self.asked = false;
        self.look(cx);
    }

    /// Shows what stands between the steps of a thread and has no id, or hides it again.
    fn turn_neighbours(&mut self, cx: &mut Context) {
        if self.neighbours.take().is_some() {
            return;
        }
        let Some(trail) = self.trail.clone() else { return };
        cx.look(
            "neighbours",
            true,
            move |snapshot, pass| trail::neighbours(snapshot, &trail, pass),
            |view: &mut Self, cx, found| {
                if found.is_empty() {
                    cx.tell("nothing without an id stands between two steps of the same thread, connection or process");
                }
                view.neighbours = Some(found);
            },
        );
    }

    /// Sets the clocks right that seem to be off, and reads everything again.
    fn set_clocks(&mut self, cx: &mut Context) {
        let snapshot = std::sync::Arc::clone(&cx.shared.snapshot);
        if self.clocks.is_empty() {
            cx.tell("no clock seems to be off");
            return;
        }
        if snapshot.sources.iter().any(|source| matches!(source.origin, Origin::Stdin)) {
            cx.tell("what comes through a pipe can't be read again; --clock sets it on the command line");
            return;
        }
        for off in std::mem::take(&mut self.clocks) {
            let known = snapshot.status[off.source].clock.clone();
            let clock = Correction { shift: known.shift + off.shift, ..known };
            let label = snapshot.sources[off.source].label.clone();
            cx.tell(format!("{label}: clock {clock} · i: the intake changes it back"));
            cx.emit(Effect::Clock(label, clock));
        }
    }

    /// Shows the spans as a tree, or the lanes again.
    fn turn_tree(&mut self, cx: &mut Context) {
        let Some(tree) = &self.tree else {
            cx.tell("no two steps of this trail are spans");
            return;
        };
        self.as_tree = !self.as_tree;
        if self.as_tree && !tree.nodes.iter().any(|node| node.step == self.cursor) {
            self.cursor = tree.nodes.first().map_or(0, |node| node.step);
        }
    }

    /// Puts the steps into lanes by something else.
    fn turn_lanes(&mut self, cx: &mut Context) {
        let Some(trail) = &mut self.trail else { return };
        let at = LaneBy::ALL.iter().position(|by| *by == trail.by).unwrap_or(0);
        let next = LaneBy::ALL[(at + 1) % LaneBy::ALL.len()];
        trail.arrange(&cx.shared.snapshot, next);
        self.by = Some(next);
        // How much longer was waited in each lane is told by their numbers.
        self.usual = Compared::NotYet;
        let text = format!("lanes by {}", next.name());
        cx.tell(text);
        if self.beside {
            self.compare(cx);
        }
    }
}
