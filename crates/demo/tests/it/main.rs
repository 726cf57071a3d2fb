//! The morning: the same from the same seed, of the size that was asked for, and with the story in it.

#![expect(clippy::unwrap_used, reason = "a test that can't go on has failed")]

use std::{
    collections::{BTreeMap, BTreeSet},
    fs,
    io::Write,
    sync::{Arc, Mutex},
};

use cribrum_demo::{Event, Knowledge, Pace, Scenario, Service, Writer};

fn morning(seed: u64, entries: usize) -> Vec<Event> {
    Scenario::new(seed, Pace::Morning { entries }).collect()
}

#[test]
fn a_seed_gives_the_same_morning() {
    assert_eq!(morning(7, 3_000), morning(7, 3_000));
    assert_ne!(morning(7, 3_000), morning(8, 3_000));
}

#[test]
fn a_morning_has_the_entries_that_were_asked_for() {
    for entries in [0, 1, 17, 500, 20_000, 60_000] {
        let events = morning(7, entries);
        assert_eq!(events.len(), entries);
        assert!(events.is_sorted_by_key(|event| event.time), "in the order of time");
    }
}

#[test]
fn the_story_is_told_at_every_size() {
    for entries in [2_000, 20_000, 60_000] {
        let events = morning(7, entries);
        let story: Vec<&Event> = events
            .iter()
            .filter(|event| event.request_id.as_deref() == Some("7f3a9c21e0b4d86f"))
            .collect();
        let services: BTreeSet<Service> = story.iter().map(|event| event.service).collect();
        assert_eq!((story.len(), services.len()), (19, 7), "{entries} entries");
        assert!(story.last().unwrap().text.contains("state unknown has no expiry"));
        for text in [
            "6 seats held by no one",
            "starting booking 4.7.1",
            "store is read-only",
            "acquirer route changed",
        ] {
            assert!(
                events.iter().any(|event| event.text.contains(text)),
                "{text} in {entries} entries"
            );
        }
    }
}

#[test]
fn the_morning_has_bursts_and_quiet_spells() {
    let events = morning(7, 20_000);
    let mut minutes: BTreeMap<i64, usize> = BTreeMap::new();
    for event in &events {
        *minutes.entry(event.time / 60_000_000_000).or_default() += 1;
    }
    let first = *minutes.keys().next().unwrap();
    let count = |minute: i64| minutes.get(&(first + minute)).copied().unwrap_or(0);
    assert!(count(41) > 4 * count(10), "the 06:40 crossing draws a crowd");
    assert!(
        (64..=68).map(count).sum::<usize>() * 5 < count(10) * 5,
        "after the restart it is still"
    );
    let levels: BTreeSet<&str> = events.iter().map(|event| event.level).collect();
    assert_eq!(
        levels.into_iter().collect::<Vec<_>>(),
        ["debug", "error", "fatal", "info", "trace", "warn"]
    );
}

#[test]
fn every_kind_of_secret_is_planted_where_it_is_said() {
    let events = morning(7, 20_000);
    let mut classes: BTreeMap<&str, usize> = BTreeMap::new();
    let mut sources: BTreeSet<Service> = BTreeSet::new();
    for event in &events {
        for planted in &event.secrets {
            assert!(event.text.contains(&planted.secret), "{planted:?} in {}", event.text);
            *classes.entry(planted.class).or_default() += 1;
            sources.insert(event.service);
        }
    }
    let names: Vec<&str> = classes.keys().copied().collect();
    assert_eq!(
        names,
        [
            "api_key",
            "basic",
            "bearer",
            "card",
            "cookie",
            "hash",
            "iban",
            "jwt",
            "key",
            "password",
            "pin",
            "secret",
            "session",
            "signature",
            "token",
            "url_password"
        ]
    );
    assert!(classes.values().all(|count| *count >= 3), "{classes:?}");
    assert!(sources.len() >= 6, "{sources:?}");
    assert!(events.iter().any(|event| event.torn.is_some()), "a trace torn by other output");
}

