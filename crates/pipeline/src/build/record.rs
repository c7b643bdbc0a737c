//! What earlier builds did, kept in the hidden folder `.shibori` beside the recipe. It may be deleted at any time: then everything is built
//! anew, and what is as it was is left alone.
//!
//! A line of JSON a thing: first which shibori wrote it, then steps and files. What a step did is added as soon as its
//! outputs are in place, so that a build that is killed loses nothing; at the end of a build all is written anew.

use std::collections::{BTreeMap, HashMap};
use std::fs::{self, File, TryLockError};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use serde::{Deserialize, Serialize};
use shibori_formats::store::{Digest, Fingerprint, HIDDEN_FOLDER, PathText, nanoseconds};

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
pub(super) struct Record {
    pub(super) steps: BTreeMap<String, LedgerEntry>,
    pub(super) files: HashMap<PathBuf, Fingerprint>,
    /// The version of shibori that wrote it.
    pub(super) version: String,
}

/// What can be said of the folder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trouble {
    /// What is in it can't be read, so everything is built anew.
    Unreadable,
    /// Nothing can be kept there, so the next build does everything again.
    CannotKeep(String),
}

/// The folder while a build runs; nobody else builds by the same recipe.
#[derive(Debug)]
pub(super) struct LedgerFile {
    file: PathBuf,
    /// Where lines are added; none where nothing can be kept.
    lines: Mutex<Option<File>>,
    /// Held as long as the build lives.
    lock: Option<File>,
    /// The file system's clock when it was opened.
    pub(super) now: u64,
    /// Whether the build before ended in the middle.
    pub(super) was_cut_off: bool,
}

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

/// Whether somebody else builds by a recipe just now.
pub(super) fn is_busy(recipe: &Path) -> bool {
    let lock = File::options().write(true).open(file_beside(recipe, "lock"));
    lock.is_ok_and(|lock| matches!(lock.try_lock(), Err(TryLockError::WouldBlock)))
}

fn file_beside(recipe: &Path, ending: &str) -> PathBuf {
    let folder = recipe.parent().unwrap_or(Path::new("")).join(HIDDEN_FOLDER);
    let mut name = recipe.file_name().unwrap_or_default().to_owned();
    name.push(".");
    name.push(ending);
    folder.join(name)
}

/// The folder of frames that builds by a recipe keep.
pub(super) fn frames_beside(recipe: &Path) -> PathBuf {
    file_beside(recipe, "frames")
}

/// What is known of earlier builds, without waiting for one that runs.
pub(super) fn peek(recipe: &Path) -> (Record, Option<Trouble>) {
    match fs::read(file_beside(recipe, "record")) {
        Ok(bytes) => match Record::parse(&bytes) {
            Some(record) => (record, None),
            None => (Record::default(), Some(Trouble::Unreadable)),
        },
        Err(error) if error.kind() == io::ErrorKind::NotFound => (Record::default(), None),
        // A file in the place of the folder is told where something is to be kept.
        Err(_) => (Record::default(), None),
    }
}

impl LedgerFile {
    /// Opens the folder, waiting for other builds by the same recipe. Where it can't be used, says so and goes on without.
    pub(super) fn open(recipe: &Path) -> (Self, Record, Option<Trouble>) {
        let file = file_beside(recipe, "record");
        match Self::locked(recipe) {
            Ok((lock, now, was_cut_off)) => {
                let (record, trouble) = peek(recipe);
                let lines = match fs::File::options().append(true).create(true).open(&file) {
                    Ok(lines) => lines,
                    Err(error) => {
                        return (Self::without(file), record, Some(Trouble::CannotKeep(error.to_string())));
                    }
                };
                let store = Self { file, lines: Mutex::new(Some(lines)), lock: Some(lock), now, was_cut_off };
                // After a line that broke off, or something foreign, nothing could be added.
                if trouble.is_some() || record.version.is_empty() {
                    let _ = store.rewrite(&record.steps, &[]);
                }
                (store, record, trouble)
            }
            Err(error) => {
                let (record, _) = peek(recipe);
                (Self::without(file), record, Some(Trouble::CannotKeep(error.to_string())))
            }
        }
    }

    fn without(file: PathBuf) -> Self {
        // Where nothing is kept, nothing is known of the build before.
        Self { file, lines: Mutex::new(None), lock: None, now: 0, was_cut_off: true }
    }

