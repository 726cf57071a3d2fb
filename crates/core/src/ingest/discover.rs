//! From arguments to sources: files, folders, patterns and standard input, with a reason for each that can't be
//! read.

use std::{
    collections::{HashMap, HashSet},
    fs, io,
    path::{Path, PathBuf},
};

use ignore::{WalkBuilder, overrides::OverrideBuilder};

use super::{days, follow::KnownFiles, rotated};
use crate::{
    limits,
    source::{Identity, Met, Origin, Source, beginning},
    veil::harmless,
};

/// Bytes of a file that are looked at to tell text from other data.
const SNIFF_BYTES: usize = 64 << 10;

/// The file with patterns of what is left out of its folder, in the syntax of version control's ignore files.
const IGNORE_FILE: &str = ".cribrumignore";

/// A source that can't be read, or a part of an argument that was left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// The path or name it is about.
    pub source: String,
    /// What is wrong and what to do.
    pub message: String,
    /// How grave it is.
    pub kind: Gravity,
}

/// How grave a problem is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Gravity {
    /// Something that was asked for is missing.
    Missing,
    /// It is no log, and was left out of a folder.
    LeftOut,
    /// It is not there yet, and is waited for.
    Waiting,
}

impl Problem {
    fn new(source: &str, message: impl Into<String>, kind: Gravity) -> Self {
        // A path may hold whatever a terminal obeys.
        Self { source: shown(source), message: shown(&message.into()), kind }
    }

    /// A file that came when there were as many sources as there can be.
    pub(crate) fn too_many(path: &Path) -> Self {
        Self::new(&path.display().to_string(), too_many(1), Gravity::LeftOut)
    }

    /// Whether something that was asked for is missing.
    #[must_use]
    pub fn is_fatal(&self) -> bool {
        self.kind == Gravity::Missing
    }

    /// Whether it is about something that is waited for.
    #[must_use]
    pub fn waits(&self) -> bool {
        self.kind == Gravity::Waiting
    }
}

/// Where files may appear while it is followed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Place {
    /// A folder, and the folders in it.
    Folder(PathBuf),
    /// The files that a pattern such as `logs/*.log` names.
    Pattern(String),
    /// A path where there is nothing yet.
    Missing(PathBuf),
}

/// What is wanted beside the arguments.
#[derive(Clone, Debug, Default)]
pub struct Wanted {
    /// Wait for what is not there yet, instead of calling it an error.
    pub follow: bool,
    /// Patterns of files that are left out of folders.
    pub exclude: Vec<String>,
}

/// What the arguments lead to.
#[derive(Clone, Debug, Default)]
pub struct Discovery {
    /// What can be read.
    pub sources: Vec<Source>,
    /// What can't.
    pub problems: Vec<Problem>,
    /// Where more may appear. Empty unless it is followed.
    pub places: Vec<Place>,
    /// What is left out of all places.
    pub wanted: Wanted,
}

/// Finds the sources that arguments name: a file, every log in a folder and its folders, the files of a pattern,
/// `-` for standard input. Reads the first bytes of every file.
#[must_use]
pub fn discover(arguments: &[PathBuf]) -> Discovery {
    discover_wanted(arguments, Wanted::default())
}

