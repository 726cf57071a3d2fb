//! What happens on the line: requests and the entries they leave, and what runs beside them.

mod flow;

use self::flow::{Flow, Told, session_at};
use crate::{
    event::{Event, MILLI, SECOND},
    random::Random,
    secrets,
    services::{Service, rfc3339, spaced},
};

/// Something that happens at a time. While there is trouble, every third charge gets no answer.
pub(crate) fn any(time: i64, trouble: bool, random: &mut Random) -> Vec<Event> {
    match random.below(100) {
        0..=17 => browse(time, random),
        18..=29 => assets(time, random),
        30..=37 => sign_in(time, random),
        38..=57 => {
            if trouble && random.chance(34) {
                stuck(time, 112, None, random)
            } else {
                seats(time, random)
            }
        }
        58..=75 => harbour(time, random),
        76..=95 => deck(time, random),
        _ => notes(time, random),
    }
}

fn crossing(random: &mut Random) -> i64 {
    random.within(101, 131)
}

fn browse(time: i64, random: &mut Random) -> Vec<Event> {
    let number = crossing(random);
    let mut flow = Flow::new(time, Some(random.id()), random).of(session_at(time));
    let took = flow.random.within(4, 60);
    flow.gate("GET", &format!("/crossings/{number}"), 200, took, None);
    flow.some_millis(1, 4);
    flow.booking(
        "debug",
        "crossing read",
        &format!("\"crossing\":{number},\"free\":{}", took % 40),
        vec![],
    );
    if flow.random.chance(40) {
        flow.some_millis(1, 5);
        flow.fares("debug", "FareTable:61", "fare asked", &format!("crossing={number}"), vec![]);
    }
    flow.events
}

fn assets(time: i64, random: &mut Random) -> Vec<Event> {
    const PATHS: [&str; 5] = [
        "/assets/app.css",
        "/assets/app.js",
        "/assets/gull.svg",
        "/assets/tides.woff2",
        "/favicon.ico",
    ];
    let mut flow = Flow::new(time, None, random);
    let status = *flow.random.pick(&[200, 200, 304, 304, 404]);
    let path = *flow.random.pick(&PATHS);
    flow.gate("GET", path, status, 1, None);
    flow.events
}

fn sign_in(time: i64, random: &mut Random) -> Vec<Event> {
    let mut flow = Flow::new(time, Some(random.id()), random).of(session_at(time));
    let user = flow.random.within(1_000, 9_999);
    let took = flow.random.within(20, 90);
    match flow.random.below(6) {
        0 => {
            let token = secrets::token(flow.random);
            let path = format!("/session?access_token={}", token.secret);
            flow.gate("GET", &path, 200, took, Some(token));
        }
        _ => flow.gate("POST", "/session", 201, took, None),
    }
    flow.some_millis(2, 9);
    let user_field = format!("\"user\":{{\"id\":\"u-{user}\",\"roles\":[\"passenger\"]}}");
    match flow.random.below(5) {
        0 => {
            let (token, cookie) = (secrets::token(flow.random), secrets::cookie(flow.random));
            let fields = format!(
                "{user_field},\"headers\":{{\"authorization\":\"Bearer {}\",\"cookie\":\"sid={}; lang=en\"}}",
                token.secret, cookie.secret
            );
            flow.booking("debug", "session opened", &fields, vec![token, cookie]);
        }
        1 => {
            let jwt = secrets::jwt(flow.random);
            let fields = format!("{user_field},\"issued\":\"{}\"", jwt.secret);
            flow.booking("debug", "session opened", &fields, vec![jwt]);
        }
        2 => {
            let password = secrets::password(flow.random);
            let fields = format!(
                "{user_field},\"body\":\"{{\\\"user\\\":\\\"u-{user}\\\",\\\"password\\\":\\\"{}\\\"}}\"",
                password.secret
            );
            flow.booking("debug", "session asked", &fields, vec![password]);
        }
        _ => flow.booking("info", "session opened", &user_field, vec![]),
    }
    flow.events
}

