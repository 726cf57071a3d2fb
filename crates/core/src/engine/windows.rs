//! Parts of blocks that were read, shared by all who look at single entries: what one of them has read, the others
//! find. What runs over all entries does not go through here, since it would push out what is on the screen.

use std::{
    collections::HashMap,
    fmt, io,
    ops::Range,
    sync::{Arc, Mutex, MutexGuard, PoisonError},
};

use crate::store::Block;

/// Bytes that are read at a time.
const WINDOW: usize = 64 << 10;
/// Bytes that are kept.
const KEPT: usize = if cfg!(test) { 3 * WINDOW } else { 24 << 20 };
/// Blocks of which the line ends are kept.
const COUNTED: usize = 4_096;

/// A part of a block as it is now: its number, its edition, and which of its windows.
type Key = (usize, u32, usize);

/// The parts that were read last.
#[derive(Default)]
pub(crate) struct Windows(Mutex<Kept>);

#[derive(Default)]
struct Kept {
    windows: HashMap<Key, (Arc<[u8]>, u64)>,
    bytes: usize,
    clock: u64,
    /// The line ends in each window of a block, as far as they were counted.
    lines: HashMap<(usize, u32), Vec<Option<u64>>>,
}

impl fmt::Debug for Windows {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Windows")
    }
}

impl Windows {
    /// Adds a range of a block to `out`. `number` is the block's.
    ///
    /// # Errors
    ///
    /// As [`Block::read_all`].
    pub(crate) fn read(
        &self,
        number: usize,
        block: &Block,
        range: Range<usize>,
        out: &mut Vec<u8>,
    ) -> io::Result<()> {
        // An entry of many windows is read for itself.
        if range.len() > 8 * WINDOW {
            let at = out.len();
            let mut bytes = Vec::new();
            block.read_range(range, &mut bytes)?;
            out.splice(at.., bytes);
            return Ok(());
        }
        let mut at = range.start;
        while at < range.end {
            let of = at / WINDOW;
            let window = self.window(number, block, of)?;
            let from = at - of * WINDOW;
            let until = window.len().min(range.end - of * WINDOW);
            let held = window.get(from..until).filter(|held| !held.is_empty());
            let held = held.ok_or(io::ErrorKind::UnexpectedEof)?;
            out.extend_from_slice(held);
            at += held.len();
        }
        Ok(())
    }

    /// The line ends in a block before a place. Cost: the first time the bytes before it, then those of a window.
    ///
    /// # Errors
    ///
    /// As [`Block::read_all`].
    pub(crate) fn lines_before(&self, number: usize, block: &Block, at: usize) -> io::Result<u64> {
        let key = (number, block.edition);
        let count = |bytes: &[u8]| memchr::memchr_iter(b'\n', bytes).count() as u64;
        let mut lines = 0;
        for of in 0..at / WINDOW {
            let known = self.kept().lines.get(&key).and_then(|known| known.get(of).copied()?);
            lines += match known {
                Some(known) => known,
                None => {
                    let counted = count(&self.window(number, block, of)?);
                    let mut kept = self.kept();
                    if kept.lines.len() > COUNTED {
                        kept.lines.clear();
                    }
                    let known = kept.lines.entry(key).or_default();
                    known.resize((of + 1).max(known.len()), None);
                    known[of] = Some(counted);
                    counted
                }
            };
        }
        if !at.is_multiple_of(WINDOW) {
            let window = self.window(number, block, at / WINDOW)?;
            lines += count(window.get(..at % WINDOW).ok_or(io::ErrorKind::UnexpectedEof)?);
        }
        Ok(lines)
    }

    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn window(&self, number: usize, block: &Block, of: usize) -> io::Result<Arc<[u8]>> {
        let key = (number, block.edition, of);
        {
            let mut kept = self.kept();
            kept.clock += 1;
            let clock = kept.clock;
            if let Some((window, used)) = kept.windows.get_mut(&key) {
                *used = clock;
                return Ok(Arc::clone(window));
            }
        }
        let length = usize::try_from(block.len).unwrap_or(usize::MAX);
        let start = (of * WINDOW).min(length);
        let mut bytes = Vec::new();
        // Read without holding the lock.
        block.read_range(start..(start + WINDOW).min(length), &mut bytes)?;
        let window: Arc<[u8]> = bytes.into();
        let mut kept = self.kept();
        let clock = kept.clock;
        kept.bytes += window.len();
        if let Some((old, _)) = kept.windows.insert(key, (Arc::clone(&window), clock)) {
            kept.bytes -= old.len();
        }
        kept.make_room();
        Ok(window)
    }
}

impl Kept {
    /// Lets go of the windows that were used longest ago.
    fn make_room(&mut self) {
        if self.bytes <= KEPT {
            return;
        }
        let mut used: Vec<(u64, Key)> =
            self.windows.iter().map(|(key, (_, used))| (*used, *key)).collect();
        used.sort_unstable();
        for (_, key) in used {
            if self.bytes <= KEPT / 4 * 3 {
                break;
            }
            if let Some((window, _)) = self.windows.remove(&key) {
                self.bytes -= window.len();
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;
    use crate::{
        engine::{Engine, Options, Snapshot},
        ingest,
        veil::Veil,
    };

    #[test]
    fn what_is_read_in_windows_is_what_stands_there() {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        let mut text = String::new();
        for at in 0..9_000 {
            let time = format!("2026-03-14T06:{:02}:{:02}Z", at / 60 % 60, at % 60);
            text += &format!("{{\"time\":\"{time}\",\"level\":\"info\",\"msg\":\"berth {at}\"}}\n");
        }
        file.write_all(text.as_bytes()).unwrap();
        let found = ingest::discover(&[file.path().to_owned()]);
        let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {}).unwrap();
        let snapshot = engine.wait(Snapshot::loaded);
        let block = &snapshot.blocks[0];
        let mut whole = Vec::new();
        block.read_all(&mut whole).unwrap();
        assert!(whole.len() > 4 * WINDOW, "several windows, more than are kept");
        let windows = Windows::default();
        // Forwards, backwards, and across the edges of windows.
        let starts = (0..whole.len()).step_by(7_919);
        for start in starts.clone().chain(starts.rev()) {
            for length in [0, 1, 90, WINDOW + 5] {
                let end = (start + length).min(whole.len());
                let mut out = b"before".to_vec();
                windows.read(0, block, start..end, &mut out).unwrap();
                assert_eq!(out[6..], whole[start..end]);
            }
            let lines = memchr::memchr_iter(b'\n', &whole[..start]).count() as u64;
            assert_eq!(windows.lines_before(0, block, start).unwrap(), lines);
            assert!(windows.kept().bytes <= KEPT);
        }
        let beyond = whole.len() - 1..whole.len() + 1;
        assert!(windows.read(0, block, beyond, &mut Vec::new()).is_err());
    }
}
