use cribrum_core::{chart::Ask, entry::Level, tally::Measure};

use super::*;

fn words(names: &[&str]) -> ChartWords {
    ChartWords {
        title: "A <made-up> hour".into(),
        lines: vec!["60 entries".into(), "level ≥ debug".into()],
        axis: "entries".into(),
        names: names.iter().map(|name| (*name).to_owned()).collect(),
        zone: TimeZone::UTC,
        value: |value, _| format!("{value:.3}"),
        span: |nanos| format!("{} s", nanos / 1_000_000_000),
    }
}

fn chart(ask: Ask, figures: Figures<Anyone>) -> Chart<Anyone> {
    Chart {
        ask,
        figures,
        unit: Unit::Seconds,
        entries: 60,
        left_out: 0,
        without: 0,
        undrawn: 0,
        rest: Vec::new(),
        unread: 0,
    }
}

fn slices(count: usize) -> Slices {
    Slices { start: 0, width: 60_000_000_000, count }
}

fn levels(counts: &[[u64; 2]]) -> Figures<Anyone> {
    let series = |at: usize, level| Series {
        label: Label::Level(Some(level)),
        counts: counts.iter().map(|pair| pair[at]).collect(),
    };
    Figures::Stacked(slices(counts.len()), vec![series(0, Level::Info), series(1, Level::Error)])
}

fn sketch(values: &[f64]) -> Sketch {
    let mut sketch = Sketch::default();
    values.iter().for_each(|value| sketch.add(*value));
    sketch
}

fn all() -> Vec<(Chart<Anyone>, ChartWords)> {
    let values = vec![
        sketch(&[0.01, 0.02, 0.5]),
        Sketch::default(),
        sketch(&[0.3; 4]),
        sketch(&[0.02, 8.0]),
    ];
    let bar = |count, values: &[f64]| Bar {
        label: Label::Side(0),
        count,
        errors: count / 3,
        values: sketch(values),
    };
    let bars = || Figures::Bars(vec![bar(30, &[0.5]), bar(7, &[0.1, 0.2])]);
    let two = || {
        let series = |label, counts: &[u64]| Series { label, counts: counts.to_vec() };
        vec![series(Label::Pan, &[1, 0, 2]), series(Label::Everything, &[4, 0, 2])]
    };
    let sides =
        Box::new([cribrum_core::compare::Side::Pan, cribrum_core::compare::Side::Everything]);
    vec![
        (chart(Ask::Volume, levels(&[[3, 1], [0, 0], [7, 2]])), words(&["info", "error"])),
        (chart(Ask::Rate, Figures::Lines(slices(3), two())), words(&["pan", "everything"])),
        (chart(Ask::Overlay(sides), Figures::Lines(slices(3), two())), words(&["from", "with"])),
        (
            chart(Ask::Quantiles(Measure::Took), Figures::Values(slices(4), values.clone())),
            words(&[]),
        ),
        (chart(Ask::Heat(Measure::Took), Figures::Values(slices(4), values)), words(&[])),
        (
            chart(Ask::Spread(Measure::Took), Figures::Spread(sketch(&[0.01, 0.02, 0.02, 4.0]))),
            words(&[]),
        ),
        (chart(Ask::Bars(cribrum_core::tally::By::Kind, None), bars()), words(&["one", "two"])),
        (
            chart(Ask::Bars(cribrum_core::tally::By::Kind, Some(Measure::Took)), bars()),
            words(&["one", "two"]),
        ),
    ]
}

fn number(shape: &str, name: &str) -> f64 {
    let from = shape.split(&format!(" {name}=\"")).nth(1).unwrap();
    from.split('"').next().unwrap().parse().unwrap()
}

