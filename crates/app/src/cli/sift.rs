//! `cribrum sift`

use cribrum_core::export::{Exporter, Format, write_rows};

use super::{
    args::Sift,
    exit::{Exit, Stop, tell},
    pour,
};
use crate::output::Output;

pub(super) fn run(args: &Sift) -> Result<Exit, Stop> {
    let poured = pour::pour(&args.pour)?;
    pour::explain(&poured.snapshot, poured.zone.as_ref());
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let format = Format::from(args.form);
    let snapshot = &poured.snapshot;
    let terminal = out.is_terminal();
    let make = || Exporter::new(snapshot, format, poured.zone.clone(), terminal);
    let mut lost = 0usize;
    write_rows(&snapshot.pan, &make, &mut out, &mut |error| {
        lost += 1;
        if lost <= 5 {
            tell(&error.to_string());
        }
    })
    .map_err(Stop::output)?;
    if lost > 5 {
        tell(&format!("{lost} entries in all could not be read again"));
    }
    out.finish().map_err(Stop::output)?;
    Ok(Exit::of(!snapshot.pan.is_empty(), poured.unread || lost > 0))
}
