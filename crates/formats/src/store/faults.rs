//! Faults at every call to the disk: a call that fails, a disk that fails from then on, a run that is killed. In every
//! phase, recovery included, and with the next run in any of the folders: afterwards every file is old or every file is
//! new, and nothing is left beside them.

use std::ffi::OsString;
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use tempfile::TempDir;

use super::file_system::{FileSystem, OsFileSystem};
use super::transaction::Transaction;
use super::{Policy, UndoLog, journal, staging};
use crate::encode::png;
use crate::{FileError, WriteProblem};

/// What happens at one call.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fault {
    /// It fails.
    Fails,
    /// It fails, and so does everything after it, cleaning up included: as if the process had been killed.
    Dies,
    /// The process ends, at the rename of that number.
    Aborts,
    /// None: every call takes a moment, each another one, so that threads meet at every point.
    Lags,
}

/// A disk with a fault at the call of a number.
#[derive(Debug)]
struct Faulty {
    at: usize,
    fault: Fault,
    calls: AtomicUsize,
}

impl Faulty {
    fn new(at: usize, fault: Fault) -> Arc<Self> {
        Arc::new(Self { at, fault, calls: AtomicUsize::new(0) })
    }

    fn call<T>(&self, call: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        // Only renames count then.
        if self.fault == Fault::Aborts {
            return call();
        }
        let number = self.calls.fetch_add(1, Ordering::SeqCst);
        if self.fault == Fault::Lags {
            // Any sequence will do, as long as `at` gives another one; now and then a long pause, in which others do much.
            let hash = (number + (self.at << 16)).wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 40;
            std::thread::sleep(Duration::from_micros(if hash.is_multiple_of(8) {
                2000
            } else {
                hash as u64 & 31
            }));
        }
        let is_faulty = match self.fault {
            Fault::Fails => number == self.at,
            Fault::Dies => number >= self.at,
            Fault::Aborts | Fault::Lags => false,
        };
        if is_faulty { Err(io::Error::other("the disk is gone")) } else { call() }
    }
}

impl FileSystem for Faulty {
    fn list(&self, folder: &Path) -> io::Result<Vec<OsString>> {
        self.call(|| OsFileSystem.list(folder))
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.call(|| OsFileSystem.read(path))
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        self.call(|| OsFileSystem.create_folder(path))
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        // What fails half way leaves half a file.
        self.call(|| OsFileSystem.write(path, bytes)).inspect_err(|_| {
            if self.calls.load(Ordering::SeqCst).checked_sub(1) == Some(self.at) {
                let _ = OsFileSystem.write(path, &bytes[..bytes.len() / 2]);
            }
        })
    }

    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.call(|| OsFileSystem.append(path, bytes)).inspect_err(|_| {
            if self.calls.load(Ordering::SeqCst).checked_sub(1) == Some(self.at) {
                let _ = OsFileSystem.append(path, &bytes[..bytes.len() / 2]);
            }
        })
    }

    fn sync(&self, path: &Path) -> io::Result<()> {
        self.call(|| Ok(()))?;
        if path.exists() { Ok(()) } else { Err(io::ErrorKind::NotFound.into()) }
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        if self.fault == Fault::Aborts && self.calls.fetch_add(1, Ordering::SeqCst) == self.at {
            std::process::abort();
        }
        self.call(|| OsFileSystem.rename(from, to))
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        self.call(|| OsFileSystem.remove_file(path))
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.call(|| OsFileSystem.remove_folder(path))
    }

    fn lock(&self, path: &Path) -> io::Result<Option<File>> {
        self.call(|| OsFileSystem.lock(path))
    }

    fn pause(&self, _: Duration) {}
}

/// A small picture with our seal; no two of another number are alike.
fn picture(number: u8) -> Vec<u8> {
    png(&image::RgbaImage::from_pixel(1, 1, image::Rgba([number, 9, 9, 255]))).unwrap()
}

/// Nine targets in three folders, one of which is new.
fn targets(home: &Path) -> Vec<PathBuf> {
    let place = |at: usize| match at % 3 {
        0 => format!("{at:02}.png"),
        1 => format!("deep/{at:02}.png"),
        _ => format!("new/{at:02}.png"),
    };
    (0..9).map(|at| home.join(place(at))).collect()
}

