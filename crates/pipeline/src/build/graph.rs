//! What a recipe makes, and of what: steps with their inputs, their first output, and the steps they wait for. Everything
//! that can be wrong before a pixel is read is found here.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::Name;
use shibori_formats::decode::manifest_images;
use shibori_formats::encode::atlas_stem;
use shibori_formats::export::{BUILTIN_TEMPLATES, csv_steps_beside};
use shibori_formats::manifest::SET_FILE;
use shibori_formats::store::{file_key, outputs_of_recipe};

use crate::build::producers::Producers;
use crate::build::sources::{
    IN_NAMES, SourceMatch, expand, files_of, is_pattern, match_path, normalize, plain_part, slashed,
    unescape, wildcard_match,
};
use crate::paths::normal;
use crate::recipe::{
    AtlasRecipe, FrameRecipe, Located, Recipe, RecipeError, RecipeErrorKind, Span, SpriteRecipe, closest_name,
};
use crate::steps::View;
use crate::steps::starter;

/// What a recipe makes, and of what.
#[derive(Debug)]
pub struct Graph {
    /// The recipe.
    pub recipe: Recipe,
    /// Its folder, in which all paths begin.
    pub base: PathBuf,
    /// Sprites, each of one name.
    pub(super) figures: Vec<ResolvedSprite>,
    /// Everything that is written, in an order in which each comes after what it waits for.
    pub(super) steps: Vec<Target>,
}

/// A sprite of one name.
#[derive(Debug)]
pub(super) struct ResolvedSprite {
    pub(super) name: Name,
    /// The sprite of the recipe.
    pub(super) sprite: usize,
    /// The files of each part, of the whole sprite.
    pub(super) parts: Vec<Vec<PathBuf>>,
    /// Every file that is read.
    pub(super) inputs: Vec<PathBuf>,
    /// Steps whose outputs are its sources.
    pub(super) needs: Vec<usize>,
}

/// Something that is written.
#[derive(Debug)]
pub(super) struct Target {
    /// `atlas.pond`, `sprite.koi`, `export.pond.glb`, `preview.pond.html`.
    pub(super) name: String,
    pub(super) kind: TargetKind,
    /// Every file that is read, apart from outputs of other steps.
    pub(super) inputs: Vec<PathBuf>,
    /// Steps whose outputs are read.
    pub(super) needs: Vec<usize>,
    /// The step with which it is put in place together, which may be itself.
    pub(super) root: usize,
    /// The output that is always there, from the recipe's folder: an atlas's without extension, a set's folder.
    pub(super) target: PathBuf,
    pub(super) span: Span,
}

impl Target {
    /// The figures that it packs.
    pub(super) fn packed(&self) -> &[usize] {
        match &self.kind {
            TargetKind::Atlas { figures, .. } => figures,
            _ => &[],
        }
    }
}

/// What a step does.
#[derive(Clone, Debug)]
pub(super) enum TargetKind {
    /// Writes the frames of a figure as a set, or a manifest beside them.
    Set { figure: usize },
    /// Packs figures.
    Atlas { atlas: usize, figures: Vec<usize> },
    /// Tells an atlas or a set in another form.
    Export { of: TargetSource, at: usize },
    /// Draws an atlas or a figure.
    Preview { of: TargetSource, at: usize, before: Option<usize> },
}

/// What an export or a preview is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum TargetSource {
    /// An atlas of the recipe.
    Atlas(usize),
    /// A figure.
    Sprite(usize),
}

/// A sprite's name, and the files of each of its parts.
type Named = (String, Vec<Vec<PathBuf>>);

impl Graph {
    /// Finds all sources of a recipe, and what is made of them.
    ///
    /// # Errors
    /// If a source is not there, two outputs have one name, steps wait for each other, and the like.
    pub fn of(recipe: Recipe) -> Result<Self, RecipeError> {
        let base = recipe.text.file().parent().unwrap_or(Path::new("")).to_owned();
        let mut graph = Self { recipe, base, figures: Vec::new(), steps: Vec::new() };
        let mut producers = Producers::of(&graph);
        graph.find_figures(&mut producers)?;
        graph.spread_atlases()?;
        graph.find_steps()?;
        graph.link_producers(&producers)?;
        graph.reject_duplicate_outputs()?;
        graph.reject_outputs_in_sources(&producers)?;
        graph.reject_cycles()?;
        Ok(graph)
    }

