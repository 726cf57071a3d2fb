//! Entries over time, by level.

use cribrum_core::{
    engine::{Pass, Snapshot, pan_over_time},
    entry::{Level, civil},
    tally::count_text,
    volume::{Slice, Volume},
};
use jiff::tz::TimeZone;

use crate::{
    Error, Format,
    page::{Anchor, Page, Type},
    pdf, svg,
};

const WIDTH: f64 = 960.0;
const HEIGHT: f64 = 540.0;
const LEFT: f64 = 84.0;
const RIGHT: f64 = 920.0;
const TOP: f64 = 126.0;
const BOTTOM: f64 = 436.0;
/// Slices drawn at most; finer ones would be thinner than a printed line.
const SLICES: usize = 160;

const PAPER: &str = "#fbfaf7";
const INK: &str = "#22262b";
const DIM: &str = "#6b747c";
const RULE: &str = "#d9d7cf";
/// Entries without a level, then the levels from trace to fatal.
const COLOURS: [&str; 7] =
    ["#d3d1c8", "#b7bec4", "#8fa3b5", "#7d9c7a", "#d08a1d", "#c8432f", "#a3134f"];

/// A chart of entries over time, stacked by level.
#[derive(Clone)]
pub struct VolumePlate {
    title: String,
    conditions: Vec<String>,
    volume: Volume,
    zone: TimeZone,
    total: usize,
    poured: usize,
}

impl VolumePlate {
    /// A plate of the pan. `None` when the pass was ended.
    #[must_use]
    pub fn of(
        snapshot: &Snapshot,
        title: Option<String>,
        zone: Option<TimeZone>,
        pass: &Pass,
    ) -> Option<Self> {
        let volume = pan_over_time(snapshot, SLICES, pass)?;
        Some(Self {
            title: title.unwrap_or_else(|| "Entries over time".into()),
            conditions: snapshot
                .sieve
                .meshes
                .iter()
                .filter(|mesh| mesh.counts())
                .map(|mesh| snapshot.label_to_share(mesh).as_str().to_owned())
                .collect(),
            total: usize::try_from(volume.total()).unwrap_or(usize::MAX),
            volume,
            zone: zone.unwrap_or(TimeZone::UTC),
            poured: snapshot.order.len(),
        })
    }

    /// The counts that are drawn.
    #[must_use]
    pub fn volume(&self) -> &Volume {
        &self.volume
    }

    /// The plate as a file.
    ///
    /// # Errors
    ///
    /// When the PDF can't be made.
    pub fn render(&self, format: Format) -> Result<Vec<u8>, Error> {
        let page = self.page();
        match format {
            Format::Svg => Ok(svg::write(&page).into_bytes()),
            Format::Pdf => pdf::write(&page),
        }
    }

    fn page(&self) -> Page {
        let mut page = Page::new(WIDTH, HEIGHT, PAPER, &self.title);
        self.heading(&mut page);
        self.bars(&mut page);
        self.times(&mut page);
        self.legend(&mut page);
        page
    }

    fn heading(&self, page: &mut Page) {
        page.text(40.0, 48.0, style(22.0, INK, Anchor::Start), &self.title);
        let width = self.volume.width;
        let line = format!(
            "{} of {} entries · {} to {} · a bar is {}",
            count_text(self.total),
            count_text(self.poured),
            self.moment(self.volume.start),
            self.moment(self.volume.end()),
            span(width)
        );
        page.text(40.0, 72.0, style(12.0, DIM, Anchor::Start), &line);
        let conditions = match self.conditions.is_empty() {
            true => "everything that was poured in".to_owned(),
            false => self.conditions.join("  ·  "),
        };
        page.text(40.0, 92.0, style(12.0, DIM, Anchor::Start), &shortened(&conditions, 130));
    }

