//! Every limit of the core in one place, under the names that messages use.

/// Bytes of a source that one reading job takes: large enough to hide the cost of a job, small enough
/// that a few of them in flight stay far below the size of a file.
pub const CHUNK_BYTES: usize = 1 << 20;

/// Entries in one block. An entry's number within its block takes 16 bits.
pub const BLOCK_ENTRIES: usize = 1 << 16;

/// Blocks in one intake. A block's number takes 16 bits.
pub const BLOCKS: usize = 1 << 16;

/// Sources in one intake. A source's number takes 16 bits.
pub const SOURCES: usize = u16::MAX as usize;

/// Bytes of one line. A longer one is cut into pieces of this length, which are entries of their own with the
/// line's number.
pub const LINE_HELD_BYTES: usize = 32 << 20;

/// Bytes over which the lines of one entry may spread. Lines behind them are entries of their own, and count as doubtful.
pub const ENTRY_BYTES: u64 = if cfg!(test) { 64 << 10 } else { 4 << 20 };

/// Bytes of one entry that a row on the desk is made from.
pub const ROW_BYTES: usize = 16 << 10;

/// Bytes of one entry that the inspector shows.
pub const INSPECT_BYTES: usize = 1 << 20;

/// Lines over which a quote may stay open in a delimiter-separated file before it counts as stray.
pub const QUOTED_LINES: usize = 1_000;

/// Bytes of an object over several lines that are held while its end is looked for.
pub const OBJECT_BYTES: usize = 4 << 20;

/// Depth of nested objects and lists that is kept as a tree; deeper values stay as their text.
pub const NESTING: usize = 64;

/// Lines that may stand between two parts of one stack trace.
pub const TORN_LINES: u32 = 64;

/// Bytes of a source that are looked at to learn its header before the rest is read.
pub const PROBE_BYTES: usize = 64 << 10;

/// Times that the columns of one file may change in its middle.
pub const HEADERS: usize = 256;

/// Bytes of followed files that are kept in copies, all together, so that truncation takes nothing that was
/// shown.
pub const COPIED_BYTES: u64 = 512 << 20;

/// Bytes of a followed file up to which what it held before is copied as well.
pub const COPIED_AT_ONCE: u64 = 4 << 20;
