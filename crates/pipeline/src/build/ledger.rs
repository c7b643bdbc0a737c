//! What earlier builds did, kept in the hidden folder `.shibori` beside the recipe. It may be deleted at any time: then everything is built
//! again, and what is as it was is left alone.
//!
//! A line of JSON a thing: first which shibori wrote it, then steps and files. What a step did is added as soon as its
//! outputs are in place, so that a build that is killed loses nothing; at the end of a build all is written again.

use std::collections::{BTreeMap, HashMap};
use std::fmt;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use shibori_formats::store::{BuildLog, Digest, Fingerprint, PathText};

/// The form of these files; another one is not read.
const FORM: u32 = 2;

/// What a step did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct LedgerEntry {
    /// What it was made of: options, inputs, steps before it.
    pub(super) digest: Option<Digest>,
    /// Its options alone.
    pub(super) settings: Option<Digest>,
    pub(super) inputs: Vec<(PathBuf, Digest)>,
    pub(super) outputs: Vec<(PathBuf, Digest)>,
}

/// What earlier builds did.
#[derive(Debug, Default)]
pub(super) struct BuildLedger {
    pub(super) steps: BTreeMap<String, LedgerEntry>,
    pub(super) files: HashMap<PathBuf, Fingerprint>,
    /// The version of shibori that wrote it.
    pub(super) version: String,
}

/// What can be said of the folder.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum LedgerProblem {
    /// What is in it can't be read, so everything is built again.
    Unreadable,
    /// Nothing can be kept there, so the next build does everything again.
    CannotKeep(String),
}

impl fmt::Display for LedgerProblem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Unreadable => {
                f.write_str("can't read the records of earlier builds in .shibori; building everything again")
            }
            Self::CannotKeep(why) => write!(f, "can't keep records of this build in .shibori: {why}"),
        }
    }
}

/// The record while a build runs; nobody else builds by the same recipe.
#[derive(Debug)]
pub(super) struct RecordFile(BuildLog);

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Line {
    Head {
        shibori: String,
        record: u32,
    },
    Target {
        step: String,
        digest: Digest,
        settings: Digest,
        inputs: Vec<(PathText, Digest)>,
        outputs: Vec<(PathText, Digest)>,
    },
    File {
        file: PathText,
        print: Fingerprint,
    },
    Gone {
        gone: String,
    },
}

/// What is known of earlier builds, without waiting for one that runs.
pub(super) fn read_only(recipe: &Path) -> (BuildLedger, Option<LedgerProblem>) {
    read(BuildLog::read(recipe))
}

fn read(lines: Option<Vec<u8>>) -> (BuildLedger, Option<LedgerProblem>) {
    match lines.map(|bytes| BuildLedger::parse(&bytes)) {
        Some(Some(record)) => (record, None),
        Some(None) => (BuildLedger::default(), Some(LedgerProblem::Unreadable)),
        None => (BuildLedger::default(), None),
    }
}

impl RecordFile {
    /// Opens the record, waiting for other builds by the same recipe. Where it can't be used, says so and goes on without.
    pub(super) fn open(recipe: &Path) -> (Self, BuildLedger, Option<LedgerProblem>) {
        let (log, lines, error) = BuildLog::open(recipe);
        let (record, trouble) = read(lines);
        let file = Self(log);
        if let Some(error) = error {
            return (file, record, Some(LedgerProblem::CannotKeep(error.to_string())));
        }
        // After a line that broke off, or something foreign, nothing could be added.
        if trouble.is_some() || record.version.is_empty() {
            let _ = file.compact(&record.steps, &[]);
        }
        (file, record, trouble)
    }

    /// The file system's clock when the record was opened.
    pub(super) fn now(&self) -> u64 {
        self.0.opened_at()
    }

    /// Whether the build before ended in the middle.
    pub(super) fn was_interrupted(&self) -> bool {
        self.0.was_interrupted()
    }

    /// Notes that the build came to its end.
    pub(super) fn finish(&self) {
        self.0.finish();
    }

    /// Adds what a target did, or that it is gone.
    pub(super) fn add(&self, name: &str, step: Option<&LedgerEntry>) {
        let line = match step {
            Some(step) => step_line(name, step),
            None => Some(Line::Gone { gone: name.to_owned() }),
        };
        if let Some(line) = line {
            self.0.append(&as_line(&line));
        }
    }

    /// Replaces all of it.
    pub(super) fn compact(
        &self,
        steps: &BTreeMap<String, LedgerEntry>,
        files: &[(PathBuf, Fingerprint)],
    ) -> io::Result<()> {
        let mut text = as_line(&Line::Head { shibori: env!("CARGO_PKG_VERSION").to_owned(), record: FORM });
        text.extend(
            steps.iter().filter_map(|(name, step)| step_line(name, step)).flat_map(|line| as_line(&line)),
        );
        let file = |(path, print): &(PathBuf, Fingerprint)| {
            as_line(&Line::File { file: PathText::from(path.as_path()), print: *print })
        };
        text.extend(files.iter().flat_map(file));
        self.0.rewrite(&text)
    }
}

fn as_line(line: &Line) -> Vec<u8> {
    let mut bytes = serde_json::to_vec(line).unwrap_or_default();
    bytes.push(b'\n');
    bytes
}

