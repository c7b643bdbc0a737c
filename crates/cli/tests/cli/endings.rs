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
        Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
        let status = child.wait().unwrap();
        // A shell says 130 of both: by the program's own handler, or by the system's before that is set up.
        assert_eq!(
            status.code().or(status.signal().map(|signal| signal + 128)),
            Some(130),
            "after {wait} ms"
        );
        assert!(env.files("atlas") == before, "after {wait} ms");
        assert_eq!(env.names("atlas").len(), 2);
    }
}

/// Starts a command, ends it after this many milliseconds by a signal, and waits for it.
#[cfg(unix)]
fn ended(env: &Env, line: &[&str], signal: &str, millis: u64) {
    let mut child = program(env).args(line).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    std::thread::sleep(Duration::from_millis(millis));
    // It may have ended on its own by then.
    let _ = Command::new("kill").args([signal, &child.id().to_string()]).stderr(Stdio::null()).status();
    child.wait().unwrap();
}

#[cfg(unix)]
#[test]
fn whenever_a_run_is_interrupted_or_killed_all_files_are_old_or_all_are_new() {
    let env = Env::with_art();
    let plain = ["slice", "art/frog.png", "--grid", "8x4", "-o", "out/frog", "-q"];
    let mirrored = [&plain[..], &["--mirror", "left-right"]].concat();
    // The next run that writes there heals; this one always writes the same.
    let healed = || {
        env.ok("guide-sheet --grid 1x1 --cell 8x8 -o out/frog/guide.png -q");
        env.files("out")
    };
    env.ok(&mirrored.join(" "));
    let new = healed();
    let began = std::time::Instant::now();
    env.ok(&plain.join(" "));
    let whole = began.elapsed().as_millis() as u64 + 1;
    let old = healed();
    let (mut were_old, mut were_new) = (0, 0);
    for moment in 0..50 {
        let signals = if moment % 5 == 0 { &["-INT", "-KILL"][..] } else { &["-KILL"] };
        for signal in signals {
            ended(&env, &mirrored, signal, whole * moment / 50);
            // One that is interrupted leaves nothing to heal.
            let now = if *signal == "-INT" { env.files("out") } else { healed() };
            let names: Vec<&String> = now.iter().map(|(name, _)| name).collect();
            assert!(now == old || now == new, "{signal} after {moment}/50 of {whole} ms: {names:?}");
            were_old += usize::from(now == old);
            were_new += usize::from(now == new);
            if now == new {
                env.ok(&plain.join(" "));
            }
        }
    }
    assert!(were_old > 0, "{were_old} old, {were_new} new");
}

#[test]
fn what_is_painted_while_a_run_goes_on_stays() {
    let env = Env::with_art();
    let line = ["pack", "art", "-o", "atlas/pond", "--effort", "high", "--png", "small"];
    env.ok("pack art -o atlas/pond");
    let child = program(&env).args(line).stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
    // It has begun once its folder beside the outputs is there, and has looked at them soon after.
    let runs = || std::fs::read_dir(env.path("atlas/.shibori")).unwrap().count();
    let before = runs();
    while runs() == before {
        std::thread::sleep(Duration::from_millis(1));
    }
    std::thread::sleep(Duration::from_millis(60));
    env.write("atlas/pond.png", "a painting of mine");
    let manifest = env.read("atlas/pond.json");
    let outcome = child.wait_with_output().unwrap();
    let errors = String::from_utf8_lossy(&outcome.stderr).into_owned();
    assert_eq!(outcome.status.code(), Some(4), "{errors}");
    // By the last look before files are moved; or, where the machine was slow, by the first one.
    assert!(errors.contains("was changed"), "{errors}");
    assert!(env.read("atlas/pond.png") == b"a painting of mine" && env.read("atlas/pond.json") == manifest);
    assert_eq!(env.names("atlas"), ["pond.json", "pond.png"]);
}

#[cfg(target_os = "linux")]
#[test]
fn in_little_memory_every_absurd_size_is_refused() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    let chunk = |name: &[u8], body: &[u8]| {
        let sum = crc32fast::hash(&[name, body].concat());
        [&(body.len() as u32).to_be_bytes()[..], name, body, &sum.to_be_bytes()].concat()
    };
    for side in [100_000u32, 16_000] {
        let size = [side.to_be_bytes(), side.to_be_bytes()].concat();
        let head = chunk(b"IHDR", &[&size[..], &[8, 6, 0, 0, 0]].concat());
        let bytes =
            [b"\x89PNG\r\n\x1a\n", &head[..], &chunk(b"IDAT", &[0x78, 0x9c]), &chunk(b"IEND", &[])].concat();
        env.write(&format!("{side}.png"), bytes);
    }
    // Two hundred pictures of 2000 x 2000 px in a few bytes each.
    let mut gif = gif::Encoder::new(Vec::new(), 2000, 2000, &[0; 6]).unwrap();
    for _ in 0..200 {
        gif.write_frame(&gif::Frame::from_indexed_pixels(1, 1, vec![1], None)).unwrap();
    }
    env.write("film.gif", gif.into_inner().unwrap());
    let before = env.names("");
    for (code, line) in [
        (3, "inspect 100000.png --max-pixels 10000000000"),
        (3, "inspect 16000.png"),
        (3, "slice film.gif -o film"),
        (2, "adjust koi -o big --canvas 16000x16000"),
        (2, "adjust koi -o big --canvas 100000x100000 --max-pixels 10000000000"),
        (2, "adjust koi -o big --scale 64 --max-memory 60MB"),
        (2, "pack koi -o big --page-size 16000x16000"),
        (2, "pack koi -o big --layout grid --canvas 9000x9000"),
        (2, "pack koi -o big --page-scales 1,16 --max-memory 5MB"),
        (2, "guide-sheet --grid 8x8 --cell 2000x2000 -o big.ora"),
        (2, "guide-sheet --grid 65x65 --cell 2000x2000 -o big.png"),
        (2, "preview contact koi --zoom 64 -o big.png --max-memory 50MB"),
        (2, "preview motion koi --zoom 64 -o big.gif --max-memory 50MB"),
        (3, "slice art/koi.png --grid 8x1 -o big --max-memory 1kB"),
    ] {
        let script = format!("ulimit -v 1500000; exec \"$0\" {line}");
        let binary = assert_cmd::cargo::cargo_bin!("shibori");
        let mut shell = Command::new("sh");
        let outcome = shell.args(["-c", &script]).arg(binary).current_dir(env.path("")).output().unwrap();
        let errors = String::from_utf8_lossy(&outcome.stderr).into_owned();
        assert_eq!(outcome.status.code(), Some(code), "{line}: {errors}");
        assert!(errors.starts_with("error: ") && errors.contains("hint: "), "{line}: {errors}");
        assert_eq!(env.names(""), before, "{line}");
    }
    env.ok("slice art/koi.png --grid 8x1 -o fits --max-memory 5MB");
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_device_is_an_error_and_a_closed_pipe_is_none() {
    let env = Env::with_art();
    for line in [&["inspect", "art/koi.png"][..], &["schema", "manifest"], &["export", "--list"]] {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let outcome = program(&env).args(line).stdout(full).output().unwrap();
        let errors = String::from_utf8_lossy(&outcome.stderr).into_owned();
        assert_eq!(outcome.status.code(), Some(4), "{line:?}: {errors}");
        assert!(errors.contains("standard output: "), "{line:?}: {errors}");
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let outcome = program(&env).args(line).stdout(writer).output().unwrap();
        assert_eq!((outcome.status.code(), outcome.stderr.len()), (Some(0), 0), "{line:?}");
    }
}
