//! Mending pixels.

use serde::{Deserialize, Serialize};
use shibori_core::SignedRect;
use shibori_core::clean::{Key, KeyScope};

use crate::options::OptionConflict;
use crate::options::contradiction::needs;
use crate::options::value::{BoundedInt, Flag, keyword, text, texts};

/// Mending pixels. Where nothing is said, nothing is changed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Clean"))]
pub struct CleanOptions {
    /// Make a flat background (white, magenta, ...) transparent (color key): auto detects the color, or give it, such as ff00ff;
    /// comma-separated for a painted-in checkerboard [default: none]
    #[cfg_attr(feature = "clap", arg(long, value_name = "auto|none|COLOR,.."))]
    #[serde(with = "text")]
    pub key: Option<Key>,
    /// How much a pixel may differ from the key color per channel, 0 to 255 [default: detected by auto, else 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub tolerance: Option<u8>,
    /// Where the key color is removed [default: outside]
    #[cfg_attr(feature = "clap", arg(long, value_name = "SCOPE"))]
    #[serde(with = "keyword")]
    pub key_scope: Option<KeyScope>,
    /// Erase this area of every frame's canvas: x,y,width,height; repeatable
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y,W,H", allow_hyphen_values = true))]
    #[serde(with = "texts")]
    pub erase: Vec<SignedRect>,
    /// Erase the outermost PX pixels of every frame's canvas (removes grid lines)
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub clear_edge: Option<u32>,
    /// Remove stray groups of up to PX pixels (despeckle)
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub specks: Option<u32>,
    /// Remove the key color from antialiased edge pixels (fringe, halo)
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub defringe: Flag,
    /// Make pixels with alpha N or higher opaque and all others transparent (alpha threshold)
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub harden_alpha: Option<BoundedInt<1, 255>>,
}

impl CleanOptions {
    /// What has no effect beside the rest.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        let is_keyed = *self.key() != Key::None;
        needs(self.tolerance.is_some(), "tolerance", is_keyed, "key", None)?;
        needs(self.key_scope.is_some(), "key-scope", is_keyed, "key", None)
    }

    /// The key that is wanted.
    pub fn key(&self) -> &Key {
        self.key.as_ref().unwrap_or(&Key::None)
    }

    /// Whether any step changes pixels, so that an untouched sheet can't show the result.
    pub fn changes_pixels(&self) -> bool {
        *self.key() != Key::None
            || !self.erase.is_empty()
            || self.clear_edge.is_some()
            || self.specks.is_some()
            || self.defringe.is_on()
            || self.harden_alpha.is_some()
    }
}
