//! Reading, following and sifting.

use std::fs;

use cribrum_core::{
    engine::{Lens, Pass, Snapshot, pan_over_time},
    entry::Level,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
};

use crate::{Intake, line, messages, wait};

fn sieve(texts: &[&str], snapshot: &Snapshot) -> Sieve {
    let context =
        Context { zone: None, last: snapshot.span().map(|(_, last)| last), ..Context::default() };
    let mesh = |text: &&str| Mesh::of(Expr::parse(text, &context).unwrap());
    Sieve { meshes: texts.iter().map(mesh).collect() }
}

#[test]
fn sources_come_in_one_order_of_time() {
    let intake = Intake::new(&[
        ("a.log", &[line("06:41:03", "info", "three"), line("06:41:01", "info", "one")].concat()),
        ("b.log", "2026-03-14 06:41:02 WARN two\n2026-03-14 06:41:04 ERROR four\n  at X\n"),
        ("c.log", ""),
        ("d.log", "no time at all\n2026-03-14 06:41:05 five\nnor here"),
    ]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!(messages(&snapshot), ["one", "two", "three", "four", "no time at all", "five"]);
    assert_eq!(snapshot.funnel.poured, 6);
    let status = &snapshot.status[3];
    assert_eq!((status.entries(), status.understood()), (2, 1), "text goes on to its next line");
    let last = snapshot.pan.get(5).unwrap();
    assert_eq!((snapshot.line(last).unwrap(), snapshot.row(last).unwrap().lines), (2, 2));
    assert_eq!(snapshot.row_of(last), 5);
    let times: Vec<_> = snapshot.pan.iter_from(0).map(|id| snapshot.time(id)).collect();
    assert!(times.is_sorted());
}

#[test]
fn the_sieve_makes_the_pan() {
    let levels = ["debug", "info", "warn", "error"];
    let text: String = (0..40)
        .map(|at| line(&format!("06:41:{at:02}"), levels[at % 4], &format!("m{at}")))
        .collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!(snapshot.pan.len(), 40);
    let mut wanted = sieve(&["time in 06:41:10..06:41:19", "not m13"], &snapshot);
    wanted.set_floor(Some(Level::Info));
    engine.set_sieve(wanted.clone());
    let done = |sieve: Sieve| move |s: &Snapshot| s.sieve == sieve && s.settled();
    let snapshot = wait(&engine, "the sieve", done(wanted.clone()));
    assert_eq!(messages(&snapshot), ["m10", "m11", "m14", "m15", "m17", "m18", "m19"]);
    let left: Vec<usize> = snapshot.funnel.rows.iter().map(|row| row.left).collect();
    assert_eq!(left, [30, 8, 7]);
    assert_eq!(snapshot.volume.total(), 29, "the rail leaves the window out, and nothing else");
    wanted.meshes[1].on = false;
    engine.set_sieve(wanted.clone());
    let snapshot = wait(&engine, "the window off", done(wanted.clone()));
    assert_eq!(snapshot.pan.len(), 29);
    let nothing = sieve(&["level >= error", "m2"], &snapshot);
    engine.set_sieve(nothing.clone());
    let snapshot = wait(&engine, "an empty pan", done(nothing));
    let back: Vec<usize> = snapshot.funnel.rows.iter().map(|row| row.gives_back).collect();
    assert_eq!((snapshot.pan.len(), back), (2, vec![0, 0]), "m23 and m27 are errors");
}

#[test]
fn lenses_look_beside_the_sieve() {
    let intake = Intake::new(&[(
        "a.log",
        &[
            line("06:41:01", "info", "one hold"),
            line("06:41:02", "warn", "two"),
            line("06:41:03", "warn", "three hold"),
        ]
        .concat(),
    )]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    engine.set_sieve(sieve(&["level >= warn"], &snapshot));
    engine.set_lens(Lens::Find, Some(Expr::Word("hold".into())));
    let snapshot = wait(&engine, "the lens", |s| {
        s.pan.len() == 2 && s.lens(Lens::Find).is_some_and(|lens| lens.done)
    });
    let lens = snapshot.lens(Lens::Find).unwrap();
    assert_eq!((lens.count, lens.in_pan, snapshot.sources_in(lens)), (2, 1, 1));
    assert_eq!(snapshot.next_found(lens, 0, true), Some(1));
    assert_eq!(snapshot.next_found(lens, 1, true), Some(1), "it goes round");
    assert_eq!(snapshot.next_found(lens, 1, false), Some(1));
    engine.set_lens(Lens::Find, None);
    wait(&engine, "no lens", |s| s.lens(Lens::Find).is_none());
}

#[test]
fn a_file_that_grows_is_followed() {
    let intake = Intake::new(&[("a.log", &line("06:41:01", "info", "one"))]);
    let engine = intake.engine(true);
    wait(&engine, "the first", |s| s.pan.len() == 1);
    // Half a line is an entry of its own until the rest comes.
    let second = line("06:41:02", "warn", "two");
    let (half, rest) = second.split_at(20);
    intake.append("a.log", half);
    wait(&engine, "half a line", |s| s.pan.len() == 2);
    intake.append("a.log", rest);
    let snapshot = wait(&engine, "the whole line", |s| messages(s) == ["one", "two"]);
    assert_eq!(snapshot.status[0].levels, [0, 0, 1, 1, 0, 0]);
    engine.set_sieve(sieve(&["not three"], &snapshot));
    wait(&engine, "the sieve", |s| s.sieve.meshes.len() == 1 && s.settled());
    intake.append("a.log", &line("06:41:03", "info", "three"));
    intake.append("a.log", &line("06:41:00", "info", "late"));
    wait(&engine, "a late arrival in its place", |s| messages(s) == ["late", "one", "two"]);
    let snapshot = wait(&engine, "all of it", |s| s.order.len() == 4 && s.settled());
    assert_eq!(snapshot.funnel.rows[0].held, 1);
}

#[test]
fn a_file_cut_short_or_replaced_goes_on() {
    let intake = Intake::new(&[("a.log", &line("06:41:01", "info", "one"))]);
    let engine = intake.engine(true);
    wait(&engine, "the first", |s| s.pan.len() == 1);
    // Replaced: what the old file held can still be read.
    fs::rename(intake.path("a.log"), intake.path("a.log.1")).unwrap();
    fs::write(intake.path("a.log"), line("06:41:02", "info", "two")).unwrap();
    wait(&engine, "both files", |s| messages(s) == ["one", "two"]);
    // Truncated: what was shown can still be read, and what may be missing is told.
    fs::write(intake.path("a.log"), "").unwrap();
    wait(&engine, "the truncation", |s| s.status[0].notes.iter().any(|note| note.lossy));
    intake.append("a.log", &line("06:41:03", "info", "three"));
    let snapshot = wait(&engine, "what came after", |s| s.pan.len() == 3);
    assert_eq!(messages(&snapshot), ["one", "two", "three"]);
}

#[test]
fn large_files_are_read_in_pieces() {
    // Three chunks, a trace across each of their borders, and a line longer than a chunk.
    let mut text = String::new();
    let mut entries = 0;
    while text.len() < 3 << 20 {
        let clock =
            format!("{:02}:{:02}:{:02}", entries / 3_600 % 24, entries / 60 % 60, entries % 60);
        text.push_str(&format!("2026-03-14 {clock} ERROR x: failed {entries}\n"));
        for frame in 0..9 {
            text.push_str(&format!("    at Frame.number{frame} (deep/in/the/code:{frame})\n"));
        }
        entries += 1;
    }
    text.push_str(&format!("2026-03-14 23:59:58 INFO long {}\n", "x".repeat(3 << 20)));
    text.push_str("2026-03-14 23:59:59 INFO last");
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!(snapshot.pan.len(), entries + 2);
    assert_eq!(snapshot.status[0].understood(), entries + 2);
    for (row, id) in snapshot.pan.iter_from(0).enumerate().take(entries) {
        if row % 500 == 0 || row + 1 == entries {
            let shown = snapshot.row(id).unwrap();
            let (first, lines) = (snapshot.line(id).unwrap(), shown.lines);
            let number: u64 = shown.message.as_str().rsplit(' ').next().unwrap().parse().unwrap();
            assert_eq!((first, lines), (number * 10 + 1, 10), "{shown:?}");
        }
    }
    let long = snapshot.row(snapshot.pan.get(entries).unwrap()).unwrap();
    assert!(long.cut && long.message.as_str().len() < 100_000, "a row reads little of a long line");
    assert_eq!(messages(&snapshot).last().unwrap(), "last");
}

#[test]
fn hostile_bytes_are_entries_like_any_other() {
    let intake = Intake::new(&[("good.log", &line("06:41:01", "info", "fine"))]);
    let mut bytes = b"2026-03-14 06:41:02 ERROR x: \x1b]0;owned\x07 \xff\xfe nul\0 end\n".to_vec();
    bytes.extend(b"\xf0\x28\x8c\x28 not text\n{\"half\":\n");
    fs::write(intake.path("bad.log"), &bytes).unwrap();
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!(snapshot.pan.len(), 2, "the text entry goes on until another begins");
    for id in snapshot.pan.iter_from(0) {
        let raw = snapshot.raw(id).unwrap();
        assert!(!raw.for_terminal().contains(['\x1b', '\x07', '\0']), "{raw}");
    }
    let shown = snapshot.inspect(snapshot.pan.get(1).unwrap()).unwrap();
    assert_eq!(shown.body.unwrap().as_str(), "\u{fffd}(\u{fffd}( not text\n{\"half\":");
}

#[test]
fn short_lines_by_the_hundred_thousand() {
    // More entries than one block holds, in fewer bytes than one chunk.
    let count = 200_000;
    let text: String = (0..count).map(|number| format!("{}\n", number % 10)).collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!((snapshot.pan.len(), snapshot.status[0].understood()), (count, 0));
    for row in [0, 1, 65_535, 65_536, 131_072, count - 1] {
        let id = snapshot.pan.get(row).unwrap();
        assert_eq!(snapshot.row(id).unwrap().message.as_str(), (row % 10).to_string());
        assert_eq!(snapshot.line(id).unwrap(), row as u64 + 1);
        assert_eq!(snapshot.row_of(id), row);
    }
    engine.set_sieve(sieve(&["7"], &snapshot));
    let snapshot = wait(&engine, "the sieve", |s| s.sieve.meshes.len() == 1 && s.settled());
    assert_eq!(snapshot.pan.len(), count / 10);
}

#[test]
fn a_sieve_changed_while_it_is_computed_ends_as_asked() {
    let text: String = (0..60_000)
        .map(|at| {
            line(&format!("06:{:02}:{:02}", at / 1_000, at % 60), "info", &format!("number {at}"))
        })
        .collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(true);
    let snapshot = wait(&engine, "the first entries", |s| !s.pan.is_empty());
    for number in 0..30 {
        engine.set_sieve(sieve(&[&format!("message ~ \"{number}$\"")], &snapshot));
        engine.set_lens(Lens::Sift, Some(Expr::Word(format!("{number}"))));
    }
    engine.set_lens(Lens::Sift, None);
    let last = sieve(&["message ~ \"77$\""], &snapshot);
    engine.set_sieve(last.clone());
    let snapshot = wait(&engine, "the last one", |s| s.sieve == last && s.settled());
    assert_eq!((snapshot.pan.len(), snapshot.order.len()), (600, 60_000));
}

#[test]
fn a_file_that_cannot_be_opened_is_told_and_the_others_are_read() {
    let intake = Intake::new(&[("a.log", &line("06:41:01", "info", "one")), ("b.log", "two\n")]);
    let found = cribrum_core::ingest::discover(&[intake.folder.path().to_owned()]);
    fs::remove_file(intake.path("b.log")).unwrap();
    let engine = cribrum_core::engine::Engine::start(
        found,
        cribrum_core::engine::Options {
            follow: true,
            eager: true,
            volume: true,
            ..Default::default()
        },
        cribrum_core::veil::Veil::new([7; 16]),
        || {},
    )
    .unwrap();
    let snapshot = wait(&engine, "the other", |s| s.pan.len() == 1);
    assert!(snapshot.status[1].problem.as_ref().unwrap().contains("waiting for it"));
    // It comes back.
    fs::write(intake.path("b.log"), line("06:41:02", "info", "two")).unwrap();
    let snapshot = wait(&engine, "its return", |s| s.pan.len() == 2);
    assert_eq!(
        (messages(&snapshot), &snapshot.status[1].problem),
        (vec!["one".into(), "two".into()], &None)
    );
}

#[test]
fn rows_and_times_lead_to_each_other() {
    let text: String =
        (0..50).map(|at| line(&format!("06:41:{at:02}"), "info", &format!("m{at}"))).collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let (first, last) = snapshot.span().unwrap();
    assert_eq!((last - first) / 1_000_000_000, 49);
    assert_eq!(snapshot.row_at(first), 0);
    assert_eq!(snapshot.row_at(first + 10_500_000_000), 11);
    assert_eq!(snapshot.row_at(last + 1), 50);
    let volume = pan_over_time(&snapshot, 10, &Pass::default()).unwrap();
    assert_eq!((volume.total(), volume.slices.len(), volume.peak()), (50, 10, 5));
}

#[test]
fn a_lens_follows_what_arrives() {
    let intake = Intake::new(&[("a.log", &line("06:41:01", "info", "one hold"))]);
    let engine = intake.engine(true);
    engine.set_lens(Lens::Find, Some(Expr::Word("hold".into())));
    let count = |s: &Snapshot| s.lens(Lens::Find).map_or(0, |lens| lens.count);
    wait(&engine, "the first", |s| count(s) == 1);
    for second in 2..8 {
        intake.append("a.log", &line(&format!("06:41:0{second}"), "info", "another hold"));
    }
    let snapshot = wait(&engine, "the others", |s| count(s) == 7 && s.settled());
    let lens = snapshot.lens(Lens::Find).unwrap();
    assert!(snapshot.pan.iter_from(0).all(|id| lens.has(id)));
    assert_eq!(snapshot.next_found(lens, 0, false), Some(6), "before the first comes the last");
}

#[test]
fn levels_are_counted_as_they_were_written() {
    let intake = Intake::new(&[(
        "a.log",
        "{\"level\":\"SEVERE\",\"msg\":\"a\"}\n{\"level\":50,\"msg\":\"b\"}\n{\"lvl\":\"W\",\"msg\":\"c\"}\n\
         {\"level\":\"loud\",\"msg\":\"d\"}\n{\"msg\":\"e\"}\n",
    )]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let status = &snapshot.status[0];
    assert_eq!((status.levels, status.unlevelled), ([0, 0, 0, 1, 2, 0], 2));
    let raw: Vec<Option<String>> = snapshot
        .pan
        .iter_from(0)
        .map(|id| snapshot.row(id).unwrap().level_raw.map(|raw| raw.to_string()))
        .collect();
    assert_eq!(
        raw,
        ["SEVERE", "50", "W", "loud"]
            .map(|raw| Some(raw.to_owned()))
            .into_iter()
            .chain([None])
            .collect::<Vec<_>>()
    );
    // A floor holds back what has no level, and says how many.
    let mut floored = Sieve::default();
    floored.set_floor(Some(Level::Warn));
    engine.set_sieve(floored.clone());
    let snapshot = wait(&engine, "the floor", |s| s.sieve == floored && s.settled());
    assert_eq!((snapshot.pan.len(), snapshot.funnel.rows[0].unlevelled), (3, 2));
    floored.toggle_unlevelled();
    engine.set_sieve(floored.clone());
    let snapshot = wait(&engine, "all of them", |s| s.sieve == floored && s.settled());
    assert_eq!(snapshot.pan.len(), 5);
}
