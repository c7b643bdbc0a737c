//! `shibori preview`: pictures and pages of frames, written or shown in the terminal.

use std::path::{Path, PathBuf};

use image::RgbaImage;
use serde::Serialize;
use shibori_core::Size;
use shibori_draw::CutPlan;
use shibori_formats::DisplaySlashed;
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::Source;
use shibori_pipeline::steps::{
    CutImage, HtmlPage, Motion, MotionContent, RenderedPreview, View, WrittenView,
};

use super::{CommandContext, changes, describe_clip, light_table};
use crate::args::{ImageOutput, Preview};
use crate::failure::Failure;
use crate::terminal;
use crate::wording::{ReportPath, count_noun, format_bytes, format_millis};

#[derive(Serialize)]
struct ImagesReport {
    files: Vec<FileReport>,
    count: usize,
}

#[derive(Serialize)]
struct FileReport {
    file: ReportPath,
    size: [u32; 2],
}

#[derive(Serialize)]
struct GridReport {
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<ReportPath>,
    size: [u32; 2],
    /// Pixels of drawings that a line crosses, or that are in no cell.
    crossed: usize,
    /// Cells without a drawing.
    blank: usize,
}

#[derive(Serialize)]
struct MotionReport {
    file: ReportPath,
    size: [u32; 2],
    pictures: usize,
    ms: f64,
    bytes: usize,
}

#[derive(Serialize)]
struct PageReport {
    file: ReportPath,
    #[serde(skip_serializing_if = "Option::is_none")]
    count: Option<usize>,
    clip_count: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    finding_count: Option<usize>,
    bytes: usize,
}

/// What is drawn, and where it goes.
struct Job {
    view: View,
    source: Source,
    after: Option<Source>,
    output: Option<PathBuf>,
    here: bool,
}

impl Job {
    fn file(view: View, source: &Path, output: &Option<PathBuf>) -> Self {
        let output = output.clone().unwrap_or_else(|| usual_output(&view, source));
        Self { view, source: source.to_owned().into(), after: None, output: Some(output), here: false }
    }

    fn image(view: View, source: &Path, out: &ImageOutput) -> Self {
        let written = Self::file(view, source, &out.output);
        match out.here {
            true => Self { output: out.output.clone(), here: true, ..written },
            false => written,
        }
    }
}

/// Called like the source: `frog-contact.png`, `frog.html`. It goes into the current folder: beside the source it might be
/// taken for art.
fn usual_output(view: &View, source: &Path) -> PathBuf {
    let is_set = source.file_name().is_some_and(|name| name == SET_FILE);
    let named = if is_set { source.parent().unwrap_or(source) } else { source };
    let spelled = if named.file_name().is_some() { None } else { named.canonicalize().ok() };
    let path = spelled.as_deref().unwrap_or(named);
    // A folder's name has no ending.
    let stem = if path.is_dir() { path.file_name() } else { path.file_stem() };
    let stem = stem.map_or_else(|| "frames".into(), |stem| stem.to_string_lossy().into_owned());
    let stem = if stem == "-" { "stdin".to_owned() } else { stem };
    let (word, ending) = view.file_name();
    PathBuf::from(match word {
        "" => format!("{stem}.{ending}"),
        _ => format!("{stem}-{word}.{ending}"),
    })
}

pub(super) fn run(preview: &Preview, program: &CommandContext<'_>) -> Result<(), Failure> {
    let job = match preview {
        Preview::Contact(args) => Job::image(View::Contact(args.options.clone()), &args.source, &args.out),
        Preview::Pages(args) => Job::image(View::Pages(args.options.clone()), &args.source, &args.out),
        Preview::Onion(args) => Job::image(View::Onion(args.options.clone()), &args.source, &args.out),
        Preview::Motion(args) => Job::image(View::Motion(args.options.clone()), &args.source, &args.out),
        Preview::Grid(args) => Job::image(View::Grid(Box::new(args.options.clone())), &args.image, &args.out),
        Preview::Html(args) => Job::file(View::Html(args.options.clone()), &args.source, &args.output),
        Preview::Drift(args) => Job {
            after: args.after.clone().map(Source::Path),
            ..Job::file(View::Drift(args.options.clone()), &args.source, &args.output)
        },
        Preview::LightTable(args) => match args.serve {
            Some(port) => return light_table::serve(&args.source, port, args.open, program),
            None => Job::file(View::LightTable(None), &args.source, &args.output),
        },
        Preview::Changes(args) => return changes::run(args, program),
    };
    draw(&job, program)
}

