//! The command line: commands, their sources and targets, and the options that every command takes. What a command can be
//! read beyond that is the pipeline's option groups, flattened in.

use std::num::NonZeroUsize;
use std::path::PathBuf;

use clap::{ArgAction, Args, Parser, Subcommand, ValueEnum};
use shibori_core::clip::ClipSpec;
use shibori_pipeline::options::{
    AdjustOptions, ChangesOptions, CheckOptions, ClipCommand, ContactOptions, DriftOptions, ExportOptions,
    GridPreviewOptions, GuideOptions, HtmlOptions, MotionOptions, OnionOptions, PackOptions, PagesOptions,
    RunOptions, SliceOptions, UnpackOptions,
};

/// Slice sprite sheets and animations into frames; align, time and pack them.
#[derive(Debug, Parser)]
#[command(name = "shibori", version, max_term_width = 100, arg_required_else_help = true)]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Command,
    #[command(flatten)]
    pub(crate) everywhere: GlobalArgs,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show what images contain (info): size, colors, background, grid
    Inspect(Inspect),
    /// Slice (cut, split) sheets, strips and animations into frames
    Slice(Box<Slice>),
    /// Clean, mirror (flip), scale, align, trim; set pivots and boxes
    Adjust(Box<Adjust>),
    /// List, add, change and remove clips (animations)
    Clip(Box<ClipEdit>),
    /// Pack (merge) frames into an atlas, a sprite sheet or a strip
    Pack(Box<Pack>),
    /// Extract frames from an atlas, one file per frame
    Unpack(Unpack),
    /// Export metadata: CSV, CSS, SVG, glTF or your own template
    Export(Export),
    /// Write preview images, animations (convert to GIF or APNG) and interactive pages
    #[command(subcommand)]
    Preview(Preview),
    /// Find what will look wrong in the game, where, and how to fix it
    Check(Check),
    /// Write a blank sheet to draw on, with lines, labels and marks
    GuideSheet(GuideSheet),
    /// Draft a recipe from sheets, animations and folders
    Init(Init),
    /// Run a recipe, redoing only what changed
    Build(Build),
    /// Write demo art and a recipe, and run every step on them
    Demo(Demo),
    /// Print a JSON Schema
    Schema(Schema),
    /// Print shell completions
    Completions(Completions),
    /// Print the manual page, or write one file per command
    Man(Man),
}

#[derive(Args, Debug)]
pub(crate) struct Inspect {
    /// Images, animations, folders of them, sets or atlases; - is standard input
    #[arg(required = true, value_name = "IMAGE")]
    pub(crate) images: Vec<PathBuf>,
}

#[derive(Args, Debug)]
pub(crate) struct Slice {
    /// Sheets, strips or animations, or folders of them; each becomes a sprite named after its file; - is standard input
    #[arg(required = true, value_name = "IMAGE")]
    pub(crate) images: Vec<PathBuf>,
    /// Folder to write: one PNG per frame plus frames.json [default: IMAGE-frames, here]
    #[arg(short, long, value_name = "SET")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) options: SliceOptions,
}

#[derive(Args, Debug)]
pub(crate) struct Adjust {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// The folder to write: one PNG per frame, and frames.json
    #[arg(
        short,
        long,
        value_name = "SET",
        required_unless_present = "in_place",
        conflicts_with = "in_place"
    )]
    pub(crate) output: Option<PathBuf>,
    /// Modify the set itself, including images repainted since
    #[arg(long)]
    pub(crate) in_place: bool,
    #[command(flatten)]
    pub(crate) options: AdjustOptions,
}

#[derive(Args, Debug)]
pub(crate) struct ClipEdit {
    /// A set or an atlas; only its manifest changes
    #[arg(value_name = "MANIFEST")]
    pub(crate) manifest: PathBuf,
    /// Clips to add or replace: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps"
    #[arg(value_name = "NAME=SPEC")]
    pub(crate) specs: Vec<ClipSpec>,
    #[command(flatten)]
    pub(crate) options: ClipCommand,
}

#[derive(Args, Debug)]
pub(crate) struct Check {
    /// Sets, atlases, images, animations or folders of images; or a recipe, shibori.toml
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}

#[derive(Args, Debug)]
pub(crate) struct Pack {
    /// Sets, atlases, images, animations or folders of images
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<PathBuf>,
    /// Atlas path without extension: build/pond writes build/pond.json and build/pond.png
    #[arg(short, long, value_name = "ATLAS")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) options: PackOptions,
}

#[derive(Args, Debug)]
pub(crate) struct Unpack {
    /// The atlas's manifest, or a set
    #[arg(value_name = "MANIFEST")]
    pub(crate) manifest: PathBuf,
    /// The folder to write: one PNG per frame, and frames.json; or a painting to write, FILE.ora: one layer per frame, one
    /// group per clip
    #[arg(short, long, value_name = "SET|FILE.ora")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) options: UnpackOptions,
}

