//! Where results go: standard output, or a file that appears whole or not at all.

use std::{
    fs::File,
    io::{self, BufWriter, IsTerminal, Write},
    path::{Path, PathBuf},
};

use tempfile::NamedTempFile;

/// An output that is being written.
pub(crate) enum Output {
    Stdout(BufWriter<io::StdoutLock<'static>>),
    File(BufWriter<NamedTempFile>, PathBuf),
    /// A device or a pipe that has a name: written in place, since nothing may take its place.
    Named(BufWriter<File>),
}

impl Output {
    /// Opens the file's folder for a new file, or standard output without one.
    pub(crate) fn open(path: Option<&Path>) -> io::Result<Self> {
        let Some(path) = path else {
            return Ok(Self::Stdout(BufWriter::with_capacity(1 << 16, io::stdout().lock())));
        };
        // A link stays a link: what it leads to is what is written.
        let path = &path.canonicalize().unwrap_or_else(|_| path.to_owned());
        if path.metadata().is_ok_and(|meta| !meta.is_file() && !meta.is_dir()) {
            let file = File::options().write(true).open(path)?;
            return Ok(Self::Named(BufWriter::with_capacity(1 << 16, file)));
        }
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let file = NamedTempFile::new_in(folder.unwrap_or(Path::new(".")))?;
        Ok(Self::File(BufWriter::with_capacity(1 << 16, file), path.to_owned()))
    }

    /// Whether a terminal shows what is written.
    pub(crate) fn is_terminal(&self) -> bool {
        matches!(self, Self::Stdout(_)) && io::stdout().is_terminal()
    }

    /// Makes the output whole. A file takes the place of an older one of its name.
    pub(crate) fn finish(self) -> io::Result<()> {
        match self {
            Self::Stdout(mut out) => out.flush(),
            Self::Named(mut out) => out.flush(),
            Self::File(out, path) => {
                let file = out.into_inner().map_err(io::IntoInnerError::into_error)?;
                readable_as_usual(file.as_file())?;
                file.as_file().sync_all()?;
                file.persist(path).map_err(|error| error.error)?;
                Ok(())
            }
        }
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Stdout(out) => out.write(bytes),
            Self::File(out, _) => out.write(bytes),
            Self::Named(out) => out.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Stdout(out) => out.flush(),
            Self::File(out, _) => out.flush(),
            Self::Named(out) => out.flush(),
        }
    }
}

/// Writes a file whole.
pub(crate) fn write_file(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut output = Output::open(Some(path))?;
    output.write_all(bytes)?;
    output.finish()
}

/// Temporary files are for their owner alone; a result is a file like any other.
fn readable_as_usual(file: &File) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    file.set_permissions(std::fs::Permissions::from_mode(0o644))
}

#[cfg(test)]
mod tests {
    use std::{fs, os::unix::fs::FileTypeExt};

    use super::*;

    #[test]
    fn a_file_appears_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("out");
        fs::write(&path, "old").unwrap();
        let mut output = Output::open(Some(&path)).unwrap();
        output.write_all(b"half").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"old");
        drop(output);
        assert_eq!(fs::read(&path).unwrap(), b"old", "what was not finished leaves no trace");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
        write_file(&path, b"new").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"new");
    }

    #[test]
    fn devices_and_links_stay_what_they_are() {
        let folder = tempfile::tempdir().unwrap();
        let (link, file) = (folder.path().join("link"), folder.path().join("file"));
        fs::write(&file, "old").unwrap();
        std::os::unix::fs::symlink(&file, &link).unwrap();
        write_file(&link, b"new").unwrap();
        assert!(link.is_symlink());
        assert_eq!(fs::read(&file).unwrap(), b"new");
        write_file(Path::new("/dev/null"), b"gone").unwrap();
        assert!(fs::metadata("/dev/null").unwrap().file_type().is_char_device());
        assert!(write_file(folder.path(), b"x").is_err(), "a folder is no file");
    }
}
