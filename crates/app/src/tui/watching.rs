//! Watches on the desk: conditions that are waited for, with a count of what has passed since.

use cribrum_core::{
    EntryId,
    query::Expr,
    sieve::{Mesh, Sieve},
};

use super::{
    picker::{Kind, Pick, Row},
    state::{App, Effect},
};

/// Something that is waited for.
pub(crate) struct Watch {
    /// The condition, as it may be shown.
    pub(crate) text: String,
    /// What had arrived when it began is held back, then the condition.
    pub(crate) sieve: Sieve,
    /// Entries that have passed.
    pub(crate) hits: usize,
    /// Those of them that somebody has looked at.
    pub(crate) seen: usize,
}

impl App {
    /// Begins to watch for entries that arrive from now on.
    pub(super) fn watch(&mut self, expr: Expr) -> Vec<Effect> {
        let text = self.snapshot.own_text(&expr.to_string()).for_terminal().into_owned();
        let mut sieve = Sieve { meshes: vec![Mesh::of(expr)] };
        sieve.sweep(self.snapshot.arrival(now()));
        self.tell(format!("watching for {text}; W lists what has come"));
        self.watches.push(Watch { text, sieve, hits: 0, seen: 0 });
        vec![self.count_beside()]
    }

    /// The sieves to count beside the pan: those of the watches, then those of the list that is open.
    pub(super) fn count_beside(&self) -> Effect {
        let listed = self.picker.iter().flat_map(|picker| &picker.rows);
        let listed = listed.filter_map(|row| row.sieve.clone());
        let watched = self.watches.iter().map(|watch| watch.sieve.clone());
        Effect::Beside(watched.chain(listed).collect())
    }

    /// Takes in what the watches have seen. A new hit rings once.
    pub(super) fn look_at_watches(&mut self) -> Vec<Effect> {
        let mut rang = false;
        for watch in &mut self.watches {
            let view = self.snapshot.beside.iter().find(|view| view.sieve == watch.sieve);
            if let Some(view) = view {
                rang |= view.left > watch.hits;
                watch.hits = view.left;
            }
        }
        let mut effects = Vec::new();
        if rang && self.watch_tells().bell {
            effects.push(Effect::Bell);
        }
        if rang {
            effects.extend(self.title_now());
        }
        effects
    }

    /// How watches tell of what they have seen.
    fn watch_tells(&self) -> crate::config::Watching {
        self.settings.watch.unwrap_or_default()
    }

    /// The title of the terminal, with what nobody has looked at yet.
    fn title_now(&self) -> Option<Effect> {
        let unseen = self.unseen();
        let title = match unseen {
            0 => format!("cribrum {}", self.title),
            _ => format!("({unseen}) cribrum {}", self.title),
        };
        self.watch_tells().title.then_some(Effect::Title(title))
    }

    /// Entries that passed a watch and that nobody has looked at.
    pub(crate) fn unseen(&self) -> usize {
        self.watches.iter().map(|watch| watch.hits - watch.seen.min(watch.hits)).sum()
    }

    pub(super) fn open_watches(&mut self) -> Vec<Effect> {
        let rows = self.watches.iter().enumerate().map(|(at, watch)| {
            let view = self.snapshot.beside.iter().find(|view| view.sieve == watch.sieve);
            Row {
                key: None,
                text: watch.text.clone(),
                note: match watch.hits - watch.seen.min(watch.hits) {
                    0 => String::new(),
                    new => format!("{new} new"),
                },
                sieve: Some(watch.sieve.clone()),
                pick: Pick::Watch(at, view.and_then(|view| view.last)),
            }
        });
        let rows: Vec<Row> = rows.collect();
        if rows.is_empty() {
            return self.ask(super::prompt::Purpose::Watch, "");
        }
        self.open_picker(Kind::Watches, rows)
    }

    /// Puts the cursor on the last entry that a watch has seen.
    pub(super) fn go_to_watched(&mut self, at: usize, last: Option<EntryId>) -> Vec<Effect> {
        if let Some(watch) = self.watches.get_mut(at) {
            watch.seen = watch.hits;
        }
        let Some(id) = last else {
            self.tell("nothing has come yet");
            return Vec::new();
        };
        self.go_to(id);
        self.title_now().into_iter().collect()
    }
}

/// Now, in nanoseconds UTC.
pub(super) fn now() -> i64 {
    i64::try_from(jiff::Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX)
}
