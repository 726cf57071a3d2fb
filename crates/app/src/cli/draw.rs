//! `cribrum draw`

use cribrum_core::engine::Pass;
use cribrum_draw::{Format, VolumePlate};

use super::{
    args::{Draw, Plate, Volume},
    exit::{Exit, Stop},
    pour,
};
use crate::output;

pub(super) fn run(args: &Draw) -> Result<Exit, Stop> {
    match &args.plate {
        Plate::Volume(args) => volume(args),
    }
}

fn volume(args: &Volume) -> Result<Exit, Stop> {
    let format = Format::of(&args.output).ok_or_else(|| {
        Stop::usage(format!("{}: name a file that ends in .svg or .pdf", args.output.display()))
    })?;
    let poured = pour::pour(&args.pour, Some(&args.output))?;
    let snapshot = &poured.snapshot;
    if snapshot.pan.is_empty() {
        return Err(Stop::nothing("nothing is left to draw"));
    }
    let plate = VolumePlate::of(snapshot, args.title.clone(), poured.zone, &Pass::default())
        .ok_or_else(|| Stop::nothing("nothing is left to draw"))?;
    let bytes = plate.render(format).map_err(|error| Stop::source(error.to_string()))?;
    output::write_file(&args.output, &bytes).map_err(Stop::output)?;
    Ok(Exit::of(true, poured.unread))
}
