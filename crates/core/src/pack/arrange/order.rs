//! In which order pieces are placed: the large ones first, by several measures of large.

use std::cmp::Reverse;

use crate::Size;
use crate::pack::arrange::Items;

#[derive(Clone, Copy, Debug)]
pub(super) enum Order {
    Area,
    LongSide,
    Height,
    Width,
    Perimeter,
}

pub(super) const ORDERS: [Order; 5] =
    [Order::Height, Order::Area, Order::LongSide, Order::Perimeter, Order::Width];

/// The pieces, largest first; equals stay in their own order.
pub(super) fn sorted(pieces: Items<'_>, wanted: &[usize], order: Order) -> Vec<usize> {
    let key = |&piece: &usize| {
        let Size { width, height } = pieces.sizes[piece];
        let (w, h) = (u64::from(width), u64::from(height));
        Reverse(match order {
            Order::Area => (w * h, w.max(h)),
            Order::LongSide => (w.max(h), w.min(h)),
            Order::Height => (h, w),
            Order::Width => (w, h),
            Order::Perimeter => (w + h, w.max(h)),
        })
    };
    let mut order = wanted.to_vec();
    order.sort_by_key(key);
    order
}
