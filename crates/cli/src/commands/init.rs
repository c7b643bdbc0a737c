//! `shibori init`: a recipe from what sources hold, to be built at once and changed at will.

use std::fmt::Write;
use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_formats::DisplaySlashed;
use shibori_formats::encode;
use shibori_pipeline::options::{PAGE_MAX, toml_key, toml_string};
use shibori_pipeline::recipe::{OUT, RECIPE_FILE, separate_tables, slice_line, sources_in, string_or_list};
use shibori_pipeline::steps::{Draft, DraftCut, DraftSprite, draft};

use super::CommandContext;
use crate::args::Init;
use crate::failure::Failure;
use crate::message::{Message, MessageLevel};
use crate::wording::ReportPath;
use crate::wording::{count_noun, format_millis, pasteable_path};

/// Standard output, where a file is meant.
const STANDARD: &str = "-";

/// More than this many other readings only hide the likely ones.
const MOST_OTHERS: usize = 3;

/// More rows than this are tiles or letters rather than clips.
const MAX_CLIP_ROWS: usize = 16;

#[derive(Serialize)]
struct Report {
    recipe: ReportPath,
    sprites: Vec<SpriteReport>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unreadable: Vec<ReportPath>,
}

#[derive(Serialize)]
struct SpriteReport {
    name: String,
    from: String,
    sure: bool,
}

pub(super) fn run(args: &Init, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let file = args.output.clone().unwrap_or_else(|| PathBuf::from(RECIPE_FILE));
    let is_recipe = file.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("toml"));
    if file != Path::new(STANDARD) && !is_recipe {
        return Err(Failure::output(format!("{}: a recipe's name ends in .toml", file.display_slashed()))
            .with_hint(format!("use -o {}", pasteable_path(&file.with_extension("toml")))));
    }
    let folder = if file == Path::new(STANDARD) { PathBuf::new() } else { folder_of(&file) };
    let mut drafted = draft(&args.sources, &folder.join(OUT), &cx)?;
    drafted.sprites = drafted.sprites.iter().flat_map(|sprite| separate_tables(sprite, &folder)).collect();
    let text = recipe(&drafted, &folder);
    if file == Path::new(STANDARD) {
        program.console.text(&text);
        return Ok(());
    }
    if cx.resolve(&file).exists() && !program.everywhere.run.force.is_on() {
        return Err(Failure::usage(format!("{}: the recipe already exists", file.display_slashed()))
            .with_hint("write to another file with -o NAME.toml, or replace it with --force"));
    }
    encode::bytes(&[(cx.resolve(&file), text.as_bytes())], cx.transaction())?;
    cx.commit()?;
    for sprite in &drafted.sprites {
        let sure = if sprite.is_sure { "" } else { " (uncertain; please check)" };
        program.say(&format!(
            "{:<16} {}: {}{sure}",
            sprite.name,
            first_and_more(&sources_in(sprite, &folder)),
            describe_source(sprite)
        ));
    }
    for (_, why) in &drafted.unreadable {
        let text = format!("left out: {why}");
        program.console.message(MessageLevel::Warning, &Message { text, pointer: None, hint: None });
    }
    program.say(&format!("{} {}", program.write_verb(), file.display_slashed()));
    let build =
        if file == Path::new(RECIPE_FILE) { String::new() } else { format!(" {}", pasteable_path(&file)) };
    program.say(&format!("next: shibori build{build}"));
    let report = |sprite: &DraftSprite| SpriteReport {
        name: sprite.name.clone(),
        from: sources_in(sprite, &folder).join(", "),
        sure: sprite.is_sure,
    };
    program.console.result(&Report {
        recipe: file.clone().into(),
        sprites: drafted.sprites.iter().map(report).collect(),
        unreadable: drafted.unreadable.iter().map(|(file, _)| file.clone().into()).collect(),
    });
    Ok(())
}

fn folder_of(file: &Path) -> PathBuf {
    file.parent().unwrap_or(Path::new("")).to_owned()
}

/// The text of a recipe for these sprites, seen from its folder.
fn recipe(draft: &Draft, folder: &Path) -> String {
    let mut text = format!(
        "# Drafted by shibori init from the sources it was given. Build with: shibori build\n\
         # Every command-line option is also a key here; see docs/recipe.md.\n\n\
         [out]\ndir = \"{OUT}\"\n",
    );
    if !draft.unreadable.is_empty() {
        text.push_str("\n# Left out:\n");
    }
    for (_, why) in &draft.unreadable {
        let _ = writeln!(text, "#   {}", why.replace('\n', " "));
    }
    for sprite in &draft.sprites {
        let _ = write!(text, "\n{}", table(sprite, folder));
    }
    let (large, packed): (Vec<&DraftSprite>, Vec<&DraftSprite>) = draft
        .sprites
        .iter()
        .filter(|sprite| sprite.cut != DraftCut::Blank)
        .partition(|sprite| is_large(sprite));
    if !packed.is_empty() {
        let names: Vec<String> = packed.iter().map(|sprite| toml_string(&sprite.name)).collect();
        let used = if large.is_empty() { "\"*\"".to_owned() } else { names.join(", ") };
        let _ = write!(text, "\n[atlas.atlas]\nuse = [{used}]\n");
        text.push_str("\n# A player for every clip.\n[[atlas.atlas.preview]]\nas = \"html\"\n");
    }
    text
}

