//! Made-up secrets of every kind that programs leak.

use base64::{
    Engine as _,
    engine::general_purpose::{STANDARD, URL_SAFE_NO_PAD},
};

use crate::random::Random;

pub(crate) const ALNUM: &[u8] = b"ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz23456789";

/// A secret that stands in an entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Planted {
    /// What kind of secret it is.
    pub class: &'static str,
    /// The secret exactly as the log has it.
    pub secret: String,
}

pub(crate) fn token(random: &mut Random) -> Planted {
    let secret = format!("sm_{}", random.text(ALNUM, 28));
    Planted { class: "bearer", secret }
}

pub(crate) fn password(random: &mut Random) -> Planted {
    const WORDS: [&str; 8] = ["gull", "tide", "mast", "rope", "keel", "buoy", "reef", "oar"];
    let secret = format!(
        "{}-{}-{}!",
        random.pick(&WORDS),
        random.pick(&WORDS),
        random.text(b"0123456789", 5)
    );
    Planted { class: "password", secret }
}

pub(crate) fn url_password(random: &mut Random) -> Planted {
    Planted { class: "url_password", secret: random.text(ALNUM, 14) }
}

pub(crate) fn api_key(random: &mut Random) -> Planted {
    Planted { class: "api_key", secret: format!("ak-{}", random.text(ALNUM, 24)) }
}

pub(crate) fn cookie(random: &mut Random) -> Planted {
    Planted { class: "cookie", secret: random.text(ALNUM, 22) }
}

pub(crate) fn basic(random: &mut Random) -> Planted {
    let pair = format!("clerk-{}:{}", random.below(90) + 10, random.text(ALNUM, 9));
    Planted { class: "basic", secret: STANDARD.encode(pair) }
}

pub(crate) fn jwt(random: &mut Random) -> Planted {
    let body = format!(
        "{{\"sub\":\"u-{}\",\"n\":{}}}",
        random.below(9_000) + 1_000,
        random.below(1 << 40)
    );
    let secret = format!(
        "{}.{}.{}",
        URL_SAFE_NO_PAD.encode("{\"alg\":\"HS256\",\"typ\":\"JWT\"}"),
        URL_SAFE_NO_PAD.encode(body),
        random.text(ALNUM, 43)
    );
    Planted { class: "jwt", secret }
}

/// A card number of a range that no bank issues, its check digit right.
pub(crate) fn card(random: &mut Random, gaps: bool) -> Planted {
    let mut digits: Vec<u64> = vec![4, 0, 0, 0, 0, 0];
    digits.extend((0..9).map(|_| random.below(10)));
    let sum: u64 = digits
        .iter()
        .rev()
        .enumerate()
        .map(|(place, digit)| {
            let doubled = if place % 2 == 0 { digit * 2 } else { *digit };
            if doubled > 9 { doubled - 9 } else { doubled }
        })
        .sum();
    digits.push((10 - sum % 10) % 10);
    let mut secret = String::new();
    for (place, digit) in digits.iter().enumerate() {
        if gaps && place > 0 && place % 4 == 0 {
            secret.push(' ');
        }
        secret.push_str(&digit.to_string());
    }
    Planted { class: "card", secret }
}

/// The number of an account at a bank that does not exist, its check digits right (ISO 13616).
pub(crate) fn iban(random: &mut Random) -> Planted {
    let account = format!("SMFY{}", random.text(b"0123456789", 14));
    // The country and two zeros go behind the account; letters count from ten on.
    let number = format!("{account}GB00").bytes().fold(0u64, |left, byte| {
        match char::from(byte).to_digit(36).map_or(0, u64::from) {
            digit @ 0..10 => (left * 10 + digit) % 97,
            letter => (left * 100 + letter) % 97,
        }
    });
    Planted { class: "iban", secret: format!("GB{:02}{account}", 98 - number) }
}
