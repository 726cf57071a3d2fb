//! Passwords in the dialogue of a protocol, and in statements that set one.

use std::ops::Range;

use crate::veil::{
    found::Found,
    plausible::is_harmless,
    text::{begins_a_word, quoted_end, word_end},
};

/// Ways to authenticate (the mechanisms of SASL, RFC 4422).
const METHODS: [&[u8]; 10] = [
    b"PLAIN",
    b"LOGIN",
    b"CRAM-MD5",
    b"DIGEST-MD5",
    b"XOAUTH2",
    b"OAUTHBEARER",
    b"EXTERNAL",
    b"NTLM",
    b"GSSAPI",
    b"SCRAM-SHA-256",
];

/// What stands behind `PASS`, `AUTH PLAIN`, `requirepass`, `IDENTIFIED BY`.
pub(in crate::veil) fn protocol(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    if !begins_a_word(text, hit.start) {
        return;
    }
    let word = text[hit.clone()].to_ascii_lowercase();
    let at = hit.end + blanks(text, hit.end);
    let (sure, at) = match word.as_slice() {
        // In capitals, behind an arrow, a mark or a quote: at the beginning of a line it is the word of a test.
        b"pass " => (said(text, &hit) && &text[hit.start..hit.start + 4] == b"PASS", at),
        b"auth " => {
            let method = method_at(text, at);
            let behind = at + method.unwrap_or(0);
            // A server tells its methods; where nothing follows one, the password comes later.
            let next = behind + blanks(text, behind);
            if method.is_some() && (next == behind || method_at(text, next).is_some()) {
                return;
            }
            let upper = &text[hit.start..hit.start + 4] == b"AUTH";
            (upper && (method.is_some() || said(text, &hit)), behind)
        }
        b"auth\"" => (text.get(at) == Some(&b'"'), at),
        b"requirepass" | b"masterauth" => (at > hit.end, at),
        // `SET PASSWORD FOR user = '…'`
        b"set password for" => {
            let rest = &text[at..text.len().min(at + 128)];
            match memchr::memchr2(b'=', b'\n', rest).filter(|to| rest[*to] == b'=') {
                Some(sign) => (true, at + sign + 1),
                None => return,
            }
        }
        // `PRAGMA key = '…'`
        b"pragma key" | b"pragma rekey" => {
            let signed = text.get(at) == Some(&b'=');
            (signed, at + usize::from(signed))
        }
        // `IDENTIFIED WITH method BY '…'`
        b"identified with" => {
            let rest = &text[at..text.len().min(at + 64)].to_ascii_lowercase();
            match memchr::memmem::find(rest, b" by ")
                .or_else(|| memchr::memmem::find(rest, b" as "))
            {
                Some(by) => (true, at + by + 4),
                None => return,
            }
        }
        _ => {
            let rest = &text[at..text.len().min(at + 9)];
            let password = rest.len() == 9 && rest.eq_ignore_ascii_case(b"password ");
            (true, at + if password { 9 } else { 0 })
        }
    };
    let at = at + blanks(text, at);
    let span = match text.get(at) {
        Some(quote @ (b'"' | b'\'')) => at + 1..quoted_end(text, at + 1, *quote),
        Some(_) => at..word_end(text, at, false),
        None => return,
    };
    // Where a user is given too, the password follows.
    let again = span.end + blanks(text, span.end + 1) + 1;
    if word == b"auth\"" && text.get(again) == Some(&b'"') {
        found.hide_value(again + 1..quoted_end(text, again + 1, b'"'));
    }
    if sure && !is_harmless(&text[span.clone()]) {
        found.hide_value(span);
    } else {
        found.nearly(span, "a word behind one that is a command in some protocols");
    }
}

/// The length of the name of a method that stands at a place.
fn method_at(text: &[u8], at: usize) -> Option<usize> {
    let is = |method: &&&[u8]| {
        let behind = text.get(at..).and_then(|rest| rest.strip_prefix(**method));
        behind.is_some_and(|rest| !rest.first().is_some_and(u8::is_ascii_alphanumeric))
    };
    METHODS.iter().find(is).map(|method| method.len())
}

fn blanks(text: &[u8], at: usize) -> usize {
    text.get(at..).unwrap_or_default().iter().take_while(|b| matches!(b, b' ' | b'\t')).count()
}

/// Whether a word is what somebody sent: `C: PASS`, `> PASS`, `"PASS`.
fn said(text: &[u8], hit: &Range<usize>) -> bool {
    let least = hit.start.saturating_sub(16);
    let before = text[least..hit.start].trim_ascii_end();
    matches!(before.last(), Some(b':' | b'>' | b'"' | b'\'' | b'-' | b'=' | b'<' | b']'))
}
