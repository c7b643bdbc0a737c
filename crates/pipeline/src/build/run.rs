//! Doing what is stale, and keeping what was done.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::num::NonZeroUsize;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use serde_json::Value;
use shibori_core::FrameSet;
use shibori_formats::decode::ReadOptions;
use shibori_formats::frame_cache::FrameCache;
use shibori_formats::store::{self, Digest, FingerprintCache, Policy, file_key, is_log_locked, log_file};

use crate::build::cache_keys::{CacheKey, cache_keys};
use crate::build::execution;
use crate::build::graph::{Graph, TargetKind};
use crate::build::ledger::{self, BuildLedger, LedgerEntry, RecordFile};
use crate::build::schedule::{JobResult, Schedule};
use crate::build::sources::slashed;
use crate::build::status::{StaleReason, TargetDigests};
use crate::build::{Build, BuildError, BuildEvent, BuildObserver, TargetError, TargetInfo};
use crate::recipe::RecipeErrorKind;
use crate::steps::CheckReport;
use crate::{Context, Error, Notice, Observer, Task};

/// What a build did.
#[derive(Clone, Debug, Default)]
pub struct Outcome {
    /// Steps that were done.
    pub done: usize,
    /// Steps that were as they should be.
    pub kept: usize,
    /// Steps that could not be done, or were not because of another.
    pub undone: usize,
    /// Files that were taken away, from the recipe's folder.
    pub removed: Vec<PathBuf>,
}

impl Outcome {
    /// Whether any file is another one now, or any step could not be done.
    pub fn did_something(&self) -> bool {
        self.done + self.undone + self.removed.len() > 0
    }
}

/// A step that is about to be done, as its context sees it.
pub(super) struct TaggedObserver<'a> {
    pub(super) observer: &'a dyn BuildObserver,
    pub(super) name: &'a str,
}

/// Words findings, and ignores everything else: the build itself says what there is to know.
struct WordsOnly<'a>(&'a dyn BuildObserver);

impl Observer for WordsOnly<'_> {
    fn describe_findings(&self, checked: &CheckReport, _: &Path) -> Value {
        self.0.findings(checked)
    }
}

impl Observer for TaggedObserver<'_> {
    fn describe_findings(&self, checked: &CheckReport, _: &Path) -> Value {
        self.observer.findings(checked)
    }

    fn notice(&self, notice: Notice) {
        self.observer.notice(self.name, notice);
    }

    fn progress(&self, _: Task, _: usize, _: usize) {}
}

/// What is shared by all that is done in one build.
struct BuildRun<'a> {
    build: &'a Build,
    graph: &'a Graph,
    observer: &'a dyn BuildObserver,
    store: &'a RecordFile,
    prints: &'a FingerprintCache,
    digests: &'a TargetDigests,
    limits: ReadOptions,
    policy: Policy,
    whys: Vec<Option<StaleReason>>,
    /// Frames that were cut before.
    frame_cache: FrameCache,
    /// Under what the frames of each figure are kept; none where they are not.
    keys: Vec<Option<CacheKey>>,
    /// Frames of figures, as long as something needs them, and how many still do.
    frames: Vec<Mutex<(Option<Made>, usize)>>,
    /// Steps that are up to date after all: what they need was made again and came out the same.
    settled: AtomicUsize,
    /// Which step writes a file.
    owners: Mutex<HashMap<String, usize>>,
    steps: Mutex<BTreeMap<String, LedgerEntry>>,
}

/// Frames of a figure, and what the files that they are made of held when they were read.
#[derive(Clone)]
struct Made {
    set: Arc<FrameSet>,
    read: Vec<(PathBuf, Digest)>,
}

/// Something to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Job {
    /// Make the frames of a figure.
    Frames(usize),
    /// Do the stale steps that are put in place with this one.
    Root(usize),
}

