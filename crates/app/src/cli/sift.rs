//! `cribrum sift`

use cribrum_core::{
    engine::Options,
    export::{Error, Exporter, Format, write_rows},
};

use super::{
    args::Sift,
    exit::{Exit, Stop, tell},
    following::{Following, Start},
    pour::{self, Passed},
};
use crate::output::Output;

pub(super) fn run(args: &Sift) -> Result<Exit, Stop> {
    for (name, number) in [("-n", args.count), ("--last", args.last)] {
        if number == Some(0) {
            return Err(Stop::usage(format!("{name} 0 writes nothing; give 1 or more")));
        }
    }
    if args.follow {
        return follow(args);
    }
    let output = args.output.as_deref();
    let numbered = Format::from(args.form) == Format::Jsonl;
    let passed = match args.last {
        Some(most) => pour::pour_last(&args.pour, output, most)?.into(),
        None => pour::passing(&args.pour, output, numbered)?,
    };
    pour::explain(&passed.snapshot, passed.zone.as_ref());
    write(args, &passed)
}

/// Writes what is in the pan.
fn write(args: &Sift, passed: &Passed) -> Result<Exit, Stop> {
    let mut out = Output::open(args.output.as_deref()).map_err(Stop::output)?;
    let format = Format::from(args.form);
    let snapshot = &passed.snapshot;
    let terminal = out.is_terminal();
    let make = || Exporter::new(snapshot, format, passed.zone.clone(), terminal);
    let mut lost = 0usize;
    let mut tell_lost = |error: &Error| {
        lost += 1;
        if lost <= 5 {
            tell(&error.to_string());
        }
    };
    if args.last.is_some() || args.count.is_some() {
        let from = args.last.map_or(0, |last| snapshot.pan.len().saturating_sub(last));
        let mut exporter = make();
        for id in snapshot.pan.iter_from(from).take(args.count.unwrap_or(usize::MAX)) {
            match exporter.write(id, &mut out) {
                Ok(()) => {}
                Err(Error::Output(error)) => return Err(Stop::output(error)),
                Err(error) => tell_lost(&error),
            }
        }
    } else {
        write_rows(&snapshot.pan, &make, &mut out, &mut tell_lost).map_err(Stop::output)?;
    }
    if lost > 5 {
        tell(&format!("{lost} entries in all could not be read again"));
    }
    out.finish().map_err(Stop::output)?;
    Ok(Exit::of(!snapshot.pan.is_empty(), passed.unread || lost > 0))
}

/// Writes entries as they arrive.
fn follow(args: &Sift) -> Result<Exit, Stop> {
    let conditions = pour::Conditions::of(&args.pour)?;
    let start = match (args.last, &args.pour.from) {
        (Some(last), _) => Start::Last(last),
        (None, Some(_)) => Start::All,
        (None, None) => Start::End,
    };
    let last_bytes = match start {
        Start::All => None,
        Start::End => Some(pour::LAST_BYTES),
        // Entries are rarely longer than this; where they are, fewer of them are shown.
        Start::Last(last) => Some((last as u64).saturating_mul(4 << 10).max(pour::LAST_BYTES)),
    };
    let options = Options { volume: false, last_bytes, ..pour::options(&args.pour, true)? };
    let mut following = Following::open(&args.pour, &conditions, options, args.form, start)?;
    following.until(args.count, None, false)
}
