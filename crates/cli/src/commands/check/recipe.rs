//! `shibori check shibori.toml`: everything that a recipe makes, against what it expects.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::Notice;
use shibori_pipeline::build::{Build, BuildObserver, RecipeFinding, RecipeObservation};
use shibori_pipeline::options::CheckOptions;
use shibori_pipeline::recipe::Location;
use shibori_pipeline::remedy::Destination;

use super::{Conclusion, Report, finish};
use crate::args::Check;
use crate::commands::CommandContext;
use crate::failure::Failure;
use crate::message::Message;
use crate::wording::ReportPath;
use crate::wording::{self, abbreviate_list};

/// Something that is not as a recipe expects.
#[derive(Serialize)]
pub(super) struct UnmetExpectation {
    pub(super) rule: &'static str,
    source: ReportPath,
    /// The sprite or the atlas.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) of: Option<String>,
    /// Line and column in the recipe.
    #[serde(skip_serializing_if = "Option::is_none")]
    at: Option<[usize; 2]>,
    pub(super) message: String,
    pub(super) remedy: String,
}

/// Only says what is noticed on the way.
struct NoticePrinter<'a>(&'a CommandContext<'a>);

impl BuildObserver for NoticePrinter<'_> {
    fn notice(&self, of: &str, notice: Notice) {
        let (weight, message) = wording::notice(&notice);
        self.0.console.message(weight, &Message { text: format!("{of}: {}", message.text), ..message });
    }
}

/// Checks recipes, where that is what is named.
pub(super) fn check_recipes(
    args: &Check,
    program: &CommandContext<'_>,
) -> Result<Option<Result<(), Failure>>, Failure> {
    let is_recipe =
        |path: &PathBuf| path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("toml"));
    let [recipe] = args.sources.as_slice() else {
        return match args.sources.iter().find(|path| is_recipe(path)) {
            None => Ok(None),
            Some(recipe) => Err(Failure::usage(format!(
                "{}: check takes a single recipe and no other sources",
                recipe.display_slashed()
            ))),
        };
    };
    if !is_recipe(recipe) {
        return Ok(None);
    }
    if args.options != CheckOptions::default() {
        let text = "a recipe sets its rules in [check]; these options are only for other sources";
        return Err(Failure::usage(text).with_hint("such as: [check] drift-limit = 4"));
    }
    let build = Build::open(&program.base.join(recipe), &program.everywhere.run)?;
    let (mut frames, mut findings, mut groups) = (0, Vec::new(), Vec::new());
    let (found, allowed) = build.check(&NoticePrinter(program), |one, sprite| {
        frames += one.set.frames().len();
        let destination = Destination::Recipe(Some(sprite));
        let worded = wording::word_findings(one, recipe, destination, &program.base);
        findings.extend(worded.findings);
        groups.extend(worded.groups);
    })?;
    let report = Report { findings, unmet: found.iter().map(|one| unmet(one, recipe)).collect(), allowed };
    let conclusion =
        Conclusion { groups, frames, how: "allow = [\"RULE\"] in [check]", is_strict: build.is_strict() };
    Ok(Some(finish(&report, conclusion, program)))
}

fn unmet(found: &RecipeFinding, recipe: &Path) -> UnmetExpectation {
    // The recipe is named as it was typed; a file that it includes, as it is found from there.
    let file = |mark: &Location| match mark.file.ends_with(recipe) {
        true => recipe.display_slashed().to_string(),
        false => mark.file.display_slashed().to_string(),
    };
    let place = found.mark.as_ref().map(|mark| format!("{}:{mark}", file(mark)));
    let at = place.unwrap_or_else(|| recipe.display_slashed().to_string());
    let of = found.of.clone().unwrap_or_default();
    let (message, remedy) = match &found.seen {
        RecipeObservation::NoClip { clip, known } => {
            let message = format!("{at} requires a clip '{clip}', which does not exist");
            let remedy = match known.is_empty() {
                true => "add it to the clips of a sprite".to_owned(),
                false => format!("available: {}", abbreviate_list(known)),
            };
            (message, remedy)
        }
        RecipeObservation::Steps(counts) => {
            let counts: Vec<String> = counts.iter().map(|(clip, steps)| format!("{clip} {steps}")).collect();
            let message = format!("{at} requires equal step counts, but found: {}", counts.join(", "));
            (message, "hold a step, as in 4x2, or remove one".to_owned())
        }
        RecipeObservation::Unused(frames) => {
            let count = wording::count_noun(frames.len(), "frame");
            let message = format!("{count} in no clip: {}", abbreviate_list(frames));
            (
                message,
                format!(
                    "add a clip, exclude them with slice = {{ take = ... }}, or allow = [\"unused-frame={of}\"]"
                ),
            )
        }
        RecipeObservation::Pages(pages, limit) => {
            let message = format!("{}, but {at} allows only {limit}", wording::count_noun(*pages, "page"));
            (message, format!("raise page-max in [atlas.{of}], or split it into two atlases"))
        }
        other => (format!("{at}: {other}"), String::new()),
    };
    let at = found.mark.as_ref().map(|mark| [mark.line, mark.column]);
    UnmetExpectation {
        rule: found.rule.id(),
        source: recipe.to_owned().into(),
        of: found.of.clone(),
        at,
        message,
        remedy,
    }
}
