//! What is wrong with what a recipe makes, found without writing anything: what will look wrong in the game, sprite by sprite, and what the
//! recipe expects and does not get.

use std::fmt;

use shibori_core::clip::Clip;
use shibori_core::pack::RowName;
use shibori_core::wording::{abbreviate_list, count_noun};
use shibori_core::{FrameSet, parallel};
use shibori_formats::decode::ReadOptions;
use shibori_formats::store::Policy;

use crate::build::execution::make_frames;
use crate::build::graph::{Target, TargetKind};
use crate::build::recipe_sprite::RecipeSprite;
use crate::build::run::TaggedObserver;
use crate::build::{Build, BuildObserver};
use crate::options::{CheckOptions, RecipeRule};
use crate::recipe::{AtlasRecipe, Located, Location};
use crate::steps::{CheckReport, check, pack};
use crate::{Context, Error, NoopObserver, Source};

/// Something that is not as the recipe expects.
#[derive(Clone, Debug)]
pub struct RecipeFinding {
    /// What is wrong.
    pub rule: RecipeRule,
    /// The sprite, or the atlas; none where it is about all of them.
    pub of: Option<String>,
    /// What was seen.
    pub seen: RecipeObservation,
    /// Where the recipe expects it.
    pub mark: Option<Location>,
}

/// What was seen instead of what is expected.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum RecipeObservation {
    /// A clip is not there.
    NoClip {
        /// Its name.
        clip: String,
        /// Those there are.
        known: Vec<String>,
    },
    /// Clips have not as many steps as each other: each with how many.
    Steps(Vec<(String, usize)>),
    /// Frames that no clip shows.
    Unused(Vec<String>),
    /// An atlas has so many pages, and may have so many.
    Pages(usize, usize),
}

impl fmt::Display for RecipeObservation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoClip { clip, .. } => write!(f, "there is no clip '{clip}'"),
            Self::Steps(counts) => {
                let counts: Vec<String> =
                    counts.iter().map(|(clip, steps)| format!("{clip} {steps}")).collect();
                write!(f, "step counts differ: {}", counts.join(", "))
            }
            Self::Unused(frames) => {
                write!(f, "{} in no clip: {}", count_noun(frames.len(), "frame"), abbreviate_list(frames))
            }
            Self::Pages(pages, limit) => {
                write!(f, "{}, and only {limit} allowed", count_noun(*pages, "page"))
            }
        }
    }
}

impl Build {
    /// Whether what is only worth a look counts as wrong, too.
    pub fn is_strict(&self) -> bool {
        self.graph.recipe.check.options.strict.is_on()
    }

    /// Checks all sprites and atlases. `hear` gets what looks wrong in the frames of each sprite, in order; the rest is what is
    /// not as expected, and how many findings are allowed. Frames are held only while their sprite is checked.
    ///
    /// # Errors
    /// If a sprite can't be made, or an atlas can't be packed.
    pub fn check(
        &self,
        observer: &dyn BuildObserver,
        mut hear: impl FnMut(&CheckReport, &RecipeSprite),
    ) -> Result<(Vec<RecipeFinding>, usize), Error> {
        let limits = self.run.limits();
        let (mut found, mut allowed, mut clips) = (Vec::new(), 0, Vec::new());
        let figures: Vec<usize> = (0..self.graph.figures.len()).collect();
        for some in figures.chunks(parallel::threads().max(1)) {
            let checked = parallel::map_slice(some, |&figure| self.check_figure(figure, &limits, observer));
            for (one, &figure) in checked.into_iter().zip(some) {
                let (one, own) = match one {
                    // Alone, it has all the room there is.
                    Err(error) if error.is_memory() => self.check_figure(figure, &limits, observer)?,
                    one => one?,
                };
                let options = &self.graph.sprite(figure).check.options;
                let (without, own): (Vec<_>, Vec<_>) =
                    own.into_iter().partition(|one| is_allowed(options, one));
                allowed += one.allowed + without.len();
                found.extend(own);
                clips.push(one.set.clips().to_vec());
                hear(&one, &RecipeSprite::new(&self.graph, figure));
            }
        }
        let everything: Vec<&[Clip]> = clips.iter().map(Vec::as_slice).collect();
        let mut own = self.missing(&self.graph.recipe.check.clips, &everything, None);
        for at in 0..self.graph.recipe.atlases.len() {
            let used: Vec<&[Clip]> =
                self.figures_in(at).into_iter().map(|figure| &clips[figure][..]).collect();
            own.extend(self.missing_rows(at, &used));
            own.extend(self.too_many_pages(at, &limits, observer)?);
        }
        let options = &self.graph.recipe.check.options;
        let (without, own): (Vec<_>, Vec<_>) = own.into_iter().partition(|one| is_allowed(options, one));
        allowed += without.len();
        found.extend(own);
        found.sort_by_key(|one| one.rule);
        Ok((found, allowed))
    }

