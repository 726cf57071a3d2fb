//! Names that a person gives to kinds, kept in the settings.

use super::state::KindsView;
use crate::{
    settings::NamedKind,
    tui::context::{Context, Input, Question},
};

impl KindsView {
    /// Asks for a name of the kind under the cursor.
    pub(super) fn ask_name(&mut self, cx: &mut Context) {
        let Some(words) = self.chosen().map(|kind| kind.text.as_str().to_owned()) else {
            return;
        };
        let known = cx.shared.settings.kinds.iter().find(|named| named.words == words);
        let now = known.map(|named| named.name.clone()).unwrap_or_default();
        let question = Question::of(
            "name of this kind",
            "for conditions, kind = \"lost holds\"; nothing: no name",
            Input::Text { optional: true },
            |view: &mut Self, cx, name| {
                view.name(name.trim(), cx);
                Ok(())
            },
        );
        cx.ask(question, &now);
    }

    fn name(&mut self, name: &str, cx: &mut Context) {
        let Some(words) = self.chosen().map(|kind| kind.text.as_str().to_owned()) else {
            return;
        };
        let name = cx.shared.snapshot.own_text_to_share(name).as_str().replace(['"', '\\'], "");
        cx.name_kind(NamedKind { name, words });
    }
}
