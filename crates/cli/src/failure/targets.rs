//! Clips that can't be changed, manifests that can't be exported, guide sheets that can't be drawn: in words.

use clap::ValueEnum;
use shibori_core::closest_name;
use shibori_formats::export::BUILTIN_TEMPLATES;
use shibori_pipeline::options::ExportFormat;
use shibori_pipeline::{ClipsError, ExportInputError, GuideError};

use super::{Exit, Failure, nearest_file};
use crate::wording::{count_noun, pasteable};

impl From<ClipsError> for Failure {
    fn from(error: ClipsError) -> Self {
        let text = error.to_string();
        let ClipsError::SharedFrames { clips, own } = error else { return Self::usage(text) };
        let both = own.iter().chain(&clips).map(String::as_str).collect::<Vec<_>>().join(",");
        Self::usage(format!("--only: {text}")).with_hint(match own.is_empty() {
            true => format!("to change those clips too, use --only {}", pasteable(&both)),
            false => format!(
                "to change them all, use --only {}; add --apart to change copies of the frames instead",
                pasteable(&both)
            ),
        })
    }
}

impl From<ExportInputError> for Failure {
    fn from(error: ExportInputError) -> Self {
        let plain = Self::usage(error.to_string());
        match error {
            ExportInputError::NoManifest { .. } => plain
                .with_exit(Exit::Input)
                .with_hint("pack or slice it first; only a manifest with its pages can be exported"),
            ExportInputError::NoFormat => {
                plain.with_hint("add --to csv, css, svg, gltf or glb, or --template FILE; --list shows them")
            }
            ExportInputError::NoTemplate { template } => {
                let is_format = |name: &&str| ExportFormat::from_str(name, true).is_ok();
                if let Some(format) = template.to_str().filter(is_format) {
                    return plain.with_exit(Exit::Input).with_hint(format!("use --to {format}"));
                }
                let known = || BUILTIN_TEMPLATES.iter().map(|starter| starter.name);
                let hint = match closest_name(&template.to_string_lossy(), known()) {
                    Some(name) => format!("did you mean {name}?"),
                    None => nearest_file(&template).unwrap_or_else(|| {
                        format!("available: {}; or give a file", known().collect::<Vec<_>>().join(", "))
                    }),
                };
                plain.with_exit(Exit::Input).with_hint(hint)
            }
            ExportInputError::TemplateNotText { .. } => plain.with_exit(Exit::Input),
            ExportInputError::Template { error, .. } => plain.with_any_hint(error.hint),
            _ => plain,
        }
    }
}

impl From<GuideError> for Failure {
    fn from(error: GuideError) -> Self {
        match error {
            GuideError::RowNames { names, rows } => {
                let rows = count_noun(rows as usize, "row");
                Self::usage(format!("--rows has {names} names, but the sheet has {rows}"))
                    .with_hint("remove some names, or add rows to --grid")
            }
            GuideError::Unmeasurable { anchor } => {
                Self::usage(format!("--pivot {anchor} needs a drawing to measure, but this sheet is blank"))
                    .with_hint("use --pivot bottom")
            }
            _ => Self::usage(error.to_string()),
        }
    }
}
