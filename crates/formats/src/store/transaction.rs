//! The one transaction that every file of a run goes through, over all its steps.
//!
//! A step plans its files as a [`Batch`]: every target is checked before any work is done, against the sources of the run,
//! the targets of other steps, and what is there. Its bytes are staged beside their targets. [`Transaction::commit`] looks
//! once more whether anybody changed a target since it was read, writes the journal, and moves everything into place. A
//! run that fails or is killed leaves every file old or every file new: see `staging`.

use std::collections::{HashMap, HashSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::Duration;

use shibori_core::{Budget, parallel};

use crate::DisplaySlashed;
use crate::store::file_system::{FileSystem, OsFileSystem, read_if_there};
use crate::store::journal::Move;
use crate::store::ledger::{Entry, Ledger};
use crate::store::names::{check_new, file_key};
use crate::store::staging::{self, CommitError, Staging, with_interrupt_gate};
use crate::store::{Digest, FileStamp, Fingerprint, OsText, PathText, StagedFiles, Undo, UndoLog, seal};
use crate::{FileError, WouldLoseData, WriteProblem};

/// What may be replaced, and who writes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Policy {
    /// Replace files that shibori did not write, and take the new version of what a person changed too.
    pub force: bool,
    /// Only check; write nothing.
    pub dry_run: bool,
    /// Keep the hand work where the run changes the same.
    pub carry: bool,
    /// The recipe whose build writes; none for a single command.
    pub recipe: Option<PathBuf>,
}

/// All files that a run writes.
#[derive(Debug)]
#[must_use = "nothing is in place before commit()"]
pub struct Transaction {
    policy: Policy,
    /// Memory for pictures that are encoded, together with all others of the run.
    memory: Budget,
    disk: Arc<dyn FileSystem>,
    staged: StagedFiles,
    /// Whether a dry run keeps what it would write, for later steps to read.
    holds: bool,
    undo: Option<UndoLog>,
    state: Mutex<State>,
}

#[derive(Debug)]
struct State {
    sources: HashSet<PathBuf>,
    /// Files whose content was looked at and may be replaced.
    approved: HashSet<PathBuf>,
    /// What is there, as far as it was looked at.
    existing: HashMap<PathBuf, Option<Existing>>,
    batches: Vec<Arc<PlannedFiles>>,
    /// How each target was named, by its key.
    targets: HashMap<PathBuf, PathBuf>,
    claims: HashSet<PathBuf>,
    staging: Staging,
    next_number: usize,
    kept: Vec<(PathBuf, WouldLoseData)>,
}

/// A file that is there.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Existing {
    pub(crate) fingerprint: Fingerprint,
    /// Whether shibori wrote it and nobody changed it since.
    pub(crate) is_ours: bool,
    /// Whether its seal says so.
    pub(crate) is_sealed: bool,
}

/// The files of one step.
#[derive(Debug)]
pub struct Batch {
    files: Arc<PlannedFiles>,
    disk: Arc<dyn FileSystem>,
    staged: StagedFiles,
    holds: bool,
}

#[derive(Debug)]
struct PlannedFiles {
    /// The file that says what the others are.
    unit: PathBuf,
    targets: Vec<PlannedFile>,
    /// Our own files of an earlier run that this one has no use for.
    orphans: Vec<PlannedFile>,
    /// Whether the ledger stays as it was, since the step is a person's hand work.
    is_hand_work: bool,
    /// The text that a manifest would have without hand work.
    base: Mutex<Option<String>>,
}

#[derive(Debug)]
struct PlannedFile {
    path: PathBuf,
    /// Where its bytes are staged; none in a dry run.
    place: Option<Place>,
    /// What was there when it was read.
    before: Option<Fingerprint>,
    /// Whether what is replaced can't be made again.
    is_precious: bool,
    outcome: Mutex<Outcome>,
}

/// Where staged bytes are.
#[derive(Clone, Debug)]
struct Place {
    folder: usize,
    number: usize,
    path: PathBuf,
}

/// What becomes of a target.
#[derive(Debug, Default)]
struct Outcome {
    /// Of the bytes that are staged.
    staged: Option<Digest>,
    /// What the ledger is to say.
    entry: Option<(Digest, Option<Digest>)>,
}

/// What a step writes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// Files, in the order planned.
    pub files: Vec<PathBuf>,
    /// Files of an earlier run that are removed.
    pub removed: Vec<PathBuf>,
}

/// Called when a run waits for another that writes the same file.
static ON_WAIT: OnceLock<fn(&Path)> = OnceLock::new();

/// Sets what is called, once per file, when a run waits for another one that writes it. Only the first call counts.
pub fn on_wait(report: fn(&Path)) {
    let _ = ON_WAIT.set(report);
}

