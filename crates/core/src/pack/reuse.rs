//! Places of an earlier atlas: frames of the same size stay where they were, so that a small change of the art is a small
//! change of the page. Never moves what stays: what is new goes into gaps, makes a page larger, or gets a page of its own.

use std::collections::HashMap;

use crate::pack::arrange::{self, Gaps, ItemPosition, Items};
use crate::pack::page::PageSizer;
use crate::pack::{Effort, PackSettings, Placement};
use crate::{FrameSet, Name, Rect, Size};

/// Where frames lay before.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PreviousPlacements {
    /// The pages there were.
    pub pages: Vec<Size>,
    /// Sprite and name of each frame, and its place.
    pub places: HashMap<(Name, Name), Placement>,
}

/// What became of the old places.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(
    feature = "serde",
    derive(serde::Serialize),
    serde(rename_all = "kebab-case", rename_all_fields = "snake_case")
)]
pub enum ReuseOutcome {
    /// Pictures stayed where they could.
    Kept {
        /// Pictures in their old place.
        stayed: usize,
        /// Pictures that are new or have another size.
        placed: usize,
        /// Pictures of the old size that could not stay: margin, gutter, bleed or step differ.
        moved: usize,
        /// The share of the pages' area that arranging everything again would save, 0 to 1.
        wasted: f64,
    },
    /// Everything was arranged again, because more than this share of the area would be wasted.
    Repacked(f64),
    /// Everything was arranged again, for this reason.
    Anew(&'static str),
}

/// The pictures to place, as the dense layout sees them.
pub(super) struct PackImages<'a> {
    pub(super) set: &'a FrameSet,
    /// The frames that share pages.
    pub(super) members: &'a [usize],
    /// For each of them its picture.
    pub(super) picture_of: &'a [Option<usize>],
    pub(super) sizes: &'a [Size],
    /// With bleed and gutter, in steps.
    pub(super) spaced: &'a [Size],
}

impl PreviousPlacements {
    /// Whether any frame of a set had a place.
    pub(super) fn knows_any(&self, set: &FrameSet) -> bool {
        set.frames().iter().any(|frame| self.of(frame).is_some())
    }

    fn of(&self, frame: &crate::Frame) -> Option<Placement> {
        self.places.get(&(frame.sprite().clone(), frame.name().clone())).copied()
    }
}

/// Positions for all pictures, and the pages they are on.
pub(super) struct KeptPages {
    pub(super) spots: Vec<ItemPosition>,
    pub(super) pages: Vec<Size>,
    stayed: usize,
    placed: usize,
    moved: usize,
}

impl KeptPages {
    /// The outcome, compared with arranging everything again.
    pub(super) fn outcome(&self, afresh: &[Size], most_waste: Option<f64>) -> ReuseOutcome {
        let area = |pages: &[Size]| pages.iter().map(|page| page.area()).sum::<u64>() as f64;
        let wasted = (1.0 - area(afresh) / area(&self.pages)).max(0.0);
        if most_waste.is_some_and(|most| wasted > most) {
            return ReuseOutcome::Repacked(wasted);
        }
        ReuseOutcome::Kept { stayed: self.stayed, placed: self.placed, moved: self.moved, wasted }
    }
}

