//! `cribrum watch`

use std::time::Duration;

use cribrum_core::engine::Options;

use super::{
    args::Watch,
    exit::{Exit, Stop},
    following::{Following, Start},
    pour,
    writing::Writing,
};

pub(super) fn run(args: &Watch) -> Result<Exit, Stop> {
    let settings = pour::settings(&args.pour)?;
    let conditions = pour::conditions(&args.pour, &settings)?;
    let conditions = conditions.and(&args.expr).map_err(Stop::usage)?;
    let limit = args.time.as_deref().map(duration).transpose()?;
    if args.count == Some(0) {
        return Err(Stop::usage("a count of 0 is reached at once; give 1 or more"));
    }
    let start = if args.all { Start::All } else { Start::End };
    let last_bytes = (start == Start::End).then_some(pour::LAST_BYTES);
    let options =
        Options { volume: false, last_bytes, ..pour::options(&args.pour, &settings, true)? };
    let veil = pour::veil(&args.pour, &settings)?;
    let writing = Writing::of(&args.written, false)?;
    let mut following =
        Following::open(&args.pour, &conditions, (options, veil), (writing, None), start)?;
    following.until(args.count, limit, args.bell)
}

/// A duration as people write it: `30s`, `5min`.
fn duration(text: &str) -> Result<Duration, Stop> {
    let seconds = cribrum_core::query::duration(text)
        .filter(|seconds| *seconds > 0.0)
        .and_then(|seconds| Duration::try_from_secs_f64(seconds).ok());
    seconds.ok_or_else(|| Stop::usage(format!("`{text}` is no duration; write 30s, 5min or 1h")))
}
