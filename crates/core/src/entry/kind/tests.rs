use super::*;

fn kind(text: &str) -> String {
    let mut made = String::new();
    push_message(text, &mut made);
    made
}

#[test]
fn what_varies_by_its_form_is_a_hole() {
    for (text, want) in [
        ("seat hold requested", "seat hold requested"),
        ("charge asked card=4111 amount=48.00", "charge asked"),
        ("card=4111 amount=48.00 charged", "card={number} amount={number} charged"),
        ("card=4111, amount=48.00", "card={number}, amount={number}"),
        ("lost a=1 b of c=2", "lost a={number} b of"),
        ("hold h-5512 placed, 2 seats", "hold h-{number} placed, {number} seats"),
        ("hold 7f3a9c21 placed", "hold {id} placed"),
        ("GET /v1/crossings/112/seats?seats=2 200", "GET /v1/crossings/{n}/seats {number}"),
        ("no seat for \"A. Fennimore\" on pier", "no seat for {text} on pier"),
        ("note=\"two words\" kept", "note={text} kept"),
        ("user=alice left", "user={word} left"),
        ("refused «card·4e» twice", "refused {hidden} twice"),
        ("the «North Pier» is full", "the {text} is full"),
        ("after 3 tries:", "after {number} tries:"),
        ("step 3: go", "step {number}: go"),
        ("took 250ms, then 1m30s and 1.5s", "took {duration}, then {duration} and {duration}"),
        ("read 4KiB of 12 MB", "read {size} of {size}"),
        ("waited 1 second, then (3.5 s).", "waited {duration}, then ({duration})."),
        (
            "waited 3 m behind 2 second-class seats",
            "waited {number} m behind {number} second-class seats",
        ),
        ("waited took=12 ms for it", "waited took={duration} for it"),
        ("waited took=12 ms", "waited"),
        ("waited 1 min 20 s", "waited {duration}"),
        ("load 97.5% or 97 %", "load {number} or {number} %"),
        ("since 2026-03-14 06:41:02,340 UTC", "since {time} UTC"),
        ("since 2026-03-14T06:41:02.340Z", "since {time}"),
        ("at 06:41 and 06:41:02", "at {time} and {time}"),
        ("from 10.0.3.7:51022 to ::1", "from {address} to {address}"),
        ("peer fe80::1ff:fe23:4567:890a gone", "peer {address} gone"),
        ("upstream fares.example.test:8080 down", "upstream {address} down"),
        ("asked https://fares.example.test/quote?berth=3.", "asked {address}."),
        ("mail to ferry@pier.example.test bounced", "mail to {address} bounced"),
        ("wrote /var/lib/ferry/a.log (3 entries)", "wrote {path} ({number} entries)"),
        ("trace 4bf92f35-77b3-4da6-a3ce-929d0e0e4736 ends", "trace {id} ends"),
        ("sha deadbeefcafe and d86f", "sha {id} and {id}"),
        ("thread-pool-3 on node12", "thread-pool-{number} on node{number}"),
        ("at Hold.java:42", "at Hold.java:{number}"),
        ("ids 1, 2, 3 are gone", "ids {number},… are gone"),
        ("ids 1, 2 are gone", "ids {number},… are gone"),
        ("got {\"a\": 1, \"b\": [2]} back", "got {data} back"),
        ("items [a, b, c] and [gate]", "items {data} and [gate]"),
        ("args {} and []", "args {data} and {data}"),
        ("don't stop 'the ferry' now", "don't stop {text} now"),
        ("a => b == c", "a => b == c"),
        ("retry(attempt=2,max=5)", "retry(attempt={number},max={number})"),
        ("password ***** refused", "password {hidden} refused"),
        ("1,250 seats at -5 °C", "{number} seats at {number} °C"),
        ("über 3 Brücken", "über {number} Brücken"),
        ("  two   blanks\tand a tab ", "two blanks and a tab"),
        ("first line\nsecond line", "first line"),
        ("ptr 0x7ffd1c", "ptr {id}"),
        ("<user>clerk</user> in", "<user>clerk</user> in"),
        ("", ""),
        ("\"", "\""),
        ("=", "="),
        ("x=", "x="),
        ("«", "«"),
    ] {
        assert_eq!(kind(text), want, "{text}");
    }
}

#[test]
fn a_kind_is_the_same_whatever_stands_in_its_holes() {
    let ways = [
        ["hold h-5512 placed for «card·4e» in 12 ms", "hold h-7 placed for «card·91» in 5000 ms"],
        ["order 7f3a9c21 paid", "order 01hx8a9d paid"],
        ["lock on 10.0.0.1:80", "lock on 192.168.100.200:65000"],
    ];
    for [one, other] in ways {
        assert_eq!(kind(one), kind(other));
    }
}

#[test]
fn entries_are_of_a_kind_by_their_words() {
    for (pattern, text, want) in [
        ("user {word} left", "user alice left", true),
        ("user {word} left", "user bob7 left", true),
        ("user {word} left", "user alice came", false),
        ("user {word} left", "user alice, left", false),
        ("user {word}, left", "user alice, left", true),
        ("hold {id} placed", "hold 12345678 placed", true),
        ("hold {number} placed", "hold 7f3a9c21 placed", false),
        ("seat for {hidden} held", "seat for A. Fennimore held", true),
        ("seat for {hidden} held", "seat for held", false),
        ("seat for {hidden}", "seat for A. Fennimore held", true),
        ("set password={hidden}, now", "set password=gull, now", true),
        ("set password={hidden}, now", "set word=gull, now", false),
        ("weight={value} kg", "weight=12 kg", true),
        ("weight={value} kg", "weight=\"a b\" kg", true),
        ("weight={value} kg", "weight kg", false),
        ("weight={number} kg", "weight=none kg", false),
        ("load {value} is high", "load unknown is high", true),
        ("load {value} is high", "load 12 is low", false),
        ("hold h-{value} lost", "hold h-12 lost", true),
        ("hold h-{id} lost", "hold h-12 lost", true),
        ("hold h-{number} lost", "hold h-f00dfeed lost", false),
        ("({value}) read", "(3KiB) read", true),
        ("({value}) read", "3KiB read", false),
        ("GET /holds/{id}", "GET /holds/12", true),
        ("seat {Seat} held", "seat 12 held", false),
        ("waited {duration} for it", "waited 12 ms for it", true),
        ("{word}", "alice", false),
        ("{number}", "12", true),
        ("", "", true),
        ("", "a", false),
    ] {
        assert_eq!(Pattern::new(pattern).fits(&kind(text)), want, "{pattern} {text}");
    }
}

proptest::proptest! {
    /// Every byte sequence has a kind, bounded in length, that its own pattern fits.
    #[test]
    fn any_text_has_a_kind(text in ".{0,400}") {
        let kind = kind(&text);
        proptest::prop_assert!(kind.len() < 2_000);
        proptest::prop_assert!(Pattern::new(&kind).fits(&kind));
    }

    #[test]
    fn signs_and_quotes_in_any_order_have_a_kind(parts in proptest::collection::vec(proptest::sample::select(vec![
        "\"", "'", "`", "«", "»", "{", "}", "[", "]", "(", ")", "=", ",", ";", ":", ".", "/", " ", "a", "gate", "7", "12.5", "é", "·", "\\", "://", "@",
        "-", "%", "0x", "ms", "GET ", "T", "\u{2028}",
    ]), 0..30)) {
        let kind = kind(&parts.concat());
        proptest::prop_assert!(Pattern::new(&kind).fits(&kind));
    }
}
