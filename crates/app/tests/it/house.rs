//! The house of the application: imports run one way, and no two files import each other.

use std::{
    collections::{BTreeMap, BTreeSet},
    fs,
    path::{Path, PathBuf},
};

/// The layers of the application, the lowest last. What stands in one imports from it and from those below.
const LAYERS: [&str; 20] = [
    "tui",
    "tui::runtime",
    "tui::app",
    "tui::screens",
    "tui::table",
    "tui::common",
    "tui::overlay",
    "tui::screen",
    "tui::context",
    "tui::widgets",
    "tui::keys",
    "tui::shared",
    "tui::columns",
    "tui::theme",
    "tui::effect",
    "results",
    "setup",
    "conditions",
    "settings",
    "output",
];

/// What is used by layers that do not know each other.
const BESIDE: [(&str, &str); 4] =
    [("cli", "tui"), ("present", "tui"), ("present", "cli"), ("results", "cli")];

/// A file: its module and the paths that it imports.
struct File {
    module: Vec<String>,
    text: String,
}

fn files(folder: &Path) -> Vec<File> {
    let mut found = Vec::new();
    let mut open = vec![folder.to_path_buf()];
    while let Some(path) = open.pop() {
        for entry in fs::read_dir(path).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                open.push(path);
            } else if path.extension().is_some_and(|end| end == "rs") && !is_test(&path) {
                let inner = path.strip_prefix(folder).unwrap().with_extension("");
                let mut module: Vec<String> =
                    inner.iter().map(|part| part.to_string_lossy().into_owned()).collect();
                if module.last().is_some_and(|last| last == "mod" || last == "main") {
                    module.pop();
                }
                let text = fs::read_to_string(&path).unwrap();
                let text = text.split("#[cfg(test)]\nmod tests {").next().unwrap_or("").to_owned();
                found.push(File { module, text });
            }
        }
    }
    found
}

fn is_test(path: &Path) -> bool {
    let test = |part: &str| part.contains("tests") || part == "testing";
    path.with_extension("").iter().any(|part| test(&part.to_string_lossy()))
}

/// `a::{b, c::d}` as `a::b` and `a::c::d`.
fn opened(prefix: &str, body: &str, into: &mut Vec<String>) {
    let body = body.trim();
    let Some((head, inner)) = body.split_once('{') else {
        let path = body.split(" as ").next().unwrap_or_default().trim();
        into.push(format!("{prefix}{path}"));
        return;
    };
    let inner = inner.rsplit_once('}').map_or(inner, |(inner, _)| inner);
    let (mut depth, mut piece) = (0, String::new());
    for c in inner.chars().chain([',']) {
        match c {
            ',' if depth == 0 => {
                if !piece.trim().is_empty() {
                    opened(&format!("{prefix}{head}"), &piece, into);
                }
                piece.clear();
            }
            _ => {
                depth += i32::from(c == '{') - i32::from(c == '}');
                piece.push(c);
            }
        }
    }
}

impl File {
    /// The paths that it imports, from the root of the crate.
    fn imports(&self) -> Vec<Vec<String>> {
        let mut paths = Vec::new();
        let code: Vec<&str> =
            self.text.lines().filter(|line| !line.trim_start().starts_with("//")).collect();
        let code = code.join("\n");
        for part in code.split(";") {
            let part = part.trim_start();
            let item = part.lines().skip_while(|line| line.starts_with("#[")).collect::<Vec<_>>();
            let item = item.join(" ");
            let item = item.trim_start_matches("pub(crate) ").trim_start_matches("pub(super) ");
            if let Some(body) = item.strip_prefix("use ") {
                opened("", &body.replace('\n', " "), &mut paths);
            }
        }
        for (_, rest) in
            code.match_indices("crate::").filter_map(|(at, _)| code.split_at_checked(at))
        {
            let is_path = |c: &char| c.is_alphanumeric() || *c == '_' || *c == ':';
            let path: String = rest.chars().take_while(is_path).collect();
            // One with braces behind it was opened above.
            if !path.ends_with(':') {
                paths.push(path);
            }
        }
        paths.iter().filter_map(|path| self.resolve(path)).collect()
    }

    fn resolve(&self, path: &str) -> Option<Vec<String>> {
        let mut parts: Vec<&str> = path.split("::").collect();
        let mut from: Vec<String> = match *parts.first()? {
            "crate" => Vec::new(),
            "super" => self.module[..self.module.len().checked_sub(1)?].to_vec(),
            "self" => self.module.clone(),
            // A path of its own module, such as `columns::Column` in the folder's file.
            _ => {
                let mut own = self.module.clone();
                own.extend(parts.iter().map(|&part| part.to_owned()));
                return Some(own);
            }
        };
        parts.remove(0);
        while parts.first() == Some(&"super") {
            parts.remove(0);
            from.pop();
        }
        from.extend(parts.into_iter().map(str::to_owned));
        Some(from)
    }

