//! Pictures for people: proof that the frames are right.
//!
//! [`contact`] shows every frame at once, [`film`] is a clip as it will move, [`draw_onion`] lays its frames over each
//! other, [`draw_drift`] plots where they stand,
//! [`draw_cut`] a cut before it is made, [`draw_guide`] an empty sheet to draw on. Pictures are drawn with
//! hard pixel edges and whole zoom factors, and labels never lie on the art. Nothing drawn here is read
//! back by anything.

mod contact;
mod cut;
mod drift;
mod film;
mod guide;
mod onion;
mod overlay;
mod pages;
mod paper;
mod plot;
mod text;

pub use contact::{ContactOptions, contact};
pub use cut::{CutPicture, CutPlan, draw_cut};
pub use drift::draw_drift;
pub use film::{Backdrop, BackdropError, Film, FilmOptions, film, films};
pub use guide::{GUIDE_LINE, GUIDE_PIVOT, Guide, GuideCell, draw_guide};
pub use onion::{OnionOptions, draw_onion};
pub use overlay::Show;
pub use pages::{PagePlan, PlannedFrame, draw_pages};
pub use paper::{PixelLimitError, Room};