impl Default for Transaction {
    fn default() -> Self {
        Self::new(Policy::default())
    }
}

impl Transaction {
    /// A transaction without files.
    pub fn new(policy: Policy) -> Self {
        Self::on(Arc::new(OsFileSystem), policy)
    }

    pub(super) fn on(disk: Arc<dyn FileSystem>, policy: Policy) -> Self {
        let state = State {
            sources: HashSet::new(),
            approved: HashSet::new(),
            existing: HashMap::new(),
            batches: Vec::new(),
            targets: HashMap::new(),
            claims: HashSet::new(),
            staging: Staging::new(Arc::clone(&disk)),
            next_number: 0,
            kept: Vec::new(),
        };
        let (memory, staged) = (Budget::default(), StagedFiles::default());
        Self { policy, memory, disk, staged, holds: false, undo: None, state: Mutex::new(state) }
    }

    /// The same, but in a dry run later steps read what earlier ones would have written.
    pub fn holding(self) -> Self {
        Self { holds: true, ..self }
    }

    /// The same, noting what its files held before.
    pub fn with_undo(self, log: UndoLog) -> Self {
        Self { undo: Some(log), ..self }
    }

    /// The same with a limit on memory.
    pub fn with_memory(self, memory: Budget) -> Self {
        Self { memory, ..self }
    }

    /// Files of this run, staged and read.
    pub fn staged(&self) -> &StagedFiles {
        &self.staged
    }

    /// Memory for pictures that are encoded.
    pub(crate) fn memory(&self) -> &Budget {
        &self.memory
    }

    /// What it may replace.
    pub fn policy(&self) -> &Policy {
        &self.policy
    }

    fn state(&self) -> MutexGuard<'_, State> {
        // What is inside is whole whenever the lock is free.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Files that the run reads: they are never replaced.
    pub fn add_sources(&self, files: &[PathBuf]) {
        let real = parallel::map_slice(files, |path| path.canonicalize().ok());
        self.state().sources.extend(real.into_iter().flatten());
    }

    /// The files that the run reads, without links.
    pub fn sources(&self) -> Vec<PathBuf> {
        let mut sources: Vec<PathBuf> = self.state().sources.iter().cloned().collect();
        sources.sort_unstable();
        sources
    }

    /// Takes hold of a file that is to be changed, before it is read: waits for another run that is to write it, and
    /// finishes one that was killed.
    ///
    /// # Errors
    /// If its folder can't be written to or locked.
    pub fn claim(&self, unit: &Path) -> Result<(), FileError> {
        if !self.policy.dry_run {
            self.wait_for_rivals(unit)?;
        }
        self.check_recipe(unit, self.ledger(unit)?.as_ref())
    }

    fn wait_for_rivals(&self, unit: &Path) -> Result<(), FileError> {
        let folder = folder_of(unit);
        let name = unit.file_name().unwrap_or_default();
        let fault = |error| FileError::write(folder, error);
        {
            let mut state = self.state();
            if !state.claims.insert(unit.to_owned()) {
                return Ok(());
            }
            check_new(&[unit.to_owned()])?;
            let index = state.staging.open(folder).map_err(fault)?;
            state.staging.claim(index, name).map_err(fault)?;
        }
        let mut has_waited = false;
        loop {
            let state = self.state();
            let index = state.staging.position(folder).expect("it was opened");
            if !state.staging.has_rival(index, name).map_err(fault)? {
                break;
            }
            drop(state);
            if let Some(report) = ON_WAIT.get().filter(|_| !has_waited) {
                report(unit);
            }
            has_waited = true;
            std::thread::sleep(WAIT);
        }
        if has_waited {
            // What the other run did is finished if it was killed.
            staging::recover(folder, &*self.disk).map_err(fault)?;
        }
        Ok(())
    }

    /// What is known of the last run that wrote a main file.
    ///
    /// # Errors
    /// If its ledger is there and can't be read.
    pub(crate) fn ledger(&self, unit: &Path) -> Result<Option<Ledger>, FileError> {
        Ledger::read(unit, &*self.disk).map_err(|error| FileError::write(&Ledger::path(unit), error))
    }