const FOLDERS: [&str; 3] = ["", "deep", "new"];

/// A folder as an earlier run left it, and a file that is nobody's.
fn before() -> TempDir {
    let home = tempfile::tempdir().unwrap();
    fs::create_dir(home.path().join("deep")).unwrap();
    for (at, target) in targets(home.path()).iter().enumerate().filter(|(at, _)| at % 3 != 2) {
        fs::write(target, picture(at as u8)).unwrap();
    }
    fs::write(home.path().join("stale.png"), picture(99)).unwrap();
    fs::write(home.path().join("notes.txt"), "mine").unwrap();
    home
}

/// Everything below a folder, with what it holds.
fn all_files(home: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut found = Vec::new();
    let mut open = vec![home.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            let name = path.strip_prefix(home).unwrap().to_owned();
            if path.is_dir() {
                open.push(path);
                found.push((name, Vec::new()));
            } else {
                found.push((name, fs::read(&path).unwrap()));
            }
        }
    }
    found.sort();
    found
}

/// The same without hidden folders, and without folders that are empty.
fn visible(home: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let is_visible = |path: &Path| path.components().all(|part| part.as_os_str() != ".shibori");
    let all = all_files(home);
    all.into_iter().filter(|(path, _)| is_visible(path) && !home.join(path).is_dir()).collect()
}

/// Writes new versions of everything.
fn run(home: &Path, disk: Arc<dyn FileSystem>) -> Result<(), FileError> {
    run_noted(home, disk, UndoLog::default())
}

fn run_noted(home: &Path, disk: Arc<dyn FileSystem>, log: UndoLog) -> Result<(), FileError> {
    let run = Transaction::on(disk, Policy::default()).with_undo(log);
    let targets = targets(home);
    let (first, second) = targets.split_at(5);
    for (targets, stale) in [(first, vec![home.join("stale.png")]), (second, vec![])] {
        let batch = run.plan(targets, &stale)?;
        for at in 0..targets.len() {
            batch.stage(at, &picture(100 + at as u8))?;
        }
    }
    run.commit()
}

/// A run that writes another file in some of the folders and does not come to its end.
fn next_run(home: &Path, folders: &[&str], disk: Arc<dyn FileSystem>) -> Result<(), FileError> {
    let run = Transaction::on(disk, Policy::default());
    for folder in folders {
        run.plan(&[home.join(folder).join("other.png")], &[])?;
    }
    Ok(())
}

fn real() -> Arc<dyn FileSystem> {
    Arc::new(OsFileSystem)
}

/// What a run that succeeds leaves, all of it and what shows, and how many calls it takes.
struct After {
    all: Vec<(PathBuf, Vec<u8>)>,
    visible: Vec<(PathBuf, Vec<u8>)>,
    calls: usize,
}

impl After {
    fn new() -> Self {
        let home = before();
        let disk = Faulty::new(usize::MAX, Fault::Fails);
        run(home.path(), Arc::clone(&disk) as Arc<dyn FileSystem>).unwrap();
        let calls = disk.calls.load(Ordering::SeqCst);
        Self { all: all_files(home.path()), visible: visible(home.path()), calls }
    }
}

fn every_subset() -> Vec<Vec<&'static str>> {
    let subset = |bits: usize| (0..3).filter(|at| bits >> at & 1 == 1).map(|at| FOLDERS[at]).collect();
    (1..8).map(subset).collect()
}

