//! Where words, quotes and values begin and end in a text.

use std::ops::Range;

/// Bytes before and after a place that may belong to the same name. A longer name is none.
pub(super) const NAME_BYTES: usize = 64;

/// Whether a byte may stand in a name without quotes.
pub(super) fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'.')
}

/// The first place from `at` on where none of a set stands.
pub(super) fn skip(text: &[u8], at: usize, set: &[u8]) -> usize {
    at + text[at.min(text.len())..].iter().take_while(|b| set.contains(b)).count()
}

/// A value without the blanks around it.
pub(super) fn trim(text: &[u8], span: Range<usize>) -> Range<usize> {
    let value = &text[span.clone()];
    let start = span.start + value.len() - value.trim_ascii_start().len();
    start..(start + value.trim_ascii().len())
}

/// What stands in the quotes that open at a place: one, or two where a table has doubled them.
pub(super) fn quoted(text: &[u8], open: usize) -> Range<usize> {
    let quote = text[open];
    let closes =
        |b: Option<&u8>| b.is_none_or(|b| b.is_ascii_whitespace() || b",;:}])\"'".contains(b));
    if quote == b'"' && text.get(open + 1) == Some(&quote) && !closes(text.get(open + 2)) {
        let from = open + 2;
        let line = memchr::memchr(b'\n', &text[from..]).map_or(text.len(), |to| from + to);
        let end = memchr::memmem::find(&text[from..line], b"\"\"").map_or(line, |to| from + to);
        return from..end;
    }
    open + 1..quoted_end(text, open + 1, quote)
}

/// Where a quoted value ends: at its quote, unless it is escaped or doubled. Without one it is the end of the line.
pub(super) fn quoted_end(text: &[u8], from: usize, quote: u8) -> usize {
    let mut at = from;
    while let Some(to) = memchr::memchr(quote, &text[at..]) {
        at += to;
        let slashes = text[from..at].iter().rev().take_while(|b| **b == b'\\').count();
        let goes_on = |b: Option<&u8>| {
            b.is_some_and(|b| !b.is_ascii_whitespace() && !b",;:}])\"'".contains(b))
        };
        let doubled = text.get(at + 1) == Some(&quote) && at > from && goes_on(text.get(at + 2));
        if slashes.is_multiple_of(2) && !doubled {
            return at;
        }
        at += if doubled && slashes.is_multiple_of(2) { 2 } else { 1 };
        if at > text.len() {
            break;
        }
    }
    memchr::memchr(b'\n', &text[from..]).map_or(text.len(), |to| from + to)
}

/// Where the line, or the quoted text that it is in, ends.
pub(super) fn line_end(text: &[u8], from: usize) -> usize {
    let stop = |at: usize| match text[at] {
        b'\n' | b'\r' | b'"' | b'\'' | b'|' => true,
        b'\\' => is_escape(text, at),
        b']' | b'}' | b')' => text[at + 1..].first().is_none_or(|b| !b.is_ascii_alphanumeric()),
        _ => false,
    };
    (from..text.len()).find(|at| stop(*at)).unwrap_or(text.len())
}

/// Whether a backslash begins an escape after which another word begins.
fn is_escape(text: &[u8], at: usize) -> bool {
    let slashes = text[at..].iter().take(32).take_while(|b| **b == b'\\').count();
    matches!(text.get(at + slashes), Some(b'n' | b'r' | b't' | b'"' | b'\'' | b'u' | b'x'))
}

/// Where a value ends that stands among other words. What may be a part of it ends it only where something new
/// follows: a blank, or another name and its sign.
pub(super) fn word_end(text: &[u8], from: usize, query: bool) -> usize {
    let mut at = from;
    while at < text.len() {
        let after = text.get(at + 1).copied();
        let ends = match text[at] {
            b if b.is_ascii_whitespace() || b == 0 => true,
            b'&' | b'#' if query => true,
            b'&' | b',' | b';' | b'|' => {
                after.is_none_or(|b| b.is_ascii_whitespace()) || begins_a_pair(text, at + 1)
            }
            close @ (b')' | b']' | b'}' | b'>' | b'"' | b'\'' | b'`') => {
                after.is_none_or(|b| b.is_ascii_whitespace() || b",;.:)]}>\"'`|&<\\".contains(&b))
                    && !is_opened(&text[from..at], close)
            }
            b'<' => matches!(after, Some(b'/' | b'!' | b'b')),
            b'(' | b'[' | b'{' => is_maker(&text[from..at]) && at > from,
            b'\\' => is_escape(text, at),
            _ => false,
        };
        if ends {
            break;
        }
        at += 1;
    }
    // Marks at the end of a sentence are not the value's.
    while at > from + 1
        && matches!(text[at - 1], b'.' | b':' | b',' | b';' | b'!' | b'?')
        && text[from..at].len() > 1
        && matches!(text[at - 1], b'.' | b',' | b';' | b':')
    {
        at -= 1;
    }
    at
}

