//! What the entries of a block say that means something only beside others: where a program starts, and requests and
//! responses that were printed apart.

/// What a block's entries say.
#[derive(Debug, Default)]
pub(crate) struct Hints {
    /// Entries in which a program says that it starts.
    pub(crate) starts: Box<[Start]>,
    /// The lives of programs by their process id, or by their version where they tell none.
    pub(crate) lives: Box<[Life]>,
    /// Entries in which a number that only grows while a program lives is far smaller than before.
    pub(crate) falls: Box<[(u16, Program)]>,
    /// The first and the last of these numbers.
    pub(crate) counted: Option<Counted>,
    /// Requests and responses in the order of entries.
    pub(crate) halves: Box<[Half]>,
}

/// The name of a program, hashed; 0 where entries tell none.
pub(crate) type Program = u32;

/// An entry in which a program says that it starts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Start {
    pub(crate) index: u16,
    pub(crate) program: Program,
    /// What it says without its variable parts, hashed.
    pub(crate) says: u32,
}

/// What entries of one life of a program have in common, and where they stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Life {
    pub(crate) program: Program,
    /// The process id or the version, hashed.
    pub(crate) key: u32,
    pub(crate) first: u16,
    pub(crate) last: u16,
}

/// A number that grows from entry to entry.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Counted {
    pub(crate) program: Program,
    pub(crate) first: (u16, f64),
    pub(crate) last: f64,
    pub(crate) entries: u16,
}

/// A request, or a response.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Half {
    pub(crate) index: u16,
    pub(crate) says: Says,
    /// What the entry names its thread, its connection or its process, hashed; 0 where it names none.
    pub(crate) thread: u32,
    /// What the entry numbers itself with (`id=71`), hashed; 0 where it does not.
    pub(crate) number: u32,
    /// Method and path, hashed; 0 where it names none.
    pub(crate) target: u32,
}

/// What an entry says of an exchange.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Says {
    /// What is asked for.
    Request,
    /// How it ended.
    Response,
    /// Both. It may be the response to a request that was told before.
    Both,
}

impl Hints {
    /// The bytes that they take.
    pub(crate) fn bytes(&self) -> usize {
        size_of::<Self>()
            + self.starts.len() * size_of::<Start>()
            + self.falls.len() * size_of::<(u16, Program)>()
            + self.lives.len() * size_of::<Life>()
            + self.halves.len() * size_of::<Half>()
    }
}
