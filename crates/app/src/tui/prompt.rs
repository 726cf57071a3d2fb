//! A line of text that is being typed, with its place for an error.

use super::completing::Completion;

/// What the text is for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Purpose {
    /// A new mesh.
    Sift,
    /// Words to look for.
    Find,
    /// A time window.
    Window,
    /// Another condition in the place of a mesh.
    Edit(usize),
    /// The file that a plate is saved to.
    Save,
    /// A template for the lines of a source.
    Teach,
    /// What sets the clock of a source right.
    Clock,
    /// A time to go to.
    Jump,
    /// The name of a mark.
    Mark,
    /// A logger and the level below which it is quiet.
    Quiet,
    /// A condition to wait for.
    Watch,
    /// The name under which the sieve is kept, for the user or beside the logs.
    Keep,
    KeepBeside,
}

impl Purpose {
    /// The word before the text.
    pub(crate) fn label(&self) -> &'static str {
        match self {
            Self::Sift => "sift",
            Self::Find => "find",
            Self::Window => "window",
            Self::Edit(_) => "edit",
            Self::Save => "save to",
            Self::Teach => "template",
            Self::Clock => "clock",
            Self::Jump => "go to",
            Self::Mark => "mark",
            Self::Quiet => "quieten",
            Self::Watch => "watch",
            Self::Keep => "keep as",
            Self::KeepBeside => "keep for all as",
        }
    }

    /// What can be typed, shown while nothing is.
    pub(crate) fn hint(&self) -> &'static str {
        match self {
            Self::Sift | Self::Edit(_) | Self::Watch => {
                "level >= warn   status in (502, 503)   path ~ \"^/crossings\"   not logger = x   \"seat hold\""
            }
            Self::Jump => {
                "06:41   06:41:02.340   2026-03-14T06:41:00Z   -15min   mark \"second try\""
            }
            Self::Mark => "a name such as \"second try\"; nothing: a number",
            Self::Quiet => "the logger and the mildest level of it that passes: http.client=warn",
            Self::Keep => "a name; the sieve is kept in your own cribrum.toml",
            Self::KeepBeside => "a name; the sieve is kept in cribrum.toml beside the logs",
            Self::Find => "words; all lower case ignores case",
            Self::Window => "06:38..06:44   06:38..   ..06:44:30   -15min..",
            Self::Save => "a name that ends in .svg or .pdf",
            Self::Teach => "{time} | {session:id} | {level} | {caller}:{line:int} | {rest:pairs}",
            Self::Clock => {
                "Europe/Rome   +01:00   -1.5s   UTC -1.5s   nothing: as it was read first"
            }
        }
    }
}

/// A prompt with its text and the place in it.
#[derive(Clone, Debug)]
pub(crate) struct Prompt {
    pub(crate) purpose: Purpose,
    text: Vec<char>,
    cursor: usize,
    /// What is wrong, and at which character.
    pub(crate) error: Option<(usize, String)>,
    pub(crate) completion: Completion,
    /// How far back in what was typed before, and what was typed now.
    pub(crate) back: Option<(usize, String)>,
}

impl Prompt {
    pub(crate) fn new(purpose: Purpose, text: &str) -> Self {
        let text: Vec<char> = text.chars().collect();
        Self {
            purpose,
            cursor: text.len(),
            text,
            error: None,
            completion: Completion::default(),
            back: None,
        }
    }

    pub(crate) fn text(&self) -> String {
        self.text.iter().collect()
    }

    /// How many characters stand before the cursor.
    pub(crate) fn cursor(&self) -> usize {
        self.cursor
    }

    /// The text before the cursor, and from it on.
    pub(crate) fn parts(&self) -> (String, String) {
        let (before, after) = self.text.split_at(self.cursor);
        (before.iter().collect(), after.iter().collect())
    }

    /// Puts text in at the cursor. Line ends become spaces, other control characters are left out.
    pub(crate) fn insert(&mut self, text: &str) {
        let clean: Vec<char> = text
            .chars()
            .map(|c| if matches!(c, '\n' | '\r' | '\t') { ' ' } else { c })
            .filter(|c| !c.is_control())
            .collect();
        let end = self.cursor + clean.len();
        self.text.splice(self.cursor..self.cursor, clean);
        self.cursor = end;
        self.error = None;
    }

    /// Puts a text in the place of what stands from a byte of the text up to the cursor.
    pub(crate) fn replace_from(&mut self, from: usize, with: &str) {
        let before = self.parts().0;
        let start = before.get(..from).map_or(self.cursor, |front| front.chars().count());
        self.text.drain(start..self.cursor);
        self.cursor = start;
        self.insert(with);
    }

    /// Puts another text in the place of all of it.
    pub(crate) fn set(&mut self, text: &str) {
        self.clear();
        self.insert(text);
    }

    pub(crate) fn backspace(&mut self) {
        if self.cursor > 0 {
            self.cursor -= 1;
            self.text.remove(self.cursor);
        }
        self.error = None;
    }

    pub(crate) fn delete(&mut self) {
        if self.cursor < self.text.len() {
            self.text.remove(self.cursor);
        }
        self.error = None;
    }

    /// Deletes the word before the cursor.
    pub(crate) fn delete_word(&mut self) {
        let before = &self.text[..self.cursor];
        let word = before.iter().rposition(|c| *c != ' ').map_or(0, |at| at + 1);
        let start = before[..word].iter().rposition(|c| *c == ' ').map_or(0, |at| at + 1);
        self.text.drain(start..self.cursor);
        self.cursor = start;
        self.error = None;
    }

    pub(crate) fn clear(&mut self) {
        self.text.clear();
        self.cursor = 0;
        self.error = None;
    }

    pub(crate) fn left(&mut self) {
        self.cursor = self.cursor.saturating_sub(1);
    }

    pub(crate) fn right(&mut self) {
        self.cursor = (self.cursor + 1).min(self.text.len());
    }

    pub(crate) fn home(&mut self) {
        self.cursor = 0;
    }

    pub(crate) fn end(&mut self) {
        self.cursor = self.text.len();
    }

    /// Shows an error at a byte of the text.
    pub(crate) fn fail(&mut self, at: usize, message: impl Into<String>) {
        let text = self.text();
        let characters = text.char_indices().take_while(|(byte, _)| *byte < at).count();
        self.error = Some((characters, message.into()));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_edited_by_characters() {
        let mut prompt = Prompt::new(Purpose::Sift, "größe > 5");
        prompt.home();
        prompt.right();
        prompt.delete();
        prompt.insert("R\n\u{1b}");
        prompt.end();
        prompt.backspace();
        prompt.insert("12");
        assert_eq!(prompt.text(), "gR öße > 12");
        prompt.delete_word();
        prompt.delete_word();
        assert_eq!(prompt.text(), "gR öße ");
        prompt.fail("gR ö".len(), "here");
        assert_eq!(prompt.error, Some((4, "here".into())));
    }
}
