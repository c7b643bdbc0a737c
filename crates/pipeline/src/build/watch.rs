//! Waiting until something changes that a recipe is made of: the recipe, its sources, what it names. The folders of these are
//! watched, so that editors that replace a file instead of writing it are seen too, and new files that a pattern takes in.

use std::collections::{BTreeSet, HashSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

use notify::{EventKind, RecommendedWatcher, RecursiveMode, Watcher};

use shibori_formats::store::HIDDEN_FOLDER;

use crate::build::Build;

/// A save is several events: this long must nothing happen before it is taken for done.
const DEBOUNCE: Duration = Duration::from_millis(80);

/// So long is waited at most for quiet, where something writes all the time.
const MAX_DEBOUNCE: Duration = Duration::from_secs(2);

/// Waits for changes of what a recipe reads.
#[derive(Debug)]
pub struct Watch {
    folder: PathBuf,
    /// What builds write: changes of it are no news.
    outputs: HashSet<PathBuf>,
    /// The folder of outputs, if nothing is read from it.
    out: Option<PathBuf>,
    events: Receiver<notify::Result<notify::Event>>,
    watcher: RecommendedWatcher,
    watched: BTreeSet<PathBuf>,
}

/// What changed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ChangedFiles {
    /// Files, from the recipe's folder.
    pub files: Vec<PathBuf>,
}

/// A folder that can't be watched, and why.
pub type Unwatched = (PathBuf, String);

/// Folders in folders: deeper is a mistake, or a link that leads back.
const DEEPEST: usize = 16;

impl Watch {
    /// Begins to watch a recipe's folder, without the folders in it.
    ///
    /// # Errors
    /// If the system can't.
    pub fn begin(folder: &Path) -> Result<Self, String> {
        let (sender, events) = channel();
        let watcher = notify::recommended_watcher(sender).map_err(|error| error.to_string())?;
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let folder = folder.canonicalize().map_err(|error| error.to_string())?;
        let (outputs, watched) = (HashSet::new(), BTreeSet::new());
        let mut watch = Self { folder: folder.clone(), outputs, out: None, events, watcher, watched };
        watch.add(&folder)?;
        Ok(watch)
    }

    /// Watches what a recipe reads, links' own files too, and the folders in which a pattern may find something new. What
    /// can't be watched is given back, and looked at with the next change of anything else.
    pub fn follow(&mut self, build: &Build) -> Vec<Unwatched> {
        let inputs: Vec<PathBuf> = build.all_files().iter().map(|file| self.folder.join(file)).collect();
        let out = self.folder.join(build.out());
        let is_read = inputs.iter().any(|file| file.starts_with(&out)) || self.folder.starts_with(&out);
        self.out = (!is_read).then_some(out);
        self.pass_over(build);
        let mut folders = BTreeSet::new();
        for file in &inputs {
            folders.extend(file.parent().map(Path::to_owned));
            folders.extend(file.canonicalize().ok().and_then(|real| Some(real.parent()?.to_owned())));
        }
        for root in build.source_folders() {
            self.gather(&self.folder.join(root), &mut folders);
        }
        self.add_all(folders)
    }

    /// Watches everything below the recipe's folder, while nothing else is known of it.
    pub fn follow_everything(&mut self) -> Vec<Unwatched> {
        let mut folders = BTreeSet::new();
        self.gather(&self.folder, &mut folders);
        self.add_all(folders)
    }

    /// Passes over what builds have written until now.
    pub fn pass_over(&mut self, build: &Build) {
        self.outputs = build.all_outputs().iter().map(|file| self.folder.join(file)).collect();
    }