#[test]
fn a_call_that_fails_leaves_every_file_old_or_every_file_new() {
    let (after, old) = (After::new(), all_files(before().path()));
    assert!(after.calls > 60 && after.all != old);
    let (mut failed, mut done) = (0, 0);
    for at in 0..after.calls {
        let home = before();
        let outcome = run(home.path(), Faulty::new(at, Fault::Fails));
        let is_old = visible(home.path()) == visible(before().path());
        match outcome {
            Ok(()) => assert!(visible(home.path()) == after.visible, "call {at}"),
            // What was begun after the run counted is finished by the next.
            Err(error) => assert!(is_old || error.to_string().contains("next run"), "call {at}: {error}"),
        }
        next_run(home.path(), &FOLDERS, real()).unwrap();
        let found = all_files(home.path());
        let (is_old, is_new) = (found == old, found == after.all);
        assert!(is_old || is_new, "call {at}: {:#?}", names(&found));
        (failed, done) = (failed + usize::from(is_old), done + usize::from(is_new));
    }
    println!("commit x fails x all folders: {} calls, {failed} all old, {done} all new", after.calls);
    assert!(failed > 30 && done > 10);
}

#[test]
fn a_run_killed_at_any_call_is_finished_or_undone_from_any_of_its_folders() {
    let (after, old) = (After::new(), visible(before().path()));
    for subset in every_subset() {
        let (mut undone, mut finished) = (0, 0);
        for at in 0..after.calls {
            let home = before();
            assert!(run(home.path(), Faulty::new(at, Fault::Dies)).is_err() || at + 40 > after.calls);
            // Whoever lists its folders knows the run's; what it had not come to is as it was.
            next_run(home.path(), &subset, real()).unwrap();
            let found = visible(home.path());
            let (is_old, is_new) = (found == old, found == after.visible);
            assert!(is_old || is_new, "call {at}, next in {subset:?}: {:#?}", names(&found));
            (undone, finished) = (undone + usize::from(is_old), finished + usize::from(is_new));
            next_run(home.path(), &FOLDERS, real()).unwrap();
            assert!(visible(home.path()) == found, "call {at}, next in {subset:?}: and it stays so");
            let is_left = |(path, _): &(PathBuf, Vec<u8>)| path.to_string_lossy().contains("run-");
            assert!(!all_files(home.path()).iter().any(is_left), "call {at}, next in {subset:?}");
        }
        println!("commit x killed x {subset:?}: {} calls, {undone} all old, {finished} all new", after.calls);
        assert!(undone > 30 && finished > 10);
    }
}

#[test]
fn an_undo_that_fails_or_is_killed_at_any_call_puts_back_every_file_or_none() {
    let (after, old) = (After::new(), visible(before().path()));
    for fault in [Fault::Fails, Fault::Dies] {
        let (mut undone, mut kept) = (0, 0);
        for at in 0.. {
            let (home, log) = (before(), UndoLog::default());
            run_noted(home.path(), real(), log.clone()).unwrap();
            let disk = Faulty::new(at, fault);
            let outcome = log.take().restore_on(&(Arc::clone(&disk) as Arc<dyn FileSystem>));
            let is_back = visible(home.path()) == old;
            assert!(is_back || outcome.is_err(), "{fault:?} at call {at}");
            next_run(home.path(), &FOLDERS, real()).unwrap();
            let found = visible(home.path());
            assert!(found == old || found == after.visible, "{fault:?} at call {at}: {:#?}", names(&found));
            (undone, kept) = (undone + usize::from(found == old), kept + usize::from(found != old));
            if disk.calls.load(Ordering::SeqCst) <= at {
                break;
            }
        }
        println!("undo x {fault:?}: {undone} put back, {kept} as before");
        assert!(undone > 10 && kept > 30);
    }
}

#[test]
fn a_recovery_that_fails_or_is_killed_itself_is_taken_up_by_the_next() {
    let (after, old) = (After::new(), visible(before().path()));
    // All of them take minutes: they are for whoever changes the store.
    let is_thorough = std::env::var_os("SHIBORI_TEST_EVERY_FAULT").is_some();
    let (kills, faults) = if is_thorough { (1, 1) } else { (5, 3) };
    for fault in [Fault::Fails, Fault::Dies] {
        let mut cases = 0;
        for killed in (0..after.calls).step_by(kills) {
            for subset in [&FOLDERS[..], &FOLDERS[1..2]] {
                for at in (0..).step_by(faults) {
                    let home = before();
                    let _ = run(home.path(), Faulty::new(killed, Fault::Dies));
                    let disk = Faulty::new(at, fault);
                    let _ = next_run(home.path(), subset, Arc::clone(&disk) as Arc<dyn FileSystem>);
                    if disk.calls.load(Ordering::SeqCst) <= at {
                        break;
                    }
                    cases += 1;
                    next_run(home.path(), &FOLDERS, real()).unwrap();
                    let found = visible(home.path());
                    let case = || format!("killed at {killed}, {fault:?} at {at} in {subset:?}");
                    assert!(found == old || found == after.visible, "{}: {:#?}", case(), names(&found));
                    let is_left = |(path, _): &(PathBuf, Vec<u8>)| path.to_string_lossy().contains("run-");
                    assert!(!all_files(home.path()).iter().any(is_left), "{}", case());
                }
            }
        }
        println!("recovery x {fault:?}: {cases} cases, all old or all new");
        assert!(cases > 300);
    }
}

