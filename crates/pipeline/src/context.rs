//! What surrounds a run: how much it may take, where paths begin, whom to tell, and the one transaction through which all
//! its files go. Several steps may share one.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};

use shibori_formats::read::Limits;
use shibori_formats::write::{Policy, Transaction};

use crate::{Error, Growth, Notice};

/// Standard input or output, where a file is meant.
const STANDARD: &str = "-";

/// Hears what happens on the way. Every method may be called from any thread; by default nobody listens.
pub trait Listener: Sync {
    /// There is something to know.
    fn notice(&self, notice: Notice) {
        let _ = notice;
    }

    /// So many of so many units of work are done.
    fn progress(&self, task: Task, done: usize, of: usize) {
        let _ = (task, done, of);
    }
}

/// A listener that hears nothing.
#[derive(Clone, Copy, Debug, Default)]
pub struct Deaf;

impl Listener for Deaf {}

/// Work that takes long enough to be counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Task {
    /// Frames are encoded, one file each.
    Frames,
    /// Pages of an atlas are painted and encoded.
    Pages,
    /// Pictures of an animation are encoded.
    Pictures,
}

/// What surrounds a run.
pub struct Context<'a> {
    /// How much a file may ask for.
    pub limits: Limits,
    /// The folder in which relative paths begin; empty for the current one.
    pub base: PathBuf,
    listener: &'a dyn Listener,
    run: Transaction,
}

impl std::fmt::Debug for Context<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Context").field("base", &self.base).field("run", &self.run).finish_non_exhaustive()
    }
}

impl<'a> Context<'a> {
    /// Plain limits, paths from the current folder, nothing replaced that shibori did not write.
    pub fn new(listener: &'a dyn Listener) -> Self {
        Self::with_policy(listener, Policy::default())
    }

    /// The same with other rules for what may be replaced.
    pub fn with_policy(listener: &'a dyn Listener, policy: Policy) -> Self {
        let run = Transaction::new(policy);
        Self { limits: Limits::default(), base: PathBuf::new(), listener, run }
    }

    /// The file that a path of the options means.
    pub fn at(&self, path: &Path) -> PathBuf {
        if path == Path::new(STANDARD) { path.to_owned() } else { self.base.join(path) }
    }

    /// Refuses to draw a picture of more pixels than are allowed.
    pub(crate) fn hold_picture(&self, by: Growth, pixels: u64) -> Result<(), Error> {
        let limit = self.limits.pixels;
        if pixels > limit { Err(Error::PictureTooLarge { by, pixels, limit }) } else { Ok(()) }
    }

    /// All files of the run.
    pub fn run(&self) -> &Transaction {
        &self.run
    }

    /// Puts all files of the run in place.
    ///
    /// # Errors
    /// Where a file can't be put in its place.
    pub fn commit(self) -> Result<(), Error> {
        Ok(self.run.commit()?)
    }

    pub(crate) fn tell(&self, notice: Notice) {
        self.listener.notice(notice);
    }

    /// Counts units of work; may be called from any thread.
    pub(crate) fn counter(&self, task: Task, of: usize) -> impl Fn() + Sync {
        let done = AtomicUsize::new(0);
        move || self.listener.progress(task, done.fetch_add(1, Ordering::Relaxed) + 1, of)
    }
}
