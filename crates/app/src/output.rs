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
}

impl Output {
    /// Opens the file's folder for a new file, or standard output without one.
    pub(crate) fn open(path: Option<&Path>) -> io::Result<Self> {
        let Some(path) = path else {
            return Ok(Self::Stdout(BufWriter::with_capacity(1 << 16, io::stdout().lock())));
        };
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
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Stdout(out) => out.flush(),
            Self::File(out, _) => out.flush(),
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
