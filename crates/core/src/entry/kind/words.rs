//! A text without its variable parts: what varies by its form becomes a hole that says what stood there.
//!
//! One walk over the text, word by word; a word is parted at brackets, quotes and signs, and each part is told by its
//! form: see [`super::form`].

use std::ops::Range;

use super::{
    form::{self, Form},
    path,
};

/// Bytes of a kind; what follows is left out.
const LONGEST: usize = 300;
/// Bytes in which a quote or a bracket must be closed.
const REACH: usize = 4_000;
/// Behind a kind that was cut.
pub(super) const CUT: &str = "…";

/// Adds the constant words of a text to `out`, with holes for what varies.
pub(super) fn push(text: &str, out: &mut String) {
    let from = out.len();
    let mut words = Words { text, bytes: text.as_bytes(), at: 0, out };
    let mut before = from..from;
    // Where the last word ends that is no pair.
    let mut said = from;
    loop {
        words.skip_blanks();
        if words.at >= text.len() {
            break;
        }
        if words.out.len() - from > LONGEST {
            if said == words.out.len() || said == from {
                words.out.push(' ');
                words.out.push_str(CUT);
            }
            break;
        }
        let end = words.out.len();
        if end > from {
            words.out.push(' ');
        }
        let start = words.out.len();
        words.word(from);
        let mut pair = words.is_pair(start);
        if let Some(word) = words.takes_unit(&before, start) {
            before = word;
            pair = words.is_pair(before.start);
        } else if !words.joins(&mut before, end, start) {
            before = start..words.out.len();
        }
        if !pair {
            said = words.out.len();
        }
    }
    // Pairs at the end are fields of the entry, some of which may be missing in others of its kind.
    if said > from {
        out.truncate(said);
    }
}

struct Words<'t, 'o> {
    text: &'t str,
    bytes: &'t [u8],
    at: usize,
    out: &'o mut String,
}

/// Whether a byte parts a word, whatever stands around it.
const fn parts(byte: u8) -> bool {
    PARTS[byte as usize]
}

const PARTS: [bool; 256] = {
    let signs = b"()[]{}<>\",;=|&?! \t\n\x0c\r";
    let mut parts = [false; 256];
    let mut at = 0;
    while at < signs.len() {
        parts[signs[at] as usize] = true;
        at += 1;
    }
    parts
};

