//! Passwords on the command lines of well-known clients.

use std::ops::Range;

use super::url;
use crate::veil::{
    found::Found,
    plausible::is_harmless,
    text::{line_around, quoted_end},
};

/// How a client is given a password.
enum Flag {
    /// In the same word: `-pX`.
    Joined(&'static str),
    /// In the next word: `-a X`.
    Next(&'static str),
    /// In the same word or the next.
    Either(&'static str),
    /// Behind the user's name and a colon, in the next word: `-u user:X`.
    User(&'static str),
    /// In the next word, behind `pass:`.
    Pass(&'static str),
    /// `user/password@host` as a word.
    Slash,
}

use Flag::{Either, Joined, Next, Pass, Slash, User};

/// What each client's name begins with, and its flags.
const CLIENTS: [(&str, &[Flag]); 14] = [
    ("mysql", &[Joined("-p"), Joined("--password=")]),
    ("mariadb", &[Joined("-p")]),
    ("sshpass", &[Either("-p")]),
    ("curl", &[User("-u"), User("--user"), User("-U"), User("--proxy-user")]),
    ("redis-cli", &[Next("-a")]),
    ("mongo", &[Either("-p")]),
    ("ldap", &[Either("-w")]),
    ("docker login", &[Either("-p")]),
    ("podman login", &[Either("-p")]),
    ("sqlplus", &[Slash]),
    ("openssl", &[Pass("-passin"), Pass("-passout"), Pass("-pass"), Next("-k"), Next("-K")]),
    ("unzip", &[Next("-P")]),
    ("7z ", &[Joined("-p")]),
    ("rabbitmqctl", &[]),
];

/// Words of a command line that are looked at.
const WORDS: usize = 64;

/// The password behind a client's name.
pub(in crate::veil) fn client(text: &[u8], hit: Range<usize>, found: &mut Found<'_>) {
    if !url::is_word_start(text, hit.start) {
        return;
    }
    let name = &text[hit.clone()];
    let Some((_, flags)) =
        CLIENTS.iter().find(|(client, _)| name.eq_ignore_ascii_case(client.as_bytes()))
    else {
        return;
    };
    let line = line_around(text, hit.start, 2048);
    let mut at = hit.end;
    // The name itself may go on: `mysqldump`, `mongosh`.
    at += text[at..line.end].iter().take_while(|b| b.is_ascii_alphanumeric()).count();
    let mut waits: Option<&Flag> = None;
    for _ in 0..WORDS {
        let Some(word) = next_word(text, at, line.end) else { return };
        at = word.end;
        let here = unquoted(text, word);
        if let Some(flag) = waits.take() {
            take(text, here, flag, found);
            continue;
        }
        for flag in *flags {
            let value = &text[here.clone()];
            match flag {
                Joined(begin) | Either(begin)
                    if value.len() > begin.len()
                        && value.starts_with(begin.as_bytes())
                        && !value.starts_with(b"--p") =>
                {
                    take(text, unquoted(text, here.start + begin.len()..here.end), flag, found);
                }
                Next(is) | Either(is) | User(is) | Pass(is) if value == is.as_bytes() => {
                    waits = Some(flag);
                }
                Slash if !value.starts_with(b"-") => {
                    url::user_and_password(text, here.start, found);
                }
                _ => {}
            }
        }
    }
}

/// Hides what a flag was given.
fn take(text: &[u8], span: Range<usize>, flag: &Flag, found: &mut Found<'_>) {
    let value = &text[span.clone()];
    let from = match flag {
        User(_) => memchr::memchr(b':', value).map(|at| at + 1),
        Pass(_) => value.starts_with(b"pass:").then_some(5),
        _ => Some(0),
    };
    let Some(from) = from else { return };
    if value.starts_with(b"-") || is_harmless(&value[from..]) {
        return found.nearly(span, "a flag or a placeholder where the password would be");
    }
    found.hide_value(span.start + from..span.end);
}

/// The next word of a command line, in its quotes; elements of a list are words too.
fn next_word(text: &[u8], from: usize, end: usize) -> Option<Range<usize>> {
    let gap = |b: &u8| b.is_ascii_whitespace() || matches!(b, b',' | b'[' | b']');
    let start = from + text[from..end].iter().position(|b| !gap(b))?;
    if matches!(text[start], b';' | b'|' | b'&') {
        return None;
    }
    let to = match text[start] {
        quote @ (b'"' | b'\'') => quoted_end(text, start + 1, quote).min(end - 1) + 1,
        _ => start + text[start..end].iter().position(gap).unwrap_or(end - start),
    };
    (to > start).then_some(start..to)
}

/// A word without the quotes around it.
fn unquoted(text: &[u8], word: Range<usize>) -> Range<usize> {
    let is_quote = |at: usize| matches!(text[at], b'"' | b'\'');
    let start = word.start + usize::from(word.len() > 1 && is_quote(word.start));
    let mut end = word.end;
    while end > start
        && (is_quote(end - 1) || matches!(text[end - 1], b')' | b'}'))
        && !word.is_empty()
    {
        end -= 1;
    }
    start..end
}
