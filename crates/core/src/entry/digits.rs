//! Numbers of a few digits.

#[inline]
pub(super) fn digit(byte: u8) -> Option<u8> {
    let value = byte.wrapping_sub(b'0');
    (value < 10).then_some(value)
}

#[inline]
pub(super) fn two(bytes: &[u8], at: usize) -> Option<i64> {
    let (tens, ones) = (digit(bytes[at])?, digit(bytes[at + 1])?);
    Some(i64::from(tens * 10 + ones))
}

#[inline]
pub(super) fn number(digits: &[u8]) -> Option<i64> {
    if digits.is_empty() {
        return None;
    }
    digits.iter().try_fold(0, |sum: i64, byte| Some(sum * 10 + i64::from(digit(*byte)?)))
}