impl Build {
    /// Does what is stale, on as many threads as there are cores or as are said.
    ///
    /// # Errors
    /// [`Error::Build`] lists every target that failed, and what was done anyway. Any other error means that nothing was tried.
    pub fn run(&self, jobs: Option<NonZeroUsize>, observer: &dyn BuildObserver) -> Result<Outcome, Error> {
        if is_log_locked(&self.records) {
            observer.event(BuildEvent::Waiting);
        }
        let (store, record, trouble) = RecordFile::open(&self.records);
        if let Some(trouble) = &trouble {
            observer.event(BuildEvent::Trouble(trouble));
        }
        if store.was_interrupted() {
            self.finish_interrupted(&record)?;
        }
        let prints = FingerprintCache::new(record.files.clone(), store.now());
        let digests = TargetDigests::of(&self.graph, &prints)?;
        let whys = digests.whys(&self.graph, &record, &prints)?;
        observer.event(BuildEvent::Begins { stale: whys.iter().flatten().count(), steps: whys.len() });
        let run = BuildRun {
            build: self,
            graph: &self.graph,
            observer,
            store: &store,
            prints: &prints,
            digests: &digests,
            limits: self.run.limits(),
            policy: self.policy(),
            frame_cache: FrameCache::of(log_file(&self.records, "frames")),
            keys: cache_keys(&self.graph, whys.iter().any(Option::is_some), &prints),
            frames: self.graph.figures.iter().map(|_| Mutex::new((None, 0))).collect(),
            settled: AtomicUsize::new(0),
            owners: Mutex::default(),
            steps: Mutex::new(record.steps.clone()),
            whys,
        };
        let (mut outcome, mut errors) = run.execute_all(jobs);
        run.remove_orphans(&record, &mut outcome);
        let settled = run.settled.load(Ordering::Relaxed);
        let undone = run.whys.iter().flatten().count() - outcome.done - settled;
        (outcome.kept, outcome.undone) = (run.whys.len() - outcome.done - undone, undone);
        let was_trouble = trouble.is_some();
        run.save_ledger(&record, was_trouble);
        if run.whys.iter().any(Option::is_some) {
            run.frame_cache.retain(&run.keys.iter().flatten().map(|key| key.digest).collect::<Vec<_>>());
        }
        store.finish();
        if errors.is_empty() {
            return Ok(outcome);
        }
        errors.sort_by_key(|(place, _)| *place);
        let errors = errors.into_iter().map(|(_, error)| error).collect();
        Err(Error::Build(Box::new(BuildError { errors, outcome })))
    }

    /// Finishes a build that was killed, in every folder of outputs.
    fn finish_interrupted(&self, record: &BuildLedger) -> Result<(), Error> {
        let sure = (0..self.graph.steps.len()).flat_map(|at| self.graph.known_outputs(at));
        let known = record.outputs().map(|(path, _)| path.to_owned());
        let folders: HashSet<PathBuf> =
            sure.chain(known).filter_map(|path| Some(path.parent()?.to_owned())).collect();
        folders.iter().try_for_each(|folder| {
            let folder = self.graph.base.join(folder);
            store::finish_interrupted(&folder).map_err(|error| {
                Error::File(shibori_formats::FileError::Write { path: folder, problem: error.into() })
            })
        })
    }

    /// The owner of the outputs. If records are kept elsewhere, they identify the recipe even after it was moved.
    fn owner(&self) -> PathBuf {
        match self.records == self.recipe_file() {
            true => self.records.clone(),
            false => log_file(&self.records, "record"),
        }
    }

    /// The policy of a build.
    fn policy(&self) -> Policy {
        Policy { recipe: Some(self.owner()), dry_run: false, ..self.run.policy() }
    }

    /// Does one step, from its inputs to its outputs and nothing else: nothing is kept, and nothing that was kept is looked at.
    ///
    /// # Errors
    /// If there is no such step, or it can't be done.
    pub fn build_one(&self, name: &str, observer: &dyn BuildObserver) -> Result<TargetInfo, Error> {
        let at = self.graph.find_target(name)?;
        let step = &self.graph.steps[at];
        observer.event(BuildEvent::Starts { name: &step.name });
        let tagged = TaggedObserver { observer, name: &step.name };
        let cx = self.context(&tagged, self.policy(), &self.run.limits());
        let figures = self.graph.figures_of(at);
        let frames = figures
            .iter()
            .map(|&figure| {
                execution::make_frames(&self.graph, &self.graph.figures[figure], &cx).map(Arc::new)
            })
            .collect::<Result<Vec<_>, _>>()?;
        let outputs = execution::execute(&self.graph, step, &frames, &cx)?;
        cx.commit()?;
        observer.event(BuildEvent::Worked { name: &step.name });
        let sprites = figures.iter().map(|&figure| self.graph.figures[figure].name.as_str()).collect();
        observer.event(BuildEvent::Done {
            name: &step.name,
            why: &StaleReason::Asked,
            sprites,
            outputs: &outputs,
        });
        Ok(TargetInfo {
            name: step.name.clone(),
            inputs: self.all_inputs(at),
            outputs,
            digest: Digest([0; 32]),
        })
    }

