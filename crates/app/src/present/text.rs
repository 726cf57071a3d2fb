//! Text in cells of a terminal. A cluster of characters that belong together (an emoji with its modifiers, a letter
//! with its marks) is never cut.

use std::borrow::Cow;

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Text on one line: line ends and tabs become spaces.
pub(crate) fn one_line(text: &str) -> Cow<'_, str> {
    if text.contains(['\n', '\t', '\r']) {
        Cow::Owned(text.replace(['\n', '\t', '\r'], " "))
    } else {
        Cow::Borrowed(text)
    }
}

/// Text in at most `width` cells; an ellipsis says that it goes on.
pub(crate) fn fit(text: &str, width: usize) -> String {
    let text = one_line(text);
    if cells(&text) <= width {
        return text.into_owned();
    }
    let mut out = String::new();
    let mut used = 0;
    for cluster in text.graphemes(true) {
        used += cells(cluster);
        if used + 1 > width {
            break;
        }
        out.push_str(cluster);
    }
    if width > 0 {
        out.push('…');
    }
    out
}

/// Cells that a text takes.
pub(crate) fn cells(text: &str) -> usize {
    text.width()
}

/// A text in lines of at most `width` cells, broken at spaces where there are some.
pub(crate) fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    let mut line = String::new();
    let mut used = 0;
    for word in text.split_inclusive(' ') {
        let long = cells(word);
        if used > 0 && used + cells(word.trim_end()) > width {
            lines.push(std::mem::take(&mut line));
            used = 0;
        }
        if long <= width {
            line.push_str(word);
            used += long;
            continue;
        }
        for cluster in word.graphemes(true) {
            let wide = cells(cluster);
            if used + wide > width && used > 0 {
                lines.push(std::mem::take(&mut line));
                used = 0;
            }
            line.push_str(cluster);
            used += wide;
        }
    }
    lines.push(line);
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_does_not_fit_is_shortened() {
        for (text, width, want) in [
            ("seat hold", 9, "seat hold"),
            ("seat hold", 5, "seat…"),
            ("座席の予約", 6, "座席…"),
            ("a\tb\nc", 9, "a b c"),
            ("cafe\u{301} au lait", 5, "cafe\u{301}…"),
            ("👩‍💻👩‍💻👩‍💻", 5, "👩‍💻👩‍💻…"),
            ("ab", 0, ""),
        ] {
            assert_eq!(fit(text, width), want);
        }
    }

    #[test]
    fn long_text_is_broken_at_spaces_or_between_clusters() {
        for (text, width, want) in [
            ("one two three", 8, vec!["one two ", "three"]),
            ("abcdefgh", 3, vec!["abc", "def", "gh"]),
            ("座席の予約", 4, vec!["座席", "の予", "約"]),
            ("👩‍💻👩‍💻👩‍💻", 1, vec!["👩‍💻", "👩‍💻", "👩‍💻"]),
            ("", 5, vec![""]),
        ] {
            assert_eq!(wrapped(text, width), want);
        }
    }
}
