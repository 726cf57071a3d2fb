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
pub(super) use url::{dsn, oauth_code, thin, url};

/// Calls `visit` with each place at which four bytes are as wanted. Most stretches of a text are told to have none
/// without a branch.
pub(super) fn each_four(text: &[u8], is: impl Fn(&[u8; 4]) -> bool, mut visit: impl FnMut(usize)) {
    const STRETCH: usize = 64;
    let mut at = 0;
    while at + 3 < text.len() {
        let end = text.len().min(at + STRETCH + 3);
        let stretch = &text[at..end];
        let fours = || stretch.windows(4).filter_map(|four| four.first_chunk::<4>());
        if fours().fold(false, |any, four| any | is(four)) {
            for (place, four) in fours().enumerate() {
                if is(four) {
                    visit(at + place);
                }
            }
        }
        at += STRETCH;
    }
}