    /// The folder of all outputs.
    pub(super) fn out(&self) -> PathBuf {
        normalize(&self.recipe.out.value)
    }

    pub(super) fn sprite(&self, figure: usize) -> &SpriteRecipe {
        &self.recipe.sprites[self.figures[figure].sprite]
    }

    pub(super) fn atlas(&self, atlas: usize) -> &AtlasRecipe {
        &self.recipe.atlases[atlas]
    }

    pub(super) fn atlas_target(&self, atlas: &AtlasRecipe) -> PathBuf {
        let path = self.out().join(&atlas.file.value);
        let stem = atlas_stem(&path).unwrap_or_else(|| atlas.name.value.clone());
        normal(&path.with_file_name(stem))
    }

    fn find_figures(&mut self, producers: &mut Producers) -> Result<(), RecipeError> {
        let mut taken: HashMap<String, usize> = HashMap::new();
        let mut figures = Vec::new();
        let mut left: Vec<usize> = (0..self.recipe.sprites.len()).collect();
        while !left.is_empty() {
            // A sprite that may read sets of others comes after them: only then are their names known.
            let waits = |&at: &usize| left.iter().any(|&other| other != at && self.may_read(at, other));
            let next = left.iter().position(|at| !waits(at)).unwrap_or(0);
            let at = left.remove(next);
            let sprite = &self.recipe.sprites[at];
            let has_own = |name: &str| {
                let own = |other: &SpriteRecipe| other.pattern.as_ref() == Some(&sprite.name.value);
                self.recipe.sprites.iter().any(|other| own(other) && other.name.value == name)
            };
            for (name, parts) in self.named_parts(sprite, producers)? {
                if sprite.pattern.is_none() && has_own(&name) {
                    continue;
                }
                let wrong = |fault: RecipeErrorKind| self.recipe.error_at(&sprite.name.span, fault);
                if let Some(first) = taken.insert(name.clone(), figures.len()) {
                    let first: &ResolvedSprite = &figures[first];
                    let file = |parts: &[Vec<PathBuf>]| parts[0][0].clone();
                    let (first, second) = (file(&first.parts), file(&parts));
                    return Err(wrong(RecipeErrorKind::TwoSprites { name, first, second }));
                }
                let not_name = |error: shibori_core::NameError| {
                    wrong(RecipeErrorKind::Value { key: name.clone(), why: error.to_string() })
                };
                let figure = ResolvedSprite {
                    name: Name::new(name.clone()).map_err(not_name)?,
                    sprite: at,
                    inputs: self.inputs_of(&parts, sprite, producers),
                    parts,
                    needs: Vec::new(),
                };
                if let Some(set) = self.set_of(sprite, &name) {
                    producers.add_set(&set, &name);
                }
                figures.push(figure);
            }
        }
        figures.sort_by_key(|figure| figure.sprite);
        self.figures = figures;
        Ok(())
    }

    /// The folder in which the set of a sprite of a name goes, from the recipe's.
    pub(super) fn set_of(&self, sprite: &SpriteRecipe, name: &str) -> Option<PathBuf> {
        let set = sprite.set.as_ref()?.value.to_string_lossy();
        Some(normal(&self.out().join(set.replace('*', name))))
    }

    /// Whether a sprite may be made of sets of another one.
    fn may_read(&self, at: usize, other: usize) -> bool {
        let Some(set) = &self.recipe.sprites[other].set else { return false };
        let sets = normal(&plain_part(&self.out().join(&set.value).to_string_lossy()));
        let sources = self.recipe.sprites[at].making.parts.iter().flat_map(|part| &part.from);
        sources
            .map(|from| normal(&plain_part(&from.value)))
            .any(|from| from.starts_with(&sets) || sets.starts_with(&from))
    }

