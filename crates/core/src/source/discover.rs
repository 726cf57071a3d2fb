//! From arguments to sources: files, folders and standard input, with a reason for each that can't be
//! read.

use std::{
    fs, io,
    path::{Path, PathBuf},
};

use super::{Origin, Source, open::beginning, rotated};

/// Bytes of a file that are looked at to tell text from other data.
const SNIFF_BYTES: usize = 8 << 10;

/// A source that can't be read, or a part of an argument that was left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// The path or name it is about.
    pub source: String,
    /// What is wrong and what to do.
    pub message: String,
    /// Whether something that was asked for is missing; else it was left out of a folder on purpose.
    pub fatal: bool,
}

/// What the arguments lead to.
#[derive(Debug, Default)]
pub struct Discovery {
    /// What can be read.
    pub sources: Vec<Source>,
    /// What can't.
    pub problems: Vec<Problem>,
}

/// Finds the sources that arguments name: a file, every log in a folder and its folders, `-` for
/// standard input. Reads the first bytes of every file.
#[must_use]
pub fn discover(arguments: &[PathBuf]) -> Discovery {
    let mut found = Discovery::default();
    let mut paths: Vec<PathBuf> = Vec::new();
    let mut stdin = false;
    for argument in arguments {
        if argument.as_os_str() == "-" {
            stdin = true;
        } else if argument.is_dir() {
            let before = paths.len();
            folder(argument, &mut paths, &mut found.problems);
            if paths.len() == before && !found.problems.iter().any(|p| p.fatal) {
                found.fail(argument, "no log files in this folder; name files or another folder");
            }
        } else {
            match check(argument) {
                Ok(()) => paths.push(argument.clone()),
                Err(reason) => found.fail(argument, &reason),
            }
        }
    }
    let mut seen = std::collections::HashSet::new();
    paths.retain(|path| seen.insert(fs::canonicalize(path).unwrap_or_else(|_| path.clone())));
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
    for (((_, paths), name), label) in sets.into_iter().zip(names).zip(labels) {
        found.sources.push(Source { name, label, origin: Origin::Files(paths) });
    }
    if stdin {
        found.sources.push(Source {
            name: "stdin".into(),
            label: "stdin".into(),
            origin: Origin::Stdin,
        });
    }
    found
}

impl Discovery {
    fn fail(&mut self, path: &Path, message: &str) {
        self.problems.push(Problem {
            source: path.display().to_string(),
            message: message.to_owned(),
            fatal: true,
        });
    }
}

/// Adds the readable text files below a folder, in the order of their names; hidden ones are left out.
fn folder(path: &Path, paths: &mut Vec<PathBuf>, problems: &mut Vec<Problem>) {
    let mut problem = |path: &Path, message: String, fatal| {
        problems.push(Problem { source: path.display().to_string(), message, fatal });
    };
    let mut waiting = vec![path.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        let entries = match fs::read_dir(&folder) {
            Ok(entries) => entries,
            Err(error) => {
                problem(&folder, reason(&error), true);
                continue;
            }
        };
        let mut inside: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
        inside.sort();
        let mut folders = Vec::new();
        for path in inside {
            let hidden =
                path.file_name().is_some_and(|name| name.as_encoded_bytes().starts_with(b"."));
            // A linked folder may lead back up; a linked file is one like any other.
            let link = path.is_symlink();
            // What Cribrum itself is told there is no log.
            let own = path.file_name().is_some_and(|name| name == "cribrum.toml");
            if hidden || own {
                continue;
            } else if path.is_dir() {
                if !link {
                    folders.push(path);
                }
            } else {
                match check(&path) {
                    Ok(()) => paths.push(path),
                    Err(reason) => {
                        let fatal = !reason.starts_with("left out");
                        problem(&path, reason, fatal);
                    }
                }
            }
        }
        // The last that is put there comes first.
        waiting.extend(folders.into_iter().rev());
    }
}

/// Whether a file can be read as a log; else why not and what to do.
fn check(path: &Path) -> Result<(), String> {
    let meta = fs::metadata(path).map_err(|error| reason(&error))?;
    if !meta.is_file() {
        return Err("not a regular file; pipe it in with `-` instead".into());
    }
    let (_, bytes) = beginning(path, SNIFF_BYTES).map_err(|error| reason(&error))?;
    match kind_of(&bytes) {
        None => Ok(()),
        Some(kind) => Err(format!("left out: this is {kind}, not a log")),
    }
}

/// What the first bytes are, when they are no text. Some NULs are survived: crashes leave them in logs.
fn kind_of(bytes: &[u8]) -> Option<&'static str> {
    const MAGIC: [(&[u8], &str); 8] = [
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
    let control = bytes
        .iter()
        .filter(|b| **b < 0x20 && !matches!(b, b'\n' | b'\r' | b'\t' | 0x1b | 0x0c))
        .count();
    (control * 10 > bytes.len() * 3).then_some("binary data")
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
    let parts: Vec<Vec<String>> = paths
        .iter()
        .map(|path| {
            let full = fs::canonicalize(path).unwrap_or_else(|_| path.clone());
            let name = path.file_name().map(|n| n.to_string_lossy().into_owned());
            let mut parts: Vec<String> = full
                .components()
                .map(|part| part.as_os_str().to_string_lossy().into_owned())
                .collect();
            // The name as given, should it be a link.
            if let (Some(last), Some(name)) = (parts.last_mut(), name) {
                *last = name;
            }
            parts
        })
        .collect();
    let end =
        |parts: &[String], length: usize| parts[parts.len().saturating_sub(length)..].join("/");
    parts
        .iter()
        .enumerate()
        .map(|(mine, path)| {
            (1..=path.len())
                .map(|length| (length, end(path, length)))
                .find(|(length, name)| {
                    parts
                        .iter()
                        .enumerate()
                        .all(|(other, path)| other == mine || end(path, *length) != *name)
                })
                .map_or_else(|| path.join("/"), |(_, name)| name)
        })
        .collect()
}

/// The names without their endings, where these stay apart.
fn labels(names: &[String]) -> Vec<String> {
    let stem = |name: &String| {
        let name = name.strip_suffix(".gz").or(name.strip_suffix(".zst")).unwrap_or(name);
        match name.rsplit_once('.') {
            Some((stem, _)) if !stem.is_empty() && !stem.ends_with('/') => stem.to_owned(),
            _ => name.to_owned(),
        }
    };
    let stems: Vec<String> = names.iter().map(stem).collect();
    stems
        .iter()
        .zip(names)
        .map(|(stem, name)| {
            if stems.iter().filter(|other| *other == stem).count() == 1 {
                stem.clone()
            } else {
                name.clone()
            }
        })
        .collect()
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
            found.problems.iter().map(|p| (p.message.as_str(), p.fatal)).collect();
        assert_eq!(
            problems,
            [
                ("left out: this is binary data, not a log", false),
                ("no log files in this folder; name files or another folder", true),
                ("there is no such file or folder", true),
            ]
        );
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
