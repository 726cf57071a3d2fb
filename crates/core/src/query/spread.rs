//! A search for an id. Logs are full of the characters that ids are made of, so that one or two of them stand nearly
//! everywhere; four that are spread over the id stand together hardly anywhere else.

/// Bytes that are looked at at once.
const WIDE: usize = 64;
/// Characters of the shortest text that is searched for so.
const SHORTEST: usize = 8;

/// A text, and four places in it.
#[derive(Debug)]
pub(super) struct Spread {
    text: Vec<u8>,
    places: [usize; 4],
    /// What is added to both sides before they are compared: the bit of lower case, where case does not count.
    fold: u8,
}

impl Spread {
    /// A search for a text; `None` where it is none of hexadecimal digits and dashes.
    pub(super) fn new(text: &str, any_case: bool) -> Option<Self> {
        let bytes = text.as_bytes();
        let fits =
            bytes.len() >= SHORTEST && bytes.iter().all(|b| b.is_ascii_hexdigit() || *b == b'-');
        let last = bytes.len().checked_sub(1).filter(|_| fits)?;
        Some(Self {
            text: bytes.to_vec(),
            places: [0, last / 3, last * 2 / 3, last],
            fold: if any_case { 0x20 } else { 0 },
        })
    }

    /// Where the text begins first, at `from` or behind it.
    pub(super) fn find(&self, bytes: &[u8], from: usize) -> Option<usize> {
        let [first, second, third, last] = self.places;
        let byte = |place: usize| self.text[place] | self.fold;
        let (a, b, c, d) = (byte(first), byte(second), byte(third), byte(last));
        let mut at = from;
        let wide = |start: usize| bytes.get(start..start + WIDE);
        while let (Some(one), Some(two), Some(three), Some(four)) =
            (wide(at), wide(at + second), wide(at + third), wide(at + last))
        {
            let mut any = 0u8;
            // Without a branch, so that many bytes are compared by one instruction.
            for (((one, two), three), four) in one.iter().zip(two).zip(three).zip(four) {
                let other = ((one | self.fold) ^ a)
                    | ((two | self.fold) ^ b)
                    | ((three | self.fold) ^ c)
                    | ((four | self.fold) ^ d);
                any |= u8::from(other == 0);
            }
            if any > 0
                && let Some(found) = (at..at + WIDE).find(|at| self.is_at(bytes, *at))
            {
                return Some(found);
            }
            at += WIDE;
        }
        let end = bytes.len().checked_sub(self.text.len())?;
        (at..=end).find(|at| self.is_at(bytes, *at))
    }

    fn is_at(&self, bytes: &[u8], at: usize) -> bool {
        let Some(here) = bytes.get(at..at + self.text.len()) else { return false };
        match self.fold {
            0 => here == self.text,
            _ => here.eq_ignore_ascii_case(&self.text),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn an_id_is_found_where_it_stands(
            before in "[0-9a-f -]{0,200}",
            id in "[0-9a-f]{8,20}|[0-9a-f]{8}-[0-9a-f]{4}",
            behind in "[0-9a-f -]{0,200}",
            upper in any::<bool>(),
        ) {
            let written = if upper { id.to_ascii_uppercase() } else { id.clone() };
            let text = format!("{before}{written}{behind}{written}");
            let exact = Spread::new(&id, false).unwrap();
            let mut want = text.match_indices(&*id).map(|(at, _)| at);
            prop_assert_eq!(exact.find(text.as_bytes(), 0), want.next());
            let folded = text.to_ascii_lowercase();
            let any_case = Spread::new(&id, true).unwrap();
            let from = before.len();
            let want = folded.get(from..).unwrap().find(&*id).map(|at| at + from);
            prop_assert_eq!(any_case.find(text.as_bytes(), from), want);
        }
    }

    #[test]
    fn words_are_no_ids() {
        assert!(Spread::new("timeout!", false).is_none() && Spread::new("7f3a", false).is_none());
        assert_eq!(Spread::new("7f3a9c21", true).unwrap().find(b"7f3a9c2", 0), None);
    }
}
