//! Packing that can't be done, in words.

use shibori_core::pack::{CompanionError, PackError};

use super::Failure;

impl From<PackError> for Failure {
    fn from(error: PackError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            PackError::FrameTooLarge { needs, is_fixed: true, .. } => {
                failure.with_hint(format!("use --page-size {needs} or larger, or exclude the frame with --only"))
            }
            PackError::FrameTooLarge { needs, .. } => failure.with_hint(format!(
                "raise --page-max to {} or more, or exclude the frame with --only",
                needs.width.max(needs.height)
            )),
            PackError::NothingToRoundTo { needs, .. } => failure
                .with_hint(format!("raise --page-max to {needs} or more, or choose another --page-round")),
            PackError::RowTooLong { needs, is_fixed, what, fits, .. } => {
                let enough = match is_fixed {
                    true => format!("use --page-size {needs} or larger"),
                    false => format!("raise --page-max to {} or more", needs.width.max(needs.height)),
                };
                failure.with_hint(match what.as_str() {
                    "the grid" if fits > 0 => format!("{enough}, or use --columns {fits}"),
                    "the grid" => enough,
                    _ => format!("{enough}, or use --layout dense or grid"),
                })
            }
            PackError::PageSplit { needs, .. } => {
                failure.with_hint(format!("use --page-size {needs}, or leave it out"))
            }
            PackError::NoClip { .. } | PackError::WhichClip { .. } => {
                failure.with_hint("use the listed clip names in --row-order, or - for a blank row")
            }
            PackError::NothingToKeep => failure.with_hint(
                "--keep-places needs the atlas these frames were packed into before; remove it to start from scratch",
            ),
            PackError::Set(error) => error.into(),
            _ => failure,
        }
    }
}

impl From<CompanionError> for Failure {
    fn from(error: CompanionError) -> Self {
        let failure = Self::usage(format!("--companion: {error}"));
        match error {
            CompanionError::OtherSize { wanted, .. } => {
                failure.with_hint(format!("a companion needs the same canvas as its base frame: make it {wanted} px"))
            }
            CompanionError::NoBase { suffix, .. } => failure.with_hint(format!(
                "companions are named after their base frame plus {suffix}: koi-00{suffix}, koi{suffix}-00, or koi-00 in \
                 the sprite koi{suffix}"
            )),
            CompanionError::None { suffix } => failure.with_hint(format!(
                "include the companions' source, such as a set koi{suffix} beside koi"
            )),
            _ => failure,
        }
    }
}