    fn check_figure(
        &self,
        figure: usize,
        limits: &ReadOptions,
        observer: &dyn BuildObserver,
    ) -> Result<(CheckReport, Vec<RecipeFinding>), Error> {
        let (set, expected) = (self.frames_of(figure, limits, observer)?, &self.graph.sprite(figure).check);
        let name = self.graph.figures[figure].name.as_str();
        let mut own = self.missing(&expected.clips, &[set.clips()], Some(name));
        own.extend(unused_frames(&set, name));
        own.extend(self.unequal_clips(&set, name));
        let checked = check(&[Source::frames(name, set)], &expected.options, &Context::new(&NoopObserver))?;
        Ok((checked.into_iter().next().ok_or(Error::NoFrames)?, own))
    }

    fn frames_of(
        &self,
        figure: usize,
        limits: &ReadOptions,
        observer: &dyn BuildObserver,
    ) -> Result<FrameSet, Error> {
        let figure = &self.graph.figures[figure];
        let tagged = TaggedObserver { observer, name: figure.name.as_str() };
        make_frames(&self.graph, figure, &self.context(&tagged, Policy::default(), limits))
    }

    fn too_many_pages(
        &self,
        atlas: usize,
        limits: &ReadOptions,
        observer: &dyn BuildObserver,
    ) -> Result<Option<RecipeFinding>, Error> {
        let Some(Located { value: limit, span }) = &self.graph.recipe.check.pages else { return Ok(None) };
        let AtlasRecipe { name, options, .. } = self.graph.atlas(atlas);
        let used =
            self.figures_in(atlas).into_iter().map(|figure| self.frames_of(figure, limits, &NoopObserver));
        let set = FrameSet::merge(used.collect::<Result<Vec<_>, _>>()?)?;
        let tagged = TaggedObserver { observer, name: &name.value };
        let cx = self.context(&tagged, Policy::default(), limits);
        let packed = pack(&[Source::frames(name.value.clone(), set)], options, &cx)?;
        let pages = packed.atlases.iter().map(|atlas| atlas.pages().len()).max().unwrap_or(0);
        Ok((pages > *limit).then(|| RecipeFinding {
            rule: RecipeRule::TooManyPages,
            of: Some(name.value.clone()),
            seen: RecipeObservation::Pages(pages, *limit),
            mark: Some(self.graph.recipe.text.mark(span)),
        }))
    }

    fn figures_in(&self, atlas: usize) -> Vec<usize> {
        let is_it =
            |target: &Target| matches!(&target.kind, TargetKind::Atlas { atlas: at, .. } if *at == atlas);
        let step = self.graph.steps.iter().position(is_it);
        step.map(|step| self.graph.figures_of(step)).unwrap_or_default()
    }

