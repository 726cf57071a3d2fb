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
    if front.is_empty() && end == path.len() && whole.split('/').all(|part| hole(part).is_none()) {
        return Cow::Borrowed(path);
    }
    let parts: Vec<&str> = whole.split('/').map(|part| hole(part).unwrap_or(part)).collect();
    Cow::Owned(format!("{front}{}", parts.join("/")))
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
