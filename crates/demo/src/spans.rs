//! Spans as an exporter of the OpenTelemetry protocol writes them: an export request a line, in JSON.

use serde_json::json;

/// One span, in nanoseconds UTC.
pub(crate) struct Span<'s> {
    pub(crate) service: &'s str,
    pub(crate) name: &'s str,
    pub(crate) request: &'s str,
    /// Its number in the trace; the first is the root.
    pub(crate) number: u64,
    pub(crate) parent: Option<u64>,
    pub(crate) start: i64,
    pub(crate) end: i64,
    /// The status of HTTP, and what went wrong.
    pub(crate) status: u16,
    pub(crate) error: Option<&'s str>,
}

/// The trace of a request.
pub(crate) fn trace_id(request: &str) -> String {
    let mixed = mix(request, 0);
    format!("{mixed:016x}{:016x}", mix(request, 1))
}

fn span_id(request: &str, number: u64) -> String {
    format!("{:016x}", mix(request, number + 2))
}

/// A number that follows from a request's id, and is another one for each `salt` (FNV-1a, then a mix).
fn mix(request: &str, salt: u64) -> u64 {
    let hash = request.bytes().fold(0xcbf2_9ce4_8422_2325_u64 ^ salt, |hash, byte| {
        (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    });
    (hash ^ (hash >> 31)).wrapping_mul(0x94d0_49bb_1331_11eb)
}

impl Span<'_> {
    /// The line of its export.
    pub(crate) fn line(&self) -> String {
        let text = |key: &str, value: &str| json!({"key": key, "value": {"stringValue": value}});
        let mut attributes = vec![text("request.id", self.request)];
        if self.status > 0 {
            let code = json!({"intValue": self.status.to_string()});
            attributes.push(json!({"key": "http.response.status_code", "value": code}));
        }
        let status = match self.error {
            Some(message) => json!({"code": 2, "message": message}),
            None => json!({}),
        };
        let parent = self.parent.map(|parent| span_id(self.request, parent)).unwrap_or_default();
        let resource = [
            text("service.name", self.service),
            text("host.name", &format!("{}-1.ferries.example.test", self.service)),
        ];
        json!({"resourceSpans": [{
            "resource": {"attributes": resource},
            "scopeSpans": [{
                "scope": {"name": format!("{}.http", self.service)},
                "spans": [{
                    "traceId": trace_id(self.request),
                    "spanId": span_id(self.request, self.number),
                    "parentSpanId": parent,
                    "name": self.name,
                    "kind": if self.parent.is_none() { 2 } else { 3 },
                    "startTimeUnixNano": self.start.to_string(),
                    "endTimeUnixNano": self.end.to_string(),
                    "attributes": attributes,
                    "status": status,
                }],
            }],
        }]})
        .to_string()
    }
}
