//! Pictures for people: proof that the frames are right.
//!
//! [`contact`] shows every frame at once, [`film`] is a clip as it will move. Pictures are drawn with
//! hard pixel edges and whole zoom factors, and labels never lie on the art. Nothing drawn here is read
//! back by anything.

mod contact;
mod film;
mod paper;
mod text;

pub use contact::{ContactOptions, contact};
pub use film::{Backdrop, BackdropError, Film, FilmOptions, film};
