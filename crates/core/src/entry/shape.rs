//! Values in a shorter form, so that those that belong together are one group.

use std::borrow::Cow;

use super::kind::path_template;

/// In which form the values of a field are compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Shape {
    /// As they are.
    Whole,
    /// Paths without numbers and ids, and without their query.
    Template,
    /// Statuses by their first digit.
    Class,
    /// User agents by their program, without its version.
    Family,
    /// Whether a user agent reads pages by itself.
    Crawler,
}

impl Shape {
    const NAMED: [(&'static str, Self); 5] = [
        ("whole", Self::Whole),
        ("template", Self::Template),
        ("class", Self::Class),
        ("family", Self::Family),
        ("crawler", Self::Crawler),
    ];

    /// The form of a name.
    pub(crate) fn named(name: &str) -> Option<Self> {
        Self::NAMED.iter().find(|(known, _)| *known == name).map(|(_, shape)| *shape)
    }

    /// What it is called.
    pub(crate) fn name(self) -> &'static str {
        Self::NAMED.iter().find(|(_, shape)| *shape == self).map_or("whole", |(name, _)| name)
    }
}

/// A value in the form in which it is compared.
pub(crate) fn shaped(shape: Shape, written: &str) -> Cow<'_, str> {
    match shape {
        Shape::Whole => written.into(),
        Shape::Template => path_template(written),
        Shape::Class => class(written).unwrap_or(written).into(),
        Shape::Family => family(written),
        Shape::Crawler => crawler(written).into(),
    }
}

/// The class of a status: `5xx`.
fn class(status: &str) -> Option<&'static str> {
    match status.as_bytes() {
        [first @ b'1'..=b'5', b'0'..=b'9', b'0'..=b'9'] => {
            Some(["1xx", "2xx", "3xx", "4xx", "5xx"][usize::from(first - b'1')])
        }
        _ => None,
    }
}

/// Words in what programs say of themselves that read pages by themselves.
const CRAWLERS: [&str; 10] = [
    "bot", "crawl", "spider", "slurp", "archiver", "fetcher", "monitor", "scan", "feed", "preview",
];

/// Whether a user agent is a program that reads pages by itself, by the words that such programs name themselves with.
fn crawler(agent: &str) -> &'static str {
    let lower = agent.to_ascii_lowercase();
    if CRAWLERS.iter().any(|word| lower.contains(word)) { "crawler" } else { "no crawler" }
}

/// Browsers by what tells them, those first whose user agents name others as well.
const BROWSERS: [(&str, &str); 9] = [
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
const OTHER_BROWSER: &str = "another browser";

/// The family of a user agent: a browser, else the first product that it names, without its version.
fn family(agent: &str) -> Cow<'_, str> {
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