#[test]
fn many_forms_of_leaks_and_of_what_is_none_are_planted() {
    let events = morning(7, 20_000);
    // What stands around a secret tells its form.
    let forms: BTreeSet<String> = events
        .iter()
        .flat_map(|event| event.secrets.iter().map(move |planted| (event, planted)))
        .map(|(event, planted)| {
            let at = event.text.find(&planted.secret).unwrap();
            let before: String = event.text.chars().take(at).collect();
            let before: Vec<char> = before.chars().rev().take(8).collect();
            format!("{} {}", planted.class, before.into_iter().rev().collect::<String>())
        })
        .collect();
    let secrets: BTreeSet<&str> =
        events.iter().flat_map(|event| &event.secrets).map(|p| p.secret.as_str()).collect();
    assert!(forms.len() >= 60 && secrets.len() >= 300, "{} {}", forms.len(), secrets.len());
    let decoys = || events.iter().filter(|event| !event.decoys.is_empty());
    assert!(decoys().count() >= 200, "{}", decoys().count());
    for event in decoys() {
        assert!(event.secrets.is_empty(), "{}", event.text);
        for decoy in &event.decoys {
            let escaped = decoy.replace('"', "\\\"");
            assert!(event.text.contains(decoy) || event.text.contains(&escaped), "{decoy}");
        }
    }
    // JSON stays JSON, and nothing of a template is left.
    for event in &events {
        assert!(!event.text.contains(['⟦', '⟧']), "{}", event.text);
        if event.service == Service::Booking {
            serde_json::from_str::<serde_json::Value>(&event.text).unwrap();
        }
    }
}

#[test]
fn a_steady_pace_keeps_its_rate() {
    let start = 1_800_000_000_000_000_000;
    let events: Vec<Event> = Scenario::new(7, Pace::Steady { start, rate: 50 })
        .take_while(|e| e.time < start + 60_000_000_000)
        .collect();
    // Requests reach into the seconds after their own, so the beginning is a little thin.
    assert!((2_300..3_700).contains(&events.len()), "{} in a minute", events.len());
    assert!(events.iter().all(|event| event.time >= start));
}

/// A file in memory that can be looked at after it has been given away.
#[derive(Clone, Default)]
struct Shared(Arc<Mutex<Vec<u8>>>);

impl Write for Shared {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().unwrap().write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Shared {
    fn lines(&self) -> Vec<serde_json::Value> {
        let text = String::from_utf8(self.0.lock().unwrap().clone()).unwrap();
        text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    }
}

#[test]
fn what_is_recorded_is_what_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let (record, secrets) = (Shared::default(), Shared::default());
    let knowledge = Knowledge {
        record: Some(Box::new(record.clone())),
        secrets: Some(Box::new(secrets.clone())),
    };
    let mut writer = Writer::create(folder.path(), knowledge).unwrap();
    let events = morning(7, 5_000);
    for event in &events {
        writer.write(event).unwrap();
    }
    writer.finish().unwrap();
    let files: BTreeMap<&str, Vec<String>> = Service::ALL
        .iter()
        .map(|service| {
            let text = fs::read_to_string(folder.path().join(service.file())).unwrap();
            (service.file(), text.lines().map(str::to_owned).collect())
        })
        .collect();
    let record = record.lines();
    assert_eq!(record.len(), events.len());
    let mut owned = 0;
    for (known, event) in record.iter().zip(&events) {
        let line = usize::try_from(known["line"].as_u64().unwrap()).unwrap();
        let first = event.text.lines().next().unwrap();
        assert_eq!(files[known["source"].as_str().unwrap()][line - 1], first);
        assert_eq!(known["level"], event.level);
        owned += usize::try_from(known["lines"].as_u64().unwrap()).unwrap();
    }
    let written: usize = files.values().map(Vec::len).sum();
    assert_eq!(owned + 1, written, "every line but the header belongs to an entry");
    for planted in secrets.lines() {
        let line = usize::try_from(planted["line"].as_u64().unwrap()).unwrap();
        let lines = &files[planted["source"].as_str().unwrap()][line - 1..];
        let secret = planted["secret"].as_str().unwrap();
        assert!(lines.iter().take(12).any(|line| line.contains(secret)), "{planted}");
    }
}
