//! Whatever is edited, a build comes to what a build from nothing comes to, byte for byte.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use image::{Rgba, RgbaImage};
use proptest::prelude::*;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::build::{Build, BuildEvent, BuildObserver, Outcome};
use shibori_pipeline::options::{ClipCommand, ClipOptions, Flag, RunOptions};
use shibori_pipeline::steps::clip;
use shibori_pipeline::{Context, Error, NoopObserver};

/// Remembers what was done and what went wrong.
#[derive(Default)]
struct Ears {
    done: Mutex<Vec<String>>,
    errors: Mutex<Vec<String>>,
}

impl BuildObserver for Ears {
    fn event(&self, event: BuildEvent<'_>) {
        match event {
            BuildEvent::Done { name, .. } => self.done.lock().unwrap().push(name.to_owned()),
            BuildEvent::Failed { name, error, .. } => {
                self.errors.lock().unwrap().push(format!("{name}: {error}"));
            }
            _ => {}
        }
    }
}

/// A project as it should be on a disk.
#[derive(Clone, Debug, Default)]
struct Project {
    /// The seed of each sprite's sheet, and its options.
    sprites: BTreeMap<u8, Sprite>,
    /// The sprites in each atlas, and its options.
    atlases: BTreeMap<u8, Atlas>,
    template: u8,
    /// Which parts of the recipe of `extra` it has.
    extras: BTreeSet<usize>,
    /// Whether a person gave the atlas `hand` another clip.
    has_hand_work: bool,
}

/// Patterns, with one that differs and one left out; sets of them, atlases of one each, and sprites made of those again, before
/// and after them; sources found twice; outputs beside sources; a link.
const EXTRAS: [&str; 6] = [
    "[sprite.again]\nfrom = \"build/sets/n-0\"\n[sprite.\"c-*\"]\nfrom = \"build/sets/*\"\nset = \"chained/*\"\n\
     [sprite.\"n-*\"]\nfrom = \"art/n-*.qoi\"\nexcept = \"art/n-2.qoi\"\nset = \"sets/*\"\n[sprite.n-1]\nshape = { pivot \
         = \"feet\" }\n[atlas.again]\nuse = [\"again\", \"c-*\"]\n",
    "[sprite.\"m-*\"]\nfrom = \"art/n-*.qoi\"\n[atlas.\"m-*\"]\nuse = \"m-*\"\n[sprite.back]\nfrom = \"build/m-1.json\"\nset = true\n",
    "[sprite.all]\nfrom = [\"art/**\", \"art/n-*.qoi\"]\nslice = { grid = \"3x1\" }\nset = true\n",
    "[sprite.near]\nfrom = \"**/n-*\"\n[atlas.beside]\nuse = \"near\"\nfile = \"../art/n-page\"\n",
    "[sprite.link]\nfrom = \"art/link.qoi\"\nset = true\n",
    "[atlas.hand]\nuse = \"s0\"\nexport = { to = \"csv\" }\n",
];
/// The part of it that a person works on.
const HAND: usize = 5;

#[derive(Clone, Debug)]
struct Sprite {
    seed: u8,
    pivot: u8,
    has_set: bool,
}

#[derive(Clone, Debug)]
struct Atlas {
    of: u8,
    gutter: u8,
    pages: u8,
    exports: u8,
}

#[derive(Clone, Debug)]
enum Edit {
    Repaint(u8, u8),
    Options(u8, u8),
    Set(u8, bool),
    Remove(u8),
    Atlas(u8, Atlas),
    RemoveAtlas(u8),
    Template(u8),
    TouchOutput(u8),
    DeleteOutput(u8),
    DeleteState,
    SpoilState,
    Extra(usize),
    HandWork,
    Build,
}

