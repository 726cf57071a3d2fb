//! Rotated sets: a log and the older files that it was moved to, one source in the right order.
//!
//! `app.log`, `app.log.1`, `app.log.2.gz` are numbered from the youngest; `app.log-20260314`,
//! `app-2026-03-14.log.gz`, `app.log.2026-03-14` carry a day; the file without either is the youngest.

use std::{
    collections::HashMap,
    path::{Path, PathBuf},
};

/// Where a file stands in its set: the older, the smaller.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Age {
    /// By the number behind the name, larger ones first.
    Numbered(std::cmp::Reverse<u32>),
    /// By day, then by the number within the day.
    Dated(u32, u32),
    /// The one that is still written to.
    Live,
}

/// A folder, the name that the files share, and the files with their age.
type Set = (String, Vec<(Age, PathBuf)>);

/// Puts the files of each set together, oldest first. A file that belongs to no set stands alone, and the
/// order of the first files stays.
pub(super) fn sets(paths: Vec<PathBuf>) -> Vec<(String, Vec<PathBuf>)> {
    let mut found: Vec<Set> = Vec::new();
    let mut by_key: HashMap<(PathBuf, String), usize> = HashMap::new();
    for path in paths {
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned());
        let (key, age) = name.as_deref().map_or((String::new(), Age::Live), key);
        let folder = path.parent().unwrap_or(Path::new("")).to_path_buf();
        let place = by_key.get(&(folder.clone(), key.clone())).copied();
        match place.map(|place| &mut found[place].1) {
            // Two files of one age are no set.
            Some(files) if files.iter().all(|(other, _)| *other != age) => {
                files.push((age, path));
            }
            _ => {
                by_key.insert((folder, key.clone()), found.len());
                found.push((key, vec![(age, path)]));
            }
        }
    }
    found
        .into_iter()
        .map(|(key, mut files)| {
            files.sort();
            let name = match files.as_slice() {
                [(_, only)] => only.file_name().map(|n| n.to_string_lossy().into_owned()),
                _ => Some(key),
            };
            (name.unwrap_or_default(), files.into_iter().map(|(_, path)| path).collect())
        })
        .collect()
}

/// The files beside a file that belong to its set, oldest first, itself included.
pub(super) fn siblings(path: &Path) -> Vec<PathBuf> {
    let Some(name) = path.file_name().map(|name| name.to_string_lossy().into_owned()) else {
        return Vec::new();
    };
    let folder = path.parent().unwrap_or(Path::new(""));
    let listed = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let (mine, _) = key(&name);
    let Ok(entries) = std::fs::read_dir(listed) else { return Vec::new() };
    let mut files: Vec<(Age, PathBuf)> = entries
        .flatten()
        .filter_map(|entry| {
            let name = entry.file_name();
            let (key, age) = key(&name.to_string_lossy());
            (key == mine).then(|| (age, folder.join(name)))
        })
        .collect();
    files.sort();
    files.into_iter().map(|(_, path)| path).collect()
}

/// Whether a file is packed, by its name.
pub(super) fn is_packed(path: &Path) -> bool {
    let ending = path.extension().and_then(std::ffi::OsStr::to_str);
    ending.is_some_and(|ending| matches!(ending, "gz" | "zst" | "zstd"))
}

/// What the files of one set have in common: their folder, and their name without number and day.
pub(crate) type SetKey = (PathBuf, String);

/// The set that a file belongs to.
pub(crate) fn set_of(path: &Path) -> SetKey {
    let name = path.file_name().map(|name| name.to_string_lossy().into_owned());
    let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
    (folder, name.map(|name| key(&name).0).unwrap_or_default())
}

/// Whether a file of a set is younger than another of it.
pub(super) fn is_younger(path: &Path, than: &Path) -> bool {
    let age = |path: &Path| path.file_name().map(|name| key(&name.to_string_lossy()).1);
    age(path) > age(than)
}

/// The name that the files of a set share, and the age of this one.
fn key(name: &str) -> (String, Age) {
    let bare = [".gz", ".zst", ".zstd"]
        .iter()
        .find_map(|ending| name.strip_suffix(ending))
        .unwrap_or(name);
    if let Some((front, day, behind)) = day_in(bare) {
        // `.1` or `-1` behind the day counts within it.
        let digits = behind.trim_start_matches(['.', '-']).bytes();
        let count: Vec<u8> = digits.take_while(u8::is_ascii_digit).collect();
        let number = std::str::from_utf8(&count).ok().and_then(|text| text.parse().ok());
        let rest = if number.is_some() && behind.starts_with(['.', '-']) {
            behind.get(1 + count.len()..).unwrap_or_default()
        } else {
            behind
        };
        let front = front.trim_end_matches(['.', '-', '_']);
        let key = format!("{front}{rest}");
        if !front.is_empty() {
            return (key, Age::Dated(day, number.unwrap_or(0)));
        }
        return (name.to_owned(), Age::Live);
    }
    if let Some((front, digits)) = bare.rsplit_once('.')
        && !digits.is_empty()
        && digits.len() <= 5
        && let Ok(number) = digits.parse::<u32>()
        && front.contains(|c: char| c.is_ascii_alphabetic())
    {
        return (front.to_owned(), Age::Numbered(std::cmp::Reverse(number)));
    }
    (bare.to_owned(), Age::Live)
}

