//! The value behind a name, in all the ways in which texts say that a name has a value.

pub(super) mod hide;
mod name;
mod walk;

use std::ops::Range;

pub(super) use hide::{hide_field, set};

use super::{
    found::Found,
    kind::Kind,
    plausible, sql, stand_in,
    text::{
        NAME_BYTES, begins_a_pair, code_end, is_maker, is_name, line_end, quoted, skip, trim,
        word_end, words_end,
    },
};
use hide::{credentials_end, hide, kind};
use walk::walk;

/// Looks at the name around a fragment, and hides its value. Gives where the name ends.
pub(super) fn named(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) -> usize {
    let name = name::name_around(text, &hit);
    let Some((by, name)) = name::judge(text, &name, found) else {
        return name.end;
    };
    if name.start.checked_sub(1).is_some_and(|before| is_a_stand_in(text, before)) {
        return name.end;
    }
    set(found, by);
    hide::reach(&text[name.clone()], found);
    found.judged = false;
    value_of(text, &name, found);
    found.open |= !found.judged && name::has_a_sign(text, name.end);
    name.end
}

/// Whether a stand-in in plain ASCII begins at a place: `[password:4e1b77]`.
fn is_a_stand_in(text: &[u8], open: usize) -> bool {
    let rest = &text[open..text.len().min(open + 48)];
    let close = memchr::memchr(b']', rest).filter(|_| rest.first() == Some(&b'['));
    close.is_some_and(|close| stand_in::is_one(&rest[..=close]))
}

/// Finds the value that a name has.
fn value_of(text: &[u8], name: &Range<usize>, found: &mut Found<'_>) {
    let before = name.start.checked_sub(1).map(|at| text[at]);
    let quoted = matches!(before, Some(b'"' | b'\'' | b'`'));
    let closed = skip(text, name.end, b"\"'`])");
    let at = skip(text, closed, b" \t");
    // The name is itself a value: `name="password" value="…"`, `{"key":"password","value":"…"}`.
    let named = |at| is_named_by(text, at);
    if quoted && closed > name.end && named(name.start - 1)
        || !quoted && matches!(text.get(at), Some(b',' | b'\n' | b'\r')) && named(name.start)
    {
        return beside(text, at, found);
    }
    match text.get(at) {
        Some(b'>') if opens_a_tag(text, name.start) => element(text, at + 1, found),
        Some(b'=') if matches!(text.get(at + 1), Some(b'=' | b'>')) => {
            assigned(text, at + 2, name, found);
        }
        Some(b'=') => assigned(text, at + 1, name, found),
        Some(b':') if matches!(text.get(at + 1), Some(b'=' | b':')) => {
            assigned(text, at + 2, name, found);
        }
        Some(b':') => assigned(text, at + 1, name, found),
        Some(b'!' | b'<' | b'~') if matches!(text.get(at + 1), Some(b'=' | b'>' | b'*')) => {
            assigned(text, at + 2, name, found);
        }
        // `<Password Type="…">…</Password>`
        Some(_) if at > name.end && opens_a_tag(text, name.start) => {
            let rest = &text[at..text.len().min(at + 1024)];
            if let Some(to) = memchr::memchr(b'>', rest) {
                element(text, at + to + 1, found);
            }
        }
        // `pwd->…`
        Some(b'-') if text.get(at + 1) == Some(&b'>') => assigned(text, at + 2, name, found),
        // `["--password", "…"]`
        Some(b',') if quoted && closed > name.end && text[name.start] == b'-' => {
            let from = skip(text, at + 1, b" ");
            if matches!(text.get(from), Some(b'"' | b'\'')) && text.get(from + 1) != Some(&b'-') {
                hide(text, super::text::quoted(text, from), found);
            }
        }
        // `("password", "…")`
        Some(b',') if quoted && closed > name.end => pair(text, name.start - 1, at + 1, found),
        Some(b'\'' | b'"') if at > closed && closed == name.end => assigned(text, at, name, found),
        Some(_) if at > name.end && closed == name.end => behind_a_blank(text, at, name, found),
        _ => {}
    }
}

