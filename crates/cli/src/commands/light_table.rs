//! `shibori preview light-table --serve`: the light table as a page that acts. It runs the commands that it shows, and no others.

use std::collections::BTreeSet;
use std::fs;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use clap::Parser;
use shibori_formats::DisplaySlashed;
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::options::{Flag, RunOptions, ShapeOptions};
use shibori_pipeline::steps::{RenderedPreview, TableTarget, View};
use shibori_pipeline::{NoopObserver, Observer, Source};
use tempfile::TempDir;

use super::{CommandContext, run as run_command};
use crate::args::{Cli, Command, GlobalArgs};
use crate::console::Console;
use crate::failure::Failure;
use crate::message::{Message, MessageLevel};
use crate::serve::{
    Answer, ApplyRequest, Live, LiveTab, OnConflict, RELOAD_PATH, STATUS_PATH, Server, Site, TRY_PATH,
    failure_text, problem_page, with_live,
};
use crate::wording::pasteable_command;

/// The page of the set that was made.
const FRAMES_PATH: &str = "/frames";
/// The pause between two looks at the files, at least; it is longer where looking takes long.
const LOOK: Duration = Duration::from_millis(250);
const LOOK_SHARE: u32 = 20;
/// Folders in folders: deeper is a mistake, or a link that leads back.
const DEEPEST: usize = 16;

/// Serves the light table of a source until interrupted.
pub(super) fn serve(
    source: &Path,
    port: u16,
    opens: bool,
    program: &CommandContext<'_>,
) -> Result<(), Failure> {
    if program.everywhere.run.dry_run.is_on() {
        return Err(Failure::usage("--serve and --dry-run can't be used together")
            .with_hint("drop --serve: the page alone changes no file"));
    }
    if source == Path::new("-") {
        return Err(Failure::usage("--serve needs a file or a folder; standard input can't be read again"));
    }
    let cx = program.context();
    let target = TableTarget::of(source, &cx)?;
    let site = Arc::new(TableSite {
        source: source.to_owned(),
        output: (!target.in_place).then(|| target.output.clone()),
        has_manifest: target.has_manifest,
        everywhere: program.everywhere.clone(),
        console: Console::recording(program.everywhere),
        live: Live::new(),
        known: Mutex::default(),
    });
    // A source that can't be shown ends the command.
    site.draw(source, program.console)?;
    site.look();
    let server = Server::start(port, Arc::clone(&site)).map_err(|error| {
        Failure::usage(format!("--serve: port {port} can't be used: {error}"))
            .with_hint("choose another port, or none: --serve alone takes any free one")
    })?;
    let address = server.trusted_address();
    program.say(&format!("light table of {} at {address}", source.display_slashed()));
    program.say("press Ctrl+C to stop");
    program.console.event(&serde_json::json!({ "address": address }));
    if opens && let Err(error) = open::that_detached(&address) {
        let text = format!("no browser could be opened: {error}; open the address above");
        program.console.message(MessageLevel::Warning, &Message::plain(&text));
    }
    loop {
        let began = Instant::now();
        site.look();
        std::thread::sleep(LOOK.max(began.elapsed() * LOOK_SHARE));
    }
}

/// The table of a source, and of the set that is made of it.
struct TableSite {
    source: PathBuf,
    /// The set that is made of the source; none if the source is changed in place.
    output: Option<PathBuf>,
    has_manifest: bool,
    everywhere: GlobalArgs,
    console: Console,
    live: Live,
    known: Mutex<Known>,
}

/// What is known of the files.
#[derive(Default)]
struct Known {
    /// The files that were read for the pages.
    read: BTreeSet<PathBuf>,
    /// What they were when the pages were made.
    shown: Option<u64>,
    /// What they were at the last look.
    last: Option<u64>,
}

impl TableSite {
    /// The text of the page for frames or a sheet.
    fn draw(&self, source: &Path, observer: &dyn Observer) -> Result<String, Failure> {
        let cx = CommandContext::new(&self.console, &self.everywhere).context_for(observer);
        let drawn = View::LightTable(None).draw(&Source::from(source.to_owned()), None, &cx)?;
        self.watch_too(cx.transaction().sources());
        match drawn {
            RenderedPreview::Page(page) => Ok(page.html().to_owned()),
            _ => unreachable!("a light table is a page"),
        }
    }

