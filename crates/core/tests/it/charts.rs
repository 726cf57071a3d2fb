//! The figures of charts, held against what was written.

use cribrum_core::{
    chart::{Ask, Chart, Figures, Label, SERIES, Series, Slices},
    compare::Side,
    engine::{Engine, Pass, Snapshot},
    entry::{Level, rfc3339},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    tally::{By, Key, Measure, Sketch, Unit},
    veil::{Anyone, Desk},
};
use proptest::prelude::*;

use crate::{Intake, wait};

/// 2026-03-14T06:41:00Z in milliseconds.
const START: i64 = 1_773_470_460_000;

/// What an entry was told to say: when, as which level, with which status, and how long it took in milliseconds.
type Told = (i64, bool, u16, u32);

fn write(told: &Told) -> String {
    let (millis, failed, status, took) = told;
    let time = rfc3339((START + millis) * 1_000_000, 3);
    let level = if *failed { "error" } else { "info" };
    format!(
        "{{\"time\":\"{time}\",\"level\":\"{level}\",\"msg\":\"answered\",\"status\":{status},\"took_ms\":{took}}}\n"
    )
}

fn poured(all: &[Told]) -> (Intake, Engine) {
    let text: String = all.iter().map(write).collect();
    let intake = Intake::new(&[("gate.jsonl", &text)]);
    let engine = intake.engine(false);
    (intake, engine)
}

fn loaded(engine: &Engine, entries: usize) -> std::sync::Arc<Snapshot> {
    wait(engine, "all entries", |s| s.settled() && s.order.len() == entries)
}

fn chart(snapshot: &Snapshot, ask: &Ask) -> Chart<Desk> {
    Chart::of(snapshot, ask, 24, &Pass::default()).unwrap()
}

/// In which slice an entry lies.
fn slice_of(told: &Told, slices: Slices) -> usize {
    let at = ((START + told.0) * 1_000_000 - slices.start) / slices.width;
    usize::try_from(at).unwrap()
}

/// How many of some entries lie in each slice.
fn counted<'t>(all: impl Iterator<Item = &'t Told>, slices: Slices) -> Vec<u64> {
    let mut counts = vec![0; slices.count];
    all.for_each(|told| counts[slice_of(told, slices)] += 1);
    counts
}

fn series<'s>(all: &'s [Series<Desk>], label: &Label<Desk>) -> Option<&'s Vec<u64>> {
    all.iter().find(|one| one.label == *label).map(|one| &one.counts)
}

/// Whether a quantile of a sketch is that of some values, within one per cent.
fn is_near(values: &Sketch, mut written: Vec<f64>, share: f64) -> bool {
    written.sort_by(f64::total_cmp);
    #[expect(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a rank among a few"
    )]
    let rank = ((written.len() as f64 * share).ceil() as usize).clamp(1, written.len());
    let want = written[rank - 1];
    values.quantile(share).is_some_and(|got| (got - want).abs() <= 0.01 * want + 1e-12)
}

fn seconds<'t>(all: impl Iterator<Item = &'t Told>) -> Vec<f64> {
    all.map(|told| f64::from(told.3) / 1_000.0).collect()
}

