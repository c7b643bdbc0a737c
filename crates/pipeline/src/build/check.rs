//! What is wrong with what a recipe makes, found without writing anything: what will look wrong in the game, sprite by sprite, and what the
//! recipe expects and does not get.

use std::path::Path;

use shibori_core::FrameSet;
use shibori_core::clip::Clip;
use shibori_core::pack::RowName;

use crate::build::make::frames;
use crate::build::run::Hearing;
use crate::build::{Audience, Build};
use crate::options::{CheckOptions, PackOptions, RecipeRule};
use crate::recipe::{Located, Mark};
use crate::steps::{Checked, checked, pack_set};
use crate::{Context, Error};

/// Something that is not as the recipe expects.
#[derive(Clone, Debug)]
pub struct RecipeFinding {
    /// What is wrong.
    pub rule: RecipeRule,
    /// The sprite, or the atlas; none where it is about all of them.
    pub of: Option<String>,
    /// What was seen.
    pub seen: Seen,
    /// Where the recipe expects it.
    pub mark: Option<Mark>,
}

/// What was seen instead of what is expected.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Seen {
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

impl Build {
    /// Whether what is only worth a look counts as wrong, too.
    pub fn is_strict(&self) -> bool {
        self.graph.recipe.check.options.strict.is_on()
    }

    /// Checks all sprites and atlases; gives what looks wrong in frames, what is not as expected, and how many findings are allowed.
    ///
    /// # Errors
    /// Where a sprite can't be made, or an atlas can't be packed.
    pub fn check(&self, audience: &dyn Audience) -> Result<(Vec<Checked>, Vec<RecipeFinding>, usize), Error> {
        let hearing = Hearing { audience, name: "" };
        let mut cx = Context::new(&hearing).within(self.run.limits());
        cx.base.clone_from(&self.graph.base);
        let (mut all, mut found, mut allowed) = (Vec::new(), Vec::new(), 0);
        let mut sets = Vec::new();
        for (at, figure) in self.graph.figures.iter().enumerate() {
            let hearing = Hearing { audience, name: figure.name.as_str() };
            let mut cx = Context::new(&hearing).within(cx.limits().clone());
            cx.base.clone_from(&self.graph.base);
            let set = frames(&self.graph, figure, &cx)?;
            let expected = &self.graph.sprite(at).check;
            let part = expected.options.only.of(set.clone())?;
            let one = checked(part, Path::new(figure.name.as_str()), &expected.options);
            allowed += one.allowed;
            all.push(one);
            let mut own: Vec<RecipeFinding> = Vec::new();
            own.extend(self.missing(&expected.clips, &[&set], Some(figure.name.as_str())));
            own.extend(unused(&set, figure.name.as_str()));
            own.extend(self.unequal(&set, figure.name.as_str()));
            let before = own.len();
            own.retain(|one| !is_allowed(&expected.options, one));
            allowed += before - own.len();
            found.extend(own);
            sets.push(set);
        }
        let mut own: Vec<RecipeFinding> = Vec::new();
        let everything: Vec<&FrameSet> = sets.iter().collect();
        own.extend(self.missing(&self.graph.recipe.check.clips, &everything, None));
        for (at, atlas) in self.graph.recipe.atlases.iter().enumerate() {
            let used: Vec<FrameSet> =
                self.figures_in(at).into_iter().map(|figure| sets[figure].clone()).collect();
            own.extend(self.missing_rows(at, &used));
            if let Some(Located { value: limit, span }) = &self.graph.recipe.check.pages {
                let options = PackOptions { ..atlas.options.clone() };
                let packed = pack_set(options.only.of(FrameSet::merge(used)?)?, &options, &cx)?;
                let pages = packed.atlases.iter().map(|atlas| atlas.pages().len()).max().unwrap_or(0);
                if pages > *limit {
                    own.push(RecipeFinding {
                        rule: RecipeRule::TooManyPages,
                        of: Some(atlas.name.value.clone()),
                        seen: Seen::Pages(pages, *limit),
                        mark: Some(self.graph.recipe.text.mark(span)),
                    });
                }
            }
        }
        let before = own.len();
        own.retain(|one| !is_allowed(&self.graph.recipe.check.options, one));
        allowed += before - own.len();
        found.extend(own);
        found.sort_by_key(|one| one.rule);
        Ok((all, found, allowed))
    }

