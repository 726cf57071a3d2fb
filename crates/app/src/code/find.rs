//! Finds the file of a place in code: below the roots, by the longest common end of its path.

use std::{
    fs,
    path::{Path, PathBuf},
};

use cribrum_core::{code::Place, engine::Pass};

use crate::settings::Code;

/// Folders that hold no code of the program itself.
const SKIPPED: [&str; 7] =
    ["node_modules", "target", "build", "dist", "vendor", "__pycache__", "venv"];
/// Folders that are looked into at most, and how deep.
const FOLDERS: usize = 50_000;
const DEPTH: usize = 24;
/// Files that are offered at most.
const OFFERED: usize = 30;

/// The files that a place may be in.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Found {
    /// The best ones, all equally good.
    pub(crate) files: Vec<PathBuf>,
    /// Where they were looked for.
    pub(crate) looked: Vec<PathBuf>,
    /// There were more folders than are looked into.
    pub(crate) cut: bool,
}

/// Looks for a place: at its own path, rewritten as the settings say, then below the roots. `None` when the pass
/// was cancelled. Cost: reads the folders below the roots, 50 000 of them at most.
pub(crate) fn find(place: &Place, code: &Code, here: &Path, pass: &Pass) -> Option<Found> {
    let mut place = place.clone();
    if let Some(file) = &mut place.file
        && let Some((from, to)) = rewrite(file, &code.rewrite)
    {
        *file = format!("{to}{}", file.get(from.len()..).unwrap_or_default());
    }
    let roots: Vec<PathBuf> = match code.roots.is_empty() {
        true => vec![here.to_owned()],
        false => code.roots.clone(),
    };
    let mut found = Found { looked: roots.clone(), ..Found::default() };
    if let Some(file) = place.file.as_ref().map(Path::new) {
        let direct = [file.to_owned()].into_iter().filter(|file| file.is_absolute());
        let below = roots.iter().map(|root| root.join(file.strip_prefix("/").unwrap_or(file)));
        if let Some(file) = direct.chain(below).find(|file| file.is_file()) {
            found.files.push(file);
            return Some(found);
        }
    }
    let parts = place.parts();
    let Some(wanted) = parts.first() else { return Some(found) };
    let any_ending = place.file.is_none();
    let mut best = 0;
    let mut folders = 0;
    let mut open: Vec<(PathBuf, usize)> = roots.into_iter().map(|root| (root, 0)).collect();
    while let Some((folder, depth)) = open.pop() {
        if pass.is_cancelled() {
            return None;
        }
        folders += 1;
        found.cut |= folders > FOLDERS;
        if folders > FOLDERS {
            break;
        }
        // A folder that can't be read has nothing to offer.
        let Ok(entries) = fs::read_dir(&folder) else { continue };
        for entry in entries.flatten() {
            let Ok(kind) = entry.file_type() else { continue };
            let name = entry.file_name();
            let name = name.to_string_lossy();
            if kind.is_dir() {
                let skipped = name.starts_with('.') || SKIPPED.contains(&&*name);
                if !skipped && depth < DEPTH {
                    open.push((entry.path(), depth + 1));
                }
                continue;
            }
            let same = match any_ending {
                true => name.rsplit_once('.').is_some_and(|(stem, _)| stem == wanted),
                false => *name == **wanted,
            };
            if same {
                let path = entry.path();
                let score = 1 + common(&path, &parts);
                if score > best {
                    best = score;
                    found.files.clear();
                }
                if score == best && found.files.len() < OFFERED {
                    found.files.push(path);
                }
            }
        }
    }
    found.files.sort();
    Some(found)
}

/// The longest prefix of a path that is rewritten, and what takes its place.
fn rewrite<'r>(file: &str, rules: &'r [(String, String)]) -> Option<(&'r str, &'r str)> {
    let fits = rules.iter().filter(|(from, _)| file.starts_with(from.as_str()));
    let longest = fits.max_by_key(|(from, _)| from.len());
    longest.map(|(from, to)| (from.as_str(), to.as_str()))
}

/// How many folders above a file are those that the place names, one behind the other.
fn common(path: &Path, parts: &[String]) -> usize {
    let folders = path.parent().into_iter().flat_map(|folder| folder.iter().rev());
    let wanted = parts.iter().skip(1);
    folders.zip(wanted).take_while(|(is, want)| is.to_string_lossy() == want.as_str()).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_longest_common_end_decides() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        for path in [
            "booking/src/main/java/test/ferries/Holds.java",
            "booking/src/test/java/other/Holds.java",
            "web/src/holds.js",
            "web/lib/holds.js",
            "web/node_modules/x/src/holds.js",
            "tools/holds.rs",
        ] {
            fs::create_dir_all(root.join(path).parent().unwrap()).unwrap();
            fs::write(root.join(path), "").unwrap();
        }
        let code = Code { roots: vec![root.to_owned()], ..Code::default() };
        let rewritten = Code { rewrite: vec![("/app".into(), "web/lib".into())], ..code.clone() };
        let frame = |text: &str| Place::of_frame(text).unwrap();
        let value = |text: &str| Place::of_value(text).unwrap();
        for (place, code, want) in [
            (
                frame("\tat test.ferries.Holds.place(Holds.java:88)"),
                &code,
                vec!["booking/src/main/java/test/ferries/Holds.java"],
            ),
            (frame("    at f (/app/src/holds.js:10:5)"), &code, vec!["web/src/holds.js"]),
            (frame("    at f (/app/holds.js:10:5)"), &rewritten, vec!["web/lib/holds.js"]),
            (value("holds.js:3"), &code, vec!["web/lib/holds.js", "web/src/holds.js"]),
            (value("tools::holds"), &code, vec!["tools/holds.rs"]),
            (value("Nowhere:3"), &code, vec![]),
        ] {
            let found = find(&place, code, Path::new("."), &Pass::default()).unwrap();
            let files = found.files.iter().map(|file| file.strip_prefix(root).unwrap());
            let files: Vec<&str> = files.map(|file| file.to_str().unwrap()).collect();
            assert_eq!(files, want, "{place:?}");
            assert_eq!(found.looked, [root]);
        }
    }
}