/// Whether the value of an attribute that gives a name begins at a place: `name="`, `"key":"`, `name: `.
fn is_named_by(text: &[u8], start: usize) -> bool {
    let before =
        without_quotes(text[start.saturating_sub(24)..start].trim_ascii_end()).trim_ascii_end();
    let Some(before) = before.strip_suffix(b"=").or_else(|| before.strip_suffix(b":")) else {
        return false;
    };
    let before = without_quotes(before.trim_ascii_end());
    let start = before.iter().rposition(|b| !b.is_ascii_alphabetic()).map_or(0, |at| at + 1);
    [
        &b"name"[..],
        b"key",
        b"id",
        b"field",
        b"param",
        b"header",
        b"property",
        b"parameter",
        b"column",
        b"k",
    ]
    .iter()
    .any(|word| before[start..].eq_ignore_ascii_case(word))
}

fn without_quotes(text: &[u8]) -> &[u8] {
    let end = text.iter().rposition(|b| !matches!(b, b'"' | b'\'')).map_or(0, |at| at + 1);
    &text[..end]
}

/// The value that stands beside a name: in the next attribute, in the element, in the next part of a form.
fn beside(text: &[u8], at: usize, found: &mut Found<'_>) {
    let rest = &text[at..text.len().min(at + 256)];
    for line in [&b"\r\n\r\n"[..], b"\n\n"] {
        // A part of a form (RFC 7578): its head, an empty line, the value up to the end of the line.
        if let Some(head) = memchr::memmem::find(rest, line)
            && !rest[..head].contains(&b'"')
        {
            let from = at + head + line.len();
            let end = memchr::memchr(b'\n', &text[from..]).map_or(text.len(), |to| from + to);
            return hide(text, trim(text, from..end), found);
        }
    }
    let mut at = skip(text, at, b",; \t\r\n");
    let word = text[at..]
        .iter()
        .take(16)
        .take_while(|b| b.is_ascii_alphabetic() || matches!(b, b'"' | b'\''));
    let word_end = at + word.count();
    let word: Vec<u8> =
        text[at..word_end].iter().copied().filter(u8::is_ascii_alphabetic).collect();
    let is_value = [&b"value"[..], b"val", b"v", b"content", b"text", b"data"]
        .iter()
        .any(|known| word.eq_ignore_ascii_case(known));
    if is_value {
        at = skip(text, word_end, b"\"' \t");
        if matches!(text.get(at), Some(b'=' | b':')) {
            assigned(text, at + 1, &(at..at), found);
        }
    } else if let Some(to) = memchr::memchr(b'>', &text[at..text.len().min(at + 256)])
        && text[at..at + to].iter().all(|b| b.is_ascii_alphanumeric() || b"\"'=_-: /.".contains(b))
        && text.get(at + to - usize::from(to > 0)) != Some(&b'/')
    {
        element(text, within(text, at + to + 1), found);
    }
}

/// Where the text of an element begins that may stand in another one: `<property name="password"><value>…`.
fn within(text: &[u8], from: usize) -> usize {
    let inner = skip(text, from, b" \t\r\n");
    let rest = &text[inner..text.len().min(inner + NAME_BYTES)];
    let opens = rest.first() == Some(&b'<') && rest.get(1).is_some_and(u8::is_ascii_alphabetic);
    match memchr::memchr(b'>', rest).filter(|_| opens) {
        Some(to) => inner + to + 1,
        None => from,
    }
}

/// `("password", "…")` and `["password","…"]`: a name and its value, and nothing more.
fn pair(text: &[u8], open: usize, at: usize, found: &mut Found<'_>) {
    let before = without_quotes(&text[open.saturating_sub(4)..open]);
    let opens = matches!(before.last(), Some(b'(' | b'[' | b'{'));
    let from = skip(text, at, b" ");
    let from = from + usize::from(matches!(text.get(from), Some(b'b' | b'u')));
    if !matches!(text.get(from), Some(b'"' | b'\'')) {
        return;
    }
    let value = quoted(text, from);
    let closes = text
        .get(skip(text, value.end + 1, b"\" "))
        .is_some_and(|b| matches!(b, b')' | b']' | b'}'));
    if opens && closes {
        hide(text, value, found);
    }
}

/// Whether a name stands behind `<`, with or without the prefix of its namespace.
fn opens_a_tag(text: &[u8], start: usize) -> bool {
    let least = start.saturating_sub(32);
    let before = &text[least..start];
    let before = match before.split_last() {
        Some((b':', prefix)) => {
            let from = prefix.iter().rposition(|b| !is_name(*b)).map_or(0, |at| at + 1);
            &prefix[..from]
        }
        _ => before,
    };
    before.last() == Some(&b'<')
}

