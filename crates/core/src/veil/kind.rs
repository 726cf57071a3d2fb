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

/// What a number or an address begins like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Shape {
    /// A payment card: twelve digits, blanks and dashes, of which this is the first
    Card,
    /// No two digits and then two at the beginning of a word
    Account,
    /// The `@` of a mail address
    Mail,
    /// A digit, a dot, a digit, and another dot within three more
    FourNumbers,
    /// Two colons, or four with at most four letters and digits between them
    Colons,
    /// A plus or a bracket, and a digit
    Phone,
}

/// Shapes there are.
pub(super) const SHAPES: usize = 6;
