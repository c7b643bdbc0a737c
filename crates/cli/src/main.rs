//! The program `shibori`: arguments in, messages out.
//!
//! What happens, in order: [`args`] reads the command line into option groups, [`commands`] decides what
//! they mean and does the work with `shibori-core` and `shibori-formats`, [`console`] speaks, [`failure`]
//! turns what went wrong into a message, a hint and an exit code. No picture is computed here and no
//! file format known.

mod args;
mod commands;
mod console;
mod failure;
mod progress;

use std::process::ExitCode;

use args::Cli;
use clap::Parser;
use console::Console;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let console = Console::new(&cli.everywhere);
    if let Some(jobs) = cli.everywhere.jobs {
        // Fails only where a pool is there already, and none is.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(jobs.get()).build_global();
    }
    match commands::run(&cli.command, &cli.everywhere, &console) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => {
            console.fail(&failure);
            ExitCode::from(failure.exit as u8)
        }
    }
}
