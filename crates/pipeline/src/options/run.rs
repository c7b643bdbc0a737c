//! What holds for a whole run: what may be replaced, what is taken of broken input, how much it may ask for.

use serde::{Deserialize, Serialize};
use shibori_core::{Budget, ByteSize};
use shibori_formats::decode::ReadOptions;
use shibori_formats::store::Policy;

use crate::options::value::{Flag, comma_words, text};

/// What holds for a whole run.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct RunOptions {
    /// Show what would be written, but write nothing
    #[cfg_attr(feature = "clap", arg(short = 'n', long, global = true, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub dry_run: Flag,
    /// Overwrite files that shibori did not write; where both you and this run changed something, take the new
    #[cfg_attr(feature = "clap", arg(long, global = true, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub force: Flag,
    /// Where both you and this run changed something in a set or an atlas, keep yours
    #[cfg_attr(feature = "clap", arg(long, global = true, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub carry: Flag,
    /// Accept damaged or edited input: truncated uses what there is of an animation or JPEG that ends early, edits
    /// allows resized images in a set
    #[cfg_attr(feature = "clap", arg(long, global = true, value_name = "WHAT", value_delimiter = ','))]
    #[serde(with = "comma_words")]
    pub accept: Vec<Accept>,
    /// Maximum pixels per image, read or written [default: 268435456]
    #[cfg_attr(feature = "clap", arg(long, global = true, value_name = "N"))]
    #[serde(with = "text")]
    pub max_pixels: Option<u64>,
    /// Maximum memory for all images together, such as 800MB or 2.5GB [default: half of the machine's]
    #[cfg_attr(feature = "clap", arg(long, global = true, value_name = "SIZE"))]
    #[serde(with = "text")]
    pub max_memory: Option<ByteSize>,
}

/// What may be wrong with input.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[serde(rename_all = "kebab-case")]
pub enum Accept {
    /// Animations and JPEGs that end early
    Truncated,
    /// Images of a set that were repainted at another size
    Edits,
}

impl RunOptions {
    /// The limits of a run, with defaults filled in. Memory is unlimited unless [`max_memory`](Self::max_memory) sets one: see
    /// [`available_memory`](crate::available_memory).
    pub fn limits(&self) -> ReadOptions {
        let plain = ReadOptions::default();
        ReadOptions {
            pixels: self.max_pixels.unwrap_or(plain.pixels),
            memory: self.max_memory.map_or_else(Budget::default, |size| Budget::with_limit(size.0)),
            accept_truncated: self.accept.contains(&Accept::Truncated),
            accept_edits: self.accept.contains(&Accept::Edits),
            ..plain
        }
    }

    /// What may be replaced.
    pub fn policy(&self) -> Policy {
        Policy {
            force: self.force.is_on(),
            dry_run: self.dry_run.is_on(),
            carry: self.carry.is_on(),
            recipe: None,
        }
    }
}
