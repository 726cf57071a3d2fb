//! Where results go: standard output, or a file that appears whole or not at all, and never in the place of a
//! source.

use std::{
    fs::{self, File},
    io::{self, BufWriter, IsTerminal, Write},
    os::unix::fs::{MetadataExt, OpenOptionsExt, PermissionsExt},
    path::{Path, PathBuf},
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicU32, Ordering},
    },
};

use cribrum_core::source::{Identity, Origin, Source};

/// A target that must not be written to.
#[derive(Debug, thiserror::Error)]
#[error("{target}: {why}")]
pub(crate) struct Refused {
    target: String,
    why: String,
}

impl Refused {
    fn error(target: &Path, why: impl Into<String>) -> io::Error {
        io::Error::other(Self { target: target.display().to_string(), why: why.into() })
    }
}

/// The paths of all sources, so that none is written to.
static SOURCES: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// Makes sure that no output takes the place of one of these sources.
pub(crate) fn protect(sources: &[Source]) {
    let paths = sources.iter().flat_map(|source| match &source.origin {
        Origin::Files(files) => files.as_slice(),
        Origin::Stdin => &[],
    });
    let mut known = SOURCES.lock().unwrap_or_else(PoisonError::into_inner);
    *known = paths.cloned().collect();
}

/// Refuses a path that leads to one of the sources.
///
/// # Errors
///
/// [`Refused`], for a usage error.
pub(crate) fn check_target(path: &Path) -> io::Result<()> {
    Identity::at(path).map_or(Ok(()), |identity| check(path, identity))
}

/// Refuses a file that is one of the sources, through whatever link.
fn check(target: &Path, identity: Identity) -> io::Result<()> {
    let known = SOURCES.lock().unwrap_or_else(PoisonError::into_inner);
    let same = known.iter().find(|path| Identity::at(path).is_ok_and(|known| known == identity));
    match same {
        None => Ok(()),
        Some(source) => Err(Refused::error(
            target,
            format!("this is the source {}, which is never written to", source.display()),
        )),
    }
}

/// An output that is being written.
pub(crate) enum Output {
    Stdout(BufWriter<io::StdoutLock<'static>>),
    File(BufWriter<Part>),
    /// A device or a pipe that has a name: written in place, since nothing may take its place.
    Named(BufWriter<File>),
}

impl Output {
    /// Opens the file's folder for a new file, or standard output without one.
    pub(crate) fn open(path: Option<&Path>) -> io::Result<Self> {
        // As usual, a dash names standard output.
        let Some(path) = path.filter(|path| path.as_os_str() != "-") else {
            // What is appended to a source while it is read would never end.
            if let Ok(meta) = stdout_file().and_then(|file| file.metadata())
                && meta.is_file()
            {
                check(Path::new("standard output"), Identity::of(&meta))?;
            }
            return Ok(Self::Stdout(BufWriter::with_capacity(1 << 16, io::stdout().lock())));
        };
        match Part::beside(path)? {
            Target::Part(part) => Ok(Self::File(BufWriter::with_capacity(1 << 16, part))),
            Target::InPlace(file) => Ok(Self::Named(BufWriter::with_capacity(1 << 16, file))),
        }
    }

    /// Whether a terminal shows what is written.
    pub(crate) fn is_terminal(&self) -> bool {
        matches!(self, Self::Stdout(_)) && io::stdout().is_terminal()
    }

    /// Whether it is a file that appears once it is whole.
    pub(crate) fn is_file(&self) -> bool {
        matches!(self, Self::File(_))
    }

    /// Makes the output whole. A file takes the place of an older one of its name.
    pub(crate) fn finish(self) -> io::Result<()> {
        match self {
            Self::Stdout(mut out) => out.flush(),
            Self::Named(mut out) => out.flush(),
            Self::File(out) => out.into_inner().map_err(io::IntoInnerError::into_error)?.finish(),
        }
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Stdout(out) => out.write(bytes),
            Self::File(out) => out.write(bytes),
            Self::Named(out) => out.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Stdout(out) => out.flush(),
            Self::File(out) => out.flush(),
            Self::Named(out) => out.flush(),
        }
    }
}

fn stdout_file() -> io::Result<File> {
    use std::os::fd::AsFd;
    Ok(File::from(io::stdout().as_fd().try_clone_to_owned()?))
}

/// Writes a file whole.
pub(crate) fn write_file(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut output = Output::open(Some(path))?;
    output.write_all(bytes)?;
    output.finish()
}

/// Writes a file whole that only its owner may read.
pub(crate) fn write_private(path: &Path, bytes: &[u8]) -> io::Result<()> {
    write_private_with(path, |out| out.write_all(bytes))
}

/// The same with what something writes.
pub(crate) fn write_private_with<T>(
    path: &Path,
    write: impl FnOnce(&mut dyn Write) -> io::Result<T>,
) -> io::Result<T> {
    let Target::Part(mut part) = Part::beside(path)? else {
        return Err(io::ErrorKind::InvalidInput.into());
    };
    part.file.set_permissions(fs::Permissions::from_mode(0o600))?;
    part.private = true;
    let mut out = BufWriter::with_capacity(1 << 16, part);
    let written = write(&mut out)?;
    out.into_inner().map_err(io::IntoInnerError::into_error)?.finish()?;
    Ok(written)
}

/// What a path is written through.
enum Target {
    Part(Part),
    InPlace(File),
}

/// What stands in the name of an unfinished file, before the number of the process that writes it.
const PART: &str = ".cribrum-part-";

