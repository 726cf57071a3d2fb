//! Events written to files, and what the generator knows of them.

use std::{
    collections::BTreeMap,
    fs::File,
    io::{self, BufWriter, Write},
    path::{Path, PathBuf},
};

use serde_json::json;

use crate::{event::Event, services::Service};

/// Where the generator's own knowledge goes, apart from the logs.
#[derive(Default)]
pub struct Knowledge {
    /// A JSON line an entry: `source`, `line`, `lines`, `time`, `level`, `request_id`, and `decoys` where it has parts
    /// that only look like secrets.
    pub record: Option<Box<dyn Write + Send>>,
    /// A JSON line a planted secret: `source`, `line`, `class`, `secret`.
    pub secrets: Option<Box<dyn Write + Send>>,
}

/// Writes events to the files of a folder.
pub struct Writer {
    files: BTreeMap<Service, Log>,
    knowledge: Knowledge,
}

struct Log {
    file: BufWriter<File>,
    /// The physical line that comes next, from 1.
    line: u64,
    /// Lines of a torn entry that come after the next one.
    torn: Option<String>,
}

impl Writer {
    /// Creates the files, emptying those that are there.
    ///
    /// # Errors
    ///
    /// When the folder or a file can't be written.
    pub fn create(folder: &Path, knowledge: Knowledge) -> io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let mut files = BTreeMap::new();
        for service in Service::ALL {
            let mut file =
                BufWriter::with_capacity(1 << 16, File::create(folder.join(service.file()))?);
            file.write_all(service.header().as_bytes())?;
            let line = 1 + u64::from(!service.header().is_empty());
            files.insert(service, Log { file, line, torn: None });
        }
        Ok(Self { files, knowledge })
    }

    /// The paths of all files in a folder.
    #[must_use]
    pub fn paths(folder: &Path) -> Vec<PathBuf> {
        Service::ALL.iter().map(|service| folder.join(service.file())).collect()
    }

    /// Writes one event.
    ///
    /// # Errors
    ///
    /// When a file can't be written.
    pub fn write(&mut self, event: &Event) -> io::Result<()> {
        let Some(log) = self.files.get_mut(&event.service) else {
            return Ok(());
        };
        // A torn entry waits for one line of another program, and no longer.
        if !event.text.starts_with('{') {
            log.mend()?;
        }
        let line = log.line;
        let lines = event.text.lines().count() as u64;
        match event.torn.and_then(|lines| split_lines(&event.text, lines)) {
            Some((first, rest)) => {
                log.put(first)?;
                log.torn = Some(rest.to_owned());
            }
            None => {
                log.put(&event.text)?;
                log.mend()?;
            }
        }
        let source = event.service.file();
        if let Some(record) = &mut self.knowledge.record {
            let mut known = json!({
                "source": source, "line": line, "lines": lines, "time": event.time_text(),
                "level": event.level, "request_id": event.request_id,
            });
            if !event.decoys.is_empty() {
                known["decoys"] = event.decoys.clone().into();
            }
            writeln!(record, "{known}")?;
        }
        if let Some(secrets) = &mut self.knowledge.secrets {
            for planted in &event.secrets {
                let known = json!({
                    "source": source, "line": line, "class": planted.class, "secret": planted.secret,
                });
                writeln!(secrets, "{known}")?;
            }
        }
        Ok(())
    }

    /// Hands everything written so far to the system.
    ///
    /// # Errors
    ///
    /// When a file can't be written.
    pub fn flush(&mut self) -> io::Result<()> {
        for log in self.files.values_mut() {
            log.file.flush()?;
        }
        for file in [&mut self.knowledge.record, &mut self.knowledge.secrets].into_iter().flatten()
        {
            file.flush()?;
        }
        Ok(())
    }

    /// Writes what is still held back and closes the files.
    ///
    /// # Errors
    ///
    /// When a file can't be written.
    pub fn finish(mut self) -> io::Result<()> {
        for log in self.files.values_mut() {
            log.mend()?;
        }
        self.flush()
    }
}

impl Log {
    fn put(&mut self, text: &str) -> io::Result<()> {
        self.file.write_all(text.as_bytes())?;
        self.file.write_all(b"\n")?;
        self.line += text.lines().count() as u64;
        Ok(())
    }

    fn mend(&mut self) -> io::Result<()> {
        match self.torn.take() {
            Some(rest) => self.put(&rest),
            None => Ok(()),
        }
    }
}

/// The first `lines` lines of a text, and the others.
fn split_lines(text: &str, lines: usize) -> Option<(&str, &str)> {
    let (at, _) = text.match_indices('\n').nth(lines.checked_sub(1)?)?;
    Some((text.get(..at)?, text.get(at + 1..)?))
}
