//! What was typed into prompts, kept for the next time. Secrets are never among it.

use std::{fs, io, path::Path};

use super::folders::Folders;

/// Lines that are kept.
const MOST: usize = 500;

/// What was typed before, the latest last: the prompt and the text. Nothing where nothing can be read.
pub(crate) fn read(folders: &Folders) -> Vec<(String, String)> {
    folders.history().map(|path| read_from(&path)).unwrap_or_default()
}

fn read_from(path: &Path) -> Vec<(String, String)> {
    let file = fs::metadata(path).is_ok_and(|meta| meta.is_file());
    let text = if file { fs::read(path).unwrap_or_default() } else { Vec::new() };
    let text = String::from_utf8_lossy(&text);
    let line = |line: &str| {
        let (prompt, text) = line.split_once('\t')?;
        Some((prompt.to_owned(), text.to_owned()))
    };
    let all: Vec<_> = text.lines().filter_map(line).collect();
    all[all.len().saturating_sub(MOST)..].to_vec()
}

/// Keeps what was typed, readable by its owner alone.
///
/// # Errors
///
/// Those of writing the file.
pub(crate) fn write(past: &[(String, String)], folders: &Folders) -> io::Result<()> {
    let Some(path) = folders.history() else { return Ok(()) };
    write_to(&path, past)
}

fn write_to(path: &Path, past: &[(String, String)]) -> io::Result<()> {
    use std::fmt::Write as _;
    let folder = path.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(folder)?;
    let mut lines = String::new();
    for (prompt, text) in &past[past.len().saturating_sub(MOST)..] {
        let _ = writeln!(lines, "{prompt}\t{}", text.replace(['\n', '\t', '\r'], " "));
    }
    crate::output::write_private(path, lines.as_bytes())
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn the_latest_lines_are_kept_for_their_owner() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("deep/history");
        assert_eq!(read_from(&path), []);
        let line = |at: usize| ("sift".to_owned(), format!("n = {at}"));
        let past: Vec<_> = (0..MOST + 5).map(line).collect();
        write_to(&path, &past).unwrap();
        assert_eq!(read_from(&path), past[5..]);
        assert_eq!(fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        fs::write(&path, b"sift\ta\xff\nno tab\n").unwrap();
        assert_eq!(read_from(&path), [("sift".to_owned(), "a\u{fffd}".to_owned())]);
    }
}