/// A seat held, paid and written down, as it should be.
fn seats(time: i64, random: &mut Random) -> Vec<Event> {
    let number = crossing(random);
    let mut flow = Flow::new(time, Some(random.id()), random).of(session_at(time));
    let seats = flow.random.within(1, 4);
    let price = format!("{}.00", seats * 24);
    let took = flow.random.within(140, 320);
    flow.gate("POST", &format!("/crossings/{number}/seats"), 201, took, None);
    flow.some_millis(6, 16);
    let begun = flow.time;
    flow.booking(
        "info",
        "seat hold requested",
        &format!("\"crossing\":{number},\"seats\":{seats}"),
        vec![],
    );
    flow.some_millis(2, 5);
    let secrets = if flow.random.chance(8) { vec![secrets::basic(flow.random)] } else { vec![] };
    let tail = match secrets.first() {
        Some(basic) => format!("crossing={number} authorization=\"Basic {}\"", basic.secret),
        None => format!("crossing={number}"),
    };
    flow.fares("debug", "FareTable:61", "fare asked", &tail, secrets);
    let fare_asked = flow.time;
    flow.some_millis(8, 30);
    let fare_took = flow.random.within(8, 35);
    flow.fares(
        "info",
        "FareTable:88",
        "fare told",
        &format!("price={price} took={fare_took}ms"),
        vec![],
    );
    let told = Told { start: fare_asked, end: flow.time, status: 0, error: None };
    flow.span("fares", "fares.lookup", (1, Some(0)), told);
    flow.some_millis(1, 4);
    let hold = format!("h-{}", flow.random.within(1_000, 9_999));
    flow.booking("info", "hold placed", &format!("\"hold\":\"{hold}\",\"seats\":{seats}"), vec![]);
    flow.some_millis(2, 6);
    let gaps = flow.random.chance(50);
    let card = secrets::card(flow.random, gaps);
    let message = format!(
        "charge asked card={} amount={price} request_id={}",
        quoted(&card.secret),
        flow.id()
    );
    flow.payments("info", "charge", &message, vec![card]);
    let asked = flow.time;
    if flow.random.chance(12) {
        let (token, url) = (secrets::token(flow.random), secrets::url_password(flow.random));
        let message = format!(
            "POST https://pay:{}@acquirer.example.test/charges Authorization: Bearer {} request_id={}",
            url.secret,
            token.secret,
            flow.id()
        );
        flow.payments("debug", "wire", &message, vec![token, url]);
    }
    flow.some_millis(24, 60);
    let message = format!("charge accepted amount={price} request_id={}", flow.id());
    flow.payments("info", "charge", &message, vec![]);
    let told = Told { start: asked, end: flow.time, status: 200, error: None };
    flow.span("payments", "acquirer.charge", (2, Some(0)), told);
    flow.some_millis(3, 9);
    flow.manifest("info", number, seats, "seat assigned");
    flow.some_millis(2, 6);
    flow.booking("info", "hold confirmed", &format!("\"hold\":\"{hold}\""), vec![]);
    let told = Told { start: begun, end: flow.time, status: 201, error: None };
    flow.span("booking", "POST /crossings/:crossing/seats", (0, None), told);
    flow.events
}

fn quoted(text: &str) -> String {
    if text.contains(' ') { format!("\"{text}\"") } else { text.to_owned() }
}

/// The acquirer gives no answer, three times.
fn unanswered(flow: &mut Flow<'_>) {
    let mut asked = flow.time;
    for attempt in 1..=2 {
        flow.wait(1_509);
        let end = asked + 1_500 * MILLI;
        let told = Told { start: asked, end, status: 0, error: Some("SocketTimeout: 1500 ms") };
        flow.span("payments", "acquirer.charge", (1 + attempt, Some(0)), told);
        asked = flow.time;
        let message = format!(
            "no answer from acquirer, trying again attempt={attempt} timeout=1500ms request_id={}",
            flow.id()
        );
        flow.payments("warn", "acquirer", &message, vec![]);
    }
    flow.wait(4_824);
    let token = secrets::token(flow.random);
    let message = format!(
        "AcquirerTimeout: no answer after 3 tries attempt=3 request_id={}\n\
         AcquirerTimeout: no answer after 3 tries\n\
         \x20   at Acquirer.charge (acquirer:204)\n\
         \x20   at Payments.settle (payments:88)\n\
         \x20   at Hold.confirm (hold:51)\n\
         \x20   request headers: Authorization: Bearer {}\n\
         Caused by: SocketTimeout: 1500 ms\n\
         \x20   at Wire.read (wire:77)\n\
         \x20   at Wire.exchange (wire:41)\n\
         \x20   ... 9 more",
        flow.id(),
        token.secret
    );
    flow.payments("error", "acquirer", &message, vec![token]);
    let told =
        Told { start: asked, end: flow.time, status: 0, error: Some("AcquirerTimeout: 3 tries") };
    flow.span("payments", "acquirer.charge", (4, Some(0)), told);
}