    /// What is at a path, and whether it is ours. `unit` and `ledger` are those of the main file it belongs to.
    ///
    /// # Errors
    /// If it is there and can't be read.
    pub(crate) fn existing(
        &self,
        path: &Path,
        unit: &Path,
        ledger: Option<&Ledger>,
    ) -> Result<Option<Existing>, FileError> {
        if let Some(known) = self.state().existing.get(path) {
            return Ok(*known);
        }
        let found = match self.staged.read(path) {
            Err(error) if matches!(error.kind(), std::io::ErrorKind::NotFound) => None,
            Err(_) if !path.is_file() => None,
            Err(error) => return Err(FileError::write(path, error)),
            Ok(bytes) => {
                let digest = Digest::of(&bytes);
                // What was read before, to be changed, counts.
                let Some(fingerprint) = self.staged.fingerprint(path) else { return Ok(None) };
                let is_sealed = seal::is_intact(&bytes);
                let is_ours = is_sealed || self.is_recorded(path, unit, ledger, digest)?;
                Some(Existing { fingerprint, is_ours, is_sealed })
            }
        };
        self.state().existing.insert(path.to_owned(), found);
        Ok(found)
    }

    /// Whether a ledger says that shibori wrote just this.
    fn is_recorded(
        &self,
        path: &Path,
        unit: &Path,
        ledger: Option<&Ledger>,
        digest: Digest,
    ) -> Result<bool, FileError> {
        let holds =
            |ledger: &Ledger, file: &Path| ledger.entry(file).is_some_and(|entry| entry.digest == digest);
        let from_unit = from_folder_of(unit, path);
        if ledger.zip(from_unit).is_some_and(|(ledger, file)| holds(ledger, file)) {
            return Ok(true);
        }
        let own = if path == unit { None } else { self.ledger(path)? };
        let name = Path::new(path.file_name().unwrap_or_default());
        if own.is_some_and(|own| holds(&own, name)) {
            return Ok(true);
        }
        let all =
            Ledger::read_all(folder_of(path), &*self.disk).map_err(|error| FileError::write(path, error))?;
        Ok(all.iter().any(|ledger| holds(ledger, name)))
    }

    /// Approves replacing a file: its content was looked at, and nothing of it is lost.
    pub(crate) fn approve(&self, path: &Path) {
        self.state().approved.insert(path.to_owned());
    }

    /// Approves replacing a file that has these contents already.
    pub(crate) fn approve_unchanged(&self, path: &Path, bytes: &[u8]) {
        if holds(path, bytes) {
            self.approve(path);
        }
    }

    /// Approves replacing a file that can't carry a seal and of which nothing is known, if a recipe declares it and the
    /// sealed files of the run in its folder are as shibori wrote them.
    pub(crate) fn approve_declared(&self, path: &Path, unit: &Path) {
        let is_unknown = self.ledger(unit).is_ok_and(|ledger| ledger.is_none());
        let state = self.state();
        let beside = state.existing.iter().filter(|(other, _)| folder_of(other) == folder_of(path));
        // What can't carry a seal either was approved on the same grounds.
        let counts = |other: &Path, found: &Existing| {
            other != path && (found.is_sealed || !state.approved.contains(other))
        };
        let mut existing = beside.filter_map(|(other, found)| found.filter(|found| counts(other, found)));
        let is_approved = self.policy.recipe.is_some()
            && existing.clone().any(|other| other.is_sealed)
            && existing.all(|other| other.is_ours);
        drop(state);
        if is_approved && is_unknown {
            self.approve(path);
        }
    }

    /// Notes hand work that stays, for a report at the end.
    pub(crate) fn keep(&self, unit: &Path, kept: WouldLoseData) {
        if !kept.is_empty() {
            self.state().kept.push((unit.to_owned(), kept));
        }
    }

    /// Whether any file would be another one, or gone, after a commit. In a dry run too.
    pub fn has_changes(&self) -> bool {
        let state = self.state();
        let is_changed = |file: &PlannedFile| lock(&file.outcome).staged.is_some();
        state.batches.iter().any(|files| !files.orphans.is_empty() || files.targets.iter().any(is_changed))
    }

    /// Hand work that stays, by the file it is in.
    pub fn kept(&self) -> Vec<(PathBuf, WouldLoseData)> {
        self.state().kept.clone()
    }

    /// Checks that all targets of a step may be written, and prepares their folders. The last target says what the others are.
    ///
    /// # Errors
    /// If one is a folder, a source, not ours, or written by another step; or a folder can't be written to.
    pub fn plan(&self, targets: &[PathBuf], orphans: &[PathBuf]) -> Result<Batch, FileError> {
        self.plan_files(targets, orphans, false)
    }

    /// The same for files that a person changes, such as a set changed in place: the ledger keeps saying what was written
    /// before.
    ///
    /// # Errors
    /// As [`Transaction::plan`].
    pub fn plan_hand_work(&self, targets: &[PathBuf], orphans: &[PathBuf]) -> Result<Batch, FileError> {
        self.plan_files(targets, orphans, true)
    }

