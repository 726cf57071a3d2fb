//! A search for an id. Logs are full of the characters that ids are made of, so that one or two of them stand nearly
//! everywhere; three that are spread over the id stand together hardly anywhere else.

#[cfg(target_arch = "x86_64")]
use super::wide;

/// Places that are looked at at once.
const WIDE: usize = 64;
/// Characters of the shortest text that is searched for so.
const SHORTEST: usize = 8;

/// A text, and three places in it.
#[derive(Debug)]
pub(crate) struct Spread {
    text: Vec<u8>,
    places: [usize; 3],
    any_case: bool,
}

impl Spread {
    /// A search for a text; `None` where it is none of hexadecimal digits and dashes.
    pub(crate) fn new(text: &str, any_case: bool) -> Option<Self> {
        let bytes = text.as_bytes();
        let fits =
            bytes.len() >= SHORTEST && bytes.iter().all(|b| b.is_ascii_hexdigit() || *b == b'-');
        let last = bytes.len().checked_sub(1).filter(|_| fits)?;
        Some(Self { text: bytes.to_vec(), places: [0, last / 2, last], any_case })
    }

    /// Where the text begins first, at `from` or behind it.
    pub(crate) fn find(&self, bytes: &[u8], from: usize) -> Option<usize> {
        let end = bytes.len().checked_sub(self.text.len())?;
        let mut at = from;
        loop {
            let (place, any) = self.next(bytes, at);
            if !any {
                return (place..=end).find(|at| self.is_at(bytes, *at));
            }
            let found = (place..place + WIDE).find(|at| self.is_at(bytes, *at));
            if found.is_some() {
                return found;
            }
            at = place + WIDE;
        }
    }

    /// The next places, as many as are looked at at once, of which one may be the text's; `false` where fewer are left.
    fn next(&self, bytes: &[u8], from: usize) -> (usize, bool) {
        #[cfg(target_arch = "x86_64")]
        if wide::is_there() {
            #[expect(
                unsafe_code,
                reason = "the registers that it is compiled for are there, as was asked the line before"
            )]
            return unsafe {
                match self.any_case {
                    true => self.next_wide::<0x20>(bytes, from),
                    false => self.next_wide::<0>(bytes, from),
                }
            };
        }
        self.next_plain(bytes, from)
    }

    /// The bytes at the places of the text, `fold` added: the bit of lower case, where case does not count.
    fn bytes_at_places(&self, fold: u8) -> [u8; 3] {
        self.places.map(|place| self.text[place] | fold)
    }

    /// The parts of some bytes that stand at the places of the text if it begins at `from`, or so many bytes behind it.
    fn parts<'b>(&self, bytes: &'b [u8], from: usize) -> impl Iterator<Item = [&'b [u8; WIDE]; 3]> {
        let [first, second, third] = self
            .places
            .map(|place| bytes.get(from + place..).unwrap_or_default().as_chunks::<WIDE>().0);
        let parts = first.iter().zip(second).zip(third);
        parts.map(|((first, second), third)| [first, second, third])
    }

    fn next_plain(&self, bytes: &[u8], from: usize) -> (usize, bool) {
        let fold = if self.any_case { 0x20 } else { 0 };
        let [a, b, c] = self.bytes_at_places(fold);
        let mut at = from;
        for [first, second, third] in self.parts(bytes, from) {
            let mut any = 0u8;
            // Without a branch, so that many bytes are compared by one instruction.
            for ((first, second), third) in first.iter().zip(second).zip(third) {
                let other = ((first | fold) ^ a) | ((second | fold) ^ b) | ((third | fold) ^ c);
                any |= u8::from(other == 0);
            }
            if any > 0 {
                return (at, true);
            }
            at += WIDE;
        }
        (at, false)
    }

    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn next_wide<const FOLD: i8>(&self, bytes: &[u8], from: usize) -> (usize, bool) {
        use std::arch::x86_64::{
            _mm256_and_si256, _mm256_cmpeq_epi8, _mm256_or_si256, _mm256_set1_epi8,
            _mm256_testz_si256,
        };
        let fold = _mm256_set1_epi8(FOLD);
        let wanted = self.bytes_at_places(FOLD.cast_unsigned());
        let [a, b, c] = wanted.map(|byte| _mm256_set1_epi8(byte.cast_signed()));
        let same = |part: &[u8; WIDE], byte| {
            wide::load(part).map(|part| match FOLD {
                0 => _mm256_cmpeq_epi8(part, byte),
                _ => _mm256_cmpeq_epi8(_mm256_or_si256(part, fold), byte),
            })
        };
        let mut at = from;
        for [first, second, third] in self.parts(bytes, from) {
            let ([one, two], [three, four], [five, six]) =
                (same(first, a), same(second, b), same(third, c));
            let any = _mm256_or_si256(
                _mm256_and_si256(_mm256_and_si256(one, three), five),
                _mm256_and_si256(_mm256_and_si256(two, four), six),
            );
            if _mm256_testz_si256(any, any) == 0 {
                return (at, true);
            }
            at += WIDE;
        }
        (at, false)
    }

    fn is_at(&self, bytes: &[u8], at: usize) -> bool {
        let Some(here) = bytes.get(at..at + self.text.len()) else { return false };
        match self.any_case {
            false => here == self.text,
            true => here.eq_ignore_ascii_case(&self.text),
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
