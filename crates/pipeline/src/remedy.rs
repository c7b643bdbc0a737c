//! Remedies: what would fix a finding, as options of a command. Each is tried in memory before it is offered, and offered
//! only if the finding is gone, nothing else got worse, and no more pixels changed than the finding names.
//!
//! A remedy is typed ([`CommandLine::words`]) or kept in a recipe ([`RecipeKeys`]); both are written from the same option
//! structs that the commands take. Nothing is written to disk here.

use std::collections::{HashMap, HashSet};
use std::fmt;
use std::path::{Path, PathBuf};

use shibori_core::check::{Finding, Fix, Observation, Severity, check as check_set};
use shibori_core::clip::{Clip, ClipSpec, FrameDuration};
use shibori_core::shape::{AlignAxis, AlignTo, CanvasError, CanvasRule, Resample, ScaleRule};
use shibori_core::{
    Frame, FrameFilter, FrameSet, FrameSource, Name, Ratio, SignedRect, Size, UVec2, clips_sharing_frames,
};
use shibori_formats::decode::{manifest_of, subfolders};

use crate::build::RecipeSprite;
use crate::command_line::CommandLine;
use crate::options::{
    AdjustOptions, CleanOptions, ClipCommand, ClipOptions, CutOptions, FilterOption, GridPreviewOptions,
    ShapeOptions, SliceOptions,
};
use crate::steps::{AdjustTarget, CheckReport, FindingGroup, adjust, edit_clips, folder_of_set, slice};
use crate::{Context, Error, NoopObserver, Source};

/// How long a screen of 60 images a second shows each.
const SCREEN_RATE: u32 = 60;

/// Keys of a group of options in a table of a recipe: `[sprite.koi]`, `clean`, `specks = 4`.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub struct RecipeKeys {
    /// The table, as a path of names: `sprite`, `koi`.
    pub table: Vec<String>,
    /// The group: `clean`. Empty for keys of the table itself.
    pub group: String,
    /// The keys with their values, as TOML.
    pub keys: Vec<String>,
}

/// What fixes findings.
#[derive(Clone, Debug, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub struct Remedy {
    /// The frames whose findings it fixes, as indices into the report's set.
    pub frames: Vec<usize>,
    /// The commands, in order; none if the frames come from a recipe.
    pub commands: Vec<CommandLine>,
    /// The same for a recipe.
    pub recipe: Vec<RecipeKeys>,
}

impl fmt::Display for Remedy {
    /// The commands, or the keys of the recipe, one per line, unquoted.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let keys =
            |keys: &RecipeKeys| format!("[{}] {} {}", keys.table.join("."), keys.group, keys.keys.join(", "));
        let commands = self.commands.iter().map(ToString::to_string);
        let lines: Vec<String> = commands.chain(self.recipe.iter().map(keys)).collect();
        f.write_str(&lines.join("\n"))
    }
}

/// Where a remedy is to be kept.
#[derive(Clone, Copy, Debug)]
pub enum Destination<'a> {
    /// In files: by commands.
    Files,
    /// In the recipe that makes the frames, by keys of this sprite. Where the sprite isn't known, nothing can be tried, and
    /// there are no remedies.
    Recipe(Option<&'a RecipeSprite>),
}

/// Finds remedies for the findings of one source.
#[derive(Debug)]
pub struct RemedyFinder<'a> {
    report: &'a CheckReport,
    destination: Destination<'a>,
    cx: Context<'static>,
    sprites: HashMap<Name, Trial>,
    /// The commands that turn the source into a set first, and that set's folder; `None` until needed.
    as_set: Option<Option<(Vec<CommandLine>, PathBuf)>>,
}

/// One sprite, on which changes are tried.
#[derive(Debug)]
struct Trial {
    set: FrameSet,
    wrong: HashSet<Key>,
}