fn told() -> impl Strategy<Value = Told> {
    (0i64..900_000, any::<bool>(), 200u16..212, 1u32..9_000)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Levels, groups, quantiles and bars have the figures that were written, at any number of slices.
    #[test]
    fn figures_are_those_that_were_written(all in proptest::collection::vec(told(), 1..120)) {
        let (_intake, engine) = poured(&all);
        let snapshot = loaded(&engine, all.len());
        let by_level = chart(&snapshot, &Ask::Volume);
        let Figures::Stacked(slices, levels) = &by_level.figures else { panic!("{by_level:?}") };
        prop_assert!(slices.count <= 24);
        for (level, failed) in [(Level::Info, false), (Level::Error, true)] {
            let want = counted(all.iter().filter(|told| told.1 == failed), *slices);
            let none = vec![0; slices.count];
            let got = series(levels, &Label::Level(Some(level))).unwrap_or(&none);
            prop_assert_eq!(got, &want);
        }
        // The largest groups apart, the others as one: nothing is lost.
        let by_status = chart(&snapshot, &Ask::Groups(By::field("status")));
        let Figures::Stacked(slices, groups) = &by_status.figures else { panic!("{by_status:?}") };
        prop_assert!(groups.len() <= SERIES + 1);
        prop_assert_eq!(groups.iter().map(Series::total).sum::<u64>(), all.len() as u64);
        for one in groups {
            let Label::Key(_, Key::Text(text)) = &one.label else { continue };
            let status: u16 = text.as_str().parse().unwrap();
            prop_assert_eq!(&one.counts, &counted(all.iter().filter(|told| told.2 == status), *slices));
        }
        // Values in slices, and all of them.
        let over = chart(&snapshot, &Ask::Quantiles(Measure::Took));
        let Figures::Values(slices, values) = &over.figures else { panic!("{over:?}") };
        prop_assert_eq!(over.unit, Unit::Seconds);
        for (at, values) in values.iter().enumerate() {
            let written = seconds(all.iter().filter(|told| slice_of(told, *slices) == at));
            prop_assert_eq!(values.count, written.len() as u64);
            prop_assert!(written.is_empty() || is_near(values, written, 0.95));
        }
        let coarse = over.coarser(5);
        let Figures::Values(_, some) = &coarse.figures else { panic!("{coarse:?}") };
        prop_assert!(some.len() <= 5);
        prop_assert_eq!(some.iter().map(|values| values.count).sum::<u64>(), all.len() as u64);
        let spread = chart(&snapshot, &Ask::Spread(Measure::Took));
        let Figures::Spread(values) = &spread.figures else { panic!("{spread:?}") };
        for share in [0.5, 0.95, 0.99] {
            prop_assert!(is_near(values, seconds(all.iter()), share), "{}", share);
        }
        prop_assert_eq!(values.histogram_evenly((values.min, values.max), 9).iter().sum::<u64>(), all.len() as u64);
    }

    /// Two windows laid over each other each begin at their own first entry, and lose none.
    #[test]
    fn windows_begin_at_their_own_time(
        all in proptest::collection::vec(told(), 2..80),
        cut in 100_000i64..800_000,
    ) {
        let (_intake, engine) = poured(&all);
        let snapshot = loaded(&engine, all.len());
        let moment = rfc3339((START + cut) * 1_000_000, 3);
        let side = |sign: &str| {
            let text = format!("time {sign} \"{moment}\"");
            Side::Where(Expr::parse(&text, &Context::default()).unwrap())
        };
        let ask = Ask::Overlay(Box::new([side("<"), side(">=")]));
        let chart = chart(&snapshot, &ask);
        let Figures::Lines(slices, lines) = &chart.figures else { panic!("{chart:?}") };
        for (at, line) in lines.iter().enumerate() {
            let of = || all.iter().filter(|told| usize::from(told.0 >= cut) == at);
            // The first window has no beginning, and begins with its first entry; the second begins where it says.
            let first = if at == 0 { of().map(|told| told.0).min() } else { Some(cut) };
            let mut want = vec![0_u64; slices.count];
            for told in of() {
                let since = (told.0 - first.unwrap()) * 1_000_000;
                want[usize::try_from(since / slices.width).unwrap()] += 1;
            }
            prop_assert_eq!(&line.counts, &want);
            prop_assert_eq!(&line.label, &Label::Side(at));
        }
    }
}

