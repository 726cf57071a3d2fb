//! The kinds as a screen.

use std::sync::Arc;

use cribrum_core::{
    EntryId,
    chart::Ask,
    engine::{Of, Pass, Snapshot},
    kinds::{Only, Order},
    query::Expr,
    tally::By,
};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{
    state::{Filled, KindsView, Region},
    view,
};
use crate::{
    results::{AskKinds, Extract},
    tui::{
        context::{Context, Step},
        keys::Key,
        screen::{Action, Binding, Group::Closer, Opening, Screen, actions_of},
        shared::{Here, Shared},
        table::{self, Measured, OfEntries, Table},
    },
};

pub(crate) const OPENING: Opening = Opening {
    name: KindsView::NAME,
    about: KindsView::ABOUT,
    key: Some(Action::new(
        Closer,
        &[Key::Char('K')],
        "K",
        "kinds: messages by their constant words",
        Some("kinds"),
    )),
    open: |_| Some(Box::new(KindsView::new())),
    actions: actions_of::<KindsView>,
    anywhere: false,
};

const HERE: &[Region] = &[Region::Table];
const ONLY: &str = "keep only this kind, silence it";

static KEYS: &[Binding<KindsView, Region>] = &[
    table::entries("the entries of this kind, on the desk", HERE),
    table::keep_these(ONLY, HERE),
    table::drop_these(ONLY, "silence", HERE),
    table::left(HERE),
    table::right(HERE),
    table::order(HERE),
    Binding::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "the gravest first",
        |view: &mut KindsView, cx| {
            view.order_by((Order::Level, true), cx);
        },
    )
    .footer("errors first")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('o')],
        "o",
        "show only new kinds, those that are gone, rare ones",
        KindsView::choose_only,
    )
    .footer("new, gone, rare")
    .within(HERE),
    Binding::new(
        Closer,
        &[Key::Char('h')],
        "h",
        "what stands in the holes of this kind",
        |view: &mut KindsView, cx| {
            view.values = !view.values;
            view.fill(cx);
        },
    )
    .footer("holes")
    .within(HERE),
    Binding::new(Closer, &[Key::Char('A')], "A", "give this kind a name", KindsView::ask_name)
        .within(HERE),
    table::copy(HERE),
    table::narrow("narrow to kinds with these words", HERE),
];

impl Screen for KindsView {
    type Region = Region;
    const NAME: &'static str = "kinds";
    const ABOUT: &'static str = "what is said in the pan, by constant words";
    const EXTRACTS: bool = true;
    const SIFTS: bool = true;
    const OPENS: bool = true;

    fn keys() -> &'static [Binding<Self, Region>] {
        KEYS
    }

    fn region(&self) -> Region {
        Region::Table
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        view::draw(self, shared, area, buffer);
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        (self.table.width, self.table.height) = (area.width, view::table_height(self, area));
        self.look(cx);
        self.fill(cx);
    }

    fn refreshed(&mut self, cx: &mut Context) {
        self.look(cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        self.step_row(step, cx);
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        let narrowed = self.table.listing.only != Only::All;
        if !self.widen(cx) {
            return std::mem::take(&mut self.values);
        }
        if narrowed && self.table.listing.only == Only::All {
            self.shown.clear();
            self.table.listing.order = (Order::Count, true);
        }
        true
    }

    fn here(&self, _: &Shared) -> Here {
        let chart = Some((Ask::Bars(By::Kind, None), Vec::new()));
        Here { entry: self.entry(), by: Some(By::Kind), chart, ..Here::default() }
    }

    fn extract(&self, _: &Shared) -> Option<Arc<dyn Extract>> {
        table::extract(self, "kind")
    }

    fn corner(&self, _: &Shared) -> String {
        self.place_text()
    }

    fn read_again(&mut self) {
        self.filled = None;
        self.table.forget();
    }
}

impl Table for KindsView {
    type Inquiry = AskKinds;
    const WORDS: &'static str = "words of kinds, or of who says them: hold booking";

    fn table(&self) -> &Measured<AskKinds> {
        &self.table
    }

    fn table_mut(&mut self) -> &mut Measured<AskKinds> {
        &mut self.table
    }

    fn descends(order: Order) -> bool {
        matches!(order, Order::Count | Order::Level)
    }

    fn has_changed(&mut self, cx: &mut Context) {
        self.fill(cx);
    }
}

impl OfEntries for KindsView {
    fn condition(&self, _: &Snapshot) -> Option<Expr> {
        let number = self.table.number(self.table.cursor)?;
        self.table.found()?.condition(number as usize)
    }

    fn entry(&self) -> Option<EntryId> {
        self.chosen().map(|kind| kind.first)
    }
}

impl KindsView {
    /// Asks what stands in the holes of the kind under the cursor, where that is shown.
    pub(super) fn fill(&mut self, cx: &mut Context) {
        if !self.values {
            return;
        }
        let (Some(number), Some(listed)) =
            (self.table.number(self.table.cursor), &self.table.listed)
        else {
            return;
        };
        let number = number as usize;
        let of = listed.found.kinds[number].text.as_str().to_owned();
        if self.filled.as_ref().is_some_and(|filled| filled.of == of) {
            return;
        }
        self.filled = Some(Filled { of: of.clone(), fills: None });
        let kinds = Arc::clone(&listed.found);
        let find = move |snapshot: &Snapshot, pass: &Pass| {
            kinds.fills(number, snapshot, Of::Pan, pass).map(|fills| (of, fills))
        };
        cx.look("holes", true, find, |view: &mut Self, _, (of, fills)| {
            view.filled = Some(Filled { of, fills: Some(fills) });
        });
    }
}
