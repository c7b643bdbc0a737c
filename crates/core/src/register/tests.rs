//! Figures that walk, wave and are strewn about are found where they were drawn.

use image::{Rgba, RgbaImage};
use proptest::prelude::*;

use super::*;
use crate::{Name, Pixels};

/// How a figure is drawn: where, how far its legs stride, and how far an arm reaches to the right, or to the left where less than 0.
#[derive(Clone, Copy, Debug)]
struct Pose {
    at: (i64, i64),
    stride: i64,
    arm: i64,
}

const SIDE: u32 = 120;

/// A body of a few colors, `scale` pixels a part, on two legs.
fn figure(scale: i64, pose: Pose) -> Frame {
    let image = RgbaImage::from_fn(SIDE, SIDE, |x, y| {
        let (x, y) = (i64::from(x) - pose.at.0 - 50, i64::from(y) - pose.at.1 - 40);
        let (u, v) = (x.div_euclid(scale), y.div_euclid(scale));
        let leg = |side: i64| (u - 3 - side * pose.stride * (v - 9) / 6).abs() < 1 && (9..15).contains(&v);
        let arm = if pose.arm < 0 { pose.arm * scale..0 } else { 0..(7 + pose.arm) * scale };
        match (u, v) {
            (0..7, 0..9) => {
                let shade = (u * 5 + v * 3 + u * v) % 7;
                Rgba([(shade * 36) as u8, 40 + (v * 20) as u8, 90, 255])
            }
            _ if leg(1) || leg(-1) => Rgba([60, 50, 40, 255]),
            (_, 4..6) if pose.arm != 0 && arm.contains(&x) => Rgba([200, 150, 120, 255]),
            _ => Rgba([0; 4]),
        }
    });
    let name = |text: &str| Name::new(text).unwrap();
    Frame::new(name("koi"), name("a"), Pixels::from_image(image)).unwrap()
}

fn found(frames: &[Frame], reach: Option<u32>) -> Vec<Option<Registration>> {
    let frames: Vec<&Frame> = frames.iter().collect();
    register(&frames, &[(0..frames.len()).collect()], reach)
}

fn any_pose() -> impl Strategy<Value = Pose> {
    ((-30i64..30, -25i64..25), -5i64..=5, -8i64..=8).prop_map(|(at, stride, arm)| Pose { at, stride, arm })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_strewn_figure_comes_back_whatever_its_legs_and_arms_do(
        poses in prop::collection::vec(any_pose(), 2..9), scale in 1i64..4,
    ) {
        let frames: Vec<Frame> = poses.iter().map(|&pose| figure(scale, pose)).collect();
        let first = poses[0].at;
        for (place, pose) in found(&frames, None).into_iter().zip(&poses) {
            let place = place.unwrap();
            prop_assert_eq!(place.offset, (first.0 - pose.at.0, first.1 - pose.at.1));
            prop_assert!(place.agreement > 0.2 && place.agreement <= 1.0);
        }
    }
}

#[test]
fn very_many_frames_are_found_too_on_any_number_of_threads() {
    let pose =
        |at: i64| Pose { at: (at * 7 % 23 - 11, at * 5 % 19 - 9), stride: at % 8 - 4, arm: at % 5 * 2 };
    let frames: Vec<Frame> = (0..150).map(|at| figure(2, pose(at))).collect();
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| found(&frames, None))
    };
    let places = on(1);
    assert_eq!(places, on(3));
    for (at, place) in (0..).zip(places) {
        let (own, first) = (pose(at).at, pose(0).at);
        assert_eq!(place.unwrap().offset, (first.0 - own.0, first.1 - own.1), "frame {at}");
    }
}

#[test]
fn blank_frames_have_no_place_and_alike_frames_stay() {
    let still = figure(2, Pose { at: (0, 0), stride: 1, arm: 0 });
    let blank = still
        .clone()
        .with_pixels(Pixels::from_image(RgbaImage::new(SIDE, SIDE)), Default::default())
        .unwrap();
    let places = found(&[blank.clone(), still.clone(), blank.clone(), still.clone()], None);
    assert_eq!(places.iter().map(Option::is_some).collect::<Vec<_>>(), [false, true, false, true]);
    assert!(places.iter().flatten().all(|place| place.offset == (0, 0) && place.agreement == 1.0));
    assert_eq!(found(&[blank.clone(), blank], None), [None, None]);
    // One color all over: any shift that is on the figure is as good, and the smallest is taken.
    let block = |width: u32| {
        let image = RgbaImage::from_fn(SIDE, SIDE, |x, y| {
            let is_drawn = (40..40 + width).contains(&x) && (40..60).contains(&y);
            if is_drawn { Rgba([9, 9, 9, 255]) } else { Rgba([0; 4]) }
        });
        still.clone().with_pixels(Pixels::from_image(image), Default::default()).unwrap()
    };
    assert_eq!(found(&[block(30), block(20)], None)[1].unwrap().offset, (0, 0));
}

#[test]
fn no_frame_is_moved_farther_than_the_reach() {
    let poses = [(0, 0), (20, 3), (-4, 2)].map(|at| Pose { at, stride: 2, arm: 0 });
    let frames: Vec<Frame> = poses.iter().map(|&pose| figure(2, pose)).collect();
    let shifts: Vec<(i64, i64)> =
        found(&frames, Some(6)).iter().flatten().map(|place| place.offset).collect();
    assert!(shifts.iter().all(|(x, y)| x.abs() <= 6 && y.abs() <= 6), "{shifts:?}");
    assert_eq!(shifts[2], (4, -2));
}

#[test]
fn clips_of_one_figure_are_lined_up_with_each_other() {
    let pose = |x: i64, stride: i64, arm: i64| Pose { at: (x, 0), stride, arm };
    let poses = [pose(0, 1, 0), pose(5, -3, 0), pose(20, 2, 4), pose(26, 4, 8), pose(17, 0, 6)];
    let frames: Vec<Frame> = poses.iter().map(|&pose| figure(2, pose)).collect();
    let frames: Vec<&Frame> = frames.iter().collect();
    let places = register(&frames, &[vec![0, 1], vec![2, 3, 4]], None);
    let shifts: Vec<i64> = places.iter().map(|place| place.unwrap().offset.0).collect();
    assert_eq!(shifts, [0, -5, -20, -26, -17]);
}
