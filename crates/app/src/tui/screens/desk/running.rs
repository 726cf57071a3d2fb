//! Going along what entries mean beside others: from run to run, from a request to its response.

use cribrum_core::sieve::Sieve;

use super::state::Desk;
use crate::tui::context::Context;

impl Desk {
    /// Holds back all but the latest run of each program, or lets the others through again.
    pub(super) fn toggle_runs(&mut self, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let on = snapshot.sieve.asks_for_runs();
        if !on && snapshot.runs().iter().all(|run| run.number == 1) {
            cx.tell(match snapshot.is_related() {
                true => "no program is seen to start a second time",
                false => "where programs start is still being looked for",
            });
            return;
        }
        cx.alter(Sieve::toggle_runs);
    }

    /// Puts the cursor on the response to the request under it, or on the request.
    pub(super) fn go_to_other_half(&mut self, cx: &mut Context) {
        let Some(id) = self.entry(&cx.shared) else { return };
        if let Some(other) = cx.shared.snapshot.other_half(id) {
            return self.go_to_entry(other, cx);
        }
        // Another program may tell of the same request.
        cx.look(
            "other side",
            true,
            move |snapshot, _| Some(snapshot.other_side(id)),
            |desk: &mut Self, cx, other| match other {
                Some(other) => desk.go_to_entry(other, cx),
                None if !cx.shared.snapshot.is_related() => {
                    cx.tell("requests and responses are still being joined");
                }
                None => cx.tell(
                    "this entry is no half of an exchange, and no other source tells of the same request",
                ),
            },
        );
    }

    /// Puts the cursor on the first entry of the next run, or of the one before.
    pub(super) fn go_to_run(&mut self, forwards: bool, cx: &mut Context) {
        let snapshot = &cx.shared.snapshot;
        let Some(here) = self.entry(&cx.shared).map(|id| snapshot.row_of(id)) else { return };
        let rows = snapshot.runs().iter().filter(|run| run.seen);
        let rows = rows.map(|run| (snapshot.row_of(run.first), run));
        let next = match forwards {
            true => rows.filter(|(row, _)| *row > here).min_by_key(|(row, _)| *row),
            false => rows.filter(|(row, _)| *row < here).max_by_key(|(row, _)| *row),
        };
        let Some((_, run)) = next else {
            cx.tell(match forwards {
                true => "no program starts after this entry",
                false => "no program starts before this entry",
            });
            return;
        };
        let text = format!("{}: run {}", snapshot.sources[run.source].label, run.number);
        let first = run.first;
        self.go_to_entry(first, cx);
        cx.tell(text);
    }
}