#[derive(Args, Debug)]
pub(crate) struct Export {
    /// An atlas or a set
    #[arg(value_name = "MANIFEST", required_unless_present_any = ["list", "print_template"])]
    pub(crate) manifest: Option<PathBuf>,
    /// File to write [default: next to the manifest]; - is standard output (templates only)
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) options: ExportOptions,
    /// List formats and bundled templates
    #[arg(long, exclusive = true)]
    pub(crate) list: bool,
    /// Print a bundled template as a start for your own
    #[arg(long, value_name = "NAME", exclusive = true)]
    pub(crate) print_template: Option<String>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Preview {
    /// Contact sheet: every frame by clip, with numbers, cells and times (PNG)
    Contact(ImageOf<ContactOptions>),
    /// The grid drawn over the sheet before slicing: lines, blank cells, crossed pixels (PNG)
    Grid(Box<GridPreview>),
    /// One clip as the game will play it, or all clips side by side (GIF, APNG, WebP or Y4M, by file extension)
    Motion(ImageOf<MotionOptions>),
    /// Atlas pages with frame borders and names, free space hatched; anything else is packed for the preview (PNG)
    Pages(ImageOf<PagesOptions>),
    /// A player for every clip, with frames, pages, times and findings (self-contained HTML)
    Html(Html),
    /// A light table to try out a grid or adjust frames by hand; gives you the command to run (self-contained HTML)
    LightTable(LightTable),
    /// Onion skin: each clip's frames overlaid at the pivot, colored by time (PNG)
    Onion(ImageOf<OnionOptions>),
    /// Plot of the figure, feet and center from step to step, across and down (PNG)
    Drift(Drift),
    /// What changed (diff) between two versions: frames, clips, pivots and boxes, with numbers (list, PNG or HTML)
    Changes(Changes),
}

/// Two versions of something.
#[derive(Args, Debug)]
pub(crate) struct Changes {
    /// The version before: a set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "OLD")]
    pub(crate) old: PathBuf,
    /// The version now
    #[arg(value_name = "NEW")]
    pub(crate) new: PathBuf,
    /// Picture or page to write: ends in .png or .html [default: none, only the list]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Exit with 1 if anything differs
    #[arg(long)]
    pub(crate) strict: bool,
    #[command(flatten)]
    pub(crate) options: ChangesOptions,
}

/// Where a picture goes.
#[derive(Args, Debug)]
pub(crate) struct ImageOutput {
    /// Image file to write [default: named after the source]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Show it in the terminal; an animation plays until you press a key
    #[arg(long)]
    pub(crate) here: bool,
}

/// Frames of a source on an image.
#[derive(Args, Debug)]
pub(crate) struct ImageOf<O: Args> {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) out: ImageOutput,
    #[command(flatten)]
    pub(crate) options: O,
}

#[derive(Args, Debug)]
pub(crate) struct Html {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// HTML file to write; ends in .html [default: named after the source]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) options: HtmlOptions,
}

#[derive(Args, Debug)]
pub(crate) struct LightTable {
    /// A sheet to slice; or a set, an atlas, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// HTML file to write; ends in .html [default: named after the source]
    #[arg(short, long, value_name = "FILE", conflicts_with = "serve")]
    pub(crate) output: Option<PathBuf>,
    /// Write no file; serve the page at http://127.0.0.1:PORT, with buttons that apply and undo changes, and reload it when
    /// the files change [default port: any free one]
    #[arg(long, value_name = "PORT", num_args = 0..=1, default_missing_value = "0")]
    pub(crate) serve: Option<u16>,
    /// With --serve: open the page in a browser
    #[arg(long, requires = "serve")]
    pub(crate) open: bool,
}

#[derive(Args, Debug)]
pub(crate) struct Drift {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// The same source after alignment, for comparison
    #[arg(value_name = "AFTER")]
    pub(crate) after: Option<PathBuf>,
    /// Image file to write; ends in .png [default: named after the source]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) options: DriftOptions,
}

#[derive(Args, Debug)]
pub(crate) struct GridPreview {
    /// The sheet
    #[arg(value_name = "IMAGE")]
    pub(crate) image: PathBuf,
    #[command(flatten)]
    pub(crate) out: ImageOutput,
    #[command(flatten)]
    pub(crate) options: GridPreviewOptions,
}