/// The same, with wishes.
#[must_use]
pub fn discover_wanted(arguments: &[PathBuf], wanted: Wanted) -> Discovery {
    let mut found = Discovery { wanted, ..Discovery::default() };
    let mut files = Files::default();
    let mut stdin = false;
    for argument in arguments {
        if argument.as_os_str() == "-" {
            stdin = true;
            continue;
        }
        let place = match Place::of(argument) {
            Some(place) => place,
            None => {
                files.named.insert(files.paths.len());
                files.paths.push(argument.clone());
                continue;
            }
        };
        let before = files.paths.len();
        let waits = found.wanted.follow;
        let problems = found.problems.len();
        place.list(&found.wanted, &mut files.paths, &mut found.problems);
        let told = found.problems[problems..].iter().any(Problem::is_fatal);
        if files.paths.len() == before && !told {
            found.problems.push(place.empty(waits));
        }
        if waits {
            found.places.push(place);
        }
    }
    let readable = files.readable(&mut found.problems);
    found.sources = sources(readable);
    if let Some(first) =
        found.sources.get(limits::SOURCES - 1).filter(|_| found.sources.len() >= limits::SOURCES)
    {
        let more = found.sources.len() - limits::SOURCES + 1;
        let why = too_many(more);
        found.problems.push(Problem::new(&first.name, why, Gravity::Missing));
        found.sources.truncate(limits::SOURCES - 1);
    }
    days::settle(&mut found.sources);
    if stdin {
        found.sources.push(Source {
            name: "stdin".into(),
            label: "stdin".into(),
            origin: Origin::Stdin,
            day: None,
        });
    }
    found
}

/// The sources that paths make: sets together, each with a name of its own.
fn sources(paths: Vec<PathBuf>) -> Vec<Source> {
    let sets = rotated::sets(paths);
    // The name of a set may be that of no file.
    let named: Vec<PathBuf> = sets
        .iter()
        .map(|(name, paths)| {
            paths.last().map_or_else(PathBuf::new, |path| path.with_file_name(name))
        })
        .collect();
    let names = unique_names(&named);
    let labels = labels(&names);
    let made = sets.into_iter().zip(names).zip(labels);
    made.map(|(((_, paths), name), label)| Source {
        name: shown(&name),
        label: shown(&label),
        origin: Origin::Files(paths),
        day: None,
    })
    .collect()
}

/// Files that came to a place that is followed.
#[derive(Debug, Default)]
pub(crate) struct Arrivals {
    /// Their paths, each with what was met there.
    pub(crate) paths: Vec<(PathBuf, Met)>,
    /// What is waited for still.
    pub(crate) waiting: Vec<Problem>,
}

/// Looks for files in places that are not among the known ones. Cost: a list of every folder, and the first
/// bytes of every new file.
pub(crate) fn arrivals(
    places: &[Place],
    wanted: &Wanted,
    known: &HashSet<PathBuf>,
    taken: &KnownFiles,
) -> Arrivals {
    let mut arrivals = Arrivals::default();
    for place in places {
        let mut paths = Vec::new();
        // What can't be read was told when it was found first, or is no log.
        place.list(wanted, &mut paths, &mut Vec::new());
        if paths.is_empty() {
            arrivals.waiting.push(place.empty(true));
        }
        for path in paths {
            if known.contains(&path) || check(&path, false).is_err() {
                continue;
            }
            if let Ok(met) = Met::at(&path)
                && !taken.has(met.identity, &path)
            {
                arrivals.paths.push((path, met));
            }
        }
    }
    arrivals
}

/// Why so many sources are not read.
pub(crate) fn too_many(more: usize) -> String {
    format!(
        "not read, and neither are {} after it: {} files are as many as one intake can hold; name fewer, or narrow them \
         by a pattern",
        more - 1,
        limits::SOURCES - 1
    )
}

/// The source that a new file makes, with a name that none of the others has.
pub(crate) fn source_of(path: PathBuf, taken: &HashSet<String>) -> Source {
    let free = |name: &String| !taken.contains(&shown(name));
    let full = std::path::absolute(&path).unwrap_or_else(|_| path.clone());
    let parts: Vec<String> =
        full.components().map(|part| part.as_os_str().to_string_lossy().into_owned()).collect();
    let end = |length: usize| parts[parts.len().saturating_sub(length)..].join("/");
    let name = (1..=parts.len()).map(end).find(free).unwrap_or_else(|| parts.join("/"));
    let label = Some(stem(&name)).filter(free).unwrap_or_else(|| name.clone());
    Source {
        name: shown(&name),
        label: shown(&label),
        origin: Origin::Files(vec![path]),
        day: None,
    }
}