/// Leaves what it can where it was, or says why everything must be arranged again.
pub(super) fn keep(
    pictures: &PackImages<'_>,
    old: &PreviousPlacements,
    options: &PackSettings,
    effort: Effort,
) -> Result<KeptPages, ReuseOutcome> {
    if !old.pages.iter().all(|&page| options.pages.allows(page)) {
        return Err(ReuseOutcome::Anew("the old pages have a size that is no longer allowed"));
    }
    let first = options.margin + options.bleed;
    let fitting = options.pages.fitting(options);
    let mut taken: Vec<Taken> = old.pages.iter().map(|&page| Taken::new(fitting.room_of(page))).collect();
    let mut spots: Vec<Option<ItemPosition>> = vec![None; pictures.sizes.len()];
    let mut had_place = vec![false; pictures.sizes.len()];
    for (picture, place) in ranked_claims(pictures, old) {
        had_place[picture] = true;
        let steps = |at: u32| {
            let inside = at.checked_sub(first)?;
            (inside % options.step == 0).then_some(inside / options.step)
        };
        let (Some(x), Some(y)) = (steps(place.rect.x), steps(place.rect.y)) else { continue };
        let spaced = pictures.spaced[picture];
        let rect = Rect::at(x, y, if place.rotated { spaced.rotated() } else { spaced });
        let is_wanted = spots[picture].is_none() && (!place.rotated || options.may_rotate());
        if is_wanted && taken[place.page].takes(rect) {
            spots[picture] = Some(ItemPosition { page: place.page, x, y, rotated: place.rotated });
        }
    }
    let stayed = spots.iter().flatten().count();
    if stayed == 0 {
        return Err(ReuseOutcome::Anew(match had_place.contains(&true) {
            true => "margin, gutter, bleed or step differ from those of the old pages",
            false => "all frames have another size than before",
        }));
    }
    let new: Vec<usize> = (0..spots.len()).filter(|&picture| spots[picture].is_none()).collect();
    let moved = new.iter().filter(|&&picture| had_place[picture]).count();
    let sizes: Vec<Size> = new.iter().map(|&picture| pictures.spaced[picture]).collect();
    let pieces = Items { sizes: &sizes, may_rotate: options.may_rotate() };
    // Empty pages at the end are dropped.
    let used = taken.iter().rposition(|page| !page.rects.is_empty()).map_or(1, |last| last + 1);
    taken.truncate(used);
    let mut pages = old.pages[..used].to_vec();
    let added = add(pieces, taken, &mut pages, &fitting, effort);
    for (picture, spot) in new.iter().zip(added) {
        spots[*picture] = Some(spot);
    }
    let spots = spots.into_iter().flatten().collect();
    Ok(KeptPages { spots, pages, stayed, placed: new.len() - moved, moved })
}

/// Puts pieces into gaps, else on a page that is made larger, else on new pages.
fn add(
    pieces: Items<'_>,
    taken: Vec<Taken>,
    pages: &mut Vec<Size>,
    fitting: &PageSizer,
    effort: Effort,
) -> Vec<ItemPosition> {
    let gaps = Gaps::around(taken.into_iter().map(|page| page.rects).collect(), fitting.room());
    let fill = |pages: &[Size]| {
        gaps.fill(pieces, &pages.iter().map(|&page| fitting.room_of(page)).collect::<Vec<_>>())
    };
    let is_full = |spots: &[Option<ItemPosition>]| spots.iter().all(Option::is_some);
    let mut spots = fill(pages);
    if !is_full(&spots) && !fitting.is_fixed() {
        let grown = |at: usize, page: Size| {
            let mut pages = pages.clone();
            pages[at] = page;
            pages
        };
        let ways = (0..pages.len()).flat_map(|at| GROWTHS.map(|way| (at, way)));
        let candidates = ways.filter_map(|(at, way)| {
            let fits = |page: Size| is_full(&fill(&grown(at, page)));
            Some((at, smallest_grown(pages[at], way, fitting, fits)?))
        });
        let key = |&(at, page): &(usize, Size)| {
            let added = page.area().saturating_sub(pages[at].area());
            (stretch(page) > stretch(pages[at]).max(LONGEST_RATIO), added, page.width.max(page.height))
        };
        let best = candidates.min_by_key(key);
        // Where no page can hold them all, the last one takes as many as it can.
        let last = pages.len() - 1;
        let (at, page) = best.unwrap_or((last, fitting.page_for(fitting.room())));
        spots = fill(&grown(at, page));
        let reach = spots.iter().zip(pieces.sizes).filter_map(|(spot, size)| {
            let spot = spot.filter(|spot| spot.page == at)?;
            let size = if spot.rotated { size.rotated() } else { *size };
            Some(Size::new(spot.x + size.width, spot.y + size.height))
        });
        let used = reach.fold(fitting.room_of(pages[at]), Size::union);
        pages[at] = fitting.page_for(used).union(pages[at]);
    }
    let left: Vec<usize> = (0..spots.len()).filter(|&piece| spots[piece].is_none()).collect();
    if !left.is_empty() {
        let sizes: Vec<Size> = left.iter().map(|&piece| pieces.sizes[piece]).collect();
        let arranged = arrange::arrange(Items { sizes: &sizes, ..pieces }, fitting, effort);
        for (piece, spot) in left.into_iter().zip(arranged.spots) {
            spots[piece] = Some(ItemPosition { page: pages.len() + spot.page, ..spot });
        }
        pages.extend(arranged.pages);
    }
    spots.into_iter().flatten().collect()
}