    fn bars(&self, page: &mut Page) {
        let peak = f64::from(self.volume.peak().max(1));
        let step = nice_step(peak / 4.0);
        let top = (peak / step).ceil() * step;
        let y = |count: f64| BOTTOM - (BOTTOM - TOP) * count / top;
        let mut tick = 0.0;
        while tick <= top + step / 2.0 {
            page.line((LEFT, y(tick)), (RIGHT, y(tick)), if tick == 0.0 { DIM } else { RULE });
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "a whole count"
            )]
            let label = count_text(tick as usize);
            page.text(LEFT - 10.0, y(tick) + 4.0, style(11.0, DIM, Anchor::End), &label);
            tick += step;
        }
        page.text(LEFT - 10.0, TOP - 12.0, style(11.0, DIM, Anchor::End), "entries");
        #[expect(clippy::cast_precision_loss, reason = "at most a few hundred slices")]
        let wide = (RIGHT - LEFT) / self.volume.slices.len().max(1) as f64;
        let mut x = LEFT;
        for slice in &self.volume.slices {
            let mut base = 0.0;
            for (count, colour) in counts(slice).into_iter().zip(COLOURS) {
                if count > 0 {
                    let next = base + f64::from(count);
                    let gap = if wide > 4.0 { 1.0 } else { 0.0 };
                    page.rect(x, y(next), wide - gap, y(base) - y(next), colour);
                    base = next;
                }
            }
            x += wide;
        }
    }

    fn times(&self, page: &mut Page) {
        let (start, end) = (self.volume.start, self.volume.end());
        #[expect(clippy::cast_precision_loss, reason = "a place on paper")]
        let x =
            |time: i64| LEFT + (RIGHT - LEFT) * (time - start) as f64 / (end - start).max(1) as f64;
        let ticks = Volume::over(start, end - 1, 9);
        let mut time = ticks.start;
        let fine = ticks.width < 60_000_000_000;
        let days = end - start > 2 * 86_400_000_000_000;
        while time <= end {
            if time >= start {
                page.line((x(time), BOTTOM), (x(time), BOTTOM + 6.0), DIM);
                let moment = civil(time, &self.zone);
                let label = match (days, fine) {
                    (true, _) => format!("{}", moment.strftime("%d %b %H:%M")),
                    (false, true) => format!("{}", moment.strftime("%H:%M:%S")),
                    (false, false) => format!("{}", moment.strftime("%H:%M")),
                };
                page.text(x(time), BOTTOM + 22.0, style(11.0, DIM, Anchor::Middle), &label);
            }
            time += ticks.width;
        }
        let zone = self.zone.iana_name().unwrap_or("local");
        page.text(RIGHT, BOTTOM + 42.0, style(11.0, DIM, Anchor::End), &format!("times in {zone}"));
    }

    fn legend(&self, page: &mut Page) {
        let mut sums = [0usize; 7];
        for slice in &self.volume.slices {
            for (sum, count) in sums.iter_mut().zip(counts(slice)) {
                *sum += usize::try_from(count).unwrap_or(0);
            }
        }
        let names = std::iter::once("no level").chain(Level::ALL.iter().map(|level| level.name()));
        let mut x = LEFT;
        for (at, (name, sum)) in names.zip(sums).enumerate() {
            if sum == 0 {
                continue;
            }
            // The swatch grows with severity, so that the order can be read without colour.
            let height = 3.0 + 1.8 * f64::from(u8::try_from(at).unwrap_or(0));
            page.rect(x, 500.0 - height, 10.0, height, COLOURS[at]);
            let label = format!("{name} {}", count_text(sum));
            page.text(x + 16.0, 499.0, style(12.0, INK, Anchor::Start), &label);
            #[expect(clippy::cast_precision_loss, reason = "a width on paper")]
            let advance = 44.0 + label.chars().count() as f64 * 7.4;
            x += advance;
        }
        page.text(RIGHT, 499.0, style(11.0, DIM, Anchor::End), "drawn with Cribrum");
    }

    fn moment(&self, time: i64) -> String {
        civil(time, &self.zone).strftime("%d %b %Y %H:%M:%S").to_string()
    }
}

fn style(size: f64, colour: &'static str, anchor: Anchor) -> Type {
    Type { size, colour, anchor }
}

fn counts(slice: &Slice) -> [u32; 7] {
    let mut all = [slice.none; 7];
    all[1..].copy_from_slice(&slice.levels);
    all
}