/// A name as it may be shown: a file's name may hold whatever a terminal obeys.
fn shown(name: &str) -> String {
    harmless(name).replace(['\n', '\t'], "␤")
}

impl Place {
    /// The place that an argument names; nothing for a single file.
    fn of(argument: &Path) -> Option<Self> {
        if argument.is_dir() {
            return Some(Self::Folder(argument.to_path_buf()));
        }
        if argument.exists() || argument.is_symlink() {
            return None;
        }
        let text = argument.to_string_lossy();
        if text.contains(['*', '?', '[', '{']) {
            return Some(Self::Pattern(text.into_owned()));
        }
        Some(Self::Missing(argument.to_path_buf()))
    }

    /// The folder that is listed, and watched, for it.
    pub(crate) fn folder(&self) -> PathBuf {
        match self {
            Self::Folder(path) => path.clone(),
            Self::Pattern(pattern) => base_of(pattern).0,
            Self::Missing(path) => {
                let above = path.ancestors().skip(1).find(|above| above.is_dir());
                above.map_or_else(|| PathBuf::from("."), Path::to_path_buf)
            }
        }
    }

    /// What is said while there is nothing.
    fn empty(&self, waits: bool) -> Problem {
        let (source, what) = match self {
            Self::Folder(path) => (path.display().to_string(), "log files in this folder"),
            Self::Pattern(pattern) => (pattern.clone(), "file that fits this pattern"),
            Self::Missing(path) => (path.display().to_string(), "such file or folder"),
        };
        let message = match (self, waits) {
            (Self::Missing(_), true) => format!("there is no {what} yet; waiting for it"),
            (_, true) => format!("no {what} yet; waiting for the first"),
            (Self::Missing(_), false) => format!("there is no {what}"),
            (_, false) => format!("no {what}; name files or another folder"),
        };
        let kind = if waits { Gravity::Waiting } else { Gravity::Missing };
        Problem::new(&source, message, kind)
    }

    /// Adds the files of the place, in the order of their names, files before folders.
    fn list(&self, wanted: &Wanted, paths: &mut Vec<PathBuf>, problems: &mut Vec<Problem>) {
        match self {
            Self::Folder(path) => walk(path, None, wanted, None, paths, problems),
            Self::Missing(path) if path.is_dir() => {
                walk(path, None, wanted, None, paths, problems);
            }
            Self::Missing(path) if path.exists() => paths.push(path.clone()),
            Self::Missing(_) => {}
            Self::Pattern(pattern) => {
                let glob = globset::GlobBuilder::new(pattern).literal_separator(true).build();
                let glob = match glob {
                    Ok(glob) => glob.compile_matcher(),
                    Err(error) => {
                        let why = format!("this is no pattern: {}", error.kind());
                        problems.push(Problem::new(pattern, why, Gravity::Missing));
                        return;
                    }
                };
                let (base, deep) = base_of(pattern);
                if base.is_dir() {
                    walk(&base, Some(&glob), wanted, deep, paths, problems);
                }
            }
        }
    }
}

/// The folder that a pattern begins with, and how many levels below it the pattern goes; no number for `**`.
fn base_of(pattern: &str) -> (PathBuf, Option<usize>) {
    let parts: Vec<&str> = pattern.split('/').collect();
    let plain = parts.iter().take_while(|part| !part.contains(['*', '?', '[', '{'])).count();
    let plain = plain.min(parts.len() - 1);
    let base = match (plain, parts.first()) {
        (0, _) => PathBuf::from("."),
        (1, Some(&"")) => PathBuf::from("/"),
        _ => PathBuf::from(parts[..plain].join("/")),
    };
    let deep = !pattern.contains("**") && !pattern.contains('{');
    (base, deep.then_some(parts.len() - plain))
}

