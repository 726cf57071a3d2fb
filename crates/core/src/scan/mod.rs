//! Searches over raw bytes that use the machine's widest registers, for what the crates of the trade don't search
//! as fast. Each has a plain form for other machines, and tests hold one against the other.
//!
//! The proofs of what is `unsafe` stand beside it, and `cargo xtask bench` tells what it gains.

mod pairs;
mod spread;

pub(crate) use pairs::{Pair, Pairs};
pub(crate) use spread::Spread;

/// Times a search for pairs, with the widest registers that are there and without: for the bench. The text has none.
#[doc(hidden)]
#[must_use]
pub fn seconds(text: &[u8]) -> [f64; 2] {
    const PAIRS: [Pair; 2] =
        [Pair { first: 0x1b, second: |_| true }, Pair { first: b'\\', second: |b| b == b'u' }];
    let pairs = Pairs::new(&PAIRS);
    let timed = |run: &dyn Fn()| {
        let begun = std::time::Instant::now();
        run();
        begun.elapsed().as_secs_f64()
    };
    let wide = timed(&|| pairs.each(text, &mut |at| std::hint::black_box(at) > text.len()));
    let plain = timed(&|| {
        pairs.each_plain(text, 0..text.len(), &mut |at| std::hint::black_box(at) > text.len());
    });
    [wide, plain]
}

/// Registers of 32 bytes.
#[cfg(target_arch = "x86_64")]
mod wide {
    use std::arch::x86_64::{__m256i, _mm256_loadu_si256};

    /// Whether this machine has them.
    pub(super) fn is_there() -> bool {
        std::arch::is_x86_feature_detected!("avx2")
    }

    /// Fills as many as some bytes need.
    #[inline]
    #[target_feature(enable = "avx2")]
    pub(super) fn load<const BYTES: usize, const COUNT: usize>(
        bytes: &[u8; BYTES],
    ) -> [__m256i; COUNT] {
        const { assert!(BYTES == 32 * COUNT, "whole registers") };
        std::array::from_fn(|number| {
            #[expect(unsafe_code, reason = "the array has these 32 bytes; any address will do")]
            unsafe {
                _mm256_loadu_si256(bytes.as_ptr().add(32 * number).cast())
            }
        })
    }
}