    /// Every step with its inputs, its outputs and its digest. What a step writes shows in part only when it is done:
    /// pages and frames are made in memory for it, where nothing was kept, and nothing is written.
    ///
    /// # Errors
    /// If a step can't be done.
    pub fn describe_targets(&self, observer: &dyn BuildObserver) -> Result<Vec<TargetInfo>, Error> {
        let (record, _) = ledger::read_only(&self.records);
        let prints = FingerprintCache::new(record.files.clone(), 0);
        let digests = TargetDigests::of(&self.graph, &prints)?;
        let whys = digests.whys(&self.graph, &record, &prints)?;
        let policy = Policy { dry_run: true, force: true, carry: false, ..self.policy() };
        let words = WordsOnly(observer);
        let cx = self.context(&words, policy, &self.run.limits()).holding();
        let mut facts: Vec<Option<TargetInfo>> = vec![None; whys.len()];
        for at in self.graph.in_turn() {
            let step = &self.graph.steps[at];
            let known = record.steps.get(&step.name).filter(|_| whys[at].is_none());
            let outputs = match known {
                Some(kept) => kept.outputs.iter().map(|(path, _)| path.clone()).collect(),
                None => self.dry_run_outputs(at, &cx)?,
            };
            let (name, digest) = (step.name.clone(), digests.steps[at].digest);
            facts[at] = Some(TargetInfo { name, inputs: self.all_inputs(at), outputs, digest });
        }
        Ok(facts.into_iter().flatten().collect())
    }

    /// The outputs of steps that are put in place together, if they are what a build would write.
    pub(super) fn outputs_as_built(
        &self,
        steps: &[usize],
        observer: &dyn BuildObserver,
    ) -> Option<Vec<Vec<PathBuf>>> {
        let policy = Policy { dry_run: true, ..self.policy() };
        let words = WordsOnly(observer);
        let cx = self.context(&words, policy, &self.run.limits());
        let one = |&at: &usize| -> Result<Vec<PathBuf>, Error> {
            let step = &self.graph.steps[at];
            let figures = self.graph.figures_of(at).into_iter();
            let frames = figures
                .map(|figure| {
                    execution::make_frames(&self.graph, &self.graph.figures[figure], &cx).map(Arc::new)
                })
                .collect::<Result<Vec<_>, _>>()?;
            execution::execute(&self.graph, step, &frames, &cx)
        };
        // What can't be done is certainly not up to date.
        let outputs = steps.iter().map(one).collect::<Result<Vec<_>, _>>().ok()?;
        (!cx.transaction().has_changes()).then_some(outputs)
    }

    /// Outputs that the records beside them say this recipe wrote, where the record of builds is gone.
    pub(super) fn outputs_without_record(&self, record: &BuildLedger) -> Vec<PathBuf> {
        if !record.version.is_empty() {
            return Vec::new();
        }
        let sure = (0..self.graph.steps.len()).flat_map(|at| self.graph.known_outputs(at));
        let mut folders: HashSet<PathBuf> =
            sure.filter_map(|path| Some(self.graph.base.join(path.parent()?))).collect();
        if self.graph.out() != Path::new(".") {
            let all = walkdir::WalkDir::new(self.graph.base.join(self.graph.out()));
            let is_plain = |entry: &walkdir::DirEntry| {
                entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.')
            };
            let entries = all.into_iter().filter_entry(is_plain).flatten();
            folders
                .extend(entries.filter(|entry| entry.file_type().is_dir()).map(walkdir::DirEntry::into_path));
        }
        let from_base =
            |path: PathBuf| path.strip_prefix(&self.graph.base).map_or_else(|_| path.clone(), Path::to_owned);
        let outputs = folders.iter().flat_map(|folder| store::outputs_of_recipe(folder, &self.owner()));
        let mut outputs: Vec<PathBuf> = outputs.map(from_base).collect();
        outputs.sort();
        outputs
    }