fn edits() -> impl Strategy<Value = Vec<Edit>> {
    let atlas = (0u8..8, 0u8..3, 0u8..3, 0u8..4).prop_map(|(of, gutter, pages, exports)| Atlas {
        of,
        gutter,
        pages,
        exports,
    });
    let edit = prop_oneof![
        3 => (0u8..4, 0u8..4).prop_map(|(sprite, seed)| Edit::Repaint(sprite, seed)),
        2 => (0u8..4, 0u8..4).prop_map(|(sprite, pivot)| Edit::Options(sprite, pivot)),
        1 => (0u8..4, any::<bool>()).prop_map(|(sprite, has_set)| Edit::Set(sprite, has_set)),
        1 => (1u8..4).prop_map(Edit::Remove),
        3 => (0u8..3, atlas).prop_map(|(name, atlas)| Edit::Atlas(name, atlas)),
        1 => (0u8..3).prop_map(Edit::RemoveAtlas),
        1 => (0u8..3).prop_map(Edit::Template),
        2 => any::<u8>().prop_map(Edit::TouchOutput),
        2 => any::<u8>().prop_map(Edit::DeleteOutput),
        1 => Just(Edit::DeleteState),
        1 => Just(Edit::SpoilState),
        3 => (0..EXTRAS.len()).prop_map(Edit::Extra),
        2 => Just(Edit::HandWork),
        3 => Just(Edit::Build),
    ];
    prop::collection::vec(edit, 1..14)
}

impl Project {
    fn begin() -> Self {
        let mut project = Self::default();
        project.sprites.insert(0, Sprite { seed: 0, pivot: 0, has_set: false });
        project.atlases.insert(0, Atlas { of: 1, gutter: 1, pages: 0, exports: 3 });
        project
    }

    fn recipe(&self) -> String {
        let mut text = String::from("[defaults]\nshape = { trim = \"frame\" }\n");
        for (name, sprite) in &self.sprites {
            let pivot = ["center", "feet", "bottom", "0.25,0.75"][usize::from(sprite.pivot)];
            text += &format!(
                "[sprite.s{name}]\nfrom = \"art/s{name}.qoi\"\nslice = {{ grid = \"3x1\" }}\nshape = {{ pivot \
                 = \"{pivot}\" }}\nclips = {{ go = \"0-2 @10fps\" }}\n"
            );
            if sprite.has_set {
                text += "set = true\nexport = { to = \"css\" }\n";
            }
        }
        for (name, atlas) in &self.atlases {
            let used: Vec<String> = self
                .sprites
                .keys()
                .filter(|sprite| **sprite == 0 || atlas.of & (1 << **sprite) != 0)
                .map(|sprite| format!("\"s{sprite}\""))
                .collect();
            text += &format!(
                "[atlas.a{name}]\nuse = [{}]\neffort = \"low\"\ngutter = {}\n",
                used.join(", "),
                atlas.gutter
            );
            match atlas.pages {
                0 => {}
                1 => text += "page-max = 24\n",
                _ => text += "page-scales = \"1,2\"\n",
            }
            if atlas.exports & 1 != 0 {
                text += &format!("[[atlas.a{name}.export]]\ntemplate = \"list.txt.j2\"\n");
            }
            if atlas.exports & 2 != 0 {
                text += &format!("[[atlas.a{name}.preview]]\nas = \"contact\"\n");
            }
        }
        self.extras.iter().for_each(|&extra| text += EXTRAS[extra]);
        text
    }

    /// Makes a folder hold the recipe and the sources, and no other sources.
    fn write(&self, folder: &Path) {
        fs::create_dir_all(folder.join("art")).unwrap();
        for entry in fs::read_dir(folder.join("art")).unwrap() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|ending| ending == "qoi") {
                fs::remove_file(path).unwrap();
            }
        }
        for name in 0..3 {
            let seed = self.sprites.len() as u8;
            sheet(name + 4, seed).save(folder.join(format!("art/n-{name}.qoi"))).unwrap();
        }
        fs::create_dir_all(folder.join("elsewhere")).unwrap();
        let linked = folder.join("elsewhere/linked.qoi");
        sheet(9, self.template).save(&linked).unwrap();
        #[cfg(unix)]
        std::os::unix::fs::symlink("../elsewhere/linked.qoi", folder.join("art/link.qoi")).unwrap();
        #[cfg(not(unix))]
        fs::copy(&linked, folder.join("art/link.qoi")).unwrap();
        for (name, sprite) in &self.sprites {
            sheet(*name, sprite.seed).save(folder.join(format!("art/s{name}.qoi"))).unwrap();
        }
        let seal = ["", "# {{ seal }}\n", "# none\n"][usize::from(self.template)];
        let list = "{% for frame in frames %}{{ frame.name }} {{ frame.rect }}\n{% endfor %}";
        fs::write(folder.join("list.txt.j2"), format!("{seal}{list}")).unwrap();
        fs::write(folder.join("shibori.toml"), self.recipe()).unwrap();
    }
}

