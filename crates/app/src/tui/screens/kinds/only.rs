//! Which kinds are shown: all, new ones, those that are gone, rare ones.

use cribrum_core::kinds::Only;

use super::state::{KindsView, Shown};
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
        if let Some(middle) = self.listed.as_ref().and_then(|listed| listed.kinds.span) {
            // Where there is nothing to refer to, the last quarter is what is recent.
            let (first, last) = middle;
            moments.push(("the last quarter of the time".into(), last - (last - first) / 4));
        }
        let mut rows = vec![choice(Shown::default(), "all kinds", "")];
        for (name, time) in &moments {
            let note = shared.moment(*time);
            let words = format!("new since {name}");
            rows.push(choice(
                Shown { only: Only::NewSince(*time), words: words.clone() },
                &words,
                &note,
            ));
        }
        let rare = "rare, the rarest first";
        rows.push(choice(
            Shown { only: Only::Rare(RARE), words: "rare".into() },
            rare,
            &format!("at most {RARE} entries"),
        ));
        for (name, time) in &moments {
            let note = shared.moment(*time);
            let words = format!("gone since {name}");
            rows.push(choice(
                Shown { only: Only::GoneSince(*time), words: words.clone() },
                &words,
                &note,
            ));
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

fn choice(shown: Shown, words: &str, note: &str) -> Choice {
    let choice = Choice::of(words, move |view: &mut KindsView, cx| {
        let (by, descending) = view.table.order;
        view.shown = shown.clone();
        view.order_by((by, descending && !matches!(shown.only, Only::Rare(_))), cx);
    });
    if note.is_empty() { choice } else { choice.note(note) }
}
