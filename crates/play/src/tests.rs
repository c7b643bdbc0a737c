//! Results compared with the slowest and plainest way to compute them.

use alloc::format;
use alloc::string::{String, ToString};
use alloc::vec::Vec;
use core::time::Duration;

use proptest::prelude::*;

use crate::{Atlas, AtlasError, Clip, PlayMode, Player, Problem, Step};

/// Steps with these ticks; frame and event of each are its number.
fn clip(ticks: &[u32], play: PlayMode, plays: u32, timescale: u32) -> Clip {
    let step = |(frame, &ticks): (usize, &u32)| Step {
        frame,
        ticks,
        mirror: frame % 2 == 1,
        event: Some(format!("{frame}").into()),
    };
    let steps: Vec<Step> = ticks.iter().enumerate().map(step).collect();
    Clip { sprite: "koi".into(), name: "swim".into(), play, plays, timescale, steps: steps.into() }
}

/// Each tick's step for a number of ticks, written out; `None` when the clip is over.
fn written_out(clip: &Clip, length: usize) -> Vec<Option<usize>> {
    let count = clip.steps.len();
    let mut order: Vec<usize> = (0..count).collect();
    if clip.play == PlayMode::Bounce && count > 2 {
        order.extend((1..count - 1).rev());
    }
    let round: Vec<usize> =
        order.iter().flat_map(|&step| core::iter::repeat_n(step, clip.steps[step].ticks as usize)).collect();
    let rounds = if clip.plays == 0 { usize::MAX } else { clip.plays as usize };
    (0..length).map(|tick| (tick / round.len() < rounds).then(|| round[tick % round.len()])).collect()
}

/// The step that begins at each tick, written out.
fn begun(clip: &Clip, length: usize) -> Vec<(u64, usize)> {
    let mut all = Vec::new();
    let order: Vec<usize> = clip.clock().order().collect();
    let mut tick = 0;
    let mut rounds = 0;
    while tick < length as u64 && (clip.plays == 0 || rounds < clip.plays) {
        for &step in &order {
            all.push((tick, step));
            tick += u64::from(clip.steps[step].ticks);
        }
        rounds += 1;
    }
    all.retain(|&(tick, _)| tick < length as u64);
    all
}

fn any_clip() -> impl Strategy<Value = Clip> {
    let play = prop::sample::select(alloc::vec![PlayMode::Forward, PlayMode::Bounce]);
    (prop::collection::vec(1u32..7, 1..6), play, 0u32..4, 1u32..2000)
        .prop_map(|(ticks, play, plays, timescale)| clip(&ticks, play, plays, timescale))
}

proptest! {
    #[test]
    fn every_tick_shows_its_step(clip in any_clip()) {
        let wanted = written_out(&clip, 200);
        let last = wanted.iter().rev().flatten().next().copied().unwrap();
        for (tick, step) in wanted.iter().enumerate() {
            let shown = clip.at_tick(tick as u64);
            prop_assert_eq!((shown.moment.step, shown.moment.is_finished), (step.unwrap_or(last), step.is_none()));
            prop_assert_eq!((shown.frame, shown.mirror), (shown.moment.step, shown.moment.step % 2 == 1));
            // The time at which a tick begins is in it, however it is rounded.
            prop_assert_eq!(clip.at(tick as f64 / f64::from(clip.timescale)), shown);
        }
        prop_assert_eq!(clip.clock().round_ticks() as usize, clip.clock().order().map(|step| clip.steps[step].ticks as usize).sum::<usize>());
    }

    #[test]
    fn events_of_a_range_are_those_whose_steps_begin_in_it(clip in any_clip(), from in 0u64..150, length in 0u64..60) {
        let found: Vec<(u64, usize)> = clip.events(from..from + length).map(|event| (event.tick, event.step)).collect();
        let wanted: Vec<(u64, usize)> =
            begun(&clip, 250).into_iter().filter(|(tick, _)| (from..from + length).contains(tick)).collect();
        prop_assert_eq!(found, wanted);
    }

    #[test]
    fn a_player_hands_out_each_event_once_when_its_step_is_shown(
        clip in any_clip(), times in prop::collection::vec(0u64..20_000_000, 1..40),
    ) {
        let mut player = Player::new();
        let (mut heard, mut nanos) = (Vec::new(), 0u128);
        for &time in &times {
            heard.extend(player.advance(&clip, Duration::from_nanos(time)).map(|event| (event.tick, event.step)));
            nanos += u128::from(time);
            let tick = (nanos * u128::from(clip.timescale) / 1_000_000_000) as u64;
            prop_assert_eq!((player.tick(), player.shown(&clip)), (tick, clip.at_tick(tick)));
            prop_assert_eq!(player.is_finished(&clip), clip.at_tick(tick).moment.is_finished);
        }
        prop_assert_eq!(heard, begun(&clip, player.tick() as usize + 1));
    }

    #[test]
    fn no_time_and_no_number_is_too_much(
        seconds in any::<f64>(), tick in any::<u64>(), ticks in prop::collection::vec(any::<u32>(), 0..4),
        plays in any::<u32>(), timescale in any::<u32>(), bounce in any::<bool>(),
    ) {
        let play = if bounce { PlayMode::Bounce } else { PlayMode::Forward };
        let clip = clip(&ticks, play, plays, timescale);
        prop_assert!(clip.at(seconds).moment.step <= ticks.len());
        prop_assert!(clip.at_tick(tick).moment.step <= ticks.len());
        let events = clip.events(tick..tick.saturating_add(1000)).count();
        prop_assert!(events <= 1000);
        let mut player = Player::new();
        player.seek(tick);
        let _ = player.advance(&clip, Duration::MAX).next();
        prop_assert!(player.shown(&clip).moment.step <= ticks.len());
    }

    #[test]
    fn whatever_bytes_come_nothing_panics(at in 0usize..1200, byte in any::<u8>()) {
        let mut bytes = POND.as_bytes().to_vec();
        let at = at % bytes.len();
        bytes[at] = byte;
        if let Ok(atlas) = Atlas::from_json(&bytes) {
            for frame in 0..atlas.frames().len() {
                atlas.quad(frame, true);
            }
            for clip in atlas.clips() {
                prop_assert!(clip.at(1.0).frame < atlas.frames().len());
            }
        }
    }
}

