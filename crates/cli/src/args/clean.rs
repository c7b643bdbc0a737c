//! Mending pixels.

use std::fmt;
use std::str::FromStr;

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::clean::KeyScope;
use shibori_core::{Color, ColorError};

use crate::args::value::text;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Clean")]
pub(crate) struct CleanArgs {
    /// Make a flat background transparent: auto finds its color, or name it, such as ff00ff [default: none]
    #[arg(long, value_name = "auto|none|COLOR")]
    #[serde(deserialize_with = "text")]
    pub(crate) key: Option<KeyArg>,
    /// How far from the key color a pixel may be in each channel, 0 to 255 [default: what auto found, else 0]
    #[arg(long, value_name = "N")]
    #[serde(deserialize_with = "text")]
    pub(crate) tolerance: Option<u8>,
    /// Where the key color goes
    #[arg(long, value_name = "SCOPE", default_value = "outside")]
    pub(crate) key_scope: KeyScopeArg,
    /// Empty the outermost PX pixels of every frame's canvas
    #[arg(long, value_name = "PX")]
    #[serde(deserialize_with = "text")]
    pub(crate) clear_edge: Option<u32>,
    /// Remove stray groups of up to PX pixels
    #[arg(long, value_name = "PX")]
    #[serde(deserialize_with = "text")]
    pub(crate) specks: Option<u32>,
    /// Remove the key color's share from half-covered edge pixels
    #[arg(long)]
    pub(crate) defringe: bool,
    /// Make pixels with an alpha of at least N solid, all others clear
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(1..))]
    #[serde(deserialize_with = "text")]
    pub(crate) harden_alpha: Option<u8>,
}

/// Which color goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum KeyArg {
    Auto,
    None,
    Color(Color),
}

impl FromStr for KeyArg {
    type Err = ColorError;

    fn from_str(text: &str) -> Result<Self, ColorError> {
        match text {
            "auto" => Ok(Self::Auto),
            "none" => Ok(Self::None),
            color => color.parse().map(Self::Color),
        }
    }
}

impl fmt::Display for KeyArg {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Auto => f.write_str("auto"),
            Self::None => f.write_str("none"),
            Self::Color(color) => color.fmt(f),
        }
    }
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum KeyScopeArg {
    /// Only from the sheet's border inwards: the same color inside a drawing stays
    #[default]
    Outside,
    /// All over the sheet
    Everywhere,
}

impl CleanArgs {
    pub(crate) fn scope(&self) -> KeyScope {
        match self.key_scope {
            KeyScopeArg::Outside => KeyScope::Outside,
            KeyScopeArg::Everywhere => KeyScope::Everywhere,
        }
    }

    /// Whether any step changes pixels, so that an untouched sheet can't show the result.
    pub(crate) fn changes_pixels(&self) -> bool {
        self.key.is_some_and(|key| key != KeyArg::None)
            || self.clear_edge.is_some()
            || self.specks.is_some()
            || self.defringe
            || self.harden_alpha.is_some()
    }
}
