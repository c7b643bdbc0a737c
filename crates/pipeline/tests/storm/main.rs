//! Random art with random options, from a sheet to an export: nothing panics or runs forever, and the output is as asked,
//! on any number of threads. Set `PROPTEST_CASES=20000` for a long run.

mod case;

use std::collections::BTreeMap;
use std::sync::{Mutex, mpsc};
use std::time::Duration;

use case::{Files, run};
use proptest::prelude::*;
use proptest::test_runner::{RngSeed, TestRunner};
use serde_json::Value;

/// Far longer than any case takes: one still running by then is stuck.
const ENDLESS: Duration = Duration::from_secs(120);

/// Runs a job on this many threads; prints its commands if it fails.
fn ran(bytes: &[u8], threads: usize) -> Result<(Files, Vec<String>), TestCaseError> {
    let (done, end) = mpsc::channel();
    let (said, heard) = mpsc::channel::<(String, Value)>();
    let bytes = bytes.to_vec();
    let job = std::thread::spawn(move || {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads");
        let files = pool.install(|| {
            run(&bytes, &mut |command, options| drop(said.send((command.to_owned(), options.clone()))))
        });
        let _ = done.send(files);
    });
    let end = end.recv_timeout(ENDLESS);
    let commands = || -> Vec<String> {
        heard.try_iter().map(|(command, options)| format!("{command} {options}")).collect()
    };
    match end {
        Ok(files) => Ok((files, heard.try_iter().map(|(command, _)| command).collect())),
        Err(mpsc::RecvTimeoutError::Timeout) => {
            Err(TestCaseError::fail(format!("it does not end:\n{}", commands().join("\n"))))
        }
        Err(mpsc::RecvTimeoutError::Disconnected) => {
            let panic = job.join().err();
            let text = panic.as_ref().and_then(|panic| {
                panic
                    .downcast_ref::<String>()
                    .cloned()
                    .or_else(|| Some((*panic.downcast_ref::<&str>()?).to_owned()))
            });
            let text = text.unwrap_or_default();
            Err(TestCaseError::fail(format!("{text}\n{}", commands().join("\n"))))
        }
    }
}

/// As many cases as the environment asks for, or 200; always the same ones unless it sets a seed.
fn config() -> ProptestConfig {
    let plain = ProptestConfig::default();
    let is_asked = |name: &str| std::env::var_os(name).is_some();
    let cases = if is_asked("PROPTEST_CASES") { plain.cases } else { 200 };
    let rng_seed = if is_asked("PROPTEST_RNG_SEED") { plain.rng_seed } else { RngSeed::Fixed(1) };
    ProptestConfig { cases, rng_seed, failure_persistence: None, max_shrink_iters: 400, ..plain }
}

#[test]
fn any_art_with_any_options_ends_well() {
    let reached: Mutex<BTreeMap<String, usize>> = Mutex::default();
    let config = config();
    let cases = config.cases as usize;
    let mut runner = TestRunner::new(config);
    let bytes = prop::collection::vec(any::<u8>(), 20..2000);
    let outcome = runner.run(&bytes, |bytes| {
        let (files, commands) = ran(&bytes, 4)?;
        for command in commands {
            *reached.lock().unwrap().entry(command).or_default() += 1;
        }
        // Every fourth case runs again on one thread.
        if bytes[0] % 4 == 0 {
            prop_assert!(ran(&bytes, 1)?.0 == files, "other bytes on one thread");
        }
        Ok(())
    });
    if let Err(error) = outcome {
        panic!("{error}");
    }
    let reached = reached.into_inner().unwrap();
    println!("commands run: {reached:?}");
    let exported = reached.get("export").copied().unwrap_or(0);
    assert!(exported * 2 > cases, "of {cases} jobs only {exported} came as far as the export");
}
