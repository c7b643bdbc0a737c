//! Faults at every position of a commit: a disk that fails, a run that is killed, somebody who paints in between, two runs at
//! once. After each, every file is either all old or all new, and nothing else lies there.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use tempfile::TempDir;

use super::disk::{Disk, RealDisk};
use super::transaction::Transaction;
use super::{Policy, png};
use crate::{Error, WriteProblem};

/// What happens at the operation of a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fault {
    /// It fails.
    Fails,
    /// The process dies.
    Dies,
}

/// A disk with a fault.
#[derive(Debug)]
struct Faulty {
    at: usize,
    fault: Fault,
    done: AtomicUsize,
}

impl Faulty {
    fn step(&self) -> io::Result<()> {
        match (self.done.fetch_add(1, Ordering::SeqCst) == self.at, self.fault) {
            (false, _) => Ok(()),
            (true, Fault::Fails) => Err(io::Error::other("the disk is full")),
            (true, Fault::Dies) => std::process::abort(),
        }
    }
}

impl Disk for Faulty {
    fn create_folder(&self, path: &Path) -> io::Result<()> {
        self.step().and_then(|()| RealDisk.create_folder(path))
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.step().and_then(|()| RealDisk.write(path, bytes))
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.step().and_then(|()| RealDisk.rename(from, to))
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        self.step().and_then(|()| RealDisk.remove_file(path))
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.step().and_then(|()| RealDisk.remove_folder(path))
    }
}

/// A small picture with our seal; no two of another number are alike.
fn picture(number: u8) -> Vec<u8> {
    png(&image::RgbaImage::from_pixel(1, 1, image::Rgba([number, 9, 9, 255]))).unwrap()
}

/// Twenty targets in three folders, one of which is new.
fn targets(home: &Path) -> Vec<PathBuf> {
    let place = |at: usize| match at % 3 {
        0 => format!("{at:02}.png"),
        1 => format!("deep/{at:02}.png"),
        _ => format!("new/{at:02}.png"),
    };
    (0..20).map(|at| home.join(place(at))).collect()
}

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

/// All files below a folder, with what they hold.
fn all_files(home: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut found = Vec::new();
    let mut open = vec![home.to_owned()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                open.push(path.clone());
                found.push((path.strip_prefix(home).unwrap().to_owned(), Vec::new()));
            } else {
                let bytes = fs::read(&path).unwrap();
                found.push((path.strip_prefix(home).unwrap().to_owned(), bytes));
            }
        }
    }
    found.sort();
    found
}

/// Writes new versions of everything.
fn run(home: &Path, disk: Arc<dyn Disk>) -> Result<(), Error> {
    let run = Transaction::on(disk, Policy::default());
    let targets = targets(home);
    let (first, second) = targets.split_at(11);
    for (targets, stale) in [(first, vec![home.join("stale.png")]), (second, vec![])] {
        let batch = run.plan(targets, &stale)?;
        for at in 0..targets.len() {
            batch.stage(at, &picture(100 + at as u8))?;
        }
    }
    run.commit()
}

/// What lies there after a run that succeeds, and how many operations that takes.
fn after() -> (Vec<(PathBuf, Vec<u8>)>, usize) {
    let home = before();
    let disk = Arc::new(Faulty { at: usize::MAX, fault: Fault::Fails, done: AtomicUsize::new(0) });
    run(home.path(), Arc::clone(&disk) as Arc<dyn Disk>).unwrap();
    (all_files(home.path()), disk.done.load(Ordering::SeqCst))
}

#[test]
fn a_disk_that_fails_at_any_moment_leaves_everything_as_it_was() {
    let (after, operations) = after();
    let old = all_files(before().path());
    assert!(operations > 60 && after != old);
    for at in 0..operations {
        let home = before();
        let failed =
            run(home.path(), Arc::new(Faulty { at, fault: Fault::Fails, done: AtomicUsize::new(0) }));
        assert!(failed.is_err(), "operation {at}");
        assert_eq!(all_files(home.path()), old, "operation {at}");
    }
}