/// Adds the files below a folder. Hidden ones, and those that ignore files name, are left out.
fn walk(
    folder: &Path,
    only: Option<&globset::GlobMatcher>,
    wanted: &Wanted,
    deep: Option<usize>,
    paths: &mut Vec<PathBuf>,
    problems: &mut Vec<Problem>,
) {
    let mut excluded = OverrideBuilder::new(folder);
    for pattern in &wanted.exclude {
        // A pattern that is wrong was refused with the arguments.
        let _ = excluded.add(&format!("!{pattern}"));
    }
    let mut walk = WalkBuilder::new(folder);
    walk.standard_filters(false).hidden(true).max_depth(deep);
    walk.add_custom_ignore_filename(IGNORE_FILE);
    if let Ok(excluded) = excluded.build() {
        walk.overrides(excluded);
    }
    let mut found: Vec<PathBuf> = Vec::new();
    for entry in walk.build() {
        let entry = match entry {
            Ok(entry) => entry,
            Err(error) => {
                problems.push(unlisted(&error, folder));
                continue;
            }
        };
        // A linked folder may lead back up; a linked file is one like any other.
        let kind = entry.file_type();
        let linked = kind.is_some_and(|kind| kind.is_symlink());
        if kind.is_none_or(|kind| kind.is_dir()) || linked && entry.path().is_dir() {
            continue;
        }
        // What Cribrum itself is told there is no log, nor is a file that it has not finished.
        let name = entry.file_name();
        let own = name == "cribrum.toml" || name.to_string_lossy().contains(".cribrum-part-");
        let path = match entry.path().strip_prefix("./") {
            Ok(path) if folder == Path::new(".") && only.is_some() => path.to_path_buf(),
            _ => entry.into_path(),
        };
        if !own && only.is_none_or(|glob| glob.is_match(&path)) {
            found.push(path);
        }
    }
    let order = |path: &PathBuf| {
        let parts: Vec<_> = path.iter().map(std::ffi::OsStr::to_os_string).collect();
        let last = parts.len().saturating_sub(1);
        parts.into_iter().enumerate().map(|(at, part)| (at < last, part)).collect::<Vec<_>>()
    };
    found.sort_by_cached_key(order);
    paths.extend(found);
}

/// What is said of a folder that can't be listed.
fn unlisted(error: &ignore::Error, folder: &Path) -> Problem {
    fn path_of(error: &ignore::Error) -> Option<&Path> {
        match error {
            ignore::Error::WithPath { path, .. } => Some(path),
            ignore::Error::WithDepth { err, .. } => path_of(err),
            _ => None,
        }
    }
    let source = path_of(error).unwrap_or(folder).display().to_string();
    let message = error.io_error().map_or_else(|| error.to_string(), reason);
    Problem::new(&source, message, Gravity::Missing)
}

/// Paths that were found or named.
#[derive(Default)]
struct Files {
    paths: Vec<PathBuf>,
    /// The places of those that were named one by one: they must be readable.
    named: HashSet<usize>,
}

impl Files {
    /// Those that can be read, each once. The first bytes of all are looked at, on all cores.
    fn readable(self, problems: &mut Vec<Problem>) -> Vec<PathBuf> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from).min(8);
        let share = self.paths.len().div_ceil(threads).max(64);
        let checked: Vec<Result<Identity, Refusal>> = std::thread::scope(|scope| {
            let named = &self.named;
            let chunks = self.paths.chunks(share).enumerate();
            let parts: Vec<_> = chunks
                .map(|(chunk, paths)| {
                    scope.spawn(move || {
                        let all = paths.iter().zip(chunk * share..);
                        all.map(|(path, at)| check(path, named.contains(&at))).collect::<Vec<_>>()
                    })
                })
                .collect();
            parts.into_iter().flat_map(|part| part.join().unwrap_or_default()).collect()
        });
        let mut seen = HashSet::new();
        let mut readable = Vec::new();
        for (at, (path, checked)) in self.paths.into_iter().zip(checked).enumerate() {
            match checked {
                Ok(identity) if seen.insert(identity) => readable.push(path),
                Ok(_) => {}
                Err(Refusal { message, no_log }) => {
                    let named = self.named.contains(&at) || !no_log;
                    let kind = if named { Gravity::Missing } else { Gravity::LeftOut };
                    problems.push(Problem::new(&path.display().to_string(), message, kind));
                }
            }
        }
        readable
    }
}