    fn plan_files(
        &self,
        targets: &[PathBuf],
        orphans: &[PathBuf],
        is_hand_work: bool,
    ) -> Result<Batch, FileError> {
        check_new(targets)?;
        let mut own: HashMap<PathBuf, PathBuf> = HashMap::with_capacity(targets.len());
        for (target, key) in targets.iter().zip(parallel::map_slice(targets, |path| path_key(path))) {
            if self.state().targets.contains_key(&key) {
                return Err(FileError::write(target, WriteProblem::TwoSteps));
            }
            if let Some(first) = own.insert(key, target.clone()) {
                let (first, second) =
                    (first.display_slashed().to_string(), target.display_slashed().to_string());
                return Err(FileError::write(target, WriteProblem::Twice { first, second }));
            }
        }
        let unit = targets.last().or(orphans.first()).cloned().unwrap_or_default();
        if !targets.is_empty() {
            self.claim(&unit)?;
        }
        if !self.policy.dry_run {
            let mut state = self.state();
            let folders: HashSet<&Path> = targets.iter().chain(orphans).map(|path| folder_of(path)).collect();
            let mut folders: Vec<&Path> = folders.into_iter().collect();
            folders.sort_unstable();
            for folder in folders {
                let opened = state.staging.open(folder);
                opened.map_err(|error| FileError::write(folder, error))?;
            }
        }
        let ledger = self.ledger(&unit)?;
        let existing = parallel::try_map(targets.len(), |index| {
            self.checked(&targets[index], &unit, ledger.as_ref(), is_hand_work)
        })?;
        let is_orphan = |path: &&PathBuf| -> Result<bool, FileError> {
            let existing = self.existing(path, &unit, ledger.as_ref())?;
            let state = self.state();
            // Of one that somebody removed, the ledger goes.
            let is_ours = existing.map_or_else(
                || Ledger::path(path).is_file(),
                |existing| existing.is_ours || self.policy.force,
            );
            Ok(is_ours
                && path.canonicalize().map_or(true, |real| !state.sources.contains(&real))
                && !state.targets.contains_key(&path_key(path))
                && !own.contains_key(&path_key(path)))
        };
        let mut removed = Vec::new();
        for path in orphans {
            if is_orphan(&path)? {
                removed.push((path, self.existing(path, &unit, ledger.as_ref())?));
            }
        }
        let mut state = self.state();
        state.targets.extend(own);
        let first = state.next_number;
        state.next_number += targets.len() + orphans.len();
        let place = |folder: usize, number: usize| {
            let path = state.staging.staged_file(folder, number);
            Place { folder, number, path }
        };
        let planned = |number: usize, path: &PathBuf, existing: Option<Existing>| PlannedFile {
            path: path.clone(),
            place: state.staging.position(folder_of(path)).map(|folder| place(folder, first + number)),
            before: existing.map(|existing| existing.fingerprint),
            is_precious: existing.is_some_and(|existing| !existing.is_ours) || is_hand_work,
            outcome: Mutex::default(),
        };
        let files = PlannedFiles {
            targets: targets
                .iter()
                .zip(existing)
                .enumerate()
                .map(|(number, (path, existing))| planned(number, path, existing))
                .collect(),
            orphans: removed
                .into_iter()
                .enumerate()
                .map(|(number, (path, existing))| planned(targets.len() + number, path, existing))
                .collect(),
            unit,
            is_hand_work,
            base: Mutex::default(),
        };
        let files = Arc::new(files);
        state.batches.push(Arc::clone(&files));
        let (disk, staged) = (Arc::clone(&self.disk), self.staged.clone());
        Ok(Batch { files, disk, staged, holds: self.holds })
    }

    /// Refuses what another recipe writes.
    fn check_recipe(&self, unit: &Path, ledger: Option<&Ledger>) -> Result<(), FileError> {
        let (Some(own), Some(other)) = (&self.policy.recipe, ledger.and_then(Ledger::recipe)) else {
            return Ok(());
        };
        let other = folder_of(unit).join(other);
        // One that is gone writes nothing any more.
        match (own.canonicalize(), other.canonicalize()) {
            (Ok(own), Ok(recipe)) if own != recipe && !self.policy.force => {
                Err(FileError::write(unit, WriteProblem::OtherRecipe { recipe }))
            }
            _ => Ok(()),
        }
    }