    /// The names that a sprite's table stands for, each with the files of its parts.
    fn named_parts(&self, sprite: &SpriteRecipe, producers: &Producers) -> Result<Vec<Named>, RecipeError> {
        let name = &sprite.name.value;
        let mut parts: Vec<Vec<SourceMatch>> = Vec::new();
        for part in &sprite.making.parts {
            let mut found = Vec::new();
            for from in &part.from {
                let path = normalize(Path::new(&unescape(&from.value)));
                if !is_pattern(&from.value) && producers.get(&normal(&path)).is_some() {
                    found.push(SourceMatch { path, star: None });
                    continue;
                }
                let wrong = |fault| self.recipe.error_at(&from.span, fault);
                let mut all = expand(&self.base, &from.value).map_err(wrong)?;
                if is_pattern(&from.value) {
                    all = self.sources_of_clean_build(all, &from.value, &sprite.name.value, producers);
                }
                if all.is_empty() {
                    return Err(wrong(RecipeErrorKind::NoMatch { pattern: from.value.clone() }));
                }
                found.extend(all);
            }
            for except in &sprite.except {
                let wrong = |fault| self.recipe.error_at(&except.span, fault);
                let pattern = except_pattern(&except.value).map_err(wrong)?;
                found.retain(|one| !pattern.matches_path_with(&normal(&one.path), IN_NAMES));
            }
            if found.is_empty() {
                let from = &part.from[0];
                let fault = RecipeErrorKind::NoMatch { pattern: from.value.clone() };
                return Err(self.recipe.error_at(&from.span, fault));
            }
            let mut seen = HashSet::new();
            found.retain(|one| seen.insert(normal(&one.path)));
            parts.push(found);
        }
        if let Some(pattern) = &sprite.pattern {
            // One sprite of a pattern: the file that gives it its name.
            let is_it =
                |one: &SourceMatch| one.star.as_ref().is_some_and(|star| pattern.replace('*', star) == *name);
            let mine: Vec<PathBuf> = parts.into_iter().flatten().filter(is_it).map(|one| one.path).collect();
            if mine.is_empty() {
                let (name, pattern) = (name.clone(), pattern.clone());
                return Err(self
                    .recipe
                    .error_at(&sprite.name.span, RecipeErrorKind::NotInPattern { name, pattern }));
            }
            return Ok(vec![(name.clone(), vec![mine])]);
        }
        if !name.contains('*') {
            let paths = |found: Vec<SourceMatch>| found.into_iter().map(|one| one.path).collect();
            return Ok(vec![(name.clone(), parts.into_iter().map(paths).collect())]);
        }
        let star = || self.recipe.error_at(&sprite.name.span, RecipeErrorKind::Star { name: name.clone() });
        let ([from], [_]) = (sprite.making.parts[0].from.as_slice(), parts.as_slice()) else {
            return Err(star());
        };
        if !is_pattern(&from.value) {
            return Err(star());
        }
        // Numbered images of one name would each be a sprite; that is what a star asks for.
        let filled = |one: SourceMatch| {
            let filled = one.star.as_ref().map(|star| name.replace('*', star)).ok_or_else(star)?;
            Ok((filled, vec![vec![one.path]]))
        };
        parts.remove(0).into_iter().map(filled).collect()
    }

    /// What a pattern would find if nothing had been built yet: no outputs of this recipe. If the pattern begins in the
    /// folder of outputs, it means those that this build makes.
    /// `sprite` is whose sources they are: never its own set.
    fn sources_of_clean_build(
        &self,
        found: Vec<SourceMatch>,
        pattern: &str,
        sprite: &str,
        producers: &Producers,
    ) -> Vec<SourceMatch> {
        let out = normal(&self.out());
        let is_below = |path: &Path| out != Path::new("") && path.starts_with(&out);
        let means_outputs = is_below(&normal(&plain_part(pattern)));
        let folders: HashSet<PathBuf> = found
            .iter()
            .map(|one| normal(&one.path))
            .flat_map(|path| [path.parent().unwrap_or(Path::new("")).to_owned(), path])
            .collect();
        let recorded = folders
            .iter()
            .flat_map(|folder| outputs_of_recipe(&self.base.join(folder), self.recipe.text.file()));
        // Without records, the manifests of atlases say which pages are theirs.
        let pages = producers
            .paths()
            .flat_map(|producer| manifest_images(&self.base.join(producer)).unwrap_or_default());
        let outputs: HashSet<PathBuf> = recorded.chain(pages).collect();
        let is_output = |path: &Path| {
            let whole = self.base.join(path);
            producers.get(path).is_some()
                || outputs.contains(&whole)
                || outputs.contains(&whole.join(SET_FILE))
                || if means_outputs {
                    producers.paths().any(|producer| producer.starts_with(path))
                } else {
                    is_below(path)
                }
        };
        let mut found: Vec<SourceMatch> =
            found.into_iter().filter(|one| !is_output(&normal(&one.path))).collect();
        if means_outputs {
            let own = format!("sprite.{sprite}");
            let others = producers.paths().filter(|path| producers.get(path).as_ref() != Some(&own));
            found.extend(others.filter_map(|path| match_path(pattern, path)));
            found.sort_by(|a, b| natord::compare(&slashed(&a.path), &slashed(&b.path)));
        }
        found
    }

