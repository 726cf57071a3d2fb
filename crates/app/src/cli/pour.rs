//! From arguments to sources that are read, and to the meshes they ask for.

use std::{
    io::{self, IsTerminal},
    path::{Path, PathBuf},
    sync::Arc,
};

use cribrum_core::{
    Dialect, LayoutId,
    engine::{self, Engine, Options, Pass, Remedy, Snapshot},
    entry::{Correction, Level, Severity, civil, declare_ids},
    ingest::{self, Discovery, Problem, Wanted},
    query,
    requests::Requests,
    sieve::{Mesh, Sieve},
    source::Origin,
    trail,
    veil::{Action, Veil, harmless},
};
use jiff::tz::TimeZone;

use super::{
    args::Pour,
    exit::{Stop, tell},
};
use crate::{
    conditions::Conditions,
    present::{cause, clock_off_text, counted},
    settings::{self, Decision, Folders, Kept, Settings},
};

/// Finds the sources and tells of those that were left out. Without any, standard input is read. While following,
/// what is not there yet is waited for.
pub(crate) fn discover(args: &Pour, follow: bool) -> Result<Discovery, Stop> {
    let mut arguments = args.sources.clone();
    if arguments.is_empty() {
        if io::stdin().is_terminal() {
            return Err(Stop::usage(
                "nothing to read; name files or folders, or pipe something in",
            ));
        }
        arguments.push(PathBuf::from("-"));
    }
    let wanted = Wanted { follow, exclude: args.exclude.clone() };
    let found = ingest::discover_wanted(&arguments, wanted);
    crate::output::protect(&found.sources);
    for (name, _) in clocks(args)? {
        if !found.places.is_empty() {
            // The source may come later.
            continue;
        }
        if !found.sources.iter().any(|source| source.name == name || source.label == name) {
            let names: Vec<&str> = found.sources.iter().map(|s| s.name.as_str()).collect();
            let names = names.join(", ");
            return Err(Stop::usage(format!("`{name}` is no source; the sources are {names}")));
        }
    }
    Ok(found)
}

/// The names of sources whose clocks are off, and what sets them right.
fn clocks(args: &Pour) -> Result<Vec<(String, Correction)>, Stop> {
    let read = |text: &String| {
        let (name, clock) = text.rsplit_once('=').ok_or_else(|| {
            Stop::usage(format!(
                "`{text}` sets no clock; write SOURCE=CLOCK, as gate.log=-1.5s or gate.log=Europe/Rome"
            ))
        })?;
        Ok((name.to_owned(), clock.parse().map_err(Stop::usage)?))
    };
    args.clocks.iter().map(read).collect()
}