#[derive(Args, Debug)]
pub(crate) struct GuideSheet {
    #[command(flatten)]
    pub(crate) options: GuideOptions,
    /// Sheet to write; ends in .png, .svg or .ora
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct Init {
    /// Sheets, strips, animations, folders or numbered images
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<PathBuf>,
    /// The recipe to write; - is standard output [default: shibori.toml]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Args, Debug, Default)]
pub(crate) struct Build {
    /// The recipe or its folder [default: shibori.toml]
    #[arg(value_name = "RECIPE")]
    pub(crate) recipe: Option<PathBuf>,
    /// Build only this target, from its inputs to its outputs; --plan lists them
    #[arg(long, value_name = "NAME", conflicts_with_all = ["frozen", "plan", "watch"])]
    pub(crate) target: Option<String>,
    /// Build nothing; if outputs are stale, list them and exit with 1
    #[arg(long, conflicts_with_all = ["plan", "watch"])]
    pub(crate) frozen: bool,
    /// Print each step as JSON: its name, command, inputs, outputs and digest
    #[arg(long, conflicts_with = "watch")]
    pub(crate) plan: bool,
    /// Write a dependency file for Make and Ninja
    #[arg(long, value_name = "FILE", conflicts_with_all = ["frozen", "plan"])]
    pub(crate) depfile: Option<PathBuf>,
    /// Rebuild whenever the recipe or a source is saved, until interrupted
    #[arg(long)]
    pub(crate) watch: bool,
    /// With --watch: serve the outputs at http://127.0.0.1:PORT and reload pages after each build
    #[arg(long, value_name = "PORT", num_args = 0..=1, default_missing_value = "8140", requires = "watch")]
    pub(crate) serve: Option<u16>,
}

#[derive(Args, Debug)]
pub(crate) struct Demo {
    /// The folder to write
    #[arg(value_name = "DIR", default_value = "shibori-demo")]
    pub(crate) folder: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct Schema {
    /// Which schema
    pub(crate) of: SchemaOf,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum SchemaOf {
    /// The manifest, format shibori/1
    Manifest,
    /// The recipe, shibori.toml
    Recipe,
}

#[derive(Args, Debug)]
pub(crate) struct Completions {
    /// Which shell
    pub(crate) shell: clap_complete::Shell,
}

#[derive(Args, Debug)]
pub(crate) struct Man {
    /// The folder to write: shibori.1, shibori-slice.1 and so on [default: print shibori.1]
    #[arg(short, long, value_name = "DIR")]
    pub(crate) output: Option<PathBuf>,
}

/// Options of every command.
#[derive(Args, Clone, Debug)]
#[command(next_help_heading = "Common options")]
pub(crate) struct GlobalArgs {
    /// Print the result as one JSON object
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Print errors only
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
    /// Print each step with time and sizes; given twice, decisions too
    #[arg(short, long, global = true, action = ArgAction::Count)]
    pub(crate) verbose: u8,
    /// Color the messages
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    #[command(flatten)]
    pub(crate) run: RunOptions,
    /// Number of threads [default: one per core]; does not affect the result
    #[arg(short = 'j', long, global = true, value_name = "N")]
    pub(crate) jobs: Option<NonZeroUsize>,
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

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    use super::*;

    #[test]
    fn the_command_line_is_consistent() {
        Cli::command().debug_assert();
    }

    #[test]
    fn every_option_of_every_command_is_a_key_of_a_recipe() {
        let schema: serde_json::Value = serde_json::from_str(shibori_pipeline::recipe::schema()).unwrap();
        let keys = |tables: &[&str]| -> Vec<String> {
            let keys = |table: &&str| {
                let table = schema.pointer(&format!("/$defs/{table}/properties"));
                table.unwrap().as_object().unwrap().keys().cloned().collect::<Vec<_>>()
            };
            tables.iter().flat_map(keys).collect()
        };
        // Sources and outputs have keys of their own, and options for a person at a terminal have none; the clips that
        // `only` names are tables of their own.
        let elsewhere = ["output", "in-place", "here", "list", "print-template", "help", "version"];
        let preview = ["preview", "slice", "clean"];
        let all = Cli::command();
        let mut compared = 0;
        for (path, tables) in [
            (&["slice"] as &[&str], &["slice", "clean", "shape", "sprite"] as &[&str]),
            (&["adjust"], &["slice", "clean", "shape", "clip", "atlas"]),
            (&["clip"], &["sprite", "clip", "atlas"]),
            (&["pack"], &["atlas", "shape"]),
            (&["export"], &["export"]),
            (&["preview", "contact"], &preview),
            (&["preview", "grid"], &preview),
            (&["preview", "motion"], &preview),
            (&["preview", "pages"], &preview),
            (&["preview", "html"], &preview),
            (&["preview", "onion"], &preview),
            (&["preview", "drift"], &preview),
            (&["check"], &["check"]),
        ] {
            let command = path.iter().fold(&all, |command, name| command.find_subcommand(name).unwrap());
            let known = keys(tables);
            for option in command.get_arguments().filter_map(clap::Arg::get_long) {
                let is_known = known.iter().any(|key| key == option) || elsewhere.contains(&option);
                assert!(is_known, "{path:?} --{option} isn't a key of {tables:?}");
                compared += 1;
            }
        }
        assert!(compared > 100, "{compared}");
    }
}