    /// Watches these files too, from now on. That doesn't count as a change.
    fn watch_too(&self, files: Vec<PathBuf>) {
        let before = self.stamp();
        self.known.lock().unwrap_or_else(PoisonError::into_inner).read.extend(files);
        let after = self.stamp();
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        let Known { shown, last, .. } = &mut *known;
        for stamp in [shown, last] {
            if *stamp == Some(before) {
                *stamp = Some(after);
            }
        }
    }

    /// Looks whether a file changed. A file that is being saved changes several times, so only what is the same at two looks
    /// counts.
    fn look(&self) {
        // Files that the program itself is writing aren't news yet.
        let _writer = self.live.writer();
        let now = self.stamp();
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if known.shown.is_none() {
            known.shown = Some(now);
        } else if known.shown != Some(now) && known.last == Some(now) {
            known.shown = Some(now);
            self.live.reload_pages();
        }
        known.last = Some(now);
    }

    /// Files were changed by an action: pages load again at once.
    fn catch_up(&self) {
        let now = self.stamp();
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if known.shown != Some(now) {
            known.shown = Some(now);
            self.live.reload_pages();
        }
        known.last = Some(now);
    }

    /// A number that differs once any file of the source or the set is another one.
    fn stamp(&self) -> u64 {
        let mut files = self.known.lock().unwrap_or_else(PoisonError::into_inner).read.clone();
        for path in [Some(&self.source), self.output.as_ref()].into_iter().flatten() {
            files.insert(path.clone());
            gather(path, 0, &mut files);
        }
        let mut hasher = DefaultHasher::new();
        for file in files {
            let found = fs::metadata(&file).ok().filter(fs::Metadata::is_file);
            (&file, found.map(|found| (found.len(), found.modified().ok()))).hash(&mut hasher);
        }
        hasher.finish()
    }

    /// Runs what a page asks for, if it is among what pages show.
    fn apply(&self, request: &ApplyRequest) -> Result<String, Failure> {
        let mut everywhere = self.everywhere.clone();
        match request.on_conflict {
            Some(OnConflict::Keep) => everywhere.run.carry = Flag::On,
            Some(OnConflict::Replace) => everywhere.run.force = Flag::On,
            None => {}
        }
        let (_folder, commands) = self.commands(request)?;
        let program = CommandContext {
            undo: Some(self.live.log.clone()),
            ..CommandContext::new(&self.console, &everywhere)
        };
        for (command, text) in &commands {
            self.console.print_line(&format!("> {text}"));
            run_command(command, &program)?;
        }
        Ok(commands.iter().map(|(_, text)| text.as_str()).collect::<Vec<_>>().join(" && "))
    }

    /// Says what would be done, and writes nothing. Of several commands it is the first: the next would read what that one
    /// didn't write.
    fn try_out(&self, request: &ApplyRequest, console: &Console) -> Result<String, Failure> {
        let mut everywhere = self.everywhere.clone();
        everywhere.run.dry_run = Flag::On;
        let (_folder, commands) = self.commands(request)?;
        let program = CommandContext::new(console, &everywhere);
        commands.first().map_or(Ok(()), |(command, _)| run_command(command, &program))?;
        Ok(String::new())
    }

    /// The commands of a request with their texts, and the folder of the per-frame list that they read.
    fn commands(&self, request: &ApplyRequest) -> Result<(TempDir, Vec<(Command, String)>), Failure> {
        let folder = tempfile::tempdir().map_err(|error| Failure::output(error.to_string()))?;
        let list = folder.path().join("per-frame.csv");
        if !request.per_frame.is_empty() {
            fs::write(&list, &request.per_frame).map_err(|error| Failure::output(error.to_string()))?;
        }
        let list = (!request.per_frame.is_empty()).then_some(list.as_path());
        let mut commands = Vec::new();
        for words in &request.commands {
            commands.push((self.allowed(words, list)?, pasteable_command(words)));
        }
        Ok((folder, commands))
    }