    /// Every file that a figure is made of, outputs of other steps aside.
    fn inputs_of(
        &self,
        parts: &[Vec<PathBuf>],
        sprite: &SpriteRecipe,
        producers: &Producers,
    ) -> Vec<PathBuf> {
        let made = |path: &&PathBuf| producers.get(&normal(path)).is_none();
        let mut inputs: Vec<PathBuf> =
            parts.iter().flatten().filter(made).flat_map(|path| files_of(&self.base, path)).collect();
        let own = sprite.own.iter().filter_map(|clip| clip.making.as_ref());
        for making in std::iter::once(&sprite.making).chain(own) {
            inputs.extend(lists_of(making));
        }
        let mut seen = HashSet::new();
        inputs.retain(|path| seen.insert(path.clone()));
        inputs
    }

    /// Makes one atlas for each sprite of those whose name has a star.
    fn spread_atlases(&mut self) -> Result<(), RecipeError> {
        let mut atlases = Vec::new();
        for atlas in &self.recipe.atlases {
            if !atlas.name.value.contains('*') {
                atlases.push(atlas.clone());
                continue;
            }
            for figure in self.sprites_used(atlas)? {
                let name = self.figures[figure].name.as_str();
                let star = atlas.sprites.iter().find_map(|pattern| wildcard_match(&pattern.value, name));
                let star = star.unwrap_or_else(|| name.to_owned());
                let filled = |text: &str| text.replace('*', &star);
                let mut one = atlas.clone();
                one.name.value = filled(&atlas.name.value);
                one.sprites = vec![Located { value: name.to_owned(), span: atlas.name.span.clone() }];
                one.file.value = PathBuf::from(filled(&atlas.file.value.to_string_lossy()));
                if atlases.iter().any(|other: &AtlasRecipe| other.name.value == one.name.value) {
                    let fault = RecipeErrorKind::TwoAtlases { name: one.name.value };
                    return Err(self.recipe.error_at(&atlas.name.span, fault));
                }
                atlases.push(one);
            }
        }
        self.recipe.atlases = atlases;
        Ok(())
    }

    fn find_steps(&mut self) -> Result<(), RecipeError> {
        let mut steps: Vec<Target> = Vec::new();
        for (figure, ResolvedSprite { name, inputs, .. }) in self.figures.iter().enumerate() {
            let sprite = self.sprite(figure);
            let root = steps.len();
            let manifest_only = sprite.making.parts[0].options.cut.manifest_only.is_on();
            let set = match (&sprite.set, manifest_only) {
                (None, false) => None,
                (Some(set), true) => {
                    let both = RecipeErrorKind::Both {
                        first: "set",
                        second: "manifest-only",
                        what: "where the manifest goes",
                    };
                    return Err(self.recipe.error_at(&set.span, both));
                }
                (Some(_), false) => self.set_of(sprite, name.as_str()),
                (None, true) => Some(self.figures[figure].parts[0][0].with_extension("json")),
            };
            if let Some(target) = set.clone() {
                let (kind, span) = (TargetKind::Set { figure }, sprite.name.span.clone());
                let (needs, inputs, name) = (Vec::new(), inputs.clone(), format!("sprite.{name}"));
                steps.push(Target { name, kind, inputs, needs, root, target, span });
            }
            let of = TargetSource::Sprite(figure);
            let beside = set.map(|set| set.join(name.as_str()));
            self.add_outputs(&mut steps, of, root, beside.as_deref(), name.as_str())?;
        }
        for (at, atlas) in self.recipe.atlases.iter().enumerate() {
            let root = steps.len();
            let figures = self.sprites_used(atlas)?;
            let mut inputs = Vec::new();
            let mut seen = HashSet::new();
            for &figure in &figures {
                inputs.extend(self.figures[figure].inputs.iter().filter(|path| seen.insert(*path)).cloned());
            }
            inputs.extend(atlas.options.shape.per_frame.clone());
            inputs.extend(atlas.options.arrange.keep_places.clone());
            let (kind, span) = (TargetKind::Atlas { atlas: at, figures }, atlas.name.span.clone());
            let (target, name) = (self.atlas_target(atlas), format!("atlas.{}", atlas.name.value));
            steps.push(Target { name, kind, inputs, needs: Vec::new(), root, target: target.clone(), span });
            self.add_outputs(&mut steps, TargetSource::Atlas(at), root, Some(&target), &atlas.name.value)?;
        }
        self.steps = steps;
        Ok(())
    }

