//! A stream on its way to being read: kept in an unlinked file that only its owner could have opened.

use std::{
    fs::File,
    io::{self, Read, Write},
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicBool, AtomicU64, Ordering},
    },
};

/// Called when a stream has brought more, or ended; it must not wait.
pub(crate) type Wake = Arc<dyn Fn() + Send + Sync>;

/// What a stream has brought so far.
#[derive(Debug, Default)]
pub(crate) struct Spool {
    /// Bytes that may be read from the spool file.
    len: AtomicU64,
    ended: AtomicBool,
    failure: Mutex<Option<String>>,
}

impl Spool {
    /// Starts a thread that copies `stream` into a new spool file. The thread ends with the stream, or
    /// with the process.
    pub(crate) fn start(
        mut stream: impl Read + Send + 'static,
        wake: Wake,
    ) -> io::Result<(Arc<Self>, File)> {
        let mut file = tempfile::tempfile()?;
        let reader = file.try_clone()?;
        let spool = Arc::new(Self::default());
        let told = Arc::clone(&spool);
        std::thread::Builder::new().name("spool".into()).spawn(move || {
            let result = copy(&mut stream, &mut file, |got| {
                told.len.fetch_add(got as u64, Ordering::Release);
                wake();
            });
            if let Err(error) = result {
                *told.failure.lock().unwrap_or_else(PoisonError::into_inner) =
                    Some(error.to_string());
            }
            told.ended.store(true, Ordering::Release);
            wake();
        })?;
        Ok((spool, reader))
    }

    pub(crate) fn len(&self) -> u64 {
        self.len.load(Ordering::Acquire)
    }

    pub(crate) fn ended(&self) -> bool {
        self.ended.load(Ordering::Acquire)
    }

    /// Why the stream ended early, told once.
    pub(crate) fn failure(&self) -> Option<String> {
        self.failure.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

/// Copies a stream to its end; `kept` is told how many bytes more are there. What it gives is whole even where
/// it fails: the error then says which side failed.
fn copy(
    stream: &mut impl Read,
    to: &mut impl Write,
    mut kept: impl FnMut(usize),
) -> io::Result<()> {
    let mut buffer = vec![0; 256 << 10];
    loop {
        match stream.read(&mut buffer) {
            Ok(0) => return Ok(()),
            Ok(got) => {
                to.write_all(&buffer[..got]).map_err(|error| {
                    let said = format!(
                        "what has come can't be kept in the folder for temporary files: {error}"
                    );
                    io::Error::new(error.kind(), said)
                })?;
                kept(got);
            }
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::FileExt;

    use super::*;

    /// A stream that gives its pieces, then an end or an error.
    struct Pieces(Vec<io::Result<Vec<u8>>>);

    impl Read for Pieces {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            if self.0.is_empty() {
                return Ok(0);
            }
            let piece = self.0.remove(0)?;
            buffer[..piece.len()].copy_from_slice(&piece);
            Ok(piece.len())
        }
    }

    fn spooled(pieces: Vec<io::Result<Vec<u8>>>) -> (Vec<u8>, Option<String>) {
        let (spool, file) = Spool::start(Pieces(pieces), Arc::new(|| {})).unwrap();
        let begun = std::time::Instant::now();
        while !spool.ended() {
            assert!(begun.elapsed().as_secs() < 20);
            std::thread::yield_now();
        }
        let mut bytes = vec![0; usize::try_from(spool.len()).unwrap()];
        file.read_exact_at(&mut bytes, 0).unwrap();
        (bytes, spool.failure())
    }

    #[test]
    fn a_stream_is_kept_as_it_came() {
        let interrupted = Err(io::ErrorKind::Interrupted.into());
        let pieces = vec![Ok(b"one\ntw".to_vec()), interrupted, Ok(b"o\n".to_vec())];
        assert_eq!(spooled(pieces), (b"one\ntwo\n".to_vec(), None));
        assert_eq!(spooled(vec![]), (vec![], None));
    }

    #[test]
    fn a_full_disk_ends_a_stream_with_a_reason() {
        let mut full = File::options().write(true).open("/dev/full").unwrap();
        let mut kept = 0;
        let error = copy(&mut &b"one\n"[..], &mut full, |got| kept += got).unwrap_err();
        assert_eq!((error.kind(), kept), (io::ErrorKind::StorageFull, 0));
        assert!(error.to_string().contains("folder for temporary files"), "{error}");
    }

    #[test]
    fn a_stream_that_breaks_keeps_what_came() {
        let (bytes, failure) =
            spooled(vec![Ok(b"one\n".to_vec()), Err(io::Error::other("cable cut"))]);
        assert_eq!((bytes.as_slice(), failure.as_deref()), (&b"one\n"[..], Some("cable cut")));
    }
}
