//! Laws of time and of edits, held over random input.
#![allow(clippy::unwrap_used)]

use jam_score::*;
use proptest::prelude::*;

fn rates() -> impl Strategy<Value = FrameRate> {
    prop::sample::select(vec![(24, 1), (25, 1), (30, 1), (30000, 1001), (24000, 1001), (60, 1), (12, 1)])
        .prop_map(|(n, d)| FrameRate::new(n, d).unwrap())
}

fn listen(length: f64) -> Edit {
    Edit::Listen(Listen { only: Some(Span::new(0.5, 0.5 + length)), ..Listen::default() })
}

#[test]
fn another_stretch_or_channel_needs_new_times() {
    let timed = Line { timing: Some(Timing { text: "a".into(), ..Timing::default() }), ..Line::new("a") };
    assert!(timed.is_timed());
    assert!(!listen(1.0).apply(&timed).unwrap().0.is_timed());
    assert_eq!(listen(0.01).apply(&timed), Err(EditError::Listen));
}

proptest! {
    #[test]
    fn a_frames_own_time_is_that_frame(rate in rates(), first in -10_000i64..10_000, n in 0i64..200_000) {
        let grid = FrameGrid { rate, first: Frame(first) };
        let frame = Frame(first + n);
        prop_assert_eq!(grid.frame_at(grid.time_of(frame)), frame);
    }

    #[test]
    fn the_frames_of_a_clip_cover_its_sound_and_no_more(rate in rates(), length in 0.0f64..4000.0) {
        let grid = FrameGrid { rate, first: Frame(0) };
        let frames = grid.frames_covering(Seconds(length));
        let last = grid.time_of(Frame(frames - 1)).0;
        prop_assert!(last >= length - 1e-6);
        prop_assert!(last - rate.frame_length().0 < length || frames == 1);
    }

    #[test]
    fn every_edit_is_taken_back_by_its_inverse(old in "\\PC{0,40}", new in "\\PC{0,40}", who in prop::option::of("[a-z]{1,6}")) {
        let line = Line::new(old);
        for edit in [Edit::Text(new.clone()), Edit::Character(who.clone()), Edit::Timing(Some(Timing::default())), listen(0.2), Edit::Diction(diction::STYLES[3].1)] {
            let (changed, inverse) = edit.apply(&line).unwrap();
            prop_assert_eq!(inverse.apply(&changed).unwrap().0, line.clone());
            let again: Edit = serde_json::from_str(&serde_json::to_string(&edit).unwrap()).unwrap();
            prop_assert_eq!(again, edit);
        }
    }
}

#[test]
fn the_frame_rate_of_american_television_is_exact() {
    // SMPTE 170M: 30000/1001 frames a second, so an hour has 107 892 whole frames (108 000 less the
    // 108 numbers that drop-frame time code skips).
    let rate: FrameRate = "30000/1001".parse().unwrap();
    let grid = FrameGrid { rate, first: Frame(0) };
    assert_eq!(grid.frame_at(Seconds(3600.0)), Frame(107_892));
    assert!(
        "0".parse::<FrameRate>().is_err()
            && "24fps".parse::<FrameRate>().is_err()
            && "1/0".parse::<FrameRate>().is_err()
    );
}

#[test]
fn times_that_run_backwards_are_refused_and_the_line_is_unchanged() {
    let sound = |a, b| Sound::new(Phone::Aa, Span::new(a, b));
    let timing = |sounds| Edit::Timing(Some(Timing { sounds, ..Timing::default() }));
    let line = Line::new("a");
    assert!(timing(vec![sound(0.0, 1.0), sound(1.0, 2.0)]).apply(&line).is_ok());
    assert_eq!(timing(vec![sound(1.0, 0.5)]).apply(&line), Err(EditError::Timing(TimingError::Backwards(0))));
    assert_eq!(
        timing(vec![sound(0.0, 1.0), sound(1.5, 2.0)]).apply(&line),
        Err(EditError::Timing(TimingError::Gap(1)))
    );
    assert!(timing(vec![sound(f64::NAN, 1.0)]).apply(&line).is_err());
}

#[test]
fn every_phone_is_found_by_its_own_name() {
    assert_eq!(Phone::ALL.len(), 40);
    for &phone in Phone::ALL {
        assert_eq!(Phone::from_name(phone.name()), Some(phone));
    }
}
