//! One entry without the veil, for a few seconds, where the program was started for it.

use std::time::{Duration, Instant};

use super::{bare::Bare, state::Desk};
use crate::tui::{
    context::Context,
    shared::{Shared, gone},
};

/// How long an entry is shown.
const TIME: Duration = Duration::from_secs(if cfg!(test) { 1 } else { 10 });
/// How often it is looked whether it has been long enough.
const LOOK: Duration = Duration::from_millis(50);

impl Desk {
    /// Shows the entry under the cursor as it is written, for ten seconds.
    pub(super) fn reveal(&mut self, cx: &mut Context) {
        if !cx.shared.snapshot.may_reveal() {
            return cx.tell("nothing is shown without the veil unless started with --allow-reveal");
        }
        let Some(id) = self.entry(&cx.shared) else { return };
        cx.look(
            "reveal",
            true,
            move |snapshot, _| Some(snapshot.reveal(id)),
            move |desk: &mut Self, cx, read| match read {
                Ok(Some(text)) => {
                    desk.bare = Some(Bare { id, text });
                    conceal(cx);
                }
                Ok(None) => {}
                Err(error) => cx.shared.warn(gone(&error)),
            },
        );
    }

    /// Takes the entry away that is shown without the veil, if there is one.
    pub(super) fn conceal(&mut self) -> bool {
        self.bare.take().is_some()
    }

    /// The entry without the veil, if it is the one under the cursor.
    pub(super) fn bare(&self, shared: &Shared) -> Option<&Bare> {
        self.bare.as_ref().filter(|bare| self.entry(shared) == Some(bare.id))
    }
}

/// Takes it away when its time is over.
fn conceal(cx: &mut Context) {
    let end = Instant::now() + TIME;
    cx.look(
        "conceal",
        true,
        move |_, pass| {
            while Instant::now() < end && !pass.is_cancelled() {
                std::thread::sleep(LOOK);
            }
            (!pass.is_cancelled()).then_some(())
        },
        |desk: &mut Desk, _, ()| {
            desk.conceal();
        },
    );
}