/// Tells the unfinished files of this process apart.
static NUMBER: AtomicU32 = AtomicU32::new(0);

/// The unfinished files of this process, removed when it is ended.
static PARTS: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// An unfinished file beside its target.
pub(crate) struct Part {
    file: File,
    path: PathBuf,
    target: PathBuf,
    private: bool,
}

impl Part {
    /// Begins a file that takes the place of `target` when it is whole.
    fn beside(target: &Path) -> io::Result<Target> {
        // A link stays a link: what it leads to is what is written.
        let path = match target.canonicalize() {
            Ok(path) => path,
            Err(_) if target.is_symlink() => {
                let why = "this link leads nowhere; remove it, or name the file itself";
                return Err(Refused::error(target, why));
            }
            Err(_) => target.to_owned(),
        };
        if let Ok(meta) = path.metadata() {
            check(target, Identity::of(&meta))?;
            if meta.is_dir() {
                return Err(io::Error::new(io::ErrorKind::IsADirectory, "this is a folder"));
            }
            if !meta.is_file() {
                return Ok(Target::InPlace(File::options().write(true).open(&path)?));
            }
        }
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new(".")).to_path_buf();
        let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?.to_os_string();
        clear(&folder);
        let mut part = name;
        let number = NUMBER.fetch_add(1, Ordering::Relaxed);
        part.push(format!("{PART}{}-{number}", std::process::id()));
        let part = folder.join(part);
        // The permissions of a new file are what the user's mask leaves.
        let file = File::options().write(true).create_new(true).mode(0o666).open(&part)?;
        PARTS.lock().unwrap_or_else(PoisonError::into_inner).push(part.clone());
        Ok(Target::Part(Self { file, path: part, target: path, private: false }))
    }

    /// Puts it in its place. A file that was there gives it its permissions and its owner.
    fn finish(mut self) -> io::Result<()> {
        self.file.flush()?;
        if let Ok(old) = self.target.metadata() {
            // It may have become a source since.
            check(&self.target, Identity::of(&old))?;
            if !self.private {
                self.file.set_permissions(old.permissions())?;
            }
            // Only the superuser may give a file away; for others it is theirs already, or stays so.
            let _ = std::os::unix::fs::fchown(&self.file, Some(old.uid()), Some(old.gid()));
        }
        self.file.sync_all()?;
        fs::rename(&self.path, &self.target)
    }
}

impl Write for Part {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

impl Drop for Part {
    fn drop(&mut self) {
        // After it was put in its place there is nothing at this path.
        let _ = fs::remove_file(&self.path);
        PARTS.lock().unwrap_or_else(PoisonError::into_inner).retain(|path| *path != self.path);
    }
}

/// Removes the unfinished files of this process, before it is ended.
pub(crate) fn abandon() {
    // The thread that holds the lock may have been stopped: do not wait for it.
    if let Ok(parts) = PARTS.try_lock() {
        for path in parts.iter() {
            let _ = fs::remove_file(path);
        }
    }
}

/// Removes unfinished files in a folder whose processes are no more.
fn clear(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let number = name.to_str().and_then(|name| name.rsplit_once(PART)).map(|(_, n)| n);
        let number = number.and_then(|number| number.split('-').next()?.parse().ok());
        let Some(process) = number else { continue };
        let alive = is_alive(process);
        if !alive && entry.file_type().is_ok_and(|kind| kind.is_file()) {
            let _ = fs::remove_file(entry.path());
        }
    }
}

/// Whether a process is still there. Where that can't be told it is.
pub(crate) fn is_alive(process: u32) -> bool {
    if process == std::process::id() {
        return true;
    }
    let proc = Path::new("/proc");
    !proc.join("self").exists() || proc.join(process.to_string()).exists()
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::FileTypeExt;

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
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
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
        fs::remove_file(&file).unwrap();
        let error = write_file(&link, b"x").unwrap_err().to_string();
        assert!(error.ends_with("this link leads nowhere; remove it, or name the file itself"));
        assert!(link.is_symlink() && !file.exists());
    }

    #[test]
    fn files_keep_their_permissions_and_new_ones_have_the_usual_ones() {
        let folder = tempfile::tempdir().unwrap();
        let mode = |path: &Path| fs::metadata(path).unwrap().permissions().mode() & 0o777;
        let (new, old, secret) =
            (folder.path().join("new"), folder.path().join("old"), folder.path().join("secret"));
        File::create(folder.path().join("usual")).unwrap();
        fs::write(&old, "x").unwrap();
        fs::set_permissions(&old, fs::Permissions::from_mode(0o640)).unwrap();
        write_file(&new, b"x").unwrap();
        write_file(&old, b"y").unwrap();
        write_private(&secret, b"z").unwrap();
        assert_eq!(mode(&new), mode(&folder.path().join("usual")));
        assert_eq!((mode(&old), mode(&secret)), (0o640, 0o600));
    }

    #[test]
    fn what_a_kill_left_is_cleared_and_what_others_write_stays() {
        let folder = tempfile::tempdir().unwrap();
        let left = |process: u32| folder.path().join(format!("out{PART}{process}-0"));
        // Processes have smaller numbers than this, and there is always a first one.
        for process in [999_999_999, 1] {
            fs::write(left(process), "half").unwrap();
        }
        write_file(&folder.path().join("other"), b"x").unwrap();
        assert!(!left(999_999_999).exists() && left(1).exists());
    }
}
