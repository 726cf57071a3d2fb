//! The way from arguments to the desk. The desk itself is a parameter, so that no command knows
//! the interface.

use std::io::{self, IsTerminal, Write};

use super::{
    args::{Arguments, Look, Pour},
    exit::{Exit, Stop},
    pour,
};
use crate::{settings::Folders, setup::Setup};
use cribrum_core::engine::Options;

/// What opens the desk and returns when it is closed.
pub(crate) type Desk<'a> = &'a dyn Fn(Setup) -> io::Result<()>;

pub(super) fn run(arguments: &Arguments, desk: Desk<'_>) -> Result<Exit, Stop> {
    let pour = &arguments.pour;
    if pour.sources.is_empty() && io::stdin().is_terminal() {
        let text = "Nothing to read. Name files or folders, or pipe something in:\n\n  \
                    cribrum /var/log/app/            every log in a folder\n  \
                    cribrum app.log gate.log         some files, in one order of time\n  \
                    some-command | cribrum           what a command writes\n  \
                    cribrum demo                     a made-up morning to try it on\n\n\
                    More: cribrum --help\n";
        let _ = io::stderr().write_all(text.as_bytes());
        return Ok(Exit::Usage);
    }
    open(pour, &arguments.look, arguments.follow, None, desk)
}

/// Opens the desk on what the arguments name.
pub(super) fn open(
    args: &Pour,
    look: &Look,
    follow: bool,
    title: Option<&str>,
    desk: Desk<'_>,
) -> Result<Exit, Stop> {
    let found = pour::discover(args, true)?;
    if found.sources.is_empty() && found.places.is_empty() {
        return Err(Stop::unread(found.problems));
    }
    let settings = pour::settings(args)?;
    let setup = Setup {
        title: title.map_or_else(|| pour::title(args), str::to_owned),
        options: Options { ids: true, ..pour::options(args, &settings, true)? },
        conditions: pour::conditions(args, &settings)?,
        veil: match pour::veil(args, &settings)? {
            veil if look.allow_reveal => veil.allowing_reveal(),
            veil => veil,
        },
        settings,
        folders: Folders::user(),
        timings: look.timings.clone(),
        here: std::path::PathBuf::new(),
        diagnostics: look.diagnostics.clone(),
        palette: look.palette,
        follow: follow || found.sources.iter().any(|s| s.name == "stdin"),
        found,
    };
    desk(setup).map_err(Stop::terminal)?;
    Ok(Exit::Done)
}
