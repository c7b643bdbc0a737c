//! `shibori build`: do a recipe, and say what was done.

mod serve;
mod told;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::Instant;

use serde::Serialize;
use shibori_formats::ShownPath;
use shibori_pipeline::Error;
use shibori_pipeline::build::{Build, StepFacts, Watch};
use shibori_pipeline::recipe::RECIPE_FILE;

use self::serve::Server;
use self::told::{Teller, why};
use super::Program;
use crate::args::Build as Args;
use crate::failure::Failure;
use crate::words::ToldPath;
use crate::words::{counted, pasteable, pasteable_path, table};

pub(super) fn run(args: &Args, program: &Program<'_>) -> Result<(), Failure> {
    let recipe = args.recipe.clone().unwrap_or_else(|| PathBuf::from(RECIPE_FILE));
    let recipe = program.base.join(recipe);
    if args.watch {
        return watch(args, &recipe, program);
    }
    let build = Build::open(&recipe, &program.everywhere.run)?;
    if args.plan {
        return plan(&build, &recipe, program);
    }
    if args.frozen {
        return frozen(&build, program);
    }
    if program.everywhere.run.dry_run.is_on() {
        return dry_run(&build, program);
    }
    if let Some(step) = &args.target {
        let teller = Teller::new(program);
        let facts = build.only(step, &teller).map_err(told)?;
        if let Some(file) = &args.depfile {
            build.write_depfile(&program.base.join(file), &[facts], false).map_err(told)?;
        }
        return Ok(());
    }
    told_once(&build, &Teller::new(program), args.depfile.as_deref(), program).map(|_| ())
}

/// What went wrong, in the words of a recipe.
fn told(error: Error) -> Failure {
    Failure::from(error).in_recipe()
}

/// Builds once, and tells whether anything was done; an error where any step could not be.
fn told_once(
    build: &Build,
    teller: &Teller<'_>,
    depfile: Option<&Path>,
    program: &Program<'_>,
) -> Result<bool, Failure> {
    let began = Instant::now();
    let outcome = build.run(program.everywhere.jobs, teller).map_err(told)?;
    let failed = teller.conclude(&outcome, began);
    // Written by itself, it would be one more thing that changed where all is watched.
    let is_news = !teller.is_silent() || outcome.did_something();
    if let Some(file) = depfile.filter(|_| is_news) {
        let facts = build.facts(teller).map_err(told)?;
        build.write_depfile(&program.base.join(file), &facts, true).map_err(told)?;
    }
    failed.map_or(Ok(outcome.did_something()), |exit| Err(Failure::said(exit)))
}

#[derive(Serialize)]
struct PlanReport {
    steps: Vec<PlanStep>,
}

#[derive(Serialize)]
struct PlanStep {
    name: String,
    command: String,
    inputs: Vec<ToldPath>,
    outputs: Vec<ToldPath>,
    digest: String,
}

/// The graph as JSON, with or without `--json`: it is for programs.
fn plan(build: &Build, recipe: &Path, program: &Program<'_>) -> Result<(), Failure> {
    let facts = build.facts(&Teller::new(program)).map_err(told)?;
    let step = |step: StepFacts| PlanStep {
        command: format!(
            "shibori build {} --target {}",
            pasteable_path(&program.shown(recipe)),
            pasteable(&step.name)
        ),
        digest: step.digest.to_string(),
        inputs: step.inputs.iter().map(|path| build.base().join(path).into()).collect(),
        outputs: step.outputs.iter().map(|path| build.base().join(path).into()).collect(),
        name: step.name,
    };
    program.console.result_always(&PlanReport { steps: facts.into_iter().map(step).collect() });
    Ok(())
}

#[derive(Serialize)]
struct StandingReport {
    stale: Vec<StandingStep>,
    kept: usize,
    left: Vec<ToldPath>,
}

#[derive(Serialize)]
struct StandingStep {
    step: String,
    why: String,
    outputs: Vec<ToldPath>,
}

fn standing(build: &Build) -> Result<StandingReport, Failure> {
    let (mut stale, mut kept) = (Vec::new(), 0);
    for one in build.standing().map_err(told)? {
        match &one.why {
            Some(reason) => {
                stale.push(StandingStep {
                    step: one.name,
                    why: why(reason),
                    outputs: ToldPath::all(&one.outputs),
                });
            }
            None => kept += 1,
        }
    }
    Ok(StandingReport { stale, kept, left: ToldPath::all(&build.left_behind()) })
}

fn list(report: &StandingReport, program: &Program<'_>) {
    let rows: Vec<Vec<String>> =
        report.stale.iter().map(|step| vec![step.step.clone(), step.why.clone()]).collect();
    let (_, lines) = table(&["", ""], &rows, &[]);
    lines.iter().for_each(|line| program.say(line));
    for file in &report.left {
        program.say(&format!("{}  no longer produced", file.shown()));
    }
}

