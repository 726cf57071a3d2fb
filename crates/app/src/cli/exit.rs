//! How the program ends.

use std::{
    io::{self, Write},
    process::ExitCode,
};

use cribrum_core::ingest::Problem;

use crate::{mistake, output::Refused};

/// The exit codes. Where several hold, the order is usage, output, source, nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Exit {
    /// 0
    Done,
    /// 1: nothing matched
    Nothing,
    /// 2: wrong use
    Usage,
    /// 3: a source could not be read, even if others were
    Source,
    /// 4: an output failed, or memory ran out
    Output,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Done => 0,
            Exit::Nothing => 1,
            Exit::Usage => 2,
            Exit::Source => 3,
            Exit::Output => 4,
        })
    }
}

impl Exit {
    /// The code of a command that has written what it found.
    pub(crate) fn of(found: bool, unread: bool) -> Self {
        if unread {
            Self::Source
        } else if found {
            Self::Done
        } else {
            Self::Nothing
        }
    }
}

/// A reason to end early, with the messages for it.
#[derive(Debug)]
pub(crate) struct Stop {
    exit: Exit,
    messages: Vec<String>,
}

impl Stop {
    pub(crate) fn usage(message: impl Into<String>) -> Self {
        Self { exit: Exit::Usage, messages: vec![message.into()] }
    }

    pub(crate) fn nothing(message: impl Into<String>) -> Self {
        Self { exit: Exit::Nothing, messages: vec![message.into()] }
    }

    /// An output that failed. A pipe that was closed ends the program quietly.
    #[expect(clippy::needless_pass_by_value, reason = "it is what `map_err` hands over")]
    pub(crate) fn output(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::BrokenPipe {
            return Self { exit: Exit::Done, messages: Vec::new() };
        }
        if let Some(refused) = error.get_ref().and_then(|inner| inner.downcast_ref::<Refused>()) {
            return Self::usage(refused.to_string());
        }
        Self { exit: Exit::Output, messages: vec![format!("can't write: {error}")] }
    }

    pub(crate) fn source(message: impl Into<String>) -> Self {
        Self { exit: Exit::Source, messages: vec![message.into()] }
    }

    /// The threads that read could not be started.
    #[expect(clippy::needless_pass_by_value, reason = "it is what `map_err` hands over")]
    pub(crate) fn engine(error: io::Error) -> Self {
        let hint = if error.kind() == io::ErrorKind::WouldBlock {
            ": more memory or more threads must be allowed (`ulimit -v`, `ulimit -u`)"
        } else {
            ""
        };
        Self::source(format!("can't start reading: {error}{hint}"))
    }

    pub(crate) fn unread(problems: Vec<Problem>) -> Self {
        Self {
            exit: Exit::Source,
            messages: problems
                .into_iter()
                .map(|p| format!("{}: {}", p.source, p.message))
                .collect(),
        }
    }

    #[expect(clippy::needless_pass_by_value, reason = "it is what `map_err` hands over")]
    pub(crate) fn terminal(error: io::Error) -> Self {
        if let Some(refused) = error.get_ref().and_then(|inner| inner.downcast_ref::<Refused>()) {
            return Self::usage(refused.to_string());
        }
        Self { exit: Exit::Output, messages: vec![format!("the terminal can't be used: {error}")] }
    }

    pub(crate) fn code(&self) -> Exit {
        self.exit
    }

    pub(crate) fn tell(&self) {
        for message in &self.messages {
            tell(message);
        }
    }
}

/// Writes a message to standard error. Text of the user's own, such as a path, may hold control bytes and secrets.
pub(crate) fn tell(message: &str) {
    let message = mistake::without_secrets(message);
    let text = cribrum_core::veil::harmless(message.as_str());
    // When this fails too, there is no way left to report it.
    let _ = writeln!(io::stderr(), "cribrum: {text}");
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_say_what_matters_most() {
        for (found, unread, want) in [
            (true, false, Exit::Done),
            (false, false, Exit::Nothing),
            (true, true, Exit::Source),
            (false, true, Exit::Source),
        ] {
            assert_eq!(Exit::of(found, unread), want);
        }
        let closed = Stop::output(io::ErrorKind::BrokenPipe.into());
        assert_eq!(
            (closed.code(), closed.messages.len()),
            (Exit::Done, 0),
            "a closed pipe is no failure"
        );
        assert_eq!(Stop::output(io::ErrorKind::StorageFull.into()).code(), Exit::Output);
        let kind = cribrum_core::ingest::Gravity::Missing;
        let problem = Problem { source: "a".into(), message: "gone".into(), kind };
        assert_eq!(Stop::unread(vec![problem]).messages, ["a: gone"]);
    }
}
