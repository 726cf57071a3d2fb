//! Texts that are written otherwise than they read.

use std::{cell::LazyCell, sync::LazyLock};

use memchr::memmem;

use crate::scan::{Pair, Pairs};

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
/// what several entries share. Cost: one look at the bytes, and one more where something may be found.
pub(crate) fn may_be_other(bytes: &[u8]) -> bool {
    // Of each sign the two bytes that are rarest in logs.
    const SIGNS: [Pair; 8] = [
        Pair { first: 0x1b, second: |_| true },
        // `\u00`
        Pair { first: b'\\', second: |b| b == b'u' },
        // `stdout P `, `stderr P `
        Pair { first: b'P', second: |b| b == b' ' },
        // `stream":"`
        Pair { first: b'm', second: |b| b == b'"' },
        // `args"`, `resourceLogs`
        Pair { first: b'g', second: |b| b == b's' },
        // `MESSAGE"`
        Pair { first: b'E', second: |b| b == b'"' },
        // `{Name}`, `{@Name}`, `{$Name}`
        Pair { first: b'{', second: |b| is_of_name(b) && b != b'$' },
        Pair { first: b'{', second: |b| b == b'$' },
    ];
    static SEARCH: LazyLock<Pairs> = LazyLock::new(|| Pairs::new(&SIGNS));
    let (mut other, mut of_objects) = (false, false);
    let json = LazyCell::new(|| has(bytes, b"\":") || has(bytes, b"\" :"));
    let mut templates = Templates::of(bytes);
    SEARCH.each(bytes, &mut |at| {
        let rest = &bytes[at..];
        let before = |text: &[u8]| bytes[..at].ends_with(text);
        match bytes[at] {
            0x1b => other = true,
            b'\\' => other = rest.starts_with(b"\\u00"),
            b'P' => other = before(b"stdout ") || before(b"stderr "),
            b'm' if rest.starts_with(b"m\":\"") && before(b"\",\"strea") => {
                other = !before(b"\\n\",\"strea");
            }
            b'g' => {
                let args = rest.starts_with(b"gs\"") && before(b"\"ar");
                of_objects |= args || before(b"resourceLo");
            }
            b'E' if before(b"\"MESSAG") => of_objects |= is_bytes_as_text(bytes, at - 7),
            b'{' if !of_objects && *json => of_objects = templates.has_at(at),
            _ => {}
        }
        other
    });
    other || of_objects && *json
}

fn has(bytes: &[u8], part: &[u8]) -> bool {
    memmem::find(bytes, part).is_some()
}

/// Bytes at either end of a part of a file whose entry may stand in another part as well.
const EDGE: usize = 4 << 10;
/// Names of holes that are looked for in one part of a file.
const NAMES: usize = 32;

fn has_templates(bytes: &[u8]) -> bool {
    let mut templates = Templates::of(bytes);
    memchr::memchr_iter(b'{', bytes).any(|at| templates.has_at(at))
}

/// What may begin the name of a hole.
fn is_of_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'@' | b'$')
}

/// Holes of templates in a part of a file.
struct Templates<'b> {
    bytes: &'b [u8],
    /// Names that no field has.
    without: Vec<&'b [u8]>,
}

impl<'b> Templates<'b> {
    fn of(bytes: &'b [u8]) -> Self {
        Self { bytes, without: Vec::new() }
    }

    /// Whether a template may have a hole at a brace. An object's brace has a quote or a blank behind it, a template's
    /// has a name, which a field has too: what looks like a hole, `${DB_PASSWORD}`, is none without.
    fn has_at(&mut self, at: usize) -> bool {
        let bytes = self.bytes;
        let hole = &bytes[at + 1..bytes.len().min(at + 1 + EDGE)];
        if !hole.first().is_some_and(|byte| is_of_name(*byte)) {
            return false;
        }
        let Some(end) = hole.iter().position(|b| matches!(b, b',' | b':' | b'}')) else {
            return true;
        };
        let signs = hole.iter().take_while(|b| matches!(b, b'@' | b'$')).count();
        let name = &hole[signs.min(end)..end];
        if self.without.contains(&name) {
            return false;
        }
        let edge = at < EDGE || at + EDGE > bytes.len();
        let key = [b"\"", name, b"\""].concat();
        let many = self.without.len() >= NAMES;
        if edge || name.contains(&b'\\') || many || has(bytes, &key) {
            return true;
        }
        self.without.push(name);
        false
    }
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