fn names(files: &[(PathBuf, Vec<u8>)]) -> Vec<&PathBuf> {
    files.iter().map(|(path, _)| path).collect()
}

/// Set for a run that is to be killed: the moment at which it dies, and the folder.
const DIES_AT: &str = "SHIBORI_TEST_DIES_AT";
const DIES_IN: &str = "SHIBORI_TEST_DIES_IN";

#[test]
fn a_process_that_is_really_killed_between_two_moves_is_finished_by_the_next() {
    if let (Ok(at), Ok(home)) = (std::env::var(DIES_AT), std::env::var(DIES_IN)) {
        let at = at.parse().unwrap();
        let _ = run(Path::new(&home), Faulty::new(at, Fault::Aborts));
        return;
    }
    let after = After::new();
    // The first move is that of the journal.
    for at in 0..10 {
        let home = before();
        let mut command = Command::new(std::env::current_exe().unwrap());
        let name = "store::faults::a_process_that_is_really_killed_between_two_moves_is_finished_by_the_next";
        command.args([name, "--exact"]).env(DIES_AT, at.to_string()).env(DIES_IN, home.path());
        assert!(!command.output().unwrap().status.success(), "it was to die at move {at}");
        next_run(home.path(), &["deep"], real()).unwrap();
        let old = visible(before().path());
        assert!(visible(home.path()) == if at == 0 { old } else { after.visible.clone() }, "move {at}");
    }
}

#[test]
fn a_journal_from_elsewhere_moves_nothing() {
    let home = before();
    let secret = home.path().join("deep/notes.txt");
    fs::write(&secret, "mine").unwrap();
    let run = home.path().join(".shibori/run-1-1");
    fs::create_dir_all(&run).unwrap();
    fs::write(run.join("lock"), "").unwrap();
    fs::write(run.join("0.new"), "theirs").unwrap();
    let text = |text: &str| format!("{:?}", text.bytes().collect::<Vec<u8>>());
    let digest = super::Digest::of(b"theirs");
    for (folder, file) in
        [("deep", "notes.txt"), ("", "../notes.txt"), ("", ".shibori/x"), ("", "deep/notes.txt")]
    {
        let (folder, file) = (text(folder), text(file));
        let journal = format!(
            "{{\"folders\":[{folder}],\"moves\":[{{\"folder\":0,\"number\":0,\"file\":{file},\"before\":null,\"after\":\"{digest}\"}}]}}"
        );
        fs::create_dir_all(&run).unwrap();
        fs::write(run.join("lock"), "").unwrap();
        fs::write(run.join("0.new"), "theirs").unwrap();
        fs::write(run.join(journal::FILE), journal).unwrap();
        staging::finish_interrupted(home.path()).unwrap();
        assert_eq!(fs::read(&secret).unwrap(), b"mine");
        assert!(!home.path().join(".shibori").exists());
    }
}

#[test]
fn what_somebody_painted_after_a_kill_stays() {
    let home = before();
    let after = After::new();
    // Late enough for the run to count, and before its first move.
    let journal = (0..after.calls).find(|&at| {
        let home = before();
        let _ = run(home.path(), Faulty::new(at, Fault::Dies));
        all_files(home.path()).iter().any(|(path, _)| path.ends_with(journal::FILE))
    });
    let _ = run(home.path(), Faulty::new(journal.unwrap(), Fault::Dies));
    fs::write(home.path().join("03.png"), b"painted since").unwrap();
    next_run(home.path(), &["deep"], real()).unwrap();
    assert_eq!(fs::read(home.path().join("03.png")).unwrap(), b"painted since");
    assert_ne!(fs::read(home.path().join("00.png")).unwrap(), picture(0));
}

