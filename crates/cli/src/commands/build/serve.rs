//! The outputs of a watched build, as pages that load again after each build; with the token, light tables change the recipe.

use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use shibori_core::Name;
use shibori_formats::{DisplaySlashed, escape_url_path};
use shibori_pipeline::build::{Build, RecipeEdit};

use super::failure_of;
use crate::args::GlobalArgs;
use crate::commands::CommandContext;
use crate::console::{Console, RecordedLine};
use crate::failure::Failure;
use crate::serve::{Answer, ApplyRequest, Folder, Live, RELOAD_PATH, STATUS_PATH, Server, Site, with_live};

/// The outputs of a build.
pub(super) struct BuildSite {
    everywhere: GlobalArgs,
    /// Records what actions say; what builds say is recorded by the watch.
    console: Console,
    live: Live,
    /// The last build whose recipe could be read.
    last: Mutex<Option<Arc<Build>>>,
    /// Whether the next build follows from an action, so that what it says belongs to that.
    is_followed: AtomicBool,
}

/// The sprite whose light table is at a path below the outputs.
fn table_at<'a>(build: &'a Build, path: &str) -> Option<&'a Name> {
    let out = build.out();
    let is_here = |file: &Path| {
        let below = file.strip_prefix(&out).ok().map(|file| file.display_slashed().to_string());
        below.is_some_and(|file| path == escape_url_path(&format!("/{file}")))
    };
    build.light_tables().into_iter().find(|(_, file)| is_here(file)).map(|(sprite, _)| sprite)
}

impl BuildSite {
    pub(super) fn start(port: u16, program: &CommandContext<'_>) -> Result<(Arc<Self>, Server), Failure> {
        let site = Arc::new(Self {
            everywhere: program.everywhere.clone(),
            console: Console::recording(program.everywhere),
            live: Live::new(),
            last: Mutex::default(),
            is_followed: AtomicBool::new(false),
        });
        let server = Server::start(port, Arc::clone(&site)).map_err(|error| {
            Failure::usage(format!("--serve: port {port} can't be used: {error}"))
                .with_hint("choose another, such as --serve 8141; 0 picks any free port")
        })?;
        Ok((site, server))
    }

    fn last(&self) -> MutexGuard<'_, Option<Arc<Build>>> {
        self.last.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Shows the outputs of this build from now on.
    pub(super) fn show(&self, build: Arc<Build>) {
        let before = self.last().replace(build);
        if before.is_none() {
            self.live.reload_pages();
        }
    }

    /// Says what a build said, and lets pages load again if any file is another one.
    pub(super) fn report(&self, lines: Vec<RecordedLine>, did_something: bool) {
        match self.is_followed.swap(false, Ordering::Relaxed) {
            true => self.live.say_more(lines),
            false if lines.is_empty() => {}
            false => self.live.say(lines, None),
        }
        if did_something {
            self.live.reload_pages();
        }
    }

    /// Puts lines into the recipe, for the watch to build.
    fn apply(&self, request: &ApplyRequest) -> Result<String, Failure> {
        let Some(last) = self.last().clone() else {
            return Err(Failure::usage("the recipe can't be read yet"));
        };
        if !last.is_current() {
            return Err(Failure::usage("the recipe was just changed; try again after the build"));
        }
        let sprite = last.light_tables().into_iter().map(|(sprite, _)| sprite);
        let Some(sprite) = sprite.into_iter().find(|sprite| sprite.as_str() == request.sprite) else {
            return Err(Failure::usage("only sprites with a light table can be changed here"));
        };
        if !request.commands.is_empty() || request.lines.is_empty() {
            return Err(Failure::usage("only lines for the recipe can be applied here"));
        }
        let program = CommandContext {
            base: last.base().to_owned(),
            undo: Some(self.live.log.clone()),
            ..CommandContext::new(&self.console, &self.everywhere)
        };
        let cx = program.context();
        let edited = last.edit_sprite(sprite, &request.lines, &request.per_frame, &cx);
        let edited = edited.map_err(failure_of)?;
        cx.commit().map_err(failure_of)?;
        Ok(self.describe(sprite, &edited, &last))
    }

    fn describe(&self, sprite: &Name, edited: &RecipeEdit, build: &Build) -> String {
        let file = edited.recipe.strip_prefix(build.base()).unwrap_or(&edited.recipe);
        let table = format!("[sprite.{}]", shibori_pipeline::options::toml_key(sprite.as_str()));
        let list = edited.per_frame.as_ref().map(|list| list.display_slashed().to_string());
        if edited.keys.is_empty() && list.is_none() {
            self.console.print_line(&format!("{} already says so", file.display_slashed()));
        } else {
            let keys = edited.keys.join(", ");
            let list = list.map(|list| format!("wrote {list}"));
            let table_line = (!edited.keys.is_empty())
                .then(|| format!("changed {keys} of {table} in {}", file.display_slashed()));
            let parts: Vec<String> = table_line.into_iter().chain(list).collect();
            self.console.print_line(&parts.join("; "));
        }
        format!("the change of {table}")
    }
}

impl Site for BuildSite {
    fn page(&self, path: &str, root: Option<&str>) -> Answer {
        let version = self.live.version();
        match (path, root) {
            (RELOAD_PATH, _) => return Answer::plain(200, &version),
            (STATUS_PATH, Some(_)) => return Answer::json(&self.live.status()),
            _ => {}
        }
        let last = self.last().clone();
        let folder = last.as_ref().map(|build| build.base().join(build.out())).unwrap_or_default();
        let is_table = root.is_some() && last.is_some_and(|build| table_at(&build, path).is_some());
        let root = root.unwrap_or_default();
        let site = Folder { folder: &folder, root, version: &version };
        site.answer(path, &|page| match is_table {
            true => with_live(page, root, &version, &[]),
            false => site.listening(page),
        })
    }

    fn act(&self, path: &str, body: &[u8]) -> Answer {
        let done = |is_changed| self.is_followed.store(is_changed, Ordering::Relaxed);
        self.live.act(path, body, &self.console, |request| self.apply(request), done)
    }
}
