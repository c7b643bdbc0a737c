//! Values for serde: lengths are lists of numbers, as in a manifest; values that people type are that text.

use serde::ser::{Serialize, Serializer};

use crate::check::Sides;
use crate::clean::KeyColors;
use crate::cut::Grid;
use crate::pack::PageScale;
use crate::{Cell, Color, Name, Point, Ratio, Rect, SignedRect, Size, UVec2};

macro_rules! as_list {
    ($($type:ty: $value:ident => $list:expr;)*) => {$(
        impl Serialize for $type {
            fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                let $value = self;
                $list.serialize(to)
            }
        }
    )*};
}

macro_rules! as_text {
    ($($type:ty),*) => {$(
        impl Serialize for $type {
            fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                to.collect_str(self)
            }
        }
    )*};
}

as_list! {
    Size: size => [size.width, size.height];
    UVec2: at => [at.x, at.y];
    Point: at => [at.x, at.y];
    Rect: rect => [rect.x, rect.y, rect.width, rect.height];
    SignedRect: rect => (rect.x, rect.y, rect.width, rect.height);
    Sides: sides => {
        let names = ["left", "right", "top", "bottom"].into_iter().zip(sides.0);
        names.filter(|(_, is_on)| *is_on).map(|(name, _)| name).collect::<Vec<_>>()
    };
}

as_text!(Cell, Color, KeyColors, Name, PageScale, Ratio);

impl Serialize for Grid {
    /// As a page of cells in a manifest.
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        use serde::ser::SerializeStruct;
        let (counts, spacing) = (self.counts(), self.spacing());
        let mut grid = to.serialize_struct("Grid", 5)?;
        grid.serialize_field("columns", &counts.columns)?;
        grid.serialize_field("rows", &counts.rows)?;
        grid.serialize_field("cell", &self.cell_size())?;
        grid.serialize_field("offset", &spacing.offset)?;
        grid.serialize_field("gutter", &spacing.gutter)?;
        grid.end()
    }
}
