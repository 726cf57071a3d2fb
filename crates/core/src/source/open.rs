//! Opening a file: as it stands, or through a spool where it is packed or written in wide characters.

use std::{
    fs::File,
    io::{self, Read, Seek},
    path::Path,
    sync::Arc,
};

use super::{Segment, Spool, Wake, descriptors};

/// How the bytes of a file become text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Form {
    /// They are text.
    #[default]
    Plain,
    /// Packed with gzip (RFC 1952).
    Gzip,
    /// Packed with zstd (RFC 8878).
    Zstd,
    /// UTF-16, the lower byte first.
    Utf16Le,
    /// UTF-16, the higher byte first.
    Utf16Be,
}

impl Form {
    /// The words for it, nothing for plain text.
    #[must_use]
    pub fn name(self) -> Option<&'static str> {
        match self {
            Self::Plain => None,
            Self::Gzip => Some("gzip"),
            Self::Zstd => Some("zstd"),
            Self::Utf16Le => Some("UTF-16 LE"),
            Self::Utf16Be => Some("UTF-16 BE"),
        }
    }

    /// What the first bytes of a file say.
    pub(crate) fn of(bytes: &[u8]) -> Self {
        match bytes {
            [0x1f, 0x8b, ..] => Self::Gzip,
            [0x28, 0xb5, 0x2f, 0xfd, ..] => Self::Zstd,
            [0xff, 0xfe, ..] => Self::Utf16Le,
            [0xfe, 0xff, ..] => Self::Utf16Be,
            _ => Self::wide(bytes),
        }
    }

    /// Wide characters without a mark: every other byte is nought, since logs are mostly ASCII.
    fn wide(bytes: &[u8]) -> Self {
        let pairs = bytes.len() / 2;
        if pairs < 8 {
            return Self::Plain;
        }
        let noughts = |from: usize| bytes.iter().skip(from).step_by(2).filter(|b| **b == 0).count();
        let (even, odd) = (noughts(0), noughts(1));
        if odd * 10 > pairs * 8 && even * 10 < pairs {
            Self::Utf16Le
        } else if even * 10 > pairs * 8 && odd * 10 < pairs {
            Self::Utf16Be
        } else {
            Self::Plain
        }
    }

    /// A reader of the text in `file`.
    pub(super) fn reader(self, file: File) -> io::Result<Box<dyn Read + Send>> {
        let wide = |file, encoding| {
            encoding_rs_io::DecodeReaderBytesBuilder::new()
                .encoding(Some(encoding))
                .bom_override(true)
                .build(file)
        };
        Ok(match self {
            Self::Plain => Box::new(file),
            Self::Gzip => Box::new(flate2::read::MultiGzDecoder::new(
                io::BufReader::with_capacity(256 << 10, file),
            )),
            Self::Zstd => Box::new(zstd::stream::read::Decoder::new(file)?),
            Self::Utf16Le => Box::new(wide(file, encoding_rs::UTF_16LE)),
            Self::Utf16Be => Box::new(wide(file, encoding_rs::UTF_16BE)),
        })
    }
}

/// An open source.
pub(crate) struct Opened {
    pub(crate) segment: Arc<Segment>,
    /// Where its bytes arrive, unless they are read in place.
    pub(crate) spool: Option<Arc<Spool>>,
    pub(crate) form: Form,
}

/// Opens a file. One that is packed or wide is read by a thread into a spool; `wake` is called when more of it
/// has come. `held` is the file itself where it is open already; the path is then only its name.
///
/// # Errors
///
/// Those of opening it and of making the spool; `InvalidInput` with a reason for what is no regular file.
pub(crate) fn open(path: &Path, held: Option<Arc<Segment>>, wake: Wake) -> io::Result<Opened> {
    if let Some(segment) = held {
        let mut front = [0; 512];
        let got = segment.read_file(0, &mut front)?;
        let form = Form::of(&front[..got]);
        // What is packed is opened by its name.
        if form == Form::Plain {
            return Ok(Opened { segment, spool: None, form });
        }
    }
    // Opening a pipe without a writer blocks for ever.
    let meta = std::fs::metadata(path)?;
    if !meta.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "not a regular file"));
    }
    let mut file = descriptors::open(path)?;
    let mut front = Vec::new();
    Read::take(&mut file, 512).read_to_end(&mut front)?;
    file.rewind()?;
    let form = Form::of(&front);
    if form == Form::Plain {
        return Ok(Opened { segment: Segment::named(path, file)?, spool: None, form });
    }
    // The header and the trailer of a gzip file take 18 bytes (RFC 1952).
    if form == Form::Gzip && file.metadata()?.len() < 18 {
        let cut = "the gzip file is cut off before any text";
        return Err(io::Error::new(io::ErrorKind::UnexpectedEof, cut));
    }
    let (spool, file) = Spool::start(form.reader(file)?, wake)?;
    Ok(Opened { segment: Arc::new(Segment::unnamed(file)), spool: Some(spool), form })
}

/// The first text in a file, unpacked: at most `most` bytes. What is broken ends it.
pub(crate) fn beginning(path: &Path, most: usize) -> io::Result<(Form, Vec<u8>)> {
    let mut file = descriptors::open(path)?;
    let mut front = Vec::new();
    Read::take(&mut file, most as u64).read_to_end(&mut front)?;
    let form = Form::of(&front);
    if form == Form::Plain {
        return Ok((form, front));
    }
    file.rewind()?;
    let mut text = Vec::new();
    // A broken archive gives what it holds when it is read; here its beginning is enough.
    let _ = Read::take(form.reader(file)?, most as u64).read_to_end(&mut text);
    Ok((form, text))
}

#[cfg(test)]
mod tests {
    use std::io::Write;

    use super::*;

    fn wide(text: &str, little: bool) -> Vec<u8> {
        text.encode_utf16()
            .flat_map(|unit| if little { unit.to_le_bytes() } else { unit.to_be_bytes() })
            .collect()
    }

    #[test]
    fn forms_are_told_by_their_bytes_and_read_as_text() {
        let text = "2026-03-14 06:41:02 INFO bücher 座席 ok\n";
        let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        packer.write_all(text.as_bytes()).unwrap();
        let gzip = packer.finish().unwrap();
        let zstd = zstd::encode_all(text.as_bytes(), 1).unwrap();
        for (name, bytes, form) in [
            ("plain", text.as_bytes().to_vec(), Form::Plain),
            ("two members", [gzip.clone(), gzip.clone()].concat(), Form::Gzip),
            ("zstd", zstd, Form::Zstd),
            ("little", wide(&format!("\u{feff}{text}"), true), Form::Utf16Le),
            ("big", wide(&format!("\u{feff}{text}"), false), Form::Utf16Be),
            ("no mark", wide(text, true), Form::Utf16Le),
            ("no mark, big", wide(text, false), Form::Utf16Be),
            ("short", b"a\0".to_vec(), Form::Plain),
        ] {
            let mut file = tempfile::NamedTempFile::new().unwrap();
            file.write_all(&bytes).unwrap();
            let (found, read) = beginning(file.path(), 4_096).unwrap();
            assert_eq!(found, form, "{name}");
            let read = String::from_utf8(read).unwrap();
            let want = match name {
                "two members" => text.repeat(2),
                "short" => "a\0".into(),
                _ => text.into(),
            };
            assert_eq!(read.trim_start_matches('\u{feff}'), want, "{name}");
        }
    }
}