    /// What a step writes, found out by doing it without writing.
    fn dry_run_outputs(&self, at: usize, cx: &Context<'_>) -> Result<Vec<PathBuf>, Error> {
        let step = &self.graph.steps[at];
        if !matches!(step.kind, TargetKind::Set { .. } | TargetKind::Atlas { .. }) {
            return Ok(self.graph.known_outputs(at));
        }
        let frames = self.graph.figures_of(at).into_iter();
        let frames = frames
            .map(|figure| execution::make_frames(&self.graph, &self.graph.figures[figure], cx).map(Arc::new));
        let frames = frames.collect::<Result<Vec<_>, _>>()?;
        execution::execute(&self.graph, step, &frames, cx)
    }

    /// Inputs of a step, outputs of other steps that it reads among them as far as they are known.
    pub(super) fn all_inputs(&self, at: usize) -> Vec<PathBuf> {
        let step = &self.graph.steps[at];
        let made = step.needs.iter().flat_map(|&need| self.graph.known_outputs(need));
        self.recipe_files().into_iter().chain(step.inputs.iter().cloned()).chain(made).collect()
    }

    pub(super) fn context<'a>(
        &self,
        observer: &'a dyn Observer,
        policy: Policy,
        limits: &ReadOptions,
    ) -> Context<'a> {
        let mut cx = Context::with_policy(observer, policy).with_read_options(limits.clone());
        cx.base.clone_from(&self.graph.base);
        cx
    }
}

