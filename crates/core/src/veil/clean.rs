//! Text that may leave the core, for whom, and the separate step that makes it harmless to a terminal.

use std::{borrow::Cow, fmt, marker::PhantomData};

/// Who a text is for.
pub trait Audience:
    private::Sealed + Copy + Default + fmt::Debug + Eq + Ord + std::hash::Hash + Send + Sync + 'static
{
    /// Which of a veil's two sets of decisions holds.
    #[doc(hidden)]
    const WHO: Who;
}

/// The person at the desk: sees what tells who somebody is, unless they decided otherwise.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Desk;

/// Whoever gets what leaves the desk: exports, the clipboard, pictures, what commands print.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Anyone;

#[doc(hidden)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Who {
    Desk,
    Anyone,
}

impl Audience for Desk {
    const WHO: Who = Who::Desk;
}

impl Audience for Anyone {
    const WHO: Who = Who::Anyone;
}

mod private {
    pub trait Sealed {}
    impl Sealed for super::Desk {}
    impl Sealed for super::Anyone {}
}

/// Text of a log with what its audience must not see hidden. Only the veil makes it.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct Text<'a, A: Audience>(Cow<'a, str>, PhantomData<A>);

/// Text that the desk may draw.
///
/// It can't be shared:
///
/// ```compile_fail
/// fn share(text: cribrum_core::veil::Shareable<'_>) {}
/// fn draw(text: cribrum_core::veil::Clean<'_>) { share(text) }
/// ```
///
/// and nothing but the veil makes it:
///
/// ```compile_fail
/// let text = cribrum_core::veil::Clean::new("password=gull".into());
/// ```
pub type Clean<'a> = Text<'a, Desk>;

/// Text that may leave the desk. The desk may draw it too:
///
/// ```
/// fn draw(text: cribrum_core::veil::Clean<'_>) {}
/// fn share(text: cribrum_core::veil::Shareable<'_>) { draw(text.into()) }
/// ```
pub type Shareable<'a> = Text<'a, Anyone>;

impl<'a, A: Audience> Text<'a, A> {
    pub(super) fn new(text: Cow<'a, str>) -> Self {
        Self(text, PhantomData)
    }

    /// The text, control bytes included: for files and pipes.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The text on its own.
    #[must_use]
    pub fn into_owned(self) -> Text<'static, A> {
        Text::new(Cow::Owned(self.0.into_owned()))
    }

    /// A text that was made of parts of this one, and of words of the program's own.
    pub(crate) fn made_into(&self, text: String) -> Text<'static, A> {
        Text::new(Cow::Owned(text))
    }

    /// The text as a terminal may get it, see [`harmless`].
    #[must_use]
    pub fn for_terminal(&self) -> Cow<'_, str> {
        harmless(&self.0)
    }
}

impl<'a> From<Shareable<'a>> for Clean<'a> {
    fn from(text: Shareable<'a>) -> Self {
        Self::new(text.0)
    }
}

impl<A: Audience> fmt::Display for Text<'_, A> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// Replaces what a terminal would obey instead of show: control characters by their pictures, and
/// characters that reorder or hide text by the replacement character. Colour sequences (`ESC [ … m`) are
/// left out, since they are no content. Line ends and tabs stay.
#[must_use]
pub fn harmless(text: &str) -> Cow<'_, str> {
    // One pass without a branch settles it for most texts.
    let plain = |b: u8| (b' '..0x7f).contains(&b) || b == b'\n' || b == b'\t';
    if text.bytes().fold(true, |all, b| all & plain(b)) || !text.chars().any(is_harmful) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text.chars();
    while let Some(c) = rest.next() {
        if c == '\u{1b}'
            && let Some(after) = colour_end(rest.as_str())
        {
            rest = after.chars();
            continue;
        }
        out.push(match c {
            c if !is_harmful(c) => c,
            '\u{7f}' => '␡',
            c if u32::from(c) < 0x20 => {
                char::from_u32(0x2400 + u32::from(c)).unwrap_or(char::REPLACEMENT_CHARACTER)
            }
            _ => char::REPLACEMENT_CHARACTER,
        });
    }
    Cow::Owned(out)
}

pub(crate) fn is_harmful(c: char) -> bool {
    (c.is_control() && c != '\n' && c != '\t')
        || matches!(c,
            '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}'
            | '\u{feff}' | '\u{061c}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

/// The text behind a colour sequence whose escape character has been taken.
fn colour_end(text: &str) -> Option<&str> {
    let body = text.strip_prefix('[')?;
    let end = body.find(|c: char| !(c.is_ascii_digit() || c == ';' || c == ':'))?;
    body.get(end..)?.strip_prefix('m')
}
