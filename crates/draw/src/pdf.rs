//! A page as PDF 1.7 (ISO 32000-1), with the glyphs that it uses inside: its text looks the same, can be searched and
//! copied, on a machine without fonts.

use std::collections::BTreeMap;

use pdf_writer::{
    Content, Finish, Name, Pdf, Rect, Ref, Str, TextStr,
    types::{CidFontType, FontFlags, SystemInfo, UnicodeCmap},
};
use subsetter::GlyphRemapper;
use ttf_parser::{Face, GlyphId};

use crate::{
    Error,
    page::{Anchor, Page, Shape},
};

/// The font that travels with the program.
static FONT: &[u8] = include_bytes!("../font/DejaVuSans.ttf");
/// Its family.
pub(crate) const FAMILY: &str = "DejaVu Sans";
/// The name of the font within the page.
const F: Name<'_> = Name(b"F");
const SYSTEM: SystemInfo<'_> =
    SystemInfo { registry: Str(b"Adobe"), ordering: Str(b"Identity"), supplement: 0 };

/// The glyphs of a page: the font's number of each, the number in the smaller font that is put into the file, and the
/// character that it stands for.
struct Glyphs<'f> {
    face: Face<'f>,
    remapper: GlyphRemapper,
    characters: BTreeMap<u16, char>,
}

impl Glyphs<'_> {
    fn new() -> Result<Self, Error> {
        let face = Face::parse(FONT, 0).map_err(|error| Error(error.to_string()))?;
        Ok(Self { face, remapper: GlyphRemapper::new(), characters: BTreeMap::new() })
    }

    /// A text as the numbers of its glyphs, two bytes each, and its width for a size of 1. A character without a glyph
    /// becomes the replacement character.
    fn encode(&mut self, text: &str) -> (Vec<u8>, f64) {
        let units = f64::from(self.face.units_per_em());
        let (mut bytes, mut width) = (Vec::new(), 0.0);
        for c in text.chars() {
            let c = if c.is_control() { ' ' } else { c };
            let known = self.face.glyph_index(c);
            let glyph = known.or_else(|| self.face.glyph_index(char::REPLACEMENT_CHARACTER));
            let Some(glyph) = glyph else { continue };
            let number = self.remapper.remap(glyph.0);
            self.characters.entry(number).or_insert(c);
            bytes.extend(number.to_be_bytes());
            width += f64::from(self.face.glyph_hor_advance(glyph).unwrap_or(0)) / units;
        }
        (bytes, width)
    }
}

pub(crate) fn write(page: &Page) -> Result<Vec<u8>, Error> {
    let mut glyphs = Glyphs::new()?;
    let content = content(page, &mut glyphs);
    let mut pdf = Pdf::new();
    let (catalog, pages, sheet, stream, font) =
        (Ref::new(1), Ref::new(2), Ref::new(3), Ref::new(4), Ref::new(5));
    pdf.catalog(catalog).pages(pages);
    pdf.pages(pages).kids([sheet]).count(1);
    pdf.document_info(Ref::new(10)).title(TextStr(&page.title)).creator(TextStr("Cribrum"));
    let mut described = pdf.page(sheet);
    described.parent(pages).media_box(Rect::new(0.0, 0.0, number(page.width), number(page.height)));
    described.contents(stream);
    described.resources().fonts().pair(F, font);
    described.finish();
    pdf.stream(stream, &content);
    embed(&mut pdf, font, &glyphs)?;
    Ok(pdf.finish())
}

/// Draws the shapes. PDF measures upwards from the lower left corner.
fn content(page: &Page, glyphs: &mut Glyphs<'_>) -> Vec<u8> {
    let mut out = Content::new();
    let up = |y: f64| number(page.height - y);
    for shape in &page.shapes {
        match shape {
            Shape::Rect { x, y, width, height, colour } => {
                let [red, green, blue] = rgb(colour);
                out.set_fill_rgb(red, green, blue);
                out.rect(number(*x), up(y + height), number(*width), number(*height));
                out.fill_nonzero();
            }
            Shape::Line { from, to, colour, stroke } => {
                let [red, green, blue] = rgb(colour);
                out.set_stroke_rgb(red, green, blue).set_line_width(number(*stroke));
                out.move_to(number(from.0), up(from.1)).line_to(number(to.0), up(to.1)).stroke();
            }
            Shape::Text { x, y, style, text } => {
                let (bytes, width) = glyphs.encode(text);
                let shift = match style.anchor {
                    Anchor::Start => 0.0,
                    Anchor::Middle => width * style.size / 2.0,
                    Anchor::End => width * style.size,
                };
                let [red, green, blue] = rgb(style.colour);
                out.begin_text().set_fill_rgb(red, green, blue);
                out.set_font(F, number(style.size));
                out.next_line(number(x - shift), up(*y)).show(Str(&bytes)).end_text();
            }
        }
    }
    out.finish().to_vec()
}