    /// Clips that are expected and not in any of the sets.
    fn missing(
        &self,
        expected: &[Located<String>],
        clips: &[&[Clip]],
        of: Option<&str>,
    ) -> Vec<RecipeFinding> {
        let is_there = |name: &str| clips.iter().any(|of| of.iter().any(|clip| clip.is_meant(name)));
        let missing = expected.iter().filter(|name| !is_there(&name.value));
        let known = || {
            clips.iter().flat_map(|of| of.iter()).map(|clip| match of {
                Some(_) => clip.name().to_string(),
                None => clip.qualified_name(),
            })
        };
        let finding = |name: &Located<String>| RecipeFinding {
            rule: RecipeRule::MissingClip,
            of: of.map(str::to_owned),
            seen: RecipeObservation::NoClip { clip: name.value.clone(), known: known().collect() },
            mark: Some(self.graph.recipe.text.mark(&name.span)),
        };
        missing.map(finding).collect()
    }

    /// Rows of an atlas that are named after no clip.
    fn missing_rows(&self, atlas: usize, used: &[&[Clip]]) -> Vec<RecipeFinding> {
        let atlas = self.graph.atlas(atlas);
        let rows = atlas.options.arrange.row_order.as_ref().map(|order| order.0.clone()).unwrap_or_default();
        let own: Vec<String> = atlas.options.clips.clip.iter().map(|clip| clip.name().to_string()).collect();
        let mut found = Vec::new();
        for row in rows {
            let RowName::Clip { sprite, name } = row else { continue };
            let text = sprite.map_or_else(|| name.to_string(), |sprite| format!("{sprite}:{name}"));
            let is_there = used.iter().any(|of| of.iter().any(|clip| clip.is_meant(&text)))
                || own.contains(&name.to_string());
            if !is_there {
                let known = used.iter().flat_map(|of| of.iter()).map(Clip::qualified_name).collect();
                found.push(RecipeFinding {
                    rule: RecipeRule::MissingClip,
                    of: Some(atlas.name.value.clone()),
                    seen: RecipeObservation::NoClip { clip: text, known },
                    mark: Some(self.graph.recipe.text.mark(&atlas.name.span)),
                });
            }
        }
        found
    }

    /// Clips of one sprite that must have as many steps as each other and have not.
    fn unequal_clips(&self, set: &FrameSet, of: &str) -> Vec<RecipeFinding> {
        let mut found = Vec::new();
        for names in &self.graph.recipe.check.equal {
            let steps = |name: &Located<String>| {
                let at = *set.find_clips(&name.value).first()?;
                Some((name.value.clone(), set.clips()[at].steps().len()))
            };
            let counts: Vec<(String, usize)> = names.iter().filter_map(steps).collect();
            if counts.windows(2).any(|pair| pair[0].1 != pair[1].1) {
                found.push(RecipeFinding {
                    rule: RecipeRule::UnequalClips,
                    of: Some(of.to_owned()),
                    seen: RecipeObservation::Steps(counts),
                    mark: names.first().map(|name| self.graph.recipe.text.mark(&name.span)),
                });
            }
        }
        found
    }
}

/// Frames that no clip shows, of sprites that have clips.
fn unused_frames(set: &FrameSet, of: &str) -> Option<RecipeFinding> {
    if set.clips().is_empty() {
        return None;
    }
    let is_unused = |at: &usize| set.first_clip_of(*at).is_none();
    let names: Vec<String> =
        (0..set.frames().len()).filter(is_unused).map(|at| set.frames()[at].name().to_string()).collect();
    let seen = RecipeObservation::Unused(names.clone());
    (!names.is_empty()).then(|| RecipeFinding {
        rule: RecipeRule::UnusedFrame,
        of: Some(of.to_owned()),
        seen,
        mark: None,
    })
}

/// Whether a finding is allowed; of unused frames all must be.
fn is_allowed(options: &CheckOptions, found: &RecipeFinding) -> bool {
    let of = found.of.as_deref().unwrap_or_default();
    let allows = |name: Option<&str>| options.allows_in_recipe(found.rule, of, name);
    match &found.seen {
        RecipeObservation::NoClip { clip, .. } => allows(Some(clip)),
        RecipeObservation::Steps(counts) => counts.iter().any(|(clip, _)| allows(Some(clip))),
        RecipeObservation::Unused(frames) => frames.iter().all(|frame| allows(Some(frame))),
        RecipeObservation::Pages(..) => allows(None),
    }
}
