//! Where numbers and addresses may begin, told by what a few bytes are.

use super::{
    glance::{STRETCH, Stretch},
    kind::{SHAPES, Shape},
};

/// A stretch, and what is known of what stands around it.
pub(super) struct Around<'s> {
    pub(super) now: &'s Stretch,
    pub(super) next: &'s Stretch,
    /// The byte before it may be a part of a word.
    pub(super) in_word: bool,
    /// The byte before it is one of a run of digits, blanks and dashes.
    pub(super) in_number: bool,
}

impl Around<'_> {
    /// Where a word begins with what may be a prefix.
    #[inline(always)]
    pub(super) fn prefixes(&self) -> u64 {
        self.now.prefixes & self.begins()
    }

    /// Where words begin.
    #[inline(always)]
    fn begins(&self) -> u64 {
        self.now.words & !(self.now.words << 1 | u64::from(self.in_word))
    }

    /// What a class is so many bytes further on.
    #[inline(always)]
    fn ahead(&self, of: fn(&Stretch) -> u64, bytes: u32) -> u64 {
        of(self.now) >> bytes | of(self.next) << (u64::BITS - bytes)
    }

    /// Where something begins like the shapes, by their numbers.
    #[inline(always)]
    pub(super) fn shapes(&self, personal: bool) -> [u64; SHAPES] {
        let mut all = [0; SHAPES];
        all[Shape::Card as usize] = self.cards();
        all[Shape::Account as usize] = self.accounts();
        if personal {
            all[Shape::Mail as usize] = self.now.ats;
            all[Shape::FourNumbers as usize] = self.four_numbers();
            all[Shape::Colons as usize] = self.colons();
            all[Shape::Phone as usize] = self.phones();
        }
        all
    }

    #[inline(always)]
    fn cards(&self) -> u64 {
        let run = |of: &Stretch| of.digits | of.gaps;
        let now = run(self.now);
        // A gap may stand before the first digit.
        let first = now & !(now << 1 | u64::from(self.in_number));
        first & twelve(now, run(self.next))
    }

    #[inline(always)]
    fn accounts(&self) -> u64 {
        let letters = |is: &Stretch| is.words & !is.digits;
        let first = self.begins() & letters(self.now) & self.ahead(letters, 1);
        first & self.ahead(|is| is.digits, 2) & self.ahead(|is| is.digits, 3)
    }

    #[inline(always)]
    fn four_numbers(&self) -> u64 {
        let first = self.now.digits & self.ahead(|is| is.dots, 1);
        if first == 0 {
            return 0;
        }
        let dots = |bytes| self.ahead(|is| is.dots, bytes);
        first & self.ahead(|is| is.digits, 2) & (dots(3) | dots(4) | dots(5))
    }

    #[inline(always)]
    fn colons(&self) -> u64 {
        if self.now.colons == 0 {
            return 0;
        }
        let two = self.now.colons & self.ahead(|is| is.colons, 1);
        let many = self.now.colons.count_ones() + self.next.colons.count_ones();
        if many < 4 { two } else { two | self.chains() }
    }

    /// Colons behind which three others stand, at most four letters and digits between them.
    fn chains(&self) -> u64 {
        let both = |now: u64, next: u64| u128::from(now) | u128::from(next) << STRETCH;
        let colons = both(self.now.colons, self.next.colons);
        let words = both(self.now.words, self.next.words);
        let before = |last: u128| {
            let reach = (0..4).fold(last, |reach, _| last | words & reach >> 1);
            colons & reach >> 1
        };
        let two = before(colons);
        if two == 0 { 0 } else { low(before(before(two))) }
    }

    #[inline(always)]
    fn phones(&self) -> u64 {
        self.now.dials & self.ahead(|is| is.digits, 1)
    }
}

/// Where twelve begin that stand side by side.
#[inline(always)]
fn twelve(now: u64, next: u64) -> u64 {
    let bits = u128::from(now) | u128::from(next) << STRETCH;
    let two = bits & bits >> 1;
    let four = two & two >> 2;
    low(four & four >> 4 & four >> 8)
}

/// The bits of this stretch alone.
#[inline(always)]
fn low(bits: u128) -> u64 {
    u64::try_from(bits & u128::from(u64::MAX)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::veil::{
        filter::places,
        fragments::EVERYTHING,
        glance::{Tables, each_stretch},
    };
    use proptest::prelude::*;

    /// Where a text begins like a shape.
    fn seen(shape: Shape, text: &str) -> Vec<usize> {
        let mut found = Vec::new();
        let (mut in_word, mut in_number) = (false, false);
        each_stretch(text.as_bytes(), &Tables::of(&EVERYTHING), |from, now, next| {
            let around = Around { now, next, in_word, in_number };
            found.extend(places(around.shapes(true)[shape as usize]).map(|at| from + at));
            in_word = now.words >> (STRETCH - 1) == 1;
            in_number = (now.digits | now.gaps) >> (STRETCH - 1) == 1;
        });
        found
    }

    #[test]
    fn shapes_are_seen_across_stretches() {
        for before in 0..140 {
            let blanks = "~".repeat(before);
            for (shape, text, at) in [
                (Shape::Card, "4000 0012 3456 7899", 0),
                (Shape::Account, "~GB82 WEST 1234", 1),
                (Shape::Mail, "a@b", 1),
                (Shape::FourNumbers, "203.0.113.9", 2),
                (Shape::Colons, "2001:db8::41:7", 8),
                (Shape::Colons, "2001:db8:1:2:3:4:5:6", 4),
                (Shape::Phone, "+44 20 7946", 0),
                (Shape::Phone, "(020) 7946", 0),
            ] {
                let text = format!("{blanks}{text}");
                assert!(seen(shape, &text).contains(&(before + at)), "{shape:?} in {text}");
            }
        }
    }

    #[test]
    fn what_is_common_is_no_shape() {
        for (shape, text) in [
            (Shape::Card, "2026-03-14T06:41:07 took 31 of 1700000 ms"),
            (Shape::Account, "ab1 XY_12 7f3a9c21"),
            (Shape::FourNumbers, "took 0.031 s, v2.7, 1.x.5"),
            (Shape::Colons, "06:41:07 harbour: moored, at: 3"),
            (Shape::Phone, "a + b (c), +x"),
        ] {
            assert_eq!(seen(shape, text), Vec::<usize>::new(), "{shape:?} in {text}");
        }
    }

    proptest! {
        #[test]
        fn long_numbers_are_seen_wherever_they_begin(text in "[a 0-9-]{0,160}") {
            // Twelve digits and gaps, and no other before them.
            let part = |b: u8| b.is_ascii_digit() || matches!(b, b' ' | b'-');
            let bytes = text.as_bytes();
            let want: Vec<usize> = (0..bytes.len())
                .filter(|at| *at == 0 || !part(bytes[at - 1]))
                .filter(|at| bytes[*at..].iter().take(12).filter(|b| part(**b)).count() == 12)
                .filter(|at| bytes[*at..at + 12].iter().all(|b| part(*b)))
                .collect();
            prop_assert_eq!(seen(Shape::Card, &text), want);
        }
    }
}
