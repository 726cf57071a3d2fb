//! Texts that are written otherwise than they read.

use std::sync::LazyLock;

use aho_corasick::AhoCorasick;
use memchr::memmem;

/// Whether texts in a block may be written otherwise than they read: escaped letters, colours within
/// words, templates whose values stand elsewhere, lines in pieces. `json` says that it has objects,
/// `wrapped` that other programs put something around its lines.
pub(super) fn are_other(bytes: &[u8], json: bool, wrapped: bool) -> bool {
    if memchr::memchr(0x1b, bytes).is_some() || has(bytes, b"\\u00") {
        return true;
    }
    if json && (has(bytes, b"\"args\"") || has_templates(bytes) || has_bytes_as_text(bytes)) {
        return true;
    }
    wrapped && (has(bytes, b"stdout P ") || has(bytes, b"stderr P ") || is_torn(bytes))
}

/// What is looked for in one pass; see [`may_be_other`].
const PARTS: [&[u8]; 7] =
    [b"\\u00", b"stdout P ", b"stderr P ", TORN, b"\"args\"", b"\"MESSAGE\"", b"resourceLogs"];
/// The first of them that matters only where there are objects.
const OF_OBJECTS: usize = 4;
/// What stands behind a container's line.
const TORN: &[u8] = b"\",\"stream\":\"";

static SEARCH: LazyLock<AhoCorasick> = LazyLock::new(|| {
    AhoCorasick::new(PARTS).unwrap_or_else(|error| unreachable!("fixed texts: {error}"))
});

/// The same for bytes of which nothing else is known: where there may be objects, they are looked for, and so is
/// what several entries share. Cost: three passes over the bytes.
pub(crate) fn may_be_other(bytes: &[u8]) -> bool {
    if memchr::memchr(0x1b, bytes).is_some() {
        return true;
    }
    let json = has(bytes, b"\":") || has(bytes, b"\" :");
    let other = |found: aho_corasick::Match| match PARTS[found.pattern().as_usize()] {
        TORN => !bytes[..found.start()].ends_with(b"\\n"),
        b"\"MESSAGE\"" => json && is_bytes_as_text(bytes, found.start()),
        _ => json || found.pattern().as_usize() < OF_OBJECTS,
    };
    SEARCH.find_iter(bytes).any(other) || json && has_templates(bytes)
}

fn has(bytes: &[u8], part: &[u8]) -> bool {
    memmem::find(bytes, part).is_some()
}

/// An object's brace has a quote or a blank behind it, a template's has a name.
fn has_templates(bytes: &[u8]) -> bool {
    memchr::memchr_iter(b'{', bytes).any(|at| {
        bytes.get(at + 1).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'@' | b'$'))
    })
}

/// A message as a list of the numbers of its bytes.
fn has_bytes_as_text(bytes: &[u8]) -> bool {
    memmem::find_iter(bytes, b"\"MESSAGE\"").any(|at| is_bytes_as_text(bytes, at))
}

fn is_bytes_as_text(bytes: &[u8], at: usize) -> bool {
    let behind = bytes[at + 9..].iter().find(|b| !matches!(b, b' ' | b':' | b'\t'));
    behind == Some(&b'[')
}

/// A container's whole line ends with an escaped line end.
fn is_torn(bytes: &[u8]) -> bool {
    memmem::find_iter(bytes, TORN).any(|at| !bytes[..at].ends_with(b"\\n"))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn one_pass_sees_what_several_see(pieces in proptest::collection::vec(prop::sample::select(vec![
            "\u{1b}", "\\u00", "\"args\"", "\"MESSAGE\"", " : [1]", ":\"x\"", "{Name}", "{\"a\":1}", "\",\"stream\":\"", "\\n",
            "stdout P ", "stderr P", " ", "resourceLogs", "\"msg\" :", "plain text", "\\", "u00",
        ]), 0..8)) {
            let text = pieces.concat();
            let bytes = text.as_bytes();
            let json = has(bytes, b"\":") || has(bytes, b"\" :");
            let want = are_other(bytes, json, true) || json && has(bytes, b"resourceLogs");
            prop_assert_eq!(may_be_other(bytes), want);
        }
    }

    #[test]
    fn other_writings_are_seen() {
        for (text, json, wrapped, want) in [
            ("{\"msg\":\"plain\",\"user\":{\"id\":1}}", true, false, false),
            ("plain text with a {Name} in it", false, false, false),
            ("a \u{1b}[31mred\u{1b}[0m word", false, false, true),
            ("{\"msg\":\"\\u0054imeout\"}", true, false, true),
            ("{\"msg\":\"{Name} held\"}", true, false, true),
            ("{\"msg\":\"{@Seat} held\"}", true, false, true),
            ("{\"msg\":\"%s held\",\"args\":[1]}", true, false, true),
            ("{\"MESSAGE\" : [104,105]}", true, false, true),
            ("{\"MESSAGE\":\"hi\"}", true, false, false),
            ("2026-03-14T06:41:02Z stdout P half", false, true, true),
            ("2026-03-14T06:41:02Z stdout P half", false, false, false),
            ("{\"log\":\"half\",\"stream\":\"stdout\"}", true, true, true),
            ("{\"log\":\"whole\\n\",\"stream\":\"stdout\"}", true, true, false),
        ] {
            assert_eq!(are_other(text.as_bytes(), json, wrapped), want, "{text}");
        }
    }
}