/// Three cells of 12 px with a drawing each.
fn sheet(name: u8, seed: u8) -> RgbaImage {
    RgbaImage::from_fn(36, 12, |x, y| {
        let (cell, inner) = (x / 12, x % 12);
        let inset = 2 + (u32::from(seed) + cell) % 3;
        let is_drawn = (inset..12 - inset).contains(&inner) && (inset..11).contains(&y);
        Rgba(if is_drawn { [name * 25, seed * 50, cell as u8 * 90, 255] } else { [0; 4] })
    })
}

fn build(folder: &Path, force: bool) -> (Outcome, Ears) {
    let run = RunOptions { force: if force { Flag::On } else { Flag::Unsaid }, ..RunOptions::default() };
    let ears = Ears::default();
    let outcome = Build::open(&folder.join("shibori.toml"), &run).and_then(|build| build.run(None, &ears));
    let outcome = match outcome {
        Err(Error::Build(failed)) => failed.outcome,
        other => other.unwrap_or_else(|error| panic!("{error}")),
    };
    (outcome, ears)
}

fn files(folder: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    fn gather(folder: &Path, inside: &Path, all: &mut BTreeMap<PathBuf, Vec<u8>>) {
        let Ok(entries) = fs::read_dir(folder.join(inside)) else { return };
        let mut is_empty = true;
        for entry in entries {
            let entry = entry.unwrap();
            // Records are kept in hidden folders; one that is alone in a folder is left behind.
            if entry.file_name() == ".shibori" {
                continue;
            }
            is_empty = false;
            let path = inside.join(entry.file_name());
            if entry.path().is_dir() {
                gather(folder, &path, all);
            } else {
                all.insert(path, fs::read(entry.path()).unwrap());
            }
        }
        // An empty folder is something left behind, too.
        if is_empty {
            all.insert(inside.join("(empty)"), Vec::new());
        }
    }
    let mut all = BTreeMap::new();
    gather(folder, Path::new(""), &mut all);
    all
}

/// The output of this number, counted round and round.
fn output(folder: &Path, number: u8) -> Option<PathBuf> {
    let all: Vec<PathBuf> = files(&folder.join("build")).into_keys().collect();
    let path = all.get(usize::from(number) % all.len().max(1))?;
    Some(folder.join("build").join(path)).filter(|path| path.is_file())
}

fn apply(edit: &Edit, project: &mut Project, folder: &Path) {
    match edit {
        Edit::Repaint(name, seed) => {
            let sprite = project.sprites.entry(*name).or_insert(Sprite { seed: 0, pivot: 0, has_set: false });
            sprite.seed = *seed;
        }
        Edit::Options(name, pivot) => {
            if let Some(sprite) = project.sprites.get_mut(name) {
                sprite.pivot = *pivot;
            }
        }
        Edit::Set(name, has_set) => {
            if let Some(sprite) = project.sprites.get_mut(name) {
                sprite.has_set = *has_set;
            }
        }
        Edit::Remove(name) => drop(project.sprites.remove(name)),
        Edit::Atlas(name, atlas) => drop(project.atlases.insert(*name, atlas.clone())),
        Edit::RemoveAtlas(name) => {
            if project.atlases.len() > 1 {
                project.atlases.remove(name);
            }
        }
        Edit::Template(template) => project.template = *template,
        Edit::TouchOutput(number) => {
            if let Some(path) = output(folder, *number) {
                // A manifest that reads otherwise is hand work, and stays.
                if path.extension().is_some_and(|ending| ending == "json") {
                    return;
                }
                let mut bytes = fs::read(&path).unwrap();
                let at = bytes.len() / 2;
                if let Some(byte) = bytes.get_mut(at) {
                    *byte ^= 1;
                }
                fs::write(path, bytes).unwrap();
            }
        }
        Edit::DeleteOutput(number) => {
            if let Some(path) = output(folder, *number) {
                project.has_hand_work &= !path.ends_with("hand.json");
                fs::remove_file(path).unwrap();
            }
        }
        // What nobody remembers can't be taken away: of steps that go in the meantime, outputs stay where they are. So all is
        // built before and after.
        Edit::DeleteState | Edit::SpoilState => {
            project.write(folder);
            build(folder, true);
            match edit {
                Edit::DeleteState => fs::remove_dir_all(folder.join(".shibori")).unwrap(),
                _ => fs::write(folder.join(".shibori/shibori.toml.record"), b"{\"shibori\":1}\nspoiled")
                    .unwrap(),
            }
            build(folder, true);
        }
        Edit::Extra(extra) => {
            if !project.extras.remove(extra) {
                project.extras.insert(*extra);
            }
            // What a person changed is left where it is when nothing makes it any more.
            if *extra == HAND && project.has_hand_work {
                project.extras.insert(HAND);
            }
        }
        Edit::HandWork => {
            project.extras.insert(HAND);
            project.write(folder);
            build(folder, true);
            if !project.has_hand_work {
                work_by_hand(folder);
            }
            project.has_hand_work = true;
        }
        Edit::Build => {
            project.write(folder);
            build(folder, true);
        }
    }
}