/// A short name for all that is poured in.
pub(crate) fn title(args: &Pour) -> String {
    let name = |path: &PathBuf| {
        let shown = path
            .file_name()
            .map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
        let shown = harmless(&shown).replace(['\n', '\t'], "␤");
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
    let Some(name) = args.zone.as_deref() else { return Ok(None) };
    cribrum_core::entry::zone(name).map(Some).ok_or_else(|| {
        Stop::usage(format!(
            "`{name}` is no time zone; write UTC, local, +01:00, or a name like Europe/Rome"
        ))
    })
}

pub(crate) fn options(args: &Pour, settings: &Settings, follow: bool) -> Result<Options, Stop> {
    let mut own = settings.layouts.clone();
    let forced = match args.layout.as_deref() {
        None => None,
        Some(name) => {
            if let Some(chosen) = own.iter().find(|own| own.name() == name) {
                let id = chosen.id();
                own = vec![chosen.clone()];
                Some(id)
            } else {
                Some(LayoutId::named(name).ok_or_else(|| {
                    let mut names: Vec<String> = LayoutId::all()
                        .map(|id| id.name().to_owned())
                        .filter(|name| name != "own")
                        .chain(own.iter().map(|own| own.name().to_owned()))
                        .collect();
                    names.sort_unstable();
                    let names = names.join(", ");
                    Stop::usage(format!("`{name}` is no layout; the layouts are {names}"))
                })?)
            }
        }
    };
    let dialect = Dialect::new(zone(args)?, forced).taught(own);
    Ok(Options {
        dialect,
        follow,
        eager: follow,
        volume: follow,
        clocks: clocks(args)?,
        ..Options::default()
    })
}

/// What the files of settings say that belong to the arguments.
pub(crate) fn settings(args: &Pour) -> Result<Settings, Stop> {
    let settings = settings::load(&args.sources, &Folders::user()).map_err(Stop::usage)?;
    declare_ids(&settings.ids);
    Ok(settings)
}

/// The veil, as settings and arguments have it.
pub(crate) fn veil(args: &Pour, settings: &Settings) -> Result<Veil, Stop> {
    let mut decided = settings.veil.clone();
    for (words, action) in [(&args.veil, Action::Hide), (&args.unveil, Action::Keep)] {
        for word in words {
            decided.decisions.push(Decision::about(word, action).map_err(Stop::usage)?);
        }
    }
    decided.key = args.veil_key.clone().or(decided.key);
    let (veil, note) = settings::veil(&Folders::user(), &decided).map_err(Stop::usage)?;
    if let Some(note) = note {
        tell(&note);
    }
    Ok(veil)
}

/// What the arguments let through, checked as far as that can be done before anything is read.
pub(crate) fn conditions(args: &Pour, settings: &Settings) -> Result<Conditions, Stop> {
    let level = args.level.as_deref().map(level_named).transpose()?;
    let quiet = args.quiet.iter().map(|text| match text.rsplit_once('=') {
        Some((logger, level)) if !logger.is_empty() => Ok((logger.to_owned(), level_named(level)?)),
        _ => Err(Stop::usage(format!(
            "`{text}` quietens nothing; write LOGGER=LEVEL, as http.client=warn"
        ))),
    });
    let mut texts = args.conditions.clone();
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    match (&args.from, &args.to) {
        (Some(from), Some(to)) => texts.push(format!("time in {}..{}", quoted(from), quoted(to))),
        (Some(from), None) => texts.push(format!("time >= {}", quoted(from))),
        (None, Some(to)) => texts.push(format!("time <= {}", quoted(to))),
        (None, None) => {}
    }
    if let Some(id) = &args.id {
        texts.push(format!("id = {}", quoted(id)));
    }
    let kept: Result<_, _> =
        args.sieves.iter().map(|name| chosen(&settings.sieves, name)).collect();
    let quiet: Result<_, _> = quiet.collect();
    let kinds = settings.kind_names();
    let conditions =
        Conditions { zone: zone(args)?, level, kept: kept?, quiet: quiet?, kinds, texts };
    conditions.check().map_err(Stop::usage)?;
    Ok(conditions)
}

/// Tells why a sieve let nothing through, and what was perhaps meant.
pub(crate) fn explain(snapshot: &Snapshot, zone: Option<&TimeZone>) {
    if !snapshot.pan.is_empty() || snapshot.order.is_empty() {
        return;
    }
    let utc = TimeZone::UTC;
    let moment = |time| civil(time, zone.unwrap_or(&utc)).strftime("%Y-%m-%d %H:%M:%S").to_string();
    for finding in engine::diagnose(snapshot, &Pass::default()).unwrap_or_default() {
        let meshes = &snapshot.sieve.meshes;
        let label = |mesh: &Mesh| snapshot.label_to_share(mesh).to_string();
        let name = meshes.get(finding.mesh).map(label).unwrap_or_default();
        let own = |text: &str| snapshot.own_text_to_share(text).for_terminal().into_owned();
        let cause = cause(&own, &finding, &name, &moment);
        match &finding.remedy {
            Some((Remedy::Off(_), _)) => {}
            Some((Remedy::Rewrite, sieve)) => {
                let meant = sieve.meshes.get(finding.mesh).map(label).unwrap_or_default();
                tell(&format!("{cause} Did you mean: {meant}"));
            }
            _ => tell(&cause),
        }
    }
}

fn level_named(name: &str) -> Result<Level, Stop> {
    Severity::read(name.as_bytes()).map(Severity::level).ok_or_else(|| {
        let names: Vec<_> = Level::ALL.iter().map(|level| level.name()).collect();
        Stop::usage(format!("`{name}` is no level; the levels are {}", names.join(", ")))
    })
}

/// The kept sieve of a name.
fn chosen(kept: &[Kept], name: &str) -> Result<Kept, Stop> {
    kept.iter().find(|kept| kept.name == name).cloned().ok_or_else(|| {
        let names = || kept.iter().map(|kept| kept.name.as_str());
        Stop::usage(match (query::nearest(name, names()), kept.is_empty()) {
            (Some(near), _) => format!("no sieve is kept as `{name}`; did you mean `{near}`?"),
            (None, true) => format!("no sieve is kept as `{name}`; S on the desk keeps one"),
            (None, false) => {
                let names: Vec<&str> = names().collect();
                format!("no sieve is kept as `{name}`; there are {}", names.join(", "))
            }
        })
    })
}

/// What a command works on: everything read and sifted.
pub(crate) struct Poured {
    pub(crate) engine: Engine,
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) zone: Option<TimeZone>,
    /// Something that was asked for could not be read.
    pub(crate) unread: bool,
}

