//! Values along a clip, and those that leave the path of their neighbors.
//!
//! A value is on the path if it is between its neighbors, or overshoots them by no more than the local speed (the
//! apex of a jump). Anything further away is an outlier.

/// The share of the canvas's longer side that a figure may be off its path, and the least of it in pixels.
const SHARE: f64 = 0.035;
const LEAST: f64 = 1.4;
/// A figure that is this many times as far from the middle of its neighbors in most frames shakes.
pub(crate) const JITTER_FACTOR: f64 = 1.5;

/// How far a figure may be off its path on canvases of this longer side, in pixels, where nobody says otherwise.
pub(crate) fn default_limit(side: u32) -> f64 {
    (SHARE * f64::from(side)).max(LEAST)
}

/// How far each value is off its path; 0 where it is on it. `loops` says whether the first follows the last.
pub(crate) fn path_deviations(values: &[Option<f64>], loops: bool) -> Vec<f64> {
    let known: Vec<(usize, f64)> =
        values.iter().enumerate().filter_map(|(at, value)| Some((at, (*value)?))).collect();
    let count = known.len() as i64;
    let mut off = vec![0.0; values.len()];
    if count < 3 {
        return off;
    }
    let value = |number: i64| match loops {
        true => Some(known[number.rem_euclid(count) as usize].1),
        false => usize::try_from(number).ok().and_then(|number| known.get(number)).map(|(_, value)| *value),
    };
    for (number, &(at, own)) in (0i64..).zip(&known) {
        // The end frames of a clip that does not loop have only one neighbor, so they are never outliers.
        let (Some(before), Some(after)) = (value(number - 1), value(number + 1)) else { continue };
        // Estimate the local speed from the second neighbors. In loops of four frames or fewer they would wrap around.
        let near = |near: i64| if count > 4 { value(near) } else { None };
        let speed = |near: f64, far: Option<f64>| far.map_or(0.0, |far| (near - far).abs());
        let going = speed(before, near(number - 2)).max(speed(after, near(number + 2)));
        let (low, high) = (before.min(after), before.max(after));
        let beyond = if own < low { own - low } else { (own - high).max(0.0) };
        off[at] = if beyond.abs() <= going { 0.0 } else { beyond };
    }
    off
}

/// How far each value is from the middle of those before and after it; `None` where one of them is not known.
pub(crate) fn midpoint_deviations(values: &[Option<f64>], loops: bool) -> Vec<Option<f64>> {
    let count = values.len();
    let value = |at: Option<usize>| at.and_then(|at| values.get(at).copied().flatten());
    let off = |at: usize| {
        let (before, after) = match loops {
            true => (Some((at + count - 1) % count), Some((at + 1) % count)),
            false => (at.checked_sub(1), Some(at + 1)),
        };
        Some(values[at]? - (value(before)? + value(after)?) / 2.0)
    };
    (0..count).map(off).collect()
}

/// The same where it is more than `limit` for most: the values shake.
pub(crate) fn jitter(values: &[Option<f64>], loops: bool, limit: f64) -> Option<Vec<f64>> {
    let off = midpoint_deviations(values, loops);
    let known: Vec<f64> = off.iter().flatten().map(|off| off.abs()).collect();
    let is_shaken = values.len() > 3 && known.len() * 2 > values.len() && median(known) > limit;
    is_shaken.then(|| off.into_iter().map(Option::unwrap_or_default).collect())
}

/// The middle of some numbers; 0 of none.
pub(crate) fn median(mut values: Vec<f64>) -> f64 {
    let middle = values.len() / 2;
    values.sort_by(f64::total_cmp);
    values.get(middle).copied().unwrap_or(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn deviations(values: &[f64], loops: bool) -> Vec<f64> {
        path_deviations(&values.iter().copied().map(Some).collect::<Vec<_>>(), loops)
    }

    #[test]
    fn arcs_slides_and_waves_are_paths_and_a_teleport_is_not() {
        assert_eq!(deviations(&[0.0, 0.0, -7.0, -9.0, -5.0, 0.0], false), [0.0; 6]);
        assert_eq!(deviations(&[0.0, 10.0, 20.0, 30.0, 40.0, 50.0], false), [0.0; 6]);
        assert_eq!(deviations(&[0.0, 2.0, 4.0, 2.0, 0.0, -2.0, -4.0, -2.0], true), [0.0; 8]);
        assert_eq!(deviations(&[1.0, 1.0, 7.0, 1.0, 0.0, 1.0], true)[2], 6.0);
        assert_eq!(deviations(&[5.0, 0.0, 0.0, 0.0, 0.0], true)[0], 5.0);
        assert_eq!(deviations(&[5.0, 0.0, 0.0, 0.0, 0.0], false), [0.0; 5]);
        assert_eq!(deviations(&[0.0, 0.0, 3.0], true), [0.0, 0.0, 3.0]);
        let shaking = [0.0, 3.0, -4.0, -2.0, -5.0, 2.0].map(Some);
        assert_eq!(jitter(&shaking, true, 3.0), Some(vec![-2.5, 5.0, -4.5, 2.5, -5.0, 4.5]));
        assert_eq!(jitter(&shaking, false, 3.0).map(|off| off[0]), Some(0.0));
        assert_eq!(jitter(&[0.0, 1.0, 2.0, 3.0, 4.0].map(Some), false, 3.0), None);
        // A frame of which nothing is known is passed over.
        assert_eq!(
            path_deviations(&[Some(0.0), None, Some(0.0), Some(4.0), Some(0.0)], true),
            [0.0, 0.0, 0.0, 4.0, 0.0]
        );
    }
}
