//! Makes the extract, beside the drawing: a part of it to look at, and all of it to be written.

use std::{
    borrow::Cow,
    io::{self, Write},
    sync::Arc,
};

use cribrum_core::{
    engine::{Pass, Snapshot},
    veil::{Class, Shareable, hidden_in},
};

use super::state::Preview;
use crate::{
    code::{self, Editor},
    output,
    present::{Clock, counted},
    results::{Extract, ExtractForm, With},
};

/// Rows that are looked at for hidden values.
const COUNTED: usize = 20_000;
/// Bytes of them.
const SHOWN: usize = 16 << 20;
/// Lines that are shown.
const LINES: usize = 200;

/// What is to be made.
#[derive(Clone)]
pub(super) struct Making {
    pub(super) what: Arc<dyn Extract>,
    pub(super) form: ExtractForm,
    pub(super) personal: bool,
    pub(super) clock: Clock,
}

impl Making {
    /// Makes the beginning.
    ///
    /// # Errors
    ///
    /// In words.
    pub(super) fn preview(&self, snapshot: &Snapshot, pass: &Pass) -> Result<Preview, String> {
        let snapshot = &*self.under(snapshot);
        let mut beginning = Limited::of(SHOWN);
        let rows =
            self.write(snapshot, COUNTED, pass, &mut beginning).map_err(|error| told(&error))?;
        let text = String::from_utf8_lossy(&beginning.bytes).into_owned();
        let mut hidden: Vec<(Class, usize)> = Vec::new();
        for class in hidden_in(&text) {
            match hidden.iter_mut().find(|(known, _)| *known == class) {
                Some((_, count)) => *count += 1,
                None => hidden.push((class, 1)),
            }
        }
        hidden.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        // It was made of text under the veil: looking at it once more hides nothing else, and says so by its type.
        let lines = text.lines().take(LINES);
        let lines = lines.map(|line| snapshot.own_text_to_share(line)).collect();
        Ok(Preview { rows, lines, hidden, counted: rows.min(COUNTED) })
    }

    /// Writes all of it.
    ///
    /// # Errors
    ///
    /// In words.
    pub(super) fn write_to(&self, snapshot: &Snapshot, out: &mut dyn Write) -> Result<(), String> {
        self.write(&self.under(snapshot), usize::MAX, &Pass::default(), out)
            .map(drop)
            .map_err(|error| told(&error))
    }

    /// What it is made of: under the veil that lets personal data leave, where that was chosen.
    fn under<'s>(&self, snapshot: &'s Snapshot) -> Cow<'s, Snapshot> {
        match self.personal {
            true => Cow::Owned(snapshot.sharing_personal()),
            false => Cow::Borrowed(snapshot),
        }
    }

    /// Writes so many rows at most, of a snapshot that is [under](Self::under) the chosen veil.
    fn write(
        &self,
        snapshot: &Snapshot,
        most: usize,
        pass: &Pass,
        out: &mut dyn Write,
    ) -> io::Result<usize> {
        let with = With { snapshot, clock: &self.clock, pass };
        let mut found = self.what.find(with)?;
        found.write(self.form, most, with, out)?;
        Ok(found.rows())
    }
}

fn told(error: &io::Error) -> String {
    error.to_string()
}

/// What is written, up to so many bytes.
struct Limited {
    bytes: Vec<u8>,
    most: usize,
    /// There is more.
    over: bool,
}

impl Limited {
    fn of(most: usize) -> Self {
        Self { bytes: Vec::new(), most, over: false }
    }
}

impl Write for Limited {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let room = self.most.saturating_sub(self.bytes.len());
        self.over |= bytes.len() > room;
        self.bytes.extend_from_slice(&bytes[..bytes.len().min(room)]);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Bytes that are put on the clipboard: many terminals take a hundred thousand letters of base64, and no more.
const CLIPBOARD: usize = 74_000;

/// What fits on the clipboard, in whole lines, and what is told of it.
///
/// # Errors
///
/// In words.
pub(super) fn copied(
    making: &Making,
    snapshot: &Snapshot,
) -> Result<(Shareable<'static>, String), String> {
    let mut out = Limited::of(CLIPBOARD);
    let snapshot = &*making.under(snapshot);
    let rows = making
        .write(snapshot, COUNTED, &Pass::default(), &mut out)
        .map_err(|error| told(&error))?;
    let text = String::from_utf8_lossy(&out.bytes).into_owned();
    let noun = making.what.noun();
    if !out.over && rows <= COUNTED {
        let told = format!("{} copied, if the terminal lets programs", counted(rows, noun));
        return Ok((snapshot.own_text_to_share(&text), told));
    }
    let whole = text.rfind('\n').and_then(|end| text.get(..=end)).unwrap_or_default();
    let told = format!(
        "the first {} of {} are copied: terminals take no more; ⏎ writes all to a file",
        counted(whole.lines().count(), "line"),
        counted(rows, noun)
    );
    Ok((snapshot.own_text_to_share(whole), told))
}

/// Writes it to a file that only its owner may read, to be shown by the pager.
///
/// # Errors
///
/// In words.
pub(super) fn paged(making: &Making, name: &str, snapshot: &Snapshot) -> Result<Editor, String> {
    let file = std::env::temp_dir().join(format!("cribrum-{}-{name}", std::process::id()));
    let failed = |error: io::Error| format!("can't write {}: {error}", file.display());
    let snapshot = &*making.under(snapshot);
    output::write_private_with(&file, |out| {
        making.write(snapshot, usize::MAX, &Pass::default(), out)
    })
    .map_err(failed)?;
    let pager = std::env::var("PAGER").ok().filter(|pager| !pager.trim().is_empty());
    let pager = pager.unwrap_or_else(|| "less".to_owned());
    code::command(Some(&pager), |_| None, &file, None)
}