fn step_line(name: &str, step: &LedgerEntry) -> Option<Line> {
    let texts = |files: &[(PathBuf, Digest)]| {
        files.iter().map(|(path, hash)| (PathText::from(path.as_path()), *hash)).collect()
    };
    let (inputs, outputs) = (texts(&step.inputs), texts(&step.outputs));
    Some(Line::Target {
        step: name.to_owned(),
        digest: step.digest?,
        settings: step.settings?,
        inputs,
        outputs,
    })
}

impl BuildLedger {
    /// Reads lines up to the first that is broken; `None` where they are of another form.
    fn parse(bytes: &[u8]) -> Option<Self> {
        let mut lines = bytes.split_inclusive(|&byte| byte == b'\n');
        let Ok(Line::Head { shibori, record: FORM }) = serde_json::from_slice(lines.next()?) else {
            return None;
        };
        let mut record = Self { version: shibori, ..Self::default() };
        for line in lines {
            // A line that broke off is the last one that a killed build wrote.
            let Ok(line) = serde_json::from_slice::<Line>(line) else { break };
            record.take(line);
        }
        Some(record)
    }

    fn take(&mut self, line: Line) {
        let paths = |files: Vec<(PathText, Digest)>| {
            files.into_iter().map(|(path, hash)| (path.into(), hash)).collect()
        };
        match line {
            Line::Head { .. } => {}
            Line::Target { step, digest, settings, inputs, outputs } => {
                let (digest, settings) = (Some(digest), Some(settings));
                let (inputs, outputs) = (paths(inputs), paths(outputs));
                self.steps.insert(step, LedgerEntry { digest, settings, inputs, outputs });
            }
            Line::Gone { gone } => drop(self.steps.remove(&gone)),
            Line::File { file, print } => drop(self.files.insert(file.into(), print)),
        }
    }

    /// Every output that any step is known to have written.
    pub(super) fn outputs(&self) -> impl Iterator<Item = (&Path, Digest)> {
        let done = self.steps.values().flat_map(|step| &step.outputs);
        done.map(|(path, hash)| (path.as_path(), *hash))
    }

    /// Whether this shibori wrote it.
    pub(super) fn is_same_version(&self) -> bool {
        self.version == env!("CARGO_PKG_VERSION")
    }
}

#[cfg(test)]
mod tests {
    use shibori_formats::store::is_log_locked;

    use std::fs;

    use super::*;

    fn step(name: &str) -> LedgerEntry {
        let hash = Digest::of(name.as_bytes());
        let files = vec![(PathBuf::from(name), hash)];
        LedgerEntry { digest: Some(hash), settings: Some(hash), inputs: files.clone(), outputs: files }
    }

    #[test]
    fn what_steps_did_is_kept_line_by_line_and_a_broken_line_ends_it() {
        let folder = tempfile::tempdir().unwrap();
        let recipe = folder.path().join("shibori.toml");
        let (store, record, trouble) = RecordFile::open(&recipe);
        assert!(record.steps.is_empty() && trouble.is_none());
        store.add("atlas.pond", Some(&step("a")));
        store.add("atlas.lake", Some(&step("b")));
        store.add("atlas.pond", Some(&step("c")));
        store.add("atlas.lake", None);
        assert!(is_log_locked(&recipe));
        drop(store);
        assert!(!is_log_locked(&recipe));
        let (record, _) = read_only(&recipe);
        assert_eq!(record.steps, BTreeMap::from([("atlas.pond".to_owned(), step("c"))]));
        let path = folder.path().join(".shibori/shibori.toml.record");
        let whole = fs::read(&path).unwrap();
        fs::write(&path, &whole[..whole.len() - 30]).unwrap();
        assert_eq!(read_only(&recipe).0.steps.len(), 2);
    }

    #[test]
    fn what_is_foreign_is_said_and_written_anew() {
        let folder = tempfile::tempdir().unwrap();
        let recipe = folder.path().join("shibori.toml");
        drop(RecordFile::open(&recipe));
        let path = folder.path().join(".shibori/shibori.toml.record");
        for foreign in ["", "hello\n", "{\"shibori\":\"9.0.0\",\"record\":99}\n", "\u{0}\u{1}"] {
            fs::write(&path, foreign).unwrap();
            let (store, record, trouble) = RecordFile::open(&recipe);
            assert_eq!((record.steps.len(), trouble), (0, Some(LedgerProblem::Unreadable)), "{foreign:?}");
            store.add("atlas.pond", Some(&step("a")));
            drop(store);
            assert_eq!(read_only(&recipe).0.steps.len(), 1, "{foreign:?}");
        }
        // A file where the folder should be: nothing is kept, and that is said.
        let other = folder.path().join("other");
        fs::create_dir(&other).unwrap();
        fs::write(other.join(".shibori"), b"").unwrap();
        let (store, _, trouble) = RecordFile::open(&other.join("shibori.toml"));
        assert!(matches!(trouble, Some(LedgerProblem::CannotKeep(_))));
        store.add("atlas.pond", Some(&step("a")));
    }

    #[test]
    fn names_that_are_no_text_come_back_as_they_were() {
        #[cfg(unix)]
        {
            use std::os::unix::ffi::OsStringExt;
            let path = PathBuf::from(std::ffi::OsString::from_vec(b"art/k\xffi.png".to_vec()));
            let text = serde_json::to_string(&PathText::from(path.as_path())).unwrap();
            assert_eq!(PathBuf::from(serde_json::from_str::<PathText>(&text).unwrap()), path);
        }
    }
}