/// Set for a run that is to be killed: the operation at which it dies, and the folder.
const DIES_AT: &str = "SHIBORI_TEST_DIES_AT";
const DIES_IN: &str = "SHIBORI_TEST_DIES_IN";

#[test]
fn a_run_that_is_killed_at_any_moment_is_healed_by_the_next() {
    if let (Ok(at), Ok(home)) = (std::env::var(DIES_AT), std::env::var(DIES_IN)) {
        let at = at.parse().unwrap();
        let disk = Arc::new(Faulty { at, fault: Fault::Dies, done: AtomicUsize::new(0) });
        let _ = run(Path::new(&home), disk);
        return;
    }
    let (after, operations) = after();
    let old = all_files(before().path());
    for at in 0..operations {
        let home = before();
        let own = std::env::current_exe().unwrap();
        let name = "write::faults::a_run_that_is_killed_at_any_moment_is_healed_by_the_next";
        let mut command = Command::new(own);
        command.args([name, "--exact"]).env(DIES_AT, at.to_string()).env(DIES_IN, home.path());
        assert!(!command.output().unwrap().status.success(), "it was to die at operation {at}");
        // The next run writes one other file, in each of the folders.
        let next = Transaction::default();
        for folder in ["", "deep", "new"] {
            next.plan(&[home.path().join(folder).join("other.png")], &[]).unwrap();
        }
        drop(next);
        let found = all_files(home.path());
        // A folder that was made and holds nothing is no loss.
        let is_file = |entry: &&(PathBuf, Vec<u8>)| entry.0 != Path::new("new");
        let same =
            |wanted: &[(PathBuf, Vec<u8>)]| found.iter().filter(is_file).eq(wanted.iter().filter(is_file));
        assert!(same(&old) || same(&after), "operation {at}: {:?}", names(&found));
    }
}

fn names(files: &[(PathBuf, Vec<u8>)]) -> Vec<&PathBuf> {
    files.iter().map(|(path, _)| path).collect()
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
    assert!(matches!(error, Error::Write { problem: WriteProblem::ChangedMeanwhile, .. }));
    assert_eq!(fs::read(&target).unwrap(), b"painted while it ran");
    assert_eq!(fs::read(home.path().join("03.png")).unwrap(), picture(3));
}

#[test]
fn two_names_of_one_file_are_refused_however_they_are_spelled() {
    let home = before();
    let plan = |a: &str, b: &str| {
        let run = Transaction::default();
        let plan = run.plan(&[home.path().join(a), home.path().join(b)], &[]).map(drop);
        matches!(plan, Err(Error::Write { problem: WriteProblem::Twice { .. }, .. }))
    };
    assert!(plan("a.png", "A.png") && plan("x/../b.png", "b.png") || cfg!(windows));
    assert!(plan("Fresh/a.png", "fresh/a.png"), "folders that are not there yet");
    assert!(!plan("a.png", "deep/a.png"));
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(home.path().join("deep"), home.path().join("link")).unwrap();
        assert!(plan("deep/a.png", "link/a.png"));
    }
    assert_eq!(all_files(home.path()).iter().filter(|(path, _)| path.starts_with(".shibori-")).count(), 0);
}

const HOLDS: &str = "SHIBORI_TEST_HOLDS";

