//! `cribrum.toml`: the user's own, and those that lie beside the logs for a team to share.
//!
//! ```toml
//! [[layout]]
//! name = "berths"
//! files = "berth*.log"
//! template = "{time} | {session:id} | {level} | {message}"
//! ```

mod kept;

use std::{
    fs,
    path::{Path, PathBuf},
    sync::Arc,
};

use cribrum_core::own::{self, Own, Part, Spec};
use etcetera::BaseStrategy;
use serde::Deserialize;
use toml::Spanned;

pub(crate) use kept::Kept;

/// The name of the file.
pub(crate) const NAME: &str = "cribrum.toml";

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Config {
    #[serde(default)]
    ids: Vec<String>,
    #[serde(default)]
    layout: Vec<Layout>,
    #[serde(default)]
    sieve: Vec<kept::Table>,
    watch: Option<Watching>,
}

/// How the desk tells of what a watch has seen.
#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct Watching {
    /// The terminal's bell rings.
    pub(crate) bell: bool,
    /// The terminal's title counts.
    pub(crate) title: bool,
}

impl Default for Watching {
    fn default() -> Self {
        Self { bell: true, title: true }
    }
}

/// All that the files of settings say.
#[derive(Clone, Debug, Default)]
pub(crate) struct Settings {
    /// Taught layouts, those beside the logs first.
    pub(crate) layouts: Vec<Arc<Own>>,
    /// Names of fields that are ids, whatever the layout.
    pub(crate) ids: Vec<String>,
    /// Kept sieves, those beside the logs first.
    pub(crate) sieves: Vec<Kept>,
    /// As the nearest file that says so has it.
    pub(crate) watch: Option<Watching>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Layout {
    name: Spanned<String>,
    files: Option<Spanned<String>>,
    template: Option<Spanned<String>>,
    pattern: Option<Spanned<String>>,
    time: Option<Spanned<String>>,
    zone: Option<Spanned<String>>,
    #[serde(default)]
    ids: Vec<String>,
    continues: Option<Spanned<String>>,
}

impl Layout {
    fn spec(&self) -> Spec {
        let text = |value: &Option<Spanned<String>>| value.as_ref().map(|v| v.get_ref().clone());
        Spec {
            name: self.name.get_ref().clone(),
            files: text(&self.files),
            template: text(&self.template),
            pattern: text(&self.pattern),
            time: text(&self.time),
            zone: text(&self.zone),
            ids: self.ids.clone(),
            continues: text(&self.continues),
        }
    }

    /// Where the wrong part of a value stands in the file.
    fn place(&self, error: &own::Error) -> usize {
        let value = match error.part {
            Part::Files => &self.files,
            Part::Template => &self.template,
            Part::Pattern => &self.pattern,
            Part::Time => &self.time,
            Part::Zone => &self.zone,
            Part::Continues => &self.continues,
        };
        match value {
            // Behind the quote that opens it.
            Some(value) => value.span().start + 1 + error.at,
            None => self.name.span().start,
        }
    }
}

/// The settings in the files beside the sources and in the user's, the nearer first.
///
/// # Errors
///
/// A message with file, line, column and what was expected.
pub(crate) fn settings(sources: &[PathBuf]) -> Result<Settings, String> {
    let mut files: Vec<PathBuf> = Vec::new();
    for source in sources {
        let file = folder_of(source).join(NAME);
        if !files.contains(&file) {
            files.push(file);
        }
    }
    files.extend(user_file());
    let mut found = Settings::default();
    let mut watch = None;
    for file in files {
        let text = match fs::read_to_string(&file) {
            Ok(text) => text,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => continue,
            Err(error) => return Err(format!("{}: can't be read: {error}", file.display())),
        };
        let more = read(&text, &file).map_err(|(at, what)| located(&file, &text, at, &what))?;
        found.layouts.extend(more.layouts);
        found.sieves.extend(more.sieves);
        found.ids.extend(more.ids);
        watch = watch.or(more.watch);
    }
    found.watch = watch;
    Ok(found)
}

/// The folder that a source lies in, or is.
pub(crate) fn folder_of(source: &Path) -> &Path {
    let folder = if source.is_dir() { Some(source) } else { source.parent() };
    folder.unwrap_or(Path::new(""))
}

/// The user's own file.
pub(crate) fn user_file() -> Option<PathBuf> {
    let base = etcetera::choose_base_strategy().ok()?;
    Some(base.config_dir().join("cribrum").join(NAME))
}

fn read(text: &str, file: &Path) -> Result<Settings, (usize, String)> {
    let config: Config = toml::from_str(text)
        .map_err(|error| (error.span().map_or(0, |span| span.start), error.message().to_owned()))?;
    let made = config.layout.iter().map(|layout| {
        let made = Own::new(&layout.spec());
        made.map(Arc::new).map_err(|error| (layout.place(&error), error.to_string()))
    });
    let layouts: Result<_, _> = made.collect();
    let sieves: Result<_, _> =
        config.sieve.iter().map(|table| table.kept(file.to_owned())).collect();
    Ok(Settings { layouts: layouts?, ids: config.ids, sieves: sieves?, watch: config.watch })
}

/// A mistake with its file, line and column, and the line itself.
fn located(file: &Path, text: &str, at: usize, message: &str) -> String {
    let before = text.get(..at).unwrap_or(text);
    let line = before.matches('\n').count() + 1;
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let column = text.get(start..at).unwrap_or_default().chars().count() + 1;
    let whole = text.lines().nth(line - 1).unwrap_or_default();
    format!(
        "{}:{line}:{column}: {message}\n  {whole}\n  {}^",
        file.display(),
        " ".repeat(column - 1)
    )
}

/// Adds a table to a file, which is made where there is none.
///
/// # Errors
///
/// Those of reading and writing the file.
pub(crate) fn add(path: &Path, table: &str) -> std::io::Result<()> {
    let text = match fs::read_to_string(path) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => String::new(),
        Err(error) => return Err(error),
    };
    crate::output::write_file(path, format!("{text}{table}").trim_start().as_bytes())
}

