//! The trail of an id on a page of A4: lanes, time downwards, waits, and what is unusual.

use cribrum_core::{
    entry::Level,
    trail::{Step, Trail, Usual},
    veil::Anyone,
};

use crate::{
    Error, Format, Palette,
    page::{Anchor, Page, Type},
    palette::Colours,
    pdf, svg,
};

/// A4 in points (ISO 216).
const WIDTH: f64 = 595.0;
const HEIGHT: f64 = 842.0;
const MARGIN: f64 = 36.0;
const RIGHT: f64 = WIDTH - MARGIN;
/// Where the lanes begin.
const LANES: f64 = 150.0;
const ROW: f64 = 14.0;
const SIZE: f64 = 8.5;
/// The part of its size that a letter is wide, as a rule.
const LETTER: f64 = 0.56;
/// Lines that a page has room for.
const MOST: usize = 47;

/// How a plate writes figures and what is unusual: as commands and screens do.
#[derive(Clone, Debug)]
pub struct Words {
    /// What is followed: `request_id 7f3a9c21e0b4d86f`.
    pub title: String,
    /// How long it took, and how that compares.
    pub summary: String,
    /// What is unusual, where that is known.
    pub unusual: Option<String>,
    /// When it began.
    pub start: String,
    /// Writes a span of nanoseconds.
    pub span: fn(i64) -> String,
}

/// The steps of an id, for a document.
#[derive(Clone, Debug)]
pub struct TrailPlate {
    words: Words,
    palette: Palette,
    trail: Trail<Anyone>,
    usual: Option<Usual<Anyone>>,
}

/// A line of the drawing.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Row {
    Step(usize),
    /// A wait before a step.
    Wait(usize),
    /// So many steps that are left out.
    Folded(usize),
}

impl TrailPlate {
    /// A plate of a trail, with what is usual of it where that is known.
    #[must_use]
    pub fn new(
        trail: Trail<Anyone>,
        usual: Option<Usual<Anyone>>,
        words: Words,
        palette: Palette,
    ) -> Self {
        Self { words, palette, trail, usual }
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
        let colours = self.palette.colours();
        let mut page = Page::new(WIDTH, HEIGHT, colours.paper, &self.words.title);
        let top = self.heading(&mut page, colours);
        let rows = self.rows(MOST.min(self.room(top)));
        self.lanes(&mut page, colours, &rows, top);
        for (number, row) in rows.iter().enumerate() {
            self.row(&mut page, colours, *row, y_of(top, number));
        }
        let foot = HEIGHT - 24.0;
        page.text(MARGIN, foot, style(8.0, colours.dim, Anchor::Start), &self.words.start);
        page.text(RIGHT, foot, style(8.0, colours.dim, Anchor::End), "drawn with Cribrum");
        page
    }

