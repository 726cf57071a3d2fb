//! What is compared: proposed by the marks, chosen, typed.

use cribrum_core::{
    compare::Side,
    query::{Expr, Literal, Op, Path},
};

use super::state::{CompareView, Named};
use crate::{
    present::side,
    tui::{
        context::{Choice, Context, List},
        shared::Shared,
        table::Table,
    },
};

fn named(side: Side, name: impl Into<String>) -> Named {
    Named { side, name: name.into() }
}

fn before(time: i64, name: &str) -> Named {
    let expr = Expr::Compare(Path::Time, Op::Less, Literal::moment(time));
    named(Side::Where(expr), format!("before {name}"))
}

fn after(time: i64, name: &str) -> Named {
    let expr = Expr::Compare(Path::Time, Op::AtLeast, Literal::moment(time));
    named(Side::Where(expr), format!("after {name}"))
}

/// What is compared where nothing was chosen: what lies between the last two marks with the rest, what comes after a mark
/// with what came before, the pan with everything, or the last quarter of the time with what came before.
pub(super) fn usual(shared: &Shared) -> [Named; 2] {
    let mut marks: Vec<(String, i64)> = shared
        .marks
        .iter()
        .map(|mark| (format!("mark {}", shared.own_text(&mark.name)), mark.time))
        .collect();
    let last_two = marks.split_off(marks.len().saturating_sub(2));
    match last_two.as_slice() {
        [(_, one), (_, other)] if one != other => {
            let window = Expr::within(*one.min(other), *one.max(other));
            [
                named(Side::Where(window.clone().negated()), "the rest of the time"),
                named(Side::Where(window), "between the marks"),
            ]
        }
        [.., (name, time)] => [before(*time, name), after(*time, name)],
        [] if shared.snapshot.pan.len() < shared.snapshot.order.len() => {
            [named(Side::Everything, "everything"), named(Side::Pan, "the pan")]
        }
        [] => {
            let (first, last) = shared.snapshot.span().unwrap_or_default();
            let from = last - (last - first) / 4;
            let name = shared.moment(from);
            [before(from, &name), after(from, &name)]
        }
    }
}

/// What may be compared, with a note each.
fn offered(shared: &Shared) -> Vec<(Named, String)> {
    let mut all = Vec::new();
    let marks: Vec<(String, i64)> = shared
        .marks
        .iter()
        .map(|mark| (format!("mark {}", shared.own_text(&mark.name)), mark.time))
        .collect();
    for pair in marks.windows(2) {
        let (one, other) = (pair[0].1.min(pair[1].1), pair[0].1.max(pair[1].1));
        let name = format!("between {} and {}", pair[0].0, pair[1].0);
        let note = format!("{} … {}", shared.moment(one), shared.moment(other));
        all.push((named(Side::Where(Expr::within(one, other)), name), note));
        let name = format!("as long before {}", pair[0].0);
        let earlier = one - (other - one);
        let note = format!("{} … {}", shared.moment(earlier), shared.moment(one));
        all.push((named(Side::Where(Expr::within(earlier, one - 1)), name), note));
    }
    for (name, time) in &marks {
        let note = shared.moment(*time);
        all.push((before(*time, name), note.clone()));
        all.push((after(*time, name), note));
    }
    let snapshot = &shared.snapshot;
    for run in snapshot.runs() {
        let source = &snapshot.sources[run.source];
        let of = Expr::equals(Path::Source, &source.name)
            .and(Expr::equals(Path::Run, &run.number.to_string()));
        let note = format!("from {}", shared.moment(run.start));
        all.push((named(Side::Where(of), format!("run {} of {}", run.number, source.label)), note));
    }
    if snapshot.sources.len() > 1 {
        for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
            let of = Expr::equals(Path::Source, &source.name);
            let note = crate::present::counted(status.entries(), "entry");
            all.push((named(Side::Where(of), source.label.clone()), note));
        }
    }
    all.push((named(Side::Pan, "the pan"), "what the sieve lets through".into()));
    all.push((named(Side::Everything, "everything"), "whatever the sieve says".into()));
    all
}

impl CompareView {
    /// Lists what may stand on one side.
    pub(super) fn choose_side(&mut self, which: usize, cx: &mut Context) {
        let rows = offered(&cx.shared).into_iter().map(|(named, note)| {
            let name = named.name.clone();
            Choice::of(&name, move |view: &mut Self, cx| view.set_side(which, named.clone(), cx))
                .note(note)
        });
        cx.choose(List {
            title: if which == 0 { "compare, from" } else { "compare, with" },
            word: "compare",
            empty: "there is nothing to compare",
            rows: rows.collect(),
            keys: &[],
            named: Some(if which == 0 { first_typed } else { second_typed }),
        });
    }

    fn set_side(&mut self, which: usize, named: Named, cx: &mut Context) {
        self.names[which] = named.name;
        self.table.inquiry.sides[which] = named.side;
        let all = self.table.listing.only;
        self.ask_again(cx);
        self.table.listing.only = all;
    }

    fn type_side(&mut self, which: usize, text: &str, cx: &mut Context) {
        match side(text, &cx.shared.snapshot, &cx.shared.context()) {
            Ok(side) => self.set_side(which, Named { side, name: text.to_owned() }, cx),
            Err(message) => cx.shared.warn(message),
        }
    }
}

fn typed(which: usize, text: &str) -> Vec<Choice> {
    let text = text.trim().to_owned();
    let name = text.clone();
    vec![
        Choice::of(name, move |view: &mut CompareView, cx| view.type_side(which, &text, cx))
            .note("06:00..06:30, before 06:38, status >= 500"),
    ]
}

fn first_typed(text: &str) -> Vec<Choice> {
    typed(0, text)
}

fn second_typed(text: &str) -> Vec<Choice> {
    typed(1, text)
}
