//! Lining frames up: what each keeps of its canvas, and which of its points stays put.
//!
//! In their fixed order: registration marks are taken, then [`mirror`], [`scale`], [`align`], [`set_canvas`], [`trim`],
//! [`set_pivot`], and last what games ask for: boxes, nine-slice, polygon. Every step is `FrameSet → FrameSet` and
//! changes neither names nor clips; what belongs to a drawing (pivot, boxes, polygon) follows it.

mod align;
mod boxes;
mod canvas;
mod coregistration;
mod marks;
mod mirror;
mod nine;
mod overrides;
mod pivot;
pub(crate) mod points;
mod polygon;
mod scale;
mod shift;
mod trim;

pub use align::{AlignAxis, AlignError, AlignOptions, AlignPer, AlignTo, MatchWith, Shift, align};
pub use boxes::{BoxRule, BoxSpec, Coverage, set_box};
pub use canvas::{CanvasError, CanvasRule, CanvasRuleError, set_canvas};
pub use coregistration::{Coregistration, coregister_pivots};
pub use marks::{MarkError, forget_marks, take_marks};
pub use mirror::mirror;
pub use mirror::mirrored;
pub use nine::{NineError, NineRule, set_nine};
pub use overrides::{
    FrameOverride, FrameOverrides, OverrideError, OverrideKind, PlannedShifts, apply_overrides,
    placement_checksum, plan_shifts,
};
pub(crate) use pivot::NAMED_ANCHORS;
pub use pivot::{Anchor, PivotPer, set_pivot};
pub use points::{SOLID, center, feet};
pub use polygon::{PolygonError, set_polygons, triangulate};
pub(crate) use scale::{MAX_FACTOR, is_scale_factor, kernel_radius};
pub use scale::{Resample, ScaleError, ScaleRule, fit_factors, scale, scale_each};
pub use trim::{Trim, TrimScope, restore, trim};

#[cfg(test)]
mod tests;
