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
