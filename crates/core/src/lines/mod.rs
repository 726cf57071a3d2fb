//! From bytes to physical lines to the extents of entries.
//!
//! A [`Cutter`] takes lines in order and writes the columns of the index. It can start in the middle of
//! a file: what stands before the first line that begins an entry is then its *lead*, which belongs to
//! what came before; joining the pieces cuts the lead again with the [`Carry`] of the
//! piece before. So a file is cut in parallel and yet as if by one.

mod armour;
mod carry;
mod chunk;
mod cutter;
mod objects;
mod pieces;
mod wrapped;

pub(crate) use carry::Carry;
pub(crate) use chunk::{Chunk, Cut, Trouble, read};
pub(crate) use cutter::{Cutter, Part};
pub(crate) use pieces::starts_in_pieces;

#[cfg(test)]
mod tests;
