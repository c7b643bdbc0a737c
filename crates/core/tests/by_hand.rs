//! Values built in code equal those that people type, and both refuse what is out of range.

use shibori_core::clip::{
    ClipSpec, EventSpec, FrameDuration, FrameRate, PlayMode, Renaming, RowList, TimeError,
};
use shibori_core::pack::{PageScale, PageSide};
use shibori_core::{FrameFilter, Name, Ratio, Selection, Size};

fn name(text: &str) -> Name {
    Name::new(text).unwrap()
}

#[test]
fn what_is_made_is_what_is_typed() {
    assert_eq!(Selection::range(0, 7), "0-7".parse().unwrap());
    assert_eq!(Selection::range(7, 0), "7-0".parse().unwrap());
    assert_eq!(Selection::range(3, 3), "3".parse().unwrap());
    assert_eq!(Selection::row(2), "r2".parse().unwrap());
    assert_eq!(RowList::new(&[Some(name("idle")), None, Some(name("leap"))]), "idle,-,leap".parse());
    let swim =
        |play, plays, each| ClipSpec::new(&name("swim"), &Selection::range(0, 7), each, play, plays).unwrap();
    let twelfth = Some(FrameDuration::new(1, 12).unwrap());
    assert_eq!(swim(PlayMode::Forward, 0, twelfth), "swim = 0-7 @12fps".parse().unwrap());
    assert_eq!(swim(PlayMode::Forward, 1, None), "swim = 0-7 once".parse().unwrap());
    let eighty = Some(FrameDuration::new(80, 1000).unwrap());
    assert_eq!(swim(PlayMode::Bounce, 2, eighty), "swim = 0-7 @80ms bounce 2".parse().unwrap());
    assert_eq!(FrameFilter::sprite(&name("koi")), "koi".parse().unwrap());
    assert_eq!(Renaming::new("koi:swim", name("drift")), "koi:swim=drift".parse().unwrap());
    assert_eq!(EventSpec::new("leap", 3, Some(&name("splash"))), "leap@3=splash".parse().unwrap());
    assert_eq!(EventSpec::new("leap", 3, None), "leap@3=".parse().unwrap());
    assert_eq!(FrameRate::new(Ratio::new(24, 1).unwrap()).unwrap(), "24fps".parse().unwrap());
    assert_eq!(PageSide::new(Size::new(2048, 1024)).unwrap(), "2048x1024".parse().unwrap());
    assert_eq!(PageScale::new(Ratio::new(1, 2).unwrap()).unwrap(), "0.5".parse().unwrap());
    assert!(name("koi") == "koi" && *"koi" == name("koi") && name("koi") != *"frog");
}

#[test]
fn what_is_out_of_range_is_an_error() {
    assert!(Ratio::new(0, 1).is_err() && Ratio::new(1, 0).is_err());
    assert_eq!(FrameRate::new(Ratio::new(1001, 1).unwrap()), Err(TimeError::Fast));
    let spec = |text: &str, each| ClipSpec::new(&name(text), &Selection::row(0), each, PlayMode::Forward, 0);
    assert!(spec("swim", FrameDuration::new(1, 7001).ok()).is_err(), "no text says it exactly");
    assert!(["koi:swim", "a=b", "con"].iter().all(|text| spec(text, None).is_err()));
    assert!(PageSide::new(Size::new(0, 4)).is_err() && PageSide::new(Size::new(65_537, 4)).is_err());
    assert!(PageScale::new(Ratio::new(1, 17).unwrap()).is_err());
    for text in ["a,b", "walk{", "walk-{dir8}", "-", "walk@12fps", "a b"] {
        assert!(RowList::new(&[Some(name(text))]).is_err(), "{text}");
    }
}
