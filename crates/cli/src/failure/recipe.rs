//! What is wrong with a recipe, and what to write instead.

use clap::ValueEnum;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::options::{ExportFormat, OptionConflict, Requirement};
use shibori_pipeline::recipe::{RecipeError, RecipeErrorKind};

use super::{Exit, Failure};
use crate::message::Message;
use crate::wording::abbreviate_list;

impl From<RecipeError> for Failure {
    fn from(error: RecipeError) -> Self {
        let exit = match &*error.fault {
            RecipeErrorKind::Missing
            | RecipeErrorKind::Folder
            | RecipeErrorKind::Unreadable(_)
            | RecipeErrorKind::NotText(_)
            | RecipeErrorKind::NoSource { .. } => Exit::Input,
            _ => Exit::Usage,
        };
        let pointer = error.mark.as_ref().map(|mark| mark.pointer());
        let hint = hint(&error.fault);
        Self { exit, ..Self::of_message(Message { text: error.to_string(), pointer, hint }) }
    }
}

fn hint(fault: &RecipeErrorKind) -> Option<String> {
    let one_of = |known: &[String]| match known.is_empty() {
        true => None,
        false => Some(format!("available: {}", abbreviate_list(known))),
    };
    let meant = |nearest: &Option<String>, known: &[String]| match nearest {
        Some(name) => Some(format!("did you mean {name}?")),
        None => one_of(known),
    };
    match fault {
        RecipeErrorKind::Missing => Some("create one with: shibori init art/*.png".to_owned()),
        RecipeErrorKind::Folder => {
            Some("give the recipe file, or create one with: shibori init art/*.png".to_owned())
        }
        RecipeErrorKind::NotText(_) => {
            Some("save it as UTF-8; most editors ask for the encoding when saving".to_owned())
        }
        RecipeErrorKind::Nothing => Some(
            "add a [sprite.NAME] with from = \"FILE\", and an [atlas.NAME] with use = [\"NAME\"]".to_owned(),
        ),
        RecipeErrorKind::UnknownKey { home: Some(home), key, .. } => {
            Some(format!("put it in {home} = {{ {key} = ... }}"))
        }
        RecipeErrorKind::UnknownKey { nearest: Some(nearest), .. } => {
            Some(format!("did you mean {nearest}?"))
        }
        RecipeErrorKind::UnknownKey { known, .. } => {
            let mut known: Vec<String> = known.iter().map(|key| (*key).to_owned()).collect();
            known.sort();
            known.dedup();
            one_of(&known)
        }
        RecipeErrorKind::Options(contradiction) => of_options(contradiction),
        RecipeErrorKind::Both { .. } => Some("remove one of them".to_owned()),
        RecipeErrorKind::UnknownAtlas { nearest, .. } => Some(format!("did you mean {nearest}?")),
        RecipeErrorKind::NotInPattern { .. } => {
            Some("correct its name, or add from = \"FILE\" to make it a sprite of its own".to_owned())
        }
        RecipeErrorKind::TwoAtlases { .. } => {
            Some("atlas names must be unique; rename one of them".to_owned())
        }
        RecipeErrorKind::Syntax(why) if why.contains("escape") => {
            Some("in paths, write / between folders, on Windows too".to_owned())
        }
        RecipeErrorKind::UnknownSprite { name, .. } if name.contains(',') => {
            let names: Vec<String> = name.split(',').map(|name| format!("\"{}\"", name.trim())).collect();
            Some(format!("write a list: [{}]", names.join(", ")))
        }
        RecipeErrorKind::Value { key, why } if why == "expected text, a number, true or false" => {
            Some(format!("write pairs as text, such as {key} = \"8x4\""))
        }
        RecipeErrorKind::Value { key, .. } if key == "to" => Some(
            "lua, typescript and the like are templates (template = \"lua\"); gif and webp are previews (as = \"motion\")"
                .to_owned(),
        ),
        RecipeErrorKind::UnknownTemplate { template, .. } if ExportFormat::from_str(template, true).is_ok() => {
            Some(format!("use to = \"{}\"", template.to_lowercase()))
        }
        RecipeErrorKind::UnknownTemplate { nearest: Some(nearest), .. } => {
            Some(format!("did you mean {nearest}?"))
        }
        RecipeErrorKind::UnknownTemplate { known, .. } => {
            Some(format!("give a file, or one of the templates that come with shibori: {}", known.join(", ")))
        }
        RecipeErrorKind::NoSource { path, .. } if path.to_string_lossy().contains('\\') => {
            Some(format!("write / between folders: {}", path.to_string_lossy().replace('\\', "/")))
        }
        RecipeErrorKind::UnknownSprite { nearest, known, .. }
        | RecipeErrorKind::UnknownStep { nearest, known, .. } => meant(nearest, known),
        RecipeErrorKind::NoSource { nearest: Some(nearest), .. } => Some(format!("did you mean {nearest}?")),
        RecipeErrorKind::NoSource { .. } => Some("paths are relative to the recipe's folder".to_owned()),
        RecipeErrorKind::NoMatch { .. } => Some(
            "patterns are relative to the recipe's folder; * matches part of a name, ** any folders"
                .to_owned(),
        ),
        RecipeErrorKind::Star { .. } => {
            Some("for example, [sprite.\"npc-*\"] with from = \"art/npc/*.png\"".to_owned())
        }
        RecipeErrorKind::SharedSet { set, .. } => {
            let all = set.with_file_name("*");
            Some(format!("write set = \"{}\"; the * takes each sprite's name", all.display_slashed()))
        }
        RecipeErrorKind::IncludeCycle { .. } => Some("remove one of these includes".to_owned()),
        RecipeErrorKind::TwoSprites { first, second, .. } if first == second => {
            Some("to change only what is different about it, remove its from".to_owned())
        }
        RecipeErrorKind::TwoSprites { .. } => {
            Some("sprite names must be unique; rename one of them".to_owned())
        }
        RecipeErrorKind::TwoOutputs { .. } => Some("give one of them another file = \"...\"".to_owned()),
        RecipeErrorKind::Cycle { .. } => Some("remove one of them from the other's sources".to_owned()),
        RecipeErrorKind::OutputInSource { .. } => {
            Some("give outputs their own folder: [out] dir = \"build\"".to_owned())
        }
        RecipeErrorKind::Outside { .. } => {
            Some("write the path in full: from = \"../shared/koi.png\"".to_owned())
        }
        _ => None,
    }
}

fn of_options(contradiction: &OptionConflict) -> Option<String> {
    match contradiction {
        OptionConflict::Needs { with: Requirement { option, value: Some(value) }, .. } => {
            Some(format!("add {option} = \"{value}\", or remove this option"))
        }
        OptionConflict::Needs { with: Requirement { option, value: None }, .. } => {
            Some(format!("add {option}, or remove this option"))
        }
        OptionConflict::Both { .. } | OptionConflict::Against { .. } => {
            Some("remove one of them; \"default\" resets an option set in a wider table".to_owned())
        }
        _ => None,
    }
}
