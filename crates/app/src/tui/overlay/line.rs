//! A line of text that is edited. The cursor stands between clusters of characters, never within one.

use unicode_segmentation::UnicodeSegmentation;

/// Bytes of a text that are kept at most: a paste of a megabyte is no condition.
const MOST: usize = 16 << 10;

/// A line of text and the place in it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Line {
    text: String,
    /// The byte before which the cursor stands.
    cursor: usize,
}

impl Line {
    pub(crate) fn new(text: &str) -> Self {
        let mut line = Self::default();
        line.insert(text);
        line
    }

    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// The text before the cursor, and from it on.
    pub(crate) fn parts(&self) -> (&str, &str) {
        self.text.split_at(self.cursor)
    }

    /// Puts text in at the cursor. Line ends become spaces, other control characters are left out, and so is what
    /// would make the line too long: `false` says that something was.
    pub(crate) fn insert(&mut self, text: &str) -> bool {
        let room = MOST.saturating_sub(self.text.len());
        let mut clean = String::new();
        let mut whole = true;
        for c in text.chars() {
            let c = if matches!(c, '\n' | '\r' | '\t') { ' ' } else { c };
            if clean.len() + c.len_utf8() > room {
                whole = false;
                break;
            }
            if !c.is_control() {
                clean.push(c);
            }
        }
        self.text.insert_str(self.cursor, &clean);
        self.cursor += clean.len();
        // A mark that was typed belongs to the letter before it, or the letter behind it to the mark.
        self.cursor = self.boundary_from(self.cursor);
        whole
    }

    /// Puts a text in the place of what stands from a byte up to the cursor.
    pub(crate) fn replace_from(&mut self, from: usize, with: &str) {
        if self.text.is_char_boundary(from) && from <= self.cursor {
            self.text.drain(from..self.cursor);
            self.cursor = from;
        }
        self.insert(with);
    }

    pub(crate) fn set(&mut self, text: &str) {
        self.clear();
        self.insert(text);
    }

    pub(crate) fn backspace(&mut self) {
        let before = self.before();
        self.text.drain(before..self.cursor);
        self.cursor = before;
    }

    pub(crate) fn delete(&mut self) {
        let after = self.after();
        self.text.drain(self.cursor..after);
    }

    /// Deletes the word before the cursor, and the spaces behind it.
    pub(crate) fn delete_word(&mut self) {
        let before = self.parts().0.trim_end_matches(' ');
        let start = before.rfind(' ').map_or(0, |at| at + 1);
        self.text.drain(start..self.cursor);
        self.cursor = start;
    }

    pub(crate) fn clear(&mut self) {
        self.text.clear();
        self.cursor = 0;
    }

    pub(crate) fn left(&mut self) {
        self.cursor = self.before();
    }

    pub(crate) fn right(&mut self) {
        self.cursor = self.after();
    }

    /// To the beginning of the word before the cursor.
    pub(crate) fn word_left(&mut self) {
        let before = self.parts().0.trim_end_matches(' ');
        self.cursor = before.rfind(' ').map_or(0, |at| at + 1);
    }

    /// Behind the word after the cursor.
    pub(crate) fn word_right(&mut self) {
        let after = self.parts().1;
        let spaces = after.len() - after.trim_start_matches(' ').len();
        let rest = after.trim_start_matches(' ');
        self.cursor += spaces + rest.find(' ').unwrap_or(rest.len());
    }

    pub(crate) fn home(&mut self) {
        self.cursor = 0;
    }

    pub(crate) fn end(&mut self) {
        self.cursor = self.text.len();
    }

    fn before(&self) -> usize {
        let last = self.parts().0.grapheme_indices(true).next_back();
        last.map_or(0, |(at, _)| at)
    }

    fn after(&self) -> usize {
        let next = self.parts().1.graphemes(true).next();
        self.cursor + next.map_or(0, str::len)
    }

    /// The first boundary between clusters at or after a byte.
    fn boundary_from(&self, byte: usize) -> usize {
        let starts = self.text.grapheme_indices(true).map(|(at, _)| at);
        starts.chain([self.text.len()]).find(|at| *at >= byte).unwrap_or(self.text.len())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_edited_by_clusters() {
        let mut line = Line::new("größe > 5");
        line.home();
        line.right();
        line.delete();
        line.insert("R\n\u{1b}");
        line.end();
        line.backspace();
        line.insert("12");
        assert_eq!(line.text(), "gR öße > 12");
        line.delete_word();
        line.delete_word();
        assert_eq!(line.text(), "gR öße ");
        line.word_left();
        assert_eq!(line.parts(), ("gR ", "öße "));
        line.word_left();
        line.word_right();
        assert_eq!(line.parts(), ("gR", " öße "));
        let mut line = Line::new("e\u{301}👩‍💻x");
        line.left();
        line.left();
        assert_eq!(line.parts(), ("e\u{301}", "👩‍💻x"));
        line.insert("\u{302}");
        assert_eq!(line.parts().1, "👩‍💻x", "the mark belongs to the letter before it");
        line.delete();
        line.backspace();
        assert_eq!(line.text(), "x");
    }

    #[test]
    fn a_line_that_is_too_long_keeps_its_beginning() {
        let mut line = Line::new("a");
        assert!(!line.insert(&"é".repeat(1 << 20)));
        assert!(line.text().len() <= MOST && line.text().starts_with("aé"));
        line.insert("x");
        assert!(!line.insert("x"), "there is no room");
        line.backspace();
        assert!(line.insert("x"));
    }
}
