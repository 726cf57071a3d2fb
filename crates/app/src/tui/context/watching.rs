//! Watches: conditions that are waited for, with a count of what has passed since.

use cribrum_core::{
    EntryId,
    query::Expr,
    sieve::{Mesh, Sieve},
};

use super::{Choice, Context, Input, List, ListKey, Question, Request, Target};
use crate::{
    settings::Watching,
    tui::{
        effect::Effect,
        keys::{DROP, Key},
        shared::Watch,
    },
};

const KEYS: &[ListKey] = &[
    ListKey {
        keys: DROP,
        shown: "-",
        word: "end it",
        run: |cx, at| {
            if at < cx.shared.watches.len() {
                cx.shared.watches.remove(at);
            }
            cx.open_watches();
        },
    },
    ListKey {
        keys: &[Key::Char('n')],
        shown: "n",
        word: "watch for more",
        run: |cx, _| cx.ask_watch(),
    },
];

impl Context {
    fn ask_watch(&mut self) {
        let hint = "level >= error   status >= 500   path ~ \"^/crossings\"   \"seat hold\"";
        let question = Question::common("watch", hint, Input::Condition, |cx, text| {
            let expr = cx.condition(text)?;
            cx.watch(expr);
            Ok(())
        });
        self.ask(question, "");
    }

    /// Begins to watch for entries that arrive from now on.
    fn watch(&mut self, expr: Expr) {
        let text = self.shared.own_text(&expr.to_string());
        let mut sieve = Sieve { meshes: vec![Mesh::of(expr)] };
        sieve.sweep(self.shared.snapshot.arrival(now()));
        self.tell(format!("watching for {text}; W lists what has come"));
        self.shared.watches.push(Watch { text, sieve, hits: 0, seen: 0 });
        self.count_beside();
    }

    /// The sieves of a list that is opened, or none when it is closed.
    pub(crate) fn list_sieves(&mut self, sieves: Vec<Sieve>) {
        if sieves != self.listed {
            self.listed = sieves;
            self.count_beside();
        }
    }

    /// Asks for the counts of the sieves beside the pan: those of the watches and of the
    /// strip, then those of the list that is open.
    pub(super) fn count_beside(&mut self) {
        let watched = self.shared.watches.iter().map(|watch| watch.sieve.clone());
        let pinned = self.shared.strip.iter().flatten().map(|pinned| pinned.sieve.clone());
        let mut sieves: Vec<Sieve> = watched.chain(pinned).collect();
        sieves.extend(self.listed.iter().cloned());
        self.emit(Effect::Beside(sieves));
    }

    /// Takes in what the watches have seen. A new hit rings once.
    pub(super) fn look_at_watches(&mut self) {
        let mut rang = false;
        for watch in &mut self.shared.watches {
            let view = self.shared.snapshot.beside.iter().find(|view| view.sieve == watch.sieve);
            if let Some(view) = view {
                rang |= view.left > watch.hits;
                watch.hits = view.left;
            }
        }
        if rang && self.watch_tells().bell {
            self.emit(Effect::Bell);
        }
        if rang {
            self.show_title();
        }
    }

    /// How watches tell of what they have seen.
    fn watch_tells(&self) -> Watching {
        self.shared.settings.watch.unwrap_or_default()
    }

    /// Sets the title of the terminal, with the number of entries not looked at yet.
    fn show_title(&mut self) {
        if !self.watch_tells().title {
            return;
        }
        let title = &self.shared.title;
        let title = match self.shared.unseen() {
            0 => format!("cribrum {title}"),
            unseen => format!("({unseen}) cribrum {title}"),
        };
        self.emit(Effect::Title(title));
    }

    /// Lists the watches, or asks for the first.
    pub(crate) fn open_watches(&mut self) {
        let rows = self.shared.watches.iter().enumerate().map(|(at, watch)| {
            let views = &self.shared.snapshot.beside;
            let view = views.iter().find(|view| view.sieve == watch.sieve);
            let last = view.and_then(|view| view.last);
            let note = match watch.hits - watch.seen.min(watch.hits) {
                0 => String::new(),
                new => format!("{new} new"),
            };
            Choice::common(&watch.text, move |cx| cx.go_to_watched(at, last))
                .note(note)
                .counting(watch.sieve.clone())
        });
        let rows: Vec<Choice> = rows.collect();
        if rows.is_empty() {
            return self.ask_watch();
        }
        self.choose(List {
            title: "watches",
            word: "go to its last entry",
            empty: "nothing is watched for; n begins",
            rows,
            keys: KEYS,
            named: None,
        });
    }

    /// Puts the cursor on the last entry that a watch has seen.
    fn go_to_watched(&mut self, at: usize, last: Option<EntryId>) {
        if let Some(watch) = self.shared.watches.get_mut(at) {
            watch.seen = watch.hits;
        }
        match last {
            Some(id) => self.request(Request::GoTo(Target::Entry(id))),
            None => self.tell("nothing has come yet"),
        }
        self.show_title();
    }
}

/// Now, in nanoseconds UTC.
pub(crate) fn now() -> i64 {
    i64::try_from(jiff::Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX)
}
