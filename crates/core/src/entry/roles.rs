//! Roles of fields by their names.

pub(crate) use super::names::folded;
use super::{Field, Role, Value, own_ids};

/// The role of a name that says nothing by itself.
fn declared(name: &[u8]) -> Role {
    own_ids::kind_of(name).map_or(Role::Plain, Role::Id)
}

/// What a field's name says of its role. Case and punctuation don't count: `X-Request-ID`,
/// `request_id` and `requestId` are one name.
pub(crate) fn role(name: &[u8]) -> Role {
    let mut folded = [0u8; 16];
    let mut len = 0;
    for byte in name {
        if !byte.is_ascii_alphanumeric() {
            continue;
        }
        if len == folded.len() {
            return declared(name);
        }
        folded[len] = byte.to_ascii_lowercase();
        len += 1;
    }
    match &folded[..len] {
        b"time" | b"timestamp" | b"ts" | b"datetime" | b"date" | b"eventtime" | b"asctime"
        | b"logtime" | b"t" | b"timeiso8601" | b"timelocal" | b"utctime" | b"timeutc"
        | b"eventtimestamp" | b"logtimestamp" | b"isotime" | b"timemillis" | b"epoch"
        | b"timeunixnano" | b"instant" | b"dateutc" | b"createdat" | b"occurredat" | b"written"
        | b"stagetimestamp" => Role::Time,
        b"level" | b"lvl" | b"severity" | b"loglevel" | b"levelname" | b"logseverity" | b"l"
        | b"severitytext" | b"errorseverity" | b"priority" | b"severitynumber" | b"s"
        | b"loglevelname" | b"prio" | b"levelno" | b"eventlevel" | b"lev" => Role::Level,
        b"message" | b"msg" | b"logmessage" | b"shortmessage" | b"textpayload" | b"m"
        | b"eventmessage" | b"renderedmessage" => Role::Message,
        b"logger" | b"loggername" | b"module" | b"component" | b"logname" | b"sourcecontext"
        | b"loglogger" => Role::Logger,
        b"requestid" | b"reqid" | b"rid" | b"xrequestid" | b"httprequestid" | b"awsrequestid"
        | b"auditid" | b"jid" => Role::Id("request_id"),
        b"correlationid" | b"xcorrelationid" | b"cid" | b"operationid" => {
            Role::Id("correlation_id")
        }
        b"traceid" | b"xb3traceid" | b"traceparent" | b"b3" | b"ddtraceid" | b"xamzntraceid" => {
            Role::Id("trace_id")
        }
        b"spanid" | b"xb3spanid" => Role::Id("span_id"),
        b"parentspanid" => Role::Id("parent_span_id"),
        b"sessionid" | b"session" | b"xsessionid" | b"sid" => Role::Id("session"),
        _ => declared(name),
    }
}

/// What a field's name says of its role where no other field has a better claim to it: how good that
/// claim is, the best first.
pub(crate) fn weak_role(name: &[u8]) -> Option<(Role, u8)> {
    // The value of a template's hole, not the name of a logger.
    if name == b"Name" {
        return None;
    }
    let mut folded = [0u8; 16];
    let mut len = 0;
    for byte in name.iter().filter(|byte| byte.is_ascii_alphanumeric()) {
        *folded.get_mut(len)? = byte.to_ascii_lowercase();
        len += 1;
    }
    Some(match &folded[..len] {
        b"mt" | b"messagetemplate" | b"originalformat" => (Role::Message, 0),
        b"event" => (Role::Message, 1),
        b"text" => (Role::Message, 8),
        b"body" => (Role::Message, 2),
        b"log" => (Role::Message, 3),
        b"description" => (Role::Message, 4),
        b"detail" => (Role::Message, 5),
        b"summary" => (Role::Message, 6),
        b"error" => (Role::Message, 7),
        b"note" => (Role::Message, 9),
        b"comment" => (Role::Message, 10),
        b"name" => (Role::Logger, 0),
        b"target" => (Role::Logger, 1),
        b"category" => (Role::Logger, 2),
        b"channel" => (Role::Logger, 3),
        b"c" => (Role::Logger, 4),
        b"syslogidentifier" => (Role::Logger, 5),
        b"class" | b"classname" => (Role::Logger, 6),
        b"scope" => (Role::Logger, 7),
        _ => return None,
    })
}

/// Whether a folded name is that of a field that names the program.
pub(crate) fn is_program(folded: &[u8]) -> bool {
    const NAMES: [&[u8]; 9] = [
        b"program",
        b"service",
        b"servicename",
        b"app",
        b"appname",
        b"application",
        b"applicationname",
        b"processname",
        b"syslogidentifier",
    ];
    NAMES.contains(&folded)
}

/// Whether the members of a nested object stand for the entry itself, as far as time, level, message and
/// logger go: libraries put them into `log`, `record`, `fields` and the like.
pub(crate) fn is_shell(name: &[u8]) -> bool {
    let name = name.strip_prefix(b"@").unwrap_or(name);
    [
        &b"log"[..],
        b"record",
        b"fields",
        b"properties",
        b"context",
        b"extra",
        b"attributes",
        b"jsonpayload",
        b"level",
        b"time",
        b"t",
        b"instant",
        b"severity",
        b"timestamp",
        b"ts",
    ]
    .iter()
    .any(|shell| name.eq_ignore_ascii_case(shell))
}

/// Whether the members of a nested object are the entry's own fields, put into a bag by a library: they go by their
/// own names as well.
pub(crate) fn is_bag(name: &[u8]) -> bool {
    const BAGS: [&[u8]; 10] = [
        b"properties",
        b"fields",
        b"extra",
        b"context",
        b"attributes",
        b"labels",
        b"data",
        b"state",
        b"meta",
        b"metadata",
    ];
    BAGS.iter().any(|bag| name.eq_ignore_ascii_case(bag))
}

/// What is left of a dotted path behind the name of a bag.
pub(crate) fn within_bag(path: &str) -> Option<&str> {
    let (bag, rest) = path.split_once('.')?;
    is_bag(bag.as_bytes()).then_some(rest)
}

/// Marks the ids among nested fields, which no role table has seen yet.
pub(crate) fn mark_nested(fields: &mut [Field<'_>]) {
    for field in fields {
        if let Role::Id(kind) = role(field.name.as_bytes())
            && field.value.text().is_some()
        {
            field.role = Role::Id(kind);
        }
        if let Value::List(children) | Value::Map(children) = &mut field.value {
            mark_nested(children);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_fold_to_one_role() {
        for (name, want) in [
            ("X-Request-ID", Role::Id("request_id")),
            ("requestId", Role::Id("request_id")),
            ("@timestamp", Role::Time),
            ("log.level", Role::Level),
            ("request", Role::Plain),
            ("a_name_longer_than_any_of_them", Role::Plain),
        ] {
            assert_eq!(role(name.as_bytes()), want, "{name}");
        }
    }
}
