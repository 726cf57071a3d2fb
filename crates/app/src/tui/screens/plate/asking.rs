//! Which chart is drawn: those that suit the pan are proposed, others typed.

use cribrum_core::{
    chart::Ask,
    compare::Side,
    engine::{Pass, Snapshot, Survey},
    query::Expr,
    tally::{By, Measure},
    veil::{Desk, harmless},
};

use super::state::PlateView;
use crate::{
    present::chart_title,
    tui::context::{Choice, Context, List},
};

/// Names of fields that say how long something took.
const DURATIONS: [&str; 5] = ["took", "duration", "elapsed", "latency", "response_time"];

impl PlateView {
    /// Lists the charts that suit the pan.
    pub(super) fn choose(&mut self, cx: &mut Context) {
        let names = |snapshot: &Snapshot, pass: &Pass| Survey::<Desk>::names(snapshot, pass);
        cx.look("names", true, names, |_: &mut Self, cx, names| {
            let fields: Vec<&str> = names.found.iter().map(|(name, _)| name.as_str()).collect();
            let lasts = fields.iter().any(|name| {
                let name = name.to_ascii_lowercase();
                DURATIONS.iter().any(|stem| name.starts_with(stem))
            });
            let several = cx.shared.snapshot.sources.len() > 1;
            let mut asks: Vec<(Ask, Vec<String>)> = Ask::suited(&fields, lasts, several)
                .into_iter()
                .map(|ask| (ask, Vec::new()))
                .collect();
            asks.extend(overlays(cx));
            let rows = asks.into_iter().map(|(ask, sides)| {
                let note = sides.join(" and ");
                choice(&chart_title(&ask), ask, sides).note(note)
            });
            cx.choose(List {
                title: "chart",
                word: "draw",
                empty: "there is nothing to draw",
                rows: rows.collect(),
                keys: &[],
                named: Some(typed),
            });
        });
    }

    fn draw_other(&mut self, ask: Ask, names: Vec<String>, cx: &mut Context) {
        *self = Self { area: self.area, ..Self::new(ask, names) };
        self.count(cx);
    }
}

/// Windows between marks, each laid over as long a time before.
fn overlays(cx: &Context) -> Vec<(Ask, Vec<String>)> {
    let marks = &cx.shared.marks;
    let pairs = marks.windows(2).map(|pair| {
        let (from, to) = (pair[0].time.min(pair[1].time), pair[0].time.max(pair[1].time));
        let before = Side::Where(Expr::within(from - (to - from), from - 1));
        let window = Side::Where(Expr::within(from, to));
        let name = |name: &str| cx.shared.own_text(name);
        let names = vec![
            "as long before".to_owned(),
            format!("mark {} to mark {}", name(&pair[0].name), name(&pair[1].name)),
        ];
        (Ask::Overlay(Box::new([before, window])), names)
    });
    pairs.collect()
}

fn choice(name: &str, ask: Ask, names: Vec<String>) -> Choice {
    Choice::of(harmless(name), move |view: &mut PlateView, cx| {
        view.draw_other(ask.clone(), names.clone(), cx);
    })
}

/// Charts of what is typed: a field to group by, or a measure.
fn typed(text: &str) -> Vec<Choice> {
    let mut asks = Vec::new();
    if let Ok(by) = By::parse(text) {
        asks.push(Ask::Groups(by.clone()));
        asks.push(Ask::Bars(by, None));
    }
    if let Ok(of) = Measure::parse(text) {
        asks.extend([Ask::Quantiles(of.clone()), Ask::Spread(of.clone()), Ask::Heat(of)]);
    }
    asks.into_iter().map(|ask| choice(&chart_title(&ask), ask, Vec::new())).collect()
}
