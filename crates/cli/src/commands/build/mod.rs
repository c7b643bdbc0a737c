//! `shibori build`: do a recipe, and say what was done.

mod reporter;
mod serve;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;

use serde::Serialize;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::Error;
use shibori_pipeline::build::{Build, ChangedFiles, TargetInfo, Watch};
use shibori_pipeline::recipe::RECIPE_FILE;

use self::reporter::BuildReporter;
use self::serve::BuildSite;
use super::CommandContext;
use crate::args::Build as Args;
use crate::console::Console;
use crate::failure::Failure;
use crate::message::{Message, MessageLevel};
use crate::wording::ReportPath;
use crate::wording::{count_noun, pasteable, pasteable_path, table};

pub(super) fn run(args: &Args, program: &CommandContext<'_>) -> Result<(), Failure> {
    let recipe = args.recipe.clone().unwrap_or_else(|| found_above(&program.base));
    let recipe = program.base.join(recipe);
    let is_dry = program.everywhere.run.dry_run.is_on();
    if args.watch {
        if is_dry {
            return Err(Failure::usage("--watch and --dry-run can't be used together")
                .with_hint("drop --watch to see what is stale now"));
        }
        return watch(args, &recipe, program);
    }
    let build = Build::open(&recipe, &program.everywhere.run)?;
    if args.plan {
        return plan(&build, &recipe, program);
    }
    if args.frozen {
        return check_frozen(&build, program);
    }
    if is_dry {
        return dry_run(&build, args.target.as_deref(), program);
    }
    if let Some(step) = &args.target {
        let reporter = BuildReporter::new(program);
        let facts = build.build_one(step, &reporter).map_err(failure_of)?;
        if let Some(file) = &args.depfile {
            build.write_depfile(&program.base.join(file), &[facts], false).map_err(failure_of)?;
        }
        return Ok(());
    }
    build_once(&build, &BuildReporter::new(program), args.depfile.as_deref(), program).map(|_| ())
}

/// The recipe in the current folder, or in the nearest one above it that has one.
fn found_above(base: &Path) -> PathBuf {
    let plain = PathBuf::from(RECIPE_FILE);
    let base = if base.as_os_str().is_empty() { Path::new(".") } else { base };
    let Ok(full) = std::path::absolute(base) else { return plain };
    let depth = full.ancestors().position(|folder| folder.join(RECIPE_FILE).is_file());
    std::iter::repeat_n("..", depth.unwrap_or(0)).map(PathBuf::from).chain([plain]).collect()
}

/// What went wrong, in the words of a recipe.
fn failure_of(error: Error) -> Failure {
    Failure::from(error).for_recipe()
}

/// Builds once, and says whether anything was done; an error where any step could not be.
fn build_once(
    build: &Build,
    reporter: &BuildReporter<'_>,
    depfile: Option<&Path>,
    program: &CommandContext<'_>,
) -> Result<bool, Failure> {
    let began = Instant::now();
    // The reporter said what failed, as soon as it did.
    let outcome = match build.run(program.everywhere.jobs, reporter) {
        Err(Error::Build(failed)) => failed.outcome,
        other => other.map_err(failure_of)?,
    };
    let failed = reporter.finish(&outcome, began);
    // Written on its own, it would be one more thing that changed where all is watched; after a failure, Make would take it
    // for a success.
    let is_news = (!reporter.is_quiet() || outcome.did_something()) && failed.is_none();
    if let Some(file) = depfile.filter(|_| is_news) {
        let facts = build.describe_targets(reporter).map_err(failure_of)?;
        build.write_depfile(&program.base.join(file), &facts, true).map_err(failure_of)?;
    }
    failed.map_or(Ok(outcome.did_something()), |exit| Err(Failure::already_reported(exit)))
}

#[derive(Serialize)]
struct PlanReport {
    targets: Vec<PlanTarget>,
}

#[derive(Serialize)]
struct PlanTarget {
    name: String,
    command: String,
    inputs: Vec<ReportPath>,
    outputs: Vec<ReportPath>,
    digest: String,
}