    fn figures_in(&self, atlas: usize) -> Vec<usize> {
        let is_it = |step: &crate::build::graph::Step| matches!(&step.kind, crate::build::graph::Kind::Atlas { atlas: at, .. } if *at == atlas);
        let step = self.graph.steps.iter().position(is_it);
        step.map(|step| self.graph.figures_of(step)).unwrap_or_default()
    }

    /// Clips that are expected and not in any of the sets.
    fn missing(
        &self,
        expected: &[Located<String>],
        sets: &[&FrameSet],
        of: Option<&str>,
    ) -> Vec<RecipeFinding> {
        let is_there = |name: &str| sets.iter().any(|set| !set.clips_called(name).is_empty());
        let missing = expected.iter().filter(|name| !is_there(&name.value));
        let known = || {
            sets.iter().flat_map(|set| set.clips()).map(|clip| match of {
                Some(_) => clip.name().to_string(),
                None => clip.whole_name(),
            })
        };
        let finding = |name: &Located<String>| RecipeFinding {
            rule: RecipeRule::MissingClip,
            of: of.map(str::to_owned),
            seen: Seen::NoClip { clip: name.value.clone(), known: known().collect() },
            mark: Some(self.graph.recipe.text.mark(&name.span)),
        };
        missing.map(finding).collect()
    }

    /// Rows of an atlas that are named after no clip.
    fn missing_rows(&self, atlas: usize, used: &[FrameSet]) -> Vec<RecipeFinding> {
        let atlas = self.graph.atlas(atlas);
        let rows =
            atlas.options.arrange.row_order.as_ref().map(|order| order.rows().to_vec()).unwrap_or_default();
        let own: Vec<String> = atlas.options.clips.clip.iter().map(|clip| clip.name().to_string()).collect();
        let mut found = Vec::new();
        for row in rows {
            let RowName::Clip { sprite, name } = row else { continue };
            let text = sprite.map_or_else(|| name.to_string(), |sprite| format!("{sprite}:{name}"));
            let is_there =
                used.iter().any(|set| !set.clips_called(&text).is_empty()) || own.contains(&name.to_string());
            if !is_there {
                let known = used.iter().flat_map(FrameSet::clips).map(Clip::whole_name).collect();
                found.push(RecipeFinding {
                    rule: RecipeRule::MissingClip,
                    of: Some(atlas.name.value.clone()),
                    seen: Seen::NoClip { clip: text, known },
                    mark: Some(self.graph.recipe.text.mark(&atlas.name.span)),
                });
            }
        }
        found
    }

    /// Clips of one sprite that must have as many steps as each other and have not.
    fn unequal(&self, set: &FrameSet, of: &str) -> Vec<RecipeFinding> {
        let mut found = Vec::new();
        for names in &self.graph.recipe.check.equal {
            let steps = |name: &Located<String>| {
                let at = *set.clips_called(&name.value).first()?;
                Some((name.value.clone(), set.clips()[at].steps().len()))
            };
            let counts: Vec<(String, usize)> = names.iter().filter_map(steps).collect();
            if counts.windows(2).any(|pair| pair[0].1 != pair[1].1) {
                found.push(RecipeFinding {
                    rule: RecipeRule::UnequalClips,
                    of: Some(of.to_owned()),
                    seen: Seen::Steps(counts),
                    mark: names.first().map(|name| self.graph.recipe.text.mark(&name.span)),
                });
            }
        }
        found
    }
}

/// Frames that no clip shows, of sprites that have clips.
fn unused(set: &FrameSet, of: &str) -> Option<RecipeFinding> {
    if set.clips().is_empty() {
        return None;
    }
    let is_unused = |at: &usize| set.first_clip_of(*at).is_none();
    let names: Vec<String> =
        (0..set.frames().len()).filter(is_unused).map(|at| set.frames()[at].name().to_string()).collect();
    let seen = Seen::Unused(names.clone());
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
        Seen::NoClip { clip, .. } => allows(Some(clip)),
        Seen::Steps(counts) => counts.iter().any(|(clip, _)| allows(Some(clip))),
        Seen::Unused(frames) => frames.iter().all(|frame| allows(Some(frame))),
        Seen::Pages(..) => allows(None),
    }
}