/// A charge that the acquirer answers too late: the hold is kept and never released.
fn stuck(time: i64, number: i64, known: Option<(&str, &str)>, random: &mut Random) -> Vec<Event> {
    let id = known.map_or_else(|| random.id(), |(id, _)| id.to_owned());
    let session = known.map_or_else(|| session_at(time), |(_, session)| session.to_owned());
    let mut flow = Flow::new(time, Some(id), random).of(session);
    let hold = format!("h-{}", flow.random.within(1_000, 9_999));
    flow.gate("POST", &format!("/crossings/{number}/seats"), 504, 8_214, None);
    flow.wait(13);
    let begun = flow.time;
    flow.booking(
        "info",
        "seat hold requested",
        &format!("\"crossing\":{number},\"seats\":2"),
        vec![],
    );
    flow.wait(3);
    flow.fares("debug", "FareTable:61", "fare asked", &format!("crossing={number}"), vec![]);
    flow.wait(209);
    flow.fares("warn", "FareLookup:118", "fare lookup retried", "attempt=2 took=209ms", vec![]);
    flow.wait(13);
    flow.fares("info", "FareTable:88", "fare told", "price=48.00 took=11ms", vec![]);
    let told = Told { start: begun + 3 * MILLI, end: flow.time, status: 0, error: None };
    flow.span("fares", "fares.lookup", (1, Some(0)), told);
    flow.wait(2);
    flow.booking("info", "hold placed", &format!("\"hold\":\"{hold}\",\"seats\":2"), vec![]);
    flow.wait(4);
    let card = secrets::card(flow.random, false);
    let message =
        format!("charge asked card={} amount=48.00 request_id={}", card.secret, flow.id());
    flow.payments("info", "charge", &message, vec![card]);
    unanswered(&mut flow);
    flow.wait(4);
    let fields = format!("\"hold\":\"{hold}\",\"seats\":2,\"state\":\"unknown\"");
    flow.booking("warn", "hold kept, payment unknown", &fields, vec![]);
    let told = Told { start: begun, end: flow.time, status: 504, error: Some("payment unknown") };
    flow.span("booking", "POST /crossings/:crossing/seats", (0, None), told);
    flow.wait(31);
    flow.manifest("warn", number, 2, "no row written, payment unknown");
    // The acquirer did charge: its answer comes when nobody waits for it any more.
    flow.some_millis(2_400, 3_100);
    let message = format!(
        "late answer from acquirer: charged, no one waiting amount=48.00 request_id={}",
        flow.id()
    );
    flow.payments("warn", "acquirer", &message, vec![]);
    // The sweeper comes round once a minute and leaves the hold where it is.
    flow.some_millis(20_000, 50_000);
    let text = format!(
        "{} ERROR [sweeper] deck.holds - hold {hold} not released: state unknown has no expiry \
         crossing={number} request_id={}\n\
         HoldStuck: state unknown has no expiry\n\
         \x20   at Sweeper.expiry (sweeper:37)\n\
         \x20   at Sweeper.round (sweeper:112)\n\
         \x20   ... 3 more",
        spaced(flow.time, ','),
        flow.id()
    );
    flow.deck("error", text, Some(3));
    flow.events
}

fn harbour(time: i64, random: &mut Random) -> Vec<Event> {
    let mut flow = Flow::new(time, None, random);
    let micros = flow.random.within(0, 999);
    flow.time += micros * 1_000;
    let berth = flow.random.within(1, 6);
    let stamp = rfc3339(flow.time, 6);
    let (level, rest, secrets) = match flow.random.below(40) {
        0 => {
            let url = secrets::url_password(flow.random);
            let rest = format!(
                "msg=\"store opened\" url=postgres://harbour:{}@store.example.test:5432/tides",
                url.secret
            );
            ("info", rest, vec![url])
        }
        1 => {
            let key = secrets::api_key(flow.random);
            let rest = format!("msg=\"tide table fetched\" api_key={} rows=96", key.secret);
            ("debug", rest, vec![key])
        }
        2..=3 => ("error", format!("msg=\"tide gauge silent\" berth={berth} since=90s"), vec![]),
        4..=7 => {
            ("warn", format!("msg=\"mooring strained\" berth={berth} load=0.9{berth}"), vec![])
        }
        21..=26 => (
            "trace",
            format!("msg=\"gauge polled\" berth={berth} raw=0x{:04x}", berth * 1_201),
            vec![],
        ),
        8..=20 => {
            let height = flow.random.within(100, 480);
            let rest = format!("msg=\"tide read\" berth={berth} height_cm={height}");
            ("debug", rest, vec![])
        }
        _ => ("info", format!("msg=\"berth free\" berth={berth} took_ms={}", berth * 3), vec![]),
    };
    let text = format!(
        "time={stamp} level={level} logger=harbour.berths {rest} \
         host=pier-{berth}.ferries.example.test gauge=saltmarsh-north firmware=2.14.0"
    );
    flow.push(Service::Harbour, level, text, secrets);
    flow.events
}

