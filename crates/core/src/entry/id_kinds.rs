//! The kinds of ids.

/// The kinds of ids, the one that names a single request best first.
pub(crate) const KINDS: [&str; 11] = [
    "request_id",
    "correlation_id",
    "trace_id",
    "job_id",
    "session",
    "span_id",
    "connection_id",
    "order_id",
    "id",
    "user_id",
    "parent_span_id",
];

/// The number of a kind in [`KINDS`]; an unknown one is an `id`.
pub(crate) fn number_of(kind: &str) -> usize {
    match kind {
        "request_id" => 0,
        "correlation_id" => 1,
        "trace_id" => 2,
        "job_id" => 3,
        "session" => 4,
        "span_id" => 5,
        "connection_id" => 6,
        "order_id" => 7,
        "user_id" => 9,
        "parent_span_id" => 10,
        _ => 8,
    }
}