/// The text of an element.
fn element(text: &[u8], from: usize, found: &mut Found<'_>) {
    let cdata = text[from..].starts_with(b"<![CDATA[");
    let (from, end) = if cdata {
        let from = from + 9;
        (from, memchr::memmem::find(&text[from..], b"]]>"))
    } else {
        (from, memchr::memchr(b'<', &text[from..]))
    };
    // Without an end it is the rest of the line.
    let end = end.or_else(|| memchr::memchr(b'\n', &text[from..]));
    let end = end.map_or(text.len(), |to| from + to);
    hide(text, trim(text, from..end), found);
}

/// A value that stands behind its name and a blank: a flag's, a setting's, a statement's.
fn behind_a_blank(text: &[u8], at: usize, name: &Range<usize>, found: &mut Found<'_>) {
    let before = name.start.checked_sub(1).map(|at| text[at]);
    let flag = before == Some(b'-') || text[name.start] == b'-';
    if flag && !matches!(text.get(at), Some(b'-')) {
        return assigned(text, at, name, found);
    }
    if opaque_word(text, at, name, found) {
        return;
    }
    for word in [
        &b"in ("[..],
        b"not in (",
        b"like ",
        b"ilike ",
        b"= ",
        b"is: ",
        b"was: ",
        b"is \"",
        b"is '",
        b"was '",
        b"to '",
        b"to \"",
        b"set to '",
        b"changed to '",
    ] {
        if text.get(at..at + word.len()).is_some_and(|here| here.eq_ignore_ascii_case(word)) {
            let back = usize::from(matches!(word.last(), Some(b'(' | b'"' | b'\'')));
            return assigned(text, at + word.len() - back, name, found);
        }
    }
}

/// Hides a word that stands behind a name and a blank, or behind `is`, where it looks like no word of a sentence: `the
/// password is Zz91kQpLm23x`, `cvv 123`.
fn opaque_word(text: &[u8], at: usize, name: &Range<usize>, found: &mut Found<'_>) -> bool {
    let mut from = at;
    for word in [&b"is "[..], b"was ", b"set to ", b"changed to "] {
        if text[from..].len() > word.len()
            && text[from..from + word.len()].eq_ignore_ascii_case(word)
        {
            from += word.len();
            break;
        }
    }
    let end = word_end(text, from, false);
    let value = &text[from..end];
    let has = |is: fn(&u8) -> bool| value.iter().any(is);
    let mixed =
        has(u8::is_ascii_lowercase) && has(u8::is_ascii_uppercase) && has(u8::is_ascii_digit);
    let plain = value.iter().all(|b| b.is_ascii_alphanumeric() || b"_-.!+/=$".contains(b));
    let last = text[name.clone()].rsplit(|b| !b.is_ascii_alphanumeric()).next().unwrap_or_default();
    let short = [&b"cvv"[..], b"cvc", b"otp", b"csc", b"cvv2"];
    let digits =
        |many: Range<usize>| many.contains(&value.len()) && value.iter().all(u8::is_ascii_digit);
    let hidden = match kind(found) {
        Kind::Text => mixed && plain && value.len() >= 8,
        Kind::Opaque if last.eq_ignore_ascii_case(b"ssn") => {
            value.len() == 11 && value.iter().filter(|b| b.is_ascii_digit()).count() == 9
        }
        Kind::Opaque => mixed && plain && value.len() >= 16 && !value.contains(&b'/'),
        Kind::Code => short.iter().any(|name| last.eq_ignore_ascii_case(name)) && digits(3..9),
        _ => false,
    };
    if hidden {
        hide(text, from..end, found);
    }
    hidden
}

