//! Texts that are written otherwise than they read.

use std::sync::LazyLock;

use aho_corasick::packed::Searcher;
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
/// what several entries share. Cost: two looks at the bytes, and one more at those of objects.
pub(crate) fn may_be_other(bytes: &[u8]) -> bool {
    // Parts of what is looked for that hardly stand anywhere else.
    const SIGNS: [&[u8]; 7] = [
        b"\\u00",
        b"stdout P ",
        b"stderr P ",
        b"stream\":\"",
        b"args\"",
        b"MESSAGE\"",
        b"resourceLogs",
    ];
    static SEARCH: LazyLock<Option<Searcher>> = LazyLock::new(|| Searcher::new(SIGNS));
    let Some(search) = &*SEARCH else { return true };
    if memchr::memchr(0x1b, bytes).is_some() {
        return true;
    }
    let mut of_objects = false;
    for hit in search.find_iter(bytes) {
        let before = |text: &[u8]| bytes[..hit.start()].ends_with(text);
        match SIGNS[hit.pattern().as_usize()] {
            b"stream\":\"" => {
                if before(b"\",\"") && !before(b"\\n\",\"") {
                    return true;
                }
            }
            b"args\"" => of_objects |= before(b"\""),
            b"MESSAGE\"" => of_objects |= before(b"\"") && is_bytes_as_text(bytes, hit.start() - 1),
            b"resourceLogs" => of_objects = true,
            _ => return true,
        }
    }
    let json = || has(bytes, b"\":") || has(bytes, b"\" :");
    of_objects && json() || memchr::memchr(b'{', bytes).is_some() && json() && has_templates(bytes)
}

fn has(bytes: &[u8], part: &[u8]) -> bool {
    memmem::find(bytes, part).is_some()
}

/// Bytes at either end of a part of a file whose entry may stand in another part as well.
const EDGE: usize = 4 << 10;
/// Names of holes that are looked for in one part of a file.
const NAMES: usize = 32;

/// An object's brace has a quote or a blank behind it, a template's has a name, which a field has too: what looks like
/// a hole, `${DB_PASSWORD}`, is none without.
fn has_templates(bytes: &[u8]) -> bool {
    let mut without: Vec<&[u8]> = Vec::new();
    memchr::memchr_iter(b'{', bytes).any(|at| {
        let hole = &bytes[at + 1..bytes.len().min(at + 1 + EDGE)];
        if !hole.first().is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'@' | b'$')) {
            return false;
        }
        let Some(end) = hole.iter().position(|b| matches!(b, b',' | b':' | b'}')) else {
            return true;
        };
        let signs = hole.iter().take_while(|b| matches!(b, b'@' | b'$')).count();
        let name = &hole[signs.min(end)..end];
        if without.contains(&name) {
            return false;
        }
        let edge = at < EDGE || at + EDGE > bytes.len();
        let key = [b"\"", name, b"\""].concat();
        if edge || name.contains(&b'\\') || without.len() >= NAMES || has(bytes, &key) {
            return true;
        }
        without.push(name);
        false
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
    memmem::find_iter(bytes, b"\",\"stream\":\"").any(|at| !bytes[..at].ends_with(b"\\n"))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A text in the middle of many others.
    fn among_others(text: &str) -> String {
        let others = "{\"msg\":\"plain\",\"user\":{\"id\":1}}\n".repeat(200);
        format!("{others}{text}\n{others}")
    }

    proptest::proptest! {
        /// Two looks see what a look for each of them sees.
        #[test]
        fn all_signs_are_seen_at_once(parts in proptest::collection::vec(proptest::sample::select(vec![
            "{\"msg\":\"plain\"}", "{", "}", "\"", ":", " ", "\\", "\\n", "\\u00", "\\u01", "stdout P ", "stderr P", "\",\"stream\":\"",
            "stream\":\"", "\"args\"", "args\"", "\"MESSAGE\"", "MESSAGE\"", "[", ": [", "resourceLogs", "{Name}", "\"Name\"", "\u{1b}",
        ]), 0..12)) {
            let text = parts.concat();
            let bytes = text.as_bytes();
            let json = has(bytes, b"\":") || has(bytes, b"\" :");
            let want = are_other(bytes, json, true) || json && has(bytes, b"resourceLogs");
            proptest::prop_assert_eq!(may_be_other(bytes), want, "{}", text);
        }
    }

    #[test]
    fn a_hole_without_a_field_is_none() {
        for (text, want) in [
            ("{\"msg\":\"{Name} held\",\"Name\":\"ada\"}", true),
            ("{\"msg\":\"{@Name:l} held\",\"Properties\":{\"Name\":\"ada\"}}", true),
            ("{\"msg\":\"{Name} held\"}", false),
            ("{\"msg\":\"DB_PASSWORD=${DB_PASSWORD} {SSHA}x\"}", false),
            ("{\"msg\":\"{never closed\"}", false),
            ("{\"msg\":\"{Na\\\"me} held\"}", true),
        ] {
            assert_eq!(are_other(among_others(text).as_bytes(), true, false), want, "{text}");
        }
        let many: String = (0..40).map(|at| format!("{{\"msg\":\"{{n{at}}}\"}}\n")).collect();
        assert!(
            are_other(among_others(&many).as_bytes(), true, false),
            "too many names to look for"
        );
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