/// How a page grows.
#[derive(Clone, Copy, Debug)]
enum Growth {
    Right,
    Down,
    /// The shorter side first, then both.
    Both,
}

const GROWTHS: [Growth; 3] = [Growth::Right, Growth::Down, Growth::Both];

/// No page is grown beyond this aspect ratio if there is another way.
const LONGEST_RATIO: f64 = 2.0;

fn stretch(page: Size) -> f64 {
    f64::from(page.width.max(page.height)) / f64::from(page.width.min(page.height).max(1))
}

impl Growth {
    /// The room, larger by this many steps.
    fn by(self, room: Size, more: u32) -> Size {
        let Size { width, height } = room;
        match self {
            Self::Right => Size::new(width + more, height),
            Self::Down => Size::new(width, height + more),
            Self::Both => {
                let apart = width.abs_diff(height).min(more);
                let (rest, odd) = ((more - apart) / 2, (more - apart) % 2);
                match width <= height {
                    true => Size::new(width + apart + rest + odd, height + rest),
                    false => Size::new(width + rest, height + apart + rest + odd),
                }
            }
        }
    }
}

/// The smallest page of this growth that is large enough, by bisection.
fn smallest_grown(page: Size, way: Growth, fitting: &PageSizer, fits: impl Fn(Size) -> bool) -> Option<Size> {
    let (room, most) = (fitting.room_of(page), fitting.room());
    let at = |more: u32| {
        let wanted = way.by(room, more);
        fitting.page_for(Size::new(wanted.width.min(most.width), wanted.height.min(most.height)))
    };
    let (mut low, mut high) =
        (0, (most.width - room.width.min(most.width)) + (most.height - room.height.min(most.height)));
    if !fits(at(high)) {
        return None;
    }
    while low + 1 < high {
        let middle = low + (high - low) / 2;
        if fits(at(middle)) { high = middle } else { low = middle }
    }
    Some(at(high))
}

/// The pieces already on a page.
struct Taken {
    room: Size,
    rects: Vec<Rect>,
    /// The rectangles that reach into each square of [`SQUARE`] steps: of thousands only the near ones are looked at.
    near: HashMap<(u32, u32), Vec<usize>>,
}

/// Steps along a side of what is looked at together: about as many as a frame has.
const SQUARE: u32 = 64;

impl Taken {
    fn new(room: Size) -> Self {
        Self { room, rects: Vec::new(), near: HashMap::new() }
    }

    /// Takes a place if it is on the page and free.
    fn takes(&mut self, rect: Rect) -> bool {
        if !rect.lies_in(Rect::of(self.room)) {
            return false;
        }
        let last = |end: u64| (end.saturating_sub(1) / u64::from(SQUARE)) as u32;
        let columns = rect.x / SQUARE..=last(rect.right());
        let squares =
            || (rect.y / SQUARE..=last(rect.bottom())).flat_map(|y| columns.clone().map(move |x| (x, y)));
        let is_in_the_way = |&at: &usize| self.rects[at].overlaps(rect);
        if squares().any(|square| self.near.get(&square).is_some_and(|near| near.iter().any(is_in_the_way))) {
            return false;
        }
        for square in squares() {
            self.near.entry(square).or_default().push(self.rects.len());
        }
        self.rects.push(rect);
        true
    }
}

/// Old places that pictures could keep: those that more frames speak for first.
fn ranked_claims(pictures: &PackImages<'_>, old: &PreviousPlacements) -> Vec<(usize, Placement)> {
    let mut votes: Vec<(usize, Placement, usize)> = Vec::new();
    let mut known: HashMap<(usize, Rect, usize), usize> = HashMap::new();
    for (&at, picture) in pictures.members.iter().zip(pictures.picture_of) {
        let frame = &pictures.set.frames()[at];
        let (Some(picture), Some(place)) = (*picture, old.of(frame)) else { continue };
        let size = if place.rotated { place.rect.size().rotated() } else { place.rect.size() };
        if size != pictures.sizes[picture] || place.page >= old.pages.len() {
            continue;
        }
        let vote = *known.entry((picture, place.rect, place.page)).or_insert_with(|| {
            votes.push((picture, place, 0));
            votes.len() - 1
        });
        votes[vote].2 += 1;
    }
    votes.sort_by_key(|&(_, _, count)| std::cmp::Reverse(count));
    votes.into_iter().map(|(picture, place, _)| (picture, place)).collect()
}