    /// The figures that an atlas uses, each once, in the order in which it names them.
    fn sprites_used(&self, atlas: &AtlasRecipe) -> Result<Vec<usize>, RecipeError> {
        let mut used = Vec::new();
        for wanted in &atlas.sprites {
            let pattern = glob::Pattern::new(&wanted.value).map_err(|error| {
                let (pattern, why) = (wanted.value.clone(), error.msg.to_owned());
                self.recipe.error_at(&wanted.span, RecipeErrorKind::Pattern { pattern, why })
            })?;
            // A name that has signs of a pattern in it means itself first.
            let is_it = |figure: &&usize| self.figures[**figure].name.as_str() == wanted.value;
            let all: Vec<usize> = (0..self.figures.len()).collect();
            let mut found: Vec<usize> = match all.iter().find(is_it) {
                Some(one) => vec![*one],
                None => {
                    all.into_iter().filter(|&at| pattern.matches(self.figures[at].name.as_str())).collect()
                }
            };
            if found.is_empty() {
                let known: Vec<String> = self.figures.iter().map(|figure| figure.name.to_string()).collect();
                let nearest = closest_name(&wanted.value, known.iter()).cloned();
                let name = wanted.value.clone();
                return Err(self
                    .recipe
                    .error_at(&wanted.span, RecipeErrorKind::UnknownSprite { name, nearest, known }));
            }
            found.retain(|figure| !used.contains(figure));
            used.extend(found);
        }
        Ok(used)
    }