/// The message of a panic.
fn message_of(panic: &(dyn std::any::Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(|text| (*text).to_owned());
    text.or_else(|| panic.downcast_ref::<String>().cloned()).unwrap_or_default()
}

impl BuildRun<'_> {
    /// Does everything that is stale, and returns failures with their place in the recipe.
    fn execute_all(&self, jobs: Option<NonZeroUsize>) -> (Outcome, Vec<(usize, TargetError)>) {
        let steps = &self.graph.steps;
        for at in (0..steps.len()).filter(|&at| self.whys[at].is_none()) {
            let kept =
                lock(&self.steps).get(&steps[at].name).map(|kept| kept.outputs.clone()).unwrap_or_default();
            let outputs: Vec<PathBuf> = kept.into_iter().map(|(path, _)| path).collect();
            lock(&self.owners).extend(outputs.iter().map(|path| (path_key(path), at)));
            self.observer.event(BuildEvent::Kept { name: &steps[at].name, outputs: &outputs });
        }
        let (schedule, todo) = self.plan_schedule();
        let cores = jobs.or_else(|| std::thread::available_parallelism().ok()).map_or(1, NonZeroUsize::get);
        // While one waits for the disk, another computes.
        let threads = if cores == 1 { 1 } else { cores + cores.div_ceil(2) };
        let (done, errors) = (Mutex::new(0), Mutex::new(Vec::new()));
        let work = |job: usize, is_alone: bool| {
            // A bug in one job must neither leave the others waiting nor lose their work.
            let outcome = catch_unwind(AssertUnwindSafe(|| match todo[job] {
                Job::Frames(figure) => self.frames_of(figure).map(|()| 0),
                Job::Root(root) => self.execute_group(root, is_alone),
            }));
            let outcome = outcome.unwrap_or_else(|panic| {
                let at = if let Job::Root(root) = todo[job] { root } else { usize::MAX };
                Err((at, Error::Bug { what: message_of(&*panic) }))
            });
            match outcome {
                Ok(count) => {
                    *lock(&done) += count;
                    JobResult::Done
                }
                Err((_, error)) if error.is_memory() && !is_alone && todo.len() > 1 => JobResult::NeedsRoom,
                Err((at, error)) => {
                    let name = match todo[job] {
                        Job::Frames(figure) => self.graph.figures[figure].name.as_str(),
                        Job::Root(_) => &steps[at].name,
                    };
                    let failed = TargetError { name: name.to_owned(), error: error.clone() };
                    lock(&errors).push((at, failed));
                    self.observer.event(BuildEvent::Failed { name, place: at, error });
                    self.skip_rest(todo[job], at, name);
                    JobResult::Failed
                }
            }
        };
        let skip = |job: usize, because: usize| {
            let name = match todo[because] {
                Job::Frames(figure) => self.graph.figures[figure].name.as_str(),
                Job::Root(root) => &steps[root].name,
            };
            self.skip_rest(todo[job], usize::MAX, name);
        };
        schedule.run(threads, work, skip);
        let done = done.into_inner().unwrap_or_else(PoisonError::into_inner);
        let errors = errors.into_inner().unwrap_or_else(PoisonError::into_inner);
        (Outcome { done, ..Outcome::default() }, errors)
    }

    /// Says of all stale steps of a job, but one, that they were not done.
    fn skip_rest(&self, job: Job, but: usize, because: &str) {
        if let Job::Root(root) = job {
            for step in self.stale_of(root).into_iter().filter(|&step| step != but) {
                self.observer.event(BuildEvent::Skipped { name: &self.graph.steps[step].name, because });
            }
        }
    }

    /// The stale steps that are put in place together.
    fn stale_of(&self, root: usize) -> Vec<usize> {
        let steps = self.graph.steps.iter().enumerate();
        steps.filter(|(at, step)| step.root == root && self.whys[*at].is_some()).map(|(at, _)| at).collect()
    }

    /// What is to be done, and what waits for what.
    fn plan_schedule(&self) -> (Schedule, Vec<Job>) {
        let (mut schedule, mut todo) = (Schedule::default(), Vec::new());
        let roots: Vec<usize> =
            (0..self.graph.steps.len()).filter(|&at| self.graph.steps[at].root == at).collect();
        let roots: Vec<usize> = roots.into_iter().filter(|&root| !self.stale_of(root).is_empty()).collect();
        let mut figures: Vec<usize> = Vec::new();
        for &root in &roots {
            for figure in self.figures_under(root) {
                lock(&self.frames[figure]).1 += 1;
                if !figures.contains(&figure) {
                    figures.push(figure);
                }
            }
        }
        let size = |path: &PathBuf| fs::metadata(self.graph.base.join(path)).map_or(0, |meta| meta.len());
        let sizes: HashMap<usize, u64> = figures
            .iter()
            .map(|&figure| (figure, self.graph.figures[figure].inputs.iter().map(size).sum()))
            .collect();
        // The largest root first, with all that it needs: so few frames are held at a time.
        let size_under =
            |root: usize| self.figures_under(root).iter().map(|figure| sizes[figure]).sum::<u64>();
        let mut by_size = roots.clone();
        by_size.sort_by_key(|&root| (size_under(root), usize::MAX - root));
        let rank: HashMap<usize, u64> =
            by_size.iter().enumerate().map(|(rank, &root)| (root, 2 * rank as u64)).collect();
        let mut rank_of_figure: HashMap<usize, u64> = HashMap::new();
        for &root in &roots {
            for figure in self.figures_under(root) {
                let known = rank_of_figure.entry(figure).or_default();
                *known = (*known).max(rank[&root]);
            }
        }
        // First numbers, then who waits for whom: a figure may wait for a root, and a root for figures.
        let of_figure: HashMap<usize, usize> =
            figures.iter().enumerate().map(|(job, &figure)| (figure, job)).collect();
        let of_root: HashMap<usize, usize> =
            roots.iter().enumerate().map(|(at, &root)| (root, figures.len() + at)).collect();
        for &figure in &figures {
            let needs = &self.graph.figures[figure].needs;
            let waits = needs.iter().filter_map(|&step| of_root.get(&self.graph.steps[step].root).copied());
            schedule.add(rank_of_figure[&figure], waits.collect());
            todo.push(Job::Frames(figure));
        }
        for &root in &roots {
            let under = self.figures_under(root);
            let mut waits: Vec<usize> = under.iter().map(|figure| of_figure[figure]).collect();
            for step in self.stale_of(root) {
                let needs = self.graph.steps[step].needs.iter().map(|&need| self.graph.steps[need].root);
                waits.extend(
                    needs.filter(|&need| need != root).filter_map(|need| of_root.get(&need).copied()),
                );
            }
            waits.sort_unstable();
            waits.dedup();
            schedule.add(rank[&root] + 1, waits);
            todo.push(Job::Root(root));
        }
        (schedule, todo)
    }

    /// The figures whose frames the stale steps of a root need, each once.
    fn figures_under(&self, root: usize) -> Vec<usize> {
        let mut seen = HashSet::new();
        let all = self.stale_of(root).into_iter().flat_map(|step| self.graph.figures_of(step));
        all.filter(|figure| seen.insert(*figure)).collect()
    }

    /// Makes the frames of a figure. Where there is no room for them beside others, they are made later, by what needs them.
    fn frames_of(&self, figure: usize) -> Result<(), (usize, Error)> {
        match self.make_sprite(figure) {
            Ok(set) => lock(&self.frames[figure]).0 = Some(set),
            Err((_, error)) if error.is_memory() => {}
            Err(failed) => return Err(failed),
        }
        Ok(())
    }

    fn make_sprite(&self, figure: usize) -> Result<Made, (usize, Error)> {
        let one = &self.graph.figures[figure];
        let name = one.name.as_str();
        self.observer.event(BuildEvent::Starts { name });
        let tagged = TaggedObserver { observer: self.observer, name };
        let cx = self.build.context(&tagged, self.policy.clone(), &self.limits);
        // Of figures that fail, the first step that needs one speaks.
        let place = || {
            let needs = |step: &usize| self.graph.figures_of(*step).contains(&figure);
            (0..self.graph.steps.len()).find(needs).unwrap_or(0)
        };
        let key = self.keys[figure].as_ref();
        let kept = key.and_then(|key| Some((self.frame_cache.read(key.digest, &self.limits.memory)?, key)));
        if let Some((set, key)) = kept {
            self.observer.event(BuildEvent::Framed { name });
            return Ok(Made { set: Arc::new(set), read: key.inputs.clone() });
        }
        let set = execution::make_frames(self.graph, one, &cx).map_err(|error| (place(), error))?;
        let read = read_by(&cx, &one.inputs);
        // A file may have changed since the build began.
        if let Some(key) = key.filter(|key| key.inputs == read) {
            self.frame_cache.write(key.digest, &set);
        }
        self.observer.event(BuildEvent::Framed { name });
        Ok(Made { set: Arc::new(set), read })
    }

    /// Does the stale steps of a root and puts them in place together; gives how many.
    fn execute_group(&self, root: usize, is_alone: bool) -> Result<usize, (usize, Error)> {
        let stale = self.stale_of(root);
        let under = self.figures_under(root);
        if is_alone {
            // This group runs alone: drop cached frames of other sprites; they are recomputed when needed.
            let others = (0..self.frames.len()).filter(|figure| !under.contains(figure));
            others.for_each(|figure| lock(&self.frames[figure]).0 = None);
        }
        let mut sets: HashMap<usize, Made> = HashMap::new();
        for &figure in &under {
            let there = lock(&self.frames[figure]).0.clone();
            sets.insert(figure, there.map_or_else(|| self.make_sprite(figure), Ok)?);
        }
        let name = &self.graph.steps[stale[0]].name;
        let tagged = TaggedObserver { observer: self.observer, name };
        let cx = self.build.context(&tagged, self.policy.clone(), &self.limits);
        let mut written: Vec<(usize, Vec<PathBuf>)> = Vec::new();
        let mut fresh: HashMap<usize, Vec<(PathBuf, Digest)>> = HashMap::new();
        for &at in &stale {
            let step = &self.graph.steps[at];
            if self.is_settled(at, &fresh) {
                continue;
            }
            self.observer.event(BuildEvent::Starts { name: &step.name });
            let frames: Vec<Arc<FrameSet>> =
                self.graph.figures_of(at).iter().map(|figure| Arc::clone(&sets[figure].set)).collect();
            let outputs = execution::execute(self.graph, step, &frames, &cx).map_err(|error| (at, error))?;
            self.claim_outputs(at, &outputs).map_err(|error| (at, error))?;
            self.observer.event(BuildEvent::Worked { name: &step.name });
            let digest = |path: &PathBuf| Some(Digest::of(&cx.limits().staged.read(&cx.resolve(path)).ok()?));
            let staged = |path: &PathBuf| Some((path.clone(), digest(path)?));
            fresh.insert(at, outputs.iter().filter_map(staged).collect());
            written.push((at, outputs));
        }
        let mut read: HashMap<PathBuf, Digest> = HashMap::new();
        for &(at, _) in &written {
            read.extend(read_by(&cx, &self.graph.steps[at].inputs));
        }
        read.extend(sets.values().flat_map(|made| made.read.iter().cloned()));
        cx.commit().map_err(|error| (stale[0], error))?;
        drop(sets);
        under.iter().for_each(|&figure| {
            let mut frames = lock(&self.frames[figure]);
            frames.1 -= 1;
            if frames.1 == 0 {
                frames.0 = None;
            }
        });
        for (at, outputs) in &written {
            let name = &self.graph.steps[*at].name;
            let digest = &self.digests.steps[*at];
            let hashed = |path: &PathBuf| {
                let hash = self.prints.hash(&self.graph.base, path).ok().flatten();
                (path.clone(), hash.unwrap_or(Digest([0; 32])))
            };
            // What was read is what is recorded, even if the file was changed and changed back meanwhile.
            let as_read = |(path, hash): &(PathBuf, Digest)| (path.clone(), *read.get(path).unwrap_or(hash));
            let inputs: Vec<(PathBuf, Digest)> = digest.inputs.iter().map(as_read).collect();
            let is_as_planned = inputs == digest.inputs;
            let made_of = {
                let steps = lock(&self.steps);
                let outputs =
                    |need: usize| steps.get(&self.graph.steps[need].name).map(|step| &step.outputs[..]);
                self.digests.made_of(self.graph, *at, outputs)
            };
            let kept = LedgerEntry {
                digest: Some(if is_as_planned { made_of } else { Digest([0; 32]) }),
                settings: Some(digest.settings),
                inputs,
                outputs: outputs.iter().map(hashed).collect(),
            };
            self.store.add(name, Some(&kept));
            lock(&self.steps).insert(name.clone(), kept);
            if let Some(why) = &self.whys[*at] {
                let figures = self.graph.figures_of(*at).into_iter();
                let sprites = figures.map(|figure| self.graph.figures[figure].name.as_str()).collect();
                self.observer.event(BuildEvent::Done { name, why, sprites, outputs });
            }
        }
        Ok(written.len())
    }

    /// Whether a step that is stale only since another was is as it should be after all: what that wrote is what it wrote
    /// before.
    fn is_settled(&self, at: usize, fresh: &HashMap<usize, Vec<(PathBuf, Digest)>>) -> bool {
        let step = &self.graph.steps[at];
        let steps = lock(&self.steps);
        let is_by_need = matches!(self.whys[at], Some(StaleReason::Target(_)));
        let Some(before) = steps.get(&step.name).filter(|_| is_by_need) else { return false };
        let outputs = |need: usize| match fresh.get(&need) {
            Some(outputs) => Some(&outputs[..]),
            None => steps.get(&self.graph.steps[need].name).map(|step| &step.outputs[..]),
        };
        if before.digest != Some(self.digests.made_of(self.graph, at, outputs)) {
            return false;
        }
        let outputs: Vec<PathBuf> = before.outputs.iter().map(|(path, _)| path.clone()).collect();
        drop(steps);
        lock(&self.owners).extend(outputs.iter().map(|path| (path_key(path), at)));
        self.observer.event(BuildEvent::Kept { name: &step.name, outputs: &outputs });
        self.settled.fetch_add(1, Ordering::Relaxed);
        true
    }

    /// Refuses a file that another step of the recipe writes, too.
    fn claim_outputs(&self, at: usize, outputs: &[PathBuf]) -> Result<(), Error> {
        let mut owners = lock(&self.owners);
        for path in outputs {
            if let Some(&other) = owners.get(&path_key(path)).filter(|&&other| other != at) {
                let (first, second) = (&self.graph.steps[other].name, &self.graph.steps[at].name);
                let fault = RecipeErrorKind::TwoOutputs {
                    path: path.clone(),
                    first: first.clone(),
                    second: second.clone(),
                };
                return Err(self.graph.recipe.error_at(&self.graph.steps[at].span, fault).into());
            }
            owners.insert(path_key(path), at);
        }
        Ok(())
    }

    /// Takes away what earlier builds wrote and this one has no use for.
    fn remove_orphans(&self, before: &BuildLedger, outcome: &mut Outcome) {
        let mut steps = lock(&self.steps);
        let here: HashSet<&str> = self.graph.steps.iter().map(|step| step.name.as_str()).collect();
        let gone: Vec<String> = steps.keys().filter(|name| !here.contains(name.as_str())).cloned().collect();
        gone.iter().for_each(|name| drop(steps.remove(name)));
        let still: HashSet<PathBuf> =
            steps.values().flat_map(|step| &step.outputs).map(|(path, _)| path.clone()).collect();
        let sure = (0..self.graph.steps.len()).flat_map(|at| self.graph.known_outputs(at));
        let still: HashSet<PathBuf> = still.into_iter().chain(sure).collect();
        // Of a step that was not done, nobody knows what it wrote.
        let is_all_done =
            self.whys.iter().flatten().count() == outcome.done + self.settled.load(Ordering::Relaxed);
        let unknown = if is_all_done { self.build.outputs_without_record(before) } else { Vec::new() };
        let stale: Vec<PathBuf> = before.outputs().map(|(path, _)| path.to_owned()).chain(unknown).collect();
        // One that somebody removed may have left a ledger.
        let is_folder = |path: &PathBuf| self.graph.base.join(path).parent().is_some_and(Path::is_dir);
        let stale: Vec<PathBuf> =
            stale.into_iter().filter(|path| !still.contains(path) && is_folder(path)).collect();
        let is_there = |path: &PathBuf| self.graph.base.join(path).is_file();
        let there: HashSet<PathBuf> = stale.iter().filter(|path| is_there(path)).cloned().collect();
        let whole: Vec<PathBuf> = stale.iter().map(|path| self.graph.base.join(path)).collect();
        if !whole.is_empty() {
            let tagged = TaggedObserver { observer: self.observer, name: "" };
            let cx = self.build.context(&tagged, self.policy.clone(), &self.limits);
            let inputs: Vec<PathBuf> = self
                .graph
                .steps
                .iter()
                .flat_map(|step| &step.inputs)
                .map(|path| self.graph.base.join(path))
                .collect();
            cx.transaction().add_sources(&inputs);
            // What can't be taken away now will be the next time it is asked for; it hurts nobody.
            if cx.transaction().plan(&[], &whole).is_ok() {
                let _ = cx.commit();
            }
            stale.iter().for_each(|path| self.remove_empty(path));
            let was_there = stale.into_iter().filter(|path| there.contains(path));
            let (left, removed): (Vec<PathBuf>, Vec<PathBuf>) = was_there.partition(is_there);
            if !there.is_empty() {
                self.observer.event(BuildEvent::Removed { files: &removed, left: &left });
            }
            outcome.removed = removed;
        }
        gone.iter().for_each(|name| self.store.add(name, None));
    }

    /// Takes away the folders that a file leaves empty, up to the folder of outputs.
    fn remove_empty(&self, file: &Path) {
        let out = self.graph.out();
        for folder in
            file.ancestors().skip(1).take_while(|folder| folder.starts_with(&out) && **folder != out)
        {
            if fs::remove_dir(self.graph.base.join(folder)).is_err() {
                return;
            }
        }
    }

    /// Keeps what was done and what files hold.
    fn save_ledger(&self, before: &BuildLedger, was_trouble: bool) {
        let steps = lock(&self.steps);
        let is_same =
            *steps == before.steps && before.is_same_version() && !was_trouble && !self.prints.is_dirty();
        if is_same {
            return;
        }
        let inputs = self.graph.steps.iter().flat_map(|step| step.inputs.iter().cloned());
        let outputs = steps.values().flat_map(|step| step.outputs.iter().map(|(path, _)| path.clone()));
        let mut seen = HashSet::new();
        let files = self.prints.of(inputs.chain(outputs).filter(|path| seen.insert(path.clone())));
        // What is not kept is only done once more.
        let _ = self.store.compact(&steps, &files);
    }
}

/// What files held when a run read them.
fn read_by(cx: &Context<'_>, files: &[PathBuf]) -> Vec<(PathBuf, Digest)> {
    let read =
        |path: &PathBuf| Some((path.clone(), cx.limits().staged.fingerprint(&cx.resolve(path))?.digest));
    files.iter().filter_map(read).collect()
}

/// Case-folded key for comparing output paths on every platform.
fn path_key(path: &Path) -> String {
    file_key(&slashed(path))
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    // What is inside is whole whenever the lock is free.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
