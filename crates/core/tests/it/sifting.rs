//! Sieves that move with what arrives, and those beside the pan.

use cribrum_core::{
    engine::{Cause, Engine, Pass, Remedy, Snapshot, Survey, diagnose},
    entry::Level,
    query::{Context, Expr, Path},
    sieve::{Mesh, Sieve},
};

use crate::{Intake, line, messages, wait};

fn expr(text: &str, snapshot: &Snapshot) -> Expr {
    let last = snapshot.span().map(|(_, last)| last);
    Expr::parse(text, &Context { last, ..Context::default() }).unwrap()
}

/// What is left when a sieve has done its work.
fn left(engine: &Engine, sieve: &Sieve) -> Vec<String> {
    engine.set_sieve(sieve.clone());
    messages(&wait(engine, "the sieve", |s| s.sieve == *sieve && s.settled()))
}

#[test]
fn a_sweep_goes_by_arrival_not_by_time() {
    let intake = Intake::new(&[("a.log", &line("06:41:05", "info", "old"))]);
    let engine = intake.engine(true);
    let snapshot = wait(&engine, "the first", |s| s.pan.len() == 1 && s.settled());
    let mut sieve = Sieve::default();
    sieve.sweep(snapshot.arrival(1));
    assert_eq!(left(&engine, &sieve), [""; 0]);
    // It comes later and says that it happened before.
    intake.append("a.log", &line("06:41:01", "info", "late"));
    intake.append("a.log", &line("06:41:09", "warn", "new"));
    let snapshot = wait(&engine, "what arrived", |s| s.pan.len() == 2 && s.settled());
    assert_eq!(messages(&snapshot), ["late", "new"]);
    let (all, whole) = (snapshot.arrival(2), snapshot.arrival_but_last(2));
    assert_eq!(snapshot.arrived_between(&all, &all), []);
    assert_eq!(snapshot.arrived_between(&whole, &all), [snapshot.pan.get(1).unwrap()]);
    assert_eq!(whole.or_later(&all), all);
    sieve.sweep(snapshot.arrival(3));
    assert_eq!(left(&engine, &sieve), [""; 0]);
    assert_eq!(left(&engine, &Sieve::default()), ["late", "old", "new"], "nothing is lost");
}

#[test]
fn a_window_that_counts_from_the_end_moves_with_it() {
    let intake = Intake::new(&[(
        "a.log",
        &[line("06:41:01", "info", "one"), line("06:41:09", "info", "two")].concat(),
    )]);
    let engine = intake.engine(true);
    let snapshot = wait(&engine, "both", |s| s.pan.len() == 2 && s.settled());
    let sieve = Sieve { meshes: vec![Mesh::of(expr("time >= -5s", &snapshot))] };
    assert_eq!(left(&engine, &sieve), ["two"]);
    intake.append("a.log", &line("06:41:13", "info", "three"));
    wait(&engine, "the third", |s| messages(s) == ["two", "three"]);
    intake.append("a.log", &line("06:41:15", "info", "four"));
    let snapshot = wait(&engine, "the second gone", |s| messages(s) == ["three", "four"]);
    assert_eq!(snapshot.funnel.rows[0].left, 2);
}

#[test]
fn other_sieves_are_counted_beside_the_pan() {
    let intake = Intake::new(&[(
        "a.log",
        &[
            line("06:41:01", "warn", "seat hold"),
            line("06:41:02", "info", "seat sold"),
            line("06:41:03", "warn", "crossing full"),
        ]
        .concat(),
    )]);
    let engine = intake.engine(true);
    let snapshot = wait(&engine, "all", |s| s.pan.len() == 3 && s.settled());
    let mut warn = Sieve::default();
    warn.set_floor(Some(Level::Warn));
    let mut both = warn.clone();
    both.meshes.push(Mesh::of(expr("seat", &snapshot)));
    engine.set_beside(vec![warn.clone(), both.clone(), Sieve::default()]);
    let snapshot = wait(&engine, "the counts", |s| s.beside.len() == 3 && s.settled());
    assert_eq!(snapshot.beside.iter().map(|view| view.left).collect::<Vec<_>>(), [2, 1, 3]);
    assert_eq!((snapshot.beside[1].last, snapshot.pan.len()), (snapshot.order.get(0), 3));
    intake.append("a.log", &line("06:41:04", "error", "no seat"));
    let more = wait(&engine, "one more", |s| s.beside[1].left == 2);
    assert_eq!((&more.beside[1].sieve, more.beside[1].last), (&both, more.order.get(3)));
    engine.set_beside(Vec::new());
    wait(&engine, "none", |s| s.beside.is_empty());
}