    /// The exports and previews of an atlas or a sprite. `beside` is the path of its manifest without extension.
    fn add_outputs(
        &self,
        steps: &mut Vec<Target>,
        of: TargetSource,
        root: usize,
        beside: Option<&Path>,
        name: &str,
    ) -> Result<(), RecipeError> {
        let (exports, previews, inputs) = match of {
            TargetSource::Atlas(at) => (&self.atlas(at).exports, &self.atlas(at).previews, Vec::new()),
            TargetSource::Sprite(at) => {
                (&self.sprite(at).exports, &self.sprite(at).previews, self.figures[at].inputs.clone())
            }
        };
        for (at, export) in exports.iter().enumerate() {
            let Some(beside) = beside else { continue };
            let folder = beside.parent().unwrap_or(Path::new(""));
            let target = match &export.file {
                Some(file) => normal(&folder.join(file.value.to_string_lossy().replace('*', name))),
                None => beside.with_added_extension(self.ending_of(export)),
            };
            let template = export.options.template.clone().filter(|path| self.is_file(path));
            if let Some(missing) = export.options.template.as_ref().filter(|_| template.is_none())
                && starter(&missing.to_string_lossy()).is_none()
            {
                let known: Vec<String> =
                    BUILTIN_TEMPLATES.iter().map(|starter| starter.name.to_owned()).collect();
                let template = missing.to_string_lossy().into_owned();
                let nearest = closest_name(&template, known.iter()).cloned();
                return Err(self
                    .recipe
                    .error_at(&export.span, RecipeErrorKind::UnknownTemplate { template, nearest, known }));
            }
            let step = Target {
                name: format!("export.{}", self.shown(&target)),
                kind: TargetKind::Export { of, at },
                inputs: template.into_iter().collect(),
                needs: vec![root],
                root,
                target,
                span: export.span.clone(),
            };
            steps.push(step);
        }
        for (at, preview) in previews.iter().enumerate() {
            let (word, ending) = preview.view.file_name();
            let target = match &preview.file {
                Some(file) => self.out().join(file.value.to_string_lossy().replace('*', name)),
                None if word.is_empty() => self.out().join(format!("{name}.{ending}")),
                None => self.out().join(format!("{name}-{word}.{ending}")),
            };
            let target = normal(&target);
            let mut inputs = inputs.clone();
            let mut before = None;
            if let Some(wanted) = &preview.before {
                let found = self.figures.iter().position(|figure| figure.name.as_str() == wanted.value);
                let Some(found) = found else {
                    let known: Vec<String> =
                        self.figures.iter().map(|figure| figure.name.to_string()).collect();
                    let (nearest, name) =
                        (closest_name(&wanted.value, known.iter()).cloned(), wanted.value.clone());
                    return Err(self
                        .recipe
                        .error_at(&wanted.span, RecipeErrorKind::UnknownSprite { name, nearest, known }));
                };
                inputs.extend(self.figures[found].inputs.clone());
                before = Some(found);
            }
            let of_sprite_only = match &preview.view {
                View::Grid(_) => Some(("grid", "shows the cut of a sheet")),
                View::LightTable(_) => Some(("light-table", "ends in lines for one sprite")),
                _ => None,
            };
            if let (Some((key, why)), TargetSource::Atlas(_)) = (of_sprite_only, of) {
                let why = format!("{why}, so it goes into the table of a sprite");
                return Err(self
                    .recipe
                    .error_at(&preview.span, RecipeErrorKind::Value { key: key.to_owned(), why }));
            }
            let needs = match of {
                TargetSource::Atlas(_) => vec![root],
                TargetSource::Sprite(_) => Vec::new(),
            };
            let root = if root < steps.len() { root } else { steps.len() };
            let step = Target {
                name: format!("preview.{}", self.shown(&target)),
                kind: TargetKind::Preview { of, at, before },
                inputs,
                needs,
                root,
                target,
                span: preview.span.clone(),
            };
            steps.push(step);
        }
        Ok(())
    }

    fn ending_of(&self, export: &crate::recipe::Export) -> String {
        let by_template = || {
            let template = export.options.template.clone().unwrap_or_default();
            if !self.is_file(&template)
                && let Some(starter) = starter(&template.to_string_lossy())
            {
                return starter.extension().to_owned();
            }
            crate::steps::template_ending(&template)
        };
        export.ending().map_or_else(by_template, str::to_owned)
    }

    fn is_file(&self, path: &Path) -> bool {
        self.base.join(path).is_file()
    }

    /// A path as seen from the folder of outputs.
    fn shown(&self, path: &Path) -> String {
        slashed(path.strip_prefix(self.out()).unwrap_or(path))
    }

    /// Turns sources that are outputs of other steps into what is waited for.
    fn link_producers(&mut self, producers: &Producers) -> Result<(), RecipeError> {
        let by_name: HashMap<&str, usize> =
            self.steps.iter().enumerate().map(|(at, step)| (step.name.as_str(), at)).collect();
        let needs = |figure: &ResolvedSprite| -> Result<Vec<usize>, RecipeError> {
            let made =
                figure.parts.iter().flatten().filter_map(|path| Some((path, producers.get(&normal(path))?)));
            let step = |(path, name): (&PathBuf, String)| {
                let span = &self.recipe.sprites[figure.sprite].name.span;
                let fault = || RecipeErrorKind::NoSource { path: path.clone(), nearest: None };
                by_name.get(name.as_str()).copied().ok_or_else(|| self.recipe.error_at(span, fault()))
            };
            made.map(step).collect()
        };
        let needs: Vec<Vec<usize>> = self.figures.iter().map(needs).collect::<Result<_, _>>()?;
        for (figure, needs) in self.figures.iter_mut().zip(needs) {
            figure.needs = needs;
        }
        for at in 0..self.steps.len() {
            let figures = self.figures_of(at);
            let more: Vec<usize> =
                figures.iter().flat_map(|&figure| self.figures[figure].needs.clone()).collect();
            self.steps[at].needs.extend(more);
        }
        Ok(())
    }

