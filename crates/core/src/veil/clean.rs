//! Text that may leave the core, and the separate step that makes it harmless to a terminal.

use std::{borrow::Cow, fmt};

/// Text of a log with its secrets hidden. Only the veil makes it.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct Clean<'a>(Cow<'a, str>);

impl<'a> Clean<'a> {
    pub(super) fn new(text: Cow<'a, str>) -> Self {
        Self(text)
    }

    /// The text, control bytes included: for files and pipes.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The text on its own.
    #[must_use]
    pub fn into_owned(self) -> Clean<'static> {
        Clean(Cow::Owned(self.0.into_owned()))
    }

    /// The text as a terminal may get it, see [`harmless`].
    #[must_use]
    pub fn for_terminal(&self) -> Cow<'_, str> {
        harmless(&self.0)
    }
}

impl fmt::Display for Clean<'_> {
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