#[test]
fn of_two_runs_on_one_file_the_second_waits() {
    if let Ok(home) = std::env::var(HOLDS) {
        let home = PathBuf::from(home);
        let run = Transaction::default();
        let batch = run.plan(&[home.join("00.png")], &[]).unwrap();
        fs::write(home.join("ready"), "").unwrap();
        std::thread::sleep(std::time::Duration::from_millis(400));
        batch.stage(0, &picture(150)).unwrap();
        run.commit().unwrap();
        return;
    }
    let home = before();
    let own = std::env::current_exe().unwrap();
    let mut command = Command::new(own);
    command.args(["write::faults::of_two_runs_on_one_file_the_second_waits", "--exact"]);
    let mut child = command.env(HOLDS, home.path()).stdout(std::process::Stdio::null()).spawn().unwrap();
    while !home.path().join("ready").exists() {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    let run = Transaction::default();
    let batch = run.plan(&[home.path().join("00.png")], &[]).unwrap();
    batch.stage(0, &picture(151)).unwrap();
    run.commit().unwrap();
    assert!(child.wait().unwrap().success(), "the first was not disturbed");
    assert_eq!(fs::read(home.path().join("00.png")).unwrap(), picture(151));
    assert!(all_files(home.path()).iter().all(|(path, _)| !path.starts_with(".shibori-")));
}

#[test]
fn threads_that_write_one_file_take_turns() {
    let home = before();
    let path = home.path().join("00.png");
    std::thread::scope(|scope| {
        for number in 0..6 {
            let path = path.clone();
            scope.spawn(move || {
                let run = Transaction::default();
                let batch = run.plan(&[path], &[]).unwrap();
                batch.stage(0, &picture(200 + number)).unwrap();
                run.commit().unwrap();
            });
        }
    });
    let last = fs::read(&path).unwrap();
    assert!((200..206).any(|number| picture(number) == last));
    assert!(all_files(home.path()).iter().all(|(path, _)| !path.starts_with(".shibori-")));
}

#[test]
fn an_interruption_that_a_program_survives_stops_no_later_run() {
    // In its own process, since it discards the pending files of all threads.
    if let Ok(home) = std::env::var(HOLDS) {
        let path = PathBuf::from(home).join("00.png");
        let left = Transaction::default();
        left.plan(std::slice::from_ref(&path), &[]).unwrap().stage(0, &picture(209)).unwrap();
        drop(super::abandon());
        assert!(left.commit().is_err() || fs::read(&path).unwrap() != picture(209));
        let run = Transaction::default();
        let batch = run.plan(std::slice::from_ref(&path), &[]).unwrap();
        batch.stage(0, &picture(210)).unwrap();
        run.commit().unwrap();
        return;
    }
    let home = before();
    let mut command = Command::new(std::env::current_exe().unwrap());
    command.args(["write::faults::an_interruption_that_a_program_survives_stops_no_later_run", "--exact"]);
    let ended = command.env(HOLDS, home.path()).stdout(std::process::Stdio::null()).status().unwrap();
    assert!(ended.success());
    assert_eq!(fs::read(home.path().join("00.png")).unwrap(), picture(210));
    assert!(all_files(home.path()).iter().all(|(path, _)| !path.starts_with(".shibori-")));
}

#[test]
fn a_journal_that_names_files_elsewhere_is_not_followed() {
    let units = |text: &str| text.encode_utf16().collect::<Vec<_>>();
    let healed = |file: &str| {
        let home = tempfile::tempdir().unwrap();
        let folder = home.path().join("work");
        let staging = folder.join(".shibori-0");
        fs::create_dir_all(&staging).unwrap();
        fs::create_dir_all(folder.join("deep")).unwrap();
        let kept = [home.path().join("keep.png"), folder.join("keep.png"), folder.join("deep/keep.png")];
        kept.iter().for_each(|file| fs::write(file, b"keep").unwrap());
        fs::write(staging.join("lock"), b"").unwrap();
        let whole = home.path().join("keep.png");
        let file = if file == "whole" { whole.to_str().unwrap() } else { file };
        // A new file was moved in where there was none: it is taken away.
        let moves = serde_json::json!([{ "at": 0, "file": units(file), "has_old": false, "has_new": true }]);
        let journal = serde_json::json!({
            "first": units(staging.to_str().unwrap()), "moves": moves, "all": [], "made": [],
        });
        fs::write(staging.join("journal"), journal.to_string()).unwrap();
        super::heal(&folder);
        assert!(!staging.exists(), "{file}");
        kept.iter().filter(|file| file.exists()).count()
    };
    assert_eq!(healed("keep.png"), 2, "its own file goes");
    for elsewhere in [
        "../keep.png",
        "deep/keep.png",
        "./keep.png",
        "whole",
        "..",
        ".",
        "",
        "deep/../keep.png",
        "keep.png/",
    ] {
        assert_eq!(healed(elsewhere), 3, "{elsewhere}");
    }
}