fn draw(job: &Job, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let drawn = job.view.draw(&job.source, job.after.as_ref(), &cx)?;
    if job.here {
        show(&drawn)?;
    }
    let output = job.output.as_deref();
    let written = output.map(|output| drawn.stage(output, &cx)).transpose()?;
    cx.commit()?;
    let written = output.zip(written.as_ref());
    match &drawn {
        RenderedPreview::Contact(sheets) => {
            report_images(sheets.sizes(), sheets.set().frames().len(), written, program);
        }
        RenderedPreview::Image { image, frames } => {
            report_images(&[image.dimensions().into()], *frames, written, program);
        }
        RenderedPreview::Cut(cut) => report_cut(cut, output, program),
        RenderedPreview::Motion(motion) => report_motion(motion, written, program),
        RenderedPreview::Page(page) => report_page(page, written, program),
    }
    Ok(())
}

fn show(drawn: &RenderedPreview) -> Result<(), Failure> {
    match drawn {
        RenderedPreview::Contact(sheets) => terminal::show_contact(sheets),
        RenderedPreview::Image { image, .. } => terminal::show(image),
        RenderedPreview::Cut(cut) => terminal::show(&cut.image),
        RenderedPreview::Motion(motion) => terminal::play(&motion.animation),
        RenderedPreview::Page(_) => Ok(()),
    }
}

type Written<'a> = Option<(&'a Path, &'a WrittenView)>;

fn report_images(sizes: &[Size], frames: usize, written: Written<'_>, program: &CommandContext<'_>) {
    let Some((output, WrittenView { files, .. })) = written else { return };
    let shown = count_noun(frames, "frame");
    let Size { width, height } = sizes.iter().copied().fold(Size::default(), Size::union);
    let summary = match files.len() {
        1 => format!("{}: {shown} on {width}x{height} px", output.display_slashed()),
        count => {
            let last = program.report_path(&files[count - 1]);
            format!(
                "{} to {}: {shown} in {count} images of up to {width}x{height} px",
                output.display_slashed(),
                last.display_slashed()
            )
        }
    };
    program.say(&format!("{} {summary}", program.write_verb()));
    let file = |(file, size): (&PathBuf, &Size)| FileReport {
        file: program.report_path(file),
        size: [size.width, size.height],
    };
    let files = files.iter().zip(sizes).map(file).collect();
    program.console.result(&ImagesReport { files, count: frames });
}

fn report_cut(cut: &CutImage, output: Option<&Path>, program: &CommandContext<'_>) {
    let what = match &cut.plan {
        CutPlan::Grid(grid) => format!("{} cells of {} px", grid.counts(), grid.cell_size()),
        CutPlan::Rects(rects) => count_noun(rects.len(), "place"),
    };
    let blank = if cut.blank > 0 { format!(", {} blank", cut.blank) } else { String::new() };
    program.say(&match output {
        Some(output) => format!("{} {}: {what}{blank}", program.write_verb(), output.display_slashed()),
        None => format!("{what}{blank}"),
    });
    program.console.result(&GridReport {
        file: output.map(|output| output.to_owned().into()),
        size: size(&cut.image),
        crossed: cut.crossed,
        blank: cut.blank,
    });
}

fn report_motion(motion: &Motion, written: Written<'_>, program: &CommandContext<'_>) {
    let Some((output, written)) = written else { return };
    let images = &motion.animation.images;
    let ms = images.iter().map(|(_, span)| span.millis()).sum();
    let shows = match &motion.shows {
        MotionContent::One(clip) => describe_clip(clip),
        MotionContent::Several(clips) => {
            format!("{} side by side, {} (the longest)", count_noun(*clips, "clip"), format_millis(ms))
        }
    };
    let [width, height] = size(&images[0].0);
    let length = format_bytes(written.bytes as u64);
    program.say(&format!(
        "{} {}: {shows}; {width}x{height} px, {length}",
        program.write_verb(),
        output.display_slashed()
    ));
    program.console.result(&MotionReport {
        file: output.to_owned().into(),
        size: [width, height],
        pictures: images.len(),
        ms,
        bytes: written.bytes,
    });
}

fn report_page(page: &HtmlPage, written: Written<'_>, program: &CommandContext<'_>) {
    let Some((output, written)) = written else { return };
    let findings = page.checked.as_ref().map(|checked| checked.groups().len());
    let shown = match page.frames {
        None => "a sheet to slice".to_owned(),
        Some(frames) => format!("{}, {}", count_noun(frames, "frame"), count_noun(page.clips, "clip")),
    };
    let (name, length) = (output.display_slashed(), format_bytes(written.bytes as u64));
    program.say(&match findings {
        Some(findings) => {
            format!("{} {name}: {shown}, {}; {length}", program.write_verb(), count_noun(findings, "finding"))
        }
        None => format!("{} {name}: {shown}; {length}; open it in a browser", program.write_verb()),
    });
    program.console.result(&PageReport {
        file: output.to_owned().into(),
        count: page.frames,
        clip_count: page.clips,
        finding_count: findings,
        bytes: written.bytes,
    });
}

fn size(image: &RgbaImage) -> [u32; 2] {
    [image.width(), image.height()]
}
