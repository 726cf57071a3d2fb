//! A page as SVG 1.1.

use std::fmt::Write as _;

use crate::{
    page::{Anchor, Page, Shape},
    pdf::FAMILY,
};

pub(crate) fn write(page: &Page) -> String {
    let Page { width, height, title, .. } = page;
    let mut out = String::new();
    // Writing to a text can't fail.
    let _ = write!(
        out,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
         viewBox=\"0 0 {width} {height}\" font-family=\"{FAMILY}, sans-serif\">\n<title>{}</title>\n",
        escape(title)
    );
    for shape in &page.shapes {
        let _ = match shape {
            Shape::Rect { x, y, width, height, colour } => writeln!(
                out,
                "<rect x=\"{x:.2}\" y=\"{y:.2}\" width=\"{width:.2}\" height=\"{height:.2}\" fill=\"{colour}\"/>"
            ),
            Shape::Line { from, to, colour, stroke } => writeln!(
                out,
                "<line x1=\"{:.2}\" y1=\"{:.2}\" x2=\"{:.2}\" y2=\"{:.2}\" stroke=\"{colour}\" stroke-width=\"{stroke}\" stroke-linecap=\"round\"/>",
                from.0, from.1, to.0, to.1
            ),
            Shape::Text { x, y, style, text } => {
                let anchor = match style.anchor {
                    Anchor::Start => "start",
                    Anchor::Middle => "middle",
                    Anchor::End => "end",
                };
                writeln!(
                    out,
                    "<text x=\"{x:.2}\" y=\"{y:.2}\" font-size=\"{}\" fill=\"{}\" text-anchor=\"{anchor}\">{}</text>",
                    style.size,
                    style.colour,
                    escape(text)
                )
            }
        };
    }
    out.push_str("</svg>\n");
    out
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
