//! Arguments, and every command that writes to standard output. Results go there, messages to standard
//! error.

mod args;
mod demo;
mod draw;
mod exit;
mod following;
mod intake;
mod pour;
mod sift;
mod trail;
mod watch;

use std::io::{self, IsTerminal, Write};

use clap::{CommandFactory, Parser};

use args::{Arguments, Command};
pub(crate) use exit::{Exit, tell};

/// Runs what the arguments ask for.
pub(crate) fn run() -> Exit {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let wrong = error.use_stderr();
            let printed = error.print().and_then(|()| io::stdout().flush());
            return match printed {
                // Nothing can be told where not even the mistake is taken.
                _ if wrong => Exit::Usage,
                Ok(()) => Exit::Done,
                Err(error) => ended(&exit::Stop::output(error)),
            };
        }
    };
    let desk_opens = match &arguments.command {
        None => true,
        Some(Command::Demo(demo)) => demo.write.is_none() || demo.live.is_some(),
        _ => false,
    };
    if !desk_opens && let Err(error) = crate::signals::clean_up() {
        tell(&format!("signals can't be caught: {error}"));
    }
    let result = match arguments.command {
        None => desk(&arguments),
        Some(Command::Sift(args)) => sift::run(&args),
        Some(Command::Trail(args)) => trail::run(&args),
        Some(Command::Draw(args)) => draw::run(&args),
        Some(Command::Watch(args)) => watch::run(&args),
        Some(Command::Intake(args)) => intake::run(&args),
        Some(Command::Demo(args)) => demo::run(&args),
        Some(Command::Completions { shell }) => {
            let mut script = Vec::new();
            clap_complete::generate(shell, &mut Arguments::command(), "cribrum", &mut script);
            write_out(&script)
        }
        Some(Command::Man) => man(),
    };
    result.unwrap_or_else(|stop| ended(&stop))
}

/// Tells why a command ends early.
fn ended(stop: &exit::Stop) -> Exit {
    stop.tell();
    stop.code()
}

/// Writes a text to standard output.
fn write_out(text: &[u8]) -> Result<Exit, exit::Stop> {
    let mut out = io::stdout().lock();
    out.write_all(text).and_then(|()| out.flush()).map_err(exit::Stop::output)?;
    Ok(Exit::Done)
}

fn desk(arguments: &Arguments) -> Result<Exit, exit::Stop> {
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
    tui::open(pour, &arguments.look, arguments.follow, None)
}

fn man() -> Result<Exit, exit::Stop> {
    let mut page = Vec::new();
    clap_mangen::Man::new(Arguments::command()).render(&mut page).map_err(exit::Stop::output)?;
    write_out(&page)
}

mod tui {
    //! The way from arguments to the desk.

    use super::{
        Exit,
        args::{Look, Pour},
        exit::Stop,
        pour,
    };
    use crate::tui::{self, Setup};

    /// Opens the desk on what the arguments name.
    pub(super) fn open(
        args: &Pour,
        look: &Look,
        follow: bool,
        title: Option<&str>,
    ) -> Result<Exit, Stop> {
        let found = pour::discover(args, true)?;
        if found.sources.is_empty() && found.places.is_empty() {
            return Err(Stop::unread(found.problems));
        }
        let setup = Setup {
            title: title.map_or_else(|| pour::title(args), str::to_owned),
            options: pour::options(args, true)?,
            conditions: pour::Conditions::of(args)?,
            settings: pour::settings(args)?,
            timings: look.timings.clone(),
            palette: look.palette,
            follow: follow || found.sources.iter().any(|s| s.name == "stdin"),
            found,
        };
        tui::run(setup).map_err(Stop::terminal)?;
        Ok(Exit::Done)
    }
}
pub(crate) use args::Palette;
#[cfg(test)]
pub(crate) use args::Pour;
pub(crate) use pour::Conditions;
