//! Options of every command.

use std::num::NonZeroUsize;

use clap::{Args, ValueEnum};
use shibori_formats::read::Limits;

#[derive(Args, Clone, Debug)]
#[command(next_help_heading = "Everywhere")]
pub(crate) struct Everywhere {
    /// Print the result as one JSON object
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Print errors only
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
    /// Print more about what is done
    #[arg(short, long, global = true)]
    pub(crate) verbose: bool,
    /// Colors in messages
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    /// Say what would be written, and write nothing
    #[arg(long, global = true)]
    pub(crate) dry_run: bool,
    /// Replace files that shibori did not write, or that were changed since
    #[arg(long, global = true)]
    pub(crate) force: bool,
    /// Take input that is not as it should be: truncated takes the whole frames of an animation that breaks off,
    /// edits takes images of a set whose size was changed
    #[arg(long, global = true, value_name = "WHAT", value_delimiter = ',')]
    pub(crate) accept: Vec<Accept>,
    /// The most pixels a picture may have [default: 268435456]
    #[arg(long, global = true, value_name = "N")]
    pub(crate) max_pixels: Option<u64>,
    /// Threads to use [default: one a core]; the result is the same with any number
    #[arg(long, global = true, value_name = "N")]
    pub(crate) jobs: Option<NonZeroUsize>,
}

/// What may be wrong with input.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Accept {
    /// Animations that break off
    Truncated,
    /// Images of a set that were painted over at another size
    Edits,
}

impl Everywhere {
    /// How much a file may ask for.
    pub(crate) fn limits(&self) -> Limits {
        let plain = Limits::default();
        let accept_truncated = self.accept.contains(&Accept::Truncated);
        let accept_edits = self.accept.contains(&Accept::Edits);
        let pixels = self.max_pixels.unwrap_or(plain.pixels);
        Limits { pixels, accept_truncated, accept_edits, ..plain }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum When {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}
