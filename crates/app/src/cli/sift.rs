//! `cribrum sift`

use cribrum_core::export::{Error, Exporter, Format};

use super::{
    args::{Form, Sift},
    exit::{Exit, Stop, tell},
    pour,
};
use crate::output::Output;

pub(super) fn run(args: &Sift) -> Result<Exit, Stop> {
    let poured = pour::pour(&args.pour)?;
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let format = match args.form {
        Form::Text => Format::Text,
        Form::Jsonl => Format::Jsonl,
        Form::Raw => Format::Raw,
    };
    let snapshot = &poured.snapshot;
    let mut exporter = Exporter::new(snapshot, format, poured.zone, out.is_terminal());
    let mut unread = poured.unread;
    let mut lost = 0usize;
    for id in snapshot.pan.iter_from(0) {
        match exporter.write(id, &mut out) {
            Ok(()) => {}
            Err(Error::Output(error)) => return Err(Stop::output(error)),
            Err(error @ Error::Source { .. }) => {
                unread = true;
                lost += 1;
                if lost <= 5 {
                    tell(&error.to_string());
                }
            }
        }
    }
    if lost > 5 {
        tell(&format!("{lost} entries in all could not be read again"));
    }
    out.finish().map_err(Stop::output)?;
    Ok(Exit::of(!snapshot.pan.is_empty(), unread))
}
