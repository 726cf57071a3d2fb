//! The trail as a screen.

use cribrum_core::{
    EntryId,
    engine::{Lens, Pass, Snapshot},
    query::Expr,
    trail::Trail,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{state::TrailView, view};
use crate::tui::{
    context::{Context, Request, Step, Target},
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
    let here = cx.shared.here;
    let Some(from) = here.entry else {
        cx.tell("there is no entry here to follow");
        return None;
    };
    if cx.shared.fetch(from).is_some_and(|shown| shown.ids.is_empty()) {
        cx.tell("this entry has no id to follow");
        return None;
    }
    cx.look(
        "id",
        true,
        move |snapshot, _| Some(snapshot.id_expr(from, here.id_kind).map_err(|error| gone(&error))),
        TrailView::follow,
    );
    Some(Box::new(TrailView { expr: None, trail: None, asked: false, cursor: 0, from }))
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
    .footer("open on the desk"),
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

impl Screen for TrailView {
    type Region = ();
    const NAME: &'static str = "trail";
    const ABOUT: &'static str = "all entries of one id, as steps in time across sources";

    fn keys() -> &'static [Binding<Self>] {
        KEYS
    }

    fn region(&self) {}

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        let Some(expr) = self.expr.as_ref().filter(|_| !self.asked) else { return };
        let text = expr.to_string();
        let done = |lens: &cribrum_core::engine::LensView| lens.done && lens.text == text;
        if !cx.shared.lens(Lens::Trail).is_some_and(done) || !cx.shared.snapshot.loaded() {
            return;
        }
        self.asked = true;
        let id = match expr {
            Expr::Id(id) => id.clone(),
            _ => String::new(),
        };
        let build = move |snapshot: &Snapshot, pass: &Pass| {
            Trail::build(snapshot, snapshot.lens(Lens::Trail)?, &id, pass)
        };
        cx.look("trail", true, build, |view: &mut Self, _, trail| {
            let from = trail.steps.iter().position(|step| step.entry.id == view.from);
            view.cursor = from.unwrap_or(0);
            view.trail = Some(trail);
        });
    }

    fn step(&mut self, step: Step, _: &mut Context) {
        let len = self.trail.as_ref().map_or(0, |trail| trail.steps.len());
        self.cursor = step.from(self.cursor, len, 20);
    }

    fn here(&self, _: &Shared) -> Here {
        Here { entry: self.entry(), id_kind: None }
    }

    fn corner(&self, _: &Shared) -> String {
        let told = |trail: &Trail| format!("step {} of {}", self.cursor + 1, trail.steps.len());
        self.trail.as_ref().map_or_else(String::new, told)
    }

    fn closed(&mut self, cx: &mut Context) {
        cx.set_lens(Lens::Trail, None);
    }
}

impl TrailView {
    /// The entry of the step under the cursor.
    fn entry(&self) -> Option<EntryId> {
        let step = self.trail.as_ref()?.steps.get(self.cursor)?;
        Some(step.entry.id)
    }

    /// The id to follow is known.
    fn follow(&mut self, cx: &mut Context, expr: Result<Option<Expr>, String>) {
        match expr {
            Ok(Some(expr)) => {
                cx.set_lens(Lens::Trail, Some(expr.clone()));
                self.expr = Some(expr);
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
}