    /// A folder and those in it, but hidden ones and that of the outputs.
    fn gather(&self, root: &Path, folders: &mut BTreeSet<PathBuf>) {
        let is_wanted = |entry: &walkdir::DirEntry| {
            entry.file_type().is_dir()
                && (entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.'))
                && self.out.as_deref() != Some(entry.path())
        };
        let all = walkdir::WalkDir::new(root).max_depth(DEEPEST).into_iter();
        folders.extend(all.filter_entry(is_wanted).flatten().map(walkdir::DirEntry::into_path));
    }

    fn add_all(&mut self, folders: BTreeSet<PathBuf>) -> Vec<Unwatched> {
        let mut unwatched = Vec::new();
        for folder in folders {
            // One that is not there yet appears in one that is.
            if let Err(why) = self.add(&folder)
                && folder.is_dir()
            {
                unwatched.push((folder, why));
            }
        }
        unwatched
    }

    fn add(&mut self, folder: &Path) -> Result<(), String> {
        if !self.watched.contains(folder) {
            self.watcher.watch(folder, RecursiveMode::NonRecursive).map_err(|error| error.to_string())?;
            self.watched.insert(folder.to_owned());
        }
        Ok(())
    }

    /// Waits until something changed and is quiet again. `None` where the system no longer tells.
    pub fn next(&self) -> Option<ChangedFiles> {
        let mut files = BTreeSet::new();
        while files.is_empty() {
            self.record_event(self.events.recv().ok()?, &mut files);
        }
        let began = Instant::now();
        while began.elapsed() < MAX_DEBOUNCE {
            match self.events.recv_timeout(DEBOUNCE) {
                Ok(event) => self.record_event(event, &mut files),
                Err(RecvTimeoutError::Timeout) => break,
                Err(RecvTimeoutError::Disconnected) => return None,
            }
        }
        Some(ChangedFiles { files: files.into_iter().collect() })
    }

    /// Keeps the files of an event that are no outputs and no work of shibori's own.
    fn record_event(&self, event: notify::Result<notify::Event>, files: &mut BTreeSet<PathBuf>) {
        let Ok(event) = event else { return };
        if matches!(event.kind, EventKind::Access(_)) {
            return;
        }
        for path in event.paths {
            let below = path.strip_prefix(&self.folder).unwrap_or(&path);
            let is_own = below.components().any(|part| part.as_os_str() == HIDDEN_FOLDER);
            let in_out = self.out.as_ref().is_some_and(|out| path.starts_with(out));
            if !is_own && !in_out && !self.outputs.contains(&path) {
                files.insert(below.to_owned());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;
    use crate::options::RunOptions;

    const RECIPE: &str = "[sprite.koi]\nfrom = \"ART/**/*.png\"\n[out]\ndir = \"OUT\"\n";

    /// A project of a recipe below a folder that is called almost like the hidden one.
    fn project(art: &str, out: &str) -> (tempfile::TempDir, PathBuf) {
        let folder = tempfile::tempdir().unwrap();
        let home = folder.path().join(".shibori-tests/game");
        fs::create_dir_all(home.join(art).join("deep")).unwrap();
        fs::create_dir_all(home.join(out)).unwrap();
        fs::write(home.join(art).join("koi.png"), b"old").unwrap();
        fs::write(home.join("shibori.toml"), RECIPE.replace("ART", art).replace("OUT", out)).unwrap();
        let home = home.canonicalize().unwrap();
        (folder, home)
    }

    #[test]
    fn what_is_read_is_seen_and_what_is_written_is_not() {
        for (art, out) in [("art", "build"), ("art", "."), ("assets/src", "assets")] {
            let (_folder, home) = project(art, out);
            let mut watch = Watch::begin(&home).unwrap();
            let open = || Build::open(&home.join("shibori.toml"), &RunOptions::default()).unwrap();
            assert!(watch.follow(&open()).is_empty());
            fs::create_dir_all(home.join(".shibori")).unwrap();
            fs::write(home.join(".shibori/lock"), b"1").unwrap();
            let write = |file: &str| {
                fs::write(home.join(art).join(file).with_extension("tmp"), b"new").unwrap();
                fs::rename(home.join(art).join(file).with_extension("tmp"), home.join(art).join(file))
                    .unwrap();
            };
            for file in ["koi.png", "frog.png", "deep/heron.png"] {
                write(file);
                let change = watch.next().unwrap();
                assert!(change.files.contains(&Path::new(art).join(file)), "{art} {out}: {change:?}");
                assert!(change.files.iter().all(|path| path.starts_with(art)), "{change:?}");
            }
            // Outputs are ignored, wherever they are.
            watch.outputs.insert(home.join(out).join("pond.png"));
            fs::write(home.join(out).join("pond.png"), b"output").unwrap();
            write("koi.png");
            assert!(!watch.next().unwrap().files.contains(&Path::new(out).join("pond.png")));
        }
    }

    #[cfg(unix)]
    #[test]
    fn the_file_behind_a_link_is_seen_and_a_folder_that_can_not_be_read_stops_nothing() {
        let other = tempfile::tempdir().unwrap();
        fs::write(other.path().join("frog.png"), b"old").unwrap();
        let (_folder, home) = project("art", "build");
        std::os::unix::fs::symlink(other.path().join("frog.png"), home.join("art/frog.png")).unwrap();
        std::os::unix::fs::symlink("/proc", home.join("art/proc")).unwrap();
        fs::write(home.join("shibori.toml"), "[sprite.frog]\nfrom = \"art/frog.png\"\n").unwrap();
        let mut watch = Watch::begin(&home).unwrap();
        watch.follow_everything();
        watch.follow(&Build::open(&home.join("shibori.toml"), &RunOptions::default()).unwrap());
        fs::write(other.path().join("frog.png"), b"new").unwrap();
        let files = watch.next().unwrap().files;
        assert!(files.iter().any(|path| path.ends_with("frog.png")), "{files:?}");
    }
}
