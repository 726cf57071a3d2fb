//! Arguments, and every command that writes to standard output. Results go there, messages to standard
//! error.

mod args;
mod compare;
mod demo;
mod desk;
mod draw;
mod exit;
mod following;
mod intake;
mod kinds;
mod pour;
mod requests;
mod sift;
mod table;
mod tally;
mod trail;
mod veil;
mod watch;
mod writing;

use std::io::{self, Write};

use clap::{CommandFactory, Parser};

use crate::mistake;
use args::{Arguments, Command};
pub(crate) use desk::Desk;
pub(crate) use exit::{Exit, tell};

/// Runs what the arguments ask for; `desk` opens the desk where that is it.
pub(crate) fn run(desk: Desk<'_>) -> Exit {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let wrong = error.use_stderr();
            // A value that was typed for an argument may be a secret; help, which is none, keeps its colours.
            let told = error.render().to_string();
            let clean = mistake::without_secrets(&told);
            let printed = match wrong && clean.as_str() != told {
                true => io::stderr().write_all(clean.as_str().as_bytes()),
                false => error.print().and_then(|()| io::stdout().flush()),
            };
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
        None => desk::run(&arguments, desk),
        Some(Command::Sift(args)) => sift::run(&args),
        Some(Command::Trail(args)) => trail::run(&args),
        Some(Command::Requests(args)) => requests::run(&args),
        Some(Command::Tally(args)) => tally::run(&args),
        Some(Command::Kinds(args)) => kinds::run(&args),
        Some(Command::Compare(args)) => compare::run(&args),
        Some(Command::Draw(args)) => draw::run(&args),
        Some(Command::Watch(args)) => watch::run(&args),
        Some(Command::Intake(args)) => intake::run(&args),
        Some(Command::Veil(args)) => veil::run(&args),
        Some(Command::Demo(args)) => demo::run(&args, desk),
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

fn man() -> Result<Exit, exit::Stop> {
    let mut page = Vec::new();
    clap_mangen::Man::new(Arguments::command()).render(&mut page).map_err(exit::Stop::output)?;
    write_out(&page)
}