/// What a finding is known by: rule, frame of the sprite, clip.
type Key = (&'static str, usize, Option<Name>);

/// A change that may help.
#[derive(Clone, Debug)]
struct Candidate {
    /// Frames of the report's set.
    frames: Vec<usize>,
    change: Change,
    /// The clip that it is for, in a recipe; else it is for the whole sprite.
    own_clip: Option<Name>,
    /// The most pixels that may change, by frame of the sprite; no limit where none is given.
    budget: Option<HashMap<usize, u64>>,
}

#[derive(Clone, Debug)]
enum Change {
    Adjust(Box<AdjustOptions>),
    Clip(Box<ClipCommand>),
}

impl Candidate {
    /// Whether it moves frames or changes their canvases, so that others follow.
    fn is_of_all(&self) -> bool {
        let shape = |options: &AdjustOptions| options.shape.align.is_some() || options.shape.canvas.is_some();
        matches!(&self.change, Change::Adjust(options) if shape(options))
    }

    /// The sprite with the change, and the keys that say so.
    fn in_recipe(&self, sprite: &RecipeSprite) -> Option<(RecipeSprite, Vec<RecipeKeys>)> {
        match &self.change {
            Change::Adjust(options) => sprite.with_options(options, self.own_clip.as_ref()),
            Change::Clip(options) => sprite.with_clips(&options.clips.clip),
        }
    }
}

impl<'a> RemedyFinder<'a> {
    /// Remedies for a report's findings. `base` is the folder in which paths begin.
    pub fn new(report: &'a CheckReport, destination: Destination<'a>, base: &Path) -> Self {
        let mut cx = Context::new(&NoopObserver);
        cx.base = base.to_owned();
        Self { report, destination, cx, sprites: HashMap::new(), as_set: None }
    }

    /// What fixes a group of findings: one remedy for all of them if there is one, else one each for as many frames as
    /// can be fixed this way; none if nothing helps.
    pub fn find(&mut self, group: &FindingGroup) -> Vec<Remedy> {
        let mut open = group.frames();
        let mut found: Vec<Candidate> = Vec::new();
        for number in 0.. {
            let some: Vec<&Finding> =
                group.findings.iter().filter(|finding| open.contains(&finding.frame)).collect();
            let candidates = match self.candidates(group, &some, number) {
                _ if open.is_empty() => break,
                None => break,
                Some(candidates) => candidates,
            };
            for candidate in self.tried(group, candidates) {
                open.retain(|frame| !candidate.frames.contains(frame));
                found.push(candidate);
            }
        }
        found.into_iter().filter_map(|candidate| self.remedy(candidate)).collect()
    }

    /// The command that shows where a sheet was cut, for findings that only its cut can explain.
    pub fn look_at_cut(&self, group: &FindingGroup) -> Option<CommandLine> {
        let finding = &group.findings[0];
        let origin = self.report.set.frames()[finding.frame].source()?;
        let cut = cut_of(&self.report.set, &origin.file)?;
        let sheet = nearby(&origin.file, &self.report.source, &self.cx.base)?;
        let size = shibori_formats::decode::image(&self.cx.resolve(&sheet), self.cx.limits()).ok()?.info.size;
        cut.grid_for(size).ok().flatten()?;
        let options = Box::new(GridPreviewOptions { cut, ..GridPreviewOptions::default() });
        Some(CommandLine::PreviewGrid { sheet, options, output: "cut.png".into() })
    }

    /// The ideas for a group, the least laborious first; `None` after the last.
    fn candidates(&self, group: &FindingGroup, open: &[&Finding], number: usize) -> Option<Vec<Candidate>> {
        let first = *open.first()?;
        let clean = |findings: &[&Finding], clean: CleanOptions, is_limited: bool| {
            self.on_frames(findings, AdjustOptions { clean, ..AdjustOptions::default() }, is_limited)
        };
        let per_frame = |of: &dyn Fn(&[&Finding]) -> Option<Candidate>| -> Vec<Candidate> {
            // A recipe can't narrow its options to frames.
            if matches!(self.destination, Destination::Recipe(_)) {
                return of(open).into_iter().collect();
            }
            let mut frames: Vec<usize> = open.iter().map(|finding| finding.frame).collect();
            frames.dedup();
            let own = |frame: usize| open.iter().copied().filter(move |finding| finding.frame == frame);
            frames.into_iter().filter_map(|frame| of(&own(frame).collect::<Vec<_>>())).collect()
        };
        let most = |findings: &[&Finding]| {
            let pixels = |finding: &&Finding| match finding.fix {
                Fix::RemoveGroups(pixels) | Fix::ClearEdge(pixels) => pixels,
                _ => 0,
            };
            findings.iter().map(pixels).max().unwrap_or(0)
        };
        let specks = |findings: &[&Finding]| {
            clean(findings, CleanOptions { specks: Some(most(findings)), ..CleanOptions::default() }, true)
        };
        let erase = |findings: &[&Finding]| {
            let areas = findings.iter().map(|finding| finding.area.map(SignedRect::from));
            let erase = areas.collect::<Option<Vec<_>>>()?;
            clean(findings, CleanOptions { erase, ..CleanOptions::default() }, true)
        };
        let key = |scope| {
            let Fix::TakeOut(color) = first.fix else { return None };
            let key = color.to_string().parse().ok();
            let is_limited = matches!(first.seen, Observation::KeyPixels { .. });
            clean(open, CleanOptions { key, key_scope: scope, ..CleanOptions::default() }, is_limited)
        };
        let one = |candidate: Option<Candidate>| Some(candidate.into_iter().collect());
        match (first.fix, number) {
            (Fix::RemoveGroups(_), 0) => one(specks(open)),
            (Fix::RemoveGroups(_), 1) => Some(per_frame(&specks)),
            (Fix::RemoveGroups(_), 2) => Some(per_frame(&erase)),
            (Fix::ClearEdge(_), 0) => {
                let clear_edge = Some(most(open));
                one(clean(open, CleanOptions { clear_edge, ..CleanOptions::default() }, false))
            }
            (Fix::HardenAlpha, 0) => {
                let harden_alpha = "128".parse().ok();
                one(clean(open, CleanOptions { harden_alpha, ..CleanOptions::default() }, true))
            }
            (Fix::TakeOut(_), 0) => one(key(None)),
            (Fix::TakeOut(_), 1) => one(key(Some(shibori_core::clean::KeyScope::Everywhere))),
            (Fix::LineUp { .. }, 0) => one(self.line_up(group)),
            (Fix::Scale(factor), 0) => one(self.scale(first, factor)),
            (Fix::Canvas(size), 0) => one(self.canvas(first, CanvasRule::Size(size))),
            // Frames that are aligned by their pivots may need more.
            (Fix::Canvas(size), 1) => one(self.larger_canvas(first, size)),
            (Fix::Fit(size), 0) => {
                let shape = ShapeOptions {
                    scale: Some(ScaleRule::Fit(size)),
                    canvas: Some(CanvasRule::Size(size)),
                    ..ShapeOptions::default()
                };
                one(self.on_frames(open, AdjustOptions { shape, ..AdjustOptions::default() }, false))
            }
            (Fix::LeaveOut | Fix::Hold(_) | Fix::Slower(_) | Fix::PlayOnce(_), 0) => one(self.clips(group)),
            _ => None,
        }
    }

    /// Options for the frames of some findings.
    fn on_frames(
        &self,
        findings: &[&Finding],
        options: AdjustOptions,
        is_limited: bool,
    ) -> Option<Candidate> {
        let set = &self.report.whole;
        let sprite = &findings.first()?.sprite;
        let mut frames: Vec<usize> = findings.iter().map(|finding| finding.frame).collect();
        frames.sort_unstable();
        frames.dedup();
        let numbers: Vec<usize> = frames.iter().filter_map(|&frame| self.number(frame)).collect();
        let only = match numbers.len() == set.frames_of(sprite).len() {
            true if set.sprites().len() == 1 => None,
            true => Some(sprite.to_string()),
            false => Some(format!("{sprite}:{}", join_numbers(&numbers))),
        };
        let mut budget: HashMap<usize, u64> = HashMap::new();
        for finding in findings {
            *budget.entry(self.number(finding.frame)?).or_default() += named_pixels(finding);
        }
        let only = FilterOption { only: only.as_deref().and_then(parsed) };
        let change = Change::Adjust(Box::new(AdjustOptions { only, ..options }));
        Some(Candidate { frames, change, own_clip: None, budget: is_limited.then_some(budget) })
    }

    /// The clip and all that share frames with it, lined up by the figure.
    fn line_up(&self, group: &FindingGroup) -> Option<Candidate> {
        let (set, finding) = (&self.report.whole, &group.findings[0]);
        let own = clip_of(set, finding)?;
        let shared = clips_sharing_frames(set, &set.extract_clip(own));
        // In the set's order, so that clips with one cause get one command.
        let is_meant = |clip: &&Clip| std::ptr::eq(*clip, &set.clips()[own]) || shared.contains(clip);
        let clips: Vec<&Clip> = set.clips().iter().filter(is_meant).collect();
        let keeps_height =
            group.findings.iter().all(|finding| finding.fix == Fix::LineUp { keeps_height: true });
        let shape = ShapeOptions {
            align: Some(AlignTo::Match),
            align_axis: keeps_height.then_some(AlignAxis::X),
            ..ShapeOptions::default()
        };
        let names: Vec<String> = clips.iter().map(|clip| clip.qualified_name()).collect();
        // In a recipe, options are those of one clip or of the whole sprite.
        let is_alone = names.len() == 1 && set.clips().len() > 1;
        let own_clip = is_alone.then(|| set.clips()[own].name().clone());
        let only = FilterOption { only: parsed(&names.join(",")) };
        let change = Change::Adjust(Box::new(AdjustOptions { only, shape, ..AdjustOptions::default() }));
        Some(Candidate { frames: group.frames(), change, own_clip, budget: None })
    }

    /// One frame scaled, on the canvas it has. Smoothing hard pixels would do more harm than the wrong size.
    fn scale(&self, finding: &Finding, factor: f64) -> Option<Candidate> {
        let frame = &self.report.set.frames()[finding.frame];
        if has_hard_edges(frame) {
            return None;
        }
        let pivot = frame.pivot();
        let at = UVec2 { x: pivot.x.floor() as u32, y: pivot.y.floor() as u32 };
        let factor: Ratio = format!("{factor:.3}").parse().ok()?;
        let shape = ShapeOptions {
            scale: Some(ScaleRule::By(factor)),
            resample: Some(Resample::Smooth),
            canvas: Some(CanvasRule::At(frame.canvas(), at)),
            ..ShapeOptions::default()
        };
        self.on_frames(&[finding], AdjustOptions { shape, ..AdjustOptions::default() }, false)
    }

    fn canvas(&self, finding: &Finding, canvas: CanvasRule) -> Option<Candidate> {
        let shape = ShapeOptions { canvas: Some(canvas), ..ShapeOptions::default() };
        let set = &self.report.whole;
        let only = match set.sprites().len() {
            1 => None,
            _ => parsed(finding.sprite.as_str()),
        };
        let only = FilterOption { only };
        let change = Change::Adjust(Box::new(AdjustOptions { only, shape, ..AdjustOptions::default() }));
        Some(Candidate { frames: vec![finding.frame], change, own_clip: None, budget: None })
    }

    /// The canvas that holds all frames by their pivots.
    fn larger_canvas(&self, finding: &Finding, size: Size) -> Option<Candidate> {
        let Change::Adjust(options) = self.canvas(finding, CanvasRule::Size(size))?.change else {
            return None;
        };
        match adjust(&Source::frames("", self.report.whole.clone()), &options, &self.cx) {
            Err(Error::Canvas(CanvasError::Cuts { needed: (size, at), .. })) => {
                self.canvas(finding, CanvasRule::At(size, at))
            }
            Err(Error::Canvas(CanvasError::TooSmall { needed, .. })) => {
                self.canvas(finding, CanvasRule::Size(needed))
            }
            _ => None,
        }
    }

    /// A finding's clip, and others that show its frames, without blank and repeated frames, no step too short, played once
    /// if it grows: all that is wrong with them.
    fn clips(&self, group: &FindingGroup) -> Option<Candidate> {
        let set = &self.report.whole;
        let about: Vec<&Finding> = group.findings.iter().chain(&group.repeats).collect();
        let mut clips: Vec<usize> = about.iter().filter_map(|finding| clip_of(set, finding)).collect();
        clips.sort_unstable();
        clips.dedup();
        let specs = clips.iter().map(|&clip| self.clip(&set.clips()[clip])).collect::<Option<Vec<_>>>()?;
        let clips = ClipOptions { clip: specs, ..ClipOptions::default() };
        let change = Change::Clip(Box::new(ClipCommand { clips, ..ClipCommand::default() }));
        Some(Candidate { frames: group.frames(), change, own_clip: None, budget: None })
    }

    fn clip(&self, clip: &Clip) -> Option<ClipSpec> {
        let set = &self.report.whole;
        let of_clip: Vec<&Finding> =
            self.report.findings.iter().filter(|other| is_about(other, clip)).collect();
        let has = |is: fn(&Fix) -> bool| of_clip.iter().any(|finding| is(&finding.fix));
        let twins: Vec<usize> = of_clip
            .iter()
            .filter(|finding| matches!(finding.fix, Fix::Hold(_)))
            .filter_map(|finding| self.in_whole(finding.frame))
            .collect();
        let leaves_out = has(|fix| *fix == Fix::LeaveOut);
        let least = FrameDuration::new(1, SCREEN_RATE).ok()?;
        let mut steps: Vec<(usize, FrameDuration)> = Vec::new();
        let mut mirrored: Vec<bool> = Vec::new();
        let mut before = None;
        for step in clip.steps() {
            if leaves_out && set.frames()[step.frame].is_blank() {
                continue;
            }
            let span = clip.span(step);
            match steps.last_mut() {
                Some(last) if twins.contains(&step.frame) && before != Some(step.frame) => {
                    last.1 = last.1.plus(span).ok()?;
                }
                _ => {
                    steps.push((step.frame, span));
                    mirrored.push(step.mirror);
                }
            }
            before = Some(step.frame);
        }
        if has(|fix| matches!(fix, Fix::Slower(_))) {
            for (_, span) in &mut steps {
                *span = if span.millis() < least.millis() { least } else { *span };
            }
        }
        let plays = if has(|fix| matches!(fix, Fix::PlayOnce(_))) { 1 } else { clip.plays() };
        let new = Clip::from_durations(clip.sprite().clone(), clip.name().clone(), &steps).ok()?;
        ClipSpec::for_clip(set, &new.playing(clip.play(), plays).mirrored_where(|step| mirrored[step]))
    }

    /// The candidates that keep their promise, tried one after another on the sprite of a group.
    fn tried(&mut self, group: &FindingGroup, candidates: Vec<Candidate>) -> Vec<Candidate> {
        let sprite = &group.findings[0].sprite;
        if candidates.is_empty() {
            return Vec::new();
        }
        if !self.sprites.contains_key(sprite) {
            let set = self.report.whole.subset(self.report.whole.frames_of(sprite));
            let wrong = self.wrong_in(&set);
            self.sprites.insert(sprite.clone(), Trial { set, wrong });
        }
        let trial = &self.sprites[sprite];
        let mut set = trial.set.clone();
        let mut kept = Vec::new();
        for candidate in candidates {
            let Some(changed) = self.run(&candidate, &set) else { continue };
            let numbers: Vec<usize> =
                candidate.frames.iter().filter_map(|&frame| self.number(frame)).collect();
            if keeps_to(&candidate, &numbers, &set, &changed) {
                set = changed;
                kept.push(candidate);
            }
        }
        if kept.is_empty() {
            return kept;
        }
        let after = check_set(&set, &self.report.options.limits());
        let is_new = |finding: &&Finding| !trial.wrong.contains(&key_of(finding));
        let worse: Vec<&Finding> = self.disallowed(&set, &after).filter(is_new).collect();
        let open: HashSet<Key> = after.iter().map(key_of).collect();
        kept.retain(|candidate| {
            let is_of = |finding: &&Finding| candidate.frames.contains(&finding.frame);
            let is_open = |finding: &Finding| {
                let number = self.number(finding.frame).unwrap_or(usize::MAX);
                open.contains(&(finding.rule.id(), number, finding.clip.clone()))
            };
            let is_left = group.findings.iter().chain(&group.repeats).filter(is_of).any(is_open);
            !is_left && worse.is_empty()
        });
        kept
    }

    /// The frames with a change; `None` if it can't be done.
    fn run(&self, candidate: &Candidate, set: &FrameSet) -> Option<FrameSet> {
        if let Destination::Recipe(sprite) = self.destination {
            return candidate.in_recipe(sprite?)?.0.frames().ok();
        }
        match &candidate.change {
            Change::Adjust(options) => {
                Some(adjust(&Source::frames("", set.clone()), options, &self.cx).ok()?.set)
            }
            Change::Clip(options) => edit_clips(set.clone(), options, &self.cx).ok(),
        }
    }

    fn wrong_in(&self, set: &FrameSet) -> HashSet<Key> {
        let findings = check_set(set, &self.report.options.limits());
        self.disallowed(set, &findings).map(key_of).collect()
    }

    /// Findings that are surely wrong and not allowed.
    fn disallowed<'f>(
        &self,
        set: &'f FrameSet,
        findings: &'f [Finding],
    ) -> impl Iterator<Item = &'f Finding> {
        let options = self.report.options.clone();
        findings.iter().filter(move |finding| {
            let clip = finding.clip.as_ref().map(Name::as_str);
            let (sprite, frame) = (finding.sprite.as_str(), set.frames()[finding.frame].name().as_str());
            finding.level() == Severity::Wrong && !options.allows(finding.rule, sprite, frame, clip)
        })
    }

    /// A candidate in the words of its destination.
    fn remedy(&mut self, candidate: Candidate) -> Option<Remedy> {
        if let Destination::Recipe(sprite) = self.destination {
            let (_, recipe) = candidate.in_recipe(sprite?)?;
            return Some(Remedy { frames: candidate.frames, commands: Vec::new(), recipe });
        }
        let path = self.report.source.clone();
        let is_set = folder_of_set(&path, &self.cx).is_ok();
        let keeps_clips = manifest_of(&self.cx.resolve(&path)).is_some();
        let (mut commands, folder) = match &candidate.change {
            _ if is_set => (Vec::new(), path),
            Change::Clip(_) if keeps_clips => (Vec::new(), path),
            _ => self.as_set()?,
        };
        commands.push(match candidate.change {
            Change::Adjust(options) => {
                CommandLine::Adjust { source: folder, options, target: AdjustTarget::InPlace }
            }
            Change::Clip(options) => CommandLine::Clip { manifest: folder, options },
        });
        Some(Remedy { frames: candidate.frames, commands, recipe: Vec::new() })
    }

    /// How the source becomes a set, whose images and clips can be changed, and the set's folder.
    fn as_set(&mut self) -> Option<(Vec<CommandLine>, PathBuf)> {
        if self.as_set.is_none() {
            self.as_set = Some(self.make_set());
        }
        self.as_set.clone().flatten()
    }

    fn make_set(&self) -> Option<(Vec<CommandLine>, PathBuf)> {
        let source = self.report.source.clone();
        if source == Path::new("-") {
            return None;
        }
        let stem = source.file_stem()?.to_string_lossy().into_owned();
        let output = PathBuf::from(format!("{stem}-fixed"));
        if manifest_of(&self.cx.resolve(&source)).is_some() {
            return Some((vec![CommandLine::Unpack { manifest: source, output: output.clone() }], output));
        }
        // An image is checked as one frame.
        let is_single = self.report.whole.frames().len() == 1 && self.cx.resolve(&source).is_file();
        let grid = is_single.then(|| "1x1".parse().ok()).flatten();
        let cut = CutOptions { grid, ..CutOptions::default() };
        let options = SliceOptions { cut, ..SliceOptions::default() };
        let sliced = slice(&[source.clone().into()], &options, &self.cx).ok()?.set;
        let same =
            |(a, b): (&Frame, &Frame)| a.sprite() == b.sprite() && a.pixels().is_same_image(b.pixels());
        let whole = &self.report.whole;
        let is_same = sliced.frames().len() == whole.frames().len()
            && sliced.frames().iter().zip(whole.frames()).all(same);
        let options = Box::new(options);
        let command = CommandLine::Slice { source, options, output: Some(output.clone()) };
        is_same.then(|| (vec![command], output))
    }

    /// A frame of the report's set, in the source.
    fn in_whole(&self, frame: usize) -> Option<usize> {
        let frame = &self.report.set.frames()[frame];
        let all = self.report.whole.frames_of(frame.sprite());
        all.iter().copied().find(|&at| self.report.whole.frames()[at].name() == frame.name())
    }

    /// Its number within its sprite.
    fn number(&self, frame: usize) -> Option<usize> {
        Some(self.report.whole.number_in_sprite(self.in_whole(frame)?))
    }
}

