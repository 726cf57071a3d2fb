//! Random numbers that are the same in every version and on every machine.
//!
//! Why not a crate: their generators may change between versions, and with them every byte of the
//! scenario. This is SplitMix64 (Steele, Lea, Flood 2014), which is ten lines.

#[derive(Clone, Debug)]
pub(crate) struct Random(u64);

impl Random {
    pub(crate) fn new(seed: u64) -> Self {
        Self(seed)
    }

    pub(crate) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number from 0 to `below` - 1.
    pub(crate) fn below(&mut self, below: u64) -> u64 {
        self.next() % below.max(1)
    }

    /// A number from `from` to `to`, both included.
    pub(crate) fn within(&mut self, from: i64, to: i64) -> i64 {
        from + self.below((to - from + 1).unsigned_abs()).cast_signed()
    }

    /// True in `percent` of a hundred cases.
    pub(crate) fn chance(&mut self, percent: u64) -> bool {
        self.below(100) < percent
    }

    pub(crate) fn pick<'a, T>(&mut self, of: &'a [T]) -> &'a T {
        &of[usize::try_from(self.below(of.len() as u64)).unwrap_or(0)]
    }

    /// Sixteen hexadecimal digits with both letters and numbers among them, as request ids are.
    pub(crate) fn id(&mut self) -> String {
        loop {
            let id = format!("{:016x}", self.next());
            if id.bytes().any(|b| b.is_ascii_digit()) && id.bytes().any(|b| b.is_ascii_alphabetic())
            {
                return id;
            }
        }
    }

    pub(crate) fn text(&mut self, alphabet: &[u8], length: usize) -> String {
        (0..length).map(|_| char::from(*self.pick(alphabet))).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_those_of_the_method() {
        // The first three of seed 1234567, as the authors' own program gives them.
        let mut random = Random::new(1_234_567);
        let first: Vec<u64> = (0..3).map(|_| random.next()).collect();
        assert_eq!(
            first,
            [6_457_827_717_110_365_317, 3_203_168_211_198_807_973, 9_817_491_932_198_370_423]
        );
    }

    #[test]
    fn ranges_are_kept() {
        let mut random = Random::new(1);
        for _ in 0..1_000 {
            assert!((-3..=4).contains(&random.within(-3, 4)));
            assert!(random.below(7) < 7);
            let id = random.id();
            assert!(id.len() == 16 && id.bytes().any(|b| b.is_ascii_digit()), "{id}");
        }
        assert_eq!((random.below(0), random.within(5, 5)), (0, 5));
        assert!(!random.chance(0) && random.chance(100));
    }
}
