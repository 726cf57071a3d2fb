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
    is: impl Fn([u8; SHAPE]) -> bool,
    mut visit: impl FnMut(usize),
) {
    let mut look = |at: usize, stretch: &[u8; STRETCH + SHAPE - 1]| {
        let six = |place: usize| {
            [
                stretch[place],
                stretch[place + 1],
                stretch[place + 2],
                stretch[place + 3],
                stretch[place + 4],
                stretch[place + 5],
            ]
        };
        let mut any = false;
        for place in 0..STRETCH {
            any |= is(six(place));
        }
        if any {
            (0..STRETCH).filter(|place| is(six(*place))).for_each(|place| visit(at + place));
        }
    };
    let mut at = 0;
    while let Some(stretch) = text.get(at..).and_then(|rest| rest.first_chunk()) {
        look(at, stretch);
        at += STRETCH;
    }
    while at < text.len() {
        let rest = &text[at..text.len().min(at + STRETCH + SHAPE - 1)];
        let mut last = [0; STRETCH + SHAPE - 1];
        last[..rest.len()].copy_from_slice(rest);
        look(at, &last);
        at += STRETCH;
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