    /// All steps, each after those that it needs.
    pub(super) fn in_turn(&self) -> Vec<usize> {
        fn add(graph: &Graph, at: usize, turn: &mut Vec<usize>, seen: &mut HashSet<usize>) {
            if seen.insert(at) {
                graph.steps[at].needs.iter().for_each(|&need| add(graph, need, turn, seen));
                turn.push(at);
            }
        }
        let (mut turn, mut seen) = (Vec::new(), HashSet::new());
        (0..self.steps.len()).for_each(|at| add(self, at, &mut turn, &mut seen));
        turn
    }

    /// The figures whose frames a step needs.
    pub(super) fn figures_of(&self, step: usize) -> Vec<usize> {
        match &self.steps[step].kind {
            TargetKind::Set { figure } => vec![*figure],
            TargetKind::Atlas { figures, .. } => figures.clone(),
            TargetKind::Export { .. }
            | TargetKind::Preview { of: TargetSource::Atlas(_), before: None, .. } => Vec::new(),
            TargetKind::Preview { of: TargetSource::Atlas(_), before: Some(before), .. } => vec![*before],
            TargetKind::Preview { of: TargetSource::Sprite(figure), before, .. } => {
                std::iter::once(*figure).chain(*before).collect()
            }
        }
    }

    /// The outputs of a step that are known before it is done.
    pub(super) fn known_outputs(&self, step: usize) -> Vec<PathBuf> {
        let Target { kind, target, .. } = &self.steps[step];
        match kind {
            TargetKind::Set { .. } if target.extension().is_some_and(|ending| ending == "json") => {
                vec![target.clone()]
            }
            TargetKind::Set { .. } => vec![target.join(SET_FILE)],
            TargetKind::Atlas { .. } => vec![target.with_added_extension("json")],
            TargetKind::Export { of, at } => {
                let exports = match of {
                    TargetSource::Atlas(atlas) => &self.atlas(*atlas).exports,
                    TargetSource::Sprite(figure) => &self.sprite(*figure).exports,
                };
                let is_csv = exports[*at].options.to == Some(crate::options::ExportFormat::Csv);
                let more = is_csv.then(|| csv_steps_beside(target));
                std::iter::once(target.clone()).chain(more).collect()
            }
            TargetKind::Preview { .. } => vec![target.clone()],
        }
    }

    fn reject_duplicate_outputs(&self) -> Result<(), RecipeError> {
        let mut taken: BTreeMap<String, usize> = BTreeMap::new();
        for (at, step) in self.steps.iter().enumerate() {
            for path in self.known_outputs(at) {
                // What is one file on some systems is one on all.
                if let Some(&first) = taken.get(&file_key(&slashed(&path))) {
                    if let (TargetKind::Set { figure: one }, TargetKind::Set { figure: other }) =
                        (&self.steps[first].kind, &step.kind)
                        && self.figures[*one].sprite == self.figures[*other].sprite
                        && let Some(set) = &self.sprite(*one).set
                    {
                        let (name, set, span) =
                            (self.sprite(*one).name.value.clone(), set.value.clone(), &set.span);
                        return Err(self.recipe.error_at(span, RecipeErrorKind::SharedSet { name, set }));
                    }
                    let (first, second) = (self.steps[first].name.clone(), step.name.clone());
                    return Err(self
                        .recipe
                        .error_at(&step.span, RecipeErrorKind::TwoOutputs { path, first, second }));
                }
                taken.insert(file_key(&slashed(&path)), at);
            }
        }
        Ok(())
    }

