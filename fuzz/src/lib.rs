//! What each fuzz target does with its bytes. Each reader is asked through what programs call, on files in a temporary folder, and
//! what it takes must hold what its documents promise. Nothing here knows what a right input looks like: that is learned.

#[path = "../../crates/pipeline/tests/storm/case.rs"]
mod storm;

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;

use image::RgbaImage;
use shibori_core::check::Rule;
use shibori_core::clip::{
    ClipSpec, EventSpec, FrameRate, Renaming, RowList, add_clips, rename_clips, set_events,
};
use shibori_core::cut::Counts;
use shibori_core::shape::{AlignTo, Anchor, BoxSpec, CanvasRule, NineRule, ScaleRule};
use shibori_core::{
    Budget, Cell, Color, Frame, FrameFilter, FrameSet, Insets, Name, NameTemplate, Pixels, Ratio, Selection,
    SignedRect, Size, UVec2,
};
use shibori_formats::decode::{self, ReadOptions};
use shibori_formats::encode;
use shibori_formats::export::{ExportSource, render};
use shibori_formats::manifest;
use shibori_formats::store::{self, Policy, Transaction};
use shibori_pipeline::NoopObserver;
use shibori_pipeline::build::Build;
use shibori_pipeline::options::RunOptions;
use shibori_pipeline::recipe::{Recipe, RecipeText};
use tempfile::TempDir;

/// A folder of this process, with a set of six frames in two rows in `set/`, and its atlas `pond.json`.
static HOME: LazyLock<TempDir> = LazyLock::new(|| {
    let home = tempfile::tempdir().expect("a folder");
    let run = Transaction::default();
    encode::set(set(), &home.path().join("set"), &run, || {}).expect("a set");
    run.commit().expect("files");
    home
});

fn at(name: &str) -> PathBuf {
    HOME.path().join(name)
}

/// Writes the bytes into a file of that name.
fn file(name: &str, data: &[u8]) -> PathBuf {
    let path = at(name);
    fs::write(&path, data).expect("a file");
    path
}

fn limits() -> ReadOptions {
    ReadOptions { pixels: 1 << 20, memory: Budget::with_limit(1 << 28), ..ReadOptions::default() }
}

fn name(text: &str) -> Name {
    Name::new(text).expect("a name")
}

fn set() -> FrameSet {
    let frame = |at: u8| {
        let pixels = Pixels::from_image(RgbaImage::from_pixel(4, 4, image::Rgba([at * 40, 90, 30, 255])));
        Frame::new(name("koi"), name(&format!("koi-{at}")), pixels).expect("a frame")
    };
    let set = FrameSet::new((0..6).map(frame).collect(), Vec::new()).expect("a set");
    add_clips(set, &["swim = 0-5".parse().expect("a clip")]).expect("clips")
}

fn text(data: &[u8]) -> Option<&str> {
    std::str::from_utf8(data).ok()
}

/// Images and animations of every format; TGA says nothing in its first bytes, so its ending does.
pub fn picture(data: &[u8]) {
    for name in ["picture.png", "picture.tga"] {
        let path = file(name, data);
        for accept_truncated in [false, true] {
            let _ = decode::image(&path, &ReadOptions { accept_truncated, ..limits() });
        }
    }
}

/// A whole job, from a sheet to an export; its art and its options are read off the bytes.
pub fn commands(data: &[u8]) {
    storm::run(data, &mut |_, _| ());
}

/// Manifests: what is read is written as something that reads the same.
pub fn manifest(data: &[u8]) {
    if let Ok(read) = manifest::parse(data) {
        let text = serde_json::to_vec(&read).expect("a manifest is data");
        let again = manifest::parse(&text).expect("what was written is read");
        assert_eq!(serde_json::to_value(&read).ok(), serde_json::to_value(&again).ok());
    }
    let path = at("set").join("other.json");
    fs::write(&path, data).expect("a file");
    let _ = decode::load(&path, &limits());
    let _ = decode::pages_of(&path);
    let _ = decode::previous_placements(&path);
    let _ = ExportSource::open(&path, &limits());
}

/// Recipes.
pub fn recipe(data: &[u8]) {
    let Some(text) = text(data) else { return };
    if let Err(error) = Recipe::parse(RecipeText::new(Path::new("shibori.toml"), text.to_owned())) {
        assert!(!error.to_string().is_empty());
    }
}

/// The grammar of clips, selections and rows, read and laid over frames.
pub fn grammar(data: &[u8]) {
    let Some(text) = text(data) else { return };
    if let Ok(spec) = text.parse::<ClipSpec>() {
        let _ = add_clips(set(), &[spec]);
    }
    if let Ok(selection) = text.parse::<Selection>() {
        let _ = selection.resolve(&set());
    }
    let Ok(only) = text.parse::<FrameFilter>();
    let _ = only.of(&set());
    if let Ok(rows) = text.parse::<RowList>() {
        let _ = rows.specs(&set(), |_| Some(2));
    }
    if let Ok(event) = text.parse::<EventSpec>() {
        let _ = set_events(set(), &[event]);
    }
    if let Ok(renaming) = text.parse::<Renaming>() {
        let _ = rename_clips(set(), &[renaming]);
    }
    if let Ok(template) = text.parse::<NameTemplate>() {
        let _ = template.to_string();
    }
}