fn deck(time: i64, random: &mut Random) -> Vec<Event> {
    let with_id = random.chance(30);
    let id = with_id.then(|| random.id());
    let mut flow = Flow::new(time, id, random);
    let (iso, number) = (rfc3339(time, 3), crossing(flow.random));
    match flow.random.below(3) {
        0 => {
            let request =
                flow.id.as_ref().map_or(String::new(), |id| format!(",\"request_id\":\"{id}\""));
            let text = format!(
                "{{\"ts\":\"{iso}\",\"severity\":\"INFO\",\"logger\":\"deck.notify\",\"message\":\"passenger told\",\"crossing\":{number}{request},\"channel\":\"app\",\"template\":\"boarding-soon\",\"retries\":0}}"
            );
            flow.deck("info", text, None);
        }
        1 => {
            let request = flow.id.as_ref().map_or(String::new(), |id| format!(" request_id={id}"));
            let text = format!(
                "{} INFO [sweeper] deck.holds - round done released={} crossing={number}{request} \
                 checked=41 kept=6 store=holds-1.ferries.example.test",
                spaced(time, ','),
                number % 5
            );
            flow.deck("info", text, None);
        }
        _ => {
            let request = flow.id.as_ref().map_or(String::new(), |id| format!(" request_id={id}"));
            let text = format!(
                "time={iso} level=debug logger=deck.feed msg=\"position sent\" crossing={number}{request} \
                 vessel=mv-curlew lat=51.9871 lon=1.2954 heading=084 speed_kn=11.5"
            );
            flow.deck("debug", text, None);
        }
    }
    flow.events
}

/// A passenger note in the manifest, some over several lines.
fn notes(time: i64, random: &mut Random) -> Vec<Event> {
    let number = crossing(random);
    let mut flow = Flow::new(time, None, random);
    let note = *flow.random.pick(&[
        "wheelchair, ramp 2",
        "asked for a \"\"window\"\" seat",
        "two bicycles\nwill board last",
    ]);
    flow.manifest("info", number, 1, note);
    flow.events
}

/// The session of the passenger of the story.
const STORY: &str = "s-19c04e";

/// What happens at fixed times, whatever the size of the morning.
pub(crate) fn scripted(second: usize, time: i64, random: &mut Random) -> Vec<Event> {
    match second {
        // 06:37:58: the acquirer moves, and payments is told of it.
        2_278 => {
            let mut flow = Flow::new(time + 204 * MILLI, None, random);
            let key = secrets::api_key(flow.random);
            let message = format!(
                "acquirer route changed host=acquirer-b.example.test timeout=1500ms api_key={}",
                key.secret
            );
            flow.payments("info", "config", &message, vec![key]);
            flow.events
        }
        // 06:39:21 and 06:40:48: the passenger of the story signs in, and looks at the crossing.
        2_361 => {
            let id = "2c90e7b1a4f35d08".to_owned();
            let mut flow = Flow::new(time + 77 * MILLI, Some(id), random).of(STORY.into());
            flow.gate("POST", "/session", 201, 41, None);
            flow.wait(3);
            flow.booking("info", "session opened", "\"user\":{\"id\":\"u-4711\"}", vec![]);
            flow.events
        }
        2_448 => {
            let id = "93b1f06ad2c4e875".to_owned();
            let mut flow = Flow::new(time + 530 * MILLI, Some(id), random).of(STORY.into());
            flow.gate("GET", "/crossings/112", 200, 19, None);
            flow.wait(2);
            flow.booking("debug", "crossing read", "\"crossing\":112,\"free\":6", vec![]);
            flow.events
        }
        // 06:41:02: the request that the story is told by.
        2_462 => stuck(time + 118 * MILLI, 112, Some(("7f3a9c21e0b4d86f", STORY)), random),
        // 06:42:37: the next passenger finds the crossing full.
        2_557 => {
            let id = "b81d44f09a7c0e1b".to_owned();
            let mut flow = Flow::new(time + 402 * MILLI, Some(id), random).of("s-55d0a1".into());
            flow.gate("POST", "/crossings/112/seats", 409, 58, None);
            flow.wait(13);
            let fields = "\"crossing\":112,\"held\":6,\"holders\":0";
            flow.booking("warn", "crossing shows full, 6 seats held by no one", fields, vec![]);
            flow.events
        }
        3_120 => restart(time, random),
        _ => Vec::new(),
    }
}

/// 06:52: booking is started again, and finds its store read-only.
fn restart(time: i64, random: &mut Random) -> Vec<Event> {
    let mut flow = Flow::new(time, None, random);
    flow.booking("warn", "stopping: asked by operator", "\"signal\":\"TERM\"", vec![]);
    flow.time += 21 * SECOND;
    flow.booking("info", "starting booking 4.7.1", "", vec![]);
    flow.wait(7);
    flow.booking("info", "listening on 127.0.0.1:7310", "", vec![]);
    flow.wait(105);
    flow.booking(
        "fatal",
        "cannot release holds: store is read-only",
        "\"holds\":6,\"crossing\":112",
        vec![],
    );
    flow.events
}
