//! Changes of files of settings. What a person has written in them stays as it is: comments, order and quotes.

use std::{
    fs, io,
    path::Path,
    time::{Duration, Instant},
};

use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, value};

use cribrum_core::veil::Parts;

use super::{kinds::NamedKind, sieves::Kept};

/// Keeps a sieve in its file, in the place of the one of its name.
///
/// # Errors
///
/// Those of reading and writing the file, and a file that is no TOML.
pub(crate) fn keep(kept: &Kept) -> io::Result<()> {
    change(&kept.file, "sieve", |sieves| {
        let mut meshes = Array::new();
        meshes.extend(kept.meshes.iter().map(String::as_str));
        let mut quiet = InlineTable::new();
        for (logger, level) in &kept.quiet {
            quiet.insert(logger, level.name().into());
        }
        let same = |table: &Table| {
            table.get("name").and_then(Item::as_str).is_some_and(|name| name == kept.name)
        };
        let known = sieves.iter().position(same);
        let place = known.unwrap_or(sieves.len());
        if known.is_none() {
            sieves.push(Table::new());
        }
        let Some(table) = sieves.get_mut(place) else { return };
        set(table, "name", value(&kept.name));
        set(table, "meshes", value(meshes));
        match quiet.is_empty() {
            true => drop(table.remove("quiet")),
            false => set(table, "quiet", value(quiet)),
        }
        let mut columns = Array::new();
        columns.extend(kept.columns.iter().map(String::as_str));
        match columns.is_empty() {
            true => drop(table.remove("columns")),
            false => set(table, "columns", value(columns)),
        }
        match kept.strip {
            false => drop(table.remove("strip")),
            true => set(table, "strip", value(true)),
        }
    })
}

/// Removes a sieve from its file.
///
/// # Errors
///
/// Those of reading and writing the file, and a file that is no TOML.
pub(crate) fn drop_sieve(kept: &Kept) -> io::Result<()> {
    change(&kept.file, "sieve", |sieves| {
        sieves.retain(|table| table.get("name").and_then(Item::as_str) != Some(&kept.name));
    })
}

/// Sets a value; the comments before its key stay.
fn set(table: &mut Table, key: &str, item: Item) {
    match table.get_mut(key) {
        Some(known) => *known = item,
        None => drop(table.insert(key, item)),
    }
}

/// Gives a kind its name in a file, in the place of the one that it had; without a name, it is taken out.
///
/// # Errors
///
/// Those of reading and writing the file, and a file that is no TOML.
pub(crate) fn name_kind(path: &Path, named: &NamedKind) -> io::Result<()> {
    change(path, "kind", |kinds| {
        let of =
            |table: &Table, key: &str| table.get(key).and_then(Item::as_str).map(str::to_owned);
        kinds.retain(|table| {
            of(table, "words").as_deref() != Some(&named.words)
                && of(table, "name").as_deref() != Some(&named.name)
        });
        if !named.name.is_empty() {
            let mut table = Table::new();
            table.insert("name", value(&named.name));
            table.insert("words", value(&named.words));
            kinds.push(table);
        }
    })
}

/// Adds a layout that is taught by a template to a file, which is made where there is none.
///
/// # Errors
///
/// Those of reading and writing the file, and a file that is no TOML.
pub(crate) fn add_layout(path: &Path, name: &str, files: &str, template: &str) -> io::Result<()> {
    change(path, "layout", |layouts| {
        let mut table = Table::new();
        table.insert("name", value(name));
        table.insert("files", value(files));
        table.insert("template", value(template));
        layouts.push(table);
    })
}

/// Adds a rule of the veil to a file, which is made where there is none.
///
/// # Errors
///
/// Those of reading and writing the file, and a file that is no TOML.
pub(crate) fn add_rule(path: &Path, name: &str, parts: &Parts) -> io::Result<()> {
    change(path, "veil.rule", |rules| {
        let mut table = Table::new();
        table.insert("name", value(name));
        let list = |words: &[String]| value(words.iter().map(String::as_str).collect::<Array>());
        if !parts.names.is_empty() {
            table.insert("names", list(&parts.names));
        }
        if let Some(expression) = &parts.expression {
            table.insert("expression", value(expression));
        }
        rules.push(table);
    })
}

/// Changes the tables of one name in a file; a dot in it leads into a table.
fn change(path: &Path, name: &str, change: impl FnOnce(&mut ArrayOfTables)) -> io::Result<()> {
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        fs::create_dir_all(folder)?;
    }
    // Held until the file is written: another desk may keep something at the same moment.
    let _lock = locked(path)?;
    let text = match super::text_of(path) {
        Ok(text) => text,
        Err(error) if error.kind() == io::ErrorKind::NotFound => String::new(),
        Err(error) => return Err(error),
    };
    let mut document: DocumentMut = text.parse().map_err(io::Error::other)?;
    let (above, last) = match name.split_once('.') {
        Some((above, last)) => {
            let mut table = Table::new();
            table.set_implicit(true);
            (document.entry(above).or_insert(Item::Table(table)), last)
        }
        None => (document.as_item_mut(), name),
    };
    let above = above
        .as_table_mut()
        .ok_or_else(|| io::Error::other(format!("`{name}` is not written as [[{name}]]")))?;
    let tables = above.entry(last).or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
    let tables = tables
        .as_array_of_tables_mut()
        .ok_or_else(|| io::Error::other(format!("`{name}` is not written as [[{name}]]")))?;
    change(tables);
    crate::output::write_file(path, document.to_string().as_bytes())
}