    /// Refuses outputs that the next build would take for sources.
    fn reject_outputs_in_sources(&self, producers: &Producers) -> Result<(), RecipeError> {
        let outputs: Vec<PathBuf> =
            (0..self.steps.len()).flat_map(|at| self.known_outputs(at)).map(|path| normal(&path)).collect();
        let parts = self.recipe.sprites.iter().flat_map(|sprite| &sprite.making.parts);
        // A manifest beside images that stay as they are is where it belongs.
        for part in parts.filter(|part| !part.options.cut.manifest_only.is_on()) {
            // One that is an output itself is not there yet, or whole.
            let found = part
                .from
                .iter()
                .filter(|from| producers.get(&normal(Path::new(&unescape(&from.value)))).is_none());
            for from in found {
                if let Some(output) = self.captured_output(&from.value, &outputs) {
                    let (output, sources) = (output.clone(), PathBuf::from(&from.value));
                    return Err(self
                        .recipe
                        .error_at(&from.span, RecipeErrorKind::OutputInSource { output, sources }));
                }
            }
        }
        Ok(())
    }

    /// The first output that a source would take in.
    fn captured_output<'o>(&self, from: &str, outputs: &'o [PathBuf]) -> Option<&'o PathBuf> {
        let path = normal(&normalize(Path::new(&unescape(from))));
        // A pattern passes over outputs.
        if is_pattern(from) {
            return None;
        }
        let whole = self.base.join(&path);
        if !whole.is_dir() || whole.join(SET_FILE).is_file() {
            return None;
        }
        outputs
            .iter()
            .find(|output| output.starts_with(&path) || path.as_os_str().is_empty() && output.is_relative())
    }

    /// Refuses steps that wait for each other.
    fn reject_cycles(&self) -> Result<(), RecipeError> {
        fn visit(graph: &Graph, at: usize, marks: &mut [u8], way: &mut Vec<usize>) -> Option<Vec<usize>> {
            match marks[at] {
                2 => return None,
                1 => {
                    let start = way.iter().position(|&step| step == at).unwrap_or(0);
                    return Some(way[start..].iter().copied().chain([at]).collect());
                }
                _ => {}
            }
            marks[at] = 1;
            way.push(at);
            for &need in &graph.steps[at].needs {
                if let Some(cycle) = visit(graph, need, marks, way) {
                    return Some(cycle);
                }
            }
            way.pop();
            marks[at] = 2;
            None
        }
        let mut marks = vec![0; self.steps.len()];
        for at in 0..self.steps.len() {
            if let Some(cycle) = visit(self, at, &mut marks, &mut Vec::new()) {
                let steps = cycle.iter().map(|&step| self.steps[step].name.clone()).collect();
                return Err(self
                    .recipe
                    .error_at(&self.steps[cycle[0]].span, RecipeErrorKind::Cycle { steps }));
            }
        }
        Ok(())
    }

    /// The step that a person means by a name: a step's own, or that of a sprite or an atlas.
    ///
    /// # Errors
    /// If there is none.
    pub fn find_target(&self, name: &str) -> Result<usize, RecipeError> {
        let own = self.steps.iter().position(|step| step.name == name);
        let is_short = |step: &Target| {
            ["atlas.", "sprite.", "export.", "preview."]
                .iter()
                .any(|kind| step.name.strip_prefix(kind) == Some(name))
        };
        own.or_else(|| self.steps.iter().rposition(is_short)).ok_or_else(|| {
            let known: Vec<String> = self.steps.iter().map(|step| step.name.clone()).collect();
            // By its short name it may be nearer.
            let short = |known: &String| known.split_once('.').map(|(_, short)| short.to_owned());
            let nearest = closest_name(name, known.iter().cloned().chain(known.iter().filter_map(short)));
            RecipeError::for_file(
                self.recipe.text.file(),
                RecipeErrorKind::UnknownStep { name: name.to_owned(), nearest, known },
            )
        })
    }
}

/// Files that options name.
fn lists_of(making: &FrameRecipe) -> Vec<PathBuf> {
    let shapes = making.parts.iter().map(|part| &part.options.shape).chain([&making.shape]);
    let rects = making.parts.iter().filter_map(|part| part.options.cut.rects.clone());
    rects.chain(shapes.filter_map(|shape| shape.per_frame.clone())).collect()
}

/// A pattern of files that are left out.
fn except_pattern(text: &str) -> Result<glob::Pattern, RecipeErrorKind> {
    glob::Pattern::new(&slashed(&normal(Path::new(text))))
        .map_err(|error| RecipeErrorKind::Pattern { pattern: text.to_owned(), why: error.msg.to_owned() })
}
