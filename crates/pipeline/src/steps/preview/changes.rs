//! What differs between two versions of a source, as a picture or a page.

use std::path::Path;

use image::RgbaImage;
use shibori_core::FrameSet;
use shibori_core::changes::SetChanges;
use shibori_draw::{ChangesStyle, draw_changes, draw_difference};
use shibori_formats::encode;
use shibori_report::{ChangedFrame, ChangedSection, ChangesReport, changes_page};

use crate::options::{ChangesOptions, FilterOption};
use crate::steps::loading::load_whole;
use crate::steps::preview::by_zoom;
use crate::steps::preview::html::HtmlPage;
use crate::{Context, Error, Source};

/// Two versions of a source, and what differs.
#[derive(Clone, Debug, Default)]
pub struct Comparison {
    /// The frames before.
    pub old: FrameSet,
    /// The frames now.
    pub new: FrameSet,
    /// The differences.
    pub changes: SetChanges,
}

impl Comparison {
    /// Reads and compares two sources. What only one of them has of what is asked for was added or removed.
    ///
    /// # Errors
    /// If a source can't be read, or neither has what is asked for.
    pub fn of(old: &Source, new: &Source, only: &FilterOption, cx: &Context<'_>) -> Result<Self, Error> {
        let [old, new] = [old, new].map(|source| load_whole(source, cx));
        let (old, new) = match (only.of(old?), only.of(new?)) {
            (Err(_), Err(error)) => return Err(error.into()),
            (old, new) => (old.unwrap_or_default(), new.unwrap_or_default()),
        };
        let changes = SetChanges::between(&old, &new);
        Ok(Self { old, new, changes })
    }

    /// All of it on pictures.
    ///
    /// # Errors
    /// If a picture would be too large.
    pub fn draw(&self, options: &ChangesOptions, cx: &Context<'_>) -> Result<Vec<RgbaImage>, Error> {
        let zoom = options.zoom.get();
        let style = ChangesStyle {
            width: options.width.get(),
            height: options.height.get(),
            zoom,
            limits: cx.pixel_limits(),
        };
        let drawn = draw_changes(&self.old, &self.new, &self.changes, style);
        cx.map_limit_error(drawn, by_zoom(zoom))
    }

    /// All of it on a page. `title` says what was compared, `summary` what differs in all.
    ///
    /// # Errors
    /// If a picture can't be encoded.
    pub fn page(&self, title: String, summary: String) -> Result<HtmlPage, Error> {
        let Self { old, new, changes } = self;
        let mut sections = Vec::new();
        for group in changes.by_clip(old, new) {
            let clip = group.clip.as_ref().map(|clip| format!(" {clip}")).unwrap_or_default();
            let detail = group.change.map(|at| changes.clips[at].describe(old, new)).unwrap_or_default();
            let frames = group.frames.iter().map(|&at| self.frame(at)).collect::<Result<_, _>>()?;
            sections.push(ChangedSection { title: format!("{}{clip}", group.sprite), detail, frames });
        }
        let page = changes_page(&ChangesReport { title, summary, sections });
        Ok(HtmlPage::new(page, Some(changes.frames.len()), changes.clips.len()))
    }

    fn frame(&self, number: usize) -> Result<ChangedFrame, Error> {
        let Self { old, new, changes } = self;
        let change = &changes.frames[number];
        let whole = |set: &FrameSet, at: Option<usize>| at.map(|at| set.frames()[at].full_image());
        let (before, after) = (whole(old, change.old), whole(new, change.new));
        let difference = before.as_ref().zip(after.as_ref()).map(|(old, new)| draw_difference(old, new));
        let images = [
            ("old", before.map(|pixels| pixels.to_image())),
            ("new", after.map(|pixels| pixels.to_image())),
            ("difference", difference),
        ];
        let (set, at) = change.place(old, new);
        let name = set.frames()[at].name().to_string();
        let mut pictures = Vec::new();
        for (what, image) in images.into_iter().filter_map(|(what, image)| Some((what, image?))) {
            let wrong = |problem| shibori_formats::FileError::write(Path::new(&name), problem);
            pictures.push((what, encode::png(&image).map_err(wrong)?, [image.width(), image.height()]));
        }
        Ok(ChangedFrame { detail: change.describe(old, new), name, pictures })
    }
}