/// Adds a clip as `shibori clip` does.
fn work_by_hand(folder: &Path) {
    let cx = Context::new(&NoopObserver);
    let clips = ClipOptions { clip: vec!["extra = s0:0-1".parse().unwrap()], ..ClipOptions::default() };
    let options = ClipCommand { clips, ..ClipCommand::default() };
    clip(&folder.join("build/hand.json"), &options, &cx).unwrap();
    cx.commit().unwrap();
}

fn holds(edits: &[Edit]) -> Result<(), TestCaseError> {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    project.write(home.path());
    for edit in edits {
        apply(edit, &mut project, home.path());
    }
    project.write(home.path());
    let (_, ears) = build(home.path(), true);
    prop_assert!(ears.errors.lock().unwrap().is_empty(), "{:?}", ears.errors.lock().unwrap());
    let other = tempfile::tempdir().unwrap();
    project.write(other.path());
    let (_, ears) = build(other.path(), false);
    prop_assert!(ears.errors.lock().unwrap().is_empty(), "from nothing: {:?}", ears.errors.lock().unwrap());
    if project.has_hand_work {
        work_by_hand(other.path());
        build(other.path(), false);
    }
    let (found, wanted) = (files(home.path()), files(other.path()));
    prop_assert_eq!(found.keys().collect::<Vec<_>>(), wanted.keys().collect::<Vec<_>>());
    for (path, bytes) in &found {
        prop_assert!(wanted[path] == *bytes, "{} differs\n{}", path.display_slashed(), project.recipe());
    }
    // And now nothing is stale.
    let (outcome, ears) = build(home.path(), false);
    prop_assert!(outcome.done == 0, "done again: {:?}", ears.done.lock().unwrap());
    Ok(())
}

fn cases() -> u32 {
    std::env::var("BUILD_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(64)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_build_after_any_edits_equals_a_build_from_nothing(edits in edits()) {
        holds(&edits)?;
    }
}

#[test]
fn only_what_changed_is_done_and_every_step_alone_comes_to_the_same() {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    for name in 1..4 {
        project.sprites.insert(name, Sprite { seed: name, pivot: 0, has_set: name == 1 });
    }
    project.atlases.insert(0, Atlas { of: 0b0010, gutter: 1, pages: 0, exports: 3 });
    project.atlases.insert(1, Atlas { of: 0b1100, gutter: 1, pages: 2, exports: 0 });
    project.write(home.path());
    assert_eq!(build(home.path(), false).0.done, 6);
    let whole = files(&home.path().join("build"));
    // A sprite that only the second atlas holds.
    project.sprites.get_mut(&3).unwrap().seed = 0;
    project.write(home.path());
    assert_eq!(*build(home.path(), false).1.done.lock().unwrap(), ["atlas.a1"]);
    project.sprites.get_mut(&3).unwrap().seed = 3;
    project.write(home.path());
    build(home.path(), false);
    assert!(files(&home.path().join("build")) == whole);
    // Step by step in a folder of its own, without anything kept.
    let other = tempfile::tempdir().unwrap();
    project.write(other.path());
    let alone = Build::open(&other.path().join("shibori.toml"), &RunOptions::default()).unwrap();
    let ears = Ears::default();
    let facts = alone.describe_targets(&ears).unwrap();
    assert!(!other.path().join("build").exists(), "a plan writes nothing");
    for step in &facts {
        let done = alone.build_one(&step.name, &ears).unwrap();
        assert_eq!(done.outputs, step.outputs, "{}", step.name);
    }
    assert!(files(&other.path().join("build")) == whole);
    assert!(!other.path().join(".shibori").exists());
    let outputs: usize = facts.iter().map(|step| step.outputs.len()).sum();
    assert_eq!(outputs, whole.len());
}

/// Panics as soon as one of the steps begins.
struct Fragile(Ears);

