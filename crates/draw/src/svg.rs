//! A page of SVG under construction.

use std::fmt::Write as _;

use crate::pdf::FAMILY;

/// Where a text stands relative to its point.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    Start,
    Middle,
    End,
}

/// How a text looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Type {
    pub(crate) size: f64,
    pub(crate) colour: &'static str,
    pub(crate) anchor: Anchor,
}

/// A page, measured in points.
pub(crate) struct Page {
    out: String,
}

impl Page {
    pub(crate) fn new(width: f64, height: f64, ground: &str, title: &str) -> Self {
        let mut out = String::new();
        let _ = write!(
            out,
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
             viewBox=\"0 0 {width} {height}\" font-family=\"{FAMILY}, sans-serif\">\n<title>{}</title>\n",
            escape(title)
        );
        let mut page = Self { out };
        page.rect(0.0, 0.0, width, height, ground);
        page
    }

    pub(crate) fn rect(&mut self, x: f64, y: f64, width: f64, height: f64, colour: &str) {
        let _ = writeln!(
            self.out,
            "<rect x=\"{x:.2}\" y=\"{y:.2}\" width=\"{width:.2}\" height=\"{height:.2}\" fill=\"{colour}\"/>"
        );
    }

    pub(crate) fn line(&mut self, from: (f64, f64), to: (f64, f64), colour: &str) {
        let _ = writeln!(
            self.out,
            "<line x1=\"{:.2}\" y1=\"{:.2}\" x2=\"{:.2}\" y2=\"{:.2}\" stroke=\"{colour}\" stroke-width=\"0.8\"/>",
            from.0, from.1, to.0, to.1
        );
    }

    pub(crate) fn text(&mut self, x: f64, y: f64, style: Type, text: &str) {
        let anchor = match style.anchor {
            Anchor::Start => "start",
            Anchor::Middle => "middle",
            Anchor::End => "end",
        };
        let _ = writeln!(
            self.out,
            "<text x=\"{x:.2}\" y=\"{y:.2}\" font-size=\"{}\" fill=\"{}\" text-anchor=\"{anchor}\">{}</text>",
            style.size,
            style.colour,
            escape(text)
        );
    }

    pub(crate) fn finish(mut self) -> String {
        self.out.push_str("</svg>\n");
        self.out
    }
}

/// Text as XML has it. Characters that XML doesn't allow become the replacement character.
fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '&' => out.push_str("&amp;"),
            '"' => out.push_str("&quot;"),
            '\t' | '\n' => out.push(' '),
            c if c.is_control() || matches!(c, '\u{fffe}' | '\u{ffff}') => {
                out.push(char::REPLACEMENT_CHARACTER);
            }
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_escaped() {
        assert_eq!(escape("a<b>&\"c\"\u{1b}\n"), "a&lt;b&gt;&amp;&quot;c&quot;\u{fffd} ");
    }
}