/// What a command writes out.
pub(crate) struct Passed {
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) zone: Option<TimeZone>,
    /// Something that was asked for could not be read.
    pub(crate) unread: bool,
}

impl From<Poured> for Passed {
    fn from(poured: Poured) -> Self {
        Self { snapshot: poured.snapshot, zone: poured.zone, unread: poured.unread }
    }
}

/// Reads and sifts everything that the arguments name. An output that is one of the sources is refused before.
pub(crate) fn pour(args: &Pour, output: Option<&Path>) -> Result<Poured, Stop> {
    pour_asked(Asked::of(args, output)?)
}

/// The same, once it is known what is asked for.
pub(crate) fn pour_asked(asked: Asked) -> Result<Poured, Stop> {
    let Asked { found, options, conditions, veil, beside } = asked;
    read(found, options, &conditions, veil, beside)
}

/// What a command is to read, and what it is to let through.
pub(crate) struct Asked {
    pub(crate) found: Discovery,
    pub(crate) options: Options,
    pub(crate) conditions: Conditions,
    pub(crate) veil: Veil,
    /// What passes depends on other entries: on runs, or on requests and responses that were printed apart.
    pub(crate) beside: bool,
}

impl Asked {
    /// What the arguments name. An output that is one of the sources is refused.
    pub(crate) fn of(args: &Pour, output: Option<&Path>) -> Result<Self, Stop> {
        let settings = settings(args)?;
        let options = options(args, &settings, false)?;
        let conditions = self::conditions(args, &settings)?;
        let veil = veil(args, &settings)?;
        let found = found(args, output)?;
        let beside = asks_beside(&found, &options, &conditions, &veil)?;
        Ok(Self { found, options, conditions, veil, beside })
    }

    /// Whether something that was asked for can't be read.
    pub(crate) fn unread(&self) -> bool {
        self.found.problems.iter().any(Problem::is_fatal)
    }

    /// The sieve, where it does not depend on what the last entry is.
    pub(crate) fn fixed(&self) -> Option<Sieve> {
        self.conditions.fixed()
    }

    /// The entries that pass, where a literal tells where they are without reading everything. `numbered` says that
    /// the numbers of their lines are wanted.
    pub(crate) fn searched(&self, numbered: bool) -> Option<Passed> {
        let sieve = self.fixed().filter(|sieve| !sieve.meshes.is_empty() && !self.beside)?;
        let snapshot = engine::search(&self.found, &self.options, &sieve, &self.veil, numbered)?;
        // Why nothing is left is told by everything there is.
        (!snapshot.pan.is_empty()).then(|| Passed {
            snapshot: Arc::new(snapshot),
            zone: self.conditions.zone.clone(),
            unread: self.unread(),
        })
    }

    /// The entries that pass, all in the order of time.
    pub(crate) fn read(self) -> Result<Passed, Stop> {
        Ok(read(self.found, self.options, &self.conditions, self.veil, self.beside)?.into())
    }
}

/// What passes from the ends of files, as far as it takes for the last `most` entries that pass.
pub(crate) fn pour_last(args: &Pour, output: Option<&Path>, most: usize) -> Result<Poured, Stop> {
    let Asked { found, mut options, conditions, veil, beside } = Asked::of(args, output)?;
    if beside {
        // What stands before the end counts as well.
        return read(found, options, &conditions, veil, beside);
    }
    let mut bytes = LAST_BYTES;
    loop {
        options.last_bytes = Some(bytes);
        let poured = read(found.clone(), options.clone(), &conditions, veil.clone(), false)?;
        if has_last(&poured.snapshot, most) {
            return Ok(poured);
        }
        bytes = bytes.saturating_mul(8);
    }
}