/// Why a file is not read, and what to do.
struct Refusal {
    message: String,
    /// Its bytes are those of something else.
    no_log: bool,
}

impl From<String> for Refusal {
    fn from(message: String) -> Self {
        Self { message, no_log: false }
    }
}

/// Endings of what people write programs in: such files lie beside logs, and are none.
const SOURCES: [&str; 26] = [
    "rs", "java", "kt", "scala", "go", "py", "rb", "php", "pl", "lua", "js", "jsx", "ts", "tsx",
    "mjs", "c", "h", "cc", "cpp", "hpp", "cs", "swift", "ex", "exs", "css", "html",
];

/// Whether a file can be read as a log. One that was `named` is read whatever its bytes are, unless they are packed.
fn check(path: &Path, named: bool) -> Result<Identity, Refusal> {
    use std::os::unix::fs::{FileTypeExt, MetadataExt};
    let meta = fs::metadata(path).map_err(|error| reason(&error))?;
    let kind = meta.file_type();
    let what = match () {
        () if kind.is_file() => None,
        () if kind.is_dir() => Some("a folder"),
        () if kind.is_fifo() => Some("a named pipe"),
        () if kind.is_socket() => Some("a socket"),
        () => Some("a device"),
    };
    if let Some(what) = what {
        return Err(
            format!("this is {what}, not a regular file; pipe it in with `-` instead").into()
        );
    }
    // Files of the kernel have no size, can't be read by position, and change with every reading.
    let of_kernel = ["/proc", "/sys"].iter().any(|root| {
        fs::metadata(root).is_ok_and(|root| root.dev() == meta.dev() && root.ino() == 1)
    });
    if of_kernel {
        let why = "this is a file of the kernel, not a log; pipe it in with `-` instead";
        return Err(why.to_owned().into());
    }
    let ending = path.extension().and_then(|ending| ending.to_str());
    if !named && ending.is_some_and(|ending| SOURCES.contains(&ending)) {
        let message = "left out: this is a program's source, not a log; name it to have it read";
        return Err(Refusal { message: message.into(), no_log: true });
    }
    let (_, bytes) = beginning(path, SNIFF_BYTES).map_err(|error| reason(&error))?;
    match kind_of(&bytes) {
        None => Ok(Identity::of(&meta)),
        Some(BINARY) if named => Ok(Identity::of(&meta)),
        Some(kind) => {
            let message = format!("left out: this is {kind}, not a log");
            Err(Refusal { message, no_log: true })
        }
    }
}

/// What is no text and nothing that is known.
const BINARY: &str = "binary data";

