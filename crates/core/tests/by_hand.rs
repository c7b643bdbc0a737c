//! Values made in code are those that a person types, and what is out of range is an error in both.

use shibori_core::clip::{EventSpec, FrameRate, Renaming, RowList, TimeError};
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
    assert!(PageSide::new(Size::new(0, 4)).is_err() && PageSide::new(Size::new(65_537, 4)).is_err());
    assert!(PageScale::new(Ratio::new(1, 17).unwrap()).is_err());
    for text in ["a,b", "walk{", "walk-{dir8}", "-", "walk@12fps", "a b"] {
        assert!(RowList::new(&[Some(name(text))]).is_err(), "{text}");
    }
}