/// Keeps a sieve in its file, in the place of the one of its name.
///
/// # Errors
///
/// Those of reading and writing the file.
pub(crate) fn keep(kept: &Kept) -> std::io::Result<()> {
    if let Some(folder) = kept.file.parent() {
        fs::create_dir_all(folder)?;
    }
    let text = match fs::read_to_string(&kept.file) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => String::new(),
        Err(error) => return Err(error),
    };
    let text = without(&text, kept) + &kept.table();
    crate::output::write_file(&kept.file, text.trim_start().as_bytes())
}

/// A file of settings without the sieve of this name.
fn without(text: &str, kept: &Kept) -> String {
    let name = kept.table().lines().find(|line| line.starts_with("name = ")).map(str::to_owned);
    let mut out = String::new();
    let mut section = String::new();
    let mut flush = |section: &mut String| {
        let same = section.starts_with("[[sieve]]")
            && name.as_ref().is_some_and(|name| section.lines().any(|line| line.trim() == name));
        if !same {
            out.push_str(section);
        }
        section.clear();
    };
    for line in text.split_inclusive('\n') {
        if line.starts_with('[') {
            flush(&mut section);
        }
        section.push_str(line);
    }
    flush(&mut section);
    out
}

/// The table that teaches a layout, as it is added to a file.
pub(crate) fn table(name: &str, files: &str, template: &str) -> String {
    let quoted = |text: &str| toml::Value::String(text.to_owned()).to_string();
    format!(
        "\n[[layout]]\nname = {}\nfiles = {}\ntemplate = {}\n",
        quoted(name),
        quoted(files),
        quoted(template)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mistakes_are_shown_at_their_column() {
        for (text, want) in [
            (
                "[[layout]]\nname = \"a\"\ntemplate = \"{time} {level\"\n",
                "x.toml:3:20: this hole is not closed; write `}`\n  template = \"{time} {level\"\n                     ^",
            ),
            (
                "[[layout]]\nname = \"a\"\n",
                "x.toml:2:8: a layout needs a template, or a pattern\n  name = \"a\"\n         ^",
            ),
            (
                "[[sieve]]\nname = \"a\"\nmeshes = [\"level >= warn\", \"status == 5\"]\n",
                "x.toml:3:36: `==` is none of ours; write `=`\n  meshes = [\"level >= warn\", \"status == 5\"]\n                                     ^",
            ),
            (
                "[[sieve]]\nname = \"a\"\nquiet = { pool = \"loud\" }\n",
                "x.toml:3:19: `loud` is no level\n  quiet = { pool = \"loud\" }\n                    ^",
            ),
            (
                "[[sieve]]\nname = \"a\"\n",
                "x.toml:2:8: a sieve needs meshes = […] or quiet = {…}\n  name = \"a\"\n         ^",
            ),
            (
                "[[layout]]\nname = 7\n",
                "x.toml:2:8: invalid type: integer `7`, expected a string\n  name = 7\n         ^",
            ),
        ] {
            let (at, message) = read(text, Path::new("x")).unwrap_err();
            assert_eq!(located(Path::new("x.toml"), text, at, &message), want);
        }
        let (at, message) = read("[[layout]]\nnmae = \"a\"\n", Path::new("x")).unwrap_err();
        assert!(
            message.contains("unknown field `nmae`, expected one of `name`"),
            "{message} at {at}"
        );
    }

    #[test]
    fn the_files_beside_the_logs_are_read_once_each() {
        let folder = tempfile::tempdir().unwrap();
        let (north, south) = (folder.path().join("north"), folder.path().join("south"));
        for (place, name) in [(&north, "n"), (&south, "s")] {
            fs::create_dir(place).unwrap();
            fs::write(place.join("a.log"), "x\n").unwrap();
            let path = place.join(NAME);
            add(&path, &table(name, "*", "{message}")).unwrap();
            add(&path, &table(&format!("{name}2"), "*.log", "{time} {message}")).unwrap();
        }
        let names = |sources: &[PathBuf]| -> Vec<String> {
            settings(sources).unwrap().layouts.iter().map(|own| own.name().to_owned()).collect()
        };
        assert_eq!(names(std::slice::from_ref(&north))[..2], ["n", "n2"]);
        assert_eq!(
            names(&[south.join("a.log"), south.clone(), north.join("a.log")])[..4],
            ["s", "s2", "n", "n2"]
        );
        fs::write(north.join(NAME), "[[layout]]\nname = \"x\"\n").unwrap();
        let error = settings(&[north.join("a.log")]).unwrap_err();
        assert!(error.contains("cribrum.toml:2:8: a layout needs a template"), "{error}");
        fs::remove_file(south.join(NAME)).unwrap();
        fs::create_dir(south.join(NAME)).unwrap();
        assert!(settings(&[south]).unwrap_err().contains("can't be read"));
    }

    #[test]
    fn every_key_of_a_layout_is_taken() {
        let text = "[[layout]]\nname = \"x\"\nfiles = \"x*\"\npattern = '(?<time>\\S+) (?<who>\\S+) (?<message>.*)'\ntime = \"%d.%m.%Y\"\nzone = \"Europe/Rome\"\nids = [\"who\"]\ncontinues = \"always\"\n";
        let config: Config = toml::from_str(text).unwrap();
        let spec = config.layout[0].spec();
        let want = Spec {
            name: "x".into(),
            files: Some("x*".into()),
            template: None,
            pattern: Some(r"(?<time>\S+) (?<who>\S+) (?<message>.*)".into()),
            time: Some("%d.%m.%Y".into()),
            zone: Some("Europe/Rome".into()),
            ids: vec!["who".into()],
            continues: Some("always".into()),
        };
        assert_eq!(spec, want);
        for (part, value) in [
            (Part::Files, "\"x*\""),
            (Part::Pattern, "'(?<time>"),
            (Part::Time, "\"%d.%m.%Y\""),
            (Part::Zone, "\"Europe/Rome\""),
            (Part::Continues, "\"always\""),
            (Part::Template, "\"x\""),
        ] {
            let error = own::Error { message: String::new(), part, at: 0 };
            let place = config.layout[0].place(&error);
            let quote = usize::from(part != Part::Template);
            assert!(text.get(place - quote..).unwrap().starts_with(value), "{part:?} at {place}");
        }
    }

    #[test]
    fn sieves_are_kept_and_read_again() {
        use cribrum_core::{
            entry::Level,
            query::{Context, Expr},
            sieve::Sieve,
        };
        let context = Context { last: Some(0), ..Context::default() };
        let mut sieve = Sieve::default();
        sieve.set_floor(Some(Level::Warn));
        sieve.add(Expr::parse("path ~ \"^/a\\\\.b\" and time in 00:10..00:20", &context).unwrap());
        sieve.quieten("http \"x\"", Level::Error);
        let hide = |text: &str| text.to_owned();
        let kept = Kept::of("two words", &sieve, hide, PathBuf::from("x"));
        let found = read(&kept.table(), Path::new("x")).unwrap().sieves;
        assert_eq!(found, std::slice::from_ref(&kept));
        assert_eq!(found[0].sieve(&context), sieve);
        assert_eq!(found[0].summary().matches("quiet below error").count(), 1);
        sieve.around(7);
        assert_eq!(
            Kept::of("two words", &sieve, hide, PathBuf::from("x")),
            kept,
            "what passes stays out"
        );
        assert!(Kept::of("none", &Sieve::default(), hide, PathBuf::from("x")).is_empty());
        let file = tempfile::tempdir().unwrap().path().join("new/cribrum.toml");
        let at = |name: &str, meshes: &[&str]| Kept {
            name: name.into(),
            meshes: meshes.iter().map(|&mesh| mesh.to_owned()).collect(),
            quiet: Vec::new(),
            file: file.clone(),
        };
        for kept in [at("one", &["a"]), at("two", &["b"]), at("one", &["c", "d"])] {
            keep(&kept).unwrap();
        }
        let text = fs::read_to_string(&file).unwrap();
        let names = read(&text, &file).unwrap().sieves;
        assert_eq!(names, [at("two", &["b"]), at("one", &["c", "d"])], "a name is kept once");
        let watch = read("[watch]\nbell = false\n", Path::new("x")).unwrap().watch;
        assert_eq!(watch, Some(Watching { bell: false, title: true }));
    }

    #[test]
    fn what_is_written_can_be_read() {
        let text = table("berths \"new\"", "berth*.log", r"{time}\{{ {message}");
        let found = read(&text, Path::new("x")).unwrap().layouts;
        assert_eq!(found[0].name(), "berths \"new\"");
        assert!(found[0].holds_for("berth-1.log"));
        assert!(found[0].captures(br"2026-03-14 06:41:02\{ x").is_some());
    }
}