    /// A command, if the pages could show it: it reads the source or the set, writes only the set, and reads no other file
    /// but a per-frame list, which is this one.
    fn allowed(&self, words: &[String], list: Option<&Path>) -> Result<Command, Failure> {
        let refused = || Failure::usage("this page can't run that command");
        let program = std::iter::once("shibori");
        let cli = Cli::try_parse_from(program.chain(words.iter().map(String::as_str))).map_err(|error| {
            let text = error.to_string();
            let text = text.strip_prefix("error: ").unwrap_or(&text).trim();
            Failure::usage(text.split("\n\nFor more information").next().unwrap_or(text))
        })?;
        let GlobalArgs { json, quiet, verbose, run, jobs, .. } = &cli.everywhere;
        if *json || *quiet || *verbose > 0 || jobs.is_some() || *run != RunOptions::default() {
            return Err(refused());
        }
        let (source, set) = (self.source.as_path(), self.output.as_deref());
        let is_own = |path: &Path| path == source || Some(path) == set;
        let shape = |shape: &mut ShapeOptions| match (&shape.per_frame, list) {
            (None, _) => true,
            (Some(_), Some(list)) => {
                shape.per_frame = Some(list.to_owned());
                true
            }
            (Some(_), None) => false,
        };
        let mut command = cli.command;
        let is_allowed = match &mut command {
            Command::Slice(args) => {
                let cut = &args.options.cut;
                let reads_more = cut.rects.is_some() || cut.manifest_only.is_on();
                let is_pair = args.images == [source] && set.is_some() && args.output.as_deref() == set;
                is_pair && !self.has_manifest && !reads_more && shape(&mut args.options.shape)
            }
            Command::Adjust(args) => {
                let goes_to_set = match args.in_place {
                    true => set.is_none() || Some(args.source.as_path()) == set,
                    false => args.source == source && set.is_some() && args.output.as_deref() == set,
                };
                is_own(&args.source) && goes_to_set && shape(&mut args.options.shape)
            }
            Command::Clip(args) => is_own(&args.manifest),
            _ => false,
        };
        if is_allowed { Ok(command) } else { Err(refused()) }
    }

    /// Whether the set that is made of the source is there.
    fn has_set(&self) -> bool {
        self.output.as_ref().is_some_and(|set| set.join(SET_FILE).is_file())
    }

    fn tabs(&self, root: &str, path: &str) -> Vec<LiveTab> {
        if !self.has_set() {
            return Vec::new();
        }
        let first = if self.has_manifest { "Atlas" } else { "Source" };
        vec![
            LiveTab { name: first, address: format!("{root}/"), is_here: path == "/" },
            LiveTab { name: "Frames", address: format!("{root}{FRAMES_PATH}"), is_here: path == FRAMES_PATH },
        ]
    }
}

impl Site for TableSite {
    fn page(&self, path: &str, root: Option<&str>) -> Answer {
        let Some(root) = root else { return Answer::plain(404, "nothing here") };
        let version = self.live.version();
        let source = match path {
            STATUS_PATH => return Answer::json(&self.live.status()),
            RELOAD_PATH => return Answer::plain(200, &version),
            "/" => Some(&self.source),
            FRAMES_PATH if !self.has_set() => return Answer::redirect(format!("{root}/")),
            FRAMES_PATH => self.output.as_ref(),
            _ => None,
        };
        let Some(source) = source else { return Answer::plain(404, "nothing here") };
        // Never half of what an action writes.
        let _writer = self.live.writer();
        match self.draw(source, &NoopObserver) {
            Ok(page) => Answer::html(with_live(&page, root, &version, &self.tabs(root, path))),
            Err(failure) => Answer::html(problem_page(root, &version, &failure_text(&failure))),
        }
    }

    fn act(&self, path: &str, body: &[u8]) -> Answer {
        if path == TRY_PATH {
            let console = Console::hidden(&self.everywhere);
            return self.live.answer_trial(body, &console, |request| self.try_out(request, &console));
        }
        self.live.act(path, body, &self.console, |request| self.apply(request), |_| self.catch_up())
    }
}

/// Adds the files in a folder and in those below it, but no hidden ones.
fn gather(folder: &Path, depth: usize, files: &mut BTreeSet<PathBuf>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_name().to_string_lossy().starts_with('.') {
            continue;
        }
        let path = entry.path();
        if path.is_dir() && depth < DEEPEST {
            gather(&path, depth + 1, files);
        }
        files.insert(path);
    }
}
