//! Passes over an intake that a test writes.

use std::io::Write as _;

use proptest::prelude::*;

use super::*;
use crate::{
    chart::{Ask, Chart},
    compare::{Comparison, Per, Side},
    engine::{Counts, Engine, Of, Options, pan_over_time},
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

/// Counts entries of blocks, and remembers how many entries were measured.
#[derive(Default)]
struct Looks(std::sync::atomic::AtomicUsize);

impl Fold for Looks {
    type Part = usize;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut usize) -> io::Result<()> {
        *part = entries.count();
        self.0.fetch_add(*part, Ordering::Relaxed);
        Ok(())
    }

    fn merge(&self, whole: &mut usize, part: usize) {
        *whole += part;
    }
}

#[test]
fn only_what_has_come_is_measured_again() {
    let lines: Vec<String> = (0..40_000)
        .map(|n| format!("2026-03-14 06:41:05,000 INFO harbour.berths - berth {n} is free again\n"))
        .collect();
    let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
    let mut intake = Intake::new(&lines);
    let snapshot = intake.loaded(40_000);
    assert!(snapshot.blocks.len() > 1, "the file has several blocks");
    let (looks, pass) = (Looks::default(), Pass::default());
    let mut growing = Growing::default();
    let mut extend = |snapshot: &Snapshot, of: &Selection| {
        let before = looks.0.load(Ordering::Relaxed);
        let measured = growing.extend(snapshot, &[of], &looks, &pass).unwrap();
        (measured.part, looks.0.load(Ordering::Relaxed) - before)
    };
    assert_eq!(extend(&snapshot, &Selection::all(&snapshot)), (40_000, 40_000));
    let last = snapshot.blocks.last().unwrap().len();
    assert_eq!(extend(&snapshot, &Selection::all(&snapshot)), (40_000, last), "what may grow");
    intake.file.as_file_mut().write_all(LINES[3].as_bytes()).unwrap();
    let snapshot = intake.loaded(40_001);
    let (count, looked) = extend(&snapshot, &Selection::all(&snapshot));
    assert_eq!(count, 40_001);
    assert!(looked <= last + 1, "{looked} entries were measured");
    // Another selection is measured anew.
    let few = Selection::of(&snapshot, snapshot.order.iter_from(1));
    assert_eq!(extend(&snapshot, &few), (40_000, 40_000));
}

#[test]
fn what_is_extended_is_what_is_counted_at_once() {
    let mut intake = Intake::new(&LINES[..2]);
    let pass = Pass::default();
    let question =
        Question { by: vec![By::Kind, By::field("berth")], of: None, different: None, origin: 0 };
    let mut tally = crate::tally::SoFar::<Anyone>::of(&question);
    let mut kinds = crate::kinds::SoFar::<Anyone>::default();
    let mut compared =
        crate::compare::SoFar::<Anyone>::of([Side::Pan, Side::Everything], Per::Entry);
    let asks = [
        Ask::Volume,
        Ask::Rate,
        Ask::Groups(By::field("berth")),
        Ask::Bars(By::Kind, None),
        Ask::Quantiles(Measure::Took),
        Ask::Spread(Measure::Took),
    ];
    let mut charts = asks.map(|ask| (ask.clone(), crate::chart::SoFar::<Anyone>::of(&ask)));
    for count in 2..=LINES.len() {
        let snapshot = intake.loaded(count);
        let extended = tally.extend(&snapshot, Of::All, &pass).unwrap();
        let anew = Tally::<Anyone>::of(&snapshot, Of::All, &question, &pass).unwrap();
        assert_eq!(format!("{:?}", extended.groups), format!("{:?}", anew.groups));
        let counts = |kinds: &Kinds<Anyone>| {
            let told = |kind: &crate::kinds::Kind<Anyone>| {
                (kind.text.as_str().to_owned(), kind.count, kind.curve.iter().sum::<u32>())
            };
            kinds.kinds.iter().map(told).collect::<Vec<_>>()
        };
        let extended = kinds.extend(&snapshot, Of::All, &pass).unwrap();
        assert_eq!(counts(&extended), counts(&Kinds::of(&snapshot, Of::All, &pass).unwrap()));
        let sides = [&Side::Pan, &Side::Everything];
        for (ask, chart) in &mut charts {
            let extended = chart.extend(&snapshot, 60, &pass).unwrap();
            assert_eq!(extended, Chart::of(&snapshot, ask, 60, &pass).unwrap(), "{ask:?}");
        }
        let extended = compared.extend(&snapshot, &pass).unwrap();
        let anew = Comparison::<Anyone>::of(&snapshot, sides, Per::Entry, &pass).unwrap();
        assert_eq!(format!("{:?}", extended.differences), format!("{:?}", anew.differences));
        if let Some(line) = LINES.get(count) {
            intake.file.as_file_mut().write_all(line.as_bytes()).unwrap();
        }
    }
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
            "{\"resourceSpans\":[{\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":{\"stringValue\":\"V\"}}]},\"scopeSpans\":[{\"scope\":{\"name\":\"deck\"},\"spans\":[{\"spanId\":\"00f067aa0ba902b7\",\"name\":\"seat 5\",\"startTimeUnixNano\":\"1773470462340000000\",\"endTimeUnixNano\":\"1773470462351000000\",\"kind\":2,\"status\":{\"code\":2},\"N\":\"V\",\"events\":[],\"attributes\":[{\"key\":\"berth\",\"value\":{\"stringValue\":\"V\"}},{\"key\":\"seats\",\"value\":{\"intValue\":\"42\"}}]},{\"name\":\"V\",\"startTimeUnixNano\":\"1773470462340000000\",\"N\":7,\"links\":[{\"traceId\":\"V\"}]}]}]}]}",
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
        let question = Question { by, of: Some(Measure::Took), different: None, origin: 0 };
        let tally = Tally::<Anyone>::of(&snapshot, Of::All, &question, &pass).unwrap();
        prop_assert_eq!(tally.unread, 0);
    }
}

#[test]
fn either_of_two_selections_is_all_of_both() {
    let of = |blocks: &[(usize, &[usize])]| Selection {
        blocks: blocks
            .iter()
            .map(|(number, indices)| {
                let mut bits = Bits::none(9);
                indices.iter().for_each(|index| bits.set(*index));
                (*number, Arc::new(bits))
            })
            .collect(),
    };
    type Made<'m> = &'m [(usize, &'m [usize])];
    let cases: [(Made<'_>, Made<'_>, Made<'_>); 5] = [
        (&[], &[], &[]),
        (&[(3, &[1])], &[], &[(3, &[1])]),
        (&[(0, &[1]), (4, &[2])], &[(4, &[2, 7])], &[(0, &[1]), (4, &[2, 7])]),
        (&[(5, &[0])], &[(1, &[8]), (9, &[3])], &[(1, &[8]), (5, &[0]), (9, &[3])]),
        (&[(2, &[4])], &[(2, &[4])], &[(2, &[4])]),
    ];
    for (one, two, both) in cases {
        assert_eq!(of(one).or(&of(two)).blocks, of(both).blocks);
        assert_eq!(of(two).or(&of(one)).blocks, of(both).blocks);
    }
}