    fn locked(recipe: &Path) -> io::Result<(File, u64, bool)> {
        let path = file_beside(recipe, "lock");
        if let Some(folder) = path.parent() {
            if !folder.is_dir() {
                fs::create_dir_all(folder)?;
            }
            let ignore = folder.join(".gitignore");
            if !ignore.exists() {
                // Version control has no use for it.
                let _ = fs::write(ignore, "*\n");
            }
        }
        let mut lock = File::options().write(true).create(true).truncate(false).open(&path)?;
        // A file system without locks has nobody wait.
        let _ = lock.lock();
        // What a build writes there when it begins, it takes away when it ends.
        let was_cut_off = lock.metadata()?.len() > 0;
        lock.set_len(0)?;
        writeln!(lock, "{}", std::process::id())?;
        lock.flush()?;
        let now = lock.metadata()?.modified().map_or(0, nanoseconds);
        Ok((lock, now, was_cut_off))
    }

    /// Notes that the build came to its end.
    pub(super) fn ended(&self) {
        if let Some(lock) = &self.lock {
            // If it can't be noted, the next build looks for leftovers once more.
            let _ = lock.set_len(0);
        }
    }

    /// Adds what a step did, or that it is gone.
    pub(super) fn add(&self, name: &str, step: Option<&LedgerEntry>) {
        let line = match step {
            Some(step) => step_line(name, step),
            None => Some(Line::Gone { gone: name.to_owned() }),
        };
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        if let (Some(file), Some(line)) = (lines.as_mut(), line) {
            // What is not kept is only built once more.
            let _ = file.write_all(&as_line(&line));
        }
    }

    /// Writes all anew.
    pub(super) fn rewrite(
        &self,
        steps: &BTreeMap<String, LedgerEntry>,
        files: &[(PathBuf, Fingerprint)],
    ) -> io::Result<()> {
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        if lines.is_none() {
            return Ok(());
        }
        let mut text = as_line(&Line::Head { shibori: env!("CARGO_PKG_VERSION").to_owned(), record: FORM });
        text.extend(
            steps.iter().filter_map(|(name, step)| step_line(name, step)).flat_map(|line| as_line(&line)),
        );
        let file = |(path, print): &(PathBuf, Fingerprint)| {
            as_line(&Line::File { file: PathText::from(path.as_path()), print: *print })
        };
        text.extend(files.iter().flat_map(file));
        let new = self.file.with_extension("new");
        fs::write(&new, text)?;
        // Some systems replace no file that is open.
        *lines = None;
        let replaced = fs::rename(&new, &self.file);
        *lines = Some(File::options().append(true).open(&self.file)?);
        replaced
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

impl Record {
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
    pub(super) fn is_own(&self) -> bool {
        self.version == env!("CARGO_PKG_VERSION")
    }
}

#[cfg(test)]
mod tests {
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
        let (store, record, trouble) = LedgerFile::open(&recipe);
        assert!(record.steps.is_empty() && trouble.is_none());
        store.add("atlas.pond", Some(&step("a")));
        store.add("atlas.lake", Some(&step("b")));
        store.add("atlas.pond", Some(&step("c")));
        store.add("atlas.lake", None);
        assert!(is_busy(&recipe));
        drop(store);
        assert!(!is_busy(&recipe));
        let (record, _) = peek(&recipe);
        assert_eq!(record.steps, BTreeMap::from([("atlas.pond".to_owned(), step("c"))]));
        let path = folder.path().join(".shibori/shibori.toml.record");
        let whole = fs::read(&path).unwrap();
        fs::write(&path, &whole[..whole.len() - 30]).unwrap();
        assert_eq!(peek(&recipe).0.steps.len(), 2);
    }

    #[test]
    fn what_is_foreign_is_said_and_written_anew() {
        let folder = tempfile::tempdir().unwrap();
        let recipe = folder.path().join("shibori.toml");
        drop(LedgerFile::open(&recipe));
        let path = folder.path().join(".shibori/shibori.toml.record");
        for foreign in ["", "hello\n", "{\"shibori\":\"9.0.0\",\"record\":99}\n", "\u{0}\u{1}"] {
            fs::write(&path, foreign).unwrap();
            let (store, record, trouble) = LedgerFile::open(&recipe);
            assert_eq!((record.steps.len(), trouble), (0, Some(Trouble::Unreadable)), "{foreign:?}");
            store.add("atlas.pond", Some(&step("a")));
            drop(store);
            assert_eq!(peek(&recipe).0.steps.len(), 1, "{foreign:?}");
        }
        // A file where the folder should be: nothing is kept, and that is said.
        let other = folder.path().join("other");
        fs::create_dir(&other).unwrap();
        fs::write(other.join(".shibori"), b"").unwrap();
        let (store, _, trouble) = LedgerFile::open(&other.join("shibori.toml"));
        assert!(matches!(trouble, Some(Trouble::CannotKeep(_))));
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
