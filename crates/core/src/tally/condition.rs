//! The condition that the entries of a group pass, and no others.

use super::{
    By, Group, Key, Shape, Tally,
    shorten::{BROWSERS, CRAWLERS, OTHER_BROWSER},
};
use crate::{
    engine::Snapshot,
    query::{Expr, Literal, Op, Path, Pattern},
    veil::Audience,
};

impl<A: Audience> Tally<A> {
    /// The condition that a group's entries pass. `None` where none tells them from all others.
    #[must_use]
    pub fn condition(&self, group: &Group<A>, snapshot: &Snapshot) -> Option<Expr> {
        let both = self.question.by.iter().zip(&group.keys);
        let mut parts = both.map(|(by, key)| condition(by, key, snapshot));
        let first = parts.next()??;
        parts.try_fold(first, |all, part| Some(all.and(part?)))
    }
}

fn path_of(by: &By) -> Path {
    match by {
        By::Level => Path::Level,
        By::Logger => Path::Logger,
        By::Source => Path::Source,
        By::Layout => Path::Layout,
        By::Kind => Path::Kind,
        By::Run => Path::Run,
        By::Slice(_) => Path::Time,
        By::Field { path, .. } => Path::field(path),
    }
}

/// The condition that entries pass that have something in common.
pub(crate) fn condition<A: Audience>(by: &By, key: &Key<A>, snapshot: &Snapshot) -> Option<Expr> {
    let path = path_of(by);
    let matches = |pattern: &str| Some(Expr::Matches(path.clone(), Pattern::new(pattern)?));
    let text = match (by, key) {
        (_, Key::None) => return Some(Expr::Has(path).negated()),
        (_, Key::Level(level)) => return Some(Expr::equals(path, level.name())),
        (_, Key::Source(number)) => {
            return Some(Expr::equals(path, &snapshot.sources.get(*number)?.name));
        }
        (_, Key::Layout(name)) => return Some(Expr::equals(path, name)),
        (By::Slice(length), Key::Time(from)) => {
            return Some(Expr::within(*from, from.saturating_add(length - 1)));
        }
        (_, Key::Time(_)) => return None,
        (_, Key::Cut(text)) => {
            let front = text.as_str().trim_end_matches('…');
            return matches(&format!("^{}", regex::escape(front)));
        }
        (_, Key::Text(text)) => text.as_str(),
    };
    match by {
        By::Field { shape: Shape::Template, .. } => matches(&of_template(text)),
        By::Field { shape: Shape::Class, .. } if text.ends_with("xx") => {
            let from: u16 = text.get(..1)?.parse().ok()?;
            let compare = |op, number: u16| {
                Expr::Compare(path.clone(), op, Literal::new(&(number * 100).to_string()))
            };
            Some(compare(Op::AtLeast, from).and(compare(Op::Less, from + 1)))
        }
        By::Field { shape: Shape::Crawler, .. } => {
            let crawls = matches(&format!("(?i){}", CRAWLERS.join("|")))?;
            Some(if text == "crawler" {
                crawls
            } else {
                Expr::Has(path.clone()).and(crawls.negated())
            })
        }
        By::Field { shape: Shape::Family, .. } => {
            let compatible = || matches("compatible; (?:[^M]|M[^S])");
            match BROWSERS.iter().position(|(_, name)| *name == text) {
                Some(_) => of_browser(text, &matches, &compatible()?),
                None if text == OTHER_BROWSER => {
                    let signs: Vec<String> =
                        BROWSERS.iter().map(|(sign, _)| regex::escape(sign)).collect();
                    let browser = matches("^ *Mozilla/")?.and(compatible()?.negated());
                    Some(browser.and(matches(&signs.join("|"))?.negated()))
                }
                None => {
                    let name = regex::escape(text);
                    matches(&format!("^ *{name}(?:[/ (;]|$)|compatible; {name}(?:[/;) ]|$)"))
                }
            }
        }
        _ => Some(Expr::equals(path, text)),
    }
}

/// A browser is told by the first sign that its user agent has.
fn of_browser(
    family: &str,
    matches: &dyn Fn(&str) -> Option<Expr>,
    compatible: &Expr,
) -> Option<Expr> {
    let mut ways = Vec::new();
    for (at, (sign, _)) in BROWSERS.iter().enumerate().filter(|(_, (_, name))| *name == family) {
        let before: Vec<String> = BROWSERS[..at]
            .iter()
            .filter(|(_, name)| *name != family)
            .map(|(sign, _)| regex::escape(sign))
            .collect();
        let way = matches(&format!("^ *Mozilla/.*{}", regex::escape(sign)))?;
        let way = way.and(compatible.clone().negated());
        ways.push(match before.is_empty() {
            true => way,
            false => way.and(matches(&before.join("|"))?.negated()),
        });
    }
    (!ways.is_empty()).then(|| Expr::any(ways))
}

/// The pattern of the paths of a template: see [`crate::entry::kind::path_template`].
fn of_template(template: &str) -> String {
    const NUMBER: &str = "[0-9.,+-]*[0-9][0-9.,+-]*";
    // A digit and something that belongs to no number, in either order; or a very long part.
    const ID: &str = "(?:[^/?#;]*[0-9][^/?#;]*[^/?#;0-9.,+-][^/?#;]*\
        |[^/?#;]*[^/?#;0-9.,+-][^/?#;]*[0-9][^/?#;]*|[^/?#;]{49,})";
    let mut pattern = String::from("^");
    for (at, part) in template.split('/').enumerate() {
        if at > 0 {
            pattern.push('/');
        }
        pattern.push_str(&match part {
            "{n}" => NUMBER.to_owned(),
            "{id}" => ID.to_owned(),
            "{hidden}" => "[^/?#;]+".to_owned(),
            part => regex::escape(part),
        });
    }
    pattern.push_str("(?:[?#;]|$)");
    pattern
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::entry::kind::path_template as template;

    #[test]
    fn the_pattern_of_a_template_fits_its_paths_and_no_others() {
        let paths = [
            "/crossings",
            "/crossings/112",
            "/crossings/112/seats",
            "/crossings/113/seats?x=1",
            "/crossings/h-5512",
            "/crossings/5512-h",
            "/v1/holds/7f3a9c21",
            "/assets/logo-2.svg",
            "/days/2026-03-14",
            "/days/mon",
            "https://fares.example.test/quote/12?x=1",
        ];
        for one in paths {
            let pattern = regex::Regex::new(&of_template(&template(one))).unwrap();
            for other in paths {
                let same = template(one) == template(other);
                assert_eq!(pattern.is_match(other), same, "{one} {other} {pattern}");
            }
        }
    }
}