impl<'t> Words<'t, '_> {
    fn skip_blanks(&mut self) {
        let rest = &self.bytes[self.at..];
        let blanks = rest.iter().take_while(|b| b.is_ascii_whitespace()).count();
        self.at += blanks;
    }

    fn between(&self, from: usize, to: usize) -> &'t str {
        self.text.get(from..to).unwrap_or_default()
    }

    /// What stands between blanks, or reaches over them within quotes.
    fn word(&mut self, from: usize) {
        // Quotes and brackets open something at the beginning of a part only.
        let mut opens = true;
        while let Some(byte) = self.bytes.get(self.at).copied() {
            match byte {
                _ if byte.is_ascii_whitespace() => return,
                b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' => {
                    self.part(from);
                    opens = false;
                }
                b'"' | b'\'' | b'`' if opens => {
                    match self.quoted(byte) {
                        Some(end) => self.hole(Form::Text, end),
                        None => self.sign(),
                    }
                    opens = false;
                }
                b'[' | b'{' if opens => match self.data() {
                    Some(end) => {
                        self.hole(Form::Data, end);
                        opens = false;
                    }
                    None => self.sign(),
                },
                _ if parts(byte) => {
                    self.sign();
                    opens = true;
                }
                0xc2 if self.between(self.at, self.text.len()).starts_with('«') => {
                    match self.between(self.at, self.text.len()).find('»') {
                        Some(length) if length < REACH => {
                            let inside = self.between(self.at, self.at + length);
                            let form =
                                if inside.contains('·') { Form::Hidden } else { Form::Text };
                            self.hole(form, self.at + length + '»'.len_utf8());
                        }
                        _ => self.part(from),
                    }
                    opens = false;
                }
                _ => {
                    self.part(from);
                    opens = false;
                }
            }
        }
    }

    fn sign(&mut self) {
        self.out.push(char::from(self.bytes[self.at]));
        self.at += 1;
    }

    fn hole(&mut self, form: Form, end: usize) {
        self.out.push_str(form.hole());
        self.at = end;
    }

    /// Whether the word that begins there is a name with a value, and nothing else.
    fn is_pair(&self, start: usize) -> bool {
        let word = self.out.get(start..).unwrap_or_default();
        let Some(at) = memchr::memchr(b'=', word.as_bytes()) else { return false };
        let (name, value) =
            (word.get(..at).unwrap_or_default(), word.get(at + 1..).unwrap_or_default());
        let value = value.trim_end_matches([',', ';']);
        is_name(name.as_bytes())
            && (value.is_empty() || value.starts_with('{') && value.ends_with('}'))
    }

    /// Where a text in quotes ends that begins here.
    fn quoted(&self, quote: u8) -> Option<usize> {
        let from = self.at + 1;
        let within = self.bytes.get(from..self.bytes.len().min(from + REACH))?;
        let mut at = 0;
        loop {
            let to = at + memchr::memchr2(quote, b'\\', within.get(at..)?)?;
            if within[to] == b'\\' {
                at = to + 2;
                continue;
            }
            let end = from + to + 1;
            // An apostrophe stands in words.
            if quote != b'\''
                || self.bytes.get(end).is_none_or(|next| !next.is_ascii_alphanumeric())
            {
                return Some(end);
            }
            at = to + 1;
        }
    }

    /// Where an object or a list ends that begins here; `None` where brackets are only around a word.
    fn data(&self) -> Option<usize> {
        let (mut depth, mut quote, mut told) = (0_usize, false, false);
        let within = self.bytes.get(self.at..self.bytes.len().min(self.at + REACH))?;
        for (at, byte) in within.iter().enumerate() {
            match byte {
                b'"' if at == 0 || within[at - 1] != b'\\' => {
                    quote = !quote;
                    told = true;
                }
                _ if quote => {}
                b'{' | b'[' => depth += 1,
                b'}' | b']' => {
                    depth = depth.saturating_sub(1);
                    if depth == 0 {
                        // Nothing at all is data as well.
                        return (told || at == 1).then_some(self.at + at + 1);
                    }
                }
                b',' | b'=' => told = true,
                b':' => told |= within.get(at + 1) == Some(&b' '),
                _ => {}
            }
        }
        None
    }

    /// A part of a word, up to a sign that parts it.
    fn part(&mut self, from: usize) {
        let start = self.at;
        let bytes = self.bytes;
        let digit = |at: usize| bytes.get(at).is_some_and(u8::is_ascii_digit);
        let mut end = start;
        // Letters alone are what most parts are.
        while bytes.get(end).is_some_and(u8::is_ascii_alphabetic) {
            end += 1;
        }
        let letters = end;
        while let Some(byte) = bytes.get(end).copied() {
            let within = byte == b',' && end > start && digit(end - 1) && digit(end + 1);
            if parts(byte) && !within {
                break;
            }
            end += 1;
        }
        let next = bytes.get(end).copied();
        if end == letters && next != Some(b'=') && !form::looks_made(&bytes[start..end]) {
            self.out.push_str(self.between(start, end));
            self.at = end;
            return;
        }
        let part = &bytes[start..end];
        let address = form::has_scheme(part);
        let slash = part.first() == Some(&b'/');
        // The end of an element is no path.
        if slash && bytes[..start].ends_with(b"<") {
            self.out.push_str(self.between(start, end));
            self.at = end;
            return;
        }
        let path = slash && part.len() > 1;
        if address || path {
            // Their parameters belong to them.
            while bytes
                .get(end)
                .is_some_and(|b| !b.is_ascii_whitespace() && !b"\"'<>()[]{},;".contains(b))
            {
                end += 1;
            }
            let part = self.between(start, end).trim_end_matches(['.', ':', '?', '!']);
            match (address, self.follows_method(from)) {
                (true, _) => self.out.push_str(Form::Address.hole()),
                (false, true) => self.out.push_str(&path::template(part)),
                (false, false) => self.out.push_str(Form::Path.hole()),
            }
            self.at = start + part.len();
            return;
        }
        if next == Some(b'=')
            && is_name(part)
            && !matches!(bytes.get(end + 1), Some(b'=' | b'>' | b'~'))
        {
            self.out.push_str(self.between(start, end));
            self.out.push('=');
            self.at = end + 1;
            self.value();
            return;
        }
        let part = self.between(start, end);
        let core = part.trim_end_matches(['.', ':']);
        form::push(core, self.out);
        self.out.push_str(self.between(start + core.len(), end));
        self.at = end;
    }

    /// A value behind its name: a hole, whatever it is.
    fn value(&mut self) {
        let Some(first) = self.bytes.get(self.at).copied() else { return };
        let ends = |byte: &u8| byte.is_ascii_whitespace() || b",;)]}>&|\"".contains(byte);
        match first {
            b'"' | b'\'' | b'`' => {
                if let Some(end) = self.quoted(first) {
                    self.hole(Form::Text, end);
                }
            }
            b'[' | b'{' => {
                if let Some(end) = self.data() {
                    self.hole(Form::Data, end);
                }
            }
            _ => {
                let rest = &self.bytes[self.at..];
                let mut length = 0;
                while let Some(byte) = rest.get(length) {
                    let within = *byte == b','
                        && length > 0
                        && rest[length - 1].is_ascii_digit()
                        && rest.get(length + 1).is_some_and(u8::is_ascii_digit);
                    if ends(byte) && !within {
                        break;
                    }
                    length += 1;
                }
                let value = self.between(self.at, self.at + length);
                let core = value.trim_end_matches(['.', ':']);
                if !core.is_empty() {
                    self.out.push_str(form::of(core).unwrap_or(Form::Word).hole());
                }
                self.out.push_str(self.between(self.at + core.len(), self.at + length));
                self.at += length;
            }
        }
    }

    /// Whether the word before is a method of HTTP.
    fn follows_method(&self, from: usize) -> bool {
        let before = self.out.as_bytes().get(from..).unwrap_or_default();
        let before = before.strip_suffix(b" ").unwrap_or_default();
        let start = before.iter().rposition(|b| !b.is_ascii_uppercase()).map_or(0, |at| at + 1);
        form::is_method(&before[start..])
    }

    /// Makes a number and the unit behind it a duration or a size: programs choose the unit by how large it is.
    /// Where the word is that comes of it.
    fn takes_unit(&mut self, before: &Range<usize>, start: usize) -> Option<Range<usize>> {
        let (last, word) = (self.out.get(before.clone())?, self.out.get(start..)?);
        let at = before.start + last.strip_suffix(Form::Number.hole())?.len();
        let unit = word.trim_end_matches([')', ']', ',', ';', ':', '.', '!', '?']);
        let form = form::unit_word(unit.as_bytes())?;
        self.out.replace_range(at..start + unit.len(), form.hole());
        let mut from = before.start;
        // `1 min 20 s` is one duration.
        let hole = Form::Duration.hole();
        if at == from
            && form == Form::Duration
            && let Some(front) = self.out.get(..from).and_then(|out| out.strip_suffix(' '))
            && front.ends_with(hole)
        {
            let end = front.len();
            from = front.rfind(' ').map_or(0, |at| at + 1);
            self.out.replace_range(end..at + hole.len(), "");
        }
        Some(from..self.out.len())
    }

    /// Lets a word go that only goes on with the one before: a time behind its date, the items of a list.
    fn joins(&mut self, before: &mut Range<usize>, end: usize, start: usize) -> bool {
        let (Some(last), Some(word)) = (self.out.get(before.clone()), self.out.get(start..)) else {
            return false;
        };
        if !word.contains('{') {
            return false;
        }
        if last == word && (word == Form::Time.hole() || word == Form::Duration.hole()) {
            self.out.truncate(end);
            return true;
        }
        let Some(item) = last.strip_suffix(',').or_else(|| last.strip_suffix(",…")) else {
            return false;
        };
        if word.strip_suffix(',').unwrap_or(word) != item {
            return false;
        }
        let more = last.ends_with(',');
        self.out.truncate(end);
        if more {
            self.out.push_str(CUT);
            before.end = self.out.len();
        }
        true
    }
}

/// Whether a part may be the name of a value.
fn is_name(part: &[u8]) -> bool {
    part.first().is_some_and(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b'@' | b'-'))
        && part.iter().all(|b| b.is_ascii_alphanumeric() || b"_-.@:".contains(b))
}
