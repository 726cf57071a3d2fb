//! What the values under a name are like, and the number of who says so.

/// The number of a detector in the table, or of a rule of one's own.
pub(super) type Number = u16;

/// What the values under a name are like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    /// Anything that is not empty.
    Text,
    /// No plain word, and no small number: `token=expired` says something else.
    Opaque,
    /// A scheme and its credentials, or a token alone.
    Credentials,
    /// Names and values of cookies, or a value alone.
    Cookies,
    /// Digits, or a few letters and digits.
    Code,
    /// Several words, to the end of their line.
    Phrase,
    /// At least twenty letters and digits of base64 or hexadecimal.
    Long,
    /// A person's name: words that begin with a capital belong together.
    Person,
    /// Where somebody lives: a line with blanks in it.
    Home,
    /// At least six digits.
    Digits,
}
