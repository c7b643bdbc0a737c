//! What surrounds a run: how much it may take, where paths begin, whom to tell, and the one transaction through which all
//! its files go. Several steps may share one.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};

use serde_json::Value;
use shibori_core::{FrameSet, Lease};
use shibori_draw::{PixelLimitError, PixelLimits};
use shibori_formats::ReadProblem;
use shibori_formats::decode::ReadOptions;
use shibori_formats::store::{self, Policy, Transaction, UndoLog};

use crate::steps::CheckReport;
use crate::{Error, LimitError, Notice, SizeCause};

/// Bytes of a pixel in memory.
const PIXEL: u64 = 4;

/// Standard input, for programs.
const STANDARD: &str = "-";

/// Receives notices and progress. Methods may be called from any thread; the defaults ignore everything.
pub trait Observer: Sync {
    /// There is something to know.
    fn notice(&self, notice: Notice) {
        let _ = notice;
    }

    /// Describes findings, for pages that show them; `here` is the folder that the source's path is relative to. The default uses plain
    /// words.
    fn describe_findings(&self, checked: &CheckReport, here: &Path) -> Value {
        let _ = here;
        checked.describe()
    }

    /// So many of this many units of work are done.
    fn progress(&self, task: Task, done: usize, of: usize) {
        let _ = (task, done, of);
    }
}

/// An observer that ignores everything.
#[derive(Clone, Copy, Debug, Default)]
pub struct NoopObserver;

impl Observer for NoopObserver {}

/// Work that takes long enough to be counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Task {
    /// Frames are encoded, one file each.
    Frames,
    /// Pages of an atlas are painted and encoded.
    Pages,
    /// Pictures of an animation are encoded.
    Pictures,
}

/// What surrounds a run.
#[must_use = "nothing is in place before commit()"]
pub struct Context<'a> {
    limits: ReadOptions,
    /// The folder in which relative paths begin; empty for the current one.
    pub base: PathBuf,
    observer: &'a dyn Observer,
    run: Transaction,
}

impl std::fmt::Debug for Context<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Context").field("base", &self.base).field("run", &self.run).finish_non_exhaustive()
    }
}

impl<'a> Context<'a> {
    /// Plain limits, paths from the current folder, nothing replaced that shibori did not write.
    pub fn new(observer: &'a dyn Observer) -> Self {
        Self::with_policy(observer, Policy::default())
    }

    /// The same with other rules for what may be replaced.
    pub fn with_policy(observer: &'a dyn Observer, policy: Policy) -> Self {
        let run = Transaction::new(policy);
        let limits = ReadOptions { staged: run.staged().clone(), ..ReadOptions::default() };
        Self { limits, base: PathBuf::new(), observer, run }
    }

    /// The same with other limits.
    pub fn with_read_options(self, limits: ReadOptions) -> Self {
        let run = self.run.with_memory(limits.memory.clone());
        let limits = ReadOptions { staged: run.staged().clone(), ..limits };
        Self { run, limits, ..self }
    }

    /// The same, noting what files held before they are replaced.
    pub fn with_undo(self, log: UndoLog) -> Self {
        Self { run: self.run.with_undo(log), ..self }
    }

    /// The same, but in a dry run later steps read what earlier ones would have written.
    pub(crate) fn holding(self) -> Self {
        Self { run: self.run.holding(), ..self }
    }

    /// How much a file may ask for.
    pub fn limits(&self) -> &ReadOptions {
        &self.limits
    }

    /// The file that a path of the options means.
    pub fn resolve(&self, path: &Path) -> PathBuf {
        if self.is_standard_input(path) { path.to_owned() } else { self.base.join(path) }
    }

    fn is_standard_input(&self, path: &Path) -> bool {
        self.limits.standard_input && path == Path::new(STANDARD)
    }

    /// Makes sure that something lies where a path of the options means.
    pub(crate) fn require_exists(&self, path: &Path) -> Result<(), Error> {
        if self.resolve(path).exists() {
            return Ok(());
        }
        let (path, problem) = (path.to_owned(), ReadProblem::NotFound);
        Err(Error::File(shibori_formats::FileError::Read { path, problem }))
    }