/// Whether a change did no more than a candidate says: only its frames changed, within their budget, and without one none
/// is empty now.
fn keeps_to(candidate: &Candidate, numbers: &[usize], before: &FrameSet, after: &FrameSet) -> bool {
    if before.frames().len() != after.frames().len() {
        return false;
    }
    let is_same = |a: &Frame, b: &Frame| {
        a.canvas() == b.canvas()
            && a.inset() == b.inset()
            && a.pivot() == b.pivot()
            && a.pixels().is_same_image(b.pixels())
    };
    before.frames().iter().zip(after.frames()).enumerate().all(|(number, (a, b))| {
        let is_free = candidate.budget.is_none() && (numbers.contains(&number) || candidate.is_of_all());
        let budget = candidate.budget.as_ref().and_then(|budget| budget.get(&number));
        match budget {
            Some(&budget) => {
                a.canvas() == b.canvas() && a.pivot() == b.pivot() && changed_pixels(a, b) <= budget
            }
            None if is_free => a.is_blank() || !b.is_blank(),
            None => is_same(a, b),
        }
    })
}

fn changed_pixels(before: &Frame, after: &Frame) -> u64 {
    let (before, after) = (before.full_image(), after.full_image());
    let pairs = before.rows().zip(after.rows());
    let differs = |(a, b): (&[u8], &[u8])| {
        a.chunks_exact(4).zip(b.chunks_exact(4)).filter(|(a, b)| a != b && (a[3] > 0 || b[3] > 0)).count()
    };
    pairs.map(differs).sum::<usize>() as u64
}

