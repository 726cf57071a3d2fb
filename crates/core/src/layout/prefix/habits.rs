//! What a program's prefixes are like, learnt from many of its lines: a role is a source's, not a line's.

/// Lines from which on a name that does not recur is none.
const MANY: usize = 12;
/// Names in front of a colon that are kept as those of loggers.
const TAGS: usize = 8;

/// What a program's prefixes are like.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::layout) struct Habits {
    /// The word behind the level is a logger, whether it has a path or not.
    pub(in crate::layout) named: bool,
    /// A letter behind the time is the level.
    pub(in crate::layout) letter: bool,
    /// What stands in round brackets behind the level is a logger.
    pub(in crate::layout) round: bool,
    /// Which of the brackets holds an id, from 0.
    pub(in crate::layout) id: Option<u8>,
    /// So many brackets stand before the message; further ones are its own.
    pub(in crate::layout) brackets: Option<u8>,
    /// The names in front of a colon that are those of loggers.
    pub(in crate::layout) tags: Tags,
    /// A span and a module stand before the message, a colon behind each.
    pub(in crate::layout) spanned: bool,
    /// The word behind the time is a logger of several parts: `harbour:fares`.
    pub(in crate::layout) parted: bool,
    /// Where the level stands in lines that have neither a time nor a mark.
    pub(in crate::layout) lead: Lead,
    /// The column of the level where the time before it is left blank when it repeats.
    pub(in crate::layout) column: Option<u8>,
}

impl Habits {
    /// Whether a line's beginning tells by itself whether it has a level.
    pub(in crate::layout) fn is_plain(&self) -> bool {
        self.lead == Lead::Nowhere && self.column.is_none()
    }
}

/// Which names in front of a colon are those of loggers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::layout) enum Tags {
    /// Too few lines to tell: each may be one.
    #[default]
    Unknown,
    /// Nearly every line has one.
    All,
    /// Those that recur, by their hashes; 0 is none.
    Some([u32; TAGS]),
}

impl Tags {
    /// Those of these names, with how often each was met, among so many lines, of which some have a name with a path.
    pub(in crate::layout) fn of(met: &[(Vec<u8>, usize)], paths: usize, lines: usize) -> Self {
        if lines < MANY {
            return Self::Unknown;
        }
        let count = paths + met.iter().map(|(_, count)| count).sum::<usize>();
        // What belongs to a layout stands on all of its lines.
        if count * 50 >= lines * 49 {
            return Self::All;
        }
        // A word of plain letters is one of the message as well.
        let plain = |name: &[u8]| name.iter().all(u8::is_ascii_lowercase);
        let mut hashes = [0; TAGS];
        let names = met.iter().filter(|(name, count)| *count > 1 && !plain(name));
        for ((name, _), hash) in names.zip(&mut hashes) {
            *hash = hash_of(name);
        }
        Self::Some(hashes)
    }

    /// Whether a name is that of a logger. `None` where that is not known.
    pub(in crate::layout) fn holds(&self, name: &[u8]) -> Option<bool> {
        match self {
            Self::Unknown => None,
            Self::All => Some(true),
            Self::Some(hashes) => Some(hashes.contains(&hash_of(name))),
        }
    }
}

/// Where the level stands in lines that have neither a time nor a mark.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::layout) enum Lead {
    #[default]
    Nowhere,
    /// `info fares opened`
    First,
    /// `harbour.fares INFO opened`
    Second,
}

/// A small hash that is never 0 (FNV-1a).
fn hash_of(name: &[u8]) -> u32 {
    name.iter()
        .fold(0x811c_9dc5, |hash: u32, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193))
        .max(1)
}
