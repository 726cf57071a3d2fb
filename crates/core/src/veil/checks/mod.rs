//! What detectors by form look at around a candidate.

mod armour;
mod client;
mod credentials;
mod numbers;
mod opaque;
mod personal;
mod protocol;
mod url;

pub(super) use armour::private_key;
pub(super) use client::client;
pub(super) use credentials::{basic, bearer, digest, jwt, jwt_end};
pub(super) use numbers::{card, iban, iban_end, is_all_card};
pub(super) use opaque::{bot, cloud_secret, entropy, hash, webhook};
pub(super) use personal::{email, ipv4, ipv6, phone};
pub(super) use protocol::protocol;
pub(super) use url::{dsn, oauth_code, path_token, thin, url};

/// Bytes of a text that are looked at in one go.
const STRETCH: usize = 64;
/// Bytes that a shape is told by.
const SHAPE: usize = 6;

/// Calls `visit` with each place at which six bytes are as wanted; behind the end of the text stand zeros. Most stretches
/// of a text are told to have none without a branch, many places at a time: `is` must be made of comparisons and `&` and
/// `|` alone.
pub(super) fn each_shape(
    text: &[u8],
    is: impl Fn(u8, u8, u8, u8, u8, u8) -> bool,
    mut visit: impl FnMut(usize),
) {
    let mut at = 0;
    while let Some(stretch) = text.get(at..).and_then(|rest| rest.first_chunk()) {
        in_stretch(at, stretch, &is, &mut visit);
        at += STRETCH;
    }
    while at < text.len() {
        let rest = &text[at..text.len().min(at + STRETCH + SHAPE - 1)];
        let mut last = [0; STRETCH + SHAPE - 1];
        last[..rest.len()].copy_from_slice(rest);
        in_stretch(at, &last, &is, &mut visit);
        at += STRETCH;
    }
}

#[inline(always)]
fn in_stretch(
    at: usize,
    text: &[u8; STRETCH + SHAPE - 1],
    is: &impl Fn(u8, u8, u8, u8, u8, u8) -> bool,
    visit: &mut impl FnMut(usize),
) {
    let mut any = false;
    for p in 0..STRETCH {
        any |= is(text[p], text[p + 1], text[p + 2], text[p + 3], text[p + 4], text[p + 5]);
    }
    if any {
        for p in 0..STRETCH {
            if is(text[p], text[p + 1], text[p + 2], text[p + 3], text[p + 4], text[p + 5]) {
                visit(at + p);
            }
        }
    }
}

/// Whether a byte is a digit, an upper-case letter, a hexadecimal digit; without a branch.
pub(super) fn is_digit(byte: u8) -> bool {
    byte.wrapping_sub(b'0') < 10
}

pub(super) fn is_upper(byte: u8) -> bool {
    byte.wrapping_sub(b'A') < 26
}

pub(super) fn is_hex(byte: u8) -> bool {
    is_digit(byte) | ((byte | 0x20).wrapping_sub(b'a') < 6)
}
