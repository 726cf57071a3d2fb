//! A page under construction: shapes in their order, measured in points from the upper left corner.

/// Where a text stands relative to its point.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    Start,
    Middle,
    End,
}

/// How a text looks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Type {
    pub(crate) size: f64,
    /// `#rrggbb`
    pub(crate) colour: &'static str,
    pub(crate) anchor: Anchor,
}

/// Something on the page.
#[derive(Clone, Debug)]
pub(crate) enum Shape {
    Rect { x: f64, y: f64, width: f64, height: f64, colour: String },
    Line { from: (f64, f64), to: (f64, f64), colour: String, stroke: f64 },
    Text { x: f64, y: f64, style: Type, text: String },
}

/// The width of a line.
pub(crate) const STROKE: f64 = 0.8;

/// A page.
#[derive(Clone, Debug)]
pub(crate) struct Page {
    pub(crate) width: f64,
    pub(crate) height: f64,
    pub(crate) title: String,
    pub(crate) shapes: Vec<Shape>,
}

impl Page {
    pub(crate) fn new(width: f64, height: f64, ground: &str, title: &str) -> Self {
        let mut page = Self { width, height, title: title.to_owned(), shapes: Vec::new() };
        page.rect(0.0, 0.0, width, height, ground);
        page
    }

    pub(crate) fn rect(&mut self, x: f64, y: f64, width: f64, height: f64, colour: &str) {
        self.shapes.push(Shape::Rect { x, y, width, height, colour: colour.to_owned() });
    }

    pub(crate) fn line(&mut self, from: (f64, f64), to: (f64, f64), colour: &str) {
        self.stroke(from, to, colour, STROKE);
    }

    /// A line of another width.
    pub(crate) fn stroke(&mut self, from: (f64, f64), to: (f64, f64), colour: &str, stroke: f64) {
        self.shapes.push(Shape::Line { from, to, colour: colour.to_owned(), stroke });
    }

    pub(crate) fn text(&mut self, x: f64, y: f64, style: Type, text: &str) {
        self.shapes.push(Shape::Text { x, y, style, text: text.to_owned() });
    }
}
