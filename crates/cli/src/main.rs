//! The program `shibori`: arguments in, messages out.
//!
//! What happens, in order: [`args`] reads the command line, [`commands`] hands it to the steps of `shibori-pipeline`,
//! [`wording`] describes the outcome, [`console`] speaks, [`failure`] turns what went wrong into a message, a hint and an
//! exit code. No picture is computed here and no file format known.

mod args;
mod commands;
mod console;
mod failure;
mod help;
mod message;
mod panic;
mod progress;
mod serve;
mod synonyms;
mod terminal;
mod trace;
#[cfg(all(test, not(windows)))]
mod vectors;
mod wording;

use std::error::Error;
use std::num::NonZeroUsize;
use std::path::Path;
use std::process::ExitCode;

use args::Cli;
use clap::FromArgMatches;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use commands::CommandContext;
use console::Console;
use failure::{Exit, Failure};
use help::Extent;
use shibori_core::{ByteSize, SyntaxError};
use shibori_formats::DisplaySlashed;
use shibori_formats::export::BUILTIN_TEMPLATES;
use shibori_pipeline::available_memory;
use shibori_pipeline::options::current_name;

/// The exit code of a run that was interrupted.
const INTERRUPTED: i32 = 130;

/// So many threads are made where they are asked for, even on fewer cores.
const MOST_IDLE_JOBS: usize = 16;

fn main() -> ExitCode {
    panic::install_hook();
    let matches = help::command(Extent::of(std::env::args_os())).try_get_matches();
    let mut cli = match matches.and_then(|matches| Cli::from_arg_matches(&matches)) {
        Ok(cli) => cli,
        Err(error) => return report_usage_error(&error),
    };
    cli.everywhere.run.max_memory.get_or_insert_with(|| ByteSize(available_memory().0 / 2));
    let console = Console::new(&cli.everywhere);
    trace::install(cli.everywhere.verbose);
    clean_up_when_interrupted();
    if !cli.everywhere.quiet {
        shibori_formats::store::on_wait(|file| {
            eprintln!("note: waiting for another run of shibori that writes {}", file.display_slashed());
        });
    }
    if let Some(jobs) = cli.everywhere.jobs {
        // The system may have no room for that many threads, and more of them than cores make nothing faster.
        let most = std::thread::available_parallelism().map_or(1, NonZeroUsize::get).max(MOST_IDLE_JOBS);
        let _ = rayon::ThreadPoolBuilder::new().num_threads(jobs.get().min(most)).build_global();
    }
    let program = CommandContext::new(&console, &cli.everywhere);
    let outcome = commands::run(&cli.command, &program);
    trace::finish(cli.everywhere.verbose);
    match outcome {
        Ok(()) => {
            console.finish(None);
            match console.write_error() {
                None => ExitCode::SUCCESS,
                Some(error) => {
                    console.failure(&Failure::usage(format!("standard output: {error}")));
                    ExitCode::from(Exit::Output as u8)
                }
            }
        }
        Err(failure) => exit_with(&console, &failure),
    }
}

fn exit_with(console: &Console, failure: &Failure) -> ExitCode {
    console.failure(failure);
    console.finish(Some(failure));
    ExitCode::from(failure.exit as u8)
}

/// What was made ready and is not in place yet goes, then the program ends. Files that are just being moved are all moved
/// first.
fn clean_up_when_interrupted() {
    let ended = || {
        let _abandoned = shibori_formats::store::discard();
        terminal::restore();
        std::process::exit(INTERRUPTED);
    };
    // Fails only where somebody listens already, and nobody does.
    let _ = ctrlc::set_handler(ended);
}

/// A command line that can't be read. A mistake inside a typed value is pointed at; the rest is clap's to tell.
fn report_usage_error(error: &clap::Error) -> ExitCode {
    let syntax = error.source().and_then(|source| source.downcast_ref::<SyntaxError>());
    let console = Console::for_errors(wants_json());
    let Some(syntax) = syntax else {
        if let Some(failure) = renamed_option(error).or_else(|| synonym(error)) {
            return exit_with(&console, &failure);
        }
        if error.use_stderr() && wants_json() {
            let text = error.render().to_string();
            let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
            let first = lines.next().unwrap_or_default();
            let failure = Failure::usage(first.strip_prefix("error: ").unwrap_or(first));
            let hint: Vec<&str> = lines.filter(|line| !line.starts_with("For more information")).collect();
            let failure = if hint.is_empty() { failure } else { failure.with_hint(hint.join("; ")) };
            return exit_with(&console, &failure);
        }
        error.exit()
    };
    let option = match error.get(ContextKind::InvalidArg) {
        // Options come as `--clip <SPEC>`, what has no name as `[NAME=SPEC]...`.
        Some(ContextValue::String(option)) => option
            .split(' ')
            .next()
            .unwrap_or(option)
            .trim_end_matches('.')
            .trim_matches(['[', ']'])
            .to_owned(),
        _ => "the command line".to_owned(),
    };
    exit_with(&console, &Failure::pointing(&option, syntax))
}

