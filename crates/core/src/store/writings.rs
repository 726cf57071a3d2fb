//! Texts that are written otherwise than they read.

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

/// The same for bytes of which nothing else is known: where there may be objects, they are looked for, and so is
/// what several entries share.
pub(crate) fn may_be_other(bytes: &[u8]) -> bool {
    let json = has(bytes, b"\":") || has(bytes, b"\" :");
    are_other(bytes, json, true) || json && has(bytes, b"resourceLogs")
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
    memmem::find_iter(bytes, b"\"MESSAGE\"").any(|at| {
        let behind = bytes[at + 9..].iter().find(|b| !matches!(b, b' ' | b':' | b'\t'));
        behind == Some(&b'[')
    })
}

/// A container's whole line ends with an escaped line end.
fn is_torn(bytes: &[u8]) -> bool {
    memmem::find_iter(bytes, b"\",\"stream\":\"").any(|at| !bytes[..at].ends_with(b"\\n"))
}

#[cfg(test)]
mod tests {
    use super::*;

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