/// Values of options.
pub fn options(data: &[u8]) {
    let Some(text) = text(data) else { return };
    let _ = text.parse::<SignedRect>();
    let _ = text.parse::<Insets>();
    let _ = text.parse::<Size>();
    let _ = text.parse::<UVec2>();
    let _ = text.parse::<Counts>();
    let _ = text.parse::<Cell>();
    let _ = text.parse::<Color>();
    let _ = text.parse::<FrameRate>();
    let _ = text.parse::<Ratio>();
    let _ = text.parse::<Rule>();
    let _ = text.parse::<Anchor>();
    let _ = text.parse::<AlignTo>();
    let _ = text.parse::<BoxSpec>();
    let _ = text.parse::<CanvasRule>();
    let _ = text.parse::<NineRule>();
    let _ = text.parse::<ScaleRule>();
}

/// Lists: rectangles, and places of frames.
pub fn tables(data: &[u8]) {
    let path = file("list.csv", data);
    let _ = decode::rects(&path, &limits());
    let _ = decode::overrides(&path, &limits());
}

/// Templates: an error names a line, and none runs forever.
pub fn template(data: &[u8]) {
    static SUBJECT: LazyLock<ExportSource> =
        LazyLock::new(|| ExportSource::open(&at("set").join("frames.json"), &limits()).expect("a set"));
    let Some(text) = text(data) else { return };
    let _ = render(&SUBJECT, text);
}

/// Files that lie where a run is to write: only what a run wrote, and nobody changed since, is replaced.
pub fn seal(data: &[u8]) {
    for name in ["page.png", "page.json", "page.html", "page.lua", "page.gif", "page.webp"] {
        let path = file(name, data);
        let run = Transaction::new(Policy::default());
        let planned = run.plan(&[path], &[]).is_ok();
        assert!(!planned || data.is_empty() || String::from_utf8_lossy(data).contains("shibori"), "{name}");
    }
}

/// What a run that was killed left: whatever its journal says, only files of folders that it staged in are moved.
pub fn journal(data: &[u8]) {
    let Some((kind, data)) = data.split_first() else { return };
    let home = tempfile::tempdir().expect("a folder");
    let (folder, keep) = (home.path().join("inner"), home.path().join("keep.png"));
    let staging = folder.join(".shibori/run-1-1");
    fs::create_dir_all(&staging).expect("folders");
    let inside = folder.join("deep/keep.png");
    fs::create_dir_all(folder.join("deep")).expect("folders");
    for (file, bytes) in [
        (&keep, b"keep"),
        (&inside, b"keep"),
        (&staging.join("0.new"), b"news"),
        (&staging.join("lock"), b"1234"),
    ] {
        fs::write(file, bytes).expect("a file");
    }
    let journal = if kind % 2 == 0 { data.to_vec() } else { journal_of(data, &keep) };
    fs::write(staging.join("journal"), journal).expect("a file");
    let _ = store::finish_interrupted(&folder);
    assert_eq!(fs::read(&keep).expect("it is kept"), b"keep");
    assert_eq!(fs::read(&inside).expect("it is kept"), b"keep");
}

/// A journal of moves whose names the bytes choose.
fn journal_of(data: &[u8], keep: &Path) -> Vec<u8> {
    let units = |text: &str| text.bytes().map(u16::from).collect::<Vec<_>>();
    let keep = keep.to_string_lossy();
    let names = [
        "koi.png",
        "../keep.png",
        "deep/keep.png",
        "deep",
        "..",
        ".",
        "",
        &keep,
        "deep/../../keep.png",
        "koi.png/",
        ".shibori/koi.ledger",
        ".shibori/../keep.png",
    ];
    let digest = |bytes: &[u8]| store::Digest::of(bytes).to_string();
    let moves: Vec<_> = data
        .iter()
        .map(|byte| {
            let name = names[usize::from(byte >> 2) % names.len()];
            let after = (byte & 1 == 0).then(|| digest(b"news"));
            let before = (byte & 2 == 0).then(|| digest(b"keep"));
            serde_json::json!({
                "folder": usize::from(byte >> 6), "number": 0, "file": units(name), "before": before, "after": after,
            })
        })
        .collect();
    let folders = [units(""), units("deep"), units(".."), units("../inner/deep")];
    serde_json::json!({ "folders": folders, "moves": moves }).to_string().into_bytes()
}

/// What earlier builds kept.
pub fn records(data: &[u8]) {
    let recipe = file("shibori.toml", b"[sprite.koi]\nfrom = \"set\"\n[atlas.pond]\nuse = [\"koi\"]\n");
    fs::create_dir_all(at(".shibori")).expect("a folder");
    file(".shibori/shibori.toml.record", data);
    let build = Build::open(&recipe, &RunOptions::default()).expect("a recipe");
    if let Ok(status) = build.status(&NoopObserver) {
        let _ = build.orphaned_outputs(&status);
    }
}