#[test]
fn bars_are_as_high_as_their_counts() {
    let counts: Vec<[u64; 2]> = (0..60).map(|minute| [minute, minute + 1]).collect();
    let plate = ChartPlate::new(
        &chart(Ask::Volume, levels(&counts)),
        words(&["info", "error"]),
        Palette::Chalk,
        None,
    );
    let svg = String::from_utf8(plate.render(Format::Svg).unwrap()).unwrap();
    let mut area = 0.0;
    for rect in svg.lines().filter(|line| line.starts_with("<rect")).skip(1) {
        let (x, top, height) = (number(rect, "x"), number(rect, "y"), number(rect, "height"));
        if top < BOTTOM {
            assert!(
                (LEFT..=RIGHT).contains(&x) && top >= TOP - 0.1 && top + height <= BOTTOM + 0.1,
                "{rect}"
            );
            area += height;
        }
    }
    // The fullest has 119 entries, so the axis goes up to 150.
    let total: u64 = counts.iter().flatten().sum();
    #[expect(clippy::cast_precision_loss, reason = "a sum of a few")]
    let want = (BOTTOM - TOP) * total as f64 / 150.0;
    assert!((area - want).abs() < want * 0.02, "{area} for {want}");
    for text in
        [">00:10<", ">entries<", ">times in UTC<", ">level ≥ debug<", "A &lt;made-up&gt; hour"]
    {
        assert!(svg.contains(text), "{text}");
    }
}

#[test]
fn every_chart_stays_on_its_page_in_both_palettes_and_forms() {
    for (chart, words) in all() {
        for palette in [Palette::Chalk, Palette::Dusk] {
            for log in [None, Some(true), Some(false)] {
                let plate = ChartPlate::new(&chart, words.clone(), palette, log);
                let svg = String::from_utf8(plate.render(Format::Svg).unwrap()).unwrap();
                assert!(
                    svg.contains(palette.colours().paper) && !svg.contains("NaN"),
                    "{:?}",
                    chart.ask
                );
                for rect in svg.lines().filter(|line| line.starts_with("<rect")) {
                    let (x, top) = (number(rect, "x"), number(rect, "y"));
                    let (right, bottom) = (x + number(rect, "width"), top + number(rect, "height"));
                    assert!(
                        x >= 0.0 && top >= 0.0 && right <= WIDTH + 0.1 && bottom <= HEIGHT + 0.1,
                        "{rect}"
                    );
                }
                let shapes = svg.matches("<rect").count() + svg.matches("<line").count();
                assert!(shapes >= 3, "something is drawn of {:?}", chart.ask);
                let pdf = plate.render(Format::Pdf).unwrap();
                assert!(
                    pdf.starts_with(b"%PDF-") && pdf.windows(6).any(|window| window == b"DejaVu")
                );
            }
        }
    }
}

#[test]
fn a_chart_of_nothing_can_be_drawn() {
    let nothing = [
        (Ask::Volume, Figures::Stacked(Slices::default(), Vec::new())),
        (Ask::Rate, Figures::Lines(Slices::default(), Vec::new())),
        (Ask::Quantiles(Measure::Took), Figures::Values(slices(2), vec![Sketch::default(); 2])),
        (Ask::Heat(Measure::Took), Figures::Values(Slices::default(), Vec::new())),
        (Ask::Spread(Measure::Took), Figures::Spread(Sketch::default())),
        (Ask::Bars(cribrum_core::tally::By::Kind, None), Figures::Bars(Vec::new())),
    ];
    for (ask, figures) in nothing {
        for format in [Format::Svg, Format::Pdf] {
            let plate = ChartPlate::new(
                &chart(ask.clone(), figures.clone()),
                words(&[]),
                Palette::Chalk,
                None,
            );
            assert!(!plate.render(format).unwrap().is_empty());
        }
    }
    for (name, want) in
        [("a.svg", Some(Format::Svg)), ("a.PDF", Some(Format::Pdf)), ("a.png", None), ("svg", None)]
    {
        assert_eq!(Format::of(std::path::Path::new(name)), want, "{name}");
    }
}
