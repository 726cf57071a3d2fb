//! Arguments, and every command that writes to standard output. Results go there, messages to standard
//! error.

mod args;
mod demo;
mod draw;
mod exit;
mod intake;
mod pour;
mod sift;
mod trail;
mod watch;

use std::io::{self, IsTerminal, Write};

use clap::{CommandFactory, Parser};

use args::{Arguments, Command};
pub(crate) use exit::Exit;

/// Runs what the arguments ask for.
pub(crate) fn run() -> Exit {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let wrong = error.use_stderr();
            // Nothing can be told where neither output takes it.
            let _ = error.print();
            return if wrong { Exit::Usage } else { Exit::Done };
        }
    };
    let result = match arguments.command {
        None => desk(&arguments),
        Some(Command::Sift(args)) => sift::run(&args),
        Some(Command::Trail(args)) => trail::run(&args),
        Some(Command::Draw(args)) => draw::run(&args),
        Some(Command::Watch(args)) => watch::run(&args),
        Some(Command::Intake(args)) => intake::run(&args),
        Some(Command::Demo(args)) => demo::run(&args),
        Some(Command::Completions { shell }) => {
            clap_complete::generate(shell, &mut Arguments::command(), "cribrum", &mut io::stdout());
            Ok(Exit::Done)
        }
        Some(Command::Man) => man(),
    };
    result.unwrap_or_else(|exit| {
        exit.tell();
        exit.code()
    })
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
    tui::open(pour, &arguments.look, None)
}

fn man() -> Result<Exit, exit::Stop> {
    clap_mangen::Man::new(Arguments::command())
        .render(&mut io::stdout())
        .map_err(exit::Stop::output)?;
    Ok(Exit::Done)
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
    pub(super) fn open(args: &Pour, look: &Look, title: Option<&str>) -> Result<Exit, Stop> {
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
            follow: args.follow || found.sources.iter().any(|s| s.name == "stdin"),
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