/// A value behind a sign.
fn assigned(text: &[u8], from: usize, name: &Range<usize>, found: &mut Found<'_>) {
    let mut at = skip(text, from, b" \t");
    // Prefixes of quoted texts in several languages.
    if matches!(text.get(at), Some(b'b' | b'u' | b'r' | b'N' | b'@' | b'&'))
        && matches!(text.get(at + 1), Some(b'"' | b'\''))
    {
        at += 1;
    }
    match text.get(at) {
        None => {}
        Some(b'"' | b'\'' | b'`') => hide(text, quoted(text, at), found),
        // A template that is filled in elsewhere.
        Some(b'{') if text.get(at + 1) == Some(&b'{') => {}
        Some(b'[') if is_a_stand_in(text, at) => found.judged = true,
        // How a stored password was made: `{SSHA}…`.
        Some(b'{') if is_scheme_of_a_hash(text, at) => bare(text, at, name, found),
        Some(b'[' | b'(' | b'{') => walk(text, at, found),
        // A block of lines that are indented further.
        Some(b'|' | b'>') if is_block(text, at) => block(text, at, name, found),
        // An escaped quote: the text without its escapes is looked at by itself.
        Some(b'\\') if matches!(text.get(at + 1), Some(b'"' | b'\'' | b'\\')) => {}
        Some(_) => bare(text, at, name, found),
    }
}

fn is_scheme_of_a_hash(text: &[u8], at: usize) -> bool {
    let word = text[at + 1..]
        .iter()
        .take(16)
        .take_while(|b| b.is_ascii_alphanumeric() || **b == b'-')
        .count();
    let end = at + 1 + word;
    word > 2
        && text.get(end) == Some(&b'}')
        && text.get(end + 1).is_some_and(u8::is_ascii_alphanumeric)
}

/// Whether a block of text begins behind a name: `|`, `>-` and the end of the line.
fn is_block(text: &[u8], at: usize) -> bool {
    let rest = skip(text, at + 1, b"-+0123456789");
    matches!(text.get(skip(text, rest, b" \t\r")), Some(b'\n'))
}

/// The lines behind a name that are indented further than it.
fn block(text: &[u8], at: usize, name: &Range<usize>, found: &mut Found<'_>) {
    let line = memchr::memrchr(b'\n', &text[..name.start]).map_or(0, |at| at + 1);
    let indent = skip(text, line, b" ") - line;
    let Some(first) = memchr::memchr(b'\n', &text[at..]).map(|to| at + to + 1) else { return };
    let mut end = first;
    while end < text.len() {
        let inner = skip(text, end, b" ");
        if inner - end <= indent && text.get(inner).is_some_and(|b| *b != b'\n') {
            break;
        }
        end = memchr::memchr(b'\n', &text[end..]).map_or(text.len(), |to| end + to + 1);
    }
    hide(text, trim(text, first..end), found);
}

/// A value without quotes.
fn bare(text: &[u8], from: usize, name: &Range<usize>, found: &mut Found<'_>) {
    let kind = kind(found);
    let before = name.start.checked_sub(1).map(|at| text[at]);
    let query = matches!(before, Some(b'?' | b'&'));
    // `/pier;jsessionid=…?page=2`
    if before == Some(b';') && kind == Kind::Opaque {
        let stop = |b: &u8| b.is_ascii_whitespace() || b"?/#;\"'<>,|".contains(b);
        let end = text[from..].iter().position(stop).map_or(text.len(), |to| from + to);
        if text.get(end) == Some(&b'?') {
            return hide(text, from..end, found);
        }
    }
    let end = match kind {
        Kind::Cookies if begins_a_pair(text, from) => line_end(text, from),
        Kind::Credentials => credentials_end(text, from),
        Kind::Phrase => words_end(text, from, |word| word.iter().all(u8::is_ascii_alphabetic)),
        Kind::Person => words_end(text, from, |word| word[0].is_ascii_uppercase()),
        Kind::Home => {
            words_end(text, from, |word| !word.contains(&b'=') && word.last() != Some(&b':'))
        }
        Kind::Code => code_end(text, from),
        _ => word_end(text, from, query),
    };
    if matches!(text.get(end), Some(b'(' | b'[' | b'{')) && end > from && is_maker(&text[from..end])
    {
        // `string(12) "…"`
        let digits = text[end + 1..].iter().take(8).take_while(|b| b.is_ascii_digit()).count();
        let close = end + 1 + digits;
        let behind = skip(text, close + 1, b" ");
        if digits > 0
            && text.get(close) == Some(&b')')
            && matches!(text.get(behind), Some(b'"' | b'\''))
        {
            return hide(text, quoted(text, behind), found);
        }
        // `Some("…")`
        return walk(text, end, found);
    }
    // `password = $2`, and further on `parameters: $2 = '…'`.
    let value = &text[from..end];
    if plausible::is_parameter(value) {
        return sql::bound(text, name.start, from..end, found);
    }
    hide(text, from..end, found);
}