/// Bytes of each file's end that are read first where only the last entries are wanted.
pub(crate) const LAST_BYTES: u64 = 256 << 10;

/// Whether the last entries of the pan are those of all entries: the parts of files that were not read come
/// before them.
fn has_last(snapshot: &Snapshot, most: usize) -> bool {
    let partial = || snapshot.status.iter().filter(|status| status.inside);
    if partial().next().is_none() {
        return true;
    }
    let first = snapshot.pan.len().checked_sub(most.max(1)).and_then(|row| snapshot.pan.get(row));
    let time = first.and_then(|id| snapshot.time(id));
    match (first, time) {
        (None, _) => false,
        (Some(_), None) => snapshot.sources.len() == 1,
        (Some(_), Some(time)) => {
            partial().all(|status| status.span.is_some_and(|(first, _)| first <= time))
        }
    }
}

/// The sources, told of what is wrong with them.
fn found(args: &Pour, output: Option<&Path>) -> Result<Discovery, Stop> {
    let found = discover(args, false)?;
    output.map_or(Ok(()), crate::output::check_target).map_err(Stop::output)?;
    if found.sources.is_empty() {
        return Err(Stop::unread(found.problems));
    }
    for problem in &found.problems {
        tell(&format!("{}: {}", problem.source, problem.message));
    }
    Ok(found)
}

/// Bytes of each file's end that tell whether requests and responses are printed apart.
const SAMPLE_BYTES: u64 = 128 << 10;

/// Whether what passes depends on other entries. Runs always do; what requests and responses have in common only where
/// the ends of files hold some that were printed apart. What comes through a pipe is not looked at before.
fn asks_beside(
    found: &Discovery,
    options: &Options,
    conditions: &Conditions,
    veil: &Veil,
) -> Result<bool, Stop> {
    let sieve = conditions.sieve(Some(0), Some(0)).map_err(Stop::usage)?;
    let piped = || found.sources.iter().any(|source| source.origin == Origin::Stdin);
    if sieve.asks_for_runs() || !sieve.asks_for_exchanges() || piped() {
        return Ok(sieve.asks_for_runs());
    }
    let options = Options { ids: true, last_bytes: Some(SAMPLE_BYTES), ..options.clone() };
    let engine =
        Engine::start(found.clone(), options, veil.clone(), || {}).map_err(Stop::engine)?;
    Ok(engine.wait(Snapshot::is_related).has_exchanges())
}

fn read(
    found: Discovery,
    options: Options,
    conditions: &Conditions,
    veil: Veil,
    beside: bool,
) -> Result<Poured, Stop> {
    let options = Options { ids: options.ids || beside, ..options };
    let mut unread = found.problems.iter().any(Problem::is_fatal);
    let engine = Engine::start(found, options, veil, || {}).map_err(Stop::engine)?;
    let read = |snapshot: &Snapshot| snapshot.loaded() && (!beside || snapshot.is_related());
    let snapshot = engine.wait(read);
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        if let Some(problem) = &status.problem {
            unread = true;
            tell(&format!("{}: {problem}", source.name));
        }
    }
    let (first, last) = snapshot.span().unzip();
    let sieve = conditions.sieve(first, last).map_err(Stop::usage)?;
    let snapshot = if sieve.meshes.is_empty() {
        snapshot
    } else {
        engine.set_sieve(sieve.clone());
        engine.wait(|snapshot| snapshot.sieve == sieve && snapshot.settled())
    };
    tell_failing(snapshot.failing);
    tell_unitless(snapshot.unitless.iter().sum());
    Ok(Poured { engine, snapshot, zone: conditions.zone.clone(), unread })
}

/// Tells of clocks that seem to be off, and what would set them right.
pub(crate) fn tell_clocks(snapshot: &Snapshot, requests: &Requests, pass: &Pass) {
    for off in trail::clocks_off(snapshot, requests, pass).unwrap_or_default() {
        let text = clock_off_text(&snapshot.sources, &off);
        let known = snapshot.status[off.source].clock.clone();
        let clock = Correction { shift: known.shift + off.shift, ..known };
        let name = &snapshot.sources[off.source].name;
        match clock.is_none() {
            true => tell(&format!(
                "{text}; without --clock '{name}={}' it is right",
                snapshot.status[off.source].clock
            )),
            false => tell(&format!("{text}; --clock '{name}={clock}' sets it right")),
        }
    }
}

