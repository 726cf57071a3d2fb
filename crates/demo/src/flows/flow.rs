//! What one thing that happens leaves in each service's log, and how long it takes.

use std::fmt::Write as _;

use crate::{
    event::{Event, MILLI, SECOND},
    random::Random,
    secrets::{self, Planted},
    services::{Service, access, rfc3339, spaced},
    spans::Span,
};

const PEOPLE: [&str; 10] = [
    "A. Fennimore",
    "B. Quill",
    "C. Oduya",
    "D. Marram",
    "E. Lindqvist",
    "F. Tamsin",
    "G. Osei",
    "H. Brandt",
    "I. Saltonstall",
    "J. Weir",
];
/// 06:52:21, when booking is up again.
const RESTARTED: i64 = 1_773_471_141 * SECOND;

/// When a span was, and how it ended.
#[derive(Clone, Copy)]
pub(super) struct Told {
    pub(super) start: i64,
    pub(super) end: i64,
    pub(super) status: u16,
    pub(super) error: Option<&'static str>,
}

/// The session of a passenger who is there at a time: a few dozen at once, ten minutes each.
pub(super) fn session_at(time: i64) -> String {
    let (slot, window) = (time / MILLI % 29, time / (600 * SECOND));
    let mixed = (slot * 0x9e37 + window * 0x85eb).wrapping_mul(0x2545_f491).unsigned_abs();
    format!("s-{:06x}", (mixed >> 7) & 0xff_ffff)
}

const AGENTS: [&str; 3] = [
    "saltmarsh-app/4.2.1 (passenger; build 20260311; en-GB)",
    "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101",
    "saltmarsh-kiosk/1.9 (pier 3; touch; night colours)",
];

/// Builds the entries of one thing that happens.
pub(super) struct Flow<'r> {
    pub(super) random: &'r mut Random,
    pub(super) time: i64,
    pub(super) id: Option<String>,
    /// The passenger's session.
    pub(super) session: Option<String>,
    pub(super) events: Vec<Event>,
}

impl<'r> Flow<'r> {
    pub(super) fn new(time: i64, id: Option<String>, random: &'r mut Random) -> Self {
        Self { random, time, id, session: None, events: Vec::new() }
    }

    /// The same for a passenger who has signed in.
    pub(super) fn of(mut self, session: String) -> Self {
        self.session = Some(session);
        self
    }

    pub(super) fn wait(&mut self, millis: i64) {
        self.time += millis * MILLI;
    }

    pub(super) fn some_millis(&mut self, from: i64, to: i64) {
        let millis = self.random.within(from, to);
        self.wait(millis);
    }

    pub(super) fn id(&self) -> &str {
        self.id.as_deref().unwrap_or("-")
    }

    pub(super) fn push(
        &mut self,
        service: Service,
        level: &'static str,
        text: String,
        secrets: Vec<Planted>,
    ) {
        self.events.push(Event {
            service,
            time: self.time,
            text,
            level,
            request_id: self.id.clone(),
            secrets,
            decoys: Vec::new(),
            torn: None,
        });
    }

    /// An access line. Its time is when the request came in.
    pub(super) fn gate(
        &mut self,
        method: &str,
        path: &str,
        status: u16,
        took_ms: i64,
        secret: Option<Planted>,
    ) {
        let host = format!("10.7.{}.{}", self.random.below(4), self.random.below(200) + 10);
        let user = if self.random.chance(30) { "clerk" } else { "-" };
        let bytes = self.random.within(80, 9_000);
        let agent = *self.random.pick(&AGENTS);
        let level = match status {
            500.. => "error",
            400.. => "warn",
            _ => "info",
        };
        let start = access(self.time);
        // Some lines are in the common format, which has no more than the byte count.
        let took = format!("took={}.{:03}s", took_ms / 1_000, took_ms % 1_000);
        let tail = match &self.id {
            None if self.random.chance(30) => String::new(),
            None => format!(" \"https://ferries.example.test/\" \"{agent}\" {took}"),
            Some(id) => {
                let session = self.session.iter().map(|session| format!("session={session} "));
                let session: String = session.collect();
                format!(
                    " \"https://ferries.example.test/\" \"{agent}\" request_id={id} {session}{took}"
                )
            }
        };
        let text = format!(
            "{host} - {user} [{start}] \"{method} {path} HTTP/1.1\" {status} {bytes}{tail}"
        );
        self.push(Service::Gate, level, text, secret.into_iter().collect());
    }