    /// Lines that fit below a place.
    fn room(&self, top: f64) -> usize {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a few dozen lines"
        )]
        let room = ((HEIGHT - 44.0 - top) / ROW).max(4.0) as usize;
        room
    }

    /// What is followed, how long it took, and what is unusual; gives the place below.
    fn heading(&self, page: &mut Page, colours: &Colours) -> f64 {
        let fits = |text: &str, size: f64| fitted(text, (RIGHT - MARGIN) / size / LETTER);
        let title = fits(&self.words.title, 14.0);
        page.text(MARGIN, 52.0, style(14.0, colours.ink, Anchor::Start), &title);
        let summary = fits(&self.words.summary, 9.5);
        page.text(MARGIN, 70.0, style(9.5, colours.dim, Anchor::Start), &summary);
        let mut y = 70.0;
        if let Some(unusual) = &self.words.unusual {
            for line in wrapped(&format!("Unusual: {unusual}"), 104).into_iter().take(3) {
                y += 14.0;
                page.text(MARGIN, y, style(9.5, colours.slow, Anchor::Start), &line);
            }
        }
        y += 12.0;
        page.line((MARGIN, y), (RIGHT, y), colours.rule);
        y += 16.0;
        let dim = style(SIZE, colours.dim, Anchor::End);
        page.text(86.0, y, dim, "at");
        page.text(138.0, y, dim, "gap");
        for (number, lane) in self.trail.lanes.iter().enumerate() {
            let name = fitted(&lane.name.for_terminal(), (self.lane_width() - 4.0) / 9.0 / LETTER);
            let place = style(9.0, colours.lanes[number % 8], Anchor::Start);
            page.text(self.x(number), y, place, &name);
        }
        y + 8.0
    }

    fn lane_width(&self) -> f64 {
        #[expect(clippy::cast_precision_loss, reason = "a few lanes")]
        let lanes = self.trail.lanes.len().max(1) as f64;
        (RIGHT - LANES) / lanes
    }

    fn x(&self, lane: usize) -> f64 {
        #[expect(clippy::cast_precision_loss, reason = "a few lanes")]
        let lane = lane as f64;
        LANES + self.lane_width() * lane
    }

    /// Whether a wait stands on a line of its own.
    fn waits(&self, at: usize) -> bool {
        match &self.usual {
            Some(usual) => usual.steps.get(at).is_some_and(|step| step.excess > 0),
            None => self.trail.longest == Some(at),
        }
    }

    /// The lines: all of them where they fit, else those that matter, and how many are left out between them.
    fn rows(&self, most: usize) -> Vec<Row> {
        let steps = self.trail.steps.len();
        let waits = (0..steps).filter(|at| self.waits(*at)).count();
        let keep = |at: usize| {
            let step = &self.trail.steps[at];
            let grave = step.entry.level().is_some_and(|level| level >= Level::Warn);
            at < 3 || at + 3 >= steps || grave || self.waits(at)
        };
        let all = steps + waits <= most;
        let mut rows = Vec::new();
        let mut folded = 0;
        for at in 0..steps {
            if !all && !keep(at) {
                folded += 1;
                continue;
            }
            if folded > 0 {
                rows.push(Row::Folded(std::mem::take(&mut folded)));
            }
            if self.waits(at) {
                rows.push(Row::Wait(at));
            }
            rows.push(Row::Step(at));
        }
        // Where even those are too many, the last stand for what is behind them.
        if rows.len() > most {
            let shown = most.saturating_sub(1);
            let left = rows[shown..].iter().map(|row| match row {
                Row::Step(_) => 1,
                Row::Wait(_) => 0,
                Row::Folded(steps) => *steps,
            });
            let left = left.sum();
            rows.truncate(shown);
            rows.push(Row::Folded(left));
        }
        rows
    }

    /// A line for each lane while it is at work, and a bar for what lasted.
    fn lanes(&self, page: &mut Page, colours: &Colours, rows: &[Row], top: f64) {
        let place = |at: usize| rows.iter().position(|row| *row == Row::Step(at));
        for lane in 0..self.trail.lanes.len() {
            let own = rows.iter().enumerate().filter_map(|(number, row)| match row {
                Row::Step(at) if self.trail.steps[*at].lane == lane => Some((number, *at)),
                _ => None,
            });
            let own: Vec<(usize, usize)> = own.collect();
            let (Some((first, _)), Some((last, _))) = (own.first(), own.last()) else { continue };
            let colour = colours.lanes[lane % 8];
            let (x, from) = (self.x(lane), y_of(top, *first));
            let mut until = *last;
            for (number, at) in &own {
                let Some((_, to)) = self.trail.steps[*at].span else { continue };
                let end = self.trail.steps.iter().rposition(|step| step.at <= to);
                let end = end.and_then(place).unwrap_or(*number).max(*number);
                until = until.max(end);
                let height = y_of(top, end) - y_of(top, *number) + 3.0;
                if end > *number {
                    page.rect(x - 2.5, y_of(top, *number) - 6.0, 5.0, height + 6.0, colour);
                }
            }
            page.rect(x - 0.6, from - 6.0, 1.2, y_of(top, until) - from + 9.0, colour);
        }
    }

    fn row(&self, page: &mut Page, colours: &Colours, row: Row, y: f64) {
        let span = self.words.span;
        match row {
            Row::Folded(steps) => {
                let text = format!("… {steps} more steps");
                page.text(LANES + 8.0, y, style(SIZE, colours.dim, Anchor::Start), &text);
            }
            Row::Wait(at) => {
                let step = &self.trail.steps[at];
                let usual = self.usual.as_ref().and_then(|usual| usual.steps.get(at)?.wait);
                let text = match usual {
                    Some((0, _)) => format!("{} · usually no such wait", span(step.gap)),
                    Some((p50, _)) => format!("{} · usually {}", span(step.gap), span(p50)),
                    None => format!("{} · the longest wait", span(step.gap)),
                };
                self.beside(page, step.lane, y, style(SIZE, colours.slow, Anchor::Start), &text);
            }
            Row::Step(at) => self.step(page, colours, &self.trail.steps[at], at, y),
        }
    }

    fn step(&self, page: &mut Page, colours: &Colours, step: &Step<Anyone>, at: usize, y: f64) {
        let span = self.words.span;
        page.text(86.0, y, style(SIZE, colours.ink, Anchor::End), &span(step.at));
        if at > 0 {
            let colour = if self.waits(at) { colours.slow } else { colours.dim };
            page.text(138.0, y, style(SIZE, colour, Anchor::End), &span(step.gap));
        }
        let x = self.x(step.lane);
        page.rect(x - 3.0, y - 4.5, 6.0, 3.0, colours.lanes[step.lane % 8]);
        let level = step.entry.level();
        let colour = match level {
            Some(level) if level >= Level::Warn => colours.levels[level.index()],
            Some(Level::Info) => colours.ink,
            _ => colours.dim,
        };
        if let Some(level) = level {
            // The sign grows with severity, so that it can be read without colour.
            let height = 1.5 + f64::from(u8::try_from(level.index()).unwrap_or(0));
            page.rect(x + 6.0, y - height, 3.5, height, colours.levels[level.index()]);
        }
        let text = words(&step.entry.message.for_terminal());
        self.beside(page, step.lane, y, style(SIZE, colour, Anchor::Start), &text);
    }

    /// A text beside a lane: to its right, or to its left where there is more room.
    fn beside(&self, page: &mut Page, lane: usize, y: f64, style: Type, text: &str) {
        let x = self.x(lane) + 12.0;
        let room = (RIGHT - x) / style.size / LETTER;
        let left = (x - 18.0 - LANES) / style.size / LETTER;
        #[expect(clippy::cast_precision_loss, reason = "the letters of a line")]
        let length = text.chars().count() as f64;
        // The lines of other lanes end before a text and go on behind it.
        let paper = self.palette.colours().paper;
        let high = style.size + 1.0;
        if length > room && room < 36.0 && left > room {
            let style = Type { anchor: Anchor::End, ..style };
            let wide = length.min(left) * style.size * LETTER + 4.0;
            page.rect(x - 16.0 - wide, y - style.size + 1.0, wide, high, paper);
            page.text(x - 18.0, y, style, &fitted(text, left));
        } else {
            let wide = length.min(room) * style.size * LETTER + 2.0;
            page.rect(x - 1.0, y - style.size + 1.0, wide, high, paper);
            page.text(x, y, style, &fitted(text, room));
        }
    }
}