/// Tells that so many entries have a number without a unit where a condition asks for a duration.
pub(crate) fn tell_unitless(entries: usize) {
    if entries > 0 {
        tell(&format!(
            "{} could not be judged by a duration: a number without a unit may be seconds or milliseconds; compare it with a \
             number, as in duration > 250",
            counted(entries, "entry")
        ));
    }
}

/// Tells that a condition failed at so many blocks.
pub(crate) fn tell_failing(blocks: usize) {
    if blocks > 0 {
        tell(
            "a condition failed at some entries, by an error in Cribrum itself; they are all let through",
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pour(more: impl FnOnce(&mut Pour)) -> Pour {
        let mut pour = Pour::default();
        more(&mut pour);
        pour
    }

    fn written(args: &Pour) -> Vec<String> {
        let sieve =
            conditions(args, &Settings::default()).unwrap().sieve(Some(0), Some(0)).unwrap();
        sieve.meshes.iter().map(ToString::to_string).collect()
    }

    #[test]
    fn arguments_become_meshes() {
        let args = pour(|args| {
            args.conditions = vec!["a b".into(), "status = 1".into()];
            args.level = Some("WARNING".into());
            args.from = Some("06:38".into());
            args.id = Some("two words".into());
        });
        assert_eq!(
            written(&args),
            ["level ≥ warn", "a and b", "status = 1", "time >= 06:38", "id = \"two words\""]
        );
        let args = pour(|args| {
            (args.from, args.to) = (Some("-15min".into()), Some("1970-01-01 00:00".into()));
        });
        assert_eq!(written(&args), ["time in -15min..\"1970-01-01 00:00\""]);
        assert_eq!(written(&Pour::default()), Vec::<String>::new());
    }

    #[test]
    fn mistakes_are_found_before_anything_is_read() {
        for more in [
            |args: &mut Pour| args.level = Some("loud".into()),
            |args: &mut Pour| args.conditions = vec!["(".into()],
            |args: &mut Pour| args.to = Some("late".into()),
            |args: &mut Pour| args.zone = Some("Nowhere/Land".into()),
        ] {
            let stop = super::conditions(&pour(more), &Settings::default()).unwrap_err();
            assert_eq!(stop.code(), super::super::Exit::Usage);
        }
        let layout = |name: &str| {
            let args = pour(|args| args.layout = Some(name.into()));
            options(&args, &Settings::default(), false)
        };
        assert!(layout("scroll").is_err());
        assert!(layout("json").is_ok());
    }

    #[test]
    fn clocks_are_set_by_zones_and_durations() {
        for (text, want) in [
            ("gate.log=-1.5s", Some(("gate.log", -1_500_000_000))),
            ("a=b.log=2min", Some(("a=b.log", 120_000_000_000))),
            ("gate=+1h 2ms", Some(("gate", 3_600_002_000_000))),
            ("gate", None),
            ("gate=Europe/Rome", Some(("gate", 0))),
            ("gate=+01:00 2s", Some(("gate", 2_000_000_000))),
            ("gate=soon", None),
            ("gate=", None),
            ("gate=5", None),
        ] {
            let read = clocks(&pour(|args| args.clocks = vec![text.into()])).ok();
            let read = read.as_ref().map(|read| (read[0].0.as_str(), read[0].1.shift));
            assert_eq!(read, want, "{text}");
        }
    }

    #[test]
    fn what_is_poured_in_has_a_short_name() {
        let folder = tempfile::tempdir().unwrap();
        let name = folder.path().file_name().unwrap().to_string_lossy().into_owned();
        for (paths, want) in [
            (vec![], "stdin".to_owned()),
            (vec!["-".into()], "stdin".into()),
            (vec!["/var/log/app.log".into()], "app.log".into()),
            (vec!["a.log".into(), "b.log".into()], "a.log …".into()),
            (vec![folder.path().to_owned()], format!("{name}/")),
        ] {
            assert_eq!(title(&pour(|args| args.sources = paths)), want);
        }
    }
}
