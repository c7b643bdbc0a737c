//! `shibori check`: what will look wrong in the game, and how to fix it: a command, or a line of a recipe.

mod recipe;

use serde::Serialize;
use shibori_core::check::Severity;
use shibori_pipeline::Source;
use shibori_pipeline::remedy::Destination;
use shibori_pipeline::steps::check;

use super::CommandContext;
use crate::args::Check;
use crate::failure::Failure;
use crate::wording::{FindingReport, WordedGroup, count_noun, group_digits, word_findings};
use recipe::{UnmetExpectation, check_recipes};

#[derive(Serialize)]
struct Report {
    findings: Vec<FindingReport>,
    /// What is not as a recipe expects.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unmet: Vec<UnmetExpectation>,
    /// Findings of rules that were allowed.
    allowed: usize,
}

/// What is said of a report: the same findings, by their cause.
struct Conclusion {
    groups: Vec<WordedGroup>,
    frames: usize,
    /// How a rule is allowed.
    how: &'static str,
    is_strict: bool,
}

pub(super) fn run(args: &Check, program: &CommandContext<'_>) -> Result<(), Failure> {
    if let Some(report) = check_recipes(args, program)? {
        return report;
    }
    let cx = program.context();
    let checked = check(&Source::paths(&args.sources), &args.options, &cx)?;
    let allowed = checked.iter().map(|one| one.allowed).sum();
    let (mut findings, mut groups) = (Vec::new(), Vec::new());
    for one in &checked {
        let worded = word_findings(one, &one.source, Destination::Files, &program.base);
        findings.extend(worded.findings);
        groups.extend(worded.groups);
    }
    let frames = checked.iter().map(|one| one.set.frames().len()).sum();
    let report = Report { findings, unmet: Vec::new(), allowed };
    finish(
        &report,
        Conclusion { groups, frames, how: "--allow RULE", is_strict: args.options.strict.is_on() },
        program,
    )
}

/// Frames are named up to this many.
const NAMED: usize = 4;

fn print_report(report: &Report, mut groups: Vec<WordedGroup>, program: &CommandContext<'_>) {
    groups.sort_by_key(|group| group.level);
    for group in groups {
        let names = group.frames.iter().take(NAMED).cloned().collect::<Vec<_>>().join(", ");
        let place = group.at.map(|at| format!(" at {},{}", at.x, at.y)).unwrap_or_default();
        let frames = match group.frames.len() {
            1 => format!("{names}{place}"),
            count if count <= NAMED => format!("{count} frames: {names}"),
            count => format!("{count} frames: {names}, ..."),
        };
        program.console.print_heading(&format!(
            "{}  {}  {}  {frames}",
            group.level.id(),
            group.rule,
            group.of
        ));
        program.say(&format!("  {}", group.message));
        group.remedy.lines().for_each(|line| program.say(&format!("  {line}")));
    }
    for one in &report.unmet {
        let of = one.of.as_ref().map(|of| format!("  {of}")).unwrap_or_default();
        program.console.print_heading(&format!("{}  {}{of}", Severity::Wrong.id(), one.rule));
        program.say(&format!("  {}", one.message));
        program.say(&format!("  {}", one.remedy));
    }
    program.console.result(report);
}

fn finish(report: &Report, conclusion: Conclusion, program: &CommandContext<'_>) -> Result<(), Failure> {
    let Conclusion { groups, frames, how, is_strict } = conclusion;
    let count = |level: Severity| groups.iter().filter(|group| group.level == level).count();
    let (wrong, look) = (count(Severity::Wrong) + report.unmet.len(), count(Severity::Look));
    print_report(report, groups, program);
    let allowed = match report.allowed {
        0 => String::new(),
        count => format!(", {} allowed", group_digits(count as u64)),
    };
    let frames = count_noun(frames, "frame");
    let strict = if is_strict && look > 0 { " (--strict counts these as wrong)" } else { "" };
    program.say(&match (wrong, look) {
        (0, 0) => format!("{frames}: no problems found{allowed}"),
        (0, look) => {
            format!("{frames}: nothing wrong, {} worth a look{allowed}{strict}", count_noun(look, "thing"))
        }
        (wrong, 0) => {
            format!("{frames}: {}{allowed}; use {how} to ignore a rule", count_noun(wrong, "problem"))
        }
        (wrong, look) => format!(
            "{frames}: {}, {look} more worth a look{allowed}; use {how} to ignore a rule",
            count_noun(wrong, "problem")
        ),
    });
    if wrong > 0 || is_strict && look > 0 { Err(Failure::findings()) } else { Ok(()) }
}
