//! Waiting until something changes that a recipe is made of: the recipe, its sources, what it names. Editors that replace a file instead of
//! writing it are seen too, and new files that a pattern takes in, since whole folders are watched.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

use notify::{EventKind, RecommendedWatcher, RecursiveMode, Watcher};

use shibori_formats::store::HIDDEN_FOLDER;

/// A save is several events: this long must nothing happen before it is taken for done.
const QUIET: Duration = Duration::from_millis(80);

/// So long is waited at most for quiet, where something writes all the time.
const PATIENCE: Duration = Duration::from_secs(2);

/// Waits for changes below a folder.
#[derive(Debug)]
pub struct Watch {
    folder: PathBuf,
    out: PathBuf,
    events: Receiver<notify::Result<notify::Event>>,
    watcher: RecommendedWatcher,
    watched: BTreeSet<PathBuf>,
}

/// What changed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Change {
    /// Files, from the recipe's folder.
    pub files: Vec<PathBuf>,
}

impl Watch {
    /// Begins to watch a recipe's folder.
    ///
    /// # Errors
    /// Where the system can't.
    pub fn begin(folder: &Path) -> Result<Self, String> {
        let (sender, events) = channel();
        let watcher = notify::recommended_watcher(sender).map_err(|error| error.to_string())?;
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let folder = folder.canonicalize().map_err(|error| error.to_string())?;
        let mut watch =
            Self { out: PathBuf::new(), folder: folder.clone(), events, watcher, watched: BTreeSet::new() };
        watch.add(&folder)?;
        Ok(watch)
    }

    /// Passes over what happens in a folder from now on: that of the outputs.
    pub fn look_away_from(&mut self, out: &Path) {
        self.out = self.folder.join(out);
    }

    /// Watches what lies outside the recipe's folder, too.
    pub fn also(&mut self, files: &[PathBuf]) {
        for file in files {
            let whole = self.folder.join(file);
            let Some(Ok(folder)) = whole.parent().map(Path::canonicalize) else { continue };
            if !folder.starts_with(&self.folder) {
                // What can't be watched is looked at with the next change of anything else.
                let _ = self.add(&folder);
            }
        }
    }

    fn add(&mut self, folder: &Path) -> Result<(), String> {
        if self.watched.insert(folder.to_owned()) {
            self.watcher.watch(folder, RecursiveMode::Recursive).map_err(|error| error.to_string())?;
        }
        Ok(())
    }

    /// Waits until something changed and is quiet again. `None` where the system no longer tells.
    pub fn next(&self) -> Option<Change> {
        let mut files = BTreeSet::new();
        while files.is_empty() {
            self.take(self.events.recv().ok()?, &mut files);
        }
        let began = Instant::now();
        while began.elapsed() < PATIENCE {
            match self.events.recv_timeout(QUIET) {
                Ok(event) => self.take(event, &mut files),
                Err(RecvTimeoutError::Timeout) => break,
                Err(RecvTimeoutError::Disconnected) => return None,
            }
        }
        Some(Change { files: files.into_iter().collect() })
    }

    /// Keeps the files of an event that are no outputs and no work of shibori's own.
    fn take(&self, event: notify::Result<notify::Event>, files: &mut BTreeSet<PathBuf>) {
        let Ok(event) = event else { return };
        if matches!(event.kind, EventKind::Access(_)) {
            return;
        }
        for path in event.paths {
            let is_own = path.components().any(|part| part.as_os_str() == HIDDEN_FOLDER);
            let is_output = !self.out.as_os_str().is_empty() && path.starts_with(&self.out);
            if !is_own && !is_output {
                files.insert(path.strip_prefix(&self.folder).map_or_else(|_| path.clone(), Path::to_owned));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn saves_that_replace_a_file_and_new_files_are_seen_and_outputs_are_not() {
        let folder = tempfile::tempdir().unwrap();
        let at = |path: &str| folder.path().join(path);
        fs::create_dir_all(at("art")).unwrap();
        fs::create_dir_all(at("build")).unwrap();
        fs::write(at("art/koi.png"), b"old").unwrap();
        let mut watch = Watch::begin(folder.path()).unwrap();
        watch.look_away_from(Path::new("build"));
        fs::write(at("build/pond.png"), b"output").unwrap();
        fs::create_dir(at(".shibori")).unwrap();
        fs::write(at(".shibori/lock"), b"1").unwrap();
        fs::write(at("art/koi.png.tmp"), b"new").unwrap();
        fs::rename(at("art/koi.png.tmp"), at("art/koi.png")).unwrap();
        let change = watch.next().unwrap();
        assert!(change.files.contains(&PathBuf::from("art/koi.png")), "{change:?}");
        assert!(change.files.iter().all(|path| path.starts_with("art")), "{change:?}");
        fs::write(at("art/frog.png"), b"new").unwrap();
        assert_eq!(watch.next().unwrap().files, [PathBuf::from("art/frog.png")]);
    }
}