/// Whether a bracket that closes has been opened in the value itself.
fn is_opened(value: &[u8], close: u8) -> bool {
    let open = match close {
        b')' => b'(',
        b']' => b'[',
        b'}' => b'{',
        b'>' => b'<',
        _ => return false,
    };
    let value = &value[value.len().saturating_sub(256)..];
    let count = |wanted: u8| value.iter().filter(|b| **b == wanted).count();
    count(open) > count(close)
}

/// Whether a name and its sign begin at a place, blanks aside.
pub(super) fn begins_a_pair(text: &[u8], at: usize) -> bool {
    let at = skip(text, at, b" \"'");
    let word = text[at..].iter().take(NAME_BYTES);
    let end = at + word.take_while(|b| is_name(**b) || matches!(b, b'[' | b']' | b'%')).count();
    end > at && matches!(text.get(skip(text, end, b"\"'")), Some(b'=' | b':'))
}

/// Where words end that belong together: each after the first must fit, and none has a sign behind it.
pub(super) fn words_end(text: &[u8], from: usize, fits: impl Fn(&[u8]) -> bool) -> usize {
    let mut end = word_end(text, from, false);
    while text.get(end) == Some(&b' ')
        || text.get(end) == Some(&b',') && text.get(end + 1) == Some(&b' ')
    {
        let next = skip(text, end, b" ,");
        let until = word_end(text, next, false);
        if until == next || begins_a_pair(text, next) || !fits(&text[next..until]) {
            break;
        }
        end = until;
    }
    end
}

/// `481 205` and `481-205` are one code.
pub(super) fn code_end(text: &[u8], from: usize) -> usize {
    let end = word_end(text, from, false);
    let digits =
        |span: Range<usize>| text.get(span).is_some_and(|part| part.iter().all(u8::is_ascii_digit));
    let three = end - from == 3
        && digits(from..end)
        && text.get(end) == Some(&b' ')
        && digits(end + 1..end + 4);
    let bounded = text.get(end + 4).is_none_or(|b| !b.is_ascii_alphanumeric());
    if three && bounded { end + 4 } else { end }
}

/// Whether a word may stand before the brackets around a value.
pub(super) fn is_maker(word: &[u8]) -> bool {
    const TYPES: [&[u8]; 9] =
        [b"string", b"str", b"map", b"array", b"list", b"dict", b"set", b"optional", b"bytes"];
    let part = |b: &u8| b.is_ascii_alphabetic() || matches!(b, b'.' | b':' | b'_');
    let named = word.first().is_some_and(u8::is_ascii_uppercase)
        || word.contains(&b':')
        || TYPES.iter().any(|known| word.eq_ignore_ascii_case(known));
    word.is_empty() || word.len() <= 24 && named && word.iter().all(part)
}

/// Whether a place is not in the middle of a word.
pub(super) fn begins_a_word(text: &[u8], at: usize) -> bool {
    at.checked_sub(1)
        .is_none_or(|before| !text[before].is_ascii_alphanumeric() && text[before] != b'_')
}

/// The line that a place is in, at most so many bytes to either side.
pub(super) fn line_around(text: &[u8], at: usize, most: usize) -> Range<usize> {
    let least = at.saturating_sub(most);
    let start = memchr::memrchr(b'\n', &text[least..at]).map_or(least, |to| least + to + 1);
    let last = text.len().min(at + most);
    let end = memchr::memchr(b'\n', &text[at..last]).map_or(last, |to| at + to);
    start..end
}