    /// What is at a target, if it may be replaced.
    fn checked(
        &self,
        target: &Path,
        unit: &Path,
        ledger: Option<&Ledger>,
        is_hand_work: bool,
    ) -> Result<Option<Existing>, FileError> {
        if target.is_dir() {
            return Err(FileError::write(target, WriteProblem::IsFolder));
        }
        if target.canonicalize().is_ok_and(|real| self.state().sources.contains(&real)) {
            return Err(FileError::write(target, WriteProblem::IsSource));
        }
        let existing = self.existing(target, unit, ledger)?;
        let is_approved = is_hand_work || self.policy.force || self.state().approved.contains(target);
        match existing {
            Some(found) if !found.is_ours && !is_approved => {
                let problem = match crate::encode::fault_of_manifest(target) {
                    Some(why) => WriteProblem::BrokenManifest { why },
                    None => WriteProblem::NotOurs,
                };
                Err(FileError::write(target, problem))
            }
            // A manifest is replaced by a manifest, which is merged with it and approved.
            Some(_) if !is_approved && target.extension().is_some_and(|ending| ending == "json") => {
                match crate::encode::sprites_of_manifest(target) {
                    Some(sprites) => Err(FileError::write(target, WriteProblem::OtherSprites { sprites })),
                    None => Ok(existing),
                }
            }
            _ => Ok(existing),
        }
    }

    /// Puts all staged files in place, and removes what is left of earlier runs: all of it or, if any of it fails, none.
    /// In a dry run nothing happens.
    ///
    /// # Errors
    /// If a target was changed since it was read, or a file can't be put in its place.
    pub fn commit(self) -> Result<(), FileError> {
        let mut state = self.state.into_inner().unwrap_or_else(PoisonError::into_inner);
        if self.policy.dry_run || state.staging.is_empty() {
            return Ok(());
        }
        let moves = state.moves(&self.policy, &*self.disk)?;
        if moves.is_empty() {
            return Ok(());
        }
        let before = match &self.undo {
            Some(_) => Undo::of_moves(&moves, &state.staging, &*self.disk)
                .map_err(|error| FileError::write(&state.batches[0].unit, error))?,
            None => Undo::default(),
        };
        let done = state.staging.commit(moves);
        if let Some(log) = self.undo.filter(|_| !matches!(done, Err(CommitError::Before(_)))) {
            log.note(before);
        }
        done.map_err(|problem| problem.into_error(&state.batches[0].unit))
    }
}

/// The pause between two looks at whether another run is done.
const WAIT: Duration = Duration::from_millis(50);

impl State {
    /// What is to be moved, after a last look whether anybody changed a target meanwhile.
    fn moves(&mut self, policy: &Policy, disk: &dyn FileSystem) -> Result<Vec<Move>, FileError> {
        let mut moves = Vec::new();
        for files in self.batches.clone() {
            for target in &files.targets {
                let staged = lock(&target.outcome).staged;
                if let (Some(place), Some(after)) = (&target.place, staged) {
                    target.check_replaceable()?;
                    if target.is_precious {
                        disk.sync(&place.path).map_err(|error| FileError::write(&target.path, error))?;
                    }
                    moves.push(target.to_move(place, Some(after)));
                }
            }
            for orphan in &files.orphans {
                // A later step may have had a use for it.
                let is_wanted = self.targets.contains_key(&path_key(&orphan.path));
                if let Some(place) = orphan.place.as_ref().filter(|_| !is_wanted) {
                    orphan.check_replaceable()?;
                    if orphan.before.is_some() {
                        moves.push(orphan.to_move(place, None));
                    }
                    moves.extend(self.ledger_move(&Ledger::path(&orphan.path), &orphan.path, None, disk)?);
                }
            }
            // A person's work changes no record, but begins one.
            let has_record = !files.is_hand_work || lock(&files.base).is_some();
            if has_record && !files.targets.is_empty() {
                let text = files.ledger(policy).to_bytes();
                moves.extend(self.ledger_move(&Ledger::path(&files.unit), &files.unit, Some(text), disk)?);
            }
        }
        Ok(moves)
    }

    /// Stages a ledger, or its removal, if that changes anything.
    fn ledger_move(
        &mut self,
        path: &Path,
        unit: &Path,
        text: Option<Vec<u8>>,
        disk: &dyn FileSystem,
    ) -> Result<Option<Move>, FileError> {
        let before = read_if_there(disk, path).map_err(|error| FileError::write(path, error))?;
        if before == text {
            return Ok(None);
        }
        let number = self.next_number;
        self.next_number += 1;
        let folder = self.staging.position(folder_of(unit)).expect("it was opened for the unit");
        if let Some(text) = &text {
            let staged = self.staging.staged_file(folder, number);
            with_interrupt_gate(|| disk.write(&staged, text))
                .map_err(|error| FileError::write(path, error))?;
        }
        let file = Path::new(super::HIDDEN_FOLDER).join(path.file_name().unwrap_or_default());
        let digest = |bytes: Option<Vec<u8>>| bytes.map(|bytes| Digest::of(&bytes));
        Ok(Some(Move { folder, number, file: file.into(), before: digest(before), after: digest(text) }))
    }
}

