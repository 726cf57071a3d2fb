//! One id through several sources.

use cribrum_core::{
    engine::{Engine, Lens, Pass, Snapshot},
    entry::Level,
    query::Expr,
    trail::{Trail, Tree, neighbours, resolve, shortened},
    veil::Desk,
};

use crate::{Intake, wait};

const ID: &str = "7f3a9c21e0b4d86f";

/// The trail of an id among what the lens has found.
fn built(snapshot: &Snapshot, id: &str) -> Trail {
    let lens = snapshot.lens(Lens::Trail).unwrap();
    let named = resolve(snapshot, lens.ids(), id, None).unwrap();
    Trail::build(snapshot, lens, &[named[0].key], &Pass::default()).unwrap()
}

fn intake() -> Intake {
    let gate = format!(
        "10.7.0.12 - - [14/Mar/2026:06:41:02.118 +0000] \"POST /seats HTTP/1.1\" 504 9 \"-\" \"a\" request_id={ID} took=8.214s\n\
         10.7.0.12 - - [14/Mar/2026:06:41:02.119 +0000] \"GET / HTTP/1.1\" 200 9 \"-\" \"a\" request_id=aaaa9c21e0b40000 took=1s\n"
    );
    let booking = format!(
        "{{\"time\":\"2026-03-14T06:41:02.131Z\",\"level\":\"info\",\"msg\":\"hold requested\",\"request_id\":\"{ID}\"}}\n"
    );
    let payments = format!(
        "2026-03-14 06:41:10,204 ERROR x - no answer request_id={ID}\n  at A\n\
         2026-03-14 06:41:10,205 INFO x - request_id={ID}0 is another\n\
         2026-03-14 06:41:11,000 WARN x - about {ID} in prose\n"
    );
    Intake::new(&[("gate.log", &gate), ("booking.log", &booking), ("payments.log", &payments)])
}

/// The names of the lanes.
fn lanes(trail: &Trail) -> Vec<String> {
    trail.lanes.iter().map(|lane| lane.name.to_string()).collect()
}

/// The kinds and the texts of the ids that are followed.
fn followed(trail: &Trail) -> Vec<(&'static str, String)> {
    trail.ids.iter().map(|id| (id.kind, id.text.to_string())).collect()
}

fn look(engine: &Engine, expr: Expr) -> std::sync::Arc<Snapshot> {
    let text = expr.to_string();
    engine.set_lens(Lens::Trail, Some(expr));
    wait(engine, "the lens", |s| {
        s.loaded() && s.lens(Lens::Trail).is_some_and(|lens| lens.done && lens.text == text)
    })
}

#[test]
fn steps_have_lanes_offsets_and_gaps() {
    let intake = intake();
    let engine = intake.engine(false);
    let snapshot = look(&engine, Expr::Id(ID.into()));
    let trail = built(&snapshot, ID);
    assert_eq!(lanes(&trail), ["gate", "booking", "payments"]);
    let milli = 1_000_000;
    let steps: Vec<_> =
        trail.steps.iter().map(|s| (s.lane, s.at / milli, s.gap / milli, s.entry.lines)).collect();
    assert_eq!(steps, [(0, 0, 0, 1), (1, 13, 13, 1), (2, 8_086, 8_073, 2), (2, 8_882, 796, 1)]);
    assert_eq!(
        trail.steps[0].span,
        Some((0, 8_214 * milli)),
        "the request came in, then the others"
    );
    assert_eq!(followed(&trail), [("request_id", ID.to_owned())]);
    assert_eq!((trail.longest, trail.answer), (Some(2), Some(0)));
    assert_eq!((trail.duration / milli, trail.after()), (8_214, 1), "until the answer");
    assert_eq!((trail.count(Level::Error), trail.gone), (2, 0));
}

#[test]
fn a_short_id_is_enough_where_one_fits() {
    let intake = intake();
    let engine = intake.engine(false);
    for (text, want) in [
        ("d86f", vec![ID]),
        ("7f3a9c21", vec![ID, "7f3a9c21e0b4d86f0"]),
        (ID, vec![ID]),
        ("aaaa", vec!["aaaa9c21e0b40000"]),
        ("beef", vec![]),
    ] {
        let snapshot = look(&engine, Expr::Word(text.into()));
        let found =
            resolve(&snapshot, snapshot.lens(Lens::Trail).unwrap().ids(), text, None).unwrap();
        let mut found: Vec<String> = found.into_iter().map(|id| id.text).collect();
        found.sort();
        assert_eq!(found, want, "{text}");
    }
}

