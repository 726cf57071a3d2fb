//! Passes over an intake that a test writes.

use std::io::Write as _;

use proptest::prelude::*;

use super::*;
use crate::{
    compare::{Comparison, Per, Side},
    engine::{Counting, Counts, Engine, Of, Options, pan_over_time},
    ingest,
    kinds::Kinds,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    tally::{By, Measure, Question, Tally},
    veil::{Anyone, Desk, Veil},
};

/// Lines of several layouts with a field of the same name.
const LINES: [&str; 7] = [
    "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"info\",\"msg\":\"a\",\"berth\":\"north\"}\n",
    "{\"time\":\"2026-03-14T06:41:03Z\",\"level\":\"warn\",\"msg\":\"b\",\"berth\":[\"north\",\"south\"]}\n",
    "time=2026-03-14T06:41:04Z level=info msg=c berth=north\n",
    "2026-03-14 06:41:05,000 INFO harbour.berths - free berth=south\n",
    "10.7.0.1 - - [14/Mar/2026:06:41:06 +0000] \"GET /b HTTP/1.1\" 200 9 \"-\" \"a\" berth=south\n",
    "{\"time\":\"2026-03-14T06:41:07Z\",\"level\":\"info\",\"msg\":\"d \\\"e\\\"\",\"berth\":\"n\\u006frth\"}\n",
    "{\"time\":\"2026-03-14T06:41:08Z\",\"level\":\"info\",\"password\":\"north\",\"berth\":\"north\"}\n",
];

struct Intake {
    file: tempfile::NamedTempFile,
    engine: Engine,
}

impl Intake {
    fn new(lines: &[&str]) -> Self {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(lines.concat().as_bytes()).unwrap();
        let found = ingest::discover(&[file.path().to_owned()]);
        let options = Options { follow: true, ..Options::default() };
        let engine = Engine::start(found, options, Veil::new([7; 16]), || {}).unwrap();
        Self { file, engine }
    }

    fn loaded(&self, entries: usize) -> Arc<Snapshot> {
        self.engine.wait(|snapshot| snapshot.order.len() == entries && snapshot.settled())
    }
}

fn told(counts: &Counts) -> Vec<String> {
    counts.sorted().iter().map(|(value, count)| format!("{value} {count}")).collect()
}

#[test]
fn values_are_counted_in_every_layout() {
    let intake = Intake::new(&LINES);
    let snapshot = intake.loaded(7);
    let counts = Counts::by(&snapshot, Of::All, "berth", &Pass::default()).unwrap();
    let hidden = counts.sorted().into_iter().find(|(value, _)| value.as_str().contains('«'));
    let (hidden, count) = hidden.unwrap();
    assert!(hidden.as_str().starts_with("«password·"), "a secret of its entry: {hidden}");
    assert_eq!(count, 1);
    let shown: Vec<String> = told(&counts).into_iter().filter(|line| !line.contains('«')).collect();
    assert_eq!(shown, ["north 4", "south 3"]);
    assert_eq!((counts.entries, counts.unread, counts.others), (7, 0, 0));
}

#[test]
fn what_is_left_is_measured() {
    let intake = Intake::new(&LINES);
    intake.loaded(7);
    let expr = Expr::parse("level = info", &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
    intake.engine.set_sieve(sieve.clone());
    let snapshot = intake.engine.wait(|s| s.sieve == sieve && s.settled());
    let counts = Counts::by(&snapshot, Of::Pan, "msg", &Pass::default()).unwrap();
    assert_eq!(told(&counts), ["a 1", "c 1", "d \"e\" 1"]);
    let volume = pan_over_time(&snapshot, 100, &Pass::default()).unwrap();
    assert_eq!((volume.total(), volume.slices.len() > 1), (snapshot.pan.len() as u64, true));
}

#[test]
fn only_blocks_that_have_changed_are_measured_again() {
    let mut intake = Intake::new(&LINES[..2]);
    let snapshot = intake.loaded(2);
    let mut counting = Counting::by("berth");
    let pass = Pass::default();
    let counts = counting.extend(&snapshot, Of::All, &pass).unwrap();
    assert_eq!(
        (told(&counts), pass.progress()),
        (vec!["north 2".into(), "south 1".into()], (1, 1))
    );
    counting.extend(&snapshot, Of::All, &pass).unwrap();
    assert_eq!(pass.progress(), (0, 0), "nothing has changed");
    intake.file.as_file_mut().write_all(LINES[2].as_bytes()).unwrap();
    let snapshot = intake.loaded(3);
    let counts = counting.extend(&snapshot, Of::All, &pass).unwrap();
    assert_eq!(told(&counts), ["north 3", "south 1"]);
}

#[test]
fn a_pass_that_nobody_waits_for_gives_nothing() {
    let intake = Intake::new(&LINES);
    let snapshot = intake.loaded(7);
    let latest = Latest::default();
    let (first, second) = (latest.begin(), latest.begin());
    assert!(Counts::by(&snapshot, Of::All, "berth", &first).is_none());
    assert!(Counts::by(&snapshot, Of::All, "berth", &second).is_some());
}

/// A measure that the program fails at.
struct Failing;

impl Fold for Failing {
    type Part = usize;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut usize) -> io::Result<()> {
        entries.each::<crate::veil::Desk>(&mut |_, entry, _| {
            *part += 1;
            assert!(!entry.raw.starts_with(b"time="), "on purpose");
        })
    }

    fn merge(&self, whole: &mut usize, part: usize) {
        *whole += part;
    }
}

