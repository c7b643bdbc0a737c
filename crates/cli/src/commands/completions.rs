//! `shibori completions`: what lets a shell complete commands and options.

use super::CommandContext;
use crate::args::Completions;
use crate::failure::Failure;
use crate::help;

pub(super) fn run(args: &Completions, program: &CommandContext<'_>) -> Result<(), Failure> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut help::command(help::Extent::Whole), "shibori", &mut script);
    program.console.text(&String::from_utf8_lossy(&script));
    Ok(())
}
