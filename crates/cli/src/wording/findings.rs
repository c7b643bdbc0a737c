//! What looks wrong, in words, and the commands that fix it.

use std::collections::HashSet;
use std::path::Path;

use serde::Serialize;
use shibori_core::UVec2;
use shibori_core::check::{Finding, Fix, Severity};
use shibori_pipeline::CommandLine;
use shibori_pipeline::remedy::{Destination, RecipeKeys, Remedy, RemedyFinder};
use shibori_pipeline::steps::{CheckReport, FindingGroup};

use crate::wording::ReportPath;
use crate::wording::{group_digits, pasteable};

/// Of remedies that differ from frame to frame, so many are printed.
const MAX_LISTED: usize = 4;

/// A finding as results report it.
#[derive(Serialize)]
pub(crate) struct FindingReport {
    pub(crate) rule: &'static str,
    pub(crate) level: &'static str,
    pub(crate) source: ReportPath,
    pub(crate) sprite: String,
    pub(crate) frame: String,
    /// All frames, if every frame of the sprite has it.
    #[serde(skip_serializing_if = "Option::is_none")]
    frames: Option<Vec<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) clip: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) at: Option<[u32; 2]>,
    value: f64,
    limit: f64,
    pub(crate) message: String,
    /// Commands to paste, one per line, or keys of the recipe.
    pub(crate) remedy: Option<String>,
    /// What to do where no command helps.
    #[serde(skip_serializing_if = "Option::is_none")]
    advice: Option<&'static str>,
}

/// Findings that have one cause: those of a rule in a sprite, or in a clip of it.
#[derive(Serialize)]
pub(crate) struct WordedGroup {
    pub(crate) rule: &'static str,
    #[serde(serialize_with = "by_id")]
    pub(crate) level: Severity,
    /// The sprite or the clip.
    pub(crate) of: String,
    /// The frames, and where to look in the first.
    pub(crate) frames: Vec<String>,
    #[serde(skip)]
    pub(crate) at: Option<UVec2>,
    /// What was seen, in the frame where it is worst.
    pub(crate) message: String,
    /// Commands to paste, one per line; keys of the recipe; or what to do by hand.
    pub(crate) remedy: String,
}

/// What was found in one source, in words.
pub(crate) struct WordedFindings {
    /// Each finding.
    pub(crate) findings: Vec<FindingReport>,
    /// The same by their cause.
    pub(crate) groups: Vec<WordedGroup>,
}

fn by_id<S: serde::Serializer>(level: &Severity, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_str(level.id())
}

/// Words everything that was found in a source; `base` is the folder in which its path begins. Remedies of a recipe's
/// sprite are keys of the recipe.
pub(crate) fn word_findings(
    checked: &CheckReport,
    source: &Path,
    destination: Destination<'_>,
    base: &Path,
) -> WordedFindings {
    let mut finder = RemedyFinder::new(checked, destination, base);
    let (mut findings, mut groups) = (Vec::new(), Vec::new());
    for group in checked.groups() {
        let remedies = finder.find(&group);
        let look = finder.look_at_cut(&group).filter(|_| group.findings[0].fix == Fix::MoreRoom);
        let look =
            look.filter(|_| matches!(destination, Destination::Files)).map(|command| command_line(&command));
        findings.extend(finding_reports(checked, source, &group, &remedies, look.as_deref()));
        groups.push(worded_group(checked, &group, &remedies, look));
    }
    WordedFindings { findings, groups }
}

fn worded_group(
    checked: &CheckReport,
    group: &FindingGroup,
    remedies: &[Remedy],
    look: Option<String>,
) -> WordedGroup {
    let name = |frame: usize| checked.set.frames()[frame].name().to_string();
    let (first, worst) = (&group.findings[0], group.worst());
    let frames: Vec<String> = group.frames().into_iter().map(name).collect();
    let message = match frames.len() {
        1 => worst.describe(&checked.set),
        _ => format!("{}: {}", name(worst.frame), worst.describe(&checked.set)),
    };
    let mut lines: Vec<String> = remedy_lines(remedies, MAX_LISTED);
    let fixed: HashSet<usize> = remedies.iter().flat_map(|remedy| remedy.frames.iter().copied()).collect();
    if group.frames().iter().any(|frame| !fixed.contains(frame)) {
        lines.extend(look);
        lines.push(advice(first.fix).to_owned());
    }
    WordedGroup {
        rule: first.rule.id(),
        level: group.level(),
        of: group.clip().map_or(first.sprite.to_string(), |clip| format!("{}:{clip}", first.sprite)),
        frames,
        at: first.at,
        message,
        remedy: lines.join("\n"),
    }
}

