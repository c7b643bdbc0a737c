//! Places of an earlier atlas: frames that are still of the same size stay where they were, so that a small change of
//! the art is a small change of the page. Never moves what stays.

use std::collections::HashMap;

use crate::pack::arrange::{self, ItemPosition, Items};
use crate::pack::{PackSettings, Placement};
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
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ReuseOutcome {
    /// So many pictures stayed; so many are new or of another size.
    Kept {
        /// Pictures in their old place.
        stayed: usize,
        /// Pictures placed between them.
        placed: usize,
    },
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

/// Spots for all pictures and the pages they are on, or why they must be arranged again.
pub(super) fn keep(
    pictures: &PackImages<'_>,
    old: &PreviousPlacements,
    options: &PackSettings,
) -> Result<(Vec<ItemPosition>, Vec<Size>, ReuseOutcome), ReuseOutcome> {
    if !old.pages.iter().all(|&page| options.pages.allows(page)) {
        return Err(ReuseOutcome::Anew("the old pages have a size that is no longer allowed"));
    }
    let first = options.margin + options.bleed;
    let fitting = options.pages.fitting(options);
    let room = |page: Size| fitting.room_of(page);
    let mut taken: Vec<Taken> = old.pages.iter().map(|&page| Taken::new(room(page))).collect();
    let mut spots: Vec<Option<ItemPosition>> = vec![None; pictures.sizes.len()];
    for (picture, place) in ranked_claims(pictures, old) {
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
        return Err(ReuseOutcome::Anew("margin, gutter or bleed differ from those of the old pages"));
    }
    let new: Vec<usize> = (0..spots.len()).filter(|&picture| spots[picture].is_none()).collect();
    let sizes: Vec<Size> = new.iter().map(|&picture| pictures.spaced[picture]).collect();
    let pieces = Items { sizes: &sizes, may_rotate: options.may_rotate() };
    let mut taken: Vec<(Size, Vec<Rect>)> = taken.into_iter().map(|page| (page.room, page.rects)).collect();
    let found = match arrange::arrange_around(pieces, &taken) {
        Some(found) => found,
        None => {
            // Where pages may grow, the last one does, downwards: that moves nothing.
            let allowed = fitting.room();
            if let Some((room, _)) = taken.last_mut() {
                room.height = room.height.max(allowed.height);
            }
            arrange::arrange_around(pieces, &taken)
                .ok_or(ReuseOutcome::Anew("there was no room for the new frames on the old pages"))?
        }
    };
    for (picture, spot) in new.iter().zip(found) {
        spots[*picture] = Some(spot);
    }
    let spots: Vec<ItemPosition> = spots.into_iter().flatten().collect();
    let used = spots.iter().map(|spot| spot.page + 1).max().unwrap_or(1);
    let mut pages = old.pages[..used].to_vec();
    let last = used - 1;
    let reach = |(spot, spaced): (&ItemPosition, &Size)| {
        spot.y + if spot.rotated { spaced.width } else { spaced.height }
    };
    let on_last = spots.iter().zip(pictures.spaced).filter(|(spot, _)| spot.page == last);
    let height = on_last.map(reach).max().unwrap_or(0);
    if height > room(pages[last]).height {
        pages[last] = fitting.page_for(Size::new(room(pages[last]).width, height));
    }
    Ok((spots, pages, ReuseOutcome::Kept { stayed, placed: new.len() }))
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