/// A day in a name, `2026-03-14` or `20260314`: what stands before it, the day as a number, and the rest.
fn day_in(name: &str) -> Option<(&str, u32, &str)> {
    let bytes = name.as_bytes();
    (0..bytes.len()).find_map(|at| {
        if at > 0 && bytes[at - 1].is_ascii_digit() {
            return None;
        }
        let dashed = name.get(at..at + 10).filter(|text| {
            text.bytes().enumerate().all(|(at, b)| match at {
                4 | 7 => b == b'-' || b == b'_' || b == b'.',
                _ => b.is_ascii_digit(),
            })
        });
        let plain = name.get(at..at + 8).filter(|text| text.bytes().all(|b| b.is_ascii_digit()));
        let (digits, length): (String, usize) = match (dashed, plain) {
            (Some(text), _) => (text.chars().filter(char::is_ascii_digit).collect(), 10),
            (None, Some(text)) => (text.to_owned(), 8),
            _ => return None,
        };
        if bytes.get(at + length).is_some_and(u8::is_ascii_digit) {
            return None;
        }
        let day: u32 = digits.parse().ok()?;
        let (year, month, of_month) = (day / 10_000, day / 100 % 100, day % 100);
        let fits = (1990..2200).contains(&year)
            && (1..=12).contains(&month)
            && (1..=31).contains(&of_month);
        fits.then_some((name.get(..at)?, day, name.get(at + length..)?))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_of_a_set_stand_oldest_first() {
        for (files, want) in [
            (
                &["app.log", "app.log.1", "app.log.10.gz", "app.log.2.gz", "gate.log"][..],
                &["app.log: app.log.10.gz app.log.2.gz app.log.1 app.log", "gate.log: gate.log"][..],
            ),
            (
                &["app.log-20260314.gz", "app.log", "app.log-20260313.zst"],
                &["app.log: app.log-20260313.zst app.log-20260314.gz app.log"],
            ),
            (
                &["app-2026-03-14.1.log", "app-2026-03-14.0.log.gz", "app-2026-03-13.log"],
                &["app.log: app-2026-03-13.log app-2026-03-14.0.log.gz app-2026-03-14.1.log"],
            ),
            (&["app.2026-03-14.log", "app.log"], &["app.log: app.2026-03-14.log app.log"]),
            (
                &["worker.1.log", "worker.2.log"],
                &["worker.1.log: worker.1.log", "worker.2.log: worker.2.log"],
            ),
            (
                &["2026-03-14.log", "2026-03-15.log"],
                &["2026-03-14.log: 2026-03-14.log", "2026-03-15.log: 2026-03-15.log"],
            ),
            (&["app.log.gz"], &["app.log.gz: app.log.gz"]),
            (&["v1.2", "v1.3"], &["v1: v1.3 v1.2"]),
            (&["north/a.log", "south/a.log.1"], &["a.log: north/a.log", "a.log.1: south/a.log.1"]),
        ] {
            let found: Vec<String> = sets(files.iter().map(PathBuf::from).collect())
                .into_iter()
                .map(|(name, paths)| {
                    let paths: Vec<_> = paths.iter().map(|p| p.display().to_string()).collect();
                    format!("{name}: {}", paths.join(" "))
                })
                .collect();
            assert_eq!(found, want, "{files:?}");
        }
    }
    #[test]
    fn files_of_a_set_find_each_other_in_their_folder() {
        let folder = tempfile::tempdir().unwrap();
        for name in ["app.log.2.gz", "app.log.1", "app.log", "gate.log", "app.log.10"] {
            std::fs::write(folder.path().join(name), "x").unwrap();
        }
        let found = siblings(&folder.path().join("app.log"));
        let names: Vec<_> = found.iter().map(|path| path.file_name().unwrap()).collect();
        assert_eq!(names, ["app.log.10", "app.log.2.gz", "app.log.1", "app.log"]);
        assert_eq!(siblings(Path::new("/nowhere/app.log")), Vec::<PathBuf>::new());
        for (path, other, set, younger) in [
            ("a/app.log", "a/app.log.1", true, true),
            ("a/app.log.1", "a/app.log", true, false),
            ("a/app.log.1", "a/app.log.2", true, true),
            ("a/app-2026-03-15.log", "a/app-2026-03-14.log", true, true),
            ("a/app.log-20260314", "a/app.log", true, false),
            ("b/app.log", "a/app.log.1", false, true),
            ("a/gate.log", "a/app.log.1", false, true),
        ] {
            let (path, other) = (Path::new(path), Path::new(other));
            assert_eq!(
                (set_of(path) == set_of(other), is_younger(path, other)),
                (set, younger),
                "{path:?}"
            );
        }
    }
}
