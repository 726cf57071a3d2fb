//! Which kinds are shown: all, new ones, those that are gone, rare ones.

use cribrum_core::kinds::Only;

use super::state::KindsView;
use crate::tui::{
    context::{Choice, Context, List},
    table::Table,
};

/// Entries of a kind that is called rare.
const RARE: u64 = 3;

impl KindsView {
    /// Lists what may be shown.
    pub(super) fn choose_only(&mut self, cx: &mut Context) {
        let shared = &cx.shared;
        let mut moments: Vec<(String, i64)> = shared
            .marks
            .iter()
            .map(|mark| (format!("mark {}", shared.own_text(&mark.name)), mark.time))
            .collect();
        let runs = shared.snapshot.runs();
        if let Some(start) = runs.iter().filter(|run| run.seen).map(|run| run.start).max() {
            moments.push(("the last start of a program".into(), start));
        }
        if let Some(middle) = self.table.found().and_then(|kinds| kinds.span) {
            // Where there is nothing to refer to, the last quarter is what is recent.
            let (first, last) = middle;
            moments.push(("the last quarter of the time".into(), last - (last - first) / 4));
        }
        let mut rows = vec![choice(Only::All, "", "all kinds", "")];
        for (name, time) in &moments {
            let note = shared.moment(*time);
            let words = format!("new since {name}");
            rows.push(choice(Only::NewSince(*time), &words, &words, &note));
        }
        let rare = "rare, the rarest first";
        rows.push(choice(Only::Rare(RARE), "rare", rare, &format!("at most {RARE} entries")));
        for (name, time) in &moments {
            let note = shared.moment(*time);
            let words = format!("gone since {name}");
            rows.push(choice(Only::GoneSince(*time), &words, &words, &note));
        }
        cx.choose(List {
            title: "kinds to show",
            word: "show",
            empty: "there is nothing to choose",
            rows,
            keys: &[],
            named: None,
        });
    }
}

/// A choice: which kinds are listed, how that is said in the heading, and in the list of choices.
fn choice(only: Only, said: &str, words: &str, note: &str) -> Choice {
    let said = said.to_owned();
    let choice = Choice::of(words, move |view: &mut KindsView, cx| {
        view.shown.clone_from(&said);
        view.table.listing.only = only;
        let (by, descending) = view.table.listing.order;
        view.order_by((by, descending && !matches!(only, Only::Rare(_))), cx);
    });
    if note.is_empty() { choice } else { choice.note(note) }
}
