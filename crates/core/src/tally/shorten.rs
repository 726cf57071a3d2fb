//! Values in a shorter form, so that those that belong together are one group.

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

/// The class of a status: `5xx`.
pub(crate) fn class(status: &str) -> Option<&'static str> {
    match status.as_bytes() {
        [first @ b'1'..=b'5', b'0'..=b'9', b'0'..=b'9'] => {
            Some(["1xx", "2xx", "3xx", "4xx", "5xx"][usize::from(first - b'1')])
        }
        _ => None,
    }
}

/// Words in what programs say of themselves that read pages by themselves.
pub(super) const CRAWLERS: [&str; 10] = [
    "bot", "crawl", "spider", "slurp", "archiver", "fetcher", "monitor", "scan", "feed", "preview",
];

/// Whether a user agent is a program that reads pages by itself, by the words that such programs name themselves with.
pub(crate) fn crawler(agent: &str) -> &'static str {
    let lower = agent.to_ascii_lowercase();
    if CRAWLERS.iter().any(|word| lower.contains(word)) { "crawler" } else { "no crawler" }
}

/// Browsers by what tells them, those first whose user agents name others as well.
pub(super) const BROWSERS: [(&str, &str); 9] = [
    ("Edg", "Edge"),
    ("OPR/", "Opera"),
    ("SamsungBrowser", "Samsung Internet"),
    ("Firefox/", "Firefox"),
    ("FxiOS", "Firefox"),
    ("CriOS", "Chrome"),
    ("Chrome/", "Chrome"),
    ("Safari/", "Safari"),
    ("Trident/", "Internet Explorer"),
];

/// The family of those that call themselves browsers and are none of these.
pub(super) const OTHER_BROWSER: &str = "another browser";

/// The family of a user agent: a browser, else the first product that it names, without its version.
pub(crate) fn family(agent: &str) -> Cow<'_, str> {
    let agent = agent.trim();
    // What names itself in brackets behind `compatible` is no browser.
    if let Some((_, rest)) = agent.split_once("compatible; ") {
        let name = rest.split(['/', ';', ')', ' ']).next().unwrap_or_default();
        if !name.is_empty() && !name.eq_ignore_ascii_case("MSIE") {
            return Cow::Borrowed(name);
        }
    }
    if agent.starts_with("Mozilla/") {
        let known = BROWSERS.iter().find(|(sign, _)| agent.contains(sign));
        return Cow::Borrowed(known.map_or(OTHER_BROWSER, |(_, name)| *name));
    }
    let name = agent.split(['/', ' ', '(', ';']).next().unwrap_or_default();
    Cow::Borrowed(if name.is_empty() { agent } else { name })
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

    #[test]
    fn statuses_have_classes_and_agents_families() {
        assert_eq!(
            (class("504"), class("200"), class("99"), class("6000")),
            (Some("5xx"), Some("2xx"), None, None)
        );
        for (agent, want, reads_by_itself) in [
            (
                "saltmarsh-app/4.2.1 (passenger; build 20260311; en-GB)",
                "saltmarsh-app",
                "no crawler",
            ),
            (
                "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
                "Firefox",
                "no crawler",
            ),
            (
                "Mozilla/5.0 (X11) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36",
                "Chrome",
                "no crawler",
            ),
            (
                "Mozilla/5.0 (X11) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36 Edg/140.0",
                "Edge",
                "no crawler",
            ),
            (
                "Mozilla/5.0 (compatible; tidebot/2.1; +http://tide.example.test)",
                "tidebot",
                "crawler",
            ),
            ("curl/8.5.0", "curl", "no crawler"),
            ("-", "-", "no crawler"),
            ("", "", "no crawler"),
        ] {
            assert_eq!((&*family(agent), crawler(agent)), (want, reads_by_itself), "{agent}");
        }
    }
}
