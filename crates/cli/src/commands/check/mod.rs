//! `shibori check`: what will look wrong in the game, and what mends it: a command, or a line of a recipe.

mod recipe;

use serde::Serialize;
use shibori_pipeline::steps::check;

use super::Program;
use crate::args::Check;
use crate::failure::Failure;
use crate::words::{self, FindingReport, counted, grouped};
use recipe::{Unmet, recipes};

#[derive(Serialize)]
struct Report {
    findings: Vec<FindingReport>,
    /// What is not as a recipe expects.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unmet: Vec<Unmet>,
    /// Findings of rules that were allowed.
    allowed: usize,
}

pub(super) fn run(args: &Check, program: &Program<'_>) -> Result<(), Failure> {
    if let Some(report) = recipes(args, program)? {
        return report;
    }
    let cx = program.context();
    let checked = check(&args.sources, &args.options, &cx)?;
    let frames = checked.iter().map(|one| one.set.frames().len()).sum();
    let allowed = checked.iter().map(|one| one.allowed).sum();
    let findings = checked.iter().flat_map(|one| words::findings(one, &program.base)).collect();
    let report = Report { findings, unmet: Vec::new(), allowed };
    say(&report, program);
    conclude(&report, frames, "--allow RULE", program)
}

fn say(report: &Report, program: &Program<'_>) {
    for finding in &report.findings {
        let place = finding.at.map(|[x, y]| format!(" at {x},{y}")).unwrap_or_default();
        let clip = finding.clip.as_ref().map(|clip| format!(" ({clip})")).unwrap_or_default();
        program.console.head(&format!("{}  {}:{}{clip}{place}", finding.rule, finding.sprite, finding.frame));
        program.say(&format!("  {}", finding.message));
        program.say(&format!("  {}", finding.remedy));
    }
    for one in &report.unmet {
        let of = one.of.as_ref().map(|of| format!("  {of}")).unwrap_or_default();
        program.console.head(&format!("{}{of}", one.rule));
        program.say(&format!("  {}", one.message));
        program.say(&format!("  {}", one.remedy));
    }
    program.console.result(report);
}

fn conclude(report: &Report, frames: usize, how: &str, program: &Program<'_>) -> Result<(), Failure> {
    let allowed = match report.allowed {
        0 => String::new(),
        1 => ", and 1 more that is allowed".to_owned(),
        count => format!(", and {} more that are allowed", grouped(count as u64)),
    };
    let count = report.findings.len() + report.unmet.len();
    if count == 0 {
        let allowed = allowed
            .replace(" more that is", " finding that is")
            .replace(" more that are", " findings that are");
        program.say(&format!("{}: nothing will look wrong{allowed}", counted(frames, "frame")));
        return Ok(());
    }
    let text = format!("{} in {}{allowed}", counted(count, "finding"), counted(frames, "frame"));
    program.say(&format!("{text}; {how} lets a rule be broken"));
    Err(Failure::findings())
}
