//! Every token of an entry lands somewhere: in its time, level, logger, message, an id, a field, or the lines below.

use super::*;

#[test]
fn every_token_of_the_samples_lands_somewhere() {
    let mut told = Vec::new();
    for path in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/samples")).unwrap() {
        let path = path.unwrap().path();
        let bytes = std::fs::read(&path).unwrap();
        let dialect = Dialect::default().learn(&bytes);
        for line in bytes.split(|b| *b == b'\n') {
            let Some((id, _)) = dialect.detect(line) else { continue };
            let entry = id.read(line, &dialect);
            if let Some(token) = id.lost(&entry) {
                told.push(format!(
                    "{} {}: `{token}` of {}",
                    path.file_name().unwrap().to_string_lossy(),
                    id.name(),
                    String::from_utf8_lossy(&line[..line.len().min(260)])
                ));
            }
        }
    }
    told.sort();
    assert!(told.is_empty(), "{}\n{}", told.len(), told.join("\n"));
}