/// The next of 1, 2, 5, 10, … that is no smaller.
fn nice_step(least: f64) -> f64 {
    let mut scale = 1.0;
    loop {
        for factor in [1.0, 2.0, 5.0] {
            if scale * factor >= least {
                return scale * factor;
            }
        }
        scale *= 10.0;
    }
}

fn span(nanos: i64) -> String {
    let units = [
        (86_400_000_000_000, "d"),
        (3_600_000_000_000, "h"),
        (60_000_000_000, "min"),
        (1_000_000_000, "s"),
        (1_000_000, "ms"),
    ];
    units
        .iter()
        .find(|(unit, _)| nanos >= *unit && nanos % unit == 0)
        .map_or_else(|| format!("{nanos} ns"), |(unit, name)| format!("{} {name}", nanos / unit))
}

fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    text.chars().take(most - 1).chain(['…']).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_are_written_for_people() {
        assert_eq!(span(90_000_000_000), "90 s");
        assert_eq!(span(120_000_000_000), "2 min");
        for (least, want) in [(0.3, 1.0), (1.2, 2.0), (2.1, 5.0), (51.0, 100.0)] {
            assert!((nice_step(least) - want).abs() < 1e-9, "{least}");
        }
    }

    fn plate() -> VolumePlate {
        let mut volume = Volume::over(0, 3_600_000_000_000, 60);
        for minute in 0..60 {
            for at in 0..=minute {
                let level = Level::ALL[usize::try_from(at).unwrap() % 6];
                volume.count(minute * 60_000_000_000, Some(level));
            }
        }
        VolumePlate {
            title: "A <made-up> hour".into(),
            conditions: vec!["level ≥ debug".into()],
            total: usize::try_from(volume.total()).unwrap(),
            volume,
            zone: TimeZone::UTC,
            poured: 2_000,
        }
    }

    #[test]
    fn bars_are_as_high_as_their_counts() {
        let svg = String::from_utf8(plate().render(Format::Svg).unwrap()).unwrap();
        let number = |rect: &str, name: &str| -> f64 {
            let from = rect.split(&format!("{name}=\"")).nth(1).unwrap();
            from.split('"').next().unwrap().parse().unwrap()
        };
        // Bars stand within the axes and touch the one below.
        let mut area = 0.0;
        for rect in svg.lines().filter(|line| line.starts_with("<rect")).skip(1) {
            let (x, y, height) = (number(rect, "x"), number(rect, "y"), number(rect, "height"));
            if y < BOTTOM {
                assert!(
                    (LEFT..=RIGHT).contains(&x) && y >= TOP && y + height <= BOTTOM + 0.1,
                    "{rect}"
                );
                area += height;
            }
        }
        // The fullest bar has 119 entries, so the axis goes up to 150.
        let top = 150.0;
        let want = (BOTTOM - TOP) * f64::from(u32::try_from(plate().total).unwrap()) / top;
        assert!((area - want).abs() < want * 0.02, "{area} for {want}");
        for text in [">06:00<", ">00:10<", ">entries<", ">times in UTC<", "a bar is 2 min"] {
            let there = svg.contains(text);
            assert_eq!(there, text != ">06:00<", "{text}");
        }
    }

    #[test]
    fn an_hour_of_nothing_can_be_drawn() {
        let empty = VolumePlate { volume: Volume::default(), total: 0, poured: 0, ..plate() };
        for format in [Format::Svg, Format::Pdf] {
            assert!(!empty.render(format).unwrap().is_empty());
        }
        for (name, want) in [
            ("a.svg", Some(Format::Svg)),
            ("a.PDF", Some(Format::Pdf)),
            ("a.png", None),
            ("svg", None),
        ] {
            assert_eq!(Format::of(std::path::Path::new(name)), want, "{name}");
        }
    }

    #[test]
    fn a_plate_has_its_text_in_both_forms() {
        let svg = String::from_utf8(plate().render(Format::Svg).unwrap()).unwrap();
        assert!(svg.contains("A &lt;made-up&gt; hour") && svg.contains("level ≥ debug"));
        let pdf = plate().render(Format::Pdf).unwrap();
        assert!(pdf.starts_with(b"%PDF-"));
        let has_font = pdf.windows(6).any(|window| window == b"DejaVu");
        assert!(has_font, "the font is part of the file");
    }
}
