//! Passes over an intake that a test writes.

use std::io::Write as _;

use super::*;
use crate::{
    engine::{Counting, Counts, Engine, Of, Options, pan_over_time},
    ingest,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    veil::Veil,
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