/// Whether a frame of it can't be on a page.
fn is_large(sprite: &DraftSprite) -> bool {
    // A page has a margin.
    sprite.largest.width.max(sprite.largest.height) > PAGE_MAX - 2
}

fn table(sprite: &DraftSprite, folder: &Path) -> String {
    let text = written(sprite, folder);
    if sprite.cut != DraftCut::Blank {
        return text;
    }
    // Nothing can be built of it, until somebody draws on it.
    text.lines()
        .map(|line| if line.starts_with('#') { format!("{line}\n") } else { format!("# {line}\n") })
        .collect()
}

fn written(sprite: &DraftSprite, folder: &Path) -> String {
    let mut text = format!("[sprite.{}]\n", toml_key(&sprite.name));
    let description = describe_source(sprite);
    let mut letters = description.chars();
    let capital = letters.next().map(|letter| letter.to_uppercase().to_string()).unwrap_or_default();
    let _ = writeln!(text, "# {capital}{}.", letters.as_str());
    if !sprite.is_sure {
        let others = if sprite.others.is_empty() { "" } else { "; alternatives are below" };
        let sheet = pasteable_path(&sprite.source);
        let _ = match sprite.cut {
            DraftCut::Frames => writeln!(
                text,
                "# Uncertain: if each is a sheet, add slice = {{ grid = \"CxR\" }}. To check: shibori inspect {sheet}"
            ),
            _ => writeln!(text, "# Uncertain{others}. To preview: shibori preview grid {sheet} -o cut.png"),
        };
    }
    let _ = writeln!(text, "from = {}", string_or_list(&sources_in(sprite, folder)));
    if let Some(line) = slice_line(&sprite.cut) {
        let _ = writeln!(text, "{line}");
    }
    if !sprite.is_sure {
        for other in sprite.others.iter().take(MOST_OTHERS) {
            if let Some(line) = slice_line(other) {
                let _ = writeln!(text, "# {line}  # {}", describe_cut(other));
            }
        }
    }
    if let Some(color) = sprite.background {
        let _ = writeln!(text, "# Makes the flat background color {color} transparent.");
        let _ = writeln!(text, "clean = {{ key = \"auto\" }}");
    }
    if is_large(sprite) {
        let _ =
            writeln!(text, "# Larger than a page of {PAGE_MAX} px, so it is not in the atlas.\nset = true");
    }
    text + &clips(sprite)
}

/// Rows as clips, so that there is something to see; names are the user's to give.
fn clips(sprite: &DraftSprite) -> String {
    let DraftCut::Grid { per_row, .. } = &sprite.cut else { return String::new() };
    let rows: Vec<usize> = per_row.iter().copied().filter(|&count| count > 0).collect();
    let frames: usize = rows.iter().sum();
    if frames < 2 {
        return String::new();
    }
    // A strip, whichever way it goes, is one clip.
    if rows.len() == 1 || rows.iter().all(|&count| count == 1) {
        let name = if sprite.sprites > 1 { "all".to_owned() } else { clip_name(&sprite.name) };
        return format!("clips = {{ {} = \"0-{} @10fps\" }}\n", toml_key(&name), frames - 1);
    }
    if rows.len() > MAX_CLIP_ROWS {
        return format!(
            "# {} rows look like tiles or letters rather than clips. If they are clips: clip-rows = \"NAME,NAME,...\"\n",
            rows.len()
        );
    }
    let name = |(row, &count): (usize, &usize)| if count > 0 { format!("row{row}") } else { "-".to_owned() };
    let names: Vec<String> = per_row.iter().enumerate().map(name).collect();
    format!(
        "# Each row is a clip; replace these names with your own.\nclip-rows = {}\n",
        toml_string(&names.join(","))
    )
}

/// A name that the grammar of clips takes as it is.
fn clip_name(sprite: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || c == '-' || c == '_';
    if !sprite.is_empty() && sprite.chars().all(is_plain) { sprite.to_owned() } else { "all".to_owned() }
}

/// What a source is taken for.
fn describe_source(sprite: &DraftSprite) -> String {
    match &sprite.cut {
        DraftCut::Grid { counts, cell, .. } if sprite.sprites > 1 => {
            format!("{} sheets, each {counts} cells of {cell} px", sprite.sprites)
        }
        cut => describe_cut(cut),
    }
}

fn describe_cut(cut: &DraftCut) -> String {
    match cut {
        DraftCut::Grid { counts, cell, per_row, .. } => {
            let drawings = count_noun(per_row.iter().sum(), "drawing");
            format!("{counts} cells of {cell} px, {drawings}")
        }
        DraftCut::Islands(drawings) => count_noun(*drawings, "separate drawing"),
        DraftCut::Whole => "a single image".to_owned(),
        DraftCut::Flat => "a single color".to_owned(),
        DraftCut::Blank => "blank: nothing is drawn on it".to_owned(),
        DraftCut::Animation(frames, ms) => {
            format!("an animation of {}, {}", count_noun(*frames, "frame"), format_millis(*ms))
        }
        DraftCut::Frames => "frames as they are".to_owned(),
    }
}

fn first_and_more(texts: &[String]) -> String {
    match texts {
        [first, more @ ..] if !more.is_empty() => format!("{first} and {} more", more.len()),
        texts => texts.concat(),
    }
}
