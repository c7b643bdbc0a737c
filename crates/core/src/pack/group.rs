//! Which frames share pages: all of them, or those of one sprite or one clip. Never decides a place.

use std::collections::HashMap;

use crate::pack::rows::{self, CellSlots};
use crate::pack::{Layout, PackError, PackSettings};
use crate::{FrameSet, UVec2};

/// What gets pages, and files, of its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum PagePer {
    /// Everything together.
    #[default]
    #[cfg_attr(feature = "clap", value(skip))]
    #[cfg_attr(feature = "serde", serde(skip))]
    Atlas,
    /// The frames of a clip; a frame in two clips is on the pages of both
    Clip,
    /// The frames of a sprite
    Sprite,
}

/// The frames as they are to be listed.
pub(super) struct PageGroups {
    pub(super) set: FrameSet,
    pub(super) groups: Vec<Group>,
}

/// Frames that share pages.
pub(super) struct Group {
    /// What the pages are called after, unless after the atlas alone.
    pub(super) label: Option<String>,
    /// Places in the listed set.
    pub(super) members: Vec<usize>,
    /// The cells of the members, where the layout is one of rows.
    pub(super) slots: Option<CellSlots>,
}

/// Lists frames and parts them into groups.
pub(super) fn group_pages(set: FrameSet, options: &PackSettings) -> Result<PageGroups, PackError> {
    let order = match &options.layout {
        Layout::ClipRows { order } => Some(order.as_deref()),
        _ => (options.per == PagePer::Clip).then_some(None),
    };
    let Some(order) = order else {
        let groups = groups(&set, options.per, None);
        return Ok(PageGroups { set, groups });
    };
    let labels = clip_labels(&set, order)?;
    let (set, slots) = rows::frames_by_clip(&set, order)?;
    let mut groups = groups(&set, options.per, Some((&slots.of_frames, &labels)));
    if matches!(options.layout, Layout::ClipRows { .. }) {
        match groups.as_mut_slice() {
            [one] if one.label.is_none() => one.slots = Some(slots),
            several => {
                for group in several {
                    let cells = group.members.iter().map(|&at| slots.of_frames[at]).collect();
                    group.slots = Some(rows::in_rows(compact_rows(cells), slots.what.clone()));
                }
            }
        }
    }
    Ok(PageGroups { set, groups })
}

/// For each row what its pages would be called; `None` for a blank row.
fn clip_labels(set: &FrameSet, order: Option<&[super::RowName]>) -> Result<Vec<Option<String>>, PackError> {
    let name = |clip: Option<usize>| {
        let clip = &set.clips()[clip?];
        Some(format!("{}-{}", clip.sprite(), clip.name()))
    };
    Ok(rows::clips_in_order(set, order)?.into_iter().map(name).collect())
}

fn groups(set: &FrameSet, per: PagePer, rows: Option<(&[UVec2], &[Option<String>])>) -> Vec<Group> {
    let mut groups: Vec<Group> = Vec::new();
    let mut known: HashMap<Option<String>, usize> = HashMap::new();
    for (at, frame) in set.frames().iter().enumerate() {
        let of_clip = rows.and_then(|(slots, labels)| labels.get(slots[at].y as usize)?.clone());
        let label = match per {
            PagePer::Atlas => None,
            PagePer::Sprite => Some(frame.sprite().to_string()),
            PagePer::Clip => Some(of_clip.unwrap_or_else(|| frame.sprite().to_string())),
        };
        let group = *known.entry(label).or_insert_with_key(|label| {
            groups.push(Group { label: label.clone(), members: Vec::new(), slots: None });
            groups.len() - 1
        });
        groups[group].members.push(at);
    }
    groups
}

/// Rows of other groups leave no gaps.
fn compact_rows(mut cells: Vec<UVec2>) -> Vec<UVec2> {
    let mut lines: Vec<u32> = cells.iter().map(|cell| cell.y).collect();
    lines.sort_unstable();
    lines.dedup();
    for cell in &mut cells {
        cell.y = lines.binary_search(&cell.y).expect("taken from the cells") as u32;
    }
    cells
}