#[test]
fn what_somebody_painted_while_it_ran_stays() {
    let home = before();
    let run = Transaction::default();
    let target = home.path().join("00.png");
    let batch = run.plan(&[target.clone(), home.path().join("03.png")], &[]).unwrap();
    batch.stage(0, &picture(200)).unwrap();
    batch.stage(1, &picture(201)).unwrap();
    fs::write(&target, b"painted while it ran").unwrap();
    let error = run.commit().unwrap_err();
    assert!(matches!(error, FileError::Write { problem: WriteProblem::ChangedMeanwhile, .. }));
    assert_eq!(fs::read(&target).unwrap(), b"painted while it ran");
    assert_eq!(fs::read(home.path().join("03.png")).unwrap(), picture(3));
}

#[test]
fn staged_bytes_that_vanish_are_no_success() {
    let home = before();
    let run = Transaction::default();
    let target = home.path().join("00.png");
    let batch = run.plan(std::slice::from_ref(&target), &[]).unwrap();
    batch.stage(0, &picture(200)).unwrap();
    let staged = all_files(home.path()).into_iter().find(|(path, _)| path.ends_with("0.new")).unwrap().0;
    fs::remove_file(home.path().join(staged)).unwrap();
    assert!(run.commit().is_err());
    assert_eq!(fs::read(&target).unwrap(), picture(0));
}

#[test]
fn two_names_of_one_file_are_refused_however_they_are_spelled() {
    let home = before();
    let plan = |a: &str, b: &str| {
        let run = Transaction::default();
        let plan = run.plan(&[home.path().join(a), home.path().join(b)], &[]).map(drop);
        matches!(plan, Err(FileError::Write { problem: WriteProblem::Twice { .. }, .. }))
    };
    assert!(plan("a.png", "A.png") && plan("x/../b.png", "b.png") || cfg!(windows));
    assert!(plan("Fresh/a.png", "fresh/a.png"), "folders that are not there yet");
    assert!(plan("\u{e9}.png", "e\u{301}.png"), "an accent in its two spellings");
    assert!(!plan("a.png", "deep/a.png"));
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(home.path().join("deep"), home.path().join("link")).unwrap();
        assert!(plan("deep/a.png", "link/a.png"));
    }
    assert!(!home.path().join(".shibori").exists());
}

const HOLDS: &str = "SHIBORI_TEST_HOLDS";

#[test]
fn of_two_runs_on_one_file_the_second_waits() {
    if let Ok(home) = std::env::var(HOLDS) {
        let home = PathBuf::from(home);
        let run = Transaction::default();
        let batch = run.plan(&[home.join("00.png")], &[]).unwrap();
        fs::write(home.join("ready"), "").unwrap();
        std::thread::sleep(Duration::from_millis(400));
        batch.stage(0, &picture(150)).unwrap();
        run.commit().unwrap();
        return;
    }
    let home = before();
    let mut command = Command::new(std::env::current_exe().unwrap());
    command.args(["store::faults::of_two_runs_on_one_file_the_second_waits", "--exact"]);
    let mut child = command.env(HOLDS, home.path()).stdout(Stdio::null()).spawn().unwrap();
    while !home.path().join("ready").exists() {
        std::thread::sleep(Duration::from_millis(5));
    }
    let run = Transaction::default();
    let batch = run.plan(&[home.path().join("00.png")], &[]).unwrap();
    batch.stage(0, &picture(151)).unwrap();
    run.commit().unwrap();
    assert!(child.wait().unwrap().success(), "the first was not disturbed");
    assert_eq!(fs::read(home.path().join("00.png")).unwrap(), picture(151));
}

