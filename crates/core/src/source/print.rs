//! What the bytes of a file look like, to tell whether they are still the same.

use std::{hash::Hasher, io};

use siphasher::sip::SipHasher13;

use super::Segment;

/// Bytes of the beginning that a print covers.
pub(crate) const HEAD: usize = 1 << 10;
/// Bytes before the end that it covers.
const TAIL: u64 = 1 << 8;

/// What the bytes of a file up to an end look like: the same bytes have the same print, and bytes that have been
/// replaced have another one but for a chance of one in 2⁶⁴.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Print {
    pub(crate) end: u64,
    head: u64,
    tail: u64,
}

impl Print {
    /// The print of the bytes up to `end`. `None` where the segment is shorter. Cost: two short readings.
    ///
    /// # Errors
    ///
    /// Those of reading.
    pub(crate) fn of(segment: &Segment, end: u64) -> io::Result<Option<Self>> {
        Self::read(end, |from, bytes| segment.read_file(from, bytes))
    }

    /// The same for bytes that are perhaps only in the copy that was kept of them.
    ///
    /// # Errors
    ///
    /// Those of reading.
    pub(crate) fn of_kept(segment: &Segment, end: u64) -> io::Result<Option<Self>> {
        Self::read(end, |from, bytes| segment.read_kept(from, bytes))
    }

    fn read(
        end: u64,
        mut read: impl FnMut(u64, &mut [u8]) -> io::Result<usize>,
    ) -> io::Result<Option<Self>> {
        let mut hash = |from: u64, to: u64| -> io::Result<Option<u64>> {
            let mut bytes = [0; HEAD];
            let length = usize::try_from(to - from).unwrap_or(HEAD).min(HEAD);
            if read(from, &mut bytes[..length])? < length {
                return Ok(None);
            }
            Ok(Some(hash(&bytes[..length])))
        };
        let (head, tail) = (hash(0, end.min(HEAD as u64))?, hash(end.saturating_sub(TAIL), end)?);
        Ok(head.zip(tail).map(|(head, tail)| Self { end, head, tail }))
    }

    /// Whether a text begins as the file does.
    pub(crate) fn begins(&self, text: &[u8]) -> bool {
        let length = usize::try_from(self.end).unwrap_or(HEAD).min(HEAD);
        text.get(..length).is_some_and(|text| length > 0 && hash(text) == self.head)
    }

    /// Whether the bytes of a segment up to this print's end are still these.
    ///
    /// # Errors
    ///
    /// Those of reading.
    pub(crate) fn fits(&self, segment: &Segment) -> io::Result<bool> {
        Ok(Self::of(segment, self.end)? == Some(*self))
    }
}

fn hash(bytes: &[u8]) -> u64 {
    let mut hasher = SipHasher13::new();
    hasher.write(bytes);
    hasher.finish()
}
