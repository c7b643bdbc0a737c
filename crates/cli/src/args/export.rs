//! What `export` can be asked for.

use std::path::PathBuf;
use std::str::FromStr;

use clap::{Args, ValueEnum};

#[derive(Args, Debug)]
pub(crate) struct Export {
    /// An atlas or a set
    #[arg(value_name = "MANIFEST", required_unless_present_any = ["list", "print_template"])]
    pub(crate) manifest: Option<PathBuf>,
    /// The format
    #[arg(long, value_name = "FORMAT", conflicts_with = "template")]
    pub(crate) to: Option<ExportTo>,
    /// A text template of your own, or one of those that --list shows
    #[arg(long, value_name = "FILE|NAME")]
    pub(crate) template: Option<PathBuf>,
    /// The file to write [default: beside the manifest]; - is standard output, for templates
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// glTF: so many pixels are one unit, such as 16px
    #[arg(long, value_name = "PX")]
    pub(crate) unit: Option<Unit>,
    /// List the formats and the templates that come with shibori
    #[arg(long, exclusive = true)]
    pub(crate) list: bool,
    /// Print one of those templates, to start your own from
    #[arg(long, value_name = "NAME", exclusive = true)]
    pub(crate) print_template: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ExportTo {
    /// Tables: a row a frame, and a row a clip step
    Csv,
    /// A class a frame, a class a clip
    Css,
    /// One image with a view a frame: pond.svg#koi-00
    Svg,
    /// glTF 2.0 beside its pages: quads and animations
    Gltf,
    /// glTF 2.0 in one file
    Glb,
}

impl ExportTo {
    pub(crate) fn ending(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::Css => "css",
            Self::Svg => "svg",
            Self::Gltf => "gltf",
            Self::Glb => "glb",
        }
    }
}

/// Pixels that are one unit: `16px` or `16`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Unit(pub(crate) f64);

impl FromStr for Unit {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let number = text.strip_suffix("px").unwrap_or(text).trim().parse::<f64>();
        match number {
            Ok(pixels) if pixels > 0.0 && pixels <= 65_536.0 => Ok(Self(pixels)),
            _ => Err(format!("'{text}' is not a number of pixels such as 16px")),
        }
    }
}