/// The graph as JSON, with or without `--json`: it is for programs.
fn plan(build: &Build, recipe: &Path, program: &CommandContext<'_>) -> Result<(), Failure> {
    let facts = build.describe_targets(&BuildReporter::new(program)).map_err(failure_of)?;
    let target = |facts: TargetInfo| PlanTarget {
        command: format!(
            "shibori build {} --target {}",
            pasteable_path(&program.report_path(recipe)),
            pasteable(&facts.name)
        ),
        digest: facts.digest.to_string(),
        inputs: facts.inputs.iter().map(|path| build.base().join(path).into()).collect(),
        outputs: facts.outputs.iter().map(|path| build.base().join(path).into()).collect(),
        name: facts.name,
    };
    program.console.result_always(&PlanReport { targets: facts.into_iter().map(target).collect() });
    Ok(())
}

#[derive(Serialize)]
struct StatusReport {
    stale: Vec<StandingTarget>,
    kept: usize,
    left: Vec<ReportPath>,
}

#[derive(Serialize)]
struct StandingTarget {
    target: String,
    why: String,
    outputs: Vec<ReportPath>,
}

fn status_report(build: &Build, program: &CommandContext<'_>) -> Result<StatusReport, Failure> {
    let (mut stale, mut kept) = (Vec::new(), 0);
    let all = build.status(&BuildReporter::new(program)).map_err(failure_of)?;
    let left = ReportPath::all(&build.orphaned_outputs(&all));
    for one in all {
        match &one.why {
            Some(reason) => {
                stale.push(StandingTarget {
                    target: one.name,
                    why: reason.to_string(),
                    outputs: ReportPath::all(&one.outputs),
                });
            }
            None => kept += 1,
        }
    }
    Ok(StatusReport { stale, kept, left })
}

fn list(report: &StatusReport, program: &CommandContext<'_>) {
    let rows: Vec<Vec<String>> =
        report.stale.iter().map(|one| vec![one.target.clone(), one.why.clone()]).collect();
    let (_, lines) = table(&["", ""], &rows, &[]);
    lines.iter().for_each(|line| program.say(line));
    for file in &report.left {
        program.say(&format!("{}  no longer produced", file.display_slashed()));
    }
}

/// Builds nothing, and says what is stale.
fn check_frozen(build: &Build, program: &CommandContext<'_>) -> Result<(), Failure> {
    let report = status_report(build, program)?;
    list(&report, program);
    program.console.result(&report);
    if report.stale.is_empty() && report.left.is_empty() {
        program.say(&format!("{} up to date", count_noun(report.kept, "target")));
        return Ok(());
    }
    program.say(&format!("{} stale, {} up to date", count_noun(report.stale.len(), "target"), report.kept));
    Err(Failure::findings())
}

fn dry_run(build: &Build, target: Option<&str>, program: &CommandContext<'_>) -> Result<(), Failure> {
    let target =
        target.map(|name| build.target_named(name).map_err(|error| failure_of(error.into()))).transpose()?;
    let mut report = status_report(build, program)?;
    if let Some(name) = target {
        report.stale.retain(|one| one.target == name);
        report.kept = usize::from(report.stale.is_empty());
        report.left.clear();
    }
    list(&report, program);
    program.console.result(&report);
    let (stale, kept) = (count_noun(report.stale.len(), "target"), report.kept);
    program.say(&format!("would run {stale}; {kept} up to date"));
    Ok(())
}

