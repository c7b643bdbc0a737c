//! A polygon of few corners that covers every pixel shown, with the least area to spare.
//!
//! The convex hull of the pixels has edges along all four sides of its box. Of its other edges those are left out whose
//! loss adds the least area: neighbors are made longer until they meet. Which ones is decided exactly, by dynamic
//! programming over the edges in turn (R. Bellman, 1957), after the hull (A. M. Andrew, "Another efficient algorithm for
//! convex hulls in two dimensions", 1979). Corners are then moved outwards to whole pixels, never beyond the box.

use crate::{Annotations, Frame, FrameSet, Point, SetError};

/// Why there is no polygon.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PolygonError {
    /// Three corners can't stay inside the frame.
    #[error("a polygon can't have {0} corners; use 4 to 64")]
    Corners(u32),
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Gives every frame that shows anything a polygon of at most `corners` corners round its pixels with an alpha above
/// `alpha`.
pub fn set_polygons(set: FrameSet, corners: u32, alpha: u8) -> Result<FrameSet, PolygonError> {
    if !(4..=64).contains(&corners) {
        return Err(PolygonError::Corners(corners));
    }
    set.map_frames(|_, frame| {
        let polygon = polygon(&frame, corners as usize, alpha);
        let annotations = Annotations { polygon, ..frame.annotations().clone() };
        Ok(frame.with_annotations(annotations))
    })
}

/// Triangles over a simple polygon, as places of its corners, in its own direction; `None` if it crosses itself or has no area.
/// Ears are cut off one after another (G. H. Meisters, "Polygons have ears", 1975).
pub fn triangulate(polygon: &[Point]) -> Option<Vec<[usize; 3]>> {
    let turn = |[a, b, c]: [usize; 3]| {
        let [a, b, c] = [polygon[a], polygon[b], polygon[c]];
        (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x)
    };
    let area: f64 = (2..polygon.len()).map(|at| turn([0, at - 1, at])).sum();
    if polygon.len() < 3 || area == 0.0 {
        return None;
    }
    let mut left: Vec<usize> = (0..polygon.len()).collect();
    let mut triangles = Vec::with_capacity(polygon.len() - 2);
    while left.len() > 2 {
        let corner =
            |at: usize| [left[(at + left.len() - 1) % left.len()], left[at], left[(at + 1) % left.len()]];
        let is_outside = |&other: &usize, [a, b, c]: [usize; 3]| {
            [a, b, c].contains(&other)
                || [[a, b, other], [b, c, other], [c, a, other]].iter().any(|side| turn(*side) * area <= 0.0)
        };
        let is_ear =
            |ear: [usize; 3]| turn(ear) * area > 0.0 && left.iter().all(|other| is_outside(other, ear));
        let is_flat = |ear: [usize; 3]| turn(ear) == 0.0;
        let flat = (0..left.len()).find(|&at| is_flat(corner(at)));
        let at = flat.or_else(|| (0..left.len()).find(|&at| is_ear(corner(at))))?;
        if !is_flat(corner(at)) {
            triangles.push(corner(at));
        }
        left.remove(at);
    }
    let covered: f64 = triangles.iter().map(|triangle| turn(*triangle)).sum();
    ((covered - area).abs() <= area.abs() * 1e-9).then_some(triangles)
}

type Corner = (i64, i64);

fn polygon(frame: &Frame, most: usize, alpha: u8) -> Vec<Point> {
    let inset = frame.inset();
    let hull = hull(frame, alpha);
    if hull.is_empty() {
        return Vec::new();
    }
    let chosen = chosen_edges(&hull, most);
    let corner = |n: usize| {
        let (a, b) = (chosen[n], chosen[(n + 1) % chosen.len()]);
        if (a + 1) % hull.len() == b {
            return hull[b];
        }
        outwards(&hull, a, b)
    };
    let corners = (0..chosen.len()).map(corner);
    corners.map(|(x, y)| Point::new(x as f64 + f64::from(inset.x), y as f64 + f64::from(inset.y))).collect()
}

/// The corners of the convex hull of the pixels, clockwise, beginning with the left end of its top edge.
fn hull(frame: &Frame, alpha: u8) -> Vec<Corner> {
    let mut points: Vec<Corner> = Vec::new();
    for (y, row) in (0i64..).zip(frame.pixels().rows()) {
        let is_shown = |pixel: &[u8]| pixel[3] > alpha;
        let Some(left) = row.chunks_exact(4).position(is_shown) else { continue };
        let right = row.chunks_exact(4).rposition(is_shown).map_or(left, |last| last) + 1;
        for x in [left as i64, right as i64] {
            points.extend([(x, y), (x, y + 1)]);
        }
    }
    points.sort_unstable();
    points.dedup();
    if points.is_empty() {
        return Vec::new();
    }
    let half = |points: &mut dyn Iterator<Item = Corner>| {
        let mut chain: Vec<Corner> = Vec::new();
        for point in points {
            while chain.len() > 1 && turn(chain[chain.len() - 2], chain[chain.len() - 1], point) <= 0 {
                chain.pop();
            }
            chain.push(point);
        }
        chain.pop();
        chain
    };
    // With y down, turning right is clockwise.
    let mut corners = half(&mut points.iter().copied());
    corners.extend(half(&mut points.iter().rev().copied()));
    let first = (0..corners.len()).min_by_key(|&at| (corners[at].1, corners[at].0)).unwrap_or(0);
    corners.rotate_left(first);
    corners
}

/// Twice the area of the triangle, above 0 where it turns clockwise.
fn turn(a: Corner, b: Corner, c: Corner) -> i64 {
    (b.0 - a.0) * (c.1 - a.1) - (b.1 - a.1) * (c.0 - a.0)
}

