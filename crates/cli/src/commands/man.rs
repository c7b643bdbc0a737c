//! `shibori man`: manual pages.

use std::path::PathBuf;

use clap::Command;
use clap_mangen::Man as Page;
use shibori_formats::DisplaySlashed;
use shibori_formats::encode;

use super::CommandContext;
use crate::args::Man;
use crate::failure::Failure;
use crate::help::{self, Extent};
use crate::wording::count_noun;

pub(super) fn run(args: &Man, program: &CommandContext<'_>) -> Result<(), Failure> {
    let mut root = described(help::command(Extent::Whole));
    root.build();
    let Some(folder) = &args.output else {
        let (_, bytes) = page(&root)?;
        program.console.text(&String::from_utf8_lossy(&bytes));
        return Ok(());
    };
    let mut pages = Vec::new();
    collect(&root, &mut pages)?;
    let files: Vec<(PathBuf, &[u8])> =
        pages.iter().map(|(name, bytes)| (folder.join(name), bytes.as_slice())).collect();
    let cx = program.context();
    encode::bytes(&files, cx.transaction())?;
    cx.commit()?;
    program.say(&format!(
        "{} {} in {}",
        program.write_verb(),
        count_noun(files.len(), "page"),
        folder.display_slashed()
    ));
    Ok(())
}

/// The same command with every option described: pages leave out the text of what `-h` does not show.
fn described(command: Command) -> Command {
    command.mut_args(|arg| arg.hide_short_help(false)).mut_subcommands(described)
}

/// The pages of a command and of those inside it.
fn collect(command: &Command, pages: &mut Vec<(String, Vec<u8>)>) -> Result<(), Failure> {
    pages.push(page(command)?);
    let inner = command.get_subcommands().filter(|inner| inner.get_name() != "help");
    inner.into_iter().try_for_each(|inner| collect(inner, pages))
}

/// `shibori-slice.1` and what is in it.
fn page(command: &Command) -> Result<(String, Vec<u8>), Failure> {
    let name = command.get_display_name().unwrap_or(command.get_name()).to_owned();
    let mut bytes = Vec::new();
    let page = Page::new(command.clone());
    page.render(&mut bytes).map_err(|error| Failure::output(format!("{name}.1: {error}")))?;
    Ok((format!("{name}.1"), bytes))
}