/// Builds nothing, and says what is stale.
fn frozen(build: &Build, program: &Program<'_>) -> Result<(), Failure> {
    let report = standing(build)?;
    list(&report, program);
    program.console.result(&report);
    if report.stale.is_empty() && report.left.is_empty() {
        program.say(&format!("{} up to date", counted(report.kept, "step")));
        return Ok(());
    }
    program.say(&format!("{} stale, {} up to date", counted(report.stale.len(), "step"), report.kept));
    Err(Failure::findings())
}

fn dry_run(build: &Build, program: &Program<'_>) -> Result<(), Failure> {
    let report = standing(build)?;
    list(&report, program);
    program.console.result(&report);
    let (stale, kept) = (counted(report.stale.len(), "step"), report.kept);
    program.say(&format!("would run {stale}; {kept} up to date"));
    Ok(())
}

/// Builds whenever something is saved. What is wrong with the recipe or the art is said, and ends nothing.
fn watch(args: &Args, recipe: &Path, program: &Program<'_>) -> Result<(), Failure> {
    let file = if recipe.is_dir() { recipe.join(RECIPE_FILE) } else { recipe.to_owned() };
    let base = file.parent().unwrap_or(Path::new("")).to_owned();
    // Begun before the first build, so that nothing is missed that is saved meanwhile.
    let mut watch =
        Watch::begin(&base).map_err(|error| Failure::usage(format!("--watch: {}: {error}", base.shown())))?;
    let server = args.serve.map(started).transpose()?;
    let (mut changed, mut known): (Option<Changed>, BTreeSet<PathBuf>) = (None, BTreeSet::new());
    loop {
        let is_first = changed.is_none();
        match build_watched(args, recipe, changed.as_ref(), &mut watch, program) {
            // Whatever is saved next may be what was missing.
            None => known.clear(),
            Some(Built { out, files, did_something }) => {
                known = files;
                let out = base.join(out);
                if let Some(server) = server.as_ref().filter(|_| is_first || did_something) {
                    server.show(&out);
                    if is_first {
                        program.say(&format!("showing {} at {}", out.shown(), server.address()));
                    }
                    server.tell();
                }
            }
        }
        if is_first {
            program.say("watching for changes; press Ctrl+C to stop");
        }
        let Some(change) = watch.next() else {
            return Err(Failure::usage("--watch: the system stopped reporting changes"));
        };
        let shown: Vec<String> = change.files.iter().take(3).map(|path| path.shown().to_string()).collect();
        let more = change.files.len().saturating_sub(shown.len());
        let more = if more == 0 { String::new() } else { format!(" and {more} more") };
        let is_part =
            known.is_empty() || change.files.iter().any(|path| path.is_absolute() || known.contains(path));
        changed = Some(Changed { told: format!("{}{more}", shown.join(", ")), is_part });
    }
}

fn started(port: u16) -> Result<Server, Failure> {
    Server::start(port).map_err(|error| {
        Failure::usage(format!("--serve: port {port} can't be used: {error}"))
            .with_hint("choose another, such as --serve 8141; 0 picks any free port")
    })
}

/// What was saved.
struct Changed {
    told: String,
    /// Whether any of it is a part of the recipe, as far as that is known.
    is_part: bool,
}

/// What came of a build that went well.
struct Built {
    out: PathBuf,
    /// The recipe and all that it is made of.
    files: BTreeSet<PathBuf>,
    did_something: bool,
}

/// Builds once more.
fn build_watched(
    args: &Args,
    recipe: &Path,
    changed: Option<&Changed>,
    watch: &mut Watch,
    program: &Program<'_>,
) -> Option<Built> {
    let build = match Build::open(recipe, &program.everywhere.run) {
        Ok(build) => build,
        Err(error) => {
            program.fail(&error.into());
            return None;
        }
    };
    watch.look_away_from(&build.out());
    let mut files = build.all_files();
    watch.also(&files);
    files.extend(recipe.file_name().filter(|_| !recipe.is_dir()).map(PathBuf::from));
    files.push(PathBuf::from(RECIPE_FILE));
    let teller = match changed {
        Some(changed) => Teller::brief(program, &changed.told, changed.is_part),
        None => Teller::new(program),
    };
    match told_once(&build, &teller, args.depfile.as_deref(), program) {
        Ok(did_something) => {
            Some(Built { out: build.out(), files: files.into_iter().collect(), did_something })
        }
        Err(failure) => {
            program.fail(&failure);
            None
        }
    }
}
