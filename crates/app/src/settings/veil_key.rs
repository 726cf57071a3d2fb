//! The user's key for stand-ins, so that a secret has the same stand-in today and tomorrow, on the desk
//! and in an extract.

use std::{
    fs,
    io::{self, Read, Write},
    os::unix::fs::OpenOptionsExt,
    path::Path,
};

use cribrum_core::veil::Veil;

use super::{folders::Folders, veil::Decided};

/// The veil with the user's key, or with one made of a file that people share, and with what was decided. Where the
/// user's key can't be kept, one for this run is made; a note says so.
///
/// # Errors
///
/// A file that is named and can't be read, or has fewer than sixteen bytes.
pub(crate) fn veil(folders: &Folders, decided: &Decided) -> Result<(Veil, Option<String>), String> {
    let mut note = None;
    let key = match &decided.key {
        Some(file) => shared(file).map_err(|error| format!("{}: {error}", file.display()))?,
        None => {
            let kept = match folders.veil_key() {
                Some(path) => {
                    read_or_make(&path).map_err(|error| format!("{}: {error}", path.display()))
                }
                None => Err("there is no home folder".to_owned()),
            };
            kept.unwrap_or_else(|why| {
                note = Some(format!(
                    "the key of the stand-ins can't be kept, so that a secret has another stand-in in each run: {why}"
                ));
                random().unwrap_or_default()
            })
        }
    };
    let veil = Veil::new(key).with_policy(decided.policy()).with_rules(decided.rules.clone());
    Ok((veil, note))
}

/// A key out of all bytes of a file.
fn shared(path: &Path) -> Result<[u8; 16], String> {
    let mut bytes = Vec::new();
    let file =
        fs::File::open(path).map_err(|error| format!("the veil's key can't be read: {error}"))?;
    file.take(KEY_BYTES).read_to_end(&mut bytes).map_err(|error| error.to_string())?;
    let few = "a key for the veil needs sixteen bytes or more, as of `head -c 16 /dev/urandom`";
    if bytes.len() < 16 { Err(few.to_owned()) } else { Ok(Veil::key_of(&bytes)) }
}

/// Bytes of a shared file that are read.
const KEY_BYTES: u64 = 64 << 10;

fn read_or_make(path: &Path) -> io::Result<[u8; 16]> {
    match read(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => {}
        result => return result,
    }
    let folder = path.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(folder)?;
    let key = random()?;
    let made = fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(path);
    match made {
        Ok(mut file) => {
            file.write_all(&key)?;
            Ok(key)
        }
        // Another run was faster.
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => read(path),
        Err(error) => Err(error),
    }
}

fn read(path: &Path) -> io::Result<[u8; 16]> {
    if !fs::metadata(path)?.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is no regular file"));
    }
    let mut key = [0; 16];
    fs::File::open(path)?.read_exact(&mut key)?;
    Ok(key)
}

fn random() -> io::Result<[u8; 16]> {
    let mut key = [0; 16];
    getrandom::fill(&mut key).map_err(io::Error::other)?;
    Ok(key)
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn the_key_is_made_once_and_kept() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("deep/state/veil.key");
        let key = read_or_make(&path).unwrap();
        assert_ne!(key, [0; 16]);
        assert_eq!(read_or_make(&path).unwrap(), key);
        assert_eq!(fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        fs::write(&path, b"short").unwrap();
        assert!(read_or_make(&path).is_err(), "a damaged key is not taken for one");
        assert!(read_or_make(Path::new("/dev/null/veil.key")).is_err());
    }
}
