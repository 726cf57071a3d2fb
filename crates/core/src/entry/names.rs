//! What is known of names, remembered: programs use the same few again and again.

/// The letters and digits of a name, in lower case.
pub(crate) fn folded(name: &[u8]) -> Vec<u8> {
    name.iter().filter(|b| b.is_ascii_alphanumeric()).map(u8::to_ascii_lowercase).collect()
}

/// Names that are remembered; one takes the place of another with the same place.
const PLACES: usize = 1_024;

/// What follows from the name of a value and that of the object it stands in.
pub(crate) struct Names<T> {
    known: Vec<Option<(Packed, T)>>,
}

/// Two names as numbers: comparing those takes no call, which the bytes of many short names would be worth.
#[derive(Clone, Copy, PartialEq)]
struct Packed {
    lengths: (usize, usize),
    own: [u64; 5],
    parent: [u64; 3],
}

impl<T: Copy> Names<T> {
    pub(crate) const fn new() -> Self {
        Self { known: Vec::new() }
    }

    /// What names mean, which `tell` says of those that are not remembered, and of very long ones.
    pub(crate) fn of(&mut self, parent: &str, own: &str, tell: impl FnOnce() -> T) -> T {
        let Some(names) = Packed::of(parent, own) else { return tell() };
        if self.known.is_empty() {
            self.known.resize_with(PLACES, || None);
        }
        let place = &mut self.known[names.place()];
        match place {
            Some((known, means)) if *known == names => *means,
            _ => {
                let means = tell();
                *place = Some((names, means));
                means
            }
        }
    }
}

impl Packed {
    fn of(parent: &str, own: &str) -> Option<Self> {
        Some(Self {
            lengths: (parent.len(), own.len()),
            own: packed(own.as_bytes())?,
            parent: packed(parent.as_bytes())?,
        })
    }

    /// A place that follows from all bytes of the names.
    fn place(&self) -> usize {
        let mix = |mixed: u64, word: &u64| {
            (mixed ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29)
        };
        let start = (self.lengths.0 << 8 | self.lengths.1) as u64;
        let mixed = self.own.iter().chain(&self.parent).fold(start, mix);
        usize::try_from(mixed >> 54).unwrap_or(0) % PLACES
    }
}

/// The bytes of a name of known length in words of eight, the last of which may overlap the one before.
fn packed<const WORDS: usize>(bytes: &[u8]) -> Option<[u64; WORDS]> {
    let mut words = [0; WORDS];
    let word = |at: usize| bytes.get(at..at + 8)?.try_into().ok().map(u64::from_le_bytes);
    match bytes.len() {
        0..8 => words[0] = bytes.iter().fold(0, |word, byte| word << 8 | u64::from(*byte)),
        length => {
            let last = words.get_mut((length - 1) / 8)?;
            *last = word(length - 8)?;
            for (number, place) in words.iter_mut().take((length - 1) / 8).enumerate() {
                *place = word(number * 8)?;
            }
        }
    }
    Some(words)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_name_has_its_own_meaning_and_is_told_once() {
        let mut names = Names::new();
        let mut told = 0;
        for _ in 0..3 {
            for (number, name) in
                ["id", "idx", "request_id", "a_rather_long_name_of_a_field"].iter().enumerate()
            {
                for parent in ["", "user"] {
                    let want = (number, parent.len());
                    let means = names.of(parent, name, || {
                        told += 1;
                        want
                    });
                    assert_eq!(means, want);
                }
            }
        }
        assert!((8..=24).contains(&told), "{told}");
        let place = |number: usize| Packed::of("", &format!("field_{number}")).unwrap().place();
        let places: std::collections::HashSet<usize> = (0..200).map(place).collect();
        assert!(places.len() > 150, "names spread over the places: {}", places.len());
    }

    proptest::proptest! {
        #[test]
        fn names_are_packed_apart(one in "[ab_]{0,42}", other in "[ab_]{0,42}") {
            if let (Some(first), Some(second)) = (Packed::of("x", &one), Packed::of("x", &other)) {
                proptest::prop_assert_eq!(first == second, one == other);
            }
            proptest::prop_assert_eq!(packed::<5>(one.as_bytes()).is_some(), one.len() <= 40);
        }
    }
}