/// How many pixels a finding is about.
fn named_pixels(finding: &Finding) -> u64 {
    match finding.seen {
        Observation::Neighbor { area, .. }
        | Observation::Stray { area, .. }
        | Observation::Forgotten { area } => area.into(),
        Observation::Soft { pixels } => pixels,
        Observation::KeyPixels { pixels, .. } => pixels.into(),
        _ => 0,
    }
}

fn key_of(finding: &Finding) -> Key {
    (finding.rule.id(), finding.frame, finding.clip.clone())
}

fn clip_of(set: &FrameSet, finding: &Finding) -> Option<usize> {
    let mut clips = set.clips().iter();
    clips.position(|clip| Some(clip.name()) == finding.clip.as_ref() && clip.sprite() == &finding.sprite)
}

fn is_about(finding: &Finding, clip: &Clip) -> bool {
    let is_of_clip = matches!(finding.fix, Fix::LeaveOut | Fix::Hold(_) | Fix::Slower(_) | Fix::PlayOnce(_));
    is_of_clip && finding.clip.as_ref() == Some(clip.name()) && finding.sprite == *clip.sprite()
}

fn has_hard_edges(frame: &Frame) -> bool {
    frame.pixels().rows().flat_map(|row| row.chunks_exact(4)).all(|pixel| matches!(pixel[3], 0 | 255))
}

