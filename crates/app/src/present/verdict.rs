//! What is unusual of a trail, in words.

use cribrum_core::{
    source::Source,
    trail::{ClockOff, Trail, Usual},
    veil::Audience,
};

use super::{cells, fit, one_line, span_text};

/// Steps that are missed and named; the others are counted.
const NAMED: usize = 3;

/// `the clock of payments seems 5.000 s ahead of that of gate: 38 of 40 requests`
pub(crate) fn clock_off_text(sources: &[Source], off: &ClockOff) -> String {
    let label = |number: usize| sources.get(number).map_or("?", |source| source.label.as_str());
    format!(
        "The clock of {} seems {} {} that of {}, by {} of {} requests",
        label(off.source),
        span_text(off.shift.abs()),
        if off.shift < 0 { "ahead of" } else { "behind" },
        label(off.beside),
        off.outside,
        off.of
    )
}

/// `usually 241 ms (311 like it)`
pub(crate) fn usual_text<A: Audience>(usual: &Usual<A>) -> String {
    format!("usually {} ({} alike)", span_text(usual.duration.0), usual.alike)
}

/// `7.8 s longer than usual waiting for payments, tried 3 times; without “charge accepted”`; nothing where all is as
/// usual.
pub(crate) fn unusual_text<A: Audience>(trail: &Trail<A>, usual: &Usual<A>) -> Option<String> {
    let mut parts = Vec::new();
    let first = usual.lost.first().map_or(0, |(_, nanos)| *nanos);
    for (lane, nanos) in usual.lost.iter().filter(|(_, nanos)| *nanos * 5 >= first).take(2) {
        let name = trail
            .lanes
            .get(*lane)
            .map_or_else(String::new, |lane| lane.name.for_terminal().into_owned());
        let words = if parts.is_empty() { "longer than usual waiting for" } else { "for" };
        parts.push(format!("{} {words} {name}", span_text(*nanos)));
    }
    if let Some(tries) = usual.tries {
        parts.push(format!("tried {tries} times"));
    } else if let Some(again) = again(trail, usual) {
        parts.push(again);
    }
    let early = usual.steps.iter().position(|step| step.early);
    if let Some(step) = early.and_then(|at| trail.steps.get(at)) {
        parts.push(format!("“{}” before its turn", short(&step.entry.message.for_terminal())));
    }
    let mut text = parts.join(", ");
    if !usual.missing.is_empty() {
        let named = usual.missing.iter().take(NAMED);
        let named: Vec<String> =
            named.map(|missing| format!("“{}”", short(&missing.message.for_terminal()))).collect();
        let rest = usual.missing.len().saturating_sub(NAMED);
        let more = if rest > 0 { format!(" and {rest} more") } else { String::new() };
        let joint = if text.is_empty() { "without" } else { "; without" };
        text = format!("{text}{joint} {}{more}", named.join(", "));
    }
    (!text.is_empty()).then_some(text)
}

/// The step that comes again most often.
fn again<A: Audience>(trail: &Trail<A>, usual: &Usual<A>) -> Option<String> {
    let again = usual.steps.iter().enumerate().filter_map(|(at, step)| Some((step.again?, at)));
    let (times, at) = again.max_by_key(|(times, at)| (*times, std::cmp::Reverse(*at)))?;
    Some(format!("“{}” {times} times", short(&trail.steps[at].entry.message.for_terminal())))
}

/// The beginning of a message, without the values behind names.
fn short(message: &str) -> String {
    let line = one_line(message);
    let words = line.split_whitespace().filter(|word| !word.contains('='));
    let text = words.collect::<Vec<_>>().join(" ");
    let text = if text.is_empty() { line.into_owned() } else { text };
    match cells(&text) > 32 {
        true => fit(&text, 32).to_string(),
        false => text,
    }
}
