//! The demo morning as files, with what the generator knows of them.

use std::{fs, path::PathBuf};

use serde_json::Value;

pub(crate) struct Morning {
    pub(crate) home: tempfile::TempDir,
}

impl Morning {
    pub(crate) fn write(entries: usize) -> Self {
        let home = tempfile::tempdir().unwrap();
        let morning = Self { home };
        let path = |name| morning.path(name).display().to_string();
        let output = crate::run(
            morning.home.path(),
            &[
                "demo",
                "--write",
                &path("logs"),
                "--entries",
                &entries.to_string(),
                "--record",
                &path("record"),
                "--secrets",
                &path("secrets"),
            ],
        );
        assert!(output.status.success(), "{output:?}");
        morning
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.home.path().join(name)
    }

    pub(crate) fn logs(&self) -> String {
        self.path("logs").display().to_string()
    }

    /// What is known of each entry.
    pub(crate) fn record(&self) -> Vec<Value> {
        json_lines(&fs::read_to_string(self.path("record")).unwrap())
    }

    /// Every secret that was planted.
    pub(crate) fn secrets(&self) -> Vec<String> {
        let planted = json_lines(&fs::read_to_string(self.path("secrets")).unwrap());
        let mut secrets: Vec<String> =
            planted.iter().map(|p| p["secret"].as_str().unwrap().to_owned()).collect();
        secrets.sort();
        secrets.dedup();
        secrets
    }

    /// Fails when a planted secret stands in a text.
    pub(crate) fn assert_clean(&self, what: &str, text: &str) {
        for secret in self.secrets() {
            assert!(!text.contains(&secret), "{what} shows the secret {secret}");
        }
    }
}

pub(crate) fn json_lines(text: &str) -> Vec<Value> {
    text.lines()
        .map(|line| serde_json::from_str(line).unwrap_or_else(|e| panic!("{e}: {line}")))
        .collect()
}