impl PlannedFiles {
    /// What the ledger says once the step is committed.
    fn ledger(&self, policy: &Policy) -> Ledger {
        let entry = |target: &PlannedFile| {
            let (digest, pixels) = lock(&target.outcome).entry?;
            let file = from_folder_of(&self.unit, &target.path)?;
            Some(Entry { file: PathText::from(file), digest, pixels })
        };
        let folder = folder_of(&self.unit);
        let recipe = policy.recipe.as_ref().map(|recipe| {
            let real = |path: &Path| path.canonicalize().unwrap_or_else(|_| path.to_owned());
            PathText::from(staging::relative(&real(folder), &real(recipe)).as_path())
        });
        Ledger::new(recipe, self.targets.iter().filter_map(entry).collect(), lock(&self.base).clone())
    }
}

impl PlannedFile {
    fn to_move(&self, place: &Place, after: Option<Digest>) -> Move {
        let file = OsText(self.path.file_name().unwrap_or_default().to_owned());
        let Place { folder, number, .. } = *place;
        Move { folder, number, file, before: self.before.map(|before| before.digest), after }
    }

    /// Refuses a target that changed since it was read, or that the system would not let go.
    fn check_replaceable(&self) -> Result<(), FileError> {
        let fault = |problem: WriteProblem| FileError::write(&self.path, problem);
        let stamp = FileStamp::read(&self.path).map_err(|error| FileError::write(&self.path, error))?;
        let is_same = match (stamp, self.before) {
            (None, None) => true,
            (Some(stamp), Some(before)) => {
                before.matches(stamp)
                    || fs::read(&self.path).is_ok_and(|bytes| Digest::of(&bytes) == before.digest)
            }
            _ => false,
        };
        if !is_same {
            return Err(fault(WriteProblem::ChangedMeanwhile));
        }
        let Ok(metadata) = fs::metadata(&self.path) else { return Ok(()) };
        if metadata.permissions().readonly() {
            return Err(fault(WriteProblem::ReadOnly));
        }
        check_not_open(&self.path).map_err(|error| FileError::write(&self.path, error))
    }
}

/// Fails if another program has a file open such that it can't be replaced.
#[cfg(windows)]
fn check_not_open(path: &Path) -> std::io::Result<()> {
    use std::os::windows::fs::OpenOptionsExt;
    const DELETE: u32 = 0x0001_0000;
    fs::File::options().access_mode(DELETE).open(path).map(drop)
}

#[cfg(not(windows))]
fn check_not_open(_: &Path) -> std::io::Result<()> {
    Ok(())
}

impl Batch {
    /// Stages the bytes of a target. May be called from several threads. A target that has these bytes already is left
    /// alone, so that nothing that watches it sees a change.
    ///
    /// # Errors
    /// If the bytes can't be written.
    pub fn stage(&self, index: usize, bytes: &[u8]) -> Result<(), FileError> {
        self.stage_picture(index, bytes, None)
    }

    /// The same, but a target that has these bytes already is written again: it is to be younger than what it lists.
    pub(crate) fn stage_fresh(&self, index: usize, bytes: &[u8]) -> Result<(), FileError> {
        let digest = Digest::of(bytes);
        self.record(index, digest, None);
        self.write_always(index, bytes, digest)
    }

    /// The same of a picture, with the digest of its pixels.
    pub(crate) fn stage_picture(
        &self,
        index: usize,
        bytes: &[u8],
        pixels: Option<Digest>,
    ) -> Result<(), FileError> {
        let digest = Digest::of(bytes);
        self.record(index, digest, pixels);
        self.write(index, bytes, digest)
    }

    /// Stages a manifest: its text, and the text it would have without hand work.
    pub(crate) fn stage_manifest(&self, index: usize, text: &[u8], base: &[u8]) -> Result<(), FileError> {
        self.record(index, Digest::of(base), None);
        *lock(&self.files.base) = Some(String::from_utf8_lossy(base).into_owned());
        self.write(index, text, Digest::of(text))
    }

    /// Leaves a picture as a person painted it; the ledger says what the run would have written.
    pub(crate) fn leave(&self, index: usize, bytes: &[u8], pixels: Digest) {
        self.record(index, Digest::of(bytes), Some(pixels));
    }

    /// Stages a person's own change: the ledger goes on saying what was there before.
    pub(crate) fn stage_hand_work(&self, index: usize, bytes: &[u8]) -> Result<(), FileError> {
        self.write(index, bytes, Digest::of(bytes))
    }

    /// Takes a picture that shibori wrote, and of which there is no record, into the ledger before a person changes it.
    pub(crate) fn adopt(&self, index: usize, bytes: &[u8], pixels: Option<Digest>) {
        self.record(index, Digest::of(bytes), pixels);
    }

