//! A trail as a drawing: the figures and the words that stand on it.

use cribrum_core::{
    entry::Level,
    trail::{Trail, Usual},
    veil::Anyone,
};
use cribrum_draw::{Palette, TrailPlate, Words};

use super::{Clock, count_text, counted, span_text, unusual_text, usual_text};

/// The plate of a trail, with what is usual of it where that is known.
pub(crate) fn trail_plate(
    trail: Trail<Anyone>,
    usual: Option<Usual<Anyone>>,
    clock: &Clock,
    palette: Palette,
) -> TrailPlate {
    let ids = trail.ids.iter().take(2).map(|id| format!("{} {}", id.kind, id.text.for_terminal()));
    let more = match trail.ids.len() {
        0..=2 => String::new(),
        more => format!(" · {} more", more - 2),
    };
    let took = match &usual {
        Some(usual) => format!("{}, {}", span_text(trail.duration), usual_text(usual)),
        None => span_text(trail.duration),
    };
    let errors = trail.count(Level::Error) + trail.count(Level::Fatal);
    let words = Words {
        title: format!("{}{more}", ids.collect::<Vec<_>>().join(" · ")),
        summary: format!(
            "{took} · {} entries · {} · {}",
            count_text(trail.steps.len()),
            counted(trail.lanes.len(), "lane"),
            counted(errors, "error"),
        ),
        unusual: usual.as_ref().and_then(|usual| unusual_text(&trail, usual)),
        start: match trail.start() {
            Some(start) => {
                format!("began {}, times in {}", clock.moment(start, true), clock.name())
            }
            None => "without times".into(),
        },
        span: span_text,
    };
    TrailPlate::new(trail, usual, words, palette)
}