fn parsed(text: &str) -> Option<FrameFilter> {
    text.parse().ok()
}

/// `1,4-7`.
fn join_numbers(numbers: &[usize]) -> String {
    let mut texts = Vec::new();
    for run in numbers.chunk_by(|a, b| a + 1 == *b) {
        match run {
            [first, .., last] if run.len() > 2 => texts.push(format!("{first}-{last}")),
            run => texts.extend(run.iter().map(ToString::to_string)),
        }
    }
    texts.join(",")
}

/// The options by which a sheet was cut, read off the frames that came from it; `None` if its cells are not even.
fn cut_of(set: &FrameSet, file: &str) -> Option<CutOptions> {
    let cells: Vec<_> = set
        .frames()
        .iter()
        .filter_map(Frame::source)
        .filter(|source: &&FrameSource| source.file == file)
        .filter_map(|source| Some((source.cell?, source.rect?)))
        .collect();
    let &(first, rect) = cells.first()?;
    let size = rect.size();
    // From cell to cell, as far as two of them show it.
    let pitch = |at: fn(&(shibori_core::Cell, shibori_core::Rect)) -> (u32, u32), least: u32| {
        let (number, start) = at(&cells[0]);
        let other = cells.iter().map(at).find(|(other, _)| *other > number);
        other.map_or(Some(least), |(other, place)| Some((place.checked_sub(start)?) / (other - number)))
    };
    let across = pitch(|(cell, rect)| (cell.column, rect.x), size.width)?;
    let down = pitch(|(cell, rect)| (cell.row, rect.y), size.height)?;
    let offset = UVec2 {
        x: rect.x.checked_sub(first.column.checked_mul(across)?)?,
        y: rect.y.checked_sub(first.row.checked_mul(down)?)?,
    };
    let gutter = UVec2 { x: across.checked_sub(size.width)?, y: down.checked_sub(size.height)? };
    let is_even = cells.iter().all(|(cell, rect)| {
        let (x, y) = (offset.x + cell.column * across, offset.y + cell.row * down);
        *rect == shibori_core::Rect::at(x, y, size)
    });
    let columns = cells.iter().map(|(cell, _)| cell.column).max()? + 1;
    let rows = cells.iter().map(|(cell, _)| cell.row).max()? + 1;
    let unless_zero = |pair: UVec2| (pair != UVec2::default()).then_some(pair);
    is_even.then(|| CutOptions {
        grid: format!("{columns}x{rows}").parse().ok(),
        cell: Some(size),
        offset: unless_zero(offset),
        gutter: unless_zero(gutter),
        ..CutOptions::default()
    })
}

/// Where a sheet is that a manifest knows by its name only: here, next to the set or the folder it is in, or in a folder
/// of this one.
fn nearby(file: &str, set: &Path, here: &Path) -> Option<PathBuf> {
    let around = set.ancestors().skip(1).take(2).map(|folder| folder.join(file));
    let folders = subfolders(here).into_iter().map(|folder| folder.join(file));
    let mut places = [PathBuf::from(file)].into_iter().chain(around).chain(folders);
    places.find(|path| here.join(path).is_file())
}