/// Builds whenever something is saved. What is wrong with the recipe or the art is said, and ends nothing.
fn watch(args: &Args, recipe: &Path, program: &CommandContext<'_>) -> Result<(), Failure> {
    let file = if recipe.is_dir() { recipe.join(RECIPE_FILE) } else { recipe.to_owned() };
    let base = file.parent().unwrap_or(Path::new("")).to_owned();
    // Begun before the first build, so that nothing is missed that is saved meanwhile.
    let mut watch = Watch::begin(&base)
        .map_err(|error| Failure::usage(format!("--watch: {}: {error}", base.display_slashed())))?;
    let recorded = Console::recording(program.everywhere);
    let program =
        &CommandContext { base: program.base.clone(), ..CommandContext::new(&recorded, program.everywhere) };
    let site = args.serve.map(|port| BuildSite::start(port, program)).transpose()?;
    if let Some((_, server)) = &site {
        program.say(&format!("serving at {}", server.address()));
    }
    let mut has_tables = false;
    let (mut changed, mut known): (Option<ChangedFiles>, BTreeSet<PathBuf>) = (None, BTreeSet::new());
    let mut warned: BTreeSet<PathBuf> = BTreeSet::new();
    loop {
        let is_first = changed.is_none();
        let unwatched = match Build::open(recipe, &program.everywhere.run) {
            Err(error) => {
                program.console.take_record();
                program.fail(&failure_of(error));
                if let Some((site, _)) = &site {
                    site.report(program.console.take_record(), false);
                }
                // Any file saved next may fix it.
                known.clear();
                watch.follow_everything()
            }
            Ok(build) => {
                let build = Arc::new(build);
                let unwatched = watch.follow(&build);
                if let Some((site, _)) = &site {
                    site.show(Arc::clone(&build));
                }
                if let Some((_, server)) =
                    site.as_ref().filter(|_| !has_tables && !build.light_tables().is_empty())
                {
                    has_tables = true;
                    let address = server.trusted_address();
                    program.say(&format!("light tables that change the recipe: {address}"));
                }
                // A new file counts as a part, and so does one that is gone.
                let parts: BTreeSet<PathBuf> = build.all_files().into_iter().collect();
                let saved = changed.as_ref().map(|changed| SavedFiles::among(&parts, &known, changed));
                known = parts;
                program.console.take_record();
                let did_something = build_watched(args, &build, saved.as_ref(), program);
                watch.pass_over(&build);
                if let Some((site, _)) = &site {
                    site.report(program.console.take_record(), did_something);
                }
                unwatched
            }
        };
        for (folder, why) in unwatched.into_iter().filter(|(folder, _)| warned.insert(folder.clone())) {
            let text = format!("{}: can't be watched: {why}", folder.display_slashed());
            program.console.message(MessageLevel::Warning, &Message { text, pointer: None, hint: None });
        }
        if is_first {
            program.say("watching for changes; press Ctrl+C to stop");
        }
        let Some(change) = watch.next() else {
            return Err(Failure::usage("--watch: the system stopped reporting changes"));
        };
        changed = Some(change);
    }
}

/// What was saved.
struct SavedFiles {
    names: String,
    /// Whether any of it is a part of the recipe, as far as that is known.
    is_part: bool,
}

impl SavedFiles {
    /// The changed files that are or were part of the recipe; all changed files, if none are or that isn't known.
    fn among(parts: &BTreeSet<PathBuf>, before: &BTreeSet<PathBuf>, changed: &ChangedFiles) -> Self {
        let is_part = |path: &&PathBuf| path.is_absolute() || parts.contains(*path) || before.contains(*path);
        let mut files: Vec<&PathBuf> = changed.files.iter().filter(is_part).collect();
        let is_part = before.is_empty() || !files.is_empty();
        if files.is_empty() {
            files = changed.files.iter().collect();
        }
        let shown: Vec<String> =
            files.iter().take(3).map(|path| path.display_slashed().to_string()).collect();
        let more = files.len() - shown.len();
        let more = if more == 0 { String::new() } else { format!(" and {more} more") };
        Self { names: format!("{}{more}", shown.join(", ")), is_part }
    }
}

/// Builds once more, and says whether any file is another one now.
fn build_watched(
    args: &Args,
    build: &Build,
    changed: Option<&SavedFiles>,
    program: &CommandContext<'_>,
) -> bool {
    let reporter = match changed {
        Some(changed) => BuildReporter::for_watch(program, &changed.names, changed.is_part),
        None => BuildReporter::new(program),
    };
    match build_once(build, &reporter, args.depfile.as_deref(), program) {
        Ok(did_something) => did_something,
        Err(failure) => {
            program.fail(&failure);
            // Other targets may be done.
            true
        }
    }
}
