//! From bytes to physical lines to the extents of entries.
//!
//! A [`Cutter`] takes lines in order and writes the columns of the index. It can start in the middle of
//! a file: what stands before the first line that begins an entry is then its *lead*, which belongs to
//! whatever came before, and whoever joins the pieces cuts the lead again with the [`Carry`] of the
//! piece before. So a file is cut in parallel and yet as if by one.

mod chunk;
mod cutter;

pub(crate) use chunk::{Chunk, Cut, read};
pub(crate) use cutter::{Carry, Cutter, Part};

/// Whether a line looks like the continuation of the entry right above it: indented, a line of a stack
/// trace that usually stands at the margin, or the type and message of an error.
pub(crate) fn is_continuation(line: &[u8]) -> bool {
    is_trace(line) || names_an_error(line)
}

/// Whether a line can only be the middle of something: it belongs to an entry above even if another
/// program's output stands in between.
pub(crate) fn is_trace(line: &[u8]) -> bool {
    const OPENINGS: [&[u8]; 9] = [
        b"Caused by",
        b"caused by",
        b"Suppressed:",
        b"Traceback (most recent call last)",
        b"During handling of the above",
        b"The above exception was",
        b"... ",
        b"at ",
        b"stack backtrace:",
    ];
    match line.first() {
        None => true,
        Some(b' ' | b'\t' | b'}' | b']' | b')') => true,
        Some(_) => OPENINGS.iter().any(|open| line.starts_with(open)),
    }
}

/// `java.lang.IllegalStateException: …`, `ValueError: …`: a type's name in mixed case, maybe with its
/// path, and nothing before it.
fn names_an_error(line: &[u8]) -> bool {
    let end = line
        .iter()
        .position(|b| !(b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$' | b':')))
        .unwrap_or(line.len());
    let path = &line[..end];
    let name = path.strip_suffix(b":").unwrap_or(path);
    if name.len() == path.len() && end < line.len() {
        return false;
    }
    let last = name.rsplit(|b| matches!(b, b'.' | b':' | b'$')).next().unwrap_or(name);
    last.first().is_some_and(u8::is_ascii_uppercase)
        && last.iter().filter(|b| b.is_ascii_uppercase()).count() >= 2
        && last.iter().any(u8::is_ascii_lowercase)
}

#[cfg(test)]
mod tests;
