//! Colour codes and other escape sequences, which programs write for a terminal and which say nothing.

use std::borrow::Cow;

const ESCAPE: u8 = 0x1b;

/// Whether a text holds anything to be dropped.
pub(crate) fn is_coloured(text: &[u8]) -> bool {
    memchr::memchr(ESCAPE, text).is_some() || text.first() == Some(&0)
}

/// The text without escape sequences (ECMA-48 control sequences and commands) and without the NULs that a
/// crash leaves before a line.
pub(crate) fn strip(text: &[u8]) -> Cow<'_, [u8]> {
    let nuls = text.iter().take_while(|byte| **byte == 0).count();
    let text = &text[nuls..];
    let Some(mut at) = memchr::memchr(ESCAPE, text) else { return Cow::Borrowed(text) };
    let mut out = text[..at].to_vec();
    while at < text.len() {
        let next = memchr::memchr(ESCAPE, &text[at..]).map_or(text.len(), |to| at + to);
        out.extend_from_slice(&text[at..next]);
        at = next + sequence(&text[next..]);
    }
    Cow::Owned(out)
}

/// How many bytes the escape sequence at the start of a text takes, within its line.
fn sequence(text: &[u8]) -> usize {
    let body = match text.get(1) {
        None => return text.len().min(1),
        // A control sequence: parameters, then one final byte.
        Some(b'[') => {
            let length = text[2..].iter().take(64).position(|b| !(0x20..=0x3f).contains(b));
            return match length {
                Some(length) if (0x40..=0x7e).contains(&text[2 + length]) => 3 + length,
                _ => 1,
            };
        }
        // A command: up to a bell or a string terminator.
        Some(b']') => &text[2..],
        Some(0x40..=0x7e) => return 2,
        Some(_) => return 1,
    };
    body.iter()
        .take(1_024)
        .take_while(|b| **b != b'\n')
        .position(|b| *b == 7 || *b == ESCAPE)
        .map_or(2, |at| {
            3 + at + usize::from(body[at] == ESCAPE && body.get(at + 1) == Some(&b'\\'))
        })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn sequences_go_and_text_stays() {
        for (text, want) in [
            ("plain", "plain"),
            ("\u{1b}[32mINFO\u{1b}[0m ok", "INFO ok"),
            ("\u{1b}[1;38;5;12mx\u{1b}[m", "x"),
            ("\u{1b}]8;;https://gate.example.test\u{7}link\u{1b}]8;;\u{1b}\\ end", "link end"),
            ("\0\0\0text", "text"),
            ("ends \u{1b}", "ends "),
            ("odd \u{1b}[12", "odd [12"),
        ] {
            assert_eq!(strip(text.as_bytes()), text_of(want), "{text:?}");
        }
    }

    fn text_of(text: &str) -> Cow<'_, [u8]> {
        Cow::Borrowed(text.as_bytes())
    }

    proptest! {
        #[test]
        fn nothing_but_sequences_is_dropped(text in "[ -~\n]{0,40}") {
            prop_assert_eq!(strip(text.as_bytes()), text_of(&text));
        }

        #[test]
        fn no_escape_survives(bytes in proptest::collection::vec(any::<u8>(), 0..60)) {
            prop_assert!(memchr::memchr(ESCAPE, &strip(&bytes)).is_none());
        }
    }
}