#[test]
fn after_thirty_days_of_games_frames_not_a_tick_is_lost() {
    let clip = clip(&[1; 12], PlayMode::Forward, 0, 24);
    let mut player = Player::new();
    let (frame, days) = (Duration::from_nanos(16_666_667), 30u64);
    let frames = days * 24 * 3600 * 60;
    // Ten seconds at a time: one advance per game frame would take a minute.
    for _ in 0..frames / 600 {
        let _ = player.advance(&clip, frame * 600);
    }
    let nanos = u128::from(frames) * 16_666_667;
    assert_eq!(u128::from(player.tick()), nanos * 24 / 1_000_000_000);
}

#[test]
fn times_before_the_beginning_and_without_end() {
    let clip = clip(&[2, 3], PlayMode::Forward, 2, 10);
    for seconds in [-1.0, f64::NEG_INFINITY, f64::NAN, -0.0] {
        assert_eq!(clip.at(seconds), clip.at_tick(0));
    }
    for seconds in [1.0, 1e300, f64::INFINITY] {
        let shown = clip.at(seconds);
        assert_eq!((shown.frame, shown.moment.is_finished), (1, true));
    }
    assert!(!clip.at(0.999).moment.is_finished);
    assert_eq!(clip.at_tick(9).moment.since, 2);
    assert_eq!(clip.at_tick(12).moment.since, 5, "what it ended with is shown on");
}

const POND: &str = r#"{ "format": "shibori/1", "seal": "x", "pages": [
    { "file": "pond.png", "size": [64, 32], "factor": 2, "alpha": "premultiplied", "sampling": "nearest",
      "companions": { "_glow": "pond_glow.png", "_n": "pond_n.png" } } ],
  "frames": [
    { "name": "a", "sprite": "koi", "page": 0, "rect": [4, 2, 20, 10], "canvas": [32, 32], "inset": [6, 8], "pivot": [16, 24],
      "boxes": { "body": [8, 10, 4, 6] }, "nine": [1, 2, 3, 4], "polygon": [[6, 8], [26, 8], [26, 18]], "extras": { "a": 1 } },
    { "name": "b", "sprite": "koi", "page": 0, "rect": [30, 0, 10, 20], "rotated": true, "canvas": [32, 32], "inset": [6, 8], "pivot": [16, 24] },
    { "name": "c", "sprite": "koi", "page": 0, "rect": [0, 0, 0, 0], "canvas": [32, 32], "pivot": [16, 24] } ],
  "clips": [ { "name": "swim", "sprite": "koi", "play": "bounce", "plays": 2, "timescale": 10,
    "steps": [ { "frame": 0, "ticks": 1 }, { "frame": 1, "ticks": 2, "mirror": true, "event": "splash" }, { "frame": 2, "ticks": 1 } ] } ] }"#;