    /// Whether it only names its modules and hands on what is in them.
    fn hands_on(&self) -> bool {
        let code = self.text.lines().filter(|line| !line.trim_start().starts_with("//"));
        let code = code.collect::<Vec<_>>().join("\n");
        !["fn ", "struct ", "enum ", "static ", "const ", "impl "].iter().any(|w| code.contains(w))
    }
}

/// Which module imports which, what is handed on followed to where it stands.
fn arrows(files: &[File]) -> BTreeMap<String, BTreeSet<String>> {
    let by_name: BTreeMap<String, &File> =
        files.iter().map(|file| (file.module.join("::"), file)).collect();
    let owner = |path: &[String]| {
        let mut path = path.to_vec();
        let mut hops = 0;
        loop {
            let at =
                (0..=path.len()).rev().find(|at| by_name.contains_key(&path[..*at].join("::")))?;
            let file = by_name[&path[..at].join("::")];
            let name = path.get(at);
            let handed = file.imports().into_iter().find(|import| import.last() == name);
            match (file.hands_on(), handed) {
                (true, Some(further)) if hops < 4 && name.is_some() => {
                    path = further;
                    hops += 1;
                }
                _ => return Some(file.module.join("::")),
            }
        }
    };
    let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for file in files.iter().filter(|file| !file.hands_on()) {
        let from = file.module.join("::");
        let imports = file.imports();
        let to = imports.iter().filter_map(|path| owner(path)).filter(|to| *to != from);
        arrows.entry(from.clone()).or_default().extend(to);
    }
    arrows
}

/// The modules on a circle of imports.
fn circle(arrows: &BTreeMap<String, BTreeSet<String>>) -> Vec<String> {
    let reached = |from: &String| {
        let mut seen: BTreeSet<&String> = BTreeSet::new();
        let mut open: Vec<&String> = arrows.get(from).into_iter().flatten().collect();
        while let Some(next) = open.pop() {
            if seen.insert(next) {
                open.extend(arrows.get(next).into_iter().flatten());
            }
        }
        seen.contains(from)
    };
    arrows.keys().filter(|from| reached(from)).cloned().collect()
}

fn source() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("src")
}

fn is_in(module: &str, layer: &str) -> bool {
    module == layer || module.starts_with(&format!("{layer}::"))
}

#[test]
fn imports_run_one_way() {
    let arrows = arrows(&files(&source()));
    let place = |module: &str| {
        let known = |(_, layer): &(usize, &&str)| is_in(module, layer);
        LAYERS
            .iter()
            .enumerate()
            .filter(known)
            .max_by_key(|(_, layer)| layer.len())
            .map(|(at, _)| at)
    };
    let mut wrong = Vec::new();
    for (from, all) in &arrows {
        for to in all {
            let up = match (place(from), place(to)) {
                (Some(from), Some(to)) => to < from,
                _ => false,
            };
            let beside = BESIDE.iter().any(|(one, other)| {
                is_in(from, one) && is_in(to, other)
                    || (is_in(from, other) && *one == "cli" && is_in(to, one))
            });
            let screen = |module: &str| {
                module
                    .strip_prefix("tui::screens::")
                    .and_then(|rest| rest.split("::").next().map(str::to_owned))
            };
            let sideways = match (screen(from), screen(to)) {
                (Some(one), Some(other)) => one != other,
                (Some(_), None) => to == "tui::screens",
                _ => false,
            };
            if up || beside || sideways {
                wrong.push(format!("{from} imports {to}"));
            }
        }
    }
    assert_eq!(wrong, [""; 0]);
    assert!(arrows.len() > 60 && arrows.values().map(BTreeSet::len).sum::<usize>() > 250);
}

#[test]
fn no_files_import_each_other() {
    assert_eq!(circle(&arrows(&files(&source()))), [""; 0]);
    let file = |module: &str, text: &str| File {
        module: module.split("::").map(str::to_owned).collect(),
        text: text.to_owned(),
    };
    let two = [
        file("a", "mod b;\nmod c;\npub(crate) use b::One;\npub(crate) use c::{Two, Three};\n"),
        file("a::b", "use super::Two;\nstruct One;"),
        file("a::c", "use crate::a::{\n    One,\n    d,\n};\nstruct Two;"),
        file("a::d", "fn d() {}"),
    ];
    assert_eq!(circle(&arrows(&two)), ["a::b", "a::c"]);
}

#[test]
fn the_core_knows_no_interface() {
    let manifest = Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/Cargo.toml");
    let manifest = fs::read_to_string(manifest).unwrap();
    for name in ["ratatui", "crossterm", "clap", "anyhow", "tokio"] {
        assert!(!manifest.lines().any(|line| line.starts_with(name)), "the core depends on {name}");
    }
}