fn edge(hull: &[Corner], at: usize) -> (Corner, Corner) {
    (hull[at % hull.len()], hull[(at + 1) % hull.len()])
}

/// Where the lines of two edges meet.
fn meeting(hull: &[Corner], a: usize, b: usize) -> (f64, f64) {
    let ((a0, a1), (b0, b1)) = (edge(hull, a), edge(hull, b));
    let (ax, ay) = ((a1.0 - a0.0) as f64, (a1.1 - a0.1) as f64);
    let (bx, by) = ((b1.0 - b0.0) as f64, (b1.1 - b0.1) as f64);
    let along = ((b0.0 - a0.0) as f64 * by - (b0.1 - a0.1) as f64 * bx) / (ax * by - ay * bx);
    (a0.0 as f64 + along * ax, a0.1 as f64 + along * ay)
}

/// The meeting of two edges on whole pixels, on the outer side of both.
fn outwards(hull: &[Corner], a: usize, b: usize) -> Corner {
    let (x, y) = meeting(hull, a, b);
    let normal = |at: usize| {
        let (from, to) = edge(hull, at);
        (to.1 - from.1, from.0 - to.0)
    };
    let ((ax, ay), (bx, by)) = (normal(a), normal(b));
    let outer = |value: f64, way: i64| {
        if way > 0 { (value - 1e-9).ceil() as i64 } else { (value + 1e-9).floor() as i64 }
    };
    (outer(x, ax.signum() + bx.signum()), outer(y, ay.signum() + by.signum()))
}

/// The area that is added when the edges between two go.
fn added(hull: &[Corner], a: usize, b: usize) -> f64 {
    if a + 1 == b {
        return 0.0;
    }
    let (from, to) = (hull[(a + 1) % hull.len()], hull[b % hull.len()]);
    let (x, y) = meeting(hull, a, b);
    let triangle =
        (x - from.0 as f64) * (to.1 - from.1) as f64 - (y - from.1 as f64) * (to.0 - from.0) as f64;
    let fan: i64 = (a + 1..b).map(|at| turn(from, edge(hull, at).0, edge(hull, at).1)).sum();
    (triangle.abs() - (fan as f64).abs()) / 2.0
}

/// The edges to keep, at most this many, so that the polygon of their lines is smallest.
fn chosen_edges(hull: &[Corner], most: usize) -> Vec<usize> {
    let count = hull.len();
    // Without an edge along each side of the box, lines would meet outside it.
    let is_flush = |at: usize| {
        let (from, to) = edge(hull, at);
        from.0 == to.0 || from.1 == to.1
    };
    // least[kept][at]: the least area added up to edge `at`, which is kept as number `kept`; `count` is the first again.
    let mut least = vec![vec![f64::MAX; count + 1]; most + 1];
    let mut before = vec![vec![0; count + 1]; most + 1];
    least[0][0] = 0.0;
    let reach = |at: usize| {
        let first = (0..at).rev().find(|&from| is_flush(from)).unwrap_or(0);
        (first..at).map(|from| (from, added(hull, from, at))).collect::<Vec<_>>()
    };
    let reaches: Vec<Vec<(usize, f64)>> = (0..=count).map(reach).collect();
    for kept in 1..=most {
        for at in 1..=count {
            for &(from, extra) in &reaches[at] {
                if least[kept - 1][from] < f64::MAX && least[kept - 1][from] + extra < least[kept][at] {
                    (least[kept][at], before[kept][at]) = (least[kept - 1][from] + extra, from);
                }
            }
        }
    }
    let best = (4..=most.min(count)).min_by(|&a, &b| least[a][count].total_cmp(&least[b][count]));
    let (mut kept, mut at, mut chosen) = (best.unwrap_or(4), count, Vec::new());
    while kept > 0 {
        at = before[kept][at];
        chosen.push(at);
        kept -= 1;
    }
    chosen.reverse();
    chosen
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn triangles_cover_a_polygon_once_bays_too() {
        let points =
            |corners: &[(f64, f64)]| corners.iter().map(|&(x, y)| Point::new(x, y)).collect::<Vec<_>>();
        let square = points(&[(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0)]);
        assert_eq!(triangulate(&square).unwrap().len(), 2);
        let bay = points(&[(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (2.0, 1.0), (0.0, 4.0)]);
        let backwards: Vec<Point> = bay.iter().rev().copied().collect();
        for polygon in [bay, backwards] {
            let triangles = triangulate(&polygon).unwrap();
            let inside = |x: f64, y: f64| {
                let holds = |triangle: &&[usize; 3]| {
                    let side = |a: usize, b: usize| {
                        let (a, b) = (polygon[a], polygon[b]);
                        (b.x - a.x) * (y - a.y) - (b.y - a.y) * (x - a.x)
                    };
                    let [a, b, c] = **triangle;
                    let all = [side(a, b), side(b, c), side(c, a)];
                    all.iter().all(|side| *side > 0.0) || all.iter().all(|side| *side < 0.0)
                };
                triangles.iter().filter(holds).count()
            };
            assert_eq!(
                [inside(2.1, 0.4), inside(0.3, 2.9), inside(3.7, 2.9), inside(2.1, 2.0)],
                [1, 1, 1, 0]
            );
        }
        let bow = points(&[(0.0, 0.0), (4.0, 4.0), (4.0, 0.0), (0.0, 4.0)]);
        assert_eq!(triangulate(&bow), None);
        // Corners in a line add nothing.
        let line = points(&[(0.0, 0.0), (2.0, 0.0), (4.0, 0.0), (4.0, 4.0)]);
        assert_eq!(triangulate(&line).unwrap().len(), 1);
    }
}
