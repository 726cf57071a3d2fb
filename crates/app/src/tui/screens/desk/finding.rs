//! Finding words without holding anything back.

use cribrum_core::engine::Lens;

use super::state::Desk;
use crate::tui::context::{Context, Input, Question, words};

impl Desk {
    pub(super) fn ask_words(&mut self, cx: &mut Context) {
        let hint = "words; all lower case ignores case";
        let question = Question::of("find", hint, Input::Words, |desk: &mut Self, cx, text| {
            let expr = words(text);
            desk.find.words = expr.is_some().then(|| text.trim().to_owned());
            desk.find.going = Some(true);
            cx.set_lens(Lens::Find, expr);
            Ok(())
        });
        cx.ask(question, "");
    }

    /// Goes to the next entry that is found, now or as soon as it is known.
    pub(super) fn find_next(&mut self, forwards: bool, cx: &mut Context) {
        if self.find.words.is_none() {
            return cx.tell("nothing to find; / asks for words");
        }
        self.find.going = Some(forwards);
        self.go_to_found(cx);
    }

    pub(super) fn go_to_found(&mut self, cx: &mut Context) {
        let (Some(forwards), Some(text)) = (self.find.going, &self.find.words) else { return };
        let wanted = words(text).map(|expr| expr.to_string());
        let row = self.row(&cx.shared);
        let lens = cx.shared.lens(Lens::Find).filter(|l| Some(&l.text) == wanted.as_ref());
        // What lies nearer may not have been looked at yet.
        let Some(lens) = lens.filter(|lens| lens.done) else { return };
        self.find.going = None;
        let found = match self.is_ordered(&cx.shared) {
            false => cx.shared.snapshot.next_found(lens, row, forwards),
            true => {
                let rows = self.rows(&cx.shared);
                let has = |row: &usize| rows.get(*row).is_some_and(|id| lens.has(id));
                match forwards {
                    true => (row + 1..rows.len()).find(has),
                    false => (0..row).rev().find(has),
                }
            }
        };
        match found {
            Some(next) => {
                self.list.follow = false;
                self.go(next, &cx.shared);
                self.list.moved = true;
            }
            None => cx.tell("no entry in the pan has these words"),
        }
    }

    /// Stops looking for words; says whether any were looked for.
    pub(super) fn stop_finding(&mut self, cx: &mut Context) -> bool {
        self.find.going = None;
        let looked = self.find.words.take().is_some();
        if looked {
            cx.set_lens(Lens::Find, None);
        }
        looked
    }
}