#[test]
fn a_manifest_says_everything_a_game_draws_with() {
    let atlas = Atlas::from_json(POND.as_bytes()).unwrap();
    let page = &atlas.pages()[0];
    let companions: Vec<(&str, bool)> = page.companions.iter().map(|c| (&*c.suffix, c.is_normal)).collect();
    assert_eq!(companions, [("_glow", false), ("_n", true)]);
    assert_eq!(
        (page.factor, page.alpha, page.sampling),
        (2.0, crate::Alpha::Premultiplied, Some(crate::Sampling::Nearest))
    );
    // Half as large as on a page of twice the size.
    let quad = atlas.quad(0, false).unwrap();
    assert_eq!((quad.offset, quad.size), ([-5.0, -8.0], [10.0, 5.0]));
    assert_eq!(
        quad.uv,
        [
            [4.0 / 64.0, 2.0 / 32.0],
            [24.0 / 64.0, 2.0 / 32.0],
            [24.0 / 64.0, 12.0 / 32.0],
            [4.0 / 64.0, 12.0 / 32.0]
        ]
    );
    let turned = atlas.quad(1, false).unwrap();
    assert_eq!((turned.offset, turned.size), (quad.offset, quad.size));
    assert_eq!(
        turned.uv,
        [[40.0 / 64.0, 0.0], [40.0 / 64.0, 20.0 / 32.0], [30.0 / 64.0, 20.0 / 32.0], [30.0 / 64.0, 0.0]]
    );
    let mirrored = atlas.quad(0, true).unwrap();
    assert_eq!((mirrored.offset, mirrored.size), ([-5.0, -8.0], [10.0, 5.0]));
    assert_eq!(mirrored.uv, [quad.uv[1], quad.uv[0], quad.uv[3], quad.uv[2]]);
    assert_eq!(quad.corners()[2].offset, [5.0, -3.0]);
    assert_eq!(atlas.quad(2, false), None);
    assert_eq!(atlas.quad(3, false), None);
    assert_eq!(atlas.hitbox(0, "body", false), Some([-4.0, -7.0, 2.0, 3.0]));
    assert_eq!(atlas.hitbox(0, "body", true), Some([2.0, -7.0, 2.0, 3.0]));
    let outline: Vec<_> = atlas.outline(0, false).collect();
    assert_eq!((outline.len(), outline[0].offset, outline[0].uv), (3, quad.offset, quad.uv[0]));
    assert_eq!((atlas.frame_index("koi", "b"), atlas.frame("koi", "x").is_none()), (Some(1), true));
    let swim = atlas.clip("koi", "swim").unwrap();
    assert_eq!(swim.clock().order().collect::<Vec<_>>(), [0, 1, 2, 1]);
    assert_eq!((swim.clock().round_ticks(), swim.clock().end()), (6, Some(12)));
    let events: Vec<(&str, u64)> = swim.events(0..u64::MAX).map(|event| (event.name, event.tick)).collect();
    assert_eq!(events, [("splash", 1), ("splash", 4), ("splash", 7), ("splash", 10)]);
}

#[test]
fn each_mistake_is_named_with_its_place() {
    let mistake = |from: &str, to: &str| -> String {
        assert!(POND.contains(from), "{from}");
        Atlas::from_json(POND.replacen(from, to, 1).as_bytes()).unwrap_err().to_string()
    };
    for (from, to, said) in [
        ("shibori/1", "shibori/2", "the format is 'shibori/2', and this version reads 'shibori/1'"),
        ("\"timescale\": 10", "\"timescale\": 0", "clips[0].timescale: must be at least 1"),
        (
            "\"timescale\": 10",
            "\"timescale\": -3",
            "clips[0].timescale: must be a whole number from 0 to 4294967295",
        ),
        ("\"ticks\": 2", "\"ticks\": 0", "clips[0].steps[1].ticks: must be at least 1"),
        ("\"ticks\": 2, ", "", "clips[0].steps[1].ticks: missing"),
        (
            "\"frame\": 2",
            "\"frame\": 3",
            "clips[0].steps[2].frame: 3 is out of range: there are 3, counted from 0",
        ),
        ("\"page\": 0", "\"page\": 1", "frames[0].page: 1 is out of range: there are 1, counted from 0"),
        ("[4, 2, 20, 10]", "[45, 2, 20, 10]", "frames[0].rect: reaches beyond the page or the canvas"),
        ("[4, 2, 20, 10]", "[4, 2, 20]", "frames[0].rect: must be 4 numbers"),
        (
            "[4, 2, 20, 10]",
            "[4, 4294967295, 20, 10]",
            "frames[0].rect: reaches beyond the page or the canvas",
        ),
        ("[6, 8]", "[13, 8]", "frames[0].inset: reaches beyond the page or the canvas"),
        ("[16, 24]", "[16, 1e99]", "frames[0].pivot[1]: must be a number"),
        ("[8, 10, 4, 6]", "[8, 10, 4, \"6\"]", "frames[0].boxes.body[3]: must be a whole number"),
        ("\"b\", \"sprite\"", "\"a\", \"sprite\"", "frames[1].name: there are two 'koi:a'"),
        ("\"factor\": 2", "\"factor\": 0", "pages[0].factor: must be more than 0"),
        ("premultiplied", "soft", "pages[0].alpha: must be straight or premultiplied"),
        ("\"sprite\": \"koi\", \"play\"", "\"play\"", "clips[0].sprite: missing"),
    ] {
        assert_eq!(mistake(from, to), said);
    }
    let steps = POND.find("\"steps\"").unwrap();
    let empty = format!("{}\"steps\": [] }} ] }}", &POND[..steps]);
    assert_eq!(
        Atlas::from_json(empty.as_bytes()).unwrap_err().to_string(),
        "clips[0].steps: must be at least one step"
    );
    let cut = Atlas::from_json(&POND.as_bytes()[..200]);
    assert!(matches!(cut, Err(AtlasError { problem: Problem::Json(_), .. })));
    assert!(Atlas::from_json(b"\xef\xbb\xbf{}").unwrap_err().to_string().contains("format: missing"));
}
