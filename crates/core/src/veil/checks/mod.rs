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

/// Calls `visit` with each place at which four bytes are as wanted. Most stretches of a text are told to have none
/// without a branch, many places at a time: `is` must be made of comparisons and `&` and `|` alone.
pub(super) fn each_four(
    text: &[u8],
    is: impl Fn(u8, u8, u8, u8) -> bool,
    mut visit: impl FnMut(usize),
) {
    const STRETCH: usize = 64;
    let mut at = 0;
    while let Some(stretch) = text.get(at..).and_then(|rest| rest.first_chunk::<{ STRETCH + 3 }>())
    {
        let mut any = false;
        for place in 0..STRETCH {
            any |= is(stretch[place], stretch[place + 1], stretch[place + 2], stretch[place + 3]);
        }
        if any {
            for place in 0..STRETCH {
                if is(stretch[place], stretch[place + 1], stretch[place + 2], stretch[place + 3]) {
                    visit(at + place);
                }
            }
        }
        at += STRETCH;
    }
    // The rest as one more stretch, filled up with bytes that nothing is made of.
    let rest = text.get(at..).unwrap_or_default();
    let mut last = [0; STRETCH + 3];
    last[..rest.len()].copy_from_slice(rest);
    let mut any = false;
    for place in 0..STRETCH {
        any |= is(last[place], last[place + 1], last[place + 2], last[place + 3]);
    }
    if any {
        for place in 0..STRETCH.min(rest.len()) {
            if is(last[place], last[place + 1], last[place + 2], last[place + 3]) {
                visit(at + place);
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
