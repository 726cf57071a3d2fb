//! A stream on its way to being read: kept in an unlinked file that only its owner could have opened.

use std::{
    fs::File,
    io::{self, Read, Write},
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicBool, AtomicU64, Ordering},
    },
};

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
    pub(crate) fn start(mut stream: impl Read + Send + 'static) -> io::Result<(Arc<Self>, File)> {
        let mut file = tempfile::tempfile()?;
        let reader = file.try_clone()?;
        let spool = Arc::new(Self::default());
        let told = Arc::clone(&spool);
        std::thread::Builder::new().name("spool".into()).spawn(move || {
            let mut buffer = vec![0; 256 << 10];
            let result = loop {
                match stream.read(&mut buffer) {
                    Ok(0) => break Ok(()),
                    Ok(got) => {
                        if let Err(error) = file.write_all(&buffer[..got]) {
                            break Err(error);
                        }
                        told.len.fetch_add(got as u64, Ordering::Release);
                    }
                    Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                    Err(error) => break Err(error),
                }
            };
            if let Err(error) = result {
                *told.failure.lock().unwrap_or_else(PoisonError::into_inner) =
                    Some(error.to_string());
            }
            told.ended.store(true, Ordering::Release);
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