impl BuildObserver for Fragile {
    fn event(&self, event: BuildEvent<'_>) {
        if let BuildEvent::Starts { name: "atlas.a0" } = event {
            panic!("a mistake of the program");
        }
        self.0.event(event);
    }
}

#[test]
fn a_bug_in_one_job_fails_its_step_and_all_others_are_done() {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    project.atlases.insert(1, Atlas { of: 0, gutter: 1, pages: 0, exports: 3 });
    project.write(home.path());
    let build_all = Build::open(&home.path().join("shibori.toml"), &RunOptions::default()).unwrap();
    let observer = Fragile(Ears::default());
    let Err(Error::Build(failed)) = build_all.run(None, &observer) else { panic!("nothing failed") };
    let said = "atlas.a0: stopped by a bug in shibori: a mistake of the program";
    assert_eq!(
        (failed.to_string(), observer.0.errors.into_inner().unwrap()),
        (said.to_owned(), vec![said.to_owned()])
    );
    assert!(
        failed.outcome.undone > 0 && observer.0.done.into_inner().unwrap().contains(&"atlas.a1".to_owned())
    );
    // No trace of it is left, and the next build recovers.
    assert!(!home.path().join("build/a0.json").exists());
    let (outcome, ears) = build(home.path(), false);
    assert!(outcome.undone == 0 && ears.errors.into_inner().unwrap().is_empty());
}

/// Switches to another branch while the frames of a sprite are read, and back.
struct Switching<'a> {
    source: &'a Path,
    other: Vec<u8>,
    this: Vec<u8>,
}

impl BuildObserver for Switching<'_> {
    fn event(&self, event: BuildEvent<'_>) {
        match event {
            BuildEvent::Starts { name: "s0" } => fs::write(self.source, &self.other).unwrap(),
            BuildEvent::Framed { name: "s0" } => fs::write(self.source, &self.this).unwrap(),
            _ => {}
        }
    }
}

#[test]
fn a_source_that_is_switched_there_and_back_during_a_build_is_built_again() {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    project.sprites.get_mut(&0).unwrap().seed = 2;
    project.write(home.path());
    let source = home.path().join("art/s0.qoi");
    let other = fs::read(&source).unwrap();
    project.sprites.get_mut(&0).unwrap().seed = 0;
    project.write(home.path());
    let this = fs::read(&source).unwrap();
    assert_ne!(this, other);
    let switching = Switching { source: &source, other, this };
    let run = RunOptions::default();
    let open = || Build::open(&home.path().join("shibori.toml"), &run).unwrap();
    open().run(None, &switching).unwrap();
    let wrong = files(&home.path().join("build"));
    build(home.path(), false);
    let right = files(&home.path().join("build"));
    assert!(wrong != right, "the other branch's art was built");
    let clean = tempfile::tempdir().unwrap();
    project.write(clean.path());
    build(clean.path(), false);
    assert!(files(&clean.path().join("build")) == right);
}

#[test]
fn a_plan_of_chained_sprites_knows_every_output_before_anything_is_there() {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    project.extras = (0..EXTRAS.len()).collect();
    project.write(home.path());
    let planned = || -> BTreeSet<PathBuf> {
        let build = Build::open(&home.path().join("shibori.toml"), &RunOptions::default()).unwrap();
        let outputs =
            build.describe_targets(&Ears::default()).unwrap().into_iter().flat_map(|step| step.outputs);
        outputs.collect()
    };
    let before = files(home.path());
    let first = planned();
    assert!(files(home.path()) == before, "a plan writes nothing");
    let (outcome, ears) = build(home.path(), false);
    assert!(outcome.undone == 0, "{:?}", ears.errors);
    let made: BTreeSet<PathBuf> =
        files(home.path()).into_keys().filter(|path| !before.contains_key(path)).collect();
    assert_eq!(first, made);
    // The next build reads its own outputs, and finds nothing new in them.
    assert_eq!(planned(), made);
    assert_eq!(build(home.path(), false).0.done, 0);
}

#[test]
fn nothing_is_left_of_a_set_that_is_no_longer_made_and_of_which_files_were_deleted() {
    let home = tempfile::tempdir().unwrap();
    let mut project = Project::begin();
    project.extras.insert(1);
    project.write(home.path());
    build(home.path(), false);
    for name in ["frames.json", "m-1-00.png"] {
        fs::remove_file(home.path().join("build/back").join(name)).unwrap();
    }
    project.extras.clear();
    project.write(home.path());
    build(home.path(), false);
    assert!(!home.path().join("build/back").exists());
}
