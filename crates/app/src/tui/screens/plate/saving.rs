//! Saves a chart as SVG, PDF, or the figures behind it as CSV.

use std::{io::Write, path::PathBuf, sync::Arc};

use cribrum_core::{
    chart::{Ask, Chart},
    engine::Pass,
    veil::Anyone,
};
use cribrum_draw::{Format, Palette, SLICES};

use super::state::PlateView;
use crate::{
    present::{Clock, chart_csv, chart_plate, names},
    tui::context::{Context, Input, Question},
};

impl PlateView {
    /// Asks for the file to save to.
    pub(super) fn ask_path(&mut self, cx: &mut Context) {
        let hint = "a name that ends in .svg, .pdf or .csv";
        let input = Input::Text { optional: false };
        let question = Question::of("save to", hint, input, |view: &mut Self, cx, text| {
            let path = PathBuf::from(text.trim());
            let table = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("csv"));
            let format = Format::of(&path);
            if !table && format.is_none() {
                return Err((
                    text.len(),
                    "a name that ends in .svg, .pdf or .csv is needed".into(),
                ));
            }
            let snapshot = Arc::clone(&cx.shared.snapshot);
            let zone = Some(cx.shared.clock.zone.clone());
            let palette = if cx.shared.theme.is_dark() { Palette::Dusk } else { Palette::Chalk };
            let (ask, sides, log) = (view.ask.clone(), view.names.clone(), view.log);
            // What leaves the desk is counted again with its stricter veil.
            let make = move |out: &mut dyn Write| {
                let sides: Vec<String> = sides
                    .iter()
                    .map(|name| snapshot.own_text_to_share(name).as_str().to_owned())
                    .collect();
                let chart = Chart::<Anyone>::of(&snapshot, &ask, SLICES, &Pass::default())
                    .ok_or_else(|| "the count was ended".to_owned())?;
                let bytes = match format {
                    Some(format) => {
                        chart_plate(&chart, &snapshot, zone, (None, &sides), (palette, log))
                            .render(format)
                            .map_err(|error| error.to_string())
                    }
                    None => chart_csv(&chart, &names(&chart, &snapshot, &Clock::new(zone), &sides)),
                };
                out.write_all(&bytes?).map_err(|error| error.to_string())
            };
            cx.save(path, Box::new(make));
            Ok(())
        });
        cx.ask(question, file_name(&self.ask));
    }
}

/// A name that is proposed for a file.
fn file_name(ask: &Ask) -> &'static str {
    match ask {
        Ask::Volume => "volume.pdf",
        Ask::Groups(_) => "groups.pdf",
        Ask::Rate => "rate.pdf",
        Ask::Quantiles(_) => "quantiles.pdf",
        Ask::Spread(_) => "spread.pdf",
        Ask::Bars(..) => "bars.pdf",
        Ask::Heat(_) => "heat.pdf",
        Ask::Overlay(_) => "overlay.pdf",
    }
}