/// Where a line stands.
fn y_of(top: f64, number: usize) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "a few dozen lines")]
    let number = number as f64;
    top + ROW * (number + 0.8)
}

fn style(size: f64, colour: &'static str, anchor: Anchor) -> Type {
    Type { size, colour, anchor }
}

/// A message without the values behind names: they would not fit.
fn words(message: &str) -> String {
    let line = message.lines().next().unwrap_or_default();
    let words = line.split_whitespace().filter(|word| !word.contains('='));
    let text = words.collect::<Vec<_>>().join(" ");
    if text.is_empty() { line.to_owned() } else { text }
}

/// The beginning of a text that fits so many letters.
fn fitted(text: &str, letters: f64) -> String {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few letters")]
    let most = letters.max(1.0) as usize;
    if text.chars().count() <= most {
        return text.to_owned();
    }
    text.chars().take(most.saturating_sub(1)).chain(['…']).collect()
}

/// A text in lines of so many letters at most, broken between words.
fn wrapped(text: &str, letters: usize) -> Vec<String> {
    let mut lines: Vec<String> = vec![String::new()];
    for word in text.split_whitespace() {
        let line = lines.last().map_or(0, |line| line.chars().count());
        if line > 0 && line + 1 + word.chars().count() > letters {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_broken_and_cut_where_they_do_not_fit() {
        assert_eq!(wrapped("one two three", 7), ["one two", "three"]);
        assert_eq!(wrapped("", 7), [""]);
        assert_eq!(fitted("seat hold requested", 9.4), "seat hol…");
        assert_eq!(fitted("seat", 9.4), "seat");
        assert_eq!(words("charge asked amount=48.00 id=1\nmore"), "charge asked");
        assert_eq!(words("a=1 b=2"), "a=1 b=2");
    }
}
