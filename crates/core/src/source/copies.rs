//! Copies of the bytes of followed files that were read, so that truncating a file takes nothing that is still to
//! be printed or that was shown.
//!
//! All copies share one file without a name, in pages of 4 KiB: one descriptor, whatever the number of files. A file
//! for each copy was tried first; a quarter of all descriptors went to them, and the files that came after had no copy.
//! Pages whose entries are done with (printed by a command, judged by the desk) are *settled*. They are kept as long
//! as there is room, since rows are read from them and copies of a file are told by them, and given up first.

use std::{
    collections::BTreeMap,
    fs::File,
    io,
    os::unix::fs::FileExt,
    sync::{
        Arc, Mutex, MutexGuard, PoisonError, Weak,
        atomic::{AtomicU64, Ordering},
    },
};

use crate::limits;

/// Bytes of a page.
const PAGE: u64 = 4 << 10;
/// Settled bytes before the last settled one that a command keeps of a file: a tool that copies and truncates a file
/// is seen to have copied it only if the bytes before the copy's end are still known.
const BEHIND: u64 = 1 << 20;

/// The file that all copies share, and its free pages.
struct Pages {
    file: Option<File>,
    free: Vec<u32>,
    /// Pages before this one were used at some time.
    next: u32,
}

static PAGES: Mutex<Pages> = Mutex::new(Pages { file: None, free: Vec::new(), next: 0 });

/// Bytes of all pages in use.
static USED: AtomicU64 = AtomicU64::new(0);

/// All copies, the oldest first.
static COPIES: Mutex<Vec<Weak<Mutex<Copy>>>> = Mutex::new(Vec::new());

/// The bytes of one followed file that were read, at their own places.
#[derive(Debug)]
pub(super) struct Copy {
    /// Bytes before this place are not kept.
    from: u64,
    /// The ranges that it holds, in order, none touching another.
    ranges: Vec<(u64, u64)>,
    /// The pages that hold them, by their number in the followed file.
    pages: BTreeMap<u64, u32>,
    /// Bytes before this place are done with.
    settled: u64,
}

impl Copy {
    /// A copy of what is read behind a place from now on.
    pub(super) fn new(from: u64) -> Arc<Mutex<Self>> {
        let copy = Self { from, ranges: Vec::new(), pages: BTreeMap::new(), settled: 0 };
        let copy = Arc::new(Mutex::new(copy));
        let mut all = lock(&COPIES);
        if all.len() == all.capacity() {
            all.retain(|copy| copy.strong_count() > 0);
        }
        all.push(Arc::downgrade(&copy));
        copy
    }

    /// Keeps bytes that were read at a place, as far as there is room.
    pub(super) fn keep(&mut self, offset: u64, bytes: &[u8]) {
        if offset < self.from {
            let skip = usize::try_from(self.from - offset).unwrap_or(usize::MAX).min(bytes.len());
            if skip < bytes.len() {
                self.keep(self.from, &bytes[skip..]);
            }
            return;
        }
        let end = offset + bytes.len() as u64;
        let known = self.ranges.iter().any(|(from, to)| *from <= offset && end <= *to);
        if known || bytes.is_empty() {
            return;
        }
        let kept = self.write(offset, bytes) as u64;
        if kept > 0 {
            self.hold(offset, offset + kept);
        }
    }

    /// Writes bytes into pages. Gives how many there was room for: a disk that is full costs the copy, not the entry.
    fn write(&mut self, offset: u64, bytes: &[u8]) -> usize {
        let mut pages = lock(&PAGES);
        let mut written = 0;
        while written < bytes.len() {
            let at = offset + written as u64;
            let within = at % PAGE;
            let slot = match self.pages.get(&(at / PAGE)) {
                Some(slot) => *slot,
                None => {
                    let Some(slot) = pages.take() else { break };
                    self.pages.insert(at / PAGE, slot);
                    slot
                }
            };
            let room = usize::try_from(PAGE - within).unwrap_or(0).min(bytes.len() - written);
            let piece = &bytes[written..written + room];
            let Some(file) = &pages.file else { break };
            if file.write_all_at(piece, u64::from(slot) * PAGE + within).is_err() {
                break;
            }
            written += room;
        }
        written
    }

    /// Adds a range to those that are held.
    fn hold(&mut self, from: u64, to: u64) {
        let at = self.ranges.partition_point(|(start, _)| *start < from);
        self.ranges.insert(at, (from, to));
        let mut joined: Vec<(u64, u64)> = Vec::with_capacity(self.ranges.len());
        for (from, to) in self.ranges.drain(..) {
            match joined.last_mut() {
                Some((_, end)) if from <= *end => *end = to.max(*end),
                _ => joined.push((from, to)),
            }
        }
        self.ranges = joined;
    }

    /// Bytes that it holds.
    #[cfg(test)]
    fn len(&self) -> u64 {
        self.ranges.iter().map(|(from, to)| to - from).sum()
    }

