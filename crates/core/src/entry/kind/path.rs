//! Paths without their numbers and ids.

use std::borrow::Cow;

/// A path whose numbers and ids are taken out, without its query: `/crossings/{n}/seats`.
pub(crate) fn template(path: &str) -> Cow<'_, str> {
    let end = path.find(['?', '#', ';']).unwrap_or(path.len());
    let (whole, _) = path.split_at(end);
    let (front, whole) = match whole.find("://") {
        Some(at) => {
            let host = whole
                .get(at + 3..)
                .and_then(|rest| rest.find('/'))
                .map_or(whole.len(), |to| at + 3 + to);
            whole.split_at(host)
        }
        None => ("", whole),
    };
    if front.is_empty()
        && end == path.len()
        && whole.split('/').all(|part| hole(part).is_none() && fingerprint(part).is_none())
    {
        return Cow::Borrowed(path);
    }
    let mut made = String::with_capacity(path.len());
    made.push_str(front);
    for (at, part) in whole.split('/').enumerate() {
        if at > 0 {
            made.push('/');
        }
        match (hole(part), fingerprint(part)) {
            (Some(hole), _) => made.push_str(hole),
            (None, Some((before, after))) => {
                made.extend([before, "{id}", after]);
            }
            (None, None) => made.push_str(part),
        }
    }
    Cow::Owned(made)
}

/// What stands around the fingerprint in the name of a file: `app.` and `.js` of `app.5f2b3c4d.js`.
fn fingerprint(part: &str) -> Option<(&str, &str)> {
    const SHORTEST: usize = 7;
    // Most parts are no names of files, or short.
    if part.len() <= SHORTEST + 2 || !part.contains('.') {
        return None;
    }
    let mut at = 0;
    for piece in part.split(['.', '-', '_']) {
        let end = at + piece.len();
        let digits = piece.bytes().filter(u8::is_ascii_digit).count();
        let mixed = digits > 0
            && piece.bytes().all(|b| b.is_ascii_alphanumeric())
            && (piece.bytes().all(|b| b.is_ascii_hexdigit())
                || piece.bytes().any(|b| b.is_ascii_uppercase()) && digits > 1);
        if at > 0 && end < part.len() && piece.len() >= SHORTEST && mixed {
            return Some((part.get(..at)?, part.get(end..)?));
        }
        at = end + 1;
    }
    None
}

/// What stands for a part of a path that varies.
fn hole(part: &str) -> Option<&'static str> {
    let digits = part.bytes().filter(u8::is_ascii_digit).count();
    if part.contains('«') {
        return Some("{hidden}");
    }
    if digits > 0
        && part.bytes().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'-' | b'+' | b','))
    {
        return Some("{n}");
    }
    // `v1`, `v2beta`, and a name with an ending, `logo-2.svg`, are words.
    let version = part.len() <= 6
        && part.starts_with('v')
        && part.as_bytes().get(1).is_some_and(u8::is_ascii_digit);
    let file = part.rsplit_once('.').is_some_and(|(name, end)| {
        (2..=5).contains(&end.len())
            && end.bytes().next().is_some_and(|b| b.is_ascii_lowercase())
            && name.len() <= 32
    });
    let encoded = part.contains('%');
    let varies = digits > 0 && !version && !file && !encoded || part.len() > 48;
    varies.then_some("{id}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_varies_in_a_path_is_a_hole() {
        for (path, want) in [
            ("/crossings", "/crossings"),
            ("/crossings/112/seats", "/crossings/{n}/seats"),
            ("/crossings/112/seats?seats=2&user=ada", "/crossings/{n}/seats"),
            ("/v1/holds/h-5512", "/v1/holds/{id}"),
            ("/holds/7f3a9c21-e0b4-4d86-9f3a-2b1c44556677/", "/holds/{id}/"),
            ("/days/2026-03-14", "/days/{n}"),
            ("/assets/logo-2.svg", "/assets/logo-2.svg"),
            ("/assets/tides.woff2", "/assets/tides.woff2"),
            ("/assets/app.5f2b3c4d.js", "/assets/app.{id}.js"),
            ("/assets/deck-1b3c4d5e6f70.chunk.css?v=2", "/assets/deck-{id}.chunk.css"),
            ("/assets/pier-Bx7Qz91k.png", "/assets/pier-{id}.png"),
            ("/assets/ferry-3.16.0.min.js", "/assets/ferry-3.16.0.min.js"),
            ("/assets/ferry.prefaced.js", "/assets/ferry.prefaced.js"),
            ("/photos/2026-03-14_pier.jpeg", "/photos/2026-03-14_pier.jpeg"),
            ("/photos/img_20260314.jpeg", "/photos/img_{id}.jpeg"),
            ("/reset/«token·4e»", "/reset/{hidden}"),
            ("https://fares.example.test/quote/12?x=1", "https://fares.example.test/quote/{n}"),
            ("https://fares.example.test", "https://fares.example.test"),
            ("/#/berths/3", "/"),
            ("", ""),
        ] {
            assert_eq!(template(path), want, "{path}");
        }
    }
}
