//! How runs end that do not end by themselves: interrupted, into a full device, into a pipe that nobody reads.

use std::process::{Command, Stdio};
use std::time::Duration;

use crate::env::Env;

fn program(env: &Env) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("shibori"));
    command.current_dir(env.path(""));
    command
}

#[cfg(unix)]
#[test]
fn an_interrupted_run_ends_at_once_and_leaves_everything_as_it_was() {
    use std::os::unix::process::ExitStatusExt;

    let env = Env::with_art();
    env.ok("slice art/frog.png -o frog");
    env.ok("pack frog -o atlas/frog");
    // Work that takes many times as long as it is let.
    let before = env.files("atlas");
    for wait in [30, 120, 400] {
        let mut command = program(&env);
        command.args(["pack", "frog", "art", "-o", "atlas/frog", "--effort", "high", "--png", "small", "-q"]);
        let mut child = command.stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(wait));
        let began = std::time::Instant::now();
        Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
        let status = child.wait().unwrap();
        // A shell says 130 of both: by the program's own handler, or by the system's before that is set up.
        assert_eq!(
            status.code().or(status.signal().map(|signal| signal + 128)),
            Some(130),
            "after {wait} ms"
        );
        assert!(began.elapsed() < Duration::from_secs(5), "{:?}", began.elapsed());
        assert!(env.files("atlas") == before, "after {wait} ms");
        assert_eq!(env.names("atlas").len(), 2);
    }
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_device_is_an_error_and_a_closed_pipe_is_none() {
    let env = Env::with_art();
    for line in [&["inspect", "art/koi.png"][..], &["schema", "manifest"], &["export", "--list"]] {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let outcome = program(&env).args(line).stdout(full).output().unwrap();
        let told = String::from_utf8_lossy(&outcome.stderr).into_owned();
        assert_eq!(outcome.status.code(), Some(4), "{line:?}: {told}");
        assert!(told.contains("standard output: "), "{line:?}: {told}");
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let outcome = program(&env).args(line).stdout(writer).output().unwrap();
        assert_eq!((outcome.status.code(), outcome.stderr.len()), (Some(0), 0), "{line:?}");
    }
}