#[test]
fn a_server_that_stamps_the_end_of_a_request_is_seen_through() {
    let gate = format!(
        "10.7.0.12 - - [14/Mar/2026:06:41:10.300 +0000] \"POST /seats HTTP/1.1\" 504 9 \"-\" \"a\" request_id={ID} took=8.200s\n"
    );
    let booking: String = ["02.131", "04.000", "10.299"]
        .iter()
        .map(|clock| format!("{{\"time\":\"2026-03-14T06:41:{clock}Z\",\"msg\":\"x\",\"request_id\":\"{ID}\",\"took\":\"3s\"}}\n"))
        .collect();
    let intake = Intake::new(&[("gate.log", &gate), ("booking.log", &booking)]);
    let engine = intake.engine(false);
    let snapshot = look(&engine, Expr::Id(ID.into()));
    let trail = built(&snapshot, ID);
    let milli = 1_000_000;
    let last = trail.steps.last().unwrap();
    assert_eq!((last.at / milli, last.span), (8_200, Some((0, 8_200 * milli))));
    let first = &trail.steps[0];
    assert_eq!(
        (first.at / milli, first.span),
        (31, Some((0, 31 * milli))),
        "no step begins before the request"
    );
    assert_eq!(trail.duration / milli, 8_200);
}

#[test]
fn an_id_that_is_a_secret_is_followed_by_its_stand_in() {
    let lines: String = ["01", "02"]
        .iter()
        .map(|second| {
            format!("time=2026-03-14T06:41:{second}Z level=info msg=x session=4000001234567899\n")
        })
        .collect();
    let intake = Intake::new(&[("a.log", &lines), ("b.log", &lines.replace("899", "907"))]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let expr = snapshot.id_expr(snapshot.pan.get(0).unwrap(), None).unwrap().unwrap();
    let text = expr.to_string();
    assert!(text.contains("«card·") && !text.contains("4000001234567899"), "{text}");
    let Expr::Id(id) = expr.clone() else { panic!("{expr:?}") };
    let snapshot = look(&engine, expr);
    let trail = built(&snapshot, &id);
    assert_eq!(followed(&trail), [("session", id)]);
    assert_eq!((trail.steps.len(), trail.lanes.len()), (2, 1));
}

#[test]
fn an_entry_cut_away_is_counted_as_gone() {
    let intake = intake();
    let engine = intake.engine(false);
    let snapshot = look(&engine, Expr::Id(ID.into()));
    let key = built(&snapshot, ID).ids[0].key;
    std::fs::write(intake.path("booking.log"), "").unwrap();
    let lens = snapshot.lens(Lens::Trail).unwrap();
    let trail = Trail::<Desk>::build(&snapshot, lens, &[key], &Pass::default()).unwrap();
    assert_eq!((trail.steps.len(), trail.gone), (3, 1));
}

fn identified(engine: &Engine, entries: usize) -> std::sync::Arc<Snapshot> {
    wait(engine, "ids", |s| s.settled() && s.is_related() && s.order.len() == entries)
}

/// The key of an id under a kind, by an entry that has it.
fn key_of(snapshot: &Snapshot, text: &str) -> (cribrum_core::entry::IdKey, &'static str) {
    let mut ids = snapshot.order.iter_from(0).flat_map(|id| snapshot.ids_of::<Desk>(id).unwrap());
    let id = ids.find(|id| id.text.as_str() == text).unwrap();
    (id.key, id.kind)
}

#[test]
fn a_shortened_id_joins_the_whole_one_where_only_one_fits() {
    let entry = |second: u32, message: &str, id: &str| {
        format!("2026-03-14 06:41:{second:02} INFO {message} request_id={id}\n")
    };
    let other = "11119c21e0b4aaaa";
    let gate = [entry(1, "asked", ID), entry(2, "asked", other), entry(5, "answered", ID)].concat();
    // The end of one, the beginning of it, the beginning of both, and one of nobody.
    let deck =
        [entry(3, "seated", "d86f"), entry(3, "boarded", "7f3a9c21"), entry(4, "lost", "beef0")]
            .concat();
    let intake = Intake::new(&[("gate.log", &gate), ("deck.log", &deck)]);
    let engine = intake.engine(false);
    let snapshot = identified(&engine, 6);
    let (key, kind) = key_of(&snapshot, ID);
    let found = shortened::<Desk>(&snapshot, key, kind, &Pass::default()).unwrap();
    let told: Vec<(String, usize, usize)> =
        found.iter().map(|s| (s.id.text.to_string(), s.entries, s.others)).collect();
    assert_eq!(told, [("d86f".to_owned(), 1, 0), ("7f3a9c21".to_owned(), 1, 0)]);
    let writings: Vec<_> = found.iter().map(|s| s.id.key).collect();
    let trail: Trail = Trail::follow_with(&snapshot, &[key], &writings, &Pass::default()).unwrap();
    let messages = trail.steps.iter().map(|step| step.entry.message.to_string());
    let first = |message: String| message.split(' ').next().unwrap().to_owned();
    assert_eq!(messages.map(first).collect::<Vec<_>>(), ["asked", "seated", "boarded", "answered"]);
    assert_eq!(followed(&trail), [("request_id", ID.to_owned())]);
    // Where two fit, both are told.
    intake.append("gate.log", &entry(6, "asked", "22229c21e0b4d86f"));
    let engine = intake.engine(false);
    let snapshot = identified(&engine, 7);
    let found = shortened::<Desk>(&snapshot, key, kind, &Pass::default()).unwrap();
    assert_eq!(found[0].others, 1);
}

#[test]
fn what_stands_between_two_steps_of_a_thread_is_a_neighbour() {
    let text = format!(
        "2026-03-14 06:41:01 INFO [http-1] asked request_id={ID}\n\
         2026-03-14 06:41:02 INFO [http-1] seats counted\n\
         2026-03-14 06:41:02 INFO [http-2] seats counted\n\
         2026-03-14 06:41:03 INFO [http-1] other request_id=11119c21e0b4aaaa\n\
         2026-03-14 06:41:04 INFO [http-1] answered request_id={ID}\n\
         2026-03-14 06:41:05 INFO [http-1] idle\n"
    );
    let intake = Intake::new(&[("gate.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = identified(&engine, 6);
    let (key, _) = key_of(&snapshot, ID);
    let trail: Trail = Trail::follow(&snapshot, &[key], &Pass::default()).unwrap();
    let found = neighbours(&snapshot, &trail, &Pass::default()).unwrap();
    let told: Vec<_> =
        found.iter().map(|n| (n.before, n.at / 1_000_000, n.entry.message.as_str())).collect();
    assert_eq!(told, [(1, 1_000, "seats counted")]);
    assert_eq!(snapshot.line(found[0].entry.id).unwrap(), 2);
}

/// The tree of a trail: depth, what it says or the name of its span, how long it took and how much of that itself.
fn tree_of(trail: &Trail) -> Vec<String> {
    let tree = Tree::of(trail).unwrap();
    let nodes = tree.nodes.iter().map(|node| {
        let entry = &trail.steps[node.step].entry;
        let name = match entry.closes_span() {
            true => entry.spans().pop().unwrap(),
            false => entry.message.to_string(),
        };
        let ms = |nanos: Option<i64>| nanos.map_or(-1, |nanos| nanos / 1_000_000);
        let slow = if node.slowest { "*" } else { "" };
        format!("{}{name}{slow} {} {}", "-".repeat(node.depth), ms(node.took), ms(node.own))
    });
    nodes.collect()
}

#[test]
fn spans_that_texts_open_and_close_stand_in_a_tree() {
    let front = |millis: u32| {
        format!("2026-03-14T06:41:02.{millis:03}000Z  INFO request{{method=POST request_id={ID}}}:")
    };
    let text = [
        format!("{} booking::http: new\n", front(0)),
        format!("{}place{{seats=2}}: booking::holds: enter\n", front(10)),
        format!("{}place{{seats=2}}: booking::holds: hold placed\n", front(20)),
        format!(
            "{}place{{seats=2}}: booking::holds: close time.busy=15.0ms time.idle=5.00ms\n",
            front(30)
        ),
        format!("{}charge: booking::pay: close time.busy=1.20ms time.idle=7.80ms\n", front(40)),
        format!("{} booking::http: close time.busy=30.0ms time.idle=30.0ms\n", front(60)),
    ]
    .concat();
    let names = |name: &str| format!("\"span\":{{\"name\":\"{name}\"}}");
    let object = |millis: u32, name: &str, message: &str, spans: &str| {
        format!(
            "{{\"timestamp\":\"2026-03-14T06:41:02.{millis:03}000Z\",\"level\":\"INFO\",\"fields\":{{{message}}},{},\
             \"spans\":[{{\"request_id\":\"{ID}\",\"name\":\"request\"}}{spans}]}}\n",
            names(name)
        )
    };
    let closes = |busy: &str| {
        format!("\"message\":\"close\",\"time.busy\":\"{busy}\",\"time.idle\":\"5.00ms\"")
    };
    let objects = [
        object(30, "place", &closes("15.0ms"), ",{\"name\":\"place\"}"),
        object(60, "request", &closes("55.0ms"), ""),
    ]
    .concat();
    for (text, want) in [
        (
            &text,
            vec![
                "request* 60 31",
                "-new -1 -1",
                "-place 20 20",
                "--enter -1 -1",
                "--hold placed -1 -1",
                "-charge* 9 9",
            ],
        ),
        (&objects, vec!["request* 60 40", "-place* 20 20"]),
    ] {
        let intake = Intake::new(&[("booking.log", text)]);
        let engine = intake.engine(false);
        let snapshot = identified(&engine, text.lines().count());
        let (key, _) = key_of(&snapshot, ID);
        let trail: Trail = Trail::follow(&snapshot, &[key], &Pass::default()).unwrap();
        assert_eq!(tree_of(&trail), want);
        assert_eq!(trail.duration / 1_000_000, 60);
    }
}