/// The longest wait for another desk to have written the same file.
const PATIENCE: Duration = Duration::from_secs(5);

/// Locks the folder of a file for changes of its settings. The file itself can't be locked, since a new one takes its
/// place; a lock file would lie about for ever.
fn locked(path: &Path) -> io::Result<fs::File> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    let folder = fs::File::open(folder.unwrap_or(Path::new(".")))?;
    let begun = Instant::now();
    loop {
        match folder.try_lock() {
            Ok(()) => return Ok(folder),
            Err(fs::TryLockError::Error(error)) if error.kind() == io::ErrorKind::Unsupported => {
                return Ok(folder);
            }
            Err(fs::TryLockError::Error(error)) => return Err(error),
            Err(fs::TryLockError::WouldBlock) if begun.elapsed() > PATIENCE => {
                return Err(io::Error::other("another program keeps its folder locked"));
            }
            Err(fs::TryLockError::WouldBlock) => std::thread::sleep(Duration::from_millis(5)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::PathBuf;

    #[test]
    fn what_many_keep_at_the_same_moment_is_all_there() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("cribrum.toml");
        std::thread::scope(|scope| {
            for at in 0..8 {
                let file = &file;
                scope.spawn(move || keep(&kept(&format!("sieve {at}"), &["a"], file)).unwrap());
            }
        });
        let text = fs::read_to_string(&file).unwrap();
        assert_eq!(super::super::read(&text, &file, true).unwrap().sieves.len(), 8, "{text}");
    }

    fn kept(name: &str, meshes: &[&str], file: &Path) -> Kept {
        Kept {
            name: name.into(),
            meshes: meshes.iter().map(|&mesh| mesh.to_owned()).collect(),
            quiet: Vec::new(),
            columns: vec!["took:8".to_owned()],
            strip: true,
            file: file.to_owned(),
        }
    }

    #[test]
    fn a_sieve_takes_the_place_of_the_one_of_its_name_and_comments_stay() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("new/cribrum.toml");
        keep(&kept("one", &["a"], &file)).unwrap();
        let mine = "# mine\n[[sieve]]\n# by hand\nname = 'one'\nmeshes = [\n  'x', # why\n]\n\n[watch]\nbell = false\n";
        fs::write(&file, mine).unwrap();
        keep(&kept("two", &["b"], &file)).unwrap();
        keep(&kept("one", &["c", "path ~ \"^/d\""], &file)).unwrap();
        let text = fs::read_to_string(&file).unwrap();
        assert_eq!(text.matches("[[sieve]]").count(), 2, "{text}");
        assert!(text.contains("# mine") && text.contains("# by hand"), "{text}");
        let settings = super::super::read(&text, &file, true).unwrap();
        let names: Vec<(&str, usize)> =
            settings.sieves.iter().map(|kept| (kept.name.as_str(), kept.meshes.len())).collect();
        assert_eq!(names, [("one", 2), ("two", 1)]);
        drop_sieve(&kept("one", &[], &file)).unwrap();
        let left = fs::read_to_string(&file).unwrap();
        assert!(left.contains("name = \"two\"") && !left.contains("by hand"), "{left}");
        assert_eq!(settings.watch.map(|watch| watch.bell), Some(false));
    }

    #[test]
    fn a_taught_layout_is_read_as_it_was_typed() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("cribrum.toml");
        add_layout(&file, "berths \"new\"", "berth*.log", r"{time}\{{ {message}").unwrap();
        let text = fs::read_to_string(&file).unwrap();
        let found = super::super::read(&text, &file, true).unwrap().layouts;
        assert_eq!(found[0].name(), "berths \"new\"");
        assert!(found[0].holds_for("berth-1.log"));
        assert!(found[0].captures(br"2026-03-14 06:41:02\{ x").is_some());
    }

    #[test]
    fn a_kind_has_one_name_and_a_name_one_kind() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("cribrum.toml");
        let named = |name: &str, words: &str| NamedKind { name: name.into(), words: words.into() };
        let kept = || {
            let text = fs::read_to_string(&file).unwrap();
            super::super::read(&text, &file, true).unwrap().kinds
        };
        name_kind(&file, &named("lost", "hold {id} lost")).unwrap();
        name_kind(&file, &named("lost holds", "hold {id} lost")).unwrap();
        assert_eq!(kept(), [named("lost holds", "hold {id} lost")]);
        name_kind(&file, &named("lost holds", "hold \"{text}\" gone")).unwrap();
        assert_eq!(kept(), [named("lost holds", "hold \"{text}\" gone")]);
        name_kind(&file, &named("", "hold \"{text}\" gone")).unwrap();
        assert_eq!(kept(), []);
        assert!(
            super::super::read("[[kind]]\nname = \" \"\nwords = \"a\"\n", &file, true).is_err()
        );
    }

    #[test]
    fn files_that_are_no_settings_are_left_alone() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("cribrum.toml");
        for text in ["sieve = 7\n", "[[sieve]\n", "layout = []\nsieve = \"x\"\n"] {
            fs::write(&file, text).unwrap();
            assert!(keep(&kept("one", &["a"], &file)).is_err(), "{text}");
            assert_eq!(fs::read_to_string(&file).unwrap(), text);
        }
        assert!(keep(&kept("one", &["a"], &PathBuf::from("/dev/null/x"))).is_err());
    }
}