#[test]
fn the_rail_can_show_a_part_of_the_time() {
    let text: String = (0..50).map(|at| line(&format!("06:41:{at:02}"), "info", "x")).collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "all", |s| s.volume.total() == 50 && s.settled());
    let start = snapshot.span().unwrap().0;
    let second = 1_000_000_000;
    engine.set_span(Some((start + 10 * second, start + 19 * second)));
    let snapshot = wait(&engine, "the part", |s| s.volume.total() == 10);
    assert_eq!(
        (snapshot.volume.start, snapshot.volume.end()),
        (start + 10 * second, start + 19 * second + second / 10)
    );
    assert_eq!(snapshot.pan.len(), 50, "only the rail");
    engine.set_span(None);
    wait(&engine, "all of it", |s| s.volume.total() == 50);
}

#[test]
fn a_survey_counts_names_and_values_under_the_veil() {
    let text = "{\"level\":\"info\",\"msg\":\"a\",\"user\":{\"id\":\"u-1\"},\"password\":\"gull-tide-1\",\"tags\":[\"x\",\"x\",\"y\"]}\n\
        {\"level\":\"warn\",\"msg\":\"b\",\"logger\":\"booking\",\"user\":{\"id\":\"u-1\"},\"ok\":true}\n";
    let intake = Intake::new(&[("a.log", text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "both", |s| s.pan.len() == 2 && s.settled());
    let told = |survey: Survey| -> Vec<String> {
        survey.found.iter().map(|(text, count)| format!("{text} {count}")).collect()
    };
    let names = Survey::names(&snapshot, &Pass::default()).unwrap();
    assert!(names.is_whole());
    assert_eq!(told(names), ["user.id 2", "user_id 2", "ok 1", "password 1", "tags 1"]);
    let values =
        |path: &str| told(Survey::values(&snapshot, &Path::of(path), &Pass::default()).unwrap());
    assert_eq!(values("user.id"), ["u-1 2"]);
    assert_eq!(values("tags"), ["x 1", "y 1"]);
    assert_eq!(values("ok"), ["true 1"]);
    assert_eq!(values("logger"), ["booking 1"]);
    assert_eq!(values("level"), ["info 1", "warn 1"]);
    assert_eq!(values("source"), ["a 2"]);
    assert!(values("password")[0].starts_with("«password·"), "{:?}", values("password"));
}

#[test]
fn an_empty_pan_explains_itself() {
    let lines = [
        "{\"time\":\"2026-03-14T06:41:01Z\",\"level\":\"info\",\"msg\":\"a\",\"status\":503,\"state\":\"ready\"}\n",
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"warn\",\"msg\":\"b\",\"status\":200,\"state\":\"open\"}\n",
    ];
    let intake = Intake::new(&[("a.log", &lines.concat()), ("b.log", "no level here\n")]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "all", |s| s.pan.len() == 3 && s.settled());
    let explain = |texts: &[&str]| {
        let meshes = texts.iter().map(|text| Mesh::of(expr(text, &snapshot))).collect();
        let sieve = Sieve { meshes };
        assert_eq!(left(&engine, &sieve), [""; 0], "{texts:?}");
        let empty = wait(&engine, "the sieve", |s| s.sieve == sieve && s.settled());
        let findings = diagnose(&empty, &Pass::default()).unwrap();
        let told = findings.into_iter().skip(1).map(|finding| {
            let cause = match finding.cause {
                Cause::NoField(name, looked) => format!("no field {name} in {looked}"),
                Cause::NoValue { path, value, occur, .. } => {
                    format!("no {path} {value} but {}", occur.first().map_or("-", |v| v.as_str()))
                }
                Cause::NeverBelow(source, level) => format!("{source:?} never below {level}"),
                Cause::Outside(..) => "outside".into(),
                Cause::TookTheLast(count) => format!("off gives {count}"),
                Cause::NoLevels(count) => format!("{count} without a level"),
            };
            let remedy = finding.remedy.map(|(remedy, sieve)| match remedy {
                Remedy::Rewrite => sieve.meshes[finding.mesh].to_string(),
                other => format!("{other:?}"),
            });
            format!("{cause} → {}", remedy.unwrap_or_default())
        });
        told.collect::<Vec<String>>()
    };
    assert_eq!(
        explain(&["stauts = 503"]),
        ["no field stauts in 3 → status = 503", "off gives 3 → Off(3)"]
    );
    assert_eq!(explain(&["state = reddy"])[0], "no state reddy but open → state = ready");
    assert_eq!(explain(&["source = c"])[0], "no source c but a → source = a");
    assert_eq!(explain(&["state:ready"])[0], "no message state:ready but - → state = ready");
    assert_eq!(explain(&["level = debug"])[0], "None never below info → ");
    assert_eq!(explain(&["time > 09:00"])[0], "outside → ");
    assert_eq!(
        explain(&["level >= warn", "state = ready"]),
        ["off gives 1 → Off(1)", "off gives 1 → Off(1)"]
    );
}
