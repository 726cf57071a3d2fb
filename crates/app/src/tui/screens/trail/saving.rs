//! Saving the trail as a drawing.

use std::{io::Write, path::PathBuf, sync::Arc};

use cribrum_core::{
    engine::{Pass, Snapshot},
    entry::IdKey,
    trail::{self, LaneBy, Trail, width},
    veil::Anyone,
};
use cribrum_draw::{Format, Palette, TrailPlate};

use super::{screen::usual, state::TrailView};
use crate::{
    present::{Clock, trail_plate},
    tui::context::{Context, Input, Question},
};

/// Reads the trail as it may leave the desk, and draws it.
fn drawing(
    snapshot: &Snapshot,
    (key, kind): (IdKey, &str),
    writings: &[IdKey],
    by: Option<LaneBy>,
    clock: &Clock,
    palette: Palette,
) -> Option<TrailPlate> {
    let pass = Pass::default();
    let keys = trail::within(snapshot, key, kind);
    let mut trail = Trail::<Anyone>::follow_with(snapshot, &keys, writings, &pass)?;
    if let Some(by) = by {
        trail.arrange(snapshot, by);
    }
    let usual = if width(kind) >= 4 { None } else { usual(snapshot, &trail, kind, &pass)? };
    Some(trail_plate(trail, usual, clock, palette))
}

impl TrailView {
    /// Asks for the file to save a drawing to.
    pub(super) fn ask_path(&mut self, cx: &mut Context) {
        let hint = "a name that ends in .svg or .pdf";
        let input = Input::Text { optional: false };
        let question = Question::of("save to", hint, input, |view: &mut Self, cx, text| {
            let path = PathBuf::from(text.trim());
            let Some(format) = Format::of(&path) else {
                return Err((text.len(), "a name that ends in .svg or .pdf is needed".into()));
            };
            let Some(key) = view.key().filter(|_| cx.shared.snapshot.is_identified()) else {
                cx.tell("the ids of all entries are still being read");
                return Ok(());
            };
            let (kind, by, writings) = (view.kind(), view.by, view.writings.clone());
            let (snapshot, clock) = (Arc::clone(&cx.shared.snapshot), cx.shared.clock.clone());
            let palette = if cx.shared.theme.is_dark() { Palette::Dusk } else { Palette::Chalk };
            let render = move |out: &mut dyn Write| {
                let plate = drawing(&snapshot, (key, kind), &writings, by, &clock, palette);
                let plate = plate.ok_or_else(|| "the trail could not be read".to_owned())?;
                let bytes = plate.render(format).map_err(|error| error.to_string())?;
                out.write_all(&bytes).map_err(|error| error.to_string())
            };
            cx.save(path, Box::new(render));
            Ok(())
        });
        cx.ask(question, "trail.svg");
    }
}