/// What the first bytes are, when they are mostly no text. NULs are survived: crashes leave them in logs.
fn kind_of(bytes: &[u8]) -> Option<&'static str> {
    const MAGIC: [(&[u8], &str); 14] = [
        (b"\xff\xd8\xff", "a picture"),
        (b"GIF8", "a picture"),
        (b"7z\xbc\xaf\x27\x1c", "a 7z archive"),
        (b"Rar!\x1a\x07", "a rar archive"),
        (b"\xca\xfe\xba\xbe", "a program"),
        (b"\0asm", "a program"),
        (b"BZh", "packed with bzip2 (unpack it with `bzip2 -d`)"),
        (b"\x1f\x8b", "packed twice"),
        (b"\xfd7zXZ", "packed with xz (unpack it with `xz -d`)"),
        (b"PK\x03\x04", "a zip archive"),
        (b"\x7fELF", "a program"),
        (b"\x89PNG", "a picture"),
        (b"%PDF-", "a PDF document"),
        (b"SQLite format 3", "a database"),
    ];
    if let Some((_, kind)) = MAGIC.iter().find(|(magic, _)| bytes.starts_with(magic)) {
        return Some(kind);
    }
    // The mark of an archive stands behind the header of its first file.
    if bytes.get(257..262) == Some(b"ustar") {
        return Some("a tar archive (unpack it with `tar -x`)");
    }
    let mut strange: usize = bytes
        .iter()
        .filter(|b| **b < 0x20 && !matches!(b, b'\n' | b'\r' | b'\t' | 0x1b | 0x0c))
        .count();
    strange += bytes.utf8_chunks().map(|chunk| chunk.invalid().len()).sum::<usize>();
    (strange * 5 > bytes.len() * 2).then_some(BINARY)
}

fn reason(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::NotFound => "there is no such file or folder".into(),
        io::ErrorKind::PermissionDenied => {
            "you have no right to read it; ask its owner or run as a user who may".into()
        }
        _ => error.to_string(),
    }
}

/// For each path, its shortest end that no other path shares.
fn unique_names(paths: &[PathBuf]) -> Vec<String> {
    let mut folders: HashMap<PathBuf, PathBuf> = HashMap::new();
    let parts: Vec<Vec<String>> = paths
        .iter()
        .map(|path| {
            let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
            let folder = folder.unwrap_or(Path::new(".")).to_path_buf();
            let full = folders.entry(folder).or_insert_with_key(|folder| {
                fs::canonicalize(folder).unwrap_or_else(|_| folder.clone())
            });
            // The name as given, should it be a link.
            let text = |part: &std::ffi::OsStr| part.to_string_lossy().into_owned();
            full.iter().chain(path.file_name()).map(text).collect()
        })
        .collect();
    let end =
        |parts: &[String], length: usize| parts[parts.len().saturating_sub(length)..].join("/");
    let mut names: Vec<Option<String>> = vec![None; parts.len()];
    let longest = parts.iter().map(Vec::len).max().unwrap_or(0);
    for length in 1..=longest {
        if names.iter().all(Option::is_some) {
            break;
        }
        let ends: Vec<String> = parts.iter().map(|path| end(path, length)).collect();
        let mut counts: HashMap<&str, usize> = HashMap::new();
        ends.iter().for_each(|end| *counts.entry(end).or_default() += 1);
        for (name, end) in names.iter_mut().zip(&ends) {
            if name.is_none() && counts[end.as_str()] == 1 {
                *name = Some(end.clone());
            }
        }
    }
    names
        .into_iter()
        .zip(parts)
        .map(|(name, path)| name.unwrap_or_else(|| path.join("/")))
        .collect()
}

/// A name without its ending.
fn stem(name: &str) -> String {
    let name = name.strip_suffix(".gz").or(name.strip_suffix(".zst")).unwrap_or(name);
    match name.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() && !stem.ends_with('/') => stem.to_owned(),
        _ => name.to_owned(),
    }
}

