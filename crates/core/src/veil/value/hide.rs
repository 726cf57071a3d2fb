//! Hides the value behind a name, or the secret parts of one whose form is known.

use std::ops::Range;

use crate::veil::{
    detectors::{self, Check},
    found::{Found, Number},
    kind::Kind,
    names,
    plausible::{self, is_harmless},
    text::{quoted_end, skip, trim, word_end},
};

/// A detector looks from here on.
pub(in crate::veil) fn set(found: &mut Found<'_>, by: Number) {
    found.by = by;
    found.extent = None;
    let own = found.rules.and_then(|rules| rules.get(by)).map(|rule| rule.class);
    if let Some(class) = own.or_else(|| detectors::detector(by).map(|detector| detector.class)) {
        found.class = class;
    }
}

/// What the values of the present name are like.
pub(super) fn kind(found: &Found<'_>) -> Kind {
    match detectors::detector(found.by).map(|detector| &detector.check) {
        Some(Check::Name(names)) => names.kind,
        _ => found.extent.unwrap_or(Kind::Text),
    }
}

/// A rule of one's own takes a name that a detector takes too: its values reach as far as that one knows, and all of
/// them count.
pub(super) fn reach(name: &[u8], found: &mut Found<'_>) {
    if detectors::detector(found.by).is_some() {
        return;
    }
    let known = names::judged(name).by(true).and_then(detectors::detector);
    found.extent = match known.map(|detector| &detector.check) {
        Some(Check::Name(names)) => match names.kind {
            Kind::Credentials | Kind::Cookies | Kind::Phrase | Kind::Person | Kind::Home => {
                Some(names.kind)
            }
            _ => None,
        },
        _ => None,
    };
}

/// Hides a value, or the secret parts of one whose form is known.
pub(in crate::veil) fn hide(text: &[u8], span: Range<usize>, found: &mut Found<'_>) {
    found.judged |= !span.is_empty();
    if is_harmless(&text[span.clone()]) {
        if span.len() > 1 {
            found.nearly(span, "its value is empty, masked or no secret");
        }
        return;
    }
    // Armour is context, and the key in it is found by its form; the scope behind a key's id is context too.
    let value = &text[span.clone()];
    if value.trim_ascii_start().starts_with(b"-----BEGIN ") {
        return;
    }
    let scope = memchr::memchr(b'/', value).filter(|at| {
        let rest = &value[at + 1..];
        rest.len() > 9 && rest[..8].iter().all(u8::is_ascii_digit) && rest[8] == b'/'
    });
    let span = span.start..scope.map_or(span.end, |at| span.start + at);
    match kind(found) {
        Kind::Cookies if text[span.clone()].contains(&b'=') => cookies(text, span, found),
        Kind::Credentials => credentials(text, span, found),
        of => match plausible::why_not(&text[span.clone()], of) {
            None => found.hide_value(span),
            Some(why) => found.nearly(span, why),
        },
    }
}

/// Hides the value of a field whose name is judged by a detector. A layout may have left its quotes on.
pub(in crate::veil) fn hide_field(value: &[u8], by: Number, found: &mut Found<'_>) {
    set(found, by);
    match value.first() {
        Some(quote @ (b'"' | b'\'')) => hide(value, 1..quoted_end(value, 1, *quote), found),
        _ => hide(value, 0..value.len(), found),
    }
}

/// Hides a value in a text whose name is judged by a detector.
pub(in crate::veil) fn hide_span(
    text: &[u8],
    span: Range<usize>,
    by: Number,
    found: &mut Found<'_>,
) {
    set(found, by);
    hide(text, span, found);
}

/// The credentials behind a scheme, or a token alone.
fn credentials(text: &[u8], span: Range<usize>, found: &mut Found<'_>) {
    let value = &text[span.clone()];
    let word = value.iter().position(|b| *b == b' ').unwrap_or(value.len());
    if word < value.len() && is_scheme(&value[..word]) {
        let rest = skip(text, span.start + word, b" ")..span.end;
        let value = &text[rest.clone()];
        // Parameters are found by their names.
        let name = value.iter().take_while(|b| b.is_ascii_alphabetic() || **b == b'_').count();
        let scheme = &text[span.start..span.start + word];
        let parameters = [
            &b"digest"[..],
            b"hawk",
            b"mac",
            b"oauth",
            b"vapid",
            b"aws4-hmac-sha256",
            b"sharedaccesssignature",
            b"token",
        ];
        if value.get(name) == Some(&b'=')
            && parameters.iter().any(|known| scheme.eq_ignore_ascii_case(known))
        {
            return;
        }
        if !is_harmless(value) && plausible::why_not(value, Kind::Text).is_none() {
            if scheme.eq_ignore_ascii_case(b"basic")
                && detectors::detector(found.by).is_some()
                && let Some(by) = detectors::number("basic")
            {
                set(found, by);
            }
            found.hide_value(rest);
        }
        return;
    }
    if is_scheme(value) {
        return;
    }
    match plausible::why_not(value, Kind::Opaque) {
        None => found.hide_value(span),
        Some(why) => found.nearly(span, why),
    }
}

/// `sid=abc; theme=dark; Path=/`: the values, but not the attributes that tell a browser what to do.
fn cookies(text: &[u8], span: Range<usize>, found: &mut Found<'_>) {
    const ATTRIBUTES: [&[u8]; 7] =
        [b"path", b"domain", b"expires", b"max-age", b"samesite", b"version", b"priority"];
    let mut at = span.start;
    while at < span.end {
        let end = memchr::memchr(b';', &text[at..span.end]).map_or(span.end, |to| at + to);
        if let Some(equals) = memchr::memchr(b'=', &text[at..end]) {
            let name = text[at..at + equals].trim_ascii();
            let value = trim(text, at + equals + 1..end);
            let attribute = ATTRIBUTES.iter().any(|a| name.eq_ignore_ascii_case(a));
            // Behind a date's comma another cookie may begin: what is hidden then is more than its value.
            if !attribute && !is_harmless(&text[value.clone()]) {
                found.hide_value(value);
            }
        }
        at = end + 1;
    }
}

/// Words that say how the credentials behind them are written.
const SCHEMES: [&[u8]; 21] = [
    b"bearer",
    b"basic",
    b"digest",
    b"negotiate",
    b"ntlm",
    b"token",
    b"apikey",
    b"api-key",
    b"hawk",
    b"aws",
    b"key",
    b"aws4-hmac-sha256",
    b"sharedkey",
    b"sharedkeylite",
    b"sharedaccesssignature",
    b"dpop",
    b"hoba",
    b"vapid",
    b"oauth",
    b"ssws",
    b"mac",
];

fn is_scheme(word: &[u8]) -> bool {
    SCHEMES.iter().any(|scheme| word.eq_ignore_ascii_case(scheme))
}

/// Where credentials end: behind the word after their scheme.
pub(super) fn credentials_end(text: &[u8], from: usize) -> usize {
    let first = word_end(text, from, false);
    if is_scheme(&text[from..first]) && text.get(first) == Some(&b' ') {
        return word_end(text, skip(text, first, b" "), false);
    }
    first
}
