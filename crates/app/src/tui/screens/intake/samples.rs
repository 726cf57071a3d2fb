//! Lines of a source, with what its layouts or a template capture of them.

use cribrum_core::{
    engine::Snapshot,
    entry::Stamp,
    own::{Own, Spec},
};

/// A line of a source as it may be shown.
pub(crate) struct Sample {
    /// Its number in its file.
    pub(crate) line: u64,
    pub(crate) text: String,
    /// What the layout took of it: the start of each text and its name, in the order of the line.
    pub(crate) taken: Vec<(std::ops::Range<usize>, String)>,
    pub(crate) understood: bool,
    /// It has a time; whether that names its zone.
    pub(crate) zoned: Option<bool>,
}

/// Lines that are read for a sample.
const MOST: usize = 24;

/// Lines of a source, those that are not understood first.
pub(crate) fn samples(snapshot: &Snapshot, source: usize) -> Vec<Sample> {
    let mut found = Vec::new();
    for id in snapshot.sample(source, MOST) {
        let (Ok(raw), Ok(shown)) = (snapshot.raw(id), snapshot.row(id)) else { continue };
        let clean = raw.for_terminal();
        let text = clean.lines().next().unwrap_or_default().to_owned();
        let understood = shown.layout.understood();
        let mut taken = Vec::new();
        if understood {
            taken.extend(time_in(&text).map(|place| (place, "time".to_owned())));
            let mut take = |name: &str, value: &str| {
                let value = value.lines().next().unwrap_or_default();
                let free = |range: &std::ops::Range<usize>| {
                    taken.iter().all(|(other, _): &(std::ops::Range<usize>, String)| {
                        range.end <= other.start || other.end <= range.start
                    })
                };
                let places = text.match_indices(value).filter(|_| !value.is_empty());
                let mut places = places.map(|(at, found)| at..at + found.len());
                if let Some(place) = places.find(free) {
                    taken.push((place, name.to_owned()));
                }
            };
            for (name, value) in [
                ("level", shown.level_raw.as_ref()),
                ("logger", shown.logger.as_ref()),
                ("message", Some(&shown.message)),
            ] {
                if let Some(value) = value {
                    take(name, value.as_str());
                }
            }
            for (kind, id) in &shown.ids {
                take(kind, id.as_str());
            }
            for field in &shown.fields {
                use cribrum_core::veil::CleanValue;
                if let CleanValue::Text(value) | CleanValue::Number(value) = &field.value {
                    take(field.name.as_str(), value.as_str());
                }
            }
            taken.sort_by_key(|(place, _)| place.start);
        }
        let zoned = (shown.time.is_some() && !shown.time_derived).then_some(shown.zoned);
        let line = snapshot.line(id).unwrap_or(0);
        found.push(Sample { line, text, taken, understood, zoned });
    }
    found
}

/// The first time in a line, whatever its form.
fn time_in(text: &str) -> Option<std::ops::Range<usize>> {
    let bytes = text.as_bytes();
    let starts = |at: &usize| *at == 0 || !bytes[*at - 1].is_ascii_alphanumeric();
    (0..bytes.len().min(200)).filter(starts).find_map(|at| {
        let rest = &bytes[at..];
        let digits = rest.iter().take_while(|b| b.is_ascii_digit() || **b == b'.').count();
        let taken = match Stamp::leading(rest) {
            Some((_, taken)) => taken,
            None => Stamp::epoch(&rest[..digits]).map(|_| digits)?,
        };
        Some(at..at + taken)
    })
}

/// The layout that a template is, or what is wrong with it and where.
pub(crate) fn taught(template: &str) -> Result<Own, (usize, String)> {
    let spec = Spec { template: Some(template.to_owned()), ..Spec::default() };
    Own::new(&spec).map_err(|error| (error.at, error.message))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_time_of_a_line_is_found() {
        for (line, want) in [
            ("{\"ts\":1773470462.340,\"a\":1}", Some("1773470462.340")),
            ("x [14/Mar/2026:06:41:02 +0000] y", Some("14/Mar/2026:06:41:02 +0000")),
            ("WARN 06:41:02,340 - y", Some("06:41:02,340")),
            ("no time 12345", None),
        ] {
            assert_eq!(time_in(line).and_then(|place| line.get(place)), want);
        }
    }

    #[test]
    fn a_template_is_judged_as_it_is_typed() {
        assert!(taught("{time} {message}").is_ok());
        assert_eq!(taught("{time} {").unwrap_err().0, 7);
    }
}