    /// The same of the manifest.
    pub(crate) fn adopt_manifest(&self, index: usize, text: &[u8]) {
        self.record(index, Digest::of(text), None);
        *lock(&self.files.base) = Some(String::from_utf8_lossy(text).into_owned());
    }

    fn record(&self, index: usize, digest: Digest, pixels: Option<Digest>) {
        lock(&self.files.targets[index].outcome).entry = Some((digest, pixels));
    }

    fn write(&self, index: usize, bytes: &[u8], digest: Digest) -> Result<(), FileError> {
        if holds(&self.files.targets[index].path, bytes) {
            return Ok(());
        }
        self.write_always(index, bytes, digest)
    }

    fn write_always(&self, index: usize, bytes: &[u8], digest: Digest) -> Result<(), FileError> {
        let PlannedFile { path, place, outcome, .. } = &self.files.targets[index];
        let Some(place) = place else {
            // In a dry run it only counts that it would be another file.
            lock(outcome).staged = Some(digest);
            if self.holds {
                self.staged.hold(path, bytes);
            }
            return Ok(());
        };
        let written = with_interrupt_gate(|| self.disk.write(&place.path, bytes));
        written.map_err(|error| FileError::write(path, error))?;
        self.staged.add(path, &place.path);
        lock(outcome).staged = Some(digest);
        Ok(())
    }

    /// What the step writes once the run is committed.
    pub fn written(&self) -> Written {
        let paths = |files: &[PlannedFile]| files.iter().map(|file| file.path.clone()).collect();
        let removed = self.files.orphans.iter().filter(|file| file.before.is_some());
        Written {
            files: paths(&self.files.targets),
            removed: removed.map(|file| file.path.clone()).collect(),
        }
    }
}

/// Whether a file has just these contents.
fn holds(path: &Path, bytes: &[u8]) -> bool {
    let is_as_long = fs::metadata(path).is_ok_and(|metadata| metadata.len() == bytes.len() as u64);
    is_as_long && fs::read(path).is_ok_and(|old| old == bytes)
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A path from the folder of a main file; none if it is elsewhere.
fn from_folder_of<'a>(unit: &Path, path: &'a Path) -> Option<&'a Path> {
    path.strip_prefix(unit.parent().unwrap_or(Path::new(""))).ok()
}

fn folder_of(target: &Path) -> &Path {
    match target.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}

/// Key under which targets are compared, so that paths equal on any platform are equal here: folders that are there
/// without links, the rest of the path without regard to case and to how accents are spelled.
fn path_key(target: &Path) -> PathBuf {
    let (existing, missing) = staging::split_missing(target, false).unwrap_or_else(|_| {
        (folder_of(target).to_owned(), target.file_name().map(ToOwned::to_owned).into_iter().collect())
    });
    missing.iter().fold(existing, |path, name| path.join(file_key(&name.to_string_lossy())))
}

#[cfg(test)]
mod tests {
    use std::time::SystemTime;

    use super::*;
    use crate::encode::png;

    fn folder_with(files: &[(&str, &[u8])]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        for (name, bytes) in files {
            fs::write(folder.path().join(name), bytes).unwrap();
        }
        folder
    }

