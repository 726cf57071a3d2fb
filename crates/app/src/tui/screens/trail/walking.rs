//! From one trail to another: to ids that take in more or less, and along a list.

use std::sync::Arc;

use cribrum_core::{
    engine::{Pass, Snapshot},
    entry::IdKey,
    requests::Requests,
    trail::{Link, width},
    veil::Desk,
};

use super::state::TrailView;
use crate::tui::context::{Choice, Context, List};

/// An id to follow, in a list.
struct Choosable {
    key: IdKey,
    kind: &'static str,
    text: String,
    note: String,
}

impl TrailView {
    /// Follows an id that takes in more: of several kinds that with the least more.
    pub(super) fn widen(&mut self, cx: &mut Context) {
        if !self.beside {
            cx.tell("the ids of all entries are still being read");
            return;
        }
        let (own, steps) =
            (width(self.kind()), self.trail.as_ref().map_or(0, |trail| trail.steps.len()));
        let wide = |link: &&Link<Desk>| width(link.id.kind) > own && link.entries >= steps;
        let Some(wider) = self.links.iter().filter(wide).map(|link| width(link.id.kind)).min()
        else {
            cx.tell("no id beside this one takes in more");
            return;
        };
        let links = self.links.iter().filter(wide).filter(|link| width(link.id.kind) == wider);
        let choices: Vec<Choosable> = links
            .map(|link| {
                let text = format!("{} {}", link.id.kind, link.id.text.for_terminal());
                Choosable {
                    key: link.id.key,
                    kind: link.id.kind,
                    text,
                    note: format!("{} entries", link.entries),
                }
            })
            .collect();
        self.choose(cx, "widen to", choices);
    }

    /// Follows an id of the step under the cursor that takes in less: of several kinds that with the most.
    pub(super) fn narrow(&mut self, cx: &mut Context) {
        let own = width(self.kind());
        let Some(step) = self.trail.as_ref().and_then(|trail| trail.steps.get(self.cursor)) else {
            return;
        };
        let ids = || step.entry.ids.iter().zip(&step.entry.id_keys);
        let less = |kind: &str| width(kind) < own && width(kind) > 0;
        let narrower = ids().map(|((kind, _), _)| *kind).filter(|kind| less(kind)).map(width).max();
        let Some(narrower) = narrower else {
            cx.tell("no id of this step takes in less");
            return;
        };
        let ids = ids().filter(|((kind, _), _)| width(kind) == narrower);
        let choices = ids
            .map(|((kind, text), key)| Choosable {
                key: *key,
                kind,
                text: format!("{kind} {}", text.for_terminal()),
                note: String::new(),
            })
            .collect();
        self.choose(cx, "narrow to", choices);
    }

    fn choose(&mut self, cx: &mut Context, title: &'static str, choices: Vec<Choosable>) {
        if !cx.shared.snapshot.is_identified() {
            cx.tell("the ids of all entries are still being read");
            return;
        }
        if let [only] = choices.as_slice() {
            self.go(cx, only.key, only.kind);
            return;
        }
        let rows = choices.into_iter().map(|choice| {
            let (key, kind) = (choice.key, choice.kind);
            Choice::of(choice.text, move |view: &mut Self, cx| view.go(cx, key, kind))
                .note(choice.note)
        });
        let rows = rows.collect();
        cx.choose(List {
            title,
            word: "follow",
            empty: "nothing to follow",
            rows,
            keys: &[],
            named: None,
        });
    }

    /// Follows another id, with the cursor on the same entry where that has it.
    fn go(&mut self, cx: &mut Context, key: IdKey, kind: &'static str) {
        self.from = self.entry();
        self.trail = None;
        self.follow(cx, key, kind);
    }

    /// Goes to the next trail of the list, or to the one before.
    pub(super) fn walk(&mut self, cx: &mut Context, by: isize) {
        let listed = Arc::clone(&cx.shared.listed);
        let own = self.key();
        match listed.iter().position(|key| Some(*key) == own) {
            Some(at) => match at.checked_add_signed(by).and_then(|at| listed.get(at)) {
                Some(key) => {
                    let kind = self.kind();
                    (self.trail, self.from) = (None, None);
                    self.follow(cx, *key, kind);
                }
                None => cx.tell("this is the last trail of the list"),
            },
            None if self.trail.is_none() => {}
            None => self.list(cx, by),
        }
    }

    /// Lists the requests of the kind in the order of time, to walk along them.
    fn list(&mut self, cx: &mut Context, by: isize) {
        if !cx.shared.snapshot.is_identified() {
            cx.tell("the ids of all entries are still being read");
            return;
        }
        let (kind, own) = (self.kind(), self.key());
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            let requests = Requests::find(snapshot, kind, pass)?;
            let own = requests.rows.iter().filter(|row| row.in_pan > 0 || Some(row.key) == own);
            Some(own.map(|row| row.key).collect::<Arc<[IdKey]>>())
        };
        cx.look("list", true, find, move |view: &mut Self, cx, listed| {
            let own = view.key();
            let known = listed.iter().any(|key| Some(*key) == own);
            cx.shared.listed = listed;
            if known {
                view.walk(cx, by);
            }
        });
    }
}
