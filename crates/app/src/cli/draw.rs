//! `cribrum draw`

use std::path::Path;

use cribrum_core::{
    chart::{Ask, Chart},
    engine::{Pass, Snapshot},
    query::Context,
    tally::{By, Measure},
    veil::{Anyone, harmless},
};
use cribrum_draw::{Format, SLICES};

use super::{
    args::{Draw, Drawn, Plate, Sheet},
    exit::{Exit, Stop, tell},
    pour,
};
use crate::{
    output,
    present::{chart_csv, chart_plate, counted, names, side},
};

pub(super) fn run(args: &Draw) -> Result<Exit, Stop> {
    let drawn = args.plate.drawn();
    let output = &drawn.output;
    let form = Form::of(output)?;
    let mut given = drawn.pour.clone();
    // One of the two selections, where they are laid over each other.
    let first = matches!(args.plate, Plate::Overlay(_)).then(|| given.from.take()).flatten();
    // What is wrong with a question is told before anything is read.
    let fixed = fixed(&args.plate)?;
    let mut asked = pour::Asked::of(&given, Some(output))?;
    // Runs are looked for only where a side, or the groups, name them.
    asked.beside |= args.plate.asks_for_runs() || first.iter().any(|side| side.contains("run"));
    let poured = pour::pour_asked(asked)?;
    let snapshot = &poured.snapshot;
    if snapshot.pan.is_empty() {
        return Err(Stop::nothing("nothing is left to draw"));
    }
    let (ask, sides) = match (fixed, &args.plate) {
        (Some(ask), _) => (ask, Vec::new()),
        (None, Plate::Overlay(overlay)) => {
            let texts = [first.unwrap_or_default(), overlay.with.clone()];
            let (start, last) = snapshot.span().unzip();
            let context =
                Context { zone: poured.zone.clone(), first: start, last, ..Context::default() };
            let read = |text: &String| {
                side(text, snapshot, &context)
                    .map_err(|message| Stop::usage(format!("`{}`: {message}", harmless(text))))
            };
            let sides = [read(&texts[0])?, read(&texts[1])?];
            let names =
                texts.iter().map(|text| snapshot.own_text_to_share(text).as_str().to_owned());
            (Ask::Overlay(Box::new(sides)), names.collect())
        }
        (None, _) => return Err(Stop::nothing("nothing is left to draw")),
    };
    let chart = Chart::<Anyone>::of(snapshot, &ask, SLICES, &Pass::default())
        .ok_or_else(|| Stop::source("the count was ended"))?;
    if chart.is_empty() {
        return Err(Stop::nothing(nothing(&ask, snapshot)));
    }
    let clock = crate::present::Clock::new(poured.zone.clone());
    let bytes = match form {
        Form::Table => chart_csv(&chart, &names(&chart, snapshot, &clock, &sides)),
        Form::Plate(format) => {
            let palette = drawn.palette.into();
            let words = (drawn.title.clone(), sides.as_slice());
            let log = args.plate.log();
            chart_plate(&chart, snapshot, poured.zone.clone(), words, (palette, log))
                .render(format)
                .map_err(|error| error.to_string())
        }
    };
    output::write_file(output, &bytes.map_err(Stop::source)?).map_err(Stop::output)?;
    if chart.left_out > 0 {
        let count = usize::try_from(chart.left_out).unwrap_or(usize::MAX);
        tell(&format!("{} could not be measured", counted(count, "value")));
    }
    if chart.unread > 0 {
        tell(&format!("{} could not be read", counted(chart.unread, "entry")));
    }
    Ok(Exit::of(true, poured.unread || chart.unread > 0))
}

/// What is written.
enum Form {
    Plate(Format),
    /// The figures as CSV.
    Table,
}

impl Form {
    fn of(path: &Path) -> Result<Self, Stop> {
        if path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("csv")) {
            return Ok(Self::Table);
        }
        Format::of(path).map(Self::Plate).ok_or_else(|| {
            Stop::usage(format!("{}: name a file that ends in .svg, .pdf or .csv", path.display()))
        })
    }
}

/// What a plate shows, where that does not depend on the entries.
fn fixed(plate: &Plate) -> Result<Option<Ask>, Stop> {
    let by = |text: &str| By::parse(text).map_err(Stop::usage);
    let of = |text: &str| Measure::parse(text).map_err(Stop::usage);
    Ok(Some(match plate {
        Plate::Volume(_) => Ask::Volume,
        Plate::Groups(args) => Ask::Groups(by(&args.by)?),
        Plate::Rate(_) => Ask::Rate,
        Plate::Quantiles(args) => Ask::Quantiles(of(&args.of)?),
        Plate::Spread(args) => Ask::Spread(of(&args.of)?),
        Plate::Heat(args) => Ask::Heat(of(&args.of)?),
        Plate::Bars(args) => Ask::Bars(by(&args.by)?, args.of.as_deref().map(of).transpose()?),
        Plate::Overlay(_) => return Ok(None),
    }))
}

/// Why there is nothing to draw.
fn nothing(ask: &Ask, snapshot: &Snapshot) -> String {
    let entries = counted(snapshot.pan.len(), "entry");
    match ask {
        Ask::Groups(by) | Ask::Bars(by, None) => {
            format!("none of {entries} has {}", harmless(&by.to_string()))
        }
        _ => match ask.measure() {
            Some(of) => format!("none of {entries} has a value of {}", harmless(&of.to_string())),
            None => "nothing is left to draw".to_owned(),
        },
    }
}

impl From<Sheet> for cribrum_draw::Palette {
    fn from(sheet: Sheet) -> Self {
        match sheet {
            Sheet::Chalk => Self::Chalk,
            Sheet::Dusk => Self::Dusk,
        }
    }
}

impl Plate {
    /// What all plates are told.
    fn drawn(&self) -> &Drawn {
        match self {
            Self::Volume(drawn) | Self::Rate(drawn) => drawn,
            Self::Groups(args) => &args.drawn,
            Self::Quantiles(args) | Self::Spread(args) | Self::Heat(args) => &args.drawn,
            Self::Bars(args) => &args.drawn,
            Self::Overlay(args) => &args.drawn,
        }
    }

    /// Whether it may need the runs of programs.
    fn asks_for_runs(&self) -> bool {
        match self {
            Self::Overlay(args) => args.with.contains("run"),
            Self::Groups(args) => args.by == "run",
            Self::Bars(args) => args.by == "run",
            _ => false,
        }
    }

    /// Whether the axis of values is logarithmic, where that is said.
    fn log(&self) -> Option<bool> {
        match self {
            Self::Quantiles(args) | Self::Spread(args) | Self::Heat(args) => {
                match (args.log, args.linear) {
                    (true, _) => Some(true),
                    (_, true) => Some(false),
                    _ => None,
                }
            }
            _ => None,
        }
    }
}