/// An option that has another name now.
fn renamed_option(error: &clap::Error) -> Option<Failure> {
    let Some(ContextValue::String(option)) = error.get(ContextKind::InvalidArg) else { return None };
    let name =
        current_name(option.strip_prefix("--")?).filter(|_| error.kind() == ErrorKind::UnknownArgument)?;
    Some(Failure::usage(format!("unexpected argument '{option}'")).with_hint(format!("use --{name}")))
}

/// An option, a command or a value that people know by another name, a number that was taken for an option, or one
/// argument too few.
fn synonym(error: &clap::Error) -> Option<Failure> {
    let text = |kind| match error.get(kind) {
        Some(ContextValue::String(text)) => Some(text.as_str()),
        _ => None,
    };
    match error.kind() {
        ErrorKind::UnknownArgument => {
            let typed = text(ContextKind::InvalidArg)?;
            let failure = Failure::usage(format!("unknown option '{typed}'"));
            if typed.starts_with('-') && typed[1..].starts_with(|c: char| c.is_ascii_digit()) {
                let failure =
                    Failure::usage(format!("'{typed}' can't be used here: a value may not begin with -"));
                return Some(failure.with_hint("remove it, or give a number of 0 or more"));
            }
            let root = help::command(Extent::Whole);
            let (command, path) = typed_command(&root);
            let nearest = text(ContextKind::SuggestedArg).map(|option| format!("did you mean {option}?"));
            let all = format!("shibori {path}--help lists all options");
            Some(failure.with_hint(synonyms::option(command, typed).or(nearest).unwrap_or(all)))
        }
        ErrorKind::MissingRequiredArgument => {
            let Some(ContextValue::Strings(missing)) = error.get(ContextKind::InvalidArg) else {
                return None;
            };
            let plain = |argument: &String| argument.replace("--output", "-o").replace(['<', '>'], "");
            let missing: Vec<String> = missing.iter().map(plain).collect();
            let root = help::command(Extent::Whole);
            let (_, path) = typed_command(&root);
            let failure = Failure::usage(format!("missing: {}", missing.join(" and ")));
            Some(failure.with_hint(match path == "adjust " && missing == ["-o SET"] {
                true => "name a new set with -o SET, or change this one with --in-place".to_owned(),
                false => format!("shibori {path}-h shows what it takes"),
            }))
        }
        ErrorKind::InvalidSubcommand => {
            let typed = text(ContextKind::InvalidSubcommand)?;
            let command = synonyms::command(typed)?;
            Some(
                Failure::usage(format!("unknown command '{typed}'"))
                    .with_hint(format!("use shibori {command}")),
            )
        }
        ErrorKind::InvalidValue => {
            let (option, typed) = (text(ContextKind::InvalidArg)?, text(ContextKind::InvalidValue)?);
            let name = option.trim_start_matches("--").split(' ').next()?;
            if name == "to" && ["gif", "apng", "webp", "y4m", "mp4", "png"].contains(&typed) {
                let source = std::env::args().skip(2).find(|word| !word.starts_with('-'));
                let source = source.filter(|source| source != typed).unwrap_or_else(|| "SOURCE".to_owned());
                let ending = if typed == "mp4" { "gif" } else { typed };
                let file = Path::new(&source).with_extension(ending);
                let (source, file) = (wording::pasteable(&source), wording::pasteable_path(&file));
                return Some(
                    Failure::usage(format!("--to: '{typed}' is not an export but a preview"))
                        .with_hint(format!("use shibori preview motion {source} -o {file}")),
                );
            }
            if name == "to" && BUILTIN_TEMPLATES.iter().any(|template| template.name == typed) {
                let failure = Failure::usage(format!("--to: '{typed}' comes as a template"));
                return Some(failure.with_hint(format!("use --template {typed}")));
            }
            let value = synonyms::value(name, typed)?;
            Some(
                Failure::usage(format!("--{name}: unknown value '{typed}'"))
                    .with_hint(format!("use --{name} {value}")),
            )
        }
        _ => None,
    }
}

/// The command that was typed, and its names with a space behind each.
fn typed_command(root: &clap::Command) -> (&clap::Command, String) {
    let (mut command, mut path) = (root, String::new());
    for word in std::env::args().skip(1).filter(|word| !word.starts_with('-')) {
        match command.find_subcommand(&word) {
            Some(inner) => command = inner,
            None => break,
        }
        path += &word;
        path.push(' ');
    }
    (command, path)
}

/// Whether a command line that can't be read asks for JSON.
fn wants_json() -> bool {
    std::env::args_os().skip(1).take_while(|word| word != "--").any(|word| word == "--json")
}