    /// Takes memory for a picture that is to be made, if one may have so many pixels. It counts until the lease is dropped.
    pub(crate) fn check_image_size(&self, by: SizeCause, pixels: u64) -> Result<Lease, Error> {
        let limit = self.limits.pixels;
        if pixels > limit {
            return Err(Error::Limit(LimitError::PictureTooLarge { by, pixels, limit }));
        }
        self.check_memory(by, pixels)
    }

    /// Takes memory for pictures that are to be made, of this many pixels together. It counts until the lease is dropped, so
    /// that jobs side by side do not all take the same.
    pub(crate) fn check_memory(&self, by: SizeCause, pixels: u64) -> Result<Lease, Error> {
        let bytes = pixels.saturating_mul(PIXEL);
        self.limits.memory.lease(bytes).map_err(|over| Error::Limit(LimitError::Memory { by, over }))
    }

    /// Counts what frames take from now on.
    pub(crate) fn charge(&self, set: &FrameSet) {
        for frame in set.frames() {
            let companions = frame.companions().iter().map(|companion| &companion.pixels);
            companions.chain([frame.pixels()]).for_each(|pixels| pixels.charge_to(&self.limits.memory));
        }
    }

    /// How large pictures that are drawn may be.
    pub(crate) fn pixel_limits(&self) -> PixelLimits {
        let total = self.limits.memory.available() / PIXEL;
        PixelLimits { per_image: self.limits.pixels.min(total), total }
    }

    /// What is drawn, or why there is no room for it.
    pub(crate) fn map_limit_error<T>(
        &self,
        drawn: Result<T, PixelLimitError>,
        by: SizeCause,
    ) -> Result<T, Error> {
        drawn.or_else(|PixelLimitError { images, size }| {
            drop(self.check_image_size(by, size.area())?);
            drop(self.check_memory(by, size.area().saturating_mul(images))?);
            // Another thread gave memory back meanwhile; this run is refused all the same.
            let (pixels, limit) = (size.area(), self.limits.pixels);
            Err(Error::Limit(LimitError::PictureTooLarge { by, pixels, limit }))
        })
    }

    /// All files of the run.
    pub fn transaction(&self) -> &Transaction {
        &self.run
    }

    /// Puts all files of the run in place, and reports the hand work that is kept in them.
    ///
    /// # Errors
    /// If a file can't be put in its place.
    pub fn commit(self) -> Result<(), Error> {
        let kept = self.run.kept();
        self.run.commit()?;
        for (file, work) in kept {
            let file = file.strip_prefix(&self.base).map_or_else(|_| file.clone(), Path::to_owned);
            self.observer.notice(Notice::KeptByHand { file, work });
        }
        Ok(())
    }

    /// Finishes a run that was killed while it moved files into the folder of a source, so that half of it is not read.
    pub(crate) fn finish_interrupted(&self, source: &Path) -> Result<(), Error> {
        if self.run.policy().dry_run || self.is_standard_input(source) {
            return Ok(());
        }
        let path = self.resolve(source);
        let folder = if path.is_dir() { path.as_path() } else { path.parent().unwrap_or(Path::new("")) };
        store::finish_interrupted(folder).map_err(|error| {
            Error::File(shibori_formats::FileError::Read {
                path: folder.to_owned(),
                problem: ReadProblem::Io(error.into()),
            })
        })
    }

    /// Takes hold of a file that is to be changed in its place, before it is read.
    pub(crate) fn claim(&self, file: &Path) -> Result<(), Error> {
        Ok(self.run.claim(file)?)
    }

    pub(crate) fn notify(&self, notice: Notice) {
        self.observer.notice(notice);
    }

    /// What looks wrong, in words, for pages that show it.
    pub(crate) fn describe_findings(&self, checked: &CheckReport) -> Value {
        self.observer.describe_findings(checked, &self.base)
    }

    /// Counts units of work; may be called from any thread.
    pub(crate) fn progress_counter(&self, task: Task, of: usize) -> impl Fn() + Sync {
        let done = AtomicUsize::new(0);
        move || self.observer.progress(task, done.fetch_add(1, Ordering::Relaxed) + 1, of)
    }
}