    /// A JSON line; `fields` are further members as written.
    pub(super) fn booking(
        &mut self,
        level: &'static str,
        message: &str,
        fields: &str,
        secrets: Vec<Planted>,
    ) {
        let logger = if message.contains("hold") { "booking.holds" } else { "booking.seats" };
        let mut text = format!(
            "{{\"time\":\"{}\",\"level\":\"{level}\",\"logger\":\"{logger}\",\"msg\":\"{message}\"",
            rfc3339(self.time, 3)
        );
        if let Some(id) = &self.id {
            let _ = write!(text, ",\"request_id\":\"{id}\"");
        }
        if let Some(session) = &self.session {
            let _ = write!(text, ",\"session\":\"{session}\"");
        }
        if !fields.is_empty() {
            let _ = write!(text, ",{fields}");
        }
        let host = 1 + self.time / MILLI % 3;
        let (pid, version) =
            if self.time < RESTARTED { (4_417, "4.7.0") } else { (8_812, "4.7.1") };
        let _ = write!(
            text,
            ",\"host\":\"booking-{host}.ferries.example.test\",\"pid\":{pid},\"thread\":\"http-{}\",\"version\":\"{version}\"}}",
            self.time / MILLI % 16
        );
        self.push(Service::Booking, level, text, secrets);
    }

    /// A span of the request, at its start.
    pub(super) fn span(
        &mut self,
        service: &str,
        name: &str,
        (number, parent): (u64, Option<u64>),
        told: Told,
    ) {
        let Some(request) = self.id.clone() else { return };
        let span = Span {
            service,
            name,
            request: &request,
            number,
            parent,
            start: told.start,
            end: told.end,
            status: told.status,
            error: told.error,
        };
        let level = if told.error.is_some() { "error" } else { "info" };
        let now = std::mem::replace(&mut self.time, told.start);
        self.push(Service::Spans, level, span.line(), Vec::new());
        self.time = now;
    }

    pub(super) fn fares(
        &mut self,
        level: &'static str,
        caller: &str,
        message: &str,
        tail: &str,
        secrets: Vec<Planted>,
    ) {
        let letter = match level {
            "debug" => "D",
            "warn" => "W",
            "error" => "E",
            _ => "I",
        };
        let text = format!(
            "{} | {letter} | fares.lookup | {caller} | {message} | rid={} {tail} \
             table=spring-2026 currency=EUR cache=hit pool=fares-{} season=off-peak",
            spaced(self.time, '.'),
            self.id(),
            self.time / MILLI % 8
        );
        self.push(Service::Fares, level, text, secrets);
    }

    pub(super) fn payments(
        &mut self,
        level: &'static str,
        logger: &str,
        message: &str,
        secrets: Vec<Planted>,
    ) {
        let word = match level {
            "debug" => "DEBUG",
            "warn" => "WARN ",
            "error" => "ERROR",
            _ => "INFO ",
        };
        let thread = self.random.below(6) + 1;
        let (first, rest) = match message.split_once('\n') {
            Some((first, rest)) => (first, format!("\n{rest}")),
            None => (message, String::new()),
        };
        let text = format!(
            "{} {word} [worker-{thread}] payments.{logger} - {first} \
             merchant=saltmarsh-ferries terminal=web-{thread} scheme=test currency=EUR{rest}",
            spaced(self.time, ',')
        );
        self.push(Service::Payments, level, text, secrets);
    }

    pub(super) fn manifest(&mut self, level: &'static str, crossing: i64, seats: i64, note: &str) {
        let card = secrets::card(self.random, false);
        let (number, secrets) = if self.random.chance(25) {
            (card.secret.clone(), vec![card])
        } else {
            (String::new(), Vec::new())
        };
        let person = *self.random.pick(&PEOPLE);
        let text = format!(
            "{},{level},{},{crossing},\"{person}\",{seats},{number},\"{note}\"",
            rfc3339(self.time, 3),
            self.id.as_deref().unwrap_or_default(),
        );
        self.push(Service::Manifest, level, text, secrets);
    }

    pub(super) fn deck(&mut self, level: &'static str, text: String, torn: Option<usize>) {
        self.push(Service::Deck, level, text, Vec::new());
        if let Some(last) = self.events.last_mut() {
            last.torn = torn;
        }
    }
}