    /// Reads what it holds from a place on, up to the length of `bytes`.
    pub(super) fn read_at(&self, offset: u64, bytes: &mut [u8]) -> io::Result<usize> {
        let held = self.ranges.iter().find(|(from, to)| (*from..*to).contains(&offset));
        let Some((_, end)) = held else { return Ok(0) };
        let length = usize::try_from(end - offset).unwrap_or(usize::MAX).min(bytes.len());
        let pages = lock(&PAGES);
        let mut got = 0;
        while got < length {
            let at = offset + got as u64;
            let (Some(slot), Some(file)) = (self.pages.get(&(at / PAGE)), &pages.file) else {
                break;
            };
            let within = at % PAGE;
            let room = usize::try_from(PAGE - within).unwrap_or(0).min(length - got);
            file.read_exact_at(&mut bytes[got..got + room], u64::from(*slot) * PAGE + within)?;
            got += room;
        }
        Ok(got)
    }

    /// Says that the bytes before a place are done with. A command gives them up but for the last of them.
    pub(super) fn settle(&mut self, end: u64, give_up: bool) {
        self.settled = self.settled.max(end);
        if give_up {
            self.give_up_before(self.settled.saturating_sub(BEHIND), usize::MAX);
        }
    }

    /// Gives up the pages that lie wholly before a place, at most so many. Gives how many.
    fn give_up_before(&mut self, end: u64, most: usize) -> usize {
        let mut given = 0;
        let mut pages = lock(&PAGES);
        let mut until = 0;
        while given < most
            && let Some(first) = self.pages.first_entry()
            && (first.key() + 1) * PAGE <= end
        {
            until = (first.key() + 1) * PAGE;
            pages.free.push(first.remove());
            given += 1;
        }
        drop(pages);
        USED.fetch_sub(given as u64 * PAGE, Ordering::Relaxed);
        self.ranges.retain(|(_, to)| *to > until);
        if let Some((from, _)) = self.ranges.first_mut() {
            *from = until.max(*from);
        }
        given
    }
}

impl Drop for Copy {
    fn drop(&mut self) {
        USED.fetch_sub(self.pages.len() as u64 * PAGE, Ordering::Relaxed);
        lock(&PAGES).free.extend(self.pages.values());
    }
}

impl Pages {
    /// A page that nothing is in. `None` where there is no room, or no file can be made.
    fn take(&mut self) -> Option<u32> {
        if self.file.is_none() {
            self.file = tempfile::tempfile().ok();
        }
        self.file.as_ref()?;
        let slot = match self.free.pop() {
            Some(slot) => slot,
            None if u64::from(self.next) * PAGE < limits::COPIED_BYTES => {
                self.next += 1;
                self.next - 1
            }
            None => return None,
        };
        USED.fetch_add(PAGE, Ordering::Relaxed);
        Some(slot)
    }
}

/// Whether there is room to copy what stood in files before they were followed.
pub(crate) fn has_plenty() -> bool {
    USED.load(Ordering::Relaxed) < limits::COPIED_BYTES / 2
}

/// Whether so much is copied that no more should be read before something of it is settled. What is settled is given
/// up first. Cost: all copies where room is short, else a look at a number.
pub(crate) fn is_full() -> bool {
    // What workers are reading at the moment still has to find room.
    const RESERVE: u64 = limits::COPIED_BYTES / 16;
    let over = || (USED.load(Ordering::Relaxed) + RESERVE).saturating_sub(limits::COPIED_BYTES);
    if over() == 0 {
        return false;
    }
    let copies: Vec<_> = lock(&COPIES).iter().filter_map(Weak::upgrade).collect();
    for copy in copies {
        let mut copy = lock(&copy);
        let most = usize::try_from((over() + RESERVE) / PAGE).unwrap_or(usize::MAX);
        let settled = copy.settled;
        copy.give_up_before(settled, most);
        if over() == 0 {
            return false;
        }
    }
    true
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(copy: &Copy, offset: u64, length: usize) -> String {
        let mut bytes = vec![0; length];
        let got = copy.read_at(offset, &mut bytes).unwrap();
        String::from_utf8(bytes[..got].to_vec()).unwrap()
    }

    #[test]
    fn bytes_that_are_kept_again_count_once() {
        let copy = Copy::new(0);
        let mut copy = lock(&copy);
        for end in [5, 9, 12] {
            copy.keep(4, &b"a line that grows"[..end - 4]);
            copy.keep(end as u64 + 20, b"apart");
        }
        assert_eq!((copy.len(), &copy.ranges[..]), (20, &[(4, 12), (25, 37)][..]));
    }

    #[test]
    fn settled_pages_are_given_up_and_used_again() {
        let copy = Copy::new(0);
        let mut copy = lock(&copy);
        let bytes: Vec<u8> = (0..3 * PAGE + 100).map(|at| b'a' + (at / PAGE) as u8).collect();
        copy.keep(0, &bytes);
        assert_eq!(text(&copy, PAGE - 2, 4), "aabb", "across pages");
        assert_eq!(copy.give_up_before(2 * PAGE + 50, usize::MAX), 2, "whole pages only");
        assert_eq!(copy.ranges, [(2 * PAGE, 3 * PAGE + 100)]);
        assert_eq!((text(&copy, 10, 5), text(&copy, 2 * PAGE, 3)), (String::new(), "ccc".into()));
        copy.keep(3 * PAGE + 100, b"more");
        assert_eq!(text(&copy, 3 * PAGE + 99, 5), "dmore");
        copy.settle(3 * PAGE, true);
        assert_eq!(copy.len(), PAGE + 104, "a command keeps what was settled last");
    }
}
