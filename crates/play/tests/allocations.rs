//! Playing allocates nothing, whatever is asked for.

use std::alloc::System;
use std::time::Duration;

use shibori_play::{Atlas, Clip, Frame, Page, PlayMode, Player, Step};
use stats_alloc::{INSTRUMENTED_SYSTEM, Region, StatsAlloc};

#[global_allocator]
static ALLOCATOR: &StatsAlloc<System> = &INSTRUMENTED_SYSTEM;

#[test]
fn playing_allocates_nothing() {
    let page = Page {
        file: "pond.png".into(),
        size: [64, 32],
        factor: 1.0,
        alpha: Default::default(),
        sampling: None,
        companions: Vec::new().into(),
    };
    let frame = |name: &'static str| Frame {
        sprite: "koi".into(),
        name: name.into(),
        page: 0,
        rect: [0, 0, 28, 14],
        rotated: true,
        canvas: [32, 32],
        inset: [2, 0],
        pivot: [16.0, 23.0],
        boxes: vec![("body".into(), [4, 4, 8, 8])].into(),
        nine: None,
        polygon: vec![[2.0, 0.0], [16.0, 0.0], [16.0, 28.0]].into(),
    };
    let step = |frame, event| Step { frame, ticks: 2, mirror: frame == 1, event };
    let clip = Clip {
        sprite: "koi".into(),
        name: "swim".into(),
        play: PlayMode::Bounce,
        plays: 3,
        timescale: 12,
        steps: vec![step(0, None), step(1, Some("splash".into())), step(2, None)].into(),
    };
    let atlas = Atlas::new(vec![page], vec![frame("a"), frame("b"), frame("c")], vec![clip]).unwrap();
    let region = Region::new(ALLOCATOR);
    let swim = atlas.clip("koi", "swim").unwrap();
    let (mut player, mut heard, mut drawn) = (Player::new(), 0, 0);
    for number in 0..200 {
        heard += player.advance(swim, Duration::from_millis(17)).count();
        let shown = player.shown(swim);
        drawn += usize::from(atlas.quad(shown.frame, shown.mirror).is_some());
        drawn += atlas.outline(shown.frame, shown.mirror).count();
        drawn += usize::from(atlas.hitbox(shown.frame, "body", shown.mirror).is_some());
        heard += swim.events(0..number).count() + swim.at(number as f64).frame;
    }
    assert_eq!(region.change().allocations, 0);
    assert!(heard > 0 && drawn == 200 * 5 && player.is_finished(swim));
}