/// The names without their endings, where these stay apart.
fn labels(names: &[String]) -> Vec<String> {
    let stems: Vec<String> = names.iter().map(|name| stem(name)).collect();
    let mut counts: HashMap<&str, usize> = HashMap::new();
    stems.iter().for_each(|stem| *counts.entry(stem).or_default() += 1);
    let labels = stems.iter().zip(names).map(|(stem, name)| match counts[stem.as_str()] {
        1 => stem.clone(),
        _ => name.clone(),
    });
    labels.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_argument_is_answered() {
        let dir = tempfile::tempdir().unwrap();
        let write = |name: &str, bytes: &[u8]| {
            let path = dir.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(&path, bytes).unwrap();
            path
        };
        write("north/app.log", b"one\n");
        write("south/app.log", b"two\n");
        write("south/gate.log", b"");
        write("south/core.bin", &[0; 100]);
        write("south/.hidden", b"three\n");
        let empty = dir.path().join("empty");
        fs::create_dir(&empty).unwrap();
        let found = discover(&[
            dir.path().join("north"),
            dir.path().join("south"),
            dir.path().join("north/app.log"),
            empty,
            dir.path().join("gone.log"),
            PathBuf::from("-"),
        ]);
        let names: Vec<_> =
            found.sources.iter().map(|s| (s.name.as_str(), s.label.as_str())).collect();
        assert_eq!(
            names,
            [
                ("north/app.log", "north/app"),
                ("south/app.log", "south/app"),
                ("gate.log", "gate"),
                ("stdin", "stdin")
            ]
        );
        let problems: Vec<_> =
            found.problems.iter().map(|p| (p.message.as_str(), p.is_fatal())).collect();
        assert_eq!(
            problems,
            [
                ("no log files in this folder; name files or another folder", true),
                ("there is no such file or folder", true),
                ("left out: this is binary data, not a log", false),
            ]
        );
    }

    #[test]
    fn patterns_and_ignore_files_choose_among_files() {
        let dir = tempfile::tempdir().unwrap();
        for name in ["a/app.log", "a/app.txt", "a/deep/gate.log", "b/old.log", "b/.hidden.log"] {
            let path = dir.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, format!("{name}\n")).unwrap();
        }
        fs::write(dir.path().join("b").join(IGNORE_FILE), "old.*\n").unwrap();
        let names = |pattern: &str, exclude: &[&str]| -> Vec<String> {
            let wanted = Wanted {
                exclude: exclude.iter().map(|text| (*text).to_owned()).collect(),
                ..Wanted::default()
            };
            let found = discover_wanted(&[dir.path().join(pattern)], wanted);
            found.sources.into_iter().map(|source| source.name).collect()
        };
        for (pattern, exclude, want) in [
            ("*/*.log", &[][..], &["app.log"][..]),
            ("**/*.log", &[], &["app.log", "gate.log"]),
            ("a/app.{log,txt}", &[], &["app.log", "app.txt"]),
            ("", &[], &["app.log", "app.txt", "gate.log"]),
            ("", &["*.txt", "deep"], &["app.log"]),
            ("nothing-*.log", &[], &[]),
        ] {
            assert_eq!(names(pattern, exclude), want, "{pattern} without {exclude:?}");
        }
    }

    #[test]
    fn what_is_not_there_is_waited_for_while_following() {
        let dir = tempfile::tempdir().unwrap();
        let wanted = Wanted { follow: true, ..Wanted::default() };
        let arguments = ["missing.log", "*.txt", ""].map(|name| dir.path().join(name));
        let found = discover_wanted(&arguments, wanted.clone());
        assert!(found.problems.iter().all(Problem::waits) && found.problems.len() == 3);
        assert_eq!((found.sources.len(), found.places.len()), (0, 3));
        fs::write(dir.path().join("missing.log"), "x\n").unwrap();
        let known = HashSet::new();
        let arrived = arrivals(&found.places, &wanted, &known, &KnownFiles::default());
        let paths: HashSet<_> = arrived.paths.iter().map(|(path, _)| path.clone()).collect();
        assert_eq!(paths, HashSet::from([dir.path().join("missing.log")]));
        assert_eq!(arrived.waiting.len(), 1, "the pattern fits nothing yet");
    }

    #[test]
    fn sets_are_one_source_and_settings_are_none() {
        let dir = tempfile::tempdir().unwrap();
        for name in
            ["a/app.log", "a/app.log.1", "b/app.log-20260314", "b/app.log", "b/cribrum.toml"]
        {
            let path = dir.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, "x\n").unwrap();
        }
        let found = discover(&[dir.path().to_owned()]);
        assert_eq!(found.problems, []);
        let told: Vec<_> = found
            .sources
            .iter()
            .map(|source| {
                let Origin::Files(files) = &source.origin else { panic!("{source:?}") };
                let names = files.iter().map(|f| f.file_name().unwrap().to_str().unwrap());
                format!(
                    "{} ({}): {}",
                    source.name,
                    source.label,
                    names.collect::<Vec<_>>().join(" ")
                )
            })
            .collect();
        assert_eq!(
            told,
            ["a/app.log (a/app): app.log.1 app.log", "b/app.log (b/app): app.log-20260314 app.log"]
        );
        // One file that is named is one file, whatever lies beside it.
        let one = discover(&[dir.path().join("a/app.log")]);
        assert_eq!(one.sources[0].origin, Origin::Files(vec![dir.path().join("a/app.log")]));
    }

    #[test]
    fn folders_are_walked_without_going_round() {
        let dir = tempfile::tempdir().unwrap();
        fs::create_dir_all(dir.path().join("a/b")).unwrap();
        fs::write(dir.path().join("a/b/deep.log"), "x\n").unwrap();
        fs::write(dir.path().join("top.log"), "x\n").unwrap();
        std::os::unix::fs::symlink(dir.path(), dir.path().join("a/round")).unwrap();
        std::os::unix::fs::symlink(dir.path().join("top.log"), dir.path().join("z.log")).unwrap();
        let found = discover(&[dir.path().to_owned(), dir.path().join("top.log")]);
        let names: Vec<_> = found.sources.iter().map(|s| s.name.as_str()).collect();
        assert_eq!(
            (names, found.problems),
            (vec!["top.log", "deep.log"], vec![]),
            "each file once"
        );
    }

    #[test]
    fn what_is_named_outright_is_read() {
        let dir = tempfile::tempdir().unwrap();
        for (name, bytes) in [
            ("app.log", &b"a line\n"[..]),
            ("Gate.java", b"class Gate {}\n"),
            ("core", b"\0\x01\x02\x03ab"),
        ] {
            fs::write(dir.path().join(name), bytes).unwrap();
        }
        let names = |found: &Discovery| -> Vec<String> {
            found.sources.iter().map(|source| source.name.clone()).collect()
        };
        let folder = discover(&[dir.path().to_owned()]);
        assert_eq!(names(&folder), ["app.log"]);
        let told: Vec<&str> = folder.problems.iter().map(|p| p.message.as_str()).collect();
        assert_eq!(told.len(), 2);
        assert!(told.iter().any(|message| message.contains("a program's source")), "{told:?}");
        let named = discover(&["core", "Gate.java"].map(|name| dir.path().join(name)));
        assert_eq!(
            (names(&named), named.problems.len()),
            (vec!["core".into(), "Gate.java".into()], 0)
        );
    }

    #[test]
    fn what_is_no_log_is_known_by_its_bytes() {
        for (bytes, want) in [
            (&b""[..], None),
            (b"plain text\n", None),
            ("größe 座席 \u{feff}\n".as_bytes(), None),
            (b"text with a few \0\0 after a crash, and a lot more of it", None),
            (b"\x1b[31mcolours\x1b[0m are text\r\n", None),
            (b"BZh91AY", Some("bzip2")),
            (b"\xfd7zXZ\0", Some("xz")),
            (b"\x7fELF\x02", Some("a program")),
            (b"PK\x03\x04", Some("zip")),
            (b"\xff\xd8\xff\xe0", Some("a picture")),
            (b"\xca\xfe\xba\xbe\0\0", Some("a program")),
            (b"\0\x01\x02\x03ab", Some("binary data")),
        ] {
            let kind = kind_of(bytes);
            let fits = match (kind, want) {
                (Some(kind), Some(want)) => kind.contains(want),
                (kind, want) => kind.is_none() && want.is_none(),
            };
            assert!(fits, "{bytes:?}: {kind:?}");
        }
    }
}