#[test]
fn a_measure_that_fails_is_told() {
    let intake = Intake::new(&LINES);
    let snapshot = intake.loaded(7);
    let measured = run(&snapshot, &Selection::all(&snapshot), &Failing, &Pass::default()).unwrap();
    assert_eq!((measured.part, measured.of, measured.unread), (0, 7, 7));
}

/// Lines of several layouts, with names that layouts look at and values that are hard to tell apart.
fn line() -> impl Strategy<Value = String> {
    let name = proptest::sample::select(
        &[
            "msg",
            "level",
            "l",
            "id",
            "request_id",
            "note",
            "logger",
            "status",
            "message",
            "password",
        ][..],
    );
    let value = proptest::sample::select(
        &[
            "free",
            "",
            "-",
            "42",
            "a\\nb",
            "north 4",
            "say \\\"hi\\\"",
            "a, berth: 4, id: 7",
            "x |url: y|id: 5",
        ][..],
    );
    let form = proptest::sample::select(
        &[
            "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"warn\",\"msg\":\"say \\\"hi\\\"\",\"N\":\"V\",\"in\":{\"N\":\"V\"}}",
            "{\"ts\":\"2026-03-14T06:41:02Z\",\"N\":\"V\",\"message\":\"seat 5\",\"tags\":[{\"N\":\"V\"}]}",
            "{\"__REALTIME_TIMESTAMP\":\"1773470462340123\",\"PRIORITY\":\"3\",\"N\":\"V\",\"MESSAGE\":\"a\"}",
            "time=2026-03-14T06:41:04Z level=info msg=\"seat 5\" N=\"V\" logger=deck",
            "2026-03-14 06:41:05,000 INFO harbour.berths - seat 5 V N=V",
            "2026-03-14 06:41:05,000 user@db LOG:  seat 5 V (harbour.server.Berths)",
            "10.7.0.1 - - [14/Mar/2026:06:41:06 +0000] \"GET /b/5 HTTP/1.1\" 200 9 \"V\" \"a\" N=V",
        ][..],
    );
    (form, name, value).prop_map(|(form, name, value)| {
        format!(
            "{}\n",
            form.replace("N\"", &format!("{name}\""))
                .replace("N=", &format!("{name}="))
                .replace('V', value)
        )
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    // What is told by a look is held against reading in full while it is measured: what differs can't be read.
    #[test]
    fn what_is_told_by_a_look_is_what_reading_tells(lines in proptest::collection::vec(line(), 1..24)) {
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let intake = Intake::new(&lines);
        let snapshot = intake.engine.wait(Snapshot::settled);
        let entries = snapshot.order.len();
        let pass = Pass::default();
        let sides = [&Side::Pan, &Side::Everything];
        let compared = Comparison::<Desk>::of(&snapshot, sides, Per::Entry, &pass).unwrap();
        prop_assert_eq!(compared.unread, 0);
        let kinds = Kinds::<Anyone>::of(&snapshot, Of::All, &pass).unwrap();
        prop_assert_eq!(kinds.unread, 0);
        let counted = kinds.kinds.iter().map(|kind| kind.count).sum::<u64>() + kinds.without;
        prop_assert_eq!(counted, entries as u64);
        let by = vec![By::Logger, By::Kind, By::field("note")];
        let question = Question { by, of: Some(Measure::Took), different: None };
        let tally = Tally::<Anyone>::of(&snapshot, Of::All, &question, &pass).unwrap();
        prop_assert_eq!(tally.unread, 0);
    }
}