#[test]
fn a_share_is_of_everything_and_bars_are_in_their_order() {
    let mut all: Vec<Told> = (0..60).map(|at| (at * 1_000, at % 10 == 0, 200, 20)).collect();
    all.extend((0..20).map(|at| (at * 3_000, false, 503, 4_000)));
    all.extend((0..5).map(|at| (at * 9_000, false, 404, 1)));
    let (_intake, engine) = poured(&all);
    loaded(&engine, all.len());
    let errors = Expr::parse("status >= 500", &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(errors)] };
    engine.set_sieve(sieve.clone());
    let snapshot = wait(&engine, "errors", |s| s.sieve == sieve && s.settled());
    let share = chart(&snapshot, &Ask::Rate);
    let Figures::Lines(_, lines) = &share.figures else { panic!("{share:?}") };
    let totals: Vec<u64> = lines.iter().map(Series::total).collect();
    assert_eq!((totals, lines[0].label == Label::Pan), (vec![20, 85], true));
    engine.set_sieve(Sieve::default());
    let snapshot = wait(&engine, "all again", |s| s.sieve == Sieve::default() && s.settled());
    let names = |ask: &Ask| -> Vec<(String, u64, u64)> {
        let chart = chart(&snapshot, ask);
        let Figures::Bars(bars) = &chart.figures else { panic!("{chart:?}") };
        bars.iter()
            .map(|bar| match &bar.label {
                Label::Key(_, Key::Text(text)) => (text.to_string(), bar.count, bar.errors),
                other => panic!("{other:?}"),
            })
            .collect()
    };
    let status = || By::field("status");
    let bar = |name: &str, count, errors| (name.to_owned(), count, errors);
    let by_count = [bar("200", 60, 6), bar("503", 20, 0), bar("404", 5, 0)];
    assert_eq!(names(&Ask::Bars(status(), None)), by_count);
    let by_took: Vec<String> =
        names(&Ask::Bars(status(), Some(Measure::Took))).into_iter().map(|bar| bar.0).collect();
    assert_eq!(by_took, ["503", "200", "404"]);
    // What a bar and a level stand for, as conditions.
    let groups = chart(&snapshot, &Ask::Groups(status()));
    let Figures::Stacked(_, series) = &groups.figures else { panic!("{groups:?}") };
    let conditions: Vec<String> =
        series.iter().filter_map(|one| Some(one.label.condition(&snapshot)?.to_string())).collect();
    assert_eq!(conditions, ["status = 200", "status = 503", "status = 404"]);
    let level = Label::<Desk>::Level(Some(Level::Error)).condition(&snapshot).unwrap();
    assert_eq!(level.to_string(), "level = error");
    assert_eq!(Label::<Desk>::Everything.condition(&snapshot), None);
}

#[test]
fn what_is_not_there_is_an_empty_chart_and_is_counted() {
    let text = "{\"time\":\"2026-03-14T06:41:00Z\",\"level\":\"info\",\"msg\":\"a\",\"size\":\"large\"}\n\
                {\"time\":\"2026-03-14T06:42:00Z\",\"level\":\"info\",\"msg\":\"b\",\"size\":\"12\",\"user\":\"ada\"}\n";
    let intake = Intake::new(&[("gate.jsonl", text)]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 2);
    let of = |name: &str| Measure::parse(name).unwrap();
    let nothing = chart(&snapshot, &Ask::Quantiles(of("nobody")));
    assert!(nothing.is_empty() && nothing.entries == 2, "{nothing:?}");
    assert!(chart(&snapshot, &Ask::Groups(By::field("nobody"))).is_empty());
    let sizes = chart(&snapshot, &Ask::Spread(of("size")));
    assert_eq!((sizes.left_out, sizes.is_empty()), (1, false));
    let users = chart(&snapshot, &Ask::Groups(By::field("user")));
    assert_eq!((users.without, users.is_empty()), (1, false));
    assert_eq!(users.coarser(1).slices().unwrap().count, 1);
    // Charts that suit what there is.
    let suited = Ask::suited(&["path", "status"], true, true);
    assert!(
        suited.contains(&Ask::Groups(By::field("status")))
            && suited.contains(&Ask::Spread(Measure::Took))
    );
    assert!(suited.contains(&Ask::Bars(By::field("path"), Some(Measure::Took))));
    let suited = Ask::suited(&[], false, false);
    assert!(suited.iter().all(|ask| ask.measure().is_none()), "{suited:?}");
}

#[test]
fn one_entry_and_none_can_be_drawn() {
    let (_intake, engine) = poured(&[(0, true, 500, 7)]);
    let snapshot = loaded(&engine, 1);
    let took = || Measure::Took;
    for ask in [
        Ask::Volume,
        Ask::Groups(By::Source),
        Ask::Rate,
        Ask::Quantiles(took()),
        Ask::Spread(took()),
        Ask::Bars(By::Kind, Some(took())),
        Ask::Heat(took()),
        Ask::Overlay(Box::new([Side::Pan, Side::Everything])),
    ] {
        let chart = chart(&snapshot, &ask);
        assert!(!chart.is_empty() && chart.unread == 0, "{chart:?}");
        assert!(chart.slices().is_none_or(|slices| slices.count == 1), "{chart:?}");
    }
    let none = Expr::parse("status = 1", &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(none)] };
    engine.set_sieve(sieve.clone());
    let snapshot = wait(&engine, "none", |s| s.sieve == sieve && s.settled());
    for ask in [Ask::Volume, Ask::Groups(By::Source), Ask::Quantiles(took()), Ask::Spread(took())] {
        let chart = Chart::<Anyone>::of(&snapshot, &ask, 24, &Pass::default()).unwrap();
        assert!(chart.is_empty(), "{chart:?}");
    }
}
