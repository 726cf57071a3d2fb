//! Fields that tell a status of HTTP.

/// Names of fields that hold a status of HTTP, folded.
const STATUS: [&[u8]; 8] = [
    b"status",
    b"statuscode",
    b"httpstatus",
    b"httpstatuscode",
    b"responsestatus",
    b"responsecode",
    b"responsestatuscode",
    b"httpresponsestatuscode",
];

/// The status of HTTP that a field tells by its name and its value.
pub(crate) fn status_of(own: &str, text: &str) -> Option<u16> {
    match text.as_bytes() {
        [b'1'..=b'5', b'0'..=b'9', b'0'..=b'9'] if is_status(own.as_bytes()) => text.parse().ok(),
        _ => None,
    }
}

/// Whether a field of this name holds one.
pub(super) fn is_status(name: &[u8]) -> bool {
    let mut folded = [0u8; 24];
    let mut len = 0;
    for byte in name.iter().filter(|byte| byte.is_ascii_alphanumeric()) {
        let Some(place) = folded.get_mut(len) else { return false };
        *place = byte.to_ascii_lowercase();
        len += 1;
    }
    STATUS.contains(&&folded[..len])
}