    fn listing(folder: &Path) -> Vec<String> {
        let names = fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap());
        let mut names: Vec<String> = names.filter(|name| name != ".shibori").collect();
        names.sort();
        names
    }

    fn write(path: &Path, bytes: &[u8], policy: Policy) -> Result<(), FileError> {
        let run = Transaction::new(policy);
        run.plan(&[path.to_owned()], &[])?.stage(0, bytes)?;
        run.commit()
    }

    #[test]
    fn a_run_that_fails_leaves_no_trace() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let folder = folder_with(&[("old.png", &ours)]);
        let targets = [folder.path().join("old.png"), folder.path().join("new/deep/b.png")];
        let run = Transaction::default();
        run.plan(&targets, &[]).unwrap().stage(0, b"half").unwrap();
        drop(run);
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
        assert_eq!(fs::read(&targets[0]).unwrap(), ours);
    }

    #[test]
    fn a_file_that_stays_the_same_is_not_touched() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let folder = folder_with(&[("same.png", &ours)]);
        let path = folder.path().join("same.png");
        let long_ago = SystemTime::UNIX_EPOCH + Duration::from_secs(1_000_000);
        fs::File::options().write(true).open(&path).unwrap().set_modified(long_ago).unwrap();
        write(&path, &ours, Policy::default()).unwrap();
        assert_eq!(fs::metadata(&path).unwrap().modified().unwrap(), long_ago);
        write(&path, b"new", Policy::default()).unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"new");
    }

    #[test]
    fn only_our_own_untouched_files_are_replaced_or_removed() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let mut edited = ours.clone();
        edited[40] ^= 1;
        let folder = folder_with(&[("ours.png", &ours), ("edited.png", &edited), ("text.txt", b"hello")]);
        let path = |name: &str| folder.path().join(name);
        let force = Policy { force: true, ..Policy::default() };
        let plan = |name: &str, policy: &Policy| {
            let run = Transaction::new(policy.clone());
            run.plan(&[path(name)], &[path("edited.png"), path("ours.png")]).map(|batch| batch.written())
        };
        assert_eq!(plan("new.png", &Policy::default()).unwrap().removed, [path("ours.png")]);
        for name in ["edited.png", "text.txt"] {
            let error = plan(name, &Policy::default()).unwrap_err();
            assert!(matches!(error, FileError::Write { problem: WriteProblem::NotOurs, .. }));
            assert!(plan(name, &force).is_ok());
        }
        let run = Transaction::new(force);
        run.add_sources(&[path("ours.png")]);
        let error = run.plan(&[path("ours.png")], &[]).unwrap_err();
        assert!(matches!(error, FileError::Write { problem: WriteProblem::IsSource, .. }));
    }

    #[test]
    fn what_can_not_carry_a_seal_is_known_by_the_ledger_alone() {
        let folder = folder_with(&[]);
        let path = folder.path().join("table.csv");
        for text in ["a,b", "a,b,c"] {
            write(&path, text.as_bytes(), Policy::default()).unwrap();
        }
        fs::write(&path, "a,b,mine").unwrap();
        let refused = |policy| {
            let outcome = write(&path, b"a", policy);
            matches!(outcome, Err(FileError::Write { problem: WriteProblem::NotOurs, .. }))
        };
        assert!(refused(Policy::default()));
        write(&path, b"a", Policy { force: true, ..Policy::default() }).unwrap();
        write(&path, b"a,b", Policy::default()).unwrap();
        // The ledger may go at any time; then nothing is known.
        fs::remove_dir_all(folder.path().join(".shibori")).unwrap();
        assert!(refused(Policy::default()));
        assert!(fs::read_to_string(folder.path().join("table.csv")).unwrap() == "a,b");
    }

    #[test]
    fn steps_of_one_run_are_put_in_place_together_and_never_write_one_file_twice() {
        let folder = folder_with(&[]);
        let path = |name: &str| folder.path().join(name);
        let run = Transaction::default();
        let first = run.plan(&[path("a.txt")], &[]).unwrap();
        let second = run.plan(&[path("deep/b.txt"), path("c.txt")], &[]).unwrap();
        first.stage(0, b"a").unwrap();
        second.stage(0, b"b").unwrap();
        second.stage(1, b"c").unwrap();
        let error = run.plan(&[path("a.txt")], &[]).unwrap_err();
        assert!(matches!(error, FileError::Write { problem: WriteProblem::TwoSteps, .. }));
        assert!(!path("a.txt").exists());
        run.commit().unwrap();
        assert_eq!(listing(folder.path()), ["a.txt", "c.txt", "deep"]);
        assert_eq!(fs::read(path("deep/b.txt")).unwrap(), b"b");
    }

    #[test]
    fn another_recipe_keeps_its_outputs() {
        let folder = folder_with(&[("a.toml", b""), ("b.toml", b"")]);
        let (path, recipe) = (folder.path().join("pond.lua"), |name: &str| Policy {
            recipe: Some(folder.path().join(name)),
            ..Policy::default()
        });
        write(&path, b"a", recipe("a.toml")).unwrap();
        let error = write(&path, b"b", recipe("b.toml")).unwrap_err();
        assert!(
            matches!(error, FileError::Write { problem: WriteProblem::OtherRecipe { .. }, .. }),
            "{error}"
        );
        // One that is gone writes nothing any more.
        fs::remove_file(folder.path().join("a.toml")).unwrap();
        write(&path, b"b", recipe("b.toml")).unwrap();
    }

    #[test]
    fn a_read_only_file_is_refused_before_anything_moves() {
        let folder = folder_with(&[]);
        let path = folder.path().join("a.txt");
        write(&path, b"a", Policy::default()).unwrap();
        let mut permissions = fs::metadata(&path).unwrap().permissions();
        permissions.set_readonly(true);
        fs::set_permissions(&path, permissions).unwrap();
        let error = write(&path, b"b", Policy::default()).unwrap_err();
        assert!(matches!(error, FileError::Write { problem: WriteProblem::ReadOnly, .. }), "{error}");
        assert_eq!(fs::read(&path).unwrap(), b"a");
    }
}