fn finding_reports(
    checked: &CheckReport,
    source: &Path,
    group: &FindingGroup,
    remedies: &[Remedy],
    look: Option<&str>,
) -> Vec<FindingReport> {
    let set = &checked.set;
    let frames = group.frames();
    let is_of_all = frames.len() > 1 && frames.len() == set.frames_of(&group.findings[0].sprite).len();
    let report = |finding: &Finding, frames: Option<Vec<String>>| {
        let own: Vec<Remedy> =
            remedies.iter().filter(|remedy| remedy.frames.contains(&finding.frame)).cloned().collect();
        let lines = remedy_lines(&own, usize::MAX);
        let advice = lines.is_empty().then(|| advice(finding.fix));
        let remedy = if lines.is_empty() { look.map(str::to_owned) } else { Some(lines.join("\n")) };
        FindingReport {
            rule: finding.rule.id(),
            level: finding.level().id(),
            source: source.to_owned().into(),
            sprite: finding.sprite.to_string(),
            frame: set.frames()[finding.frame].name().to_string(),
            frames,
            clip: finding.clip.as_ref().map(ToString::to_string),
            at: finding.at.map(|at| [at.x, at.y]),
            value: finding.value,
            limit: finding.limit,
            message: finding.describe(set),
            remedy,
            advice,
        }
    };
    if is_of_all {
        let names = frames.iter().map(|&frame| set.frames()[frame].name().to_string()).collect();
        return vec![report(group.worst(), Some(names))];
    }
    group.findings.iter().chain(&group.repeats).map(|finding| report(finding, None)).collect()
}

/// Remedies as lines: commands, each once, or keys of a recipe.
fn remedy_lines(remedies: &[Remedy], most: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for remedy in remedies.iter().take(most) {
        let keys = (!remedy.recipe.is_empty()).then(|| recipe_line(&remedy.recipe));
        for line in remedy.commands.iter().map(command_line).chain(keys) {
            if !lines.contains(&line) {
                lines.push(line);
            }
        }
    }
    if remedies.len() > most {
        let more = group_digits((remedies.len() - most) as u64);
        lines.push(format!("and {more} more like these; --json lists them all"));
    }
    lines
}

/// A command to paste.
pub(crate) fn command_line(command: &CommandLine) -> String {
    pasteable_command(&command.words())
}

/// The words behind `shibori`, quoted for the shell.
pub(crate) fn pasteable_command(words: &[String]) -> String {
    let quoted = words.iter().map(|word| format!(" {}", pasteable(word)));
    format!("shibori{}", quoted.collect::<String>())
}

/// `in [sprite.koi]: clean = { specks = 4 }`.
fn recipe_line(tables: &[RecipeKeys]) -> String {
    let line = |keys: &RecipeKeys| {
        let table: Vec<String> =
            keys.table.iter().map(|name| shibori_pipeline::options::toml_key(name)).collect();
        let values = keys.keys.join(", ");
        match keys.group.as_str() {
            "" => format!("in [{}]: {values}", table.join(".")),
            group => format!("in [{}]: {group} = {{ {values} }}", table.join(".")),
        }
    };
    tables.iter().map(line).collect::<Vec<_>>().join("; ")
}

/// What to do where no command helps.
fn advice(fix: Fix) -> &'static str {
    match fix {
        Fix::MoreRoom => {
            "if it is cut off, slice the sheet with larger or moved cells; if not, allow touches-edge"
        }
        Fix::RemoveGroups(_) => "erase them in a paint program: no command removes them and nothing else",
        Fix::LineUp { .. } => "move the frame by hand: shibori preview light-table shows where it belongs",
        Fix::Scale(_) => "if it isn't meant to be, redraw it at the size of the others",
        Fix::PlayOnce(_) => "let the clip play once",
        Fix::ClearEdge(_) => "erase the border in a paint program",
        Fix::Slower(_) => "give its steps at least 17 ms each",
        Fix::HardenAlpha => {
            "if they are not meant to be soft, make them opaque or transparent in a paint program"
        }
        Fix::TakeOut(_) => "fine if it is meant to be there; if not, remove it in a paint program",
        Fix::Canvas(_) => "put the frames of the clip on one canvas",
        Fix::LeaveOut => "leave the frame out of the clip",
        Fix::Hold(_) => "hold the frame before it longer instead",
        Fix::FillCompanion(_) => {
            "add the missing image; pack with --companion fills gaps with a neutral color"
        }
        Fix::Fit(_) => "redraw it at the size of its base frame",
        Fix::MakeAgain => "restore the file, or repack the frames with --companion",
        _ => "correct it in a paint program",
    }
}
