//! From arguments to sources that are read, and to the meshes they ask for.

use std::{
    io::{self, IsTerminal},
    path::PathBuf,
    sync::Arc,
};

use cribrum_core::{
    Dialect, LayoutId,
    engine::{Engine, Options, Snapshot},
    entry::{Level, Severity},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    source::{self, Discovery},
};
use jiff::tz::TimeZone;

use super::{
    args::Pour,
    exit::{Stop, tell},
};

/// Finds the sources and tells of those that were left out. Without any, standard input is read.
pub(crate) fn discover(args: &Pour) -> Result<Discovery, Stop> {
    let mut arguments = args.sources.clone();
    if arguments.is_empty() {
        if io::stdin().is_terminal() {
            return Err(Stop::usage(
                "nothing to read; name files or folders, or pipe something in",
            ));
        }
        arguments.push(PathBuf::from("-"));
    }
    Ok(source::discover(&arguments))
}

/// A short name for all that is poured in.
pub(crate) fn title(args: &Pour) -> String {
    let name = |path: &PathBuf| {
        let shown = path
            .file_name()
            .map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
        if path.is_dir() { format!("{shown}/") } else { shown }
    };
    match args.sources.as_slice() {
        [] => "stdin".to_owned(),
        [one] if one.as_os_str() == "-" => "stdin".to_owned(),
        [one] => name(one),
        [first, ..] => format!("{} …", name(first)),
    }
}

pub(crate) fn zone(args: &Pour) -> Result<Option<TimeZone>, Stop> {
    match args.zone.as_deref() {
        None => Ok(None),
        Some("local") => Ok(Some(TimeZone::system())),
        Some(name) => TimeZone::get(name).map(Some).map_err(|_| {
            Stop::usage(format!(
                "`{name}` is no time zone; write UTC, local, or a name like Europe/Rome"
            ))
        }),
    }
}

pub(crate) fn options(args: &Pour, follow: bool) -> Result<Options, Stop> {
    let forced = match args.layout.as_deref() {
        None => None,
        Some(name) => Some(LayoutId::named(name).ok_or_else(|| {
            let names: Vec<_> = LayoutId::all().map(LayoutId::name).collect();
            Stop::usage(format!("`{name}` is no layout; the layouts are {}", names.join(", ")))
        })?),
    };
    Ok(Options { dialect: Dialect::new(zone(args)?, forced), follow, eager: follow })
}

/// What the arguments let through, checked as far as that can be done before anything is read.
#[derive(Clone, Debug, Default)]
pub(crate) struct Conditions {
    pub(crate) zone: Option<TimeZone>,
    level: Option<Level>,
    texts: Vec<String>,
}

impl Conditions {
    pub(crate) fn of(args: &Pour) -> Result<Self, Stop> {
        let level = match args.level.as_deref() {
            None => None,
            Some(name) => {
                Some(Severity::read(name.as_bytes()).map(Severity::level).ok_or_else(|| {
                    let names: Vec<_> = Level::ALL.iter().map(|level| level.name()).collect();
                    Stop::usage(format!(
                        "`{name}` is no level; the levels are {}",
                        names.join(", ")
                    ))
                })?)
            }
        };
        let mut texts = args.conditions.clone();
        let quoted =
            |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
        match (&args.from, &args.to) {
            (Some(from), Some(to)) => {
                texts.push(format!("time in {}..{}", quoted(from), quoted(to)));
            }
            (Some(from), None) => texts.push(format!("time >= {}", quoted(from))),
            (None, Some(to)) => texts.push(format!("time <= {}", quoted(to))),
            (None, None) => {}
        }
        if let Some(id) = &args.id {
            texts.push(format!("id = {}", quoted(id)));
        }
        let conditions = Self { zone: zone(args)?, level, texts };
        // A day to try clock times on, until the data's own is known.
        conditions.sieve(Some(0))?;
        Ok(conditions)
    }

    /// The sieve, with clock times on the day of `last`.
    pub(crate) fn sieve(&self, last: Option<i64>) -> Result<Sieve, Stop> {
        let context = Context { zone: self.zone.clone(), last };
        let mut sieve = Sieve::default();
        for text in &self.texts {
            let expr = Expr::parse(text, &context).map_err(|error| {
                let column = text.get(..error.at).unwrap_or(text).chars().count();
                Stop::usage(format!("{error}\n  {text}\n  {}^", " ".repeat(column)))
            })?;
            sieve.meshes.push(Mesh::of(expr));
        }
        sieve.set_floor(self.level);
        Ok(sieve)
    }
}

/// What a command works on: everything read and sifted.
pub(crate) struct Poured {
    pub(crate) engine: Engine,
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) zone: Option<TimeZone>,
    /// Something that was asked for could not be read.
    pub(crate) unread: bool,
}

/// Reads and sifts everything that the arguments name.
pub(crate) fn pour(args: &Pour) -> Result<Poured, Stop> {
    let options = options(args, false)?;
    let conditions = Conditions::of(args)?;
    let found = discover(args)?;
    if found.sources.is_empty() {
        return Err(Stop::unread(found.problems));
    }
    let mut unread = false;
    for problem in &found.problems {
        unread |= problem.fatal;
        tell(&format!("{}: {}", problem.source, problem.message));
    }
    let veil = crate::veil_key::veil();
    let engine = Engine::start(found.sources, options, veil, || {})
        .map_err(|error| Stop::source(format!("can't start reading: {error}")))?;
    let snapshot = engine.wait(Snapshot::loaded);
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        if let Some(problem) = &status.problem {
            unread = true;
            tell(&format!("{}: {problem}", source.name));
        }
    }
    let sieve = conditions.sieve(snapshot.span().map(|(_, last)| last))?;
    let snapshot = if sieve.meshes.is_empty() {
        snapshot
    } else {
        engine.set_sieve(sieve.clone());
        engine.wait(|snapshot| snapshot.sieve == sieve && snapshot.settled())
    };
    Ok(Poured { engine, snapshot, zone: conditions.zone, unread })
}