#[test]
fn threads_that_write_one_file_take_turns() {
    let home = before();
    let path = home.path().join("00.png");
    std::thread::scope(|scope| {
        for number in 0..8 {
            let path = &path;
            scope.spawn(move || {
                let run = Transaction::default();
                let batch = run.plan(std::slice::from_ref(path), &[]).unwrap();
                batch.stage(0, &picture(100 + number)).unwrap();
                // Whoever began earlier and came later finds the file changed, and says so.
                match run.commit() {
                    Ok(()) => {}
                    Err(FileError::Write { problem: WriteProblem::ChangedMeanwhile, .. }) => {}
                    Err(error) => panic!("{error}"),
                }
            });
        }
    });
    assert!((100..108).any(|number| fs::read(&path).unwrap() == picture(number)));
    let is_left = |(path, _): &(PathBuf, Vec<u8>)| path.to_string_lossy().contains("run-");
    assert!(!all_files(home.path()).iter().any(is_left));
}

const RIVAL: &str = "SHIBORI_TEST_RIVAL";

#[test]
fn runs_that_write_other_files_of_one_folder_do_not_meet() {
    if let (Ok(home), Ok(number)) = (std::env::var(HOLDS), std::env::var(RIVAL)) {
        let home = PathBuf::from(home);
        let disk = Faulty::new(number.parse().unwrap(), Fault::Lags);
        for round in 0..40 {
            let run = Transaction::on(Arc::clone(&disk) as Arc<dyn FileSystem>, Policy::default());
            let paths = [home.join(format!("fresh/deeper/{number}.png")), home.join(format!("{number}.png"))];
            let paths = &paths[..1 + round % 2];
            let batch = run.plan(paths, &[]).unwrap();
            (0..paths.len()).for_each(|at| batch.stage(at, &picture(round as u8)).unwrap());
            // One that is given up removes its folders under the hands of the others. They only share a moment in which
            // nothing else is in the folder.
            if round > 30 {
                run.commit().unwrap();
            }
        }
        return;
    }
    let home = before();
    let start = |number: u8| {
        let mut command = Command::new(std::env::current_exe().unwrap());
        command.args(["store::faults::runs_that_write_other_files_of_one_folder_do_not_meet", "--exact"]);
        command.arg("--nocapture").env(HOLDS, home.path()).env(RIVAL, number.to_string());
        command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap()
    };
    let children: Vec<_> = (0..8).map(start).collect();
    for child in children {
        let output = child.wait_with_output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    }
    let is_left = |(path, _): &(PathBuf, Vec<u8>)| path.to_string_lossy().contains("run-");
    assert!(!all_files(home.path()).iter().any(is_left));
    let written = |number: u8| fs::read(home.path().join(format!("fresh/deeper/{number}.png"))).unwrap();
    assert!((0..8).all(|number| written(number) == picture(39)));
}

#[test]
fn an_interruption_that_a_program_survives_stops_no_later_run() {
    // In its own process, since it discards the staged files of all threads.
    if let Ok(home) = std::env::var(HOLDS) {
        let path = PathBuf::from(home).join("00.png");
        let left = Transaction::default();
        left.plan(std::slice::from_ref(&path), &[]).unwrap().stage(0, &picture(209)).unwrap();
        drop(super::discard());
        assert!(left.commit().is_err() || fs::read(&path).unwrap() != picture(209));
        let run = Transaction::default();
        let batch = run.plan(std::slice::from_ref(&path), &[]).unwrap();
        batch.stage(0, &picture(210)).unwrap();
        run.commit().unwrap();
        return;
    }
    let home = before();
    let mut command = Command::new(std::env::current_exe().unwrap());
    command.args(["store::faults::an_interruption_that_a_program_survives_stops_no_later_run", "--exact"]);
    let ended = command.env(HOLDS, home.path()).stdout(Stdio::null()).status().unwrap();
    assert!(ended.success());
    assert_eq!(fs::read(home.path().join("00.png")).unwrap(), picture(210));
    let is_left = |(path, _): &(PathBuf, Vec<u8>)| path.to_string_lossy().contains("run-");
    assert!(!all_files(home.path()).iter().any(is_left));
}
