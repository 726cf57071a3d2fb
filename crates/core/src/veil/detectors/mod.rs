//! The table of detectors. Each is one entry: what any hit must contain, how a candidate is checked, what class it
//! is, one hit and one near miss. The search for candidates, the documentation and the tests follow from it.

mod forms;
mod names;
mod personal;
mod tokens;

use std::{ops::Range, sync::LazyLock};

use super::{
    Class,
    found::{Found, Number},
    kind::{Kind, Shape},
};

/// How one kind of secret is found.
pub struct Detector {
    /// Its name, as settings and reports have it.
    pub name: &'static str,
    /// What it finds, as the end of a sentence that begins with "finds".
    pub what: &'static str,
    /// The class of what it finds.
    pub class: Class,
    /// Texts of which any hit contains one, in any case of its letters.
    pub(super) fragments: &'static [&'static str],
    pub(super) check: Check,
    /// A text in which it finds what stands between `⟦` and `⟧`.
    pub hit: &'static str,
    /// A text that looks like a hit and is none.
    pub miss: &'static str,
}

/// A look at a candidate: the whole text, the fragment in it, and where to tell what was found. A look must cost no
/// more than what it hides, or a bounded number of bytes.
pub(super) type Form = fn(&[u8], Range<usize>, &mut Found<'_>);

/// A look at a place where a shape begins. Gives the place before which it is not looked again.
pub(super) type Look = fn(&[u8], usize, &mut Found<'_>) -> usize;

/// What is looked at behind a fragment.
pub(super) enum Check {
    /// Whether it stands in the name of a field, and what stands behind that.
    Name(&'static Names),
    /// Whether it begins a token of its issuer.
    Token(Rest),
    /// Anything else.
    Form(Form),
    /// Whether it begins a statement.
    Statement,
    /// Whether it begins a text in base64, which is looked at in turn.
    Encoded,
    /// What begins like a shape.
    Shape(Shape, Look),
    /// No fragment begins it: it is looked for by itself in the whole text.
    Whole(fn(&[u8], &mut Found<'_>)),
}

/// Names of fields, without case and punctuation.
pub(super) struct Names {
    /// The whole name, or its last part.
    pub(super) is: &'static [&'static str],
    /// The end of the name.
    pub(super) ends: &'static [&'static str],
    /// Anywhere in a name that does not go on to say something about it.
    pub(super) has: &'static [&'static str],
    /// The end of names that mean something else.
    pub(super) not: &'static [&'static str],
    /// What values are like.
    pub(super) kind: Kind,
}

/// What follows the prefix of a token.
#[derive(Clone, Copy, Debug)]
pub(super) struct Rest {
    /// Which characters.
    pub(super) of: Alphabet,
    /// How many, at least. More of them belong to the token too.
    pub(super) least: usize,
}

/// The characters of a token.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Alphabet {
    /// Letters, digits, `-`, `_`
    Url,
    /// The same and `.`, which does not end it
    Dotted,
    /// The same and `+`, `/`, `=`
    Base64,
    /// Upper-case letters and digits, exactly as many
    Upper,
    /// Hexadecimal digits
    Hex,
}

impl Alphabet {
    pub(super) fn has(self, byte: u8) -> bool {
        let url = byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_');
        match self {
            Self::Url => url,
            Self::Dotted => url || byte == b'.',
            Self::Base64 => url || matches!(byte, b'.' | b'+' | b'/' | b'='),
            Self::Upper => byte.is_ascii_uppercase() || byte.is_ascii_digit(),
            Self::Hex => byte.is_ascii_hexdigit(),
        }
    }
}

/// All detectors, in the order in which names are judged.
pub(super) static TABLE: LazyLock<Vec<&'static Detector>> = LazyLock::new(|| {
    [names::NAMES, forms::FORMS, tokens::TOKENS, personal::PERSONAL].into_iter().flatten().collect()
});

// A detector without an example of each kind does not compile.
const _: () = {
    complete(names::NAMES);
    complete(forms::FORMS);
    complete(tokens::TOKENS);
    complete(personal::PERSONAL);
};

const fn complete(table: &[Detector]) {
    let mut at = 0;
    while at < table.len() {
        assert!(!table[at].hit.is_empty(), "a detector has no hit");
        assert!(!table[at].miss.is_empty(), "a detector has no near miss");
        assert!(
            !table[at].fragments.is_empty()
                || matches!(table[at].check, Check::Whole(_) | Check::Shape(..)),
            "a detector has no fragment"
        );
        at += 1;
    }
}

/// The detectors that look through the whole text by themselves.
pub(super) fn whole() -> &'static [(Number, &'static Detector)] {
    static WHOLE: LazyLock<Vec<(Number, &Detector)>> = LazyLock::new(|| {
        let all = (0..).zip(TABLE.iter().copied());
        all.filter(|(_, detector)| matches!(detector.check, Check::Whole(_))).collect()
    });
    &WHOLE
}

/// The detectors that look at places where a shape begins.
pub(super) fn shapes() -> &'static [(Number, Shape, Look)] {
    static SHAPES: LazyLock<Vec<(Number, Shape, Look)>> = LazyLock::new(|| {
        let all = (0..).zip(TABLE.iter());
        all.filter_map(|(number, detector)| match detector.check {
            Check::Shape(shape, look) => Some((number, shape, look)),
            _ => None,
        })
        .collect()
    });
    &SHAPES
}

/// A detector by its number.
pub(super) fn detector(number: Number) -> Option<&'static Detector> {
    TABLE.get(usize::from(number)).copied()
}

/// The number of a detector by its name.
pub(super) fn number(name: &str) -> Option<Number> {
    TABLE.iter().position(|detector| detector.name == name).and_then(|at| Number::try_from(at).ok())
}