/// Puts the glyphs that are used into the file, and what character each stands for.
fn embed(pdf: &mut Pdf, font: Ref, glyphs: &Glyphs<'_>) -> Result<(), Error> {
    let (cid, descriptor, data, unicode) = (Ref::new(6), Ref::new(7), Ref::new(8), Ref::new(9));
    let subset = subsetter::subset(FONT, 0, &glyphs.remapper).map_err(|e| Error(e.to_string()))?;
    let face = &glyphs.face;
    let thousandth = |units: i16| f32::from(units) * 1_000.0 / f32::from(face.units_per_em());
    let name = Name(b"CRIBRU+DejaVuSans");
    let mut type0 = pdf.type0_font(font);
    type0.base_font(name).encoding_predefined(Name(b"Identity-H"));
    type0.descendant_font(cid).to_unicode(unicode);
    type0.finish();
    let mut inner = pdf.cid_font(cid);
    inner.subtype(CidFontType::Type2).base_font(name).system_info(SYSTEM);
    inner
        .font_descriptor(descriptor)
        .default_width(0.0)
        .cid_to_gid_map_predefined(Name(b"Identity"));
    let widths = glyphs.remapper.remapped_gids().map(|glyph| {
        let units = face.glyph_hor_advance(GlyphId(glyph)).unwrap_or(0);
        f32::from(units) * 1_000.0 / f32::from(face.units_per_em())
    });
    inner.widths().consecutive(0, widths);
    inner.finish();
    let bounds = face.global_bounding_box();
    let mut described = pdf.font_descriptor(descriptor);
    described.name(name).flags(FontFlags::NON_SYMBOLIC);
    described.bbox(Rect::new(
        thousandth(bounds.x_min),
        thousandth(bounds.y_min),
        thousandth(bounds.x_max),
        thousandth(bounds.y_max),
    ));
    described.italic_angle(0.0).ascent(thousandth(face.ascender()));
    described.descent(thousandth(face.descender()));
    described.cap_height(thousandth(face.capital_height().unwrap_or(face.ascender())));
    described.stem_v(90.0).font_file2(data);
    described.finish();
    pdf.stream(data, &subset).pair(Name(b"Length1"), i32::try_from(subset.len()).unwrap_or(0));
    let mut map = UnicodeCmap::new(name, SYSTEM);
    for (number, c) in &glyphs.characters {
        map.pair(*number, *c);
    }
    pdf.cmap(unicode, &map.finish());
    Ok(())
}

/// `#rrggbb` as parts of one.
fn rgb(colour: &str) -> [f32; 3] {
    let part = |at: usize| {
        let digits = colour.get(at..at + 2).unwrap_or("00");
        f32::from(u8::from_str_radix(digits, 16).unwrap_or(0)) / 255.0
    };
    [part(1), part(3), part(5)]
}

#[expect(clippy::cast_possible_truncation, reason = "points on a page")]
fn number(value: f64) -> f32 {
    value as f32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::page::Type;

    #[test]
    fn the_page_has_its_text_and_only_the_glyphs_that_it_uses() {
        let mut page = Page::new(200.0, 100.0, "#ffffff", "tides");
        let style = Type { size: 12.0, colour: "#202020", anchor: Anchor::End };
        page.text(100.0, 50.0, style, "Ebb größer\u{1f600}");
        page.line((0.0, 0.0), (10.0, 10.0), "#ff0000");
        let pdf = write(&page).unwrap();
        assert!(pdf.starts_with(b"%PDF-1.7") && pdf.ends_with(b"%%EOF"), "a whole file");
        assert!(pdf.len() < 60_000, "{} bytes", pdf.len());
        let holds = |text: &str| pdf.windows(text.len()).any(|window| window == text.as_bytes());
        assert!(holds("/Title (tides)") && holds("/ToUnicode") && holds("/FontFile2"));
        // `ö` can be searched for and copied.
        assert!(holds("<00F6>"));
    }

    #[test]
    fn widths_are_those_of_the_font() {
        let mut glyphs = Glyphs::new().unwrap();
        let (bytes, narrow) = glyphs.encode("iii");
        let (_, wide) = glyphs.encode("WWW");
        assert!(narrow < wide && narrow > 0.5 && bytes.len() == 6, "{narrow} {wide}");
        assert_eq!(rgb("#ff8000"), [1.0, 128.0 / 255.0, 0.0]);
    }
}
